//! Finding systems by words.
//!
//! Every word asked for has to be found in the name of a system, in another name of it, in its
//! projection method or in its area of use, as it is written, as its beginning, or under another
//! spelling ([`words`]). What matches the name itself, whole words and current systems come first.

mod code;
mod spelling;
mod words;
mod zone_numbers;

use std::collections::HashMap;
use std::sync::{Arc, OnceLock};
use velvet_peg_epsg::{
    CrsKind, CrsRow, DatumRow, ExtentRow, OperationRow, crs_aliases, datum_aliases, method_name,
};
use words::{Query, Term, Wanted};

pub(crate) use words::tokens;

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
/// help. Of two words neither is left out: what is left would be another question.
fn without_one(query: &Query) -> Option<(String, Vec<CrsMatch>)> {
    const FEWEST_WORDS: usize = 3;
    if query.wanted.len() < FEWEST_WORDS {
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
    let mut found: Vec<(u32, CrsMatch)> = entries()
        .iter()
        .filter_map(|entry| {
            let score = score(query, entry)?;
            let CrsRow { code, name, kind, deprecated, .. } = entry.row;
            Some((score, CrsMatch { code, name, kind, deprecated, area: entry.area }))
        })
        .collect();
    found.sort_by_key(|(score, found)| (*score, found.name.len(), found.code));
    found.into_iter().map(|(_, found)| found).collect()
}

fn area_of(row: &CrsRow) -> &'static str {
    row.extents.first().and_then(|code| ExtentRow::find(*code)).map_or("", |extent| extent.name)
}

/// How current a realisation is, by the words of its name: the North American ones that
/// technicians meet.
fn currency(datum: &[String]) -> u32 {
    let has = |word: &str| datum.iter().any(|own| own == word);
    match datum.first().map(String::as_str) {
        Some("nad83") if has("2011") => 0,
        Some("nad83" | "wgs84") if datum.len() == 1 => 1,
        Some("nad83") => 2,
        Some("nad27") => 4,
        _ => 3,
    }
}

/// The system of latitudes and longitudes of WGS 84.
const WGS84: u32 = 4326;

/// A system with its words.
struct Entry {
    row: CrsRow,
    area: &'static str,
    name: Vec<String>,
    /// Its other names.
    aliases: Vec<Vec<String>>,
    datum: Shared,
    method: Shared,
    /// The conversion by the method.
    conversion: Shared,
    of_area: Shared,
}

/// Words that many systems have in common.
type Shared = Arc<Vec<String>>;

/// Words by the code of what they are of, each made once.
#[derive(Default)]
struct Known(HashMap<u32, Shared>);

impl Known {
    fn of(&mut self, code: Option<u32>, words: impl FnOnce(u32) -> Vec<String>) -> Shared {
        match code {
            Some(code) => self.0.entry(code).or_insert_with(|| Arc::new(words(code))).clone(),
            None => Shared::default(),
        }
    }
}

/// Every system with its words: some megabytes, made when the first search wants them.
fn entries() -> &'static [Entry] {
    static ENTRIES: OnceLock<Vec<Entry>> = OnceLock::new();
    ENTRIES.get_or_init(|| {
        let [mut datums, mut methods, mut conversions, mut areas] = <[Known; 4]>::default();
        let mut method_of: HashMap<u32, Option<u32>> = HashMap::new();
        let entry = |row: CrsRow| {
            let conversion = conversions.of(row.conversion, |code| {
                let found = OperationRow::find(code);
                method_of.insert(code, found.as_ref().and_then(|conversion| conversion.method));
                found.map_or(Vec::new(), |conversion| tokens(conversion.name))
            });
            let method = row.conversion.and_then(|code| *method_of.get(&code)?);
            let of_method = |code| method_name(code).map(tokens).unwrap_or_default();
            let area = area_of(&row);
            Entry {
                area,
                name: tokens(row.name),
                aliases: crs_aliases(row.code).into_iter().map(tokens).collect(),
                datum: datums.of(datum_of(&row), words_of_datum),
                method: methods.of(method, of_method),
                conversion,
                of_area: areas.of(row.extents.first().copied(), |_| tokens(area)),
                row,
            }
        };
        CrsRow::all().map(entry).collect()
    })
}

impl Entry {
    /// What it costs that a term is found where it is; none if it is nowhere.
    fn cost(&self, term: &Term) -> Option<u32> {
        let alias = || self.aliases.iter().filter_map(|words| term.cost_in(words)).min();
        term.cost_in(&self.name)
            .or_else(|| alias().map(|cost| cost + 5))
            .or_else(|| term.cost_in(self.datum.iter()).map(|cost| cost + 6))
            .or_else(|| {
                let words = self.method.iter().chain(self.conversion.iter());
                term.cost_in(words).map(|cost| cost + 8)
            })
            .or_else(|| term.cost_in(self.of_area.iter()).map(|cost| cost + 10))
    }

