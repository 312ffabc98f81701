//! Finding a row's bytes: a sorted index of codes in front of the rows' bytes.
//!
//! Layout, little endian: `count: u32`, then `count` pairs `code: u32, offset: u32` in
//! rising order of code, then the rows back to back. Nothing is decoded but the row asked
//! for.

/// One embedded table.
#[derive(Clone, Copy)]
pub(crate) struct Table {
    index: &'static [u8],
    rows: &'static [u8],
}

impl Table {
    pub(crate) const fn new(bytes: &'static [u8]) -> Table {
        let (head, rest) = bytes.split_at(4);
        let count = u32::from_le_bytes([head[0], head[1], head[2], head[3]]) as usize;
        let (index, rows) = rest.split_at(count * 8);
        Table { index, rows }
    }

    pub(crate) fn len(&self) -> usize {
        self.index.len() / 8
    }

    fn word(&self, at: usize) -> u32 {
        let bytes = &self.index[at * 4..at * 4 + 4];
        u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]])
    }

    pub(crate) fn code_at(&self, position: usize) -> u32 {
        self.word(position * 2)
    }

    pub(crate) fn row_at(&self, position: usize) -> Reader {
        Reader { bytes: &self.rows[self.word(position * 2 + 1) as usize..] }
    }

    pub(crate) fn find(&self, code: u32) -> Option<Reader> {
        let (mut low, mut high) = (0, self.len());
        while low < high {
            let middle = low.midpoint(high);
            match self.code_at(middle).cmp(&code) {
                std::cmp::Ordering::Less => low = middle + 1,
                std::cmp::Ordering::Greater => high = middle,
                std::cmp::Ordering::Equal => return Some(self.row_at(middle)),
            }
        }
        None
    }
}

/// Reads the parts of one row in their order.
pub(crate) struct Reader {
    bytes: &'static [u8],
}

impl Reader {
    #[cfg(any(feature = "outlines", feature = "world"))]
    pub(crate) fn new(bytes: &'static [u8]) -> Reader {
        Reader { bytes }
    }

    /// A whole number with its sign in the lowest bit.
    pub(crate) fn signed(&mut self) -> i64 {
        let zigzag = self.number();
        (zigzag >> 1) as i64 ^ -((zigzag & 1) as i64)
    }

    pub(crate) fn byte(&mut self) -> u8 {
        let (first, rest) = self.bytes.split_first().expect("embedded row is whole");
        self.bytes = rest;
        *first
    }

    /// Seven bits a byte, lowest first, high bit set while more follow.
    pub(crate) fn number(&mut self) -> u64 {
        let mut value = 0;
        let mut shift = 0;
        loop {
            let byte = self.byte();
            value |= u64::from(byte & 0x7f) << shift;
            if byte < 0x80 {
                return value;
            }
            shift += 7;
        }
    }

    pub(crate) fn code(&mut self) -> u32 {
        self.number() as u32
    }

    /// A code of 0 stands for none: no row of the dataset has it.
    pub(crate) fn optional_code(&mut self) -> Option<u32> {
        Some(self.code()).filter(|code| *code != 0)
    }

    pub(crate) fn codes(&mut self) -> Vec<u32> {
        (0..self.number()).map(|_| self.code()).collect()
    }

    pub(crate) fn text(&mut self) -> &'static str {
        std::str::from_utf8(self.text_bytes()).expect("embedded text is UTF-8")
    }

    pub(crate) fn text_bytes(&mut self) -> &'static [u8] {
        let length = self.number() as usize;
        let (text, rest) = self.bytes.split_at(length);
        self.bytes = rest;
        text
    }

    pub(crate) fn skip_text(&mut self) {
        let length = self.number() as usize;
        self.bytes = &self.bytes[length..];
    }

    /// A leading byte says whether a box is there: south, west, north, east.
    pub(crate) fn bounds(&mut self) -> Option<crate::BoundingBox> {
        (self.byte() == 1).then(|| crate::BoundingBox {
            south: self.decimal().to_f64(),
            west: self.decimal().to_f64(),
            north: self.decimal().to_f64(),
            east: self.decimal().to_f64(),
        })
    }

    pub(crate) fn decimal(&mut self) -> crate::Decimal {
        let mantissa = self.signed();
        let exponent = self.byte() as i8;
        crate::Decimal { mantissa, exponent }
    }

    /// A leading byte says whether the number is there.
    pub(crate) fn optional_decimal(&mut self) -> Option<crate::Decimal> {
        (self.byte() == 1).then(|| self.decimal())
    }
}
