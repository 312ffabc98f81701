//! A map in characters, for a terminal: land and borders in dots, layers in signs.

use super::backdrop::{Backdrop, Line, whereabouts};
use super::furniture::places;
use super::ink::Shape;
use super::options::{DrawOptions, MapLayers};
use super::panel::{Panel, Planned};
use super::plates::Role;
use super::ticks::degrees_text;
use crate::error::Result;
use crate::layer::GeometryKind;
use crate::notice::Notice;
use crate::progress::Progress;
use velvet_peg_core::angle::Axis;

/// Pixels of a character, which has two dots across and four down.
const WIDE: f64 = 8.0;
const HIGH: f64 = 16.0;
const DOT: f64 = 4.0;
/// Signs of the layers of points, of lines and of polygons, one after the other; positions that stand
/// apart have numbers.
const POINTS: [char; 4] = ['●', '◆', '○', '◇'];
const LINES: [char; 4] = ['▪', '×', '▫', '∘'];
const POLYGONS: [char; 4] = ['▒', '▓', '░', '█'];

/// A sheet of characters with dots under them.
struct Sheet {
    columns: usize,
    rows: usize,
    dots: Vec<bool>,
    signs: Vec<Option<char>>,
}

impl Sheet {
    fn new(columns: usize, rows: usize) -> Sheet {
        Sheet {
            columns,
            rows,
            dots: vec![false; columns * rows * 8],
            signs: vec![None; columns * rows],
        }
    }

    fn dot(&mut self, x: f64, y: f64) {
        let (column, row) = ((x / DOT).floor(), (y / DOT).floor());
        let inside = column >= 0.0 && row >= 0.0 && column < (self.columns * 2) as f64;
        if inside && row < (self.rows * 4) as f64 {
            self.dots[row as usize * self.columns * 2 + column as usize] = true;
        }
    }

    fn cell(&self, x: f64, y: f64) -> Option<usize> {
        let (column, row) = ((x / WIDE).floor(), (y / HIGH).floor());
        let inside = column >= 0.0 && row >= 0.0 && column < self.columns as f64;
        (inside && row < self.rows as f64).then(|| row as usize * self.columns + column as usize)
    }

    fn sign(&mut self, x: f64, y: f64, sign: char) {
        if let Some(cell) = self.cell(x, y) {
            self.signs[cell] = Some(sign);
        }
    }

    /// Places along a line, no farther apart than a dot.
    fn along(line: &[(f64, f64)], mut each: impl FnMut(f64, f64)) {
        for pair in line.windows(2) {
            let (dx, dy) = (pair[1].0 - pair[0].0, pair[1].1 - pair[0].1);
            let steps = (dx.hypot(dy) / (DOT / 2.0)).ceil().clamp(1.0, 20_000.0);
            for step in 0..=steps as usize {
                let share = step as f64 / steps;
                each(pair[0].0 + dx * share, pair[0].1 + dy * share);
            }
        }
    }

    fn lines(&mut self, lines: &[Line]) {
        for line in lines {
            Sheet::along(line, |x, y| self.dot(x, y));
        }
    }

    fn signs_along(&mut self, line: &[(f32, f32)], sign: char) {
        let line: Vec<(f64, f64)> = line.iter().map(|(x, y)| ((*x).into(), (*y).into())).collect();
        Sheet::along(&line, |x, y| self.sign(x, y, sign));
    }

    /// A text where nothing else stands.
    fn text(&mut self, (x, y): (f64, f64), text: &str) {
        let count = text.chars().count();
        let Some(cell) = self.cell(x, y) else { return };
        let (column, row) = (cell % self.columns, cell / self.columns);
        let Some(from) = column.checked_sub(count / 2).filter(|from| from + count <= self.columns)
        else {
            return;
        };
        let cells = row * self.columns + from..row * self.columns + from + count;
        if self.signs[cells.clone()].iter().all(Option::is_none) {
            for (cell, sign) in cells.zip(text.chars()) {
                self.signs[cell] = Some(sign);
            }
        }
    }

    /// The rows as text; a character of dots is one of the Braille patterns.
    fn rows(&self) -> Vec<String> {
        // Dots of a pattern, row by row (ISO/IEC 10646, U+2800).
        const BITS: [[u32; 2]; 4] = [[0x01, 0x08], [0x02, 0x10], [0x04, 0x20], [0x40, 0x80]];
        let pattern = |column: usize, row: usize| {
            let mut bits = 0;
            for (down, across) in BITS.iter().enumerate() {
                for (right, bit) in across.iter().enumerate() {
                    let at = (row * 4 + down) * self.columns * 2 + column * 2 + right;
                    if self.dots[at] {
                        bits |= bit;
                    }
                }
            }
            match bits {
                0 => ' ',
                bits => char::from_u32(0x2800 + bits).unwrap_or(' '),
            }
        };
        (0..self.rows)
            .map(|row| {
                (0..self.columns)
                    .map(|column| {
                        self.signs[row * self.columns + column]
                            .unwrap_or_else(|| pattern(column, row))
                    })
                    .collect()
            })
            .collect()
    }
}

