//! References to a reference system on the command line: `REF`.

use crate::show;
use std::path::Path;
use velvet_peg::{Bounds, Crs, Error, Layer, LayerReader, UtmZone};

/// Reads a `REF` that needs no data: a code, a URN or words, or `like:FILE`.
pub(crate) fn system(text: &str) -> Result<Crs, Error> {
    if let Some(path) = text.strip_prefix("like:") {
        let reader = LayerReader::open(Path::new(path), None)?;
        return reader.info().crs.clone().ok_or_else(|| {
            Error::from_usage(format!("{path} has no reference system to be like"))
        });
    }
    if let Some(path) = text.strip_prefix("file:") {
        let crs = velvet_peg::definition_file(Path::new(path))?;
        if crs.code().is_none() {
            let identity = velvet_peg::definition::identify(&crs);
            show::remark(&format!("{path} describes {}: {}", crs.name(), identity.summary()));
        } else {
            show::remark(&format!("{path} describes {}", crs.label()));
        }
        return Ok(crs);
    }
    Ok(Crs::parse(text)?)
}

/// The area of one place, given as a position (latitude first unless letters say otherwise).
pub(crate) fn point_area(text: &str) -> Result<Bounds, Error> {
    let at = velvet_peg::angle::parse_position(text)?;
    Ok(Bounds { south: at.lat, west: at.lon, north: at.lat, east: at.lon })
}

/// Reads a `REF` that may depend on where the data lies: `utm` chooses its zone.
pub(crate) fn system_for(text: &str, layer: &LayerReader) -> Result<Crs, Error> {
    match text.to_ascii_lowercase().as_str() {
        "utm" => utm_of(layer),
        "state-plane" => Err(Error::from_usage(
            "the state-plane zone cannot be chosen by itself yet: `vpeg position` lists the zones of a \
             place; give its code",
        )),
        _ => system(text),
    }
}

/// The one UTM zone that all of a layer lies in; refuses where it straddles.
fn utm_of(reader: &LayerReader) -> Result<Crs, Error> {
    let layer: Layer = reader.read()?.convert(&Crs::from_epsg(4326)?)?;
    let mut zones: Vec<UtmZone> = Vec::new();
    for feature in layer.features() {
        for (lon, lat) in feature.vertices() {
            let zone = UtmZone::of(velvet_peg::Geographic { lat, lon });
            zones.extend(zone.filter(|zone| !zones.contains(zone)));
        }
    }
    match zones.as_slice() {
        [zone] => Ok(zone.crs()?),
        [] => Err(Error::from_usage("the data lies in no UTM zone")),
        several => {
            let names: Vec<String> = several
                .iter()
                .map(|zone| {
                    format!(
                        "{} (EPSG:{})",
                        zone.name(),
                        if zone.north { 32600 } else { 32700 } + u32::from(zone.number)
                    )
                })
                .collect();
            Err(Error::from_usage(format!(
                "the data straddles UTM zones {}: choose one by its code",
                names.join(" and ")
            )))
        }
    }
}
