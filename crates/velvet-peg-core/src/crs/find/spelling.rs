//! Words that nothing has, and what is spelled most like them.

use super::index::{Index, Word};
use super::needle::Needle;
use super::words::{Query, Term, Wanted};
use crate::spelling::near;
use std::collections::BTreeSet;
use std::sync::OnceLock;
use velvet_peg_epsg::CrsRow;

/// A query without words that nothing has.
pub(super) struct Corrected {
    pub(super) query: Query,
    pub(super) taken_for: Vec<(String, String)>,
    pub(super) left_out: Vec<String>,
}

/// The query with every word that nothing has replaced by the one that is spelled most like it, or
/// left out where nothing is like it; of words that are like it, by one that goes with the known words, if
/// one does. Nothing is left of a query of which no word is known.
pub(super) fn corrected(query: &Query, finds: impl Fn(&Query) -> bool) -> Corrected {
    /// Words that are tried with the others.
    const TRIED: usize = 8;
    /// Unknown words that are compared with known ones: more are no typing errors.
    const COMPARED: usize = 8;
    let index = Index::get();
    let known = vocabulary();
    let is_known = |term: &Term| Needle::of(term, index).cost_in(&[known]).is_some();
    // What is known of the query, to which words are put in place of those that are not.
    let mut sure = query.clone();
    sure.wanted.retain(|wanted| match wanted {
        Wanted::Word(term) => is_known(term),
        _ => true,
    });
    let mut corrected =
        Corrected { query: Query::default(), taken_for: Vec::new(), left_out: Vec::new() };
    let (mut kept, mut compared) = (0, 0);
    for wanted in &query.wanted {
        let Wanted::Word(term) = wanted else {
            corrected.query.wanted.push(wanted.clone());
            continue;
        };
        if is_known(term) {
            kept += 1;
            corrected.query.wanted.push(wanted.clone());
            continue;
        }
        // Short words are spelled like too much.
        let long = |word: &&str| word.chars().count() > 3;
        let words = known.iter().map(|word| index.text(*word)).filter(long);
        let is_compared = long(&&*term.typed) && compared < COMPARED;
        compared += usize::from(is_compared);
        let likely = if is_compared { near(&term.typed, words) } else { Vec::new() };
        let goes_with = |word: &&&str| {
            let mut whole = sure.clone();
            whole.wanted.push(Wanted::Word(Term::new(word)));
            finds(&whole)
        };
        match likely.iter().take(TRIED).find(goes_with).or(likely.first()) {
            Some(nearest) => {
                kept += 1;
                sure.wanted.push(Wanted::Word(Term::new(nearest)));
                corrected.taken_for.push((term.typed.clone(), nearest.to_string()));
                corrected.query.wanted.push(Wanted::Word(Term::new(nearest)));
            }
            None => corrected.left_out.push(term.typed.clone()),
        }
    }
    // Nothing that was asked for by name is found by the rest alone.
    if kept == 0 && !corrected.left_out.is_empty() {
        corrected.query = Query::default();
    }
    corrected
}

/// Every word of current systems, gathered when the first search wants them.
fn vocabulary() -> &'static [Word] {
    static WORDS: OnceLock<Vec<Word>> = OnceLock::new();
    WORDS.get_or_init(|| {
        let index = Index::get();
        let mut known = BTreeSet::new();
        let is_current = |code| CrsRow::find(code).is_some_and(|row| !row.deprecated);
        for system in index.systems().iter().filter(|system| is_current(system.code)) {
            let lists = [system.name, system.datum, system.method, system.conversion, system.area];
            known.extend(lists.into_iter().flat_map(|list| index.of(list)));
            known.extend(index.aliases(system).flatten());
        }
        known.into_iter().copied().collect()
    })
}
