//! The zones that a raster lies in, and the one that most of it lies in.

use super::reference::{read_reference, read_reference_for};
use super::zones::{ZoneAnswer, state_plane_in, utm_in, zones_of_layer};
use crate::error::Result;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::raster::RasterReader;
use std::path::Path;
use velvet_peg_core::Crs;

/// Places of a raster that are looked at, each way.
const PLACES: usize = 32;

fn places(raster: &RasterReader) -> Result<LayerReader> {
    Ok(LayerReader::of_layer(&raster.places(PLACES)?, raster.path()))
}

/// The zones of a raster: [`ZoneAnswer::features`] counts places in each, which are spread evenly over it.
///
/// # Errors
/// If nothing says where its pixels lie, or it has no reference system.
pub fn zones_of_raster(raster: &RasterReader) -> Result<Vec<ZoneAnswer>> {
    zones_of_layer(&places(raster)?)
}

/// As [`read_reference_for`], for a raster: of several zones the one that most of it lies in is taken, and
/// that is said.
///
/// # Errors
/// As [`read_reference_for`].
pub fn read_reference_for_raster(
    text: &str,
    folder: &Path,
    raster: &RasterReader,
) -> Result<(Crs, Vec<Notice>)> {
    let word = text.trim().to_ascii_lowercase();
    let kind = match word.as_str() {
        "utm" => "UTM",
        "state-plane" | "state-plane-m" => "SPCS83",
        _ => {
            let (crs, notice) = read_reference(text, folder)?;
            return Ok((crs, notice.into_iter().collect()));
        }
    };
    let places = places(raster)?;
    let mut zones = zones_of_layer(&places)?;
    zones.retain(|zone| zone.kind == kind);
    let count = |zone: &ZoneAnswer| zone.features.unwrap_or(0);
    let named = zones.iter().filter(|zone| zone.name != "none");
    let Some(most) = named.max_by_key(|zone| count(zone)).filter(|_| zones.len() > 1) else {
        let (crs, notice) = read_reference_for(text, folder, &places)?;
        return Ok((crs, notice.into_iter().collect()));
    };
    let all = zones.iter().map(count).sum::<u64>().max(1) as f64;
    let shares: Vec<String> = zones
        .iter()
        .map(|zone| format!("{:.0} % in {}", 100.0 * count(zone) as f64 / all, zone.name))
        .collect();
    let mut notices = vec![Notice::note(
        NoticeKind::Assumed,
        format!(
            "the raster lies in several zones ({}): the one that most of it lies in is taken",
            shares.join(", ")
        ),
    )];
    let own = raster.info().crs.as_ref();
    let crs = match kind {
        "UTM" => {
            let (crs, notice) = utm_in(most, own)?;
            notices.extend(notice);
            crs
        }
        _ => state_plane_in(&most.name, own, word == "state-plane-m")?,
    };
    Ok((crs, notices))
}
