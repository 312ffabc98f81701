//! Histograms of figures, with the axes of a map.

use super::canvas::{Anchor, Canvas, Px};
use super::figures::{grouped, readable, round_below, round_step};
use super::options::Theme;
use super::palette::{Paper, hex};
use crate::measure::Statistics;

/// What a histogram shows.
pub(crate) struct Histogram<'a> {
    /// Of which the figures are, in the plural: `features`.
    pub(crate) of: &'a str,
    /// What the figures are: `area on the ellipsoid`.
    pub(crate) what: &'a str,
    pub(crate) unit: &'a str,
    pub(crate) figures: &'a [f64],
}

/// Fewer figures are told better by a table.
const LEAST: usize = 4;
/// The largest over the smallest from which on classes grow with their values.
const WIDE: f64 = 300.0;
const SIZE: (f64, f64) = (480.0, 220.0);
/// Left, top, right and bottom of the frame.
const FRAME: [f64; 4] = [66.0, 22.0, 450.0, 172.0];
const BAR: [u8; 3] = [11, 95, 115];

impl Histogram<'_> {
    /// As SVG text; none of a few figures, or of figures that are all alike.
    pub(crate) fn svg(&self) -> Option<String> {
        let of = Statistics::of(self.figures.iter().copied());
        if of.count < LEAST || of.maximum - of.minimum <= of.maximum.abs() * 1e-9 {
            return None;
        }
        let classes = Classes::of(&of);
        let mut counts = vec![0u64; classes.limits.len() - 1];
        for figure in self.figures {
            counts[classes.of_figure(*figure)] += 1;
        }
        let mut canvas = Canvas::new(SIZE.0, SIZE.1, Paper::of(Theme::Light));
        let [left, top, right, bottom] = FRAME;
        let (ink, faint, rule) =
            (hex(canvas.paper.ink), canvas.paper.faint, hex(canvas.paper.grid));
        let most = counts.iter().copied().max().unwrap_or(1) as f64;
        let step = round_step((most / 4.0).max(1.0));
        let high = (most / step).ceil() * step;
        let y = |count: f64| bottom - (bottom - top) * count / high;
        for line in 0..=(high / step) as u32 {
            let count = f64::from(line) * step;
            canvas.put(format_args!(
                "<path d=\"M{left} {0}H{right}\" stroke=\"{rule}\" stroke-width=\"0.7\"/>",
                Px(y(count))
            ));
            canvas.text_in(
                (left - 7.0, y(count) + 3.5),
                10.5,
                Anchor::End,
                faint,
                &grouped(count, 0),
            );
        }
        for (class, count) in counts.iter().enumerate().filter(|(_, count)| **count > 0) {
            let [from, to] = [class, class + 1].map(|at| classes.x(classes.limits[at]));
            canvas.put(format_args!(
                "<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"{}\"/>",
                Px(from + 0.5),
                Px(y(*count as f64)),
                Px((to - from - 1.0).max(1.0)),
                Px(bottom - y(*count as f64)),
                hex(BAR)
            ));
        }
        canvas.put(format_args!(
            "<path d=\"M{left} {bottom}H{right}\" stroke=\"{ink}\" stroke-width=\"1\"/>"
        ));
        let mut last = f64::NEG_INFINITY;
        for limit in &classes.limits {
            let x = classes.x(*limit);
            canvas.put(format_args!("<path d=\"M{} {bottom}v4\" stroke=\"{ink}\"/>", Px(x)));
            if x - last > 52.0 {
                let decimals = decimals_of(*limit, classes.step);
                let text = grouped(*limit, decimals);
                canvas.text_in((x, bottom + 16.0), 10.5, Anchor::Middle, faint, &text);
                last = x;
            }
        }
        let x = classes.x(of.median);
        canvas.put(format_args!(
            "<path d=\"M{0} {1}V{bottom}\" stroke=\"{ink}\" stroke-width=\"1.2\" stroke-dasharray=\"3 3\"/>",
            Px(x),
            Px(top - 6.0)
        ));
        let anchor = if x > (left + right) / 2.0 { Anchor::End } else { Anchor::Start };
        let beside = if anchor == Anchor::End { -5.0 } else { 5.0 };
        let told = format!("median {} {}", self.told(of.median, &of), self.unit);
        canvas.text((x + beside, top - 8.0), 10.5, anchor, &told);
        let name = match classes.grow {
            true => format!("{}, {}, in classes that grow with it", self.what, self.unit),
            false => format!("{}, {}", self.what, self.unit),
        };
        canvas.text(((left + right) / 2.0, bottom + 34.0), 11.5, Anchor::Middle, &name);
        canvas.upright((12.0, (top + bottom) / 2.0), 11.5, canvas.paper.ink, self.of);
        Some(canvas.finish(&format!(
            "Histogram: {} of {} {}, from {} to {} {}, median {} {}",
            self.what,
            of.count,
            self.of,
            self.told(of.minimum, &of),
            self.told(of.maximum, &of),
            self.unit,
            self.told(of.median, &of),
            self.unit
        )))
    }

    fn told(&self, value: f64, of: &Statistics) -> String {
        let (value, decimals) = readable(value, (of.median.abs() / 100.0).max(1e-9));
        grouped(value, decimals)
    }
}

fn decimals_of(limit: f64, step: f64) -> usize {
    let least = if step > 0.0 { step } else { limit };
    if least >= 1.0 || least <= 0.0 { 0 } else { (-least.log10()).ceil() as usize }
}

/// Limits of classes, the lower of each in it.
struct Classes {
    limits: Vec<f64>,
    /// Width of each; nought where they grow.
    step: f64,
    grow: bool,
}

impl Classes {
    fn of(of: &Statistics) -> Classes {
        let grow = of.minimum > 0.0 && of.maximum / of.minimum >= WIDE;
        if grow {
            let mut limits = vec![round_below(of.minimum)];
            while limits.last().is_some_and(|last| *last <= of.maximum) {
                let last = limits[limits.len() - 1];
                limits.push(round_step(last * 1.5));
            }
            return Classes { limits, step: 0.0, grow };
        }
        let wanted = (2.0 * (of.count as f64).sqrt()).ceil().clamp(8.0, 40.0);
        let step = round_step((of.maximum - of.minimum) / wanted);
        let first = (of.minimum / step).floor();
        let last = (of.maximum / step).floor() + 1.0;
        let limits = (0..=(last - first) as u32).map(|at| (first + f64::from(at)) * step);
        Classes { limits: limits.collect(), step, grow }
    }

    fn of_figure(&self, figure: f64) -> usize {
        let above = self.limits.partition_point(|limit| *limit <= figure);
        above.saturating_sub(1).min(self.limits.len() - 2)
    }

    fn x(&self, value: f64) -> f64 {
        let scale = |value: f64| if self.grow { value.ln() } else { value };
        let (low, high) = (scale(self.limits[0]), scale(self.limits[self.limits.len() - 1]));
        FRAME[0] + (FRAME[2] - FRAME[0]) * (scale(value) - low) / (high - low)
    }
}
