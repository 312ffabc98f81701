//! Searches for systems by words, against a search that looks through all names.

use crate::words_of_systems;
use std::collections::{BTreeMap, BTreeSet};
use velvet_peg_core::crs::{find, name_words, search};
use velvet_peg_core::registry::{
    CrsRow, DatumRow, ExtentRow, OperationRow, crs_aliases, datum_aliases, method_name,
};

/// What is embedded is what the names give; after a change of either, `generate_search_words` is to be run.
#[test]
fn embedded_words_are_those_of_the_names() {
    let embedded = include_bytes!("../../data/search_words.bin");
    assert!(words_of_systems::bytes() == embedded, "run the example generate_search_words");
}

/// All names that a system is found by.
fn names(row: &CrsRow) -> Vec<&'static str> {
    let datum = row.datum.or_else(|| CrsRow::find(row.base?)?.datum).and_then(DatumRow::find);
    let conversion = row.conversion.and_then(OperationRow::find);
    let method = conversion.as_ref().and_then(|conversion| method_name(conversion.method?));
    let area = row.extents.first().and_then(|code| ExtentRow::find(*code));
    let mut names = crs_aliases(row.code);
    names.push(row.name);
    if let Some(datum) = datum {
        names.push(datum.name);
        names.extend(datum_aliases(datum.code));
    }
    names.extend(conversion.map(|conversion| conversion.name));
    names.extend(method);
    names.extend(area.map(|area| area.name));
    names
}

/// A word finds the systems of which a name has it or a longer one that begins so, and no others; two words
/// find those that both find.
#[test]
fn words_find_the_systems_that_have_them_and_no_others() {
    let systems: BTreeMap<u32, BTreeSet<String>> = CrsRow::all()
        .map(|row| (row.code, names(&row).into_iter().flat_map(name_words).collect()))
        .collect();
    let with = |start: &str| -> BTreeSet<u32> {
        let has = |words: &BTreeSet<String>| words.iter().any(|word| word.starts_with(start));
        systems.iter().filter(|(_, words)| has(words)).map(|(code, _)| *code).collect()
    };
    let found = |text: &str| -> BTreeSet<u32> { find(text).iter().map(|one| one.code).collect() };
    // Words that mean others, too, are in the tables of cases.
    let mean_others = |word: &str| name_words(word) != [word] || find_differs(word);
    let all: BTreeSet<&String> = systems.values().flatten().collect();
    let asked: Vec<&str> = all
        .into_iter()
        .map(String::as_str)
        .filter(|word| word.chars().count() > 3 && word.chars().all(char::is_alphabetic))
        .filter(|word| !mean_others(word))
        .collect();
    assert!(asked.len() > 2000, "{}", asked.len());
    for two in asked.chunks(2).step_by(7) {
        let [a, b] = [two[0], two[two.len() - 1]];
        let start: String = a.chars().take(3).collect();
        assert_eq!(found(a), with(a), "{a}");
        assert!(with(&start).is_superset(&found(a)), "{start}");
        let both: BTreeSet<u32> = with(a).intersection(&with(b)).copied().collect();
        assert_eq!(found(&format!("{a} {b}")), both, "{a} {b}");
    }
}

/// Words that people write for something else, or that stand for another one, too.
fn find_differs(word: &str) -> bool {
    const MEANT: [&str; 12] = [
        "contiguous",
        "geocentric",
        "geographic",
        "google",
        "hpgn",
        "latitude",
        "longitude",
        "metre",
        "natl",
        "pole",
        "stateplane",
        "feet",
    ];
    MEANT.contains(&word)
}

/// Numbers are no beginnings of larger ones, and single letters begin nothing.
#[test]
fn beginnings_are_of_words() {
    let names = |text: &str| -> Vec<String> {
        find(text).iter().map(|one| one.name.to_lowercase()).collect()
    };
    assert_eq!(names("itrf20"), Vec::<String>::new());
    assert!(!names("itrf2020").is_empty() && !names("itrf").is_empty());
    assert_eq!(names("nad83 washing sou").len(), names("nad83 washington south").len());
}

/// A long text of words that no name has is no name: each is told, the known ones find what they find.
#[test]
fn texts_that_are_no_names_end() {
    let strangers: Vec<String> = (0..3000).map(|at| format!("stranger{at}q")).collect();
    let found = search(&format!("washington south {}", strangers.join(" ")));
    assert_eq!(found.left_out, strangers);
    assert_eq!(found.matches[0].name, "NAD83(2011) / Washington South");
    // Known words, of which no system has all.
    let known = "washington lambert utm paris gauss ".repeat(1000);
    let found = search(&known);
    assert!(found.matches.is_empty() && found.left_out.is_empty());
}
