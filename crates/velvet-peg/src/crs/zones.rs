//! Which UTM and state-plane zones a place or a layer falls in, and how near their edges.

pub use velvet_peg_core::zones::*;

use crate::error::{Error, Result};
use crate::format_support::TableOptions;
use crate::layer::{Layer, Value, no_system};
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::table::{CoordinateColumns, Notation, TableFile, read_pair};
use csv::StringRecord;
use std::collections::BTreeMap;
use std::path::Path;
use velvet_peg_core::crs::Datum;
use velvet_peg_core::{Converter, Coordinate, Crs, Geographic};

/// A zone with what is known of it.
#[derive(Clone, Debug)]
pub struct ZoneAnswer {
    /// `UTM`, `SPCS83` or `SPCS27`.
    pub kind: &'static str,
    /// Name, such as `UTM zone 10N` or `Washington North`.
    pub name: String,
    /// Systems of the zone, metres before feet.
    pub systems: Vec<Crs>,
    /// County that decides a state-plane zone.
    pub county: Option<String>,
    /// Metres to where another zone begins.
    pub edge_m: Option<f64>,
    /// Features of a layer in it; none for a place.
    pub features: Option<u64>,
}

/// The zones of a place, and what to beware of.
///
/// ```
/// use velvet_peg::Geographic;
/// use velvet_peg::zones::zones_of_place;
/// let (zones, notices) = zones_of_place(Geographic { lat: 47.4, lon: -120.01 });
/// assert_eq!(zones[0].name, "UTM zone 10N");
/// assert_eq!(zones[1].name, "Washington North"); // Douglas county
/// assert!(notices[0].text.contains("0.8 km from UTM zone 11N"));
/// ```
pub fn zones_of_place(at: Geographic) -> (Vec<ZoneAnswer>, Vec<Notice>) {
    let (mut zones, mut notices) = (Vec::new(), Vec::new());
    let answer = |kind, name: String, systems: Vec<Crs>| ZoneAnswer {
        kind,
        name,
        systems,
        county: None,
        edge_m: None,
        features: None,
    };
    if let Some(zone) = UtmZone::of(at) {
        let name = format!("UTM zone {}", zone.name());
        let edge = UtmZone::edge(at);
        if let Some((metres, other)) = edge.as_ref().filter(|(metres, _)| *metres < 10_000.0) {
            notices.push(
                Notice::warning(
                    NoticeKind::Area,
                    format!(
                        "the place is {:.1} km from {other}: neighbouring data may be in that",
                        metres / 1000.0
                    ),
                )
                .with("distance", *metres, "m"),
            );
        }
        let systems = utm_on_nad83(zone).into_iter().chain(zone.crs().ok()).collect();
        zones.push(ZoneAnswer { edge_m: edge.map(|(m, _)| m), ..answer("UTM", name, systems) });
    } else if let Some(polar) = PolarGrid::of(at) {
        zones.push(answer("UPS", polar.name().to_string(), polar.crs().into_iter().collect()));
    }
    for (set, kind) in [(ZoneSet::Spcs83, "SPCS83"), (ZoneSet::Spcs27, "SPCS27")] {
        for hit in state_plane_zones_at(set, at) {
            let edge_m = hit.edge_m();
            if let Some(metres) = edge_m.filter(|metres| *metres < OUTLINE_UNCERTAINTY_M) {
                notices.push(
                    Notice::warning(
                        NoticeKind::Area,
                        format!(
                            "the place is {:.1} km from the edge of {} ({kind}), nearer than the \
                             outlines used are known ({:.0} km): ask the county which zone is the \
                             legal one",
                            metres / 1000.0,
                            hit.zone.name,
                            OUTLINE_UNCERTAINTY_M / 1000.0
                        ),
                    )
                    .with("distance", metres, "m")
                    .with("uncertainty", OUTLINE_UNCERTAINTY_M, "m"),
                );
            }
            zones.push(ZoneAnswer {
                county: Some(hit.county.label()),
                edge_m,
                ..answer(kind, hit.zone.name.clone(), systems_of(hit.zone))
            });
        }
    }
    (zones, notices)
}

/// The zones of a county: UTM, the one with most of it first, and state plane.
///
/// ```
/// use velvet_peg::zones::{county_named, zones_of_county};
/// let douglas = &county_named("Douglas county, Washington")[0];
/// let zones = zones_of_county(douglas);
/// let names: Vec<&str> = zones.iter().map(|zone| zone.name.as_str()).collect();
/// assert_eq!(names[..3], ["UTM zone 11N", "UTM zone 10N", "Washington North"]);
/// ```
pub fn zones_of_county(county: &County) -> Vec<ZoneAnswer> {
    let answer = |kind, name: String, systems: Vec<Crs>| ZoneAnswer {
        kind,
        name,
        systems,
        county: Some(county.label()),
        edge_m: None,
        features: None,
    };
    let utm = utm_zones_of_county(county.fips).into_iter().map(|(zone, _)| {
        let systems = utm_on_nad83(zone).into_iter().chain(zone.crs().ok()).collect();
        answer("UTM", format!("UTM zone {}", zone.name()), systems)
    });
    let sets = [(ZoneSet::Spcs83, "SPCS83"), (ZoneSet::Spcs27, "SPCS27")];
    let state_plane = sets.into_iter().flat_map(|(set, kind)| {
        let zones = state_plane_zones_of_county(set, county.fips).into_iter();
        zones.map(move |zone| answer(kind, zone.name.clone(), systems_of(zone)))
    });
    utm.chain(state_plane).collect()
}

