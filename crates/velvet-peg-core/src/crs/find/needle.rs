//! Words asked for, among the words of the registry.

use super::index::{Index, Word};
use super::words::{Term, is_short};
use std::ops::Range;

/// A term, as the words of the registry that it may stand for.
pub(super) struct Needle {
    /// The word itself, as it was typed.
    pub(super) typed: Option<Word>,
    spellings: Vec<Spelling>,
}

/// One spelling of a term.
struct Spelling {
    /// What it costs to mean it.
    cost: u32,
    /// The words before its last; none if the registry lacks one.
    before: Option<Vec<Word>>,
    last: Option<Word>,
    beginning: [Range<Word>; 2],
    /// How many words it is of: names of states are of several.
    many: usize,
}

impl Needle {
    pub(super) fn of(term: &Term, index: &Index) -> Needle {
        let spelling = |(text, cost): &(String, u32)| {
            let (before, last) = text.rsplit_once(' ').unwrap_or(("", text));
            Spelling {
                cost: *cost,
                before: before.split_whitespace().map(|word| index.word(word)).collect(),
                last: index.word(last),
                beginning: if is_short(last) { [0..0, 0..0] } else { index.beginning(last) },
                many: text.split(' ').count(),
            }
        };
        let spellings = term.spellings.iter().map(spelling).collect();
        Needle { typed: index.word(&term.typed), spellings }
    }

    /// What it costs to find it among words; none if it is not among them.
    pub(super) fn cost_in(&self, words: &[&[Word]]) -> Option<u32> {
        let costs = self.spellings.iter().filter_map(|one| Some(one.cost + one.found(words)?));
        costs.min()
    }

    /// How many of the words it stands for.
    pub(super) fn count_in(&self, words: &[Word]) -> usize {
        let found = self.spellings.iter().filter(|one| one.found(&[words]).is_some());
        found.map(|one| one.many).max().unwrap_or(0)
    }
}

impl Spelling {
    /// 0 for whole words, 2 for the beginning of one.
    fn found(&self, words: &[&[Word]]) -> Option<u32> {
        let has = |whole: &Word| words.iter().any(|part| part.contains(whole));
        if !self.before.as_ref()?.iter().all(has) {
            return None;
        }
        if self.last.as_ref().is_some_and(has) {
            return Some(0);
        }
        let [a, b] = &self.beginning;
        let begins = |word: &Word| a.contains(word) || b.contains(word);
        let begins = words.iter().any(|part| part.iter().any(begins));
        begins.then_some(if self.many > 1 { 0 } else { 2 })
    }
}
