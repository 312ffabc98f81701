//! Words that nothing has, and what is spelled most like them.

use super::words::{Query, Term, Wanted};
use super::{Entry, entries};
use crate::spelling::near;
use std::collections::BTreeSet;

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
    let known = vocabulary();
    // What is known of the query, to which words are put in place of those that are not.
    let mut sure = query.clone();
    sure.wanted.retain(|wanted| match wanted {
        Wanted::Word(term) => term.cost_in(&known).is_some(),
        _ => true,
    });
    let mut corrected =
        Corrected { query: Query::default(), taken_for: Vec::new(), left_out: Vec::new() };
    let mut kept = 0;
    for wanted in &query.wanted {
        let Wanted::Word(term) = wanted else {
            corrected.query.wanted.push(wanted.clone());
            continue;
        };
        if term.cost_in(&known).is_some() {
            kept += 1;
            corrected.query.wanted.push(wanted.clone());
            continue;
        }
        // Short words are spelled like too much.
        let long = |word: &&String| word.chars().count() > 3;
        let words = known.iter().filter(long).map(String::as_str);
        let likely = if long(&&term.typed) { near(&term.typed, words) } else { Vec::new() };
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

/// Every word of current systems.
fn vocabulary() -> Vec<String> {
    let current = entries().iter().filter(|entry| !entry.row.deprecated);
    let known: BTreeSet<&String> = current.flat_map(Entry::words).collect();
    known.into_iter().cloned().collect()
}
