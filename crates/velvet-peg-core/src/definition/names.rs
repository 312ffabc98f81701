//! Names in definition texts: how they are compared, and what the words of OGC 01-009 and of
//! the files beside Shapefiles stand for.

use crate::projection::{method_of_word, word_of_method};
use velvet_peg_epsg::{methods, parameters};

/// A name with everything folded away that spellings differ in: case, accents, separators,
/// prefixes of the side files (`D_`, `GCS_`), the century of a year, and words like "datum".
pub(crate) fn folded(name: &str) -> String {
    let name = ["D_", "GCS_", "d_", "gcs_"]
        .iter()
        .find_map(|prefix| name.strip_prefix(prefix))
        .unwrap_or(name);
    let mut words: Vec<String> = Vec::new();
    let mut digits = false;
    for c in name.chars().map(plain) {
        let kind = c.is_ascii_digit();
        if !(c.is_alphanumeric() || c == '+') {
            words.push(String::new());
        } else if words.last().is_none_or(|word| !word.is_empty() && kind != digits) {
            words.push(c.to_string());
        } else if let Some(word) = words.last_mut() {
            word.push(c);
        }
        digits = kind;
    }
    words
        .iter()
        .filter(|word| {
            !matches!(
                word.as_str(),
                "datum"
                    | "geodetic"
                    | "reference"
                    | "system"
                    | "frame"
                    | "of"
                    | "the"
                    | "ensemble"
                    | "crs"
            )
        })
        .map(|word| {
            match word != "1900"
                && word.len() == 4
                && (word.starts_with("19") || word.starts_with("20"))
            {
                true => &word[2..],
                false => word.as_str(),
            }
        })
        .collect::<String>()
        .replace("northamerican", "nad")
}

/// Letters and digits only, in lower case: for names of methods, parameters and units.
pub(crate) fn squeezed(name: &str) -> String {
    name.chars().map(plain).filter(|c| c.is_alphanumeric()).collect()
}

fn plain(c: char) -> char {
    match c.to_lowercase().next().unwrap_or(c) {
        'à' | 'á' | 'â' | 'ã' | 'ä' | 'å' => 'a',
        'ç' => 'c',
        'è' | 'é' | 'ê' | 'ë' => 'e',
        'ì' | 'í' | 'î' | 'ï' => 'i',
        'ñ' => 'n',
        'ò' | 'ó' | 'ô' | 'õ' | 'ö' | 'ø' => 'o',
        'ù' | 'ú' | 'û' | 'ü' => 'u',
        c => c,
    }
}

/// EPSG code of a method's name, in any of its spellings.
pub(crate) fn method(name: &str) -> Option<u32> {
    let wanted = squeezed(name);
    let same = |word: &str| squeezed(word) == wanted;
    method_of_word(same).or_else(|| methods().find(|(_, word)| same(word)).map(|(code, _)| code))
}

/// The word that OGC 01-009 has for a method; for others the registry's name with
/// underscores.
pub(crate) fn method_word(code: u32) -> Option<String> {
    match word_of_method(code) {
        Some(word) => Some(word.to_string()),
        None => velvet_peg_epsg::method_name(code).map(underscored),
    }
}

fn underscored(name: &str) -> String {
    let words: Vec<&str> =
        name.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
    words.join("_")
}

/// Words of parameters and the codes that they may stand for, depending on the method.
const PARAMETER_WORDS: &[(&str, &[u32])] = &[
    ("latitude_of_origin", &[8801, 8821, 8811, 8832]),
    ("latitude_of_center", &[8811, 8801, 8821]),
    ("latitude_of_centre", &[8811, 8801, 8821]),
    ("central_meridian", &[8802, 8822, 8833, 8812]),
    ("longitude_of_origin", &[8802, 8822, 8833, 8812]),
    ("longitude_of_center", &[8812, 8833, 8802, 8822]),
    ("longitude_of_centre", &[8812, 8833, 8802, 8822]),
    ("scale_factor", &[8805, 8815, 8819]),
    ("false_easting", &[8806, 8826, 8816]),
    ("false_northing", &[8807, 8827, 8817]),
    ("standard_parallel_1", &[8823, 8832]),
    ("standard_parallel_2", &[8824]),
    ("pseudo_standard_parallel_1", &[8818]),
    ("azimuth", &[8813, 1036]),
    ("rectified_grid_angle", &[8814]),
    ("ellipsoid_scaling_factor", &[1038]),
    ("xy_plane_rotation", &[8814]),
];

/// The code of a parameter among those that a method has.
pub(crate) fn parameter(name: &str, method: u32, of_method: &[u32]) -> Option<u32> {
    let wanted = squeezed(name);
    // Of the two latitudes of this method the parallel is the natural origin.
    match (method, wanted.as_str()) {
        (1102, "standardparallel1") => return Some(8801),
        (1102, "latitudeoforigin") => return Some(8821),
        // The one parallel of a cone of its own is its origin.
        (9827 | 9828, "standardparallel1") => return Some(8801),
        _ => {}
    }
    let words = PARAMETER_WORDS.iter().filter(|(word, _)| squeezed(word) == wanted);
    let by_word =
        words.flat_map(|(_, codes)| codes.iter().copied()).find(|code| of_method.contains(code));
    by_word.or_else(|| {
        let named = parameters().filter(|(_, known)| squeezed(known) == wanted);
        named.map(|(code, _)| code).find(|code| of_method.contains(code))
    })
}

/// The word of OGC 01-009 for a parameter.
pub(crate) fn parameter_word(code: u32) -> Option<String> {
    let first = PARAMETER_WORDS.iter().find(|(_, codes)| codes.contains(&code));
    let fixed = match code {
        8811 => Some("latitude_of_center"),
        8812 | 8833 => Some("longitude_of_center"),
        8832 => Some("standard_parallel_1"),
        1036 => Some("azimuth"),
        _ => None,
    };
    fixed.or(first.map(|(word, _)| *word)).map(ToString::to_string).or_else(|| {
        velvet_peg_epsg::parameter_name(code).map(|name| underscored(name).to_lowercase())
    })
}
