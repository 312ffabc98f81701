//! Features on their way into another system, and those that do not arrive.

use crate::error::Result;
use crate::layer::{Batch, GeometryColumn, LayerInfo};
use crate::outcome::Rejects;
use crate::select::Planned;
use arrow_array::{Array, BooleanArray};
use velvet_peg_core::{Converter, Crs};

/// Features on their way: converted, with what they were before.
pub(super) struct Carried {
    pub(super) batch: Batch,
    /// Their geometries before they were converted, if they were.
    pub(super) before: Option<GeometryColumn>,
    /// Their numbers in the source.
    pub(super) numbers: Vec<u64>,
    /// A vertex could not be converted.
    pub(super) failed: bool,
}

impl Carried {
    pub(super) fn of(
        mut batch: Batch,
        numbers: Vec<u64>,
        converter: Option<&Converter>,
    ) -> Carried {
        let before = converter.map(|_| batch.geometry.clone());
        let failed = converter.is_some_and(|converter| batch.geometry.convert(converter) > 0);
        Carried { batch, before, numbers, failed }
    }

    pub(super) fn filter(self, mask: &BooleanArray) -> Result<Carried> {
        if mask.true_count() == mask.len() {
            return Ok(self);
        }
        let kept = |at: usize| mask.is_valid(at) && mask.value(at);
        let before = self.before.map(|before| {
            let mut column = GeometryColumn::new();
            (0..before.len()).filter(|at| kept(*at)).for_each(|at| column.push_from(&before, at));
            column
        });
        let numbers = self.numbers.iter().enumerate().filter(|(at, _)| kept(*at));
        Ok(Carried {
            numbers: numbers.map(|(_, number)| *number).collect(),
            batch: Planned::filter(&self.batch, mask)?,
            before,
            failed: self.failed,
        })
    }
}

/// Keeps the features whose vertices were all converted; rejects the others.
pub(super) fn sift(
    carried: Carried,
    rejects: &mut Rejects,
    info: &LayerInfo,
    lacks: Option<&str>,
    converter: Option<&Converter>,
) -> Result<Carried> {
    let Carried { batch, before, numbers, .. } = &carried;
    let before = before.as_ref().unwrap_or(&batch.geometry);
    let mut good = vec![true; batch.geometry.len()];
    for feature in 0..batch.geometry.len() {
        let mut failed =
            batch.geometry.vertices(feature).filter(|at| batch.geometry.x[*at].is_nan());
        let first = failed.next();
        let bad = usize::from(first.is_some()) + failed.count();
        let bare = lacks.filter(|_| batch.geometry.kinds()[feature].is_none());
        let reason = match bare {
            Some(format) => format!("it has no geometry, and {format} has no place for it"),
            None => match first {
                Some(first) => not_carried(before, first, bad, info.crs.as_ref(), converter),
                None => continue,
            },
        };
        good[feature] = false;
        let geometry = match before.kinds()[feature] {
            Some(_) => before.text_of(feature),
            None => String::new(),
        };
        let texts = batch.texts(feature);
        rejects.add_feature(numbers[feature], &reason, &info.name, &geometry, &texts)?;
    }
    Ok(Carried { failed: false, ..carried.filter(&BooleanArray::from(good))? })
}

/// Why vertices could not be converted, by the first of them.
fn not_carried(
    geometry: &GeometryColumn,
    first: usize,
    count: usize,
    crs: Option<&Crs>,
    converter: Option<&Converter>,
) -> String {
    let (subject, verb) = if count == 1 { ("vertex", "is") } else { ("vertices", "are") };
    match converter.and_then(|converter| converter.grid_left(geometry.vertex(first))) {
        Some(grid) => format!("{count} {subject} cannot be converted: {grid}"),
        None => format!(
            "{count} {subject} {verb} out of range for {}",
            crs.map_or("its system".to_string(), Crs::label)
        ),
    }
}