    /// The words of its name before and behind the stroke.
    fn halves(&self) -> (Vec<String>, Vec<String>) {
        let (datum, zone) = self.row.name.split_once(" / ").unwrap_or(("", self.row.name));
        (tokens(datum), tokens(zone))
    }

    /// Every word of it.
    fn words(&self) -> impl Iterator<Item = &String> {
        let named = self.name.iter().chain(self.aliases.iter().flatten());
        named
            .chain(self.datum.iter())
            .chain(self.method.iter())
            .chain(self.conversion.iter())
            .chain(self.of_area.iter())
    }
}

/// The datum of a system, or of the one that it is based on.
fn datum_of(row: &CrsRow) -> Option<u32> {
    row.datum.or_else(|| CrsRow::find(row.base?)?.datum)
}

/// The words of the names of a datum.
fn words_of_datum(code: u32) -> Vec<String> {
    let Some(datum) = DatumRow::find(code) else { return Vec::new() };
    let others = datum_aliases(datum.code);
    others.iter().chain([&datum.name]).flat_map(|name| tokens(name)).collect()
}

/// Lower is better; none if some word matches nothing.
fn score(query: &Query, entry: &Entry) -> Option<u32> {
    let row = &entry.row;
    // Another name of it, word for word.
    let is_named = || entry.aliases.iter().any(|alias| query.is(alias));
    let named = match row.kind {
        _ if row.deprecated => None,
        CrsKind::Geographic2D => Some(1),
        CrsKind::Geographic3D | CrsKind::Geocentric => Some(2),
        CrsKind::Compound => None,
        _ => Some(3),
    };
    match (named.filter(|_| is_named()), score_by_words(query, entry)) {
        (Some(one), Some(other)) => Some(one.min(other)),
        (one, other) => one.or(other),
    }
}

/// As [`score`], word by word.
fn score_by_words(query: &Query, entry: &Entry) -> Option<u32> {
    let row = &entry.row;
    let mut penalty = 0;
    let mut of_name = 0;
    for wanted in &query.wanted {
        penalty += match wanted {
            Wanted::Number(term, number) => match () {
                () if *number == row.code => 0,
                () if zone_numbers::is_of(row, *number) => 1,
                () => entry.cost(term)?,
            },
            Wanted::Word(term) => {
                of_name += term.count_in(&entry.name);
                entry.cost(term)?
            }
            Wanted::Degrees => match row.kind {
                CrsKind::Geographic2D => 0,
                CrsKind::Geographic3D => 1,
                _ => return None,
            },
            Wanted::Space => (row.kind == CrsKind::Geographic3D).then_some(0)?,
            Wanted::Geocentric => (row.kind == CrsKind::Geocentric).then_some(0)?,
            Wanted::Metres => zone_numbers::counts_metres(row).then_some(0)?,
        };
    }
    // Words of the name that were not asked for make it a looser match; those of the datum only
    // where a datum was asked for. Otherwise its currency decides.
    let (datum, zone) = entry.halves();
    let asked = |words: &[String]| query.terms().any(|term| term.cost_in(words).is_some());
    penalty += match datum.is_empty() || asked(&datum) {
        true => entry.name.len().saturating_sub(of_name) as u32,
        false => zone.len().saturating_sub(of_name) as u32 + currency(&datum),
    };
    // Without a datum, latitude and longitude are mostly those of satellites.
    penalty += u32::from(query.terms().next().is_none() && row.code != WGS84) * 10;
    // Words that were asked for one behind the other are meant so.
    let terms: Vec<&Term> = query.terms().collect();
    let beside = |a: &Term, b: &Term| {
        entry
            .name
            .windows(2)
            .any(|two| a.cost_in(&two[..1]).is_some() && b.cost_in(&two[1..]).is_some())
    };
    penalty += terms.windows(2).filter(|two| !beside(two[0], two[1])).count() as u32;
    // Depths are for those who say so.
    penalty += u32::from(entry.name.iter().any(|word| word == "depth"));
    penalty += match row.kind {
        CrsKind::Projected | CrsKind::Geographic2D => 0,
        CrsKind::Geographic3D | CrsKind::Geocentric => 3,
        CrsKind::Compound => 9,
        _ => 8,
    };
    Some(penalty + if row.deprecated { 1000 } else { 0 })
}
