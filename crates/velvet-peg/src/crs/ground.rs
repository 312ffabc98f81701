//! Systems of one's own for a site: places of data on the ground, what the usual systems of a place do to
//! lengths there, and definitions written to files.

pub use velvet_peg_core::crs::Ground;
pub use velvet_peg_core::low_distortion::*;

use super::zones::zones_of_place;
use crate::error::{Error, Result};
use crate::format_support::definition_file::definition_file;
use crate::layer::no_system;
use crate::layer_io::LayerReader;
use crate::notice::Notice;
use crate::output::write_whole;
use crate::plausibility::wrong_zone;
use std::path::Path;
use velvet_peg_core::definition::{self, Spelling};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, Geographic};

/// Places of a layer that are looked at, at most.
const MOST: usize = 2_000;
/// Places along a side of a box.
const SIDE: usize = 15;

/// The vertices of a layer (of a large one, some of them), each at every height, with the geographic
/// system of its datum, in degrees.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// use velvet_peg::LayerReader;
/// use velvet_peg::ground::places_of_layer;
/// let fields = LayerReader::open(&folder.path().join("fields.geojson"), None)?;
/// let (base, places) = places_of_layer(&fields, &[370.0, 420.0])?;
/// assert_eq!(base.code(), Some(4326));
/// assert!(places.iter().all(|place| (47.0..48.0).contains(&place.at.lat)));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the layer cannot be read, has no system or no place that can be used.
pub fn places_of_layer(reader: &LayerReader, heights_m: &[f64]) -> Result<(Crs, Vec<GroundPlace>)> {
    let here = |error: Error| error.in_file(reader.path());
    let crs = reader.info().crs.as_ref().ok_or_else(|| here(no_system(reader.info())))?;
    let base = crs.in_degrees().ok_or_else(|| {
        here(Error::data(format!("{} is no system of places on the Earth", crs.label())))
    })?;
    let to_base = Converter::new(crs, &base).map_err(|error| here(error.into()))?;
    let mut kept = Sampled::default();
    reader.for_each_batch(&mut |batch| {
        for (x, y) in batch.geometry.x.iter().zip(&batch.geometry.y) {
            if let Ok(at) = to_base.convert(Coordinate { x: *x, y: *y, z: f64::NAN }) {
                kept.add(Geographic { lat: at.y, lon: at.x });
            }
        }
        Ok(())
    })?;
    match kept.places.is_empty() {
        true => Err(here(Error::data("it has no place that can be used"))),
        false => Ok((base, at_heights(&kept.places, heights_m))),
    }
}

/// The warning that a place, easting and northing in a projected system, lies outside the area or the
/// zone of the system, where a ground system on it would stretch what is stretched already.
///
/// ```
/// use velvet_peg::Crs;
/// use velvet_peg::ground::outside;
/// let north = Crs::from_epsg(2285)?;
/// assert!(outside(&north, (1_846_799.0, 147_026.0)).is_none());
/// let far = outside(&north, (13_850_905.7, 1_186_614.7)).unwrap();
/// assert!(far.text.contains("not in Washington North") || far.text.contains("outside the area"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn outside(grid: &Crs, place: (f64, f64)) -> Option<Notice> {
    wrong_zone(grid, grid, "the place", place)
}

/// Places over a box, each at every height.
pub fn places_of_box(area: &Bounds, heights_m: &[f64]) -> Vec<GroundPlace> {
    let wide = if area.east < area.west { 360.0 } else { 0.0 };
    let share = |at: usize| at as f64 / (SIDE - 1) as f64;
    let places: Vec<Geographic> = (0..SIDE * SIDE)
        .map(|at| Geographic {
            lat: area.south + (area.north - area.south) * share(at / SIDE),
            lon: area.west + (area.east + wide - area.west) * share(at % SIDE),
        })
        .collect();
    at_heights(&places, heights_m)
}

fn at_heights(places: &[Geographic], heights_m: &[f64]) -> Vec<GroundPlace> {
    let of_place = |at: &Geographic| {
        let at = *at;
        heights_m.iter().map(move |height_m| GroundPlace { at, height_m: *height_m })
    };
    places.iter().flat_map(of_place).collect()
}

/// Every so many places, so that there are never too many.
#[derive(Default)]
struct Sampled {
    places: Vec<Geographic>,
    seen: usize,
    every: usize,
}

