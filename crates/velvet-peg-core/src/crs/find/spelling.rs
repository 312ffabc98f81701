//! Words that nothing has, and what is spelled most like them.

use super::words::{Query, Term, Wanted};
use super::{Entry, entries};
use crate::spelling::nearest;
use std::collections::BTreeSet;

/// A query without words that nothing has.
pub(super) struct Corrected {
    pub(super) query: Query,
    pub(super) taken_for: Vec<(String, String)>,
    pub(super) left_out: Vec<String>,
}

/// The query with every word that nothing has replaced by the one that is spelled most like it, or
/// left out where nothing is like it. Nothing is left of a query of which no word is known.
pub(super) fn corrected(query: &Query) -> Corrected {
    let known = vocabulary();
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
        match nearest(&term.typed, words).filter(|_| long(&&term.typed)) {
            Some(nearest) => {
                kept += 1;
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
