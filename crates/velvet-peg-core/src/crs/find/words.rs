//! Words of names and of what people ask for, in one spelling.

use crate::spelling::plain;
use crate::states::POSTAL;
use std::collections::HashMap;

/// A word asked for, with what else it may be written as.
#[derive(Clone, Debug)]
pub(super) struct Term {
    /// As it was typed.
    pub(super) typed: String,
    /// Spellings, with what it costs to mean them.
    pub(super) spellings: Vec<(String, u32)>,
}

impl Term {
    pub(super) fn new(word: &str) -> Term {
        let mut spellings = vec![(word.to_string(), 0)];
        let others = OTHERS.iter().filter(|(own, _)| *own == word);
        spellings.extend(others.flat_map(|(_, all)| all.iter().map(|one| (one.to_string(), 1))));
        let state = POSTAL.iter().find(|(short, _)| *short == word);
        spellings.extend(state.map(|(_, name)| (name.to_string(), 1)));
        // Zones are numbered in either figures.
        let figures = ROMAN
            .iter()
            .zip(1..)
            .find(|(roman, number): &(&&str, u32)| **roman == word || number.to_string() == word);
        if let Some((roman, number)) = figures {
            let other = if *roman == word { number.to_string() } else { (*roman).to_string() };
            spellings.push((other, 1));
        }
        Term { typed: word.to_string(), spellings }
    }
}

/// True for what begins too many words to stand for one.
pub(super) fn is_short(word: &str) -> bool {
    word.chars().count() < 2 || ROMAN.contains(&word)
}

/// Something asked for.
#[derive(Clone, Debug)]
pub(super) enum Wanted {
    Word(Term),
    /// A code, a zone number, or a word made of digits.
    Number(Term, u32),
    /// A system of latitudes and longitudes.
    Degrees,
    /// A system of latitudes, longitudes and heights.
    Space,
    /// A geocentric system.
    Geocentric,
    /// A system in metres.
    Metres,
}

/// What is asked for.
#[derive(Clone, Debug, Default)]
pub(super) struct Query {
    pub(super) wanted: Vec<Wanted>,
}

/// How often a word counts.
const MOST_TIMES: usize = 4;

impl Query {
    pub(super) fn of(text: &str) -> Query {
        // Side files join the words of names, and say which kind of name follows.
        let mut text = plain(text).replace('_', " ");
        for (prefix, meant) in [("gcs ", "#degrees "), ("d ", "")] {
            if let Some(rest) = text.strip_prefix(prefix) {
                text = format!("{meant}{rest}");
            }
        }
        for (phrase, meant) in FEET.iter().chain(&ZONES).chain(&PHRASES) {
            text = replaced(&text, phrase, meant);
        }
        let mut wanted = Vec::new();
        let words = joined(text.split(|c: char| !c.is_alphanumeric() && c != '#'));
        let mut times: HashMap<&str, usize> = HashMap::new();
        for word in words.iter().filter(|word| !FILLERS.contains(&word.as_str())) {
            // No name has a word more often: what it is said again for adds nothing.
            let said = times.entry(word).or_default();
            *said += 1;
            if *said > MOST_TIMES {
                continue;
            }
            match word.as_str() {
                "#degrees" | "2d" => wanted.push(Wanted::Degrees),
                "3d" => wanted.push(Wanted::Space),
                "ecef" | "geocentric" => wanted.push(Wanted::Geocentric),
                "m" | "meter" | "meters" | "metre" | "metres" | "metric" => {
                    wanted.push(Wanted::Metres);
                }
                "gps" => {
                    wanted.extend([Wanted::Degrees, Wanted::Word(Term::new("wgs84"))]);
                }
                word => wanted.push(match word.parse() {
                    Ok(number) => Wanted::Number(Term::new(word), number),
                    Err(_) => Wanted::Word(Term::new(word)),
                }),
            }
        }
        Query { wanted }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.wanted.is_empty()
    }
}

/// The words of a name as searches compare them: small letters without marks, datums and years in one word,
/// feet and zones in one spelling, without words that say nothing.
///
/// ```
/// use velvet_peg_core::crs::name_words;
/// assert_eq!(name_words("WGS 84 / UTM zone 13N"), ["wgs84", "utm", "13n"]);
/// ```
pub fn name_words(name: &str) -> Vec<String> {
    let mut text = plain(name);
    // Most names hold nothing that the phrases begin with.
    let may_hold = |parts: &[&str]| parts.iter().any(|part| text.contains(part));
    let (feet, zones) = (may_hold(&FEET_PARTS), may_hold(&["cs83", "cs 83", "cs27", "cs 27"]));
    for (phrase, meant) in FEET.iter().filter(|_| feet).chain(ZONES.iter().filter(|_| zones)) {
        if text.contains(phrase) {
            text = replaced(&text, phrase, meant);
        }
    }
    let mut words = joined(text.split(|c: char| !c.is_alphanumeric()));
    words.retain(|word| !FILLERS.contains(&word.as_str()));
    words
}

