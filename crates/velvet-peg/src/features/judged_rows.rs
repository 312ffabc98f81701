//! What the rows of a block say of their geometries, judged together.

use super::BuildOptions;
use super::row_geometry::RowGeometry;
use crate::layer::{GeometryColumn, Taken};
use crate::outcome::Reason;
use crate::plausibility::{CoordinateRange, Standing};
use crate::table::{RowBlock, RowShape};

/// What rows say of their geometries.
pub(super) struct JudgedRows {
    /// The features of the rows that can be used, in their order.
    pub(super) geometry: GeometryColumn,
    /// How many features each row became, or why none.
    pub(super) rows: Vec<Result<Taken, Reason>>,
    /// Of each feature in order, how many of its vertices lie outside the area of its system.
    pub(super) outside: Vec<u32>,
}

impl JudgedRows {
    pub(super) fn of(
        shape: &RowShape,
        block: &RowBlock,
        geometry: &RowGeometry,
        options: &BuildOptions,
        range: &CoordinateRange,
    ) -> JudgedRows {
        let mut column = GeometryColumn::new();
        let mut rows: Vec<Result<Taken, Reason>> = block
            .rows()
            .iter()
            .map(|row| match shape.misfit_of(row) {
                Some(misfit) => Err(misfit),
                None => geometry.push(&row.texts, options, &mut column),
            })
            .collect();
        let standings = range.standings(&column.x, &column.y);
        if standings.contains(&Standing::OutOfRange) {
            column = within_range(column, &mut rows, &standings, range);
            let standings = range.standings(&column.x, &column.y);
            return JudgedRows { outside: outside(&column, &standings), geometry: column, rows };
        }
        JudgedRows { outside: outside(&column, &standings), geometry: column, rows }
    }

    /// The geometries with a place for every row: one without geometry for each that cannot be used.
    pub(super) fn with_gaps(&self) -> GeometryColumn {
        let mut column = GeometryColumn::new();
        let mut next = 0;
        for row in &self.rows {
            match row {
                Ok(taken) => {
                    for feature in next..next + taken.features {
                        column.push_from(&self.geometry, feature);
                    }
                    next += taken.features;
                }
                Err(_) => column.end_feature(None),
            }
        }
        column
    }
}

fn outside(column: &GeometryColumn, standings: &[Standing]) -> Vec<u32> {
    let count = |feature| {
        let of_feature = &standings[column.vertices(feature)];
        of_feature.iter().filter(|standing| **standing == Standing::Outside).count() as u32
    };
    match standings.contains(&Standing::Outside) {
        true => (0..column.len()).map(count).collect(),
        false => vec![0; column.len()],
    }
}

/// The features of the rows all of whose vertices are in range; the others are told why.
fn within_range(
    column: GeometryColumn,
    rows: &mut [Result<Taken, Reason>],
    standings: &[Standing],
    range: &CoordinateRange,
) -> GeometryColumn {
    let mut kept = GeometryColumn::new();
    let mut next = 0;
    for row in rows {
        let Ok(taken) = row else { continue };
        let features = next..next + taken.features;
        next = features.end;
        let mut vertices = features.clone().flat_map(|feature| column.vertices(feature));
        let out = vertices.find(|at| standings[*at] == Standing::OutOfRange);
        match out.map(|at| range.out_of_range(column.x[at], column.y[at])) {
            Some(why) => *row = Err(why.into()),
            None => features.for_each(|feature| kept.push_from(&column, feature)),
        }
    }
    kept
}
