//! Heights of places that are carried into space.

use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::Converter;
use velvet_peg_core::crs::Height;

/// True if a converter leads from a plane or surface into space, where every place has a height.
pub(crate) fn raises(converter: &Converter) -> bool {
    converter.target().is_geocentric() && !converter.source().is_geocentric()
}

/// What is said where a way changes heights, and no place has one.
pub(crate) fn no_heights(converter: &Converter, all: u64, flat: u64) -> Option<Notice> {
    let changes = !converter.height_changes().is_empty() && all > 0 && flat == all;
    changes.then(|| {
        let text = "no place has a height: there was none to change";
        Notice::warning(NoticeKind::Height, text.to_string())
    })
}

/// What is said where places without a height are carried into space.
pub(crate) fn heights_in_space(converter: &Converter, flat: u64, all: u64) -> Vec<Notice> {
    let mut notices = Vec::new();
    if !raises(converter) {
        return notices;
    }
    if all > flat && matches!(converter.source().height(), Height::None) {
        notices.push(Notice::warning(
            NoticeKind::Height,
            format!(
                "{} says nothing of heights: those of the data are taken as metres above the \
                 ellipsoid",
                converter.source().label()
            ),
        ));
    }
    if flat > 0 {
        notices.push(
            Notice::note(
                NoticeKind::Height,
                format!(
                    "geocentric coordinates need a height: height 0, on the ellipsoid, is assumed \
                     at {flat} {} without one",
                    if flat == 1 { "place" } else { "places" }
                ),
            )
            .count(flat),
        );
    }
    notices
}
