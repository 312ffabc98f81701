//! References to a reference system as people write them: `REF`.

pub use crate::format_support::definition_file::definition_file;

use crate::advice::Advice;
use crate::crs::zones::{state_plane_of_layer, utm_of_layer};
use crate::error::{Error, Result};
use crate::format_support::definition_file::with_epoch;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use std::path::Path;
use velvet_peg_core::{Crs, definition};

/// Reads a `REF` that needs no data: a code, an OGC URN, plain words that match one system,
/// `file:PATH` (definition text in a file) or `like:PATH` (that of another data set). Paths are
/// taken from `folder`. A file is told of in a notice.
///
/// ```
/// use std::path::Path;
/// use velvet_peg::reference::read_reference;
/// let (crs, _) = read_reference("nad83 washington south ftus", Path::new(""))?;
/// assert_eq!(crs.code(), Some(2286));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If it names no system, or several.
pub fn read_reference(text: &str, folder: &Path) -> Result<(Crs, Option<Notice>)> {
    if let Some(path) = text.strip_prefix("like:") {
        let file = folder.join(path);
        let crs = match raster_system(&file)? {
            Some(crs) => crs,
            None => LayerReader::open(&file, None)?.info().crs.clone(),
        };
        let crs =
            crs.ok_or_else(|| Error::usage(format!("{path} has no reference system to be like")))?;
        return Ok((crs, None));
    }
    if let Some(path) = text.strip_prefix("file:") {
        let (crs, epoch) = with_epoch(&folder.join(path))?;
        let what = match (crs.code(), crs.derived()) {
            (Some(_), _) => crs.label(),
            (None, Some(derived)) => {
                format!(
                    "{}: the plane of {} turned, moved or stretched",
                    crs.name(),
                    derived.from.label()
                )
            }
            (None, None) => format!("{}: {}", crs.name(), definition::identify(&crs).summary()),
        };
        let text = format!("{path} describes {what}");
        let notice = match epoch {
            None => Notice::note(NoticeKind::System, text),
            Some(epoch) => {
                let stated = format!("{text}, for coordinates of epoch {epoch}");
                Notice::note(NoticeKind::System, stated).with("epoch", epoch, "year")
            }
        };
        return Ok((crs, Some(notice)));
    }
    if depends_on_data(text) {
        return Err(Error::usage(format!(
            "`{text}` is the zone that data is carried to, told by where the data lies: here a \
             system itself is needed. Name it by code or words, such as EPSG:26910 or \"nad83 \
             washington north ftus\""
        ))
        .advise(Advice::ZonesOf(None)));
    }
    let crs = Crs::parse(text).map_err(|error| {
        let unknown = error.is_unknown().then_some(Advice::FindSystem);
        let ambiguity = error.ambiguity().cloned();
        let error = Error::from(error).advise_if(unknown);
        match ambiguity {
            Some(of) => error.advise(Advice::ChooseSystem(of.text)).among(of.choices),
            None => error,
        }
    })?;
    Ok((crs, None))
}

/// True for a `REF` that depends on where the data lies: `utm`, `state-plane`, `state-plane-m`.
pub fn depends_on_data(text: &str) -> bool {
    ["utm", "state-plane", "state-plane-m"].contains(&text.trim().to_ascii_lowercase().as_str())
}

/// Reads a `REF` that may depend on where the data lies: `utm` and `state-plane` choose the zone
/// that all of it lies in (`state-plane` in the zone's legal foot, `state-plane-m` in metres).
///
/// # Errors
/// As [`read_reference`], and if the data lies in several zones.
pub fn read_reference_for(
    text: &str,
    folder: &Path,
    layer: &LayerReader,
) -> Result<(Crs, Option<Notice>)> {
    match text.trim().to_ascii_lowercase().as_str() {
        "utm" => utm_of_layer(layer),
        "state-plane" => Ok((state_plane_of_layer(layer, false)?, None)),
        "state-plane-m" => Ok((state_plane_of_layer(layer, true)?, None)),
        _ => read_reference(text, folder),
    }
}

/// The system of a raster, which may say none; none if the file is no raster.
#[cfg(feature = "rasters")]
fn raster_system(file: &Path) -> Result<Option<Option<Crs>>> {
    use crate::raster::{RasterFormat, RasterReader};
    match RasterFormat::of_file(file) {
        Some(_) => Ok(Some(RasterReader::open(file)?.info().crs.clone())),
        None => Ok(None),
    }
}

#[cfg(not(feature = "rasters"))]
fn raster_system(_file: &Path) -> Result<Option<Option<Crs>>> {
    Ok(None)
}
