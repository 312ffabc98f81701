//! Definition text of reference systems: read, write, and find out which system of the
//! registry a text describes.
//!
//! **Formats.** Well-known text 2 (ISO 19162:2019), well-known text 1 (OGC 01-009) in its
//! spellings, those of the files beside Shapefiles included, and the JSON encoding that
//! GeoParquet metadata uses. Which one a text is in is seen from the text.
//!
//! **What it does not do.** A shift to WGS 84 (TOWGS84, a bound system) counts for datums that the
//! registry does not have; of the others the registry knows better. Derived and engineering systems
//! keep a name and axes but cannot be computed with.
//!
//! ```
//! use velvet_peg_core::{definition, Crs};
//! let text = definition::wkt2(&Crs::from_epsg(2286)?).unwrap();
//! let read = definition::parse(&text)?;
//! let identity = definition::identify(&read);
//! assert_eq!((identity.code, identity.is_exact()), (Some(2286), true));
//! # Ok::<(), velvet_peg_core::Error>(())
//! ```

mod apart;
mod bound;
mod contradiction;
mod derived;
mod identify;
#[cfg(feature = "json")]
mod json;
mod names;
mod node;
mod parts;
mod read;
mod read_conversion;
mod two_points;
mod wkt1;
mod wkt2;

pub use identify::{Difference, Identity, MatchLevel, differences, identify};
#[cfg(feature = "json")]
pub use json::write as json;
pub use wkt1::{Spelling, write as wkt1_spelled};
pub use wkt2::write as wkt2;

use crate::crs::{Crs, Height};
use crate::error::Result;

/// The system that a definition text describes, by what it says: the numbers in the text are
/// the ones computed with, and the result has no code even where the text states one.
///
/// ```
/// use velvet_peg_core::definition;
/// let error = definition::parse("PROJCS[\"Plan\",GEOGCS[\"?\",DATUM[\"?\"]]]").unwrap_err();
/// assert!(error.to_string().contains("no ELLIPSOID (or SPHEROID) (character 26)"), "{error}");
/// ```
///
/// # Errors
/// If the text cannot be read or describes nothing that can be computed; the message shows
/// the place.
pub fn parse(text: &str) -> Result<Crs> {
    read_both(text).map(|(_, crs)| crs)
}

/// The epoch that coordinate metadata state (ISO 19162:2019, `COORDINATEMETADATA`), decimal years; none for
/// the definition of a system alone.
///
/// ```
/// use velvet_peg_core::{definition, Crs};
/// let itrf = Crs::from_epsg(9988)?; // ITRF2020, geocentric
/// let text = definition::coordinate_metadata(&itrf, 2026.9).unwrap();
/// assert_eq!(definition::epoch_of(&text), Some(2026.9));
/// assert_eq!(definition::resolve(&text)?, itrf);
/// assert_eq!(definition::epoch_of(&definition::wkt2(&itrf).unwrap()), None);
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn epoch_of(text: &str) -> Option<f64> {
    let text = text.trim_start_matches('\u{feff}');
    let metadata = node::parse(text).ok().filter(|node| node.keyword == METADATA)?;
    metadata.child(&["EPOCH", "COORDEPOCH"])?.number(0)
}

/// A system with the epoch of coordinates in it, as well-known text 2; none for systems that have no such
/// text.
pub fn coordinate_metadata(crs: &Crs, epoch: f64) -> Option<String> {
    wkt2(crs).map(|text| format!("{METADATA}[{text},EPOCH[{epoch}]]"))
}

/// The keyword of coordinate metadata.
const METADATA: &str = "COORDINATEMETADATA";

/// A text as it stands, and the system that it describes.
fn read_both(text: &str) -> Result<(node::Node, Crs)> {
    let text = text.trim_start_matches('\u{feff}');
    let (node, text) = match text.trim_start().starts_with('{') {
        #[cfg(feature = "json")]
        true => (json::read(text)?, ""),
        #[cfg(not(feature = "json"))]
        true => {
            return Err(crate::error::Error::unsupported(
                "definitions in JSON are read only where the feature `json` is on",
            ));
        }
        false => (node::parse(text)?, text),
    };
    // Of coordinate metadata the system.
    let system =
        |node: &node::Node| node.nodes().find(|part| part.keyword.contains("CRS")).cloned();
    let node = match node.keyword == METADATA {
        true => system(&node).unwrap_or(node),
        false => node,
    };
    let crs = read::Reader { text, shift: None }.system(&node)?;
    Ok((node, crs))
}

/// The system that a text describes, as the registry's own where it is exactly that or the
/// same numbers under another name, or as two of the registry taken together; otherwise as [`parse`]
/// gives it.
///
/// ```
/// use velvet_peg_core::{definition, Crs};
/// let text = definition::wkt1(&Crs::from_epsg(32610)?).unwrap();
/// assert_eq!(definition::resolve(&text)?.code(), Some(32610));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
///
/// # Errors
/// As [`parse`]; and if the name, the code or an extension of the text stands for a system that lies
/// elsewhere than what its numbers say.
pub fn resolve(text: &str) -> Result<Crs> {
    let (node, read) = read_both(text)?;
    let same = identify(&read).same();
    contradiction::check(&node, &read, same)?;
    match same {
        Some(code) => Crs::from_epsg(code),
        None => Ok(parts::of_registry(&read).unwrap_or(read)),
    }
}

/// What OGC 01-009 well-known text cannot say of a system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unsaid {
    /// Anything: there is no text for it.
    System,
    /// That heights are those above the ellipsoid: the text has no third axis for them.
    EllipsoidalHeight,
}

/// What is lost where a system is written as OGC 01-009 well-known text, if anything is.
///
/// ```
/// use velvet_peg_core::{definition, Crs};
/// use velvet_peg_core::definition::Unsaid;
/// assert_eq!(definition::unsaid_in_wkt1(&Crs::from_epsg(4326)?), None);
/// let with_height = Crs::from_epsg(4979)?;
/// assert_eq!(definition::unsaid_in_wkt1(&with_height), Some(Unsaid::EllipsoidalHeight));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn unsaid_in_wkt1(crs: &Crs) -> Option<Unsaid> {
    match (wkt1(crs), crs.height()) {
        (None, _) => Some(Unsaid::System),
        (Some(_), Height::Ellipsoidal(_)) => Some(Unsaid::EllipsoidalHeight),
        _ => None,
    }
}

/// The system as OGC 01-009 well-known text; none for kinds that the standard has no words
/// for.
///
/// ```
/// use velvet_peg_core::{definition, Crs};
/// let text = definition::wkt1(&Crs::from_epsg(4326)?).unwrap();
/// assert!(text.starts_with("GEOGCS[\"WGS 84\",DATUM["));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn wkt1(crs: &Crs) -> Option<String> {
    wkt1::write(crs, Spelling::Standard)
}
