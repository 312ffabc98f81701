//! Features of one geometry, found in bounded memory: what geometries come to is put in order on disk.

use super::cases::Cases;
use crate::error::Result;
use crate::format_support::{Records, not_held};
use crate::layer::GeometryColumn;
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};

/// What each geometry comes to, the number of its feature, and its first vertex.
#[derive(Debug, Default)]
pub(super) struct Doubles(Records<4>);

impl Doubles {
    /// Takes what the geometry of a feature comes to, with its first vertex.
    pub(super) fn push(&mut self, geometry: u64, number: u64, first: (f64, f64)) -> Result<()> {
        let (x, y) = first;
        self.0.push([geometry, number, x.to_bits(), y.to_bits()]).map_err(not_held)
    }

    /// The features with the geometry of one before them, in their order.
    pub(super) fn cases(self) -> Result<Cases> {
        self.in_order().map_err(not_held)
    }

    fn in_order(self) -> std::io::Result<Cases> {
        let of_geometry = |record: &[u64; 4]| record[0];
        let of_feature = |record: &[u64; 4]| record[1];
        let mut all = self.0.sorted(of_geometry)?;
        let mut again: Records<4> = Records::default();
        let mut first: Option<(u64, u64)> = None;
        while let Some([geometry, number, x, y]) = all.next(of_geometry)? {
            match first {
                Some((before, first)) if before == geometry => again.push([first, number, x, y])?,
                _ => first = Some((geometry, number)),
            }
        }
        let mut again = again.sorted(of_feature)?;
        let mut cases = Cases::default();
        while let Some([first, number, x, y]) = again.next(of_feature)? {
            let at = (f64::from_bits(x), f64::from_bits(y));
            cases.add(number, Some(at), || format!("{first} and {number}"));
        }
        Ok(cases)
    }
}

/// What the vertices of a feature come to: the same number for the same vertices.
pub(super) fn digest(geometry: &GeometryColumn, feature: usize) -> u64 {
    let mut hasher = DefaultHasher::new();
    let vertices = geometry.vertices(feature);
    vertices.len().hash(&mut hasher);
    for vertex in vertices {
        (geometry.x[vertex].to_bits(), geometry.y[vertex].to_bits()).hash(&mut hasher);
    }
    hasher.finish()
}
