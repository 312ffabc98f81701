//! Where on the Earth data lies, for choosing among operations.

use velvet_peg_core::{Bounds, Converter, Coordinate, Crs};

/// A box of a system in degrees from Greenwich, from a few points of its outline and inside.
pub(crate) fn area_of(crs: &Crs, extent: &Bounds) -> Option<Bounds> {
    let home = crs.in_degrees()?;
    let converter = Converter::new(crs, &home).ok()?;
    let mut found: Option<Bounds> = None;
    for i in 0..5 {
        for j in 0..5 {
            let x = extent.west + (extent.east - extent.west) * f64::from(i) / 4.0;
            let y = extent.south + (extent.north - extent.south) * f64::from(j) / 4.0;
            if let Ok(at) = converter.convert(Coordinate::xy(x, y)) {
                let at = home.from_greenwich(at);
                let so_far = found.unwrap_or(Bounds {
                    south: at.lat,
                    west: at.lon,
                    north: at.lat,
                    east: at.lon,
                });
                found = Some(Bounds {
                    south: so_far.south.min(at.lat),
                    west: so_far.west.min(at.lon),
                    north: so_far.north.max(at.lat),
                    east: so_far.east.max(at.lon),
                });
            }
        }
    }
    found
}
