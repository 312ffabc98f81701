//! The words of every system, numbered in the order of their letters.
//!
//! They are made of the registry's names by `examples/generate_search_words.rs` and embedded, so that a
//! search has nothing to take apart. A test compares them with the names.

use std::ops::Range;
use std::sync::OnceLock;

static BYTES: &[u8] = include_bytes!("../../../data/search_words.bin");

/// The number of a word.
pub(super) type Word = u16;

/// All words and systems.
pub(super) struct Index {
    words: Vec<&'static str>,
    /// Words one behind the other, list behind list.
    pool: Vec<Word>,
    lists: Vec<Range<u32>>,
    aliases: Vec<List>,
    systems: Vec<System>,
}

/// The number of a list of words.
#[derive(Clone, Copy)]
pub(super) struct List(u16);

/// A system with the lists of its words.
pub(super) struct System {
    pub(super) code: u32,
    /// The number of its zone of state plane; 0 for none.
    pub(super) zone_number: u32,
    pub(super) name: List,
    /// Of its name before the stroke.
    pub(super) named_datum: List,
    /// Of its name behind the stroke.
    pub(super) named_zone: List,
    pub(super) datum: List,
    pub(super) method: List,
    /// The conversion by the method.
    pub(super) conversion: List,
    pub(super) area: List,
    aliases: Range<u32>,
}

impl Index {
    /// Of the whole registry, read when the first search wants it.
    pub(super) fn get() -> &'static Index {
        static INDEX: OnceLock<Index> = OnceLock::new();
        INDEX.get_or_init(|| Index::read(BYTES))
    }

    fn read(bytes: &'static [u8]) -> Index {
        let mut bytes = Bytes(bytes);
        let words = (0..bytes.number()).map(|_| bytes.text()).collect();
        let (mut pool, mut lists) = (Vec::new(), Vec::new());
        for _ in 0..bytes.number() {
            let first = pool.len() as u32;
            pool.extend((0..bytes.number()).map(|_| bytes.number() as Word));
            lists.push(first..pool.len() as u32);
        }
        let (mut aliases, mut systems) = (Vec::new(), Vec::new());
        let mut code = 0;
        for _ in 0..bytes.number() {
            code += bytes.number();
            let zone_number = bytes.number();
            let [name, named_datum, named_zone, datum, method, conversion, area] =
                std::array::from_fn(|_| bytes.list());
            let first = aliases.len() as u32;
            aliases.extend((0..bytes.number()).map(|_| bytes.list()));
            let aliases = first..aliases.len() as u32;
            systems.push(System {
                code,
                zone_number,
                name,
                named_datum,
                named_zone,
                datum,
                method,
                conversion,
                area,
                aliases,
            });
        }
        Index { words, pool, lists, aliases, systems }
    }

    pub(super) fn systems(&self) -> &[System] {
        &self.systems
    }

    /// The words of a list.
    pub(super) fn of(&self, list: List) -> &[Word] {
        let Range { start, end } = &self.lists[usize::from(list.0)];
        &self.pool[*start as usize..*end as usize]
    }

    /// The words of each other name.
    pub(super) fn aliases(&self, system: &System) -> impl Iterator<Item = &[Word]> {
        let Range { start, end } = system.aliases;
        self.aliases[start as usize..end as usize].iter().map(|list| self.of(*list))
    }

    pub(super) fn text(&self, word: Word) -> &'static str {
        self.words[usize::from(word)]
    }

    /// The number of a word; none if no name has it.
    pub(super) fn word(&self, text: &str) -> Option<Word> {
        self.words.binary_search(&text).ok().map(|at| at as Word)
    }

    /// The words that begin so, which are one behind the other; a number is no beginning of a larger one.
    pub(super) fn beginning(&self, start: &str) -> [Range<Word>; 2] {
        let at = |is_before: &dyn Fn(&str) -> bool| {
            self.words.partition_point(|word| is_before(word)) as Word
        };
        let first = at(&|word| word < start);
        let behind = at(&|word| word < start || word.starts_with(start));
        if !start.ends_with(|c: char| c.is_ascii_digit()) {
            return [first..behind, behind..behind];
        }
        let next = |word: &str| word.as_bytes().get(start.len()).copied().unwrap_or(0);
        let digits = at(&|word| word < start || word.starts_with(start) && next(word) < b'0');
        let others = at(&|word| word < start || word.starts_with(start) && next(word) <= b'9');
        [first..digits, others..behind]
    }
}

/// Embedded bytes, from the front.
struct Bytes(&'static [u8]);

impl Bytes {
    /// Seven bits a byte, lowest first, high bit set while more follow.
    fn number(&mut self) -> u32 {
        let (mut value, mut shift) = (0, 0);
        loop {
            let (byte, rest) = self.0.split_first().expect("embedded words are whole");
            self.0 = rest;
            value |= u32::from(byte & 0x7f) << shift;
            if *byte < 0x80 {
                return value;
            }
            shift += 7;
        }
    }

    fn list(&mut self) -> List {
        List(self.number() as u16)
    }

    fn text(&mut self) -> &'static str {
        let length = self.number() as usize;
        let (text, rest) = self.0.split_at(length);
        self.0 = rest;
        std::str::from_utf8(text).expect("embedded text is UTF-8")
    }
}
