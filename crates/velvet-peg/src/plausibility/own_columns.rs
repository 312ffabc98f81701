//! Features that have a longitude and a latitude among their attributes, too: whether these say the
//! same place as the geometries.

use super::short;
use crate::advice::Advice;
use crate::layer::{AttributeColumn, GeometryColumn, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::table::degree_columns;
use arrow_schema::Schema;
use velvet_peg_core::angle::{self, Axis};
use velvet_peg_core::{Converter, Coordinate, Crs, Ellipsoid, Geodesic, Geographic};

/// Features that are compared; more say no more.
const COMPARED: usize = 200;
/// As far apart are no two datums, and no place from the middle of its field.
const APART_M: f64 = 5_000.0;

/// Compares the places of geometries with those of two attribute columns.
pub(crate) struct OwnColumns {
    lon: usize,
    lat: usize,
    names: (String, String),
    to_degrees: Converter,
    geodesic: Geodesic,
    label: String,
    /// Distances, with the two places.
    apart: Vec<(f64, Geographic, Geographic)>,
}

impl OwnColumns {
    /// None where there are no such columns, or no system to compare in.
    pub(crate) fn new(schema: &Schema, crs: Option<&Crs>) -> Option<OwnColumns> {
        let crs = crs?;
        let headers: Vec<String> = schema.fields().iter().map(|f| f.name().clone()).collect();
        let (lon, lat) = degree_columns(&headers)?;
        let home = crs.in_degrees()?;
        Some(OwnColumns {
            names: (headers[lon].clone(), headers[lat].clone()),
            lon,
            lat,
            to_degrees: Converter::new(crs, &home).ok()?,
            geodesic: Geodesic::new(&Ellipsoid::from_epsg(7030).ok()?),
            label: crs.label(),
            apart: Vec::new(),
        })
    }

    /// True if more features say no more.
    pub(crate) fn is_full(&self) -> bool {
        self.apart.len() == COMPARED
    }

    /// Takes in features until there are enough.
    pub(crate) fn add(&mut self, columns: &[AttributeColumn<'_>], geometry: &GeometryColumn) {
        for feature in 0..geometry.len() {
            if self.is_full() {
                return;
            }
            let (Some(lon), Some(lat)) = (columns.get(self.lon), columns.get(self.lat)) else {
                return;
            };
            let said = (
                degrees(lon.value(feature), Axis::Longitude),
                degrees(lat.value(feature), Axis::Latitude),
            );
            let (Some(lon), Some(lat)) = said else { continue };
            // Zeros stand for nothing as a rule.
            if (lon == 0.0 && lat == 0.0) || lat.abs() > 90.0 || lon.abs() > 360.0 {
                continue;
            }
            let Some(first) = geometry.vertices(feature).next() else { continue };
            let at = Coordinate::xy(geometry.x[first], geometry.y[first]);
            let Ok(at) = self.to_degrees.convert(at) else { continue };
            let lies = self.to_degrees.target().from_greenwich(at);
            // Degrees from Greenwich, or what the system itself counts, grads from Paris for example.
            let own = self.to_degrees.convert(Coordinate::xy(lon, lat)).ok();
            let own = own.filter(|_| self.to_degrees.source().is_geographic());
            let own = own.map(|at| self.to_degrees.target().from_greenwich(at));
            let apart = own
                .into_iter()
                .chain([Geographic { lat, lon }])
                .map(|said| (self.geodesic.inverse(lies, said).distance_m, lies, said))
                .min_by(|a, b| a.0.total_cmp(&b.0));
            self.apart.extend(apart);
        }
    }

    /// A warning if most of them are far apart.
    pub(crate) fn notice(&self) -> Option<Notice> {
        let mut apart: Vec<&(f64, Geographic, Geographic)> = self.apart.iter().collect();
        apart.sort_by(|a, b| a.0.total_cmp(&b.0));
        // The middle of what is sorted: half of them are as far apart, or more.
        let (distance, lies, said) = **apart.get(apart.len() / 2).filter(|a| a.0 > APART_M)?;
        let (x, y) = (&self.names.0, &self.names.1);
        // A sign that is missing in the columns alone says nothing of the system.
        let turned = Geographic { lat: said.lat, lon: -said.lon };
        if self.geodesic.inverse(lies, turned).distance_m <= APART_M {
            return None;
        }
        let text = format!(
            "the columns `{x}` and `{y}` say other places than the coordinates do, typically {:.0} \
             km away: {}, {} (latitude, longitude) where the coordinates, in {}, are {}, {}: is it \
             the right system, or the wrong zone?",
            distance / 1000.0,
            short(said.lat),
            short(said.lon),
            self.label,
            short(lies.lat),
            short(lies.lon)
        );
        let notice = Notice::warning(NoticeKind::Area, text).with("distance", distance, "m");
        Some(notice.advise(Advice::FindSystem))
    }
}

fn degrees(value: ValueRef<'_>, axis: Axis) -> Option<f64> {
    match value {
        ValueRef::Real(value) => Some(value).filter(|value| value.is_finite()),
        ValueRef::Integer(value) => Some(value as f64),
        ValueRef::Text(text) => angle::parse(text, axis).ok(),
        ValueRef::Boolean(_) | ValueRef::Binary(_) | ValueRef::Null => None,
    }
}