/// The map of layers in so many characters across and down, what its signs mean, and what is to be
/// known of it.
///
/// ```
/// use velvet_peg::{Crs, Layer, LayerReader, NoProgress};
/// use velvet_peg::draw::{DrawOptions, MapLayers, characters};
/// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
/// gates.push((-122.3, 47.6), [("name", "Gate 7".into())])?;
/// gates.push((-117.4, 47.7), [("name", "Gate 8".into())])?;
/// let layers = MapLayers::from(vec![LayerReader::of_layer(&gates, "gates".as_ref())]);
/// let (text, _) = characters(&layers, (72, 20), &DrawOptions::default(), &mut NoProgress)?;
/// assert_eq!(text.matches('●').count(), 3); // one of them explains the sign
/// assert!(text.contains("King county, Washington") || text.contains("King and Spokane"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// As [`super::draw_layers`], but for the file.
pub fn characters(
    layers: &MapLayers,
    (columns, rows): (usize, usize),
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<(String, Vec<Notice>)> {
    let (columns, rows) = (columns.clamp(20, 400), rows.clamp(6, 200));
    let frame = [0.0, 0.0, columns as f64 * WIDE, rows as f64 * HIGH];
    let system = options.crs.clone();
    let (plan, mut notices) = Planned::new(layers, system.as_ref(), frame, options, watch)?;
    let view = plan.view.clone();
    let (panel, told) = plan.inked(view, options, watch)?;
    notices.extend(told);
    let mut sheet = Sheet::new(columns, rows);
    let Backdrop { coasts, countries, states, counties, names, .. } = &panel.backdrop;
    [coasts, countries, states, counties].into_iter().for_each(|lines| sheet.lines(lines));
    let mut signs = Vec::new();
    for (at, layer) in panel.inked.iter().enumerate() {
        if panel.plates[at].role == Role::Before {
            continue;
        }
        marks(&mut sheet, &panel, at);
        let kind = panel.survey.layers[at].kind;
        let name = options.title_of(&panel.plates[at].info().name);
        let noun = kind.map_or("feature", GeometryKind::name);
        let s = if layer.count == 1 { "" } else { "s" };
        signs.push(format!("{} {name} ({} {noun}{s})", sign_of(&panel, at), layer.count));
    }
    let flags: Vec<_> = panel.inked.iter().flat_map(|layer| layer.flags.iter()).take(9).collect();
    for (flag, number) in flags.iter().zip('1'..='9') {
        let (x, y) = panel.view.pixel(panel.view.unrolled(flag.at.0), flag.at.1);
        sheet.sign(x, y, number);
    }
    for name in names {
        sheet.text((name.at.0, name.at.1 - 4.0), &name.text);
    }
    let mut text: Vec<String> = whereabouts(&places(&panel)).into_iter().collect();
    text.push(format!("┌{}┐", "─".repeat(columns)));
    text.extend(sheet.rows().into_iter().map(|row| format!("│{row}│")));
    text.push(format!("└{}┘", "─".repeat(columns)));
    text.extend(corners(&panel));
    text.push(signs.join("   "));
    for (flag, number) in flags.iter().zip(1..) {
        text.push(format!("{number} {}", flag.text));
    }
    Ok((text.join("\n"), notices))
}

/// The sign of a layer: of those of its kind, the next one.
fn sign_of(panel: &Panel<'_>, at: usize) -> char {
    let layers = &panel.survey.layers;
    let kind = layers[at].kind;
    let before = layers[..at].iter().filter(|layer| layer.kind == kind).count();
    let signs = match kind {
        Some(GeometryKind::Point) => POINTS,
        Some(GeometryKind::LineString) => LINES,
        _ => POLYGONS,
    };
    signs[before % signs.len()]
}

/// The features of a layer as signs.
fn marks(sheet: &mut Sheet, panel: &Panel<'_>, at: usize) {
    let ink = &panel.inked[at].ink;
    let sign = sign_of(panel, at);
    for mark in &ink.marks {
        match &mark.shape {
            Shape::Point(x, y) | Shape::Dot(x, y) => {
                sheet.sign((*x).into(), (*y).into(), sign);
            }
            Shape::Line(line) => sheet.signs_along(line, sign),
            Shape::Polygon(rings) => {
                rings.iter().for_each(|ring| sheet.signs_along(ring, sign));
            }
        }
    }
    let runs = ink.density.iter().flat_map(super::density::Density::runs);
    for run in runs {
        let end = (run.at.0 + run.width, run.at.1);
        Sheet::along(&[run.at, end], |x, y| sheet.sign(x, y, sign));
    }
}

/// Where the corners are, and how much a character shows.
fn corners(panel: &Panel<'_>) -> Option<String> {
    let view = &panel.view;
    let [left, top, right, bottom] = view.frame;
    let fine = view.metres_across()? < 20_000.0;
    let place = |pixel| {
        let at = view.place_at(pixel)?;
        let step = if fine { 1.0 / 3600.0 } else { 1.0 / 60.0 };
        let lat = degrees_text(at.lat, step, Axis::Latitude);
        Some(format!("{lat} {}", degrees_text(at.lon, step, Axis::Longitude)))
    };
    let metres = view.metres_per_pixel()? * WIDE;
    let length = |metres: f64| super::displacement::length(metres, true);
    let extent = place((left, bottom)).zip(place((right, top)));
    let extent = extent.map_or(String::new(), |(low, high)| format!("{low} to {high}; "));
    Some(format!(
        "{extent}a character is {} wide and {} high",
        length(metres),
        length(metres * 2.0)
    ))
}
