//! Definitions that say how their datum lies to WGS 84: TOWGS84 of OGC 01-009, and bound systems of
//! ISO 19162 with an abridged transformation.
//!
//! Three translations (metres), three rotations (seconds of arc, of the position vector) and a
//! difference of scale (parts per million), as EPSG method 9606 has them.

use super::names;
use super::node::Node;

/// Translations along X, Y and Z (metres), rotations about them (seconds), scale (parts per million).
pub(super) type Shift = [f64; 7];

/// Codes and names of the parameters, in the order of a [`Shift`].
const PARAMETERS: [(u32, &str); 7] = [
    (8605, "X-axis translation"),
    (8606, "Y-axis translation"),
    (8607, "Z-axis translation"),
    (8608, "X-axis rotation"),
    (8609, "Y-axis rotation"),
    (8610, "Z-axis rotation"),
    (8611, "Scale difference"),
];

const SECOND: f64 = std::f64::consts::PI / 648_000.0;
const PART_PER_MILLION: f64 = 1e-6;

/// What TOWGS84 says.
///
/// # Errors
/// If it has not three or seven numbers.
pub(super) fn of_towgs84(given: &Node) -> Result<Shift, String> {
    let numbers: Vec<f64> = (0..).map_while(|at| given.number(at)).collect();
    let mut shift = [0.0; 7];
    match numbers.len() {
        3 | 7 => shift[..numbers.len()].copy_from_slice(&numbers),
        count => {
            return Err(format!(
                "it has {count} numbers: a shift has three, or seven (translations in metres, \
                 rotations in seconds, scale in parts per million)"
            ));
        }
    }
    Ok(shift)
}

/// What the transformation of a bound system says; none where it is no shift to WGS 84.
pub(super) fn of_bound(bound: &Node) -> Option<Shift> {
    let target = bound.child(&["TARGETCRS"])?.nodes().next()?;
    let is_wgs84 = names::folded(target.name()) == "wgs84"
        || matches!(target.epsg(), Some(4326 | 4978 | 4979));
    let transformation = bound.child(&["ABRIDGEDTRANSFORMATION"])?;
    let method = names::squeezed(transformation.child(&["METHOD"])?.name());
    let sense = match method.as_str() {
        name if name.contains("coordinateframe") => -1.0,
        name if name.contains("positionvector") || name.contains("geocentrictranslations") => 1.0,
        _ => return None,
    };
    let mut shift = [0.0; 7];
    for given in transformation.children("PARAMETER") {
        let name = names::squeezed(given.name());
        let at = PARAMETERS.iter().position(|(code, known)| {
            given.epsg() == Some(*code) || names::squeezed(known) == name
        })?;
        let unit = given.child(&["LENGTHUNIT", "ANGLEUNIT", "SCALEUNIT", "UNIT"]);
        let size = unit.and_then(|unit| unit.number(0));
        shift[at] = given.number(0)?
            * match at {
                0..=2 => size.unwrap_or(1.0),
                3..=5 => sense * size.unwrap_or(SECOND) / SECOND,
                _ => size.unwrap_or(PART_PER_MILLION) / PART_PER_MILLION,
            };
    }
    is_wgs84.then_some(shift)
}

/// A bound system around the text of one, by ISO 19162.
pub(super) fn wkt2(source: &str, target: &str, name: &str, shift: &Shift) -> String {
    let parameters: Vec<String> = PARAMETERS
        .iter()
        .zip(shift)
        .map(|((code, name), value)| {
            let unit = match code {
                8605..=8607 => "LENGTHUNIT[\"metre\",1]".to_string(),
                8608..=8610 => format!("ANGLEUNIT[\"arc-second\",{SECOND}]"),
                _ => format!("SCALEUNIT[\"parts per million\",{PART_PER_MILLION}]"),
            };
            format!("PARAMETER[\"{name}\",{value},{unit},ID[\"EPSG\",{code}]]")
        })
        .collect();
    format!(
        "BOUNDCRS[SOURCECRS[{source}],TARGETCRS[{target}],ABRIDGEDTRANSFORMATION[\"{}\",METHOD[\
         \"Position Vector transformation (geog2D domain)\",ID[\"EPSG\",9606]],{}]]",
        name.replace('"', "\"\""),
        parameters.join(",")
    )
}

/// The parameters of a shift with their codes, names and units, for other notations.
#[cfg(feature = "json")]
pub(super) fn parameters(shift: &Shift) -> impl Iterator<Item = (u32, &'static str, f64)> {
    PARAMETERS.iter().zip(shift).map(|((code, name), value)| (*code, *name, *value))
}