/// Words apart that belong together, and the other way round: `wgs 84`, `utm13n`, `13 north`.
fn joined<'a>(words: impl Iterator<Item = &'a str>) -> Vec<String> {
    let mut parts: Vec<&str> = Vec::new();
    for word in words.filter(|word| !word.is_empty()) {
        match utm_glued(word) {
            Some(rest) => parts.extend(["utm", rest]),
            None => parts.push(word),
        }
    }
    let mut out: Vec<String> = Vec::with_capacity(parts.len());
    let in_utm = parts.contains(&"utm");
    for word in parts {
        let word = if in_utm { banded(word) } else { word.to_string() };
        let digits = !word.is_empty() && word.bytes().all(|b| b.is_ascii_digit());
        let before = out.last().map_or("", String::as_str);
        let zone = in_utm && before.len() <= 2 && before.parse::<u8>().is_ok_and(|z| z <= 60);
        match word.as_str() {
            number if digits && DATUMS.contains(&before) => {
                let dated = year(before, number);
                out.pop();
                out.push(dated);
            }
            // Letters of latitude bands; of a zone N and S stand for the hemisphere.
            band if zone && band.len() == 1 && BANDS_SOUTH.contains(band) => append(&mut out, "s"),
            band if zone && band.len() == 1 && BANDS_NORTH.contains(band) => append(&mut out, "n"),
            "n" | "north" if zone => append(&mut out, "n"),
            "s" | "south" if zone => append(&mut out, "s"),
            _ => {
                let letters = word.trim_end_matches(|c: char| c.is_ascii_digit());
                let number = &word[letters.len()..];
                let hemisphere = word.strip_suffix("north").or(word.strip_suffix("south"));
                out.push(match hemisphere {
                    Some(zone) if zone.parse::<u8>().is_ok() => word[..zone.len() + 1].to_string(),
                    _ if !number.is_empty() && DATUMS.contains(&letters) => year(letters, number),
                    _ => word,
                });
            }
        }
    }
    out
}

/// Letters of the latitude bands of each hemisphere, but for N and S.
const BANDS_SOUTH: &str = "cdefghjklm";
const BANDS_NORTH: &str = "pqrtuvwx";

/// `30t`, a zone with its latitude band, as the zone of its hemisphere.
fn banded(word: &str) -> String {
    let zone = word.trim_end_matches(|c: char| c.is_ascii_alphabetic());
    let band = &word[zone.len()..];
    match zone.parse::<u8>() {
        Ok(1..=60) if band.len() == 1 && BANDS_SOUTH.contains(band) => format!("{zone}s"),
        Ok(1..=60) if band.len() == 1 && BANDS_NORTH.contains(band) => format!("{zone}n"),
        _ => word.to_string(),
    }
}

fn append(words: &mut [String], letter: &str) {
    if let Some(last) = words.last_mut() {
        last.push_str(letter);
    }
}

/// What follows in `utm13n`, `utmzone13n`.
fn utm_glued(word: &str) -> Option<&str> {
    let rest = word.strip_prefix("utm")?;
    let rest = rest.strip_prefix("zone").unwrap_or(rest).trim_start_matches('0');
    rest.starts_with(|c: char| c.is_ascii_digit()).then_some(rest)
}

/// A datum with the year as its name has it: 1984 is 84 in WGS 84, 1983 is 83 in NAD83.
fn year(datum: &str, number: &str) -> String {
    let short = ["wgs", "nad", "etrs", "ed", "osgb", "gda"].contains(&datum);
    match number.strip_prefix("19").filter(|rest| short && rest.len() == 2) {
        Some(rest) => format!("{datum}{rest}"),
        None => format!("{datum}{number}"),
    }
}

/// Replaces a phrase of whole words.
fn replaced(text: &str, phrase: &str, meant: &str) -> String {
    if !text.contains(phrase) {
        return text.to_string();
    }
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find(phrase) {
        let (before, after) = (&rest[..at], &rest[at + phrase.len()..]);
        let whole =
            !before.ends_with(char::is_alphanumeric) && !after.starts_with(char::is_alphanumeric);
        out.push_str(before);
        out.push_str(if whole { meant } else { phrase });
        rest = after;
    }
    out + rest
}

