//! One geometry, for building a layer from code.

use super::GeometryKind;
use crate::error::{Error, Result};
use velvet_peg_core::Crs;

/// One geometry, for building a layer from code. Coordinates are `(x, y)`: longitude or
/// easting first; with heights `(x, y, z)`.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Geometry {
    /// A point.
    Point((f64, f64)),
    /// A line through at least two vertices.
    LineString(Vec<(f64, f64)>),
    /// A polygon: the outer ring, then holes; rings need not repeat their first vertex.
    Polygon(Vec<Vec<(f64, f64)>>),
    /// A point with its height.
    PointZ((f64, f64, f64)),
    /// A line whose vertices have heights.
    LineStringZ(Vec<(f64, f64, f64)>),
    /// A polygon whose vertices have heights.
    PolygonZ(Vec<Vec<(f64, f64, f64)>>),
    /// Several points, lines or polygons as one geometry; all of one of these kinds.
    Multi(Vec<Geometry>),
}

impl Geometry {
    /// Kind of the geometry; none of no parts, or of parts of several kinds.
    ///
    /// ```
    /// use velvet_peg::{Geometry, layer::GeometryKind};
    /// let two = Geometry::Multi(vec![(0.0, 0.0).into(), (9.0, 0.0).into()]);
    /// assert_eq!(two.kind(), Some(GeometryKind::MultiPoint));
    /// assert_eq!(Geometry::Multi(vec![]).kind(), None);
    /// ```
    pub fn kind(&self) -> Option<GeometryKind> {
        Some(match self {
            Geometry::Point(_) | Geometry::PointZ(_) => GeometryKind::Point,
            Geometry::LineString(_) | Geometry::LineStringZ(_) => GeometryKind::LineString,
            Geometry::Polygon(_) | Geometry::PolygonZ(_) => GeometryKind::Polygon,
            Geometry::Multi(parts) => {
                let first = parts.first()?.kind()?.single();
                let alike =
                    |part: &Geometry| part.kind().is_some_and(|kind| kind.single() == first);
                return parts.iter().all(alike).then(|| first.multi());
            }
        })
    }

    /// A polygon of one ring, without holes.
    ///
    /// ```
    /// use velvet_peg::Geometry;
    /// let field = Geometry::polygon([(0.0, 0.0), (9.0, 0.0), (9.0, 9.0)]);
    /// assert_eq!(field, Geometry::Polygon(vec![vec![(0.0, 0.0), (9.0, 0.0), (9.0, 9.0)]]));
    /// ```
    pub fn polygon(corners: impl IntoIterator<Item = (f64, f64)>) -> Geometry {
        Geometry::Polygon(vec![corners.into_iter().collect()])
    }

    /// # Errors
    /// If it cannot be a geometry of a layer in this system: numbers that are none, latitudes beyond
    /// 90°, too few vertices, parts of several kinds.
    pub(super) fn check(&self, crs: Option<&Crs>) -> Result<()> {
        let Some(kind) = self.kind() else {
            return Err(Error::data(
                "the parts of a geometry are of several kinds, or there are none",
            ));
        };
        let mut rings: Vec<Vec<(f64, f64, f64)>> = Vec::new();
        self.rings(&mut rings);
        for ring in &rings {
            for (x, y, z) in ring {
                if !(x.is_finite() && y.is_finite() && z.is_finite()) {
                    return Err(Error::data(format!("{x}, {y}: coordinates have to be numbers")));
                }
                let degrees = crs.filter(|crs| crs.is_geographic()).and_then(Crs::degrees_per_unit);
                if degrees.is_some_and(|degree| (y * degree).abs() > 90.0) {
                    return Err(Error::data(format!(
                        "{x}, {y}: a latitude beyond 90°; longitude goes first"
                    )));
                }
            }
            let mut different = ring.clone();
            different.dedup();
            if different.len() > 1 && different.first() == different.last() {
                different.pop();
            }
            let (least, what) = match kind.single() {
                GeometryKind::Point => (1, "a point"),
                GeometryKind::LineString => (2, "a line"),
                _ => (3, "a ring"),
            };
            if different.len() < least {
                return Err(Error::data(format!(
                    "{what} needs {least} different vertices, and has {}",
                    different.len()
                )));
            }
        }
        match rings.is_empty() {
            true => Err(Error::data("a polygon needs a ring")),
            false => Ok(()),
        }
    }

    /// The rings and lines of all parts; vertices without a height have 0.
    fn rings(&self, out: &mut Vec<Vec<(f64, f64, f64)>>) {
        let flat = |vertices: &[(f64, f64)]| vertices.iter().map(|(x, y)| (*x, *y, 0.0)).collect();
        match self {
            Geometry::Point(at) => out.push(flat(&[*at])),
            Geometry::PointZ(at) => out.push(vec![*at]),
            Geometry::LineString(vertices) => out.push(flat(vertices)),
            Geometry::LineStringZ(vertices) => out.push(vertices.clone()),
            Geometry::Polygon(rings) => out.extend(rings.iter().map(|ring| flat(ring))),
            Geometry::PolygonZ(rings) => out.extend(rings.iter().cloned()),
            Geometry::Multi(parts) => parts.iter().for_each(|part| part.rings(out)),
        }
    }
}

/// A point.
impl From<(f64, f64)> for Geometry {
    fn from(at: (f64, f64)) -> Geometry {
        Geometry::Point(at)
    }
}

/// A point with its height.
impl From<(f64, f64, f64)> for Geometry {
    fn from(at: (f64, f64, f64)) -> Geometry {
        Geometry::PointZ(at)
    }
}

/// A line.
impl From<&[(f64, f64)]> for Geometry {
    fn from(vertices: &[(f64, f64)]) -> Geometry {
        Geometry::LineString(vertices.to_vec())
    }
}

/// A line.
impl<const N: usize> From<[(f64, f64); N]> for Geometry {
    fn from(vertices: [(f64, f64); N]) -> Geometry {
        Geometry::LineString(vertices.to_vec())
    }
}

/// A line.
impl From<Vec<(f64, f64)>> for Geometry {
    fn from(vertices: Vec<(f64, f64)>) -> Geometry {
        Geometry::LineString(vertices)
    }
}

/// A line with heights.
impl<const N: usize> From<[(f64, f64, f64); N]> for Geometry {
    fn from(vertices: [(f64, f64, f64); N]) -> Geometry {
        Geometry::LineStringZ(vertices.to_vec())
    }
}

/// A line with heights.
impl From<Vec<(f64, f64, f64)>> for Geometry {
    fn from(vertices: Vec<(f64, f64, f64)>) -> Geometry {
        Geometry::LineStringZ(vertices)
    }
}

/// A polygon of rings.
impl From<Vec<Vec<(f64, f64)>>> for Geometry {
    fn from(rings: Vec<Vec<(f64, f64)>>) -> Geometry {
        Geometry::Polygon(rings)
    }
}
