//! Finding systems by words, counties among them.

use std::collections::{BTreeMap, BTreeSet};
use velvet_peg_core::crs::{CrsMatch, CrsSearch, search};
use velvet_peg_core::registry::CrsRow;
use velvet_peg_core::zones::{
    County, UtmZone, ZoneSet, county_named, state_plane_zones_of_county, utm_zones_of_county,
};

/// Words that counties are known by.
const KINDS: [&str; 3] = ["county", "parish", "borough"];

/// Words among which a county is looked for.
const MOST_WORDS: usize = 24;

/// Systems that match words, the likeliest first: as [`search`], and the state-plane systems of a
/// county where one is named (`Douglas county, Washington`, `feet king county washington`).
///
/// ```
/// use velvet_peg::crs::find_systems;
/// let found = find_systems("douglas county washington feet").matches;
/// assert_eq!(found[0].name, "NAD83(2011) / Washington North (ftUS)");
/// assert!(found.iter().any(|one| one.code == 2285));
/// ```
pub fn find_systems(text: &str) -> CrsSearch {
    let words: Vec<&str> =
        text.split(|c: char| c.is_whitespace() || c == ',').filter(|w| !w.is_empty()).collect();
    // So many words are no county and its state.
    if words.len() > MOST_WORDS {
        return search(text);
    }
    let is_county = |word: &&str| KINDS.contains(&word.to_lowercase().as_str());
    if words.iter().any(is_county) {
        let found = named(&words).and_then(|(counties, rest)| of_counties(&counties, &rest));
        return found.map_or_else(CrsSearch::default, plain);
    }
    let found = search(text);
    let whole = found.taken_for.is_empty() && found.left_out.is_empty();
    if !found.matches.is_empty() && whole {
        return found;
    }
    // A county and its state, without the word; or a county of which there is but one.
    let named = named(&words).or_else(|| named_once(&words));
    named.and_then(|(counties, rest)| of_counties(&counties, &rest)).map_or(found, plain)
}

fn plain(matches: Vec<CrsMatch>) -> CrsSearch {
    CrsSearch { matches, ..CrsSearch::default() }
}

/// The systems of counties, held to other words.
fn of_counties(counties: &[County], rest: &[&str]) -> Option<Vec<CrsMatch>> {
    let mut codes: Vec<u32> = Vec::new();
    let mut zones: Vec<(ZoneSet, &[u32])> = Vec::new();
    for set in [ZoneSet::Spcs83, ZoneSet::Spcs27] {
        for county in counties {
            for zone in state_plane_zones_of_county(set, county.fips) {
                codes.extend(&zone.systems);
                zones.push((set, &zone.systems));
            }
        }
    }
    let utm = |word: &&str| word.eq_ignore_ascii_case("utm");
    if rest.iter().any(utm) {
        // The zone with most of the county first, on each datum that the words allow.
        let words = rest.join(" ");
        let zones = counties.iter().flat_map(|county| utm_zones_of_county(county.fips));
        let of_zone = |(zone, _): (UtmZone, f64)| {
            // EPSG conversions 16001 to 16060, south of the equator 16101 to 16160.
            let first = if zone.is_north() { 16_000 } else { 16_100 };
            let conversion = Some(first + u32::from(zone.number()));
            let CrsSearch { matches: mut found, left_out, .. } =
                search(&format!("{words} {}", zone.name()));
            // A word that nothing has may be another state.
            found.retain(|_| left_out.is_empty());
            found.retain(|one| {
                CrsRow::find(one.code).is_some_and(|row| row.conversion == conversion)
            });
            found
        };
        let mut found: Vec<CrsMatch> = zones.flat_map(of_zone).collect();
        let mut seen = BTreeSet::new();
        found.retain(|one| seen.insert(one.code));
        return (!found.is_empty()).then_some(found);
    }
    let mut seen = BTreeSet::new();
    codes.retain(|code| seen.insert(*code));
    let matches = codes.into_iter().filter_map(CrsRow::find).map(CrsMatch::from);
    let rest = rest.join(" ");
    let others = search(&rest).matches;
    let mut matches: Vec<CrsMatch> = matches.collect();
    if !rest.trim().is_empty() {
        let place = |one: &CrsMatch| others.iter().position(|other| other.code == one.code);
        matches.retain(|one| place(one).is_some());
        matches.sort_by_key(|one| place(one));
    }
    // A county that is split has the systems of its zones in turns, those of 1983 first.
    let zone = |one: &CrsMatch| zones.iter().position(|(_, zone)| zone.contains(&one.code));
    let mut turns: BTreeMap<Option<usize>, usize> = BTreeMap::new();
    let mut in_turns: Vec<((bool, usize), CrsMatch)> = Vec::new();
    for one in matches {
        let at = zone(&one);
        let turn = turns.entry(at).or_default();
        let old = at.is_some_and(|at| zones[at].0 == ZoneSet::Spcs27);
        in_turns.push(((old, *turn), one));
        *turn += 1;
    }
    in_turns.sort_by_key(|(turn, _)| *turn);
    let matches: Vec<CrsMatch> = in_turns.into_iter().map(|(_, one)| one).collect();
    (!matches.is_empty()).then_some(matches)
}

/// The counties that a run of the words names, with a state behind it where that is there, and the
/// words that are left. The longest run wins.
fn named<'a>(words: &[&'a str]) -> Option<(Vec<County>, Vec<&'a str>)> {
    const LONGEST: usize = 5;
    for length in (1..=words.len().min(LONGEST)).rev() {
        for first in 0..=words.len() - length {
            let run = &words[first..first + length];
            // The state is of one word or two; without one, the kind has to be said.
            let kind = run.iter().position(|word| KINDS.contains(&word.to_lowercase().as_str()));
            let splits = match kind {
                Some(at) => at + 1..=at + 1,
                None => 1..=length.saturating_sub(1),
            };
            for split in splits {
                let text = format!("{}, {}", run[..split].join(" "), run[split..].join(" "));
                let counties = county_named(text.trim_end_matches([',', ' ']));
                if !counties.is_empty() && (kind.is_some() || split < length) {
                    let rest = words[..first].iter().chain(&words[first + length..]).copied();
                    return Some((counties, rest.collect()));
                }
            }
        }
    }
    None
}

/// The county that a run of the words names, if there is no other of that name, and the words that are
/// left.
fn named_once<'a>(words: &[&'a str]) -> Option<(Vec<County>, Vec<&'a str>)> {
    (0..words.len())
        .flat_map(|first| (first + 1..=words.len().min(first + 3)).map(move |end| (first, end)))
        .find_map(|(first, end)| {
            let counties = county_named(&words[first..end].join(" "));
            let rest = words[..first].iter().chain(&words[end..]).copied();
            (counties.len() == 1).then(|| (counties, rest.collect()))
        })
}
