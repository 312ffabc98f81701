//! Finding systems by words.
//!
//! Every word asked for must begin a word of the name, of another name, or of the area's
//! name. What matches the name itself, whole words and current systems come first.

use velvet_peg_epsg::{CrsKind, CrsRow, ExtentRow, crs_aliases};

/// A system that matches.
#[derive(Clone, Debug)]
pub struct CrsMatch {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// Kind of system.
    pub kind: CrsKind,
    /// True if withdrawn.
    pub deprecated: bool,
    /// Name of the area of use.
    pub area: &'static str,
}

/// Systems that match all words, the likeliest first. A number matches a code.
///
/// ```
/// let found = velvet_peg_core::crs::find("washington south feet");
/// assert_eq!(found[0].code, 6599); // NAD83(2011) / Washington South (ftUS)
/// assert_eq!(found[1].code, 2286); // NAD83 / Washington South (ftUS)
/// ```
pub fn find(text: &str) -> Vec<CrsMatch> {
    let wanted = words_of(text);
    if wanted.is_empty() {
        return Vec::new();
    }
    let mut found: Vec<(u32, CrsMatch)> = CrsRow::all()
        .filter_map(|row| {
            let area = row
                .extents
                .first()
                .and_then(|code| ExtentRow::find(*code))
                .map_or("", |extent| extent.name);
            let score = score(&wanted, &row, area)?;
            let matched = CrsMatch {
                code: row.code,
                name: row.name,
                kind: row.kind,
                deprecated: row.deprecated,
                area,
            };
            Some((score, matched))
        })
        .collect();
    found.sort_by_key(|(score, found)| (*score, found.name.len(), found.code));
    found.into_iter().map(|(_, found)| found).collect()
}

/// Lower-case words of a name, with the spellings of the feet made one.
pub(crate) fn words_of(text: &str) -> Vec<String> {
    let lower = text
        .to_lowercase()
        .replace("us survey feet", "ftus")
        .replace("us survey foot", "ftus")
        .replace("survey feet", "ftus")
        .replace("survey foot", "ftus");
    lower
        .split(|c: char| !c.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(|word| match word {
            "feet" | "foot" => "ft".to_string(),
            word => word.to_string(),
        })
        .collect()
}

/// How current a realisation is, by the words of its name: the North American ones that
/// technicians meet.
fn currency(datum: &[String]) -> u32 {
    let has = |word: &str| datum.iter().any(|own| own == word);
    match datum.first().map(String::as_str) {
        Some("nad83") if has("2011") => 0,
        Some("nad83") if datum.len() == 1 => 1,
        Some("nad83") => 2,
        Some("nad27") => 4,
        _ => 1,
    }
}

/// Lower is better; none if some word matches nothing.
fn score(wanted: &[String], row: &CrsRow, area: &str) -> Option<u32> {
    let code = row.code.to_string();
    let name = words_of(row.name);
    let mut penalty = 0;
    let mut aliases = None;
    for word in wanted {
        let in_words = |words: &[String]| match words {
            words if words.contains(word) => Some(0),
            words if words.iter().any(|other| other.starts_with(word.as_str())) => Some(2),
            _ => None,
        };
        penalty += if *word == code {
            0
        } else if let Some(cost) = in_words(&name) {
            cost
        } else if let Some(cost) = in_words(aliases.get_or_insert_with(|| {
            crs_aliases(row.code).iter().flat_map(|alias| words_of(alias)).collect::<Vec<_>>()
        })) {
            cost + 5
        } else {
            in_words(&words_of(area))? + 10
        };
    }
    // Words of the name that were not asked for make it a looser match; those of the datum only
    // where a datum was asked for. Otherwise its currency decides.
    let (datum, zone) = row.name.split_once(" / ").unwrap_or(("", row.name));
    let datum = words_of(datum);
    if datum.is_empty() || wanted.iter().any(|word| datum.contains(word)) {
        penalty += name.len().saturating_sub(wanted.len()) as u32;
    } else {
        penalty += words_of(zone).len().saturating_sub(wanted.len()) as u32 + currency(&datum);
    }
    penalty += match row.kind {
        CrsKind::Projected | CrsKind::Geographic2D => 0,
        CrsKind::Geographic3D | CrsKind::Geocentric => 3,
        CrsKind::Compound => 6,
        _ => 8,
    };
    Some(penalty + if row.deprecated { 1000 } else { 0 })
}
