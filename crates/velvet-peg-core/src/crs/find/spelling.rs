//! Words that nothing has, and what is spelled most like them.

use super::words::{Query, Term, Wanted};
use super::{Entry, entries};
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
        let allowed = match term.typed.chars().count() {
            0..=3 => return None,
            4..=6 => 1,
            _ => 2,
        };
        let (off, nearest) = known
            .iter()
            .filter(|word| word.chars().count() > 3)
            .map(|word| (steps(&term.typed, word), word))
            .min_by_key(|(steps, word)| (*steps, word.len()))?;
        if off > allowed {
            return None;
        }
        taken_for.push((term.typed.clone(), nearest.clone()));
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

/// Letters left out, put in, changed or exchanged with their neighbour (Damerau, 1964).
fn steps(a: &str, b: &str) -> usize {
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().collect(), b.chars().collect());
    if a.len().abs_diff(b.len()) > 2 {
        return usize::MAX;
    }
    let mut table = vec![vec![0; b.len() + 1]; a.len() + 1];
    for (i, row) in table.iter_mut().enumerate() {
        row[0] = i;
    }
    table[0] = (0..=b.len()).collect();
    for i in 1..=a.len() {
        for j in 1..=b.len() {
            let changed = table[i - 1][j - 1] + usize::from(a[i - 1] != b[j - 1]);
            let mut best = changed.min(table[i - 1][j] + 1).min(table[i][j - 1] + 1);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                best = best.min(table[i - 2][j - 2] + 1);
            }
            table[i][j] = best;
        }
    }
    table[a.len()][b.len()]
}