/// Systems on the datum that came with the zones: NAD83, NAD27 or Old Hawaiian.
pub fn systems_of(zone: &StatePlaneZone) -> Vec<Crs> {
    let usual: Vec<Crs> = [6269, 6267, 6135]
        .into_iter()
        .flat_map(|datum| {
            let (metres, feet) = zone.systems_on(datum);
            metres.into_iter().chain(feet)
        })
        .collect();
    match usual.is_empty() {
        // The islands of the Pacific have none on these datums.
        true => zone.systems.iter().filter_map(|code| Crs::from_epsg(*code).ok()).collect(),
        false => usual,
    }
}

/// The system of a zone on a datum, by the name that the registry gives such systems; none where it
/// has none.
fn utm_on(home: &str, zone: UtmZone) -> Option<Crs> {
    let side = if zone.is_north() { 'N' } else { 'S' };
    let name = format!("{home} / UTM zone {}{side}", zone.number());
    Crs::named(&name)
}

fn utm_on_nad83(zone: UtmZone) -> Option<Crs> {
    utm_on("NAD83", zone)
}

/// The zones of a layer with the number of features whose first vertex lies in each; features
/// in no zone are counted under the name `none`.
///
/// # Errors
/// If the layer has no reference system or cannot be read.
pub fn zones_of_layer(reader: &LayerReader) -> Result<Vec<ZoneAnswer>> {
    let info = reader.info();
    let crs = info.crs.as_ref().ok_or_else(|| no_system(info).in_file(reader.path()))?;
    let to_degrees = Converter::new(crs, &Crs::from_epsg(4326)?)?;
    let mut counts: BTreeMap<(u8, String), (u64, Vec<Crs>, &'static str)> = BTreeMap::new();
    reader.for_each_batch(&mut |batch| {
        for feature in 0..batch.geometry.len() {
            // Without a vertex, or out of range, a feature lies in none.
            let place = batch.geometry.vertices(feature).next().and_then(|first| {
                let at = Coordinate::xy(batch.geometry.x[first], batch.geometry.y[first]);
                to_degrees.convert(at).ok()
            });
            let place = place.map(|at| Geographic { lat: at.y, lon: at.x });
            let mut count = |order: u8, kind, name: String, systems: &dyn Fn() -> Vec<Crs>| {
                let entry = counts.entry((order, name)).or_insert_with(|| (0, systems(), kind));
                entry.0 += 1;
            };
            match place.and_then(UtmZone::of) {
                Some(zone) => count(0, "UTM", format!("UTM zone {}", zone.name()), &|| {
                    utm_on_nad83(zone).into_iter().chain(zone.crs().ok()).collect()
                }),
                None => count(0, "UTM", "none".to_string(), &Vec::new),
            }
            for (order, set, kind) in
                [(1, ZoneSet::Spcs83, "SPCS83"), (2, ZoneSet::Spcs27, "SPCS27")]
            {
                let hits = place.map_or(Vec::new(), |at| state_plane_zones_at(set, at));
                for hit in &hits {
                    count(order, kind, hit.zone.name.clone(), &|| systems_of(hit.zone));
                }
                if hits.is_empty() {
                    count(order, kind, "none".to_string(), &Vec::new);
                }
            }
        }
        Ok(())
    })?;
    // A set in which nothing lies has nothing to say.
    let kinds_hit: Vec<&str> = counts
        .iter()
        .filter(|((_, name), _)| name != "none")
        .map(|(_, (_, _, kind))| *kind)
        .collect();
    Ok(counts
        .iter()
        .filter(|(_, (_, _, kind))| kinds_hit.contains(kind))
        .map(|((_, name), (features, systems, kind))| ZoneAnswer {
            kind,
            name: name.clone(),
            systems: systems.clone(),
            county: None,
            edge_m: None,
            features: Some(*features),
        })
        .collect())
}

/// The one state-plane zone of 1983 that all of a layer lies in, as a system: on the layer's own
/// realisation of NAD83 if it has one, otherwise on NAD83(2011); in the zone's legal foot, or
/// in metres.
///
/// # Errors
/// If features lie in several zones or in none; the message says how many in which.
pub fn state_plane_of_layer(reader: &LayerReader, metres: bool) -> Result<Crs> {
    let zones = zones_of_layer(reader)?;
    let mine: Vec<&ZoneAnswer> = zones.iter().filter(|zone| zone.kind == "SPCS83").collect();
    let name = match mine.as_slice() {
        [only] if only.name != "none" => &only.name,
        [] => {
            return Err(Error::usage("the data lies in no state-plane zone").in_file(reader.path()));
        }
        several => {
            return Err(Error::usage(format!(
                "the data does not lie in one state-plane zone ({}): choose one by its code",
                shares(several)
            ))
            .in_file(reader.path()));
        }
    };
    state_plane_in(name, reader.info().crs.as_ref(), metres)
}

/// The system of a state-plane zone of 1983 for data in a system of its own.
pub(super) fn state_plane_in(name: &str, own: Option<&Crs>, metres: bool) -> Result<Crs> {
    let zone = state_plane_zones()
        .iter()
        .find(|zone| zone.set == ZoneSet::Spcs83 && zone.name == *name)
        .ok_or_else(|| Error::usage(format!("the zone {name} has no system")))?;
    let own = own.and_then(Crs::in_degrees);
    let own = own.and_then(|home| home.datum().and_then(Datum::code));
    let pick = |datum: u32| {
        let (m, ft) = zone.systems_on(datum);
        if metres { m } else { ft.or(m) }
    };
    own.and_then(pick)
        .or_else(|| pick(1116))
        .or_else(|| pick(6269))
        .ok_or_else(|| Error::usage(format!("the zone {name} has no system in this unit")))
}

/// The one UTM zone that all of a layer lies in, on the layer's own datum; where the registry has no
/// such system, on WGS 84, and it is said.
///
/// # Errors
/// If features lie in several zones or in none; the message says how many in which.
pub fn utm_of_layer(reader: &LayerReader) -> Result<(Crs, Option<Notice>)> {
    let zones = zones_of_layer(reader)?;
    let mine: Vec<&ZoneAnswer> = zones.iter().filter(|zone| zone.kind == "UTM").collect();
    match mine.as_slice() {
        [only] if only.name != "none" => utm_in(only, reader.info().crs.as_ref()),
        [] => Err(Error::usage("the data lies in no UTM zone").in_file(reader.path())),
        several => Err(Error::usage(format!(
            "the data straddles UTM zones ({}): choose one by its code",
            shares(several)
        ))
        .in_file(reader.path())),
    }
}

/// The system of a UTM zone for data in a system of its own.
pub(super) fn utm_in(zone: &ZoneAnswer, own: Option<&Crs>) -> Result<(Crs, Option<Notice>)> {
    let on_wgs84 = zone.systems.last().cloned();
    let on_wgs84 = on_wgs84.ok_or_else(|| Error::usage("the zone has no system"))?;
    let zone = on_wgs84.name().rsplit(' ').next().unwrap_or_default().to_string();
    let home = own.and_then(Crs::in_degrees);
    let Some(home) = home.filter(|home| home.code() != Some(4326)) else {
        return Ok((on_wgs84, None));
    };
    match Crs::named(&format!("{} / UTM zone {zone}", home.name())) {
        Some(own) => Ok((own, None)),
        None => {
            let said = format!(
                "the registry has no UTM zone {zone} on {}, the datum of the data: that on WGS 84 is \
                 taken",
                home.name()
            );
            Ok((on_wgs84, Some(Notice::note(NoticeKind::Assumed, said))))
        }
    }
}

/// `17 features in UTM zone 10N (EPSG:32610), 3 features in UTM zone 11N (EPSG:32611)`.
fn shares(zones: &[&ZoneAnswer]) -> String {
    let list: Vec<String> = zones
        .iter()
        .map(|zone| {
            let codes: Vec<String> = zone.systems.iter().map(Crs::reference).collect();
            let codes =
                if codes.is_empty() { String::new() } else { format!(" ({})", codes.join(", ")) };
            let count = zone.features.unwrap_or(0);
            let s = if count == 1 { "" } else { "s" };
            format!("{count} feature{s} in {}{codes}", zone.name)
        })
        .collect();
    list.join(", ")
}

/// The rows of a table as points, as far as they can be read: for whoever asks in which zone they
/// lie before anything is built.
///
/// # Errors
/// If the table cannot be read, or its coordinate columns are not to be found.
pub fn points_of_table(
    path: &Path,
    columns: &CoordinateColumns,
    packed: bool,
    options: &TableOptions,
    crs: &Crs,
) -> Result<Layer> {
    let file = TableFile::open(path, options)?;
    let mut reader = file.rows()?;
    let in_file = |error: Error| error.in_file(path);
    let (found, _) = columns.find(reader.columns(), &file.head()?, Some(crs)).map_err(in_file)?;
    let notation = if packed { Notation::Packed } else { Notation::Detected };
    let mut layer = Layer::new("points", Some(crs.clone()));
    let mut record = StringRecord::new();
    while reader.read(&mut record)? {
        if reader.misfit(&record).is_none()
            && let Ok((x, y, _)) = read_pair(&record, &found, Some(crs), notation)
        {
            layer.push((x, y), NO_VALUES)?;
        }
    }
    Ok(layer)
}

/// Points that are known by their places alone.
const NO_VALUES: [(&str, Value); 0] = [];
