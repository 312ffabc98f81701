//! The polygons of a join, and which of them a point has to do with.

use super::relation::{Relation, Test, middle};
use crate::error::wrong;
use crate::geometry::{Kind, Points, Shapes};
use crate::rejects::Rejects;
use datafusion::arrow::array::{ArrayRef, RecordBatch};
use datafusion::error::Result;
use velvet_peg_core::Crs;
use velvet_peg_core::planar::{Mosaic, Placing, Region};

/// The polygons of a column, one of more than one part as one region; none where there is no polygon.
///
/// # Errors
/// If the column is none of geometries; of the first geometry that is no polygon, where that ends
/// the query.
pub(crate) fn regions(column: &ArrayRef, rejects: &Rejects) -> Result<Vec<Option<Region>>> {
    let shapes = Shapes::of(column, rejects)?;
    let mut regions = Vec::with_capacity(shapes.len());
    let mut runs = shapes.runs.iter().peekable();
    for row in 0..shapes.len() {
        let mut rings = Vec::new();
        let mut polygons_alone = true;
        while let Some(run) = runs.next_if(|run| run.row == row) {
            polygons_alone &= matches!(run.kind, Kind::Outer | Kind::Hole);
            rings.push((&shapes.x[run.vertices.clone()], &shapes.y[run.vertices.clone()]));
        }
        if !polygons_alone {
            rejects.add("a geometry is no polygon: points fall in polygons")?;
        }
        regions.push((polygons_alone && !rings.is_empty()).then(|| Region::new(rings)));
    }
    Ok(regions)
}

/// Polygons with the columns that they have.
#[derive(Debug)]
pub(crate) struct Polygons {
    /// Their rows.
    pub(crate) rows: RecordBatch,
    mosaic: Mosaic,
    /// Of each region, its row.
    numbers: Vec<u32>,
    test: Test,
}

impl Polygons {
    /// Of rows, in whose column number `geometry` polygons are in a system.
    ///
    /// # Errors
    /// As [`regions`].
    pub(crate) fn new(
        rows: RecordBatch,
        geometry: usize,
        crs: &Crs,
        test: Test,
        rejects: &Rejects,
    ) -> Result<Polygons> {
        let found = regions(rows.column(geometry), rejects)?;
        let (mut numbers, mut regions) = (Vec::new(), Vec::new());
        for (row, region) in found.into_iter().enumerate() {
            let Some(region) = region else { continue };
            numbers.push(u32::try_from(row).map_err(|_| wrong("there are too many polygons"))?);
            regions.push(region);
        }
        let tolerance = match regions.is_empty() {
            true => 0.0,
            false => test.tolerance(crs, middle(regions.iter())),
        };
        Ok(Polygons { rows, mosaic: Mosaic::new(regions, tolerance), numbers, test })
    }

    /// Pairs of points, by their row, and rows of polygons: all that have the relation, by point and by polygon.
    pub(crate) fn pairs(&self, points: &Points) -> Vec<(u32, u32)> {
        let mut pairs = Vec::new();
        if self.numbers.is_empty() {
            return pairs;
        }
        let mut found = Vec::new();
        for row in (0..points.len()).filter(|row| points.is_there(*row)) {
            let at = (points.x[row], points.y[row]);
            let on_boundary = self.mosaic.at(at, &mut found);
            if on_boundary && self.test.relation == Relation::Within {
                let regions = self.mosaic.regions();
                found.retain(|region| regions[*region as usize].place(at) == Placing::Inside);
            }
            pairs.extend(found.iter().map(|at| (row as u32, self.numbers[*at as usize])));
        }
        pairs
    }
}