/// Names of the US survey foot.
const FEET: [(&str, &str); 10] = [
    ("us survey feet", "ftus"),
    ("us survey foot", "ftus"),
    ("survey feet", "ftus"),
    ("survey foot", "ftus"),
    ("us feet", "ftus"),
    ("us foot", "ftus"),
    ("us ft", "ftus"),
    ("ft us", "ftus"),
    ("usft", "ftus"),
    ("sft", "ftus"),
];

/// Parts of which each of these has one.
const FEET_PARTS: [&str; 5] = ["survey", "us f", "ft us", "usft", "sft"];

/// The two sets of state-plane zones.
const ZONES: [(&str, &str); 5] = [
    ("spcs83", "spcs nad83"),
    ("spcs 83", "spcs nad83"),
    ("spcs27", "spcs nad27"),
    ("spcs 27", "spcs nad27"),
    ("cs27", "spcs nad27"),
];

/// Phrases, longer ones first, and how the registry says it.
const PHRASES: [(&str, &str); 45] = [
    ("international feet", "ft"),
    ("international foot", "ft"),
    ("intl feet", "ft"),
    ("intl ft", "ft"),
    ("feet intl", "ft"),
    ("foot intl", "ft"),
    ("north american 1983", "nad83"),
    ("north american 1927", "nad27"),
    ("european 1950", "ed50"),
    ("spc", "spcs"),
    ("mga94", "gda94 mga"),
    ("mga2020", "gda2020 mga"),
    ("amg66", "agd66 amg"),
    ("amg84", "agd84 amg"),
    ("puwg", "poland cs"),
    ("in east", "indiana east"),
    ("in west", "indiana west"),
    ("albers equal area conic", "albers"),
    ("contiguous", "conus"),
    ("nzmg", "new zealand map grid"),
    ("universal transverse mercator", "utm"),
    ("north american datum", "nad"),
    ("world geodetic system", "wgs"),
    ("web mercator", "pseudo mercator"),
    ("webmercator", "pseudo mercator"),
    ("google mercator", "pseudo mercator"),
    ("spherical mercator", "pseudo mercator"),
    ("state plane", "spcs"),
    ("stateplane", "spcs"),
    ("bng", "british national grid"),
    ("gk", "gauss kruger"),
    ("lambert conformal conic", "lambert conic conformal"),
    ("latitude longitude", "#degrees"),
    ("latitude and longitude", "#degrees"),
    ("longitude latitude", "#degrees"),
    ("lat/long", "#degrees"),
    ("lat/lon", "#degrees"),
    ("lat long", "#degrees"),
    ("lat lon", "#degrees"),
    ("long lat", "#degrees"),
    ("lon lat", "#degrees"),
    ("latlong", "#degrees"),
    ("latlon", "#degrees"),
    ("lonlat", "#degrees"),
    ("geographic", "#degrees"),
];

/// Words that say nothing of which system is meant.
const FILLERS: [&str; 16] = [
    "zone",
    "srid",
    "wkid",
    "fips",
    "datum",
    "crs",
    "srs",
    "epsg",
    "code",
    "system",
    "coordinate",
    "coordinates",
    "projection",
    "the",
    "of",
    "in",
];

/// Words that stand in front of a year or number which belongs to them.
const DATUMS: [&str; 15] = [
    "wgs", "nad", "etrs", "etrf", "itrf", "ed", "gda", "osgb", "nzgd", "jgd", "sirgas", "cgcs",
    "sweref", "navd", "ngvd",
];

/// Roman figures of zones, from one on.
const ROMAN: [&str; 19] = [
    "i", "ii", "iii", "iv", "v", "vi", "vii", "viii", "ix", "x", "xi", "xii", "xiii", "xiv", "xv",
    "xvi", "xvii", "xviii", "xix",
];

/// Other spellings of single words.
const OTHERS: &[(&str, &[&str])] = &[
    ("natl", &["national"]),
    ("n", &["north"]),
    ("s", &["south"]),
    ("e", &["east"]),
    ("w", &["west"]),
    ("c", &["central"]),
    ("pole", &["polar"]),
    ("ft", &["ftus"]),
    ("feet", &["ft", "ftus"]),
    ("foot", &["ft", "ftus"]),
    ("hpgn", &["harn"]),
    ("sp", &["spcs"]),
    ("lcc", &["lambert conic"]),
    ("laea", &["azimuthal"]),
    ("aea", &["albers"]),
    ("tm", &["transverse"]),
    ("gb", &["britain"]),
    ("uk", &["united kingdom", "british"]),
    ("google", &["pseudo mercator"]),
    ("900913", &["pseudo mercator"]),
];
