//! Finding systems by words.
//!
//! Every word asked for has to be found in the name of a system, in another name of it, in its
//! projection method or in its area of use, as it is written, as its beginning, or under another
//! spelling ([`words`]). What matches the name itself, whole words and current systems come first.

mod code;
mod index;
mod needle;
mod score;
mod spelling;
mod words;

use score::Sought;
use std::ops::RangeInclusive;
use velvet_peg_epsg::{CrsKind, CrsRow, ExtentRow};
use words::{Query, Wanted};

pub use words::name_words;

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

/// A row of the registry as if all of it matched.
impl From<CrsRow> for CrsMatch {
    fn from(row: CrsRow) -> CrsMatch {
        let area = area_of(&row);
        let CrsRow { code, name, kind, deprecated, .. } = row;
        CrsMatch { code, name, kind, deprecated, area }
    }
}

/// What a search found.
#[derive(Clone, Debug, Default)]
pub struct CrsSearch {
    /// Systems, the likeliest first.
    pub matches: Vec<CrsMatch>,
    /// Words that nothing has, and what they were taken for.
    pub taken_for: Vec<(String, String)>,
    /// Words that nothing has (or nothing has beside the others), and nothing like them: the systems
    /// match the others.
    pub left_out: Vec<String>,
}

/// Systems that match all words, the likeliest first. A number matches a code, or a zone of state
/// plane.
///
/// ```
/// let found = velvet_peg_core::crs::find("washington south feet");
/// assert_eq!(found[0].code, 6599); // NAD83(2011) / Washington South (ftUS)
/// assert_eq!(found[1].code, 2286); // NAD83 / Washington South (ftUS)
/// assert_eq!(velvet_peg_core::crs::find("utm13n wgs84")[0].code, 32613);
/// ```
pub fn find(text: &str) -> Vec<CrsMatch> {
    matching(&Query::of(text))
}

/// As [`find()`]; a code of the registry (`EPSG:2286`, `urn:ogc:def:crs:EPSG::2286`) comes first
/// wherever it stands in the text, what is spelled most like it stands in for a word that nothing has,
/// and a word that nothing is like is left out.
///
/// ```
/// use velvet_peg_core::crs::search;
/// let found = search("nad83 washingtn north ftus");
/// assert_eq!(found.matches[0].code, 2285);
/// assert_eq!(found.taken_for, [("washingtn".to_string(), "washington".to_string())]);
/// assert_eq!(search("the data is in EPSG:2927").matches[0].code, 2927);
/// let found = search("tumblewick nad83 utm 11n");
/// assert_eq!((found.matches[0].code, found.left_out), (26911, vec!["tumblewick".to_string()]));
/// ```
pub fn search(text: &str) -> CrsSearch {
    let coded = code::code_in(text).and_then(CrsRow::find).map(CrsMatch::from);
    let query = Query::of(text);
    let mut matches = matching(&query);
    if let Some(coded) = coded {
        matches.retain(|other| other.code != coded.code);
        matches.insert(0, coded);
    }
    if !matches.is_empty() || query.is_empty() {
        return CrsSearch { matches, ..CrsSearch::default() };
    }
    let spelling::Corrected { query, taken_for, mut left_out } =
        spelling::corrected(&query, |query| !matching(query).is_empty());
    let mut matches = matching(&query);
    if matches.is_empty()
        && let Some((word, others)) = without_one(&query)
    {
        left_out.push(word);
        matches = others;
    }
    if matches.is_empty() {
        // No word was left out of what was found: nothing was.
        left_out.clear();
    }
    CrsSearch { matches, taken_for, left_out }
}

/// The word without which the fewest systems match, and these; none where leaving out one does not
/// help. Of two words neither is left out: what is left would be another question. Of many none is either:
/// that is no name.
fn without_one(query: &Query) -> Option<(String, Vec<CrsMatch>)> {
    const WORDS: RangeInclusive<usize> = 3..=24;
    if !WORDS.contains(&query.wanted.len()) {
        return None;
    }
    (0..query.wanted.len())
        .filter_map(|at| {
            let mut others = query.clone();
            let Wanted::Word(term) = others.wanted.remove(at) else { return None };
            let found = matching(&others);
            (!found.is_empty()).then_some((term.typed, found))
        })
        .min_by_key(|(_, found)| found.len())
}

fn matching(query: &Query) -> Vec<CrsMatch> {
    if query.is_empty() {
        return Vec::new();
    }
    let sought = Sought::of(query);
    let mut found: Vec<(u32, CrsMatch)> =
        sought.scores().map(|(score, row)| (score, CrsMatch::from(row))).collect();
    found.sort_by_key(|(score, found)| (*score, found.name.len(), found.code));
    found.into_iter().map(|(_, found)| found).collect()
}

fn area_of(row: &CrsRow) -> &'static str {
    row.extents.first().and_then(|code| ExtentRow::find(*code)).map_or("", |extent| extent.name)
}