impl Sampled {
    fn add(&mut self, at: Geographic) {
        let every = self.every.max(1);
        if self.seen.is_multiple_of(every) {
            self.places.push(at);
            if self.places.len() > MOST {
                let mut keep = false;
                self.places.retain(|_| {
                    keep = !keep;
                    keep
                });
                self.every = every * 2;
            }
        }
        self.seen += 1;
    }
}

/// The usual projected systems in the middle of places: UTM and the zones of state plane, one for each
/// zone, with what they do to lengths. Systems on other datums than NAD83 are left out where there are any
/// on it.
///
/// ```
/// use velvet_peg::Bounds;
/// use velvet_peg::ground::{places_of_box, usual_systems};
/// let area = Bounds { south: 47.3, west: -120.2, north: 47.5, east: -119.9 };
/// let usual = usual_systems(&places_of_box(&area, &[400.0]));
/// let names: Vec<&str> = usual.iter().map(|(crs, _)| crs.name()).collect();
/// assert_eq!(names, ["NAD83 / UTM zone 10N", "NAD83 / Washington North"]);
/// ```
pub fn usual_systems(places: &[GroundPlace]) -> Vec<(Crs, Distortion)> {
    let count = places.len().max(1) as f64;
    let first = places.first().map_or(0.0, |place| place.at.lon);
    let apart = |lon: f64| (lon - first + 540.0).rem_euclid(360.0) - 180.0;
    let middle = Geographic {
        lat: places.iter().map(|place| place.at.lat).sum::<f64>() / count,
        lon: first + places.iter().map(|place| apart(place.at.lon)).sum::<f64>() / count,
    };
    let (zones, _) = zones_of_place(middle);
    let has_new = zones.iter().any(|zone| zone.kind == "SPCS83");
    let mut found = Vec::new();
    for zone in zones.iter().filter(|zone| !(has_new && zone.kind == "SPCS27")) {
        let Some(crs) = zone.systems.first() else { continue };
        if let Ok(distortion) = Distortion::over(crs, places) {
            found.push((crs.clone(), distortion));
        }
    }
    found
}

/// Writes the definition of a system, in the notation that the name of the file asks for: `.wkt` as WKT 2,
/// `.prj` as files beside Shapefiles have it, `.json` in the encoding of GeoParquet (with the feature of that
/// name).
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// use velvet_peg::ground::write_definition;
/// use velvet_peg::reference::read_reference;
/// let crs = velvet_peg::Crs::from_epsg(2285)?;
/// let file = folder.path().join("north.prj");
/// write_definition(&file, &crs, false)?;
/// let text = format!("file:{}", file.display());
/// assert_eq!(read_reference(&text, folder.path())?.0.code(), Some(2285));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the notation cannot say the system, the name asks for no notation, the file holds something else than a
/// definition, or it cannot be written.
pub fn write_definition(path: &Path, crs: &Crs, overwrite: bool) -> Result<()> {
    let extension = path.extension().map(|name| name.to_string_lossy().to_lowercase());
    let (text, notation) = match extension.as_deref() {
        Some("wkt") => (definition::wkt2(crs), "WKT 2"),
        Some("prj") => (
            definition::wkt1_spelled(crs, Spelling::SideFile),
            "WKT 1, which files beside Shapefiles have,",
        ),
        #[cfg(feature = "geoparquet")]
        Some("json") => (definition::json(crs), "JSON"),
        _ => {
            return Err(Error::usage(
                "definitions are written to files that end in .wkt (WKT 2), .prj (WKT 1, as beside \
                 Shapefiles) or .json",
            )
            .in_file(path));
        }
    };
    let text = text.ok_or_else(|| {
        let why = match crs.derived() {
            Some(_) => "has no words for a plane that is turned or stretched: write it to a .wkt or a .json",
            None => "cannot say this system",
        };
        Error::usage(format!("{notation} {why}")).in_file(path)
    })?;
    // What a file of such a name holds may be data: only a definition is replaced by one.
    if overwrite && path.exists() && definition_file(path).is_err() {
        let why =
            "holds no definition of a reference system, and is not replaced: choose another name";
        return Err(Error::usage(why).in_file(path));
    }
    write_whole(path, format!("{text}\n").as_bytes(), overwrite)
}
