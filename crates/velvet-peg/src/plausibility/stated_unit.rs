//! Whether a system measures in the unit that a file states.

use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::{Crs, LengthUnit};

/// A warning if the coordinates are stated in another unit than a system's.
pub(crate) fn stated_unit(unit: Option<LengthUnit>, crs: &Crs) -> Option<Notice> {
    let unit = unit.filter(|unit| crs.length_unit() != Some(*unit))?;
    Some(Notice::warning(
        NoticeKind::System,
        format!(
            "the file states the {} as the unit of its coordinates, but {} has {}: one of the two \
             is wrong",
            unit.name(),
            crs.label(),
            crs.unit_plural()
        ),
    ))
}
