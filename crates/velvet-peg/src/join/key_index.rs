//! Keys with a number each, and the rows of a table by key: every key is held once, and whatever belongs to
//! keys stands in columns by their numbers.

use crate::error::{Error, Result};
use hashbrown::{DefaultHashBuilder, HashTable};
use std::hash::BuildHasher;

/// No row.
const NONE: u32 = u32::MAX;

/// Keys, numbered as they come.
#[derive(Default)]
pub(super) struct KeyIndex {
    /// All keys one behind the other, and where each ends.
    text: String,
    ends: Vec<usize>,
    numbers: HashTable<u32>,
    hasher: DefaultHashBuilder,
}

impl KeyIndex {
    pub(super) fn len(&self) -> usize {
        self.ends.len()
    }

    /// Bytes that the keys take, with room to grow: in steps that are as small as a key, so that a part says what the
    /// whole will take.
    pub(super) fn bytes(&self) -> usize {
        let each = size_of::<usize>() + 2 * size_of::<u32>();
        (self.text.len() + self.len() * each) * 3 / 2
    }

    /// The key of a number.
    pub(super) fn key(&self, number: u32) -> &str {
        key_in(&self.text, &self.ends, number)
    }

    /// The number of a key, if it has one.
    pub(super) fn get(&self, key: &str) -> Option<u32> {
        let hash = self.hasher.hash_one(key);
        self.numbers.find(hash, |number| self.key(*number) == key).copied()
    }

    /// The number of a key, which gets one if it has none.
    ///
    /// # Errors
    /// If there are more keys than numbers.
    pub(super) fn number(&mut self, key: &str) -> Result<u32> {
        if let Some(number) = self.get(key) {
            return Ok(number);
        }
        let number = u32::try_from(self.ends.len())
            .ok()
            .filter(|number| *number < NONE)
            .ok_or_else(|| Error::data("there are more than four billion keys"))?;
        self.text.push_str(key);
        self.ends.push(self.text.len());
        let KeyIndex { text, ends, numbers, hasher } = self;
        numbers.insert_unique(hasher.hash_one(key), number, |other| {
            hasher.hash_one(key_in(text, ends, *other))
        });
        Ok(number)
    }
}

fn key_in<'a>(text: &'a str, ends: &[usize], number: u32) -> &'a str {
    let at = number as usize;
    let start = if at == 0 { 0 } else { ends[at - 1] };
    &text[start..ends[at]]
}

/// Rows of each key, in their order.
#[derive(Default)]
pub(super) struct RowsByKey {
    /// First and last row of each key.
    ends: Vec<(u32, u32)>,
    /// For each row the next one of its key.
    next: Vec<u32>,
}

impl RowsByKey {
    /// The next row, of a key or of none.
    pub(super) fn push(&mut self, key: Option<u32>) -> Result<()> {
        let row = u32::try_from(self.next.len())
            .ok()
            .filter(|row| *row < NONE)
            .ok_or_else(|| Error::data("a table has more than four billion rows"))?;
        self.next.push(NONE);
        let Some(key) = key else { return Ok(()) };
        match self.ends.get_mut(key as usize) {
            Some((_, last)) => {
                self.next[*last as usize] = row;
                *last = row;
            }
            None => self.ends.push((row, row)),
        }
        Ok(())
    }

    /// Bytes that it takes in memory.
    pub(super) fn bytes(&self) -> usize {
        size_of_val(self.ends.as_slice()) + size_of_val(self.next.as_slice())
    }

    pub(super) fn of(&self, key: u32) -> impl Iterator<Item = u32> {
        let first = self.ends.get(key as usize).map(|(first, _)| *first);
        std::iter::successors(first, |row| {
            Some(self.next[*row as usize]).filter(|next| *next != NONE)
        })
    }

    /// True if a key has rows.
    pub(super) fn has(&self, key: u32) -> bool {
        (key as usize) < self.ends.len()
    }
}
