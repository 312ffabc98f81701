//! The native encodings: structures of x and y (z, m) for points, lists of them for lines and
//! multi-points, lists of lists for polygons and multi-lines, and once more for multi-polygons.

use crate::layer::{GeometryColumn, GeometryKind};
use arrow_array::cast::AsArray;
use arrow_array::types::Float64Type;
use arrow_array::{Array, ArrayRef, Float64Array, StructArray};
use arrow_schema::DataType;
use std::ops::Range;

/// The kind of an encoding.
pub(super) fn kind_of(encoding: &str) -> Option<GeometryKind> {
    Some(match encoding {
        "point" => GeometryKind::Point,
        "linestring" => GeometryKind::LineString,
        "polygon" => GeometryKind::Polygon,
        "multipoint" => GeometryKind::MultiPoint,
        "multilinestring" => GeometryKind::MultiLineString,
        "multipolygon" => GeometryKind::MultiPolygon,
        _ => return None,
    })
}

/// The offsets of nested lists and the coordinates inside.
pub(super) struct Native<'a> {
    lists: Vec<Vec<usize>>,
    x: &'a Float64Array,
    y: &'a Float64Array,
    z: Option<&'a Float64Array>,
    m: Option<&'a Float64Array>,
    kind: GeometryKind,
    whole: &'a ArrayRef,
}

impl<'a> Native<'a> {
    /// Takes a column apart, or says why it is not what its encoding says.
    pub(super) fn of(column: &'a ArrayRef, kind: GeometryKind) -> Result<Native<'a>, String> {
        let depth = match kind {
            GeometryKind::Point => 0,
            GeometryKind::LineString | GeometryKind::MultiPoint => 1,
            GeometryKind::Polygon | GeometryKind::MultiLineString => 2,
            GeometryKind::MultiPolygon => 3,
        };
        let mut lists = Vec::new();
        let mut inner = column;
        for _ in 0..depth {
            match inner.data_type() {
                DataType::List(_) => {
                    let list = inner.as_list::<i32>();
                    lists.push(list.offsets().iter().map(|at| *at as usize).collect());
                    inner = list.values();
                }
                DataType::LargeList(_) => {
                    let list = inner.as_list::<i64>();
                    lists.push(list.offsets().iter().map(|at| *at as usize).collect());
                    inner = list.values();
                }
                other => return Err(format!("a list is expected and {other} is there")),
            }
        }
        let DataType::Struct(_) = inner.data_type() else {
            return Err(format!("coordinates are expected and {} is there", inner.data_type()));
        };
        let places: &StructArray = inner.as_struct();
        let series = |name: &str| {
            places.column_by_name(name).and_then(|values| values.as_primitive_opt::<Float64Type>())
        };
        let (Some(x), Some(y)) = (series("x"), series("y")) else {
            return Err("there are no columns x and y of numbers".to_string());
        };
        Ok(Native { lists, x, y, z: series("z"), m: series("m"), kind, whole: column })
    }

    /// Pushes the geometry of a row.
    pub(super) fn push(&self, row: usize, column: &mut GeometryColumn) {
        if self.whole.is_null(row) {
            column.end_feature(None);
            return;
        }
        let list = |level: usize, at: usize| self.lists[level][at]..self.lists[level][at + 1];
        match self.kind {
            GeometryKind::Point => {
                if self.x.is_null(row) || self.x.value(row).is_nan() {
                    column.end_feature(None);
                    return;
                }
                self.ring(row..row + 1, column);
                column.end_part();
            }
            GeometryKind::LineString => {
                self.ring(list(0, row), column);
                column.end_part();
            }
            GeometryKind::MultiPoint => {
                for at in list(0, row) {
                    self.ring(at..at + 1, column);
                    column.end_part();
                }
            }
            GeometryKind::Polygon => {
                list(0, row).for_each(|ring| self.ring(list(1, ring), column));
                column.end_part();
            }
            GeometryKind::MultiLineString => {
                for line in list(0, row) {
                    self.ring(list(1, line), column);
                    column.end_part();
                }
            }
            GeometryKind::MultiPolygon => {
                for part in list(0, row) {
                    list(1, part).for_each(|ring| self.ring(list(2, ring), column));
                    column.end_part();
                }
            }
        }
        column.end_feature(Some(self.kind));
    }

    fn ring(&self, range: Range<usize>, column: &mut GeometryColumn) {
        for at in range {
            column.push_vertex(self.x.value(at), self.y.value(at), self.z.map(|z| z.value(at)));
            if let Some(m) = self.m {
                column.set_measure(m.value(at));
            }
        }
        column.end_ring();
    }
}
