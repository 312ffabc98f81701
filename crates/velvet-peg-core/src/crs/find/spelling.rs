//! Words that nothing has, and what is spelled most like them.

use super::words::{Query, Term, Wanted};
use super::{Entry, entries};
use crate::spelling::nearest;
use std::collections::BTreeSet;

/// The query with every word that nothing has replaced by the one that is spelled most like it; none
/// if there is nothing to replace, or nothing like it.
pub(super) fn corrected(query: &Query) -> Option<(Query, Vec<(String, String)>)> {
    let known = vocabulary();
    let mut corrected = query.clone();
    let mut taken_for = Vec::new();
    for wanted in &mut corrected.wanted {
        let Wanted::Word(term) = wanted else { continue };
        if term.cost_in(&known).is_some() {
            continue;
        }
        // Short words are spelled like too much.
        let long = |word: &&String| word.chars().count() > 3;
        let words = known.iter().filter(long).map(String::as_str);
        let nearest = nearest(&term.typed, words).filter(|_| long(&&term.typed))?;
        taken_for.push((term.typed.clone(), nearest.to_string()));
        *term = Term::new(nearest);
    }
    (!taken_for.is_empty()).then_some((corrected, taken_for))
}

/// Every word of current systems.
fn vocabulary() -> Vec<String> {
    let current = entries().iter().filter(|entry| !entry.row.deprecated);
    let known: BTreeSet<&String> = current.flat_map(Entry::words).collect();
    known.into_iter().cloned().collect()
}
