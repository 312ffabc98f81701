//! Layers as tables: delimited text and workbooks.
//!
//! Points give one row a feature. Lines and polygons give one row a vertex, with the feature's
//! attributes repeated and `feature`, `part`, `ring` and `vertex` numbers, from 1. Or, where
//! that is asked for, every feature gives one row with its geometry as well-known text, or with its
//! attributes alone.

use super::{WriteOptions, wkt};
use crate::error::Result;
use crate::layer::{Batch, GeometryKind, LayerInfo, ValueRef, column_names::distinct};
use arrow_schema::DataType;
use std::hash::{BuildHasher, Hash, Hasher};

/// A cell of a row.
pub(crate) enum FeatureCell<'a> {
    /// An attribute, by its column.
    Attribute(usize, ValueRef<'a>),
    /// A coordinate.
    Coordinate(f64),
    /// A height or measure, in the shortest form.
    Number(f64),
    /// A number of a feature, part, ring or vertex.
    Count(u64),
    /// A geometry as text.
    Text(String),
    /// Nothing.
    Blank,
}

/// How features become rows.
pub(crate) struct FeatureRows {
    pub(crate) header: Vec<String>,
    points: bool,
    /// One row a feature, without its geometry.
    bare: bool,
    wkt: bool,
    z: bool,
    m: bool,
    pub(crate) decimals: usize,
}

impl FeatureRows {
    pub(crate) fn new(info: &LayerInfo, options: &WriteOptions, decimals: usize) -> FeatureRows {
        let points = info.kind == Some(GeometryKind::Point);
        let mut header: Vec<String> =
            info.schema.fields().iter().map(|field| field.name().clone()).collect();
        let bare = info.bare || options.no_geometry;
        if bare {
            // Attributes alone.
        } else if options.wkt {
            header.push(distinct(&header, "wkt"));
        } else {
            if !points {
                header.extend(
                    ["feature", "part", "ring", "vertex"].map(|name| distinct(&header, name)),
                );
            }
            let names = coordinate_names(info.crs.as_ref());
            let more = [info.has_z.then_some("z"), info.has_m.then_some("m")];
            for name in names.into_iter().chain(more.into_iter().flatten()) {
                header.push(distinct(&header, name));
            }
        }
        let (z, m) = (info.has_z, info.has_m);
        FeatureRows { header, points, bare, wkt: options.wkt && !bare, z, m, decimals }
    }

    /// The type of a column behind those of the attributes.
    pub(crate) fn data_type(&self, behind: usize) -> DataType {
        match (self.wkt, self.points, behind) {
            (true, ..) => DataType::Utf8,
            (false, false, 0..4) => DataType::Int64,
            _ => DataType::Float64,
        }
    }

    /// Hands on the rows of a batch.
    pub(crate) fn each(
        &self,
        batch: &Batch,
        each: &mut dyn FnMut(Vec<FeatureCell<'_>>) -> Result<()>,
    ) -> Result<()> {
        let columns = batch.columns();
        let geometry = &batch.geometry;
        for feature in 0..geometry.len() {
            let attributes = || -> Vec<FeatureCell<'_>> {
                let cells = columns.iter().map(|column| column.value(feature)).enumerate();
                cells.map(|(at, value)| FeatureCell::Attribute(at, value)).collect()
            };
            let none = geometry.kinds()[feature].is_none();
            if self.bare || self.wkt || none {
                let mut row = attributes();
                if self.wkt && !none {
                    row.push(FeatureCell::Text(wkt::write(geometry, feature, Some(self.decimals))));
                }
                row.resize_with(self.header.len(), || FeatureCell::Blank);
                each(row)?;
                continue;
            }
            for (p, part) in geometry.parts(feature).enumerate() {
                for (r, ring) in geometry.rings(part).enumerate() {
                    for (v, at) in geometry.ring(ring).enumerate() {
                        let mut row = attributes();
                        if !self.points {
                            row.push(FeatureCell::Count(batch.first + feature as u64));
                            row.extend([p, r, v].map(|n| FeatureCell::Count(n as u64 + 1)));
                        }
                        row.push(FeatureCell::Coordinate(geometry.x[at]));
                        row.push(FeatureCell::Coordinate(geometry.y[at]));
                        for (has, values) in [(self.z, &geometry.z), (self.m, &geometry.m)] {
                            let value = values.get(at).filter(|value| value.is_finite());
                            if has {
                                row.push(value.map_or(FeatureCell::Blank, |value| {
                                    FeatureCell::Number(*value)
                                }));
                            }
                        }
                        each(row)?;
                    }
                }
            }
        }
        Ok(())
    }
}

/// Names of the coordinate columns for a system.
pub(crate) fn coordinate_names(crs: Option<&velvet_peg_core::Crs>) -> [&'static str; 2] {
    match crs {
        Some(crs) if crs.is_geographic() => ["lon", "lat"],
        Some(crs) if crs.is_projected() => ["easting", "northing"],
        _ => ["x", "y"],
    }
}

/// A number for a row of a table.
pub(crate) fn row_sum<'a>(cells: impl Iterator<Item = &'a str>) -> u64 {
    let mut hasher = foldhash::quality::FixedState::default().build_hasher();
    cells.for_each(|cell| cell.hash(&mut hasher));
    hasher.finish()
}
