//! Positions that checks stop at: numbered on the map, and told beside it.

use super::InPage;
use super::canvas::{Anchor, Canvas, Px};
use super::figures::grouped;
use super::legend::Column;
use super::lettering::lines;
use super::palette::hex;
use super::view::View;

/// Flags that are numbered; of more it is told how many.
const NUMBERED: usize = 9;
/// Of those that a page lists.
const IN_PAGE: usize = 99;

/// A position and what is wrong with it.
#[derive(Clone, Debug)]
pub(super) struct Flag {
    pub(super) at: (f64, f64),
    pub(super) text: String,
}

/// Rings with numbers around the positions; in a page, elements that links lead to.
pub(super) fn on_map(canvas: &mut Canvas, view: &View, flags: &[Flag], place: Option<InPage>) {
    let (color, page) = (hex(canvas.paper.flag), hex(canvas.paper.page));
    let most = if place.is_some() { IN_PAGE } else { NUMBERED };
    for (at, flag) in flags.iter().enumerate().take(most) {
        let (x, y) = view.pixel(view.unrolled(flag.at.0), flag.at.1);
        if !view.holds((x, y), 0.0) {
            continue;
        }
        let id = place
            .map_or(String::new(), |place| format!(" id=\"{}\" class=\"mark\"", place.mark(at)));
        canvas.put(format_args!(
            "<g{id}><circle cx=\"{0}\" cy=\"{1}\" r=\"9\" fill=\"none\" stroke=\"{color}\" stroke-width=\"2\"/>\
             <circle cx=\"{2}\" cy=\"{3}\" r=\"7.5\" fill=\"{color}\"/>\
             <text x=\"{2}\" y=\"{4}\" font-size=\"10.5\" font-weight=\"bold\" text-anchor=\"middle\" fill=\"{page}\">{5}</text></g>",
            Px(x),
            Px(y),
            Px(x + 13.0),
            Px(y - 11.0),
            Px(y - 7.3),
            at + 1
        ));
    }
}

/// The list, from a height downwards; gives the height of its lower edge.
pub(super) fn list(canvas: &mut Canvas, flags: &[Flag], column: Column, top: f64) -> f64 {
    if flags.is_empty() || top + 40.0 > column.bottom {
        return top;
    }
    let mut y = top + 22.0;
    canvas.bold((column.left, y), 13.0, "To look at");
    y += 4.0;
    let color = canvas.paper.flag;
    for (at, flag) in flags.iter().enumerate() {
        let wrapped = lines(&flag.text, 10.5, column.width - 16.0);
        if at >= NUMBERED || y + 13.0 * wrapped.len() as f64 + 13.0 > column.bottom {
            let more = grouped((flags.len() - at) as f64, 0);
            canvas.text(
                (column.left, y + 13.0),
                10.5,
                Anchor::Start,
                &format!("… and {more} more"),
            );
            return y + 16.0;
        }
        canvas.text_in((column.left, y + 13.0), 10.5, Anchor::Start, color, &(at + 1).to_string());
        for line in wrapped {
            y += 13.0;
            canvas.text((column.left + 16.0, y), 10.5, Anchor::Start, &line);
        }
        y += 2.0;
    }
    y
}
