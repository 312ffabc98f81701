//! A selection prepared for a layer.

use super::computed_column::ComputedColumn;
use super::expression::Expression;
use super::shape::Finish;
use crate::error::Result;
use crate::layer::{Batch, GeometryColumn};
use crate::notice::{Notice, NoticeKind};
use arrow_array::{Array, BooleanArray};
use arrow_schema::SchemaRef;
use velvet_peg_core::Crs;

/// A selection prepared for a layer.
#[derive(Debug)]
pub(crate) struct Planned {
    pub(super) condition: Option<Expression>,
    pub(super) computed: Vec<ComputedColumn>,
    pub(super) finishing: Vec<Finish>,
    /// The columns that come out.
    pub(crate) schema: SchemaRef,
    pub(super) crs: Option<Crs>,
}

impl Planned {
    /// What is worth knowing of the columns before they are computed.
    pub(crate) fn notices(&self) -> Vec<Notice> {
        let raises = |finish: &Finish| match finish {
            Finish::Places(_, places) => places.raises(),
            _ => false,
        };
        let said = "geocentric coordinates need a height: places without one, and those that stand \
                    for lines and polygons, count as at height 0 on the ellipsoid";
        let mut notices: Vec<Notice> = self
            .finishing
            .iter()
            .any(raises)
            .then(|| Notice::note(NoticeKind::Height, said))
            .into_iter()
            .collect();
        if self.calls(&["ST_AREA", "ST_LENGTH", "ST_PERIMETER"]) {
            notices.push(Notice::note(NoticeKind::Expression,
                "lengths and areas in expressions are on the ellipsoid, in metres and square metres",
            ));
        }
        notices
    }

    /// True if an expression calls one of these functions.
    fn calls(&self, names: &[&str]) -> bool {
        let expressions = self.condition.iter().chain(self.computed.iter().map(|s| &s.expression));
        expressions.into_iter().any(|expression| expression.calls(names))
    }

    /// True if an expression looks at coordinates, which depend on the system that they are in.
    pub(crate) fn takes_coordinates(&self) -> bool {
        let names =
            ["ST_X", "ST_Y", "ST_XMIN", "ST_YMIN", "ST_XMAX", "ST_YMAX", "ST_ASTEXT", "ST_Z"];
        self.calls(&names) || self.calls(&["PLANE_AREA", "PLANE_LENGTH", "PLANE_PERIMETER"])
    }

    /// True if the condition looks at geometries.
    pub(crate) fn condition_takes_geometry(&self) -> bool {
        self.condition.as_ref().is_some_and(|condition| condition.calls(&["ST_", "PLANE_"]))
    }

    /// Which features of a batch are kept.
    pub(crate) fn mask(&self, batch: &Batch) -> Result<Option<BooleanArray>> {
        let Some(condition) = &self.condition else { return Ok(None) };
        condition.mask(batch.attributes(), &batch.geometry, self.crs.as_ref()).map(Some)
    }

    /// The features for which the mask is true.
    pub(crate) fn filter(batch: &Batch, mask: &BooleanArray) -> Result<Batch> {
        if mask.true_count() == mask.len() {
            return Ok(batch.clone());
        }
        let attributes = arrow_select::filter::filter_record_batch(batch.attributes(), mask)?;
        let mut geometry = GeometryColumn::new();
        for feature in (0..mask.len()).filter(|at| mask.is_valid(*at) && mask.value(*at)) {
            geometry.push_from(&batch.geometry, feature);
        }
        Batch::try_new(geometry, attributes, batch.first)
    }

    /// Computes and projects the attributes.
    pub(crate) fn shape(&self, mut batch: Batch) -> Result<Batch> {
        for step in &self.computed {
            let attributes = step.apply(batch.attributes(), &batch.geometry, self.crs.as_ref())?;
            batch = batch.with_attributes(attributes)?;
        }
        for step in &self.finishing {
            let attributes = step.apply(batch.attributes().clone(), &batch.geometry)?;
            batch = batch.with_attributes(attributes)?;
        }
        Ok(batch)
    }
}
