//! The data of a page: what grows with the features is text as soon as it is known, since values in a tree take
//! many times the room; the rest is values.

use crate::error::{Error, Result};
use crate::notice::{Notice, NoticeKind};
use serde_json::Value;
use std::fmt::{Display, Write};
use std::io;

/// Bytes of the data of a page at most. The texts that browsers hold end somewhere: the nearest end known is 2²⁹
/// characters.
const MOST: usize = 500_000_000;

/// Bytes of data with which a page takes seconds to open.
const LARGE: usize = 100_000_000;

/// One tab.
pub(super) struct TabData {
    /// All but the layers.
    pub(super) few: Value,
    /// None if it shows what another tab has.
    pub(super) layers: Option<Vec<LayerData>>,
}

/// One layer of a tab.
pub(super) struct LayerData {
    pub(super) few: Value,
    /// Members that hold something of every feature, as they are written.
    pub(super) many: Vec<(&'static str, String)>,
}

impl LayerData {
    pub(super) fn many(&self, name: &str) -> Option<&str> {
        self.many.iter().find(|(known, _)| *known == name).map(|(_, text)| text.as_str())
    }

    /// Bytes of what grows with the features.
    pub(super) fn size(&self) -> usize {
        self.many.iter().map(|(_, text)| text.len()).sum()
    }

    fn write(&self, out: &mut impl io::Write) -> io::Result<()> {
        let members = open(&self.few, out)?;
        for (at, (name, text)) in self.many.iter().enumerate() {
            let comma = if members || at > 0 { "," } else { "" };
            write!(out, "{comma}\"{name}\":{text}")?;
        }
        out.write_all(b"}")
    }
}

impl TabData {
    pub(super) fn write(&self, out: &mut impl io::Write) -> io::Result<()> {
        let members = open(&self.few, out)?;
        if let Some(layers) = &self.layers {
            write!(out, "{}\"layers\":[", if members { "," } else { "" })?;
            for (at, layer) in layers.iter().enumerate() {
                if at > 0 {
                    out.write_all(b",")?;
                }
                layer.write(out)?;
            }
            out.write_all(b"]")?;
        }
        out.write_all(b"}")
    }
}

/// Writes an object up to its end; true if it has members.
fn open(object: &Value, out: &mut impl io::Write) -> io::Result<bool> {
    let text = object.to_string();
    out.write_all(text.strip_suffix('}').unwrap_or(&text).as_bytes())?;
    Ok(text.len() > 2)
}

/// A list as it grows.
#[derive(Clone, Default)]
pub(super) struct List(String);

impl List {
    /// Where the next item is written.
    pub(super) fn next(&mut self) -> &mut String {
        self.0.push(if self.0.is_empty() { '[' } else { ',' });
        &mut self.0
    }

    pub(super) fn push(&mut self, item: impl Display) {
        // A text takes whatever is written to it.
        let _ = write!(self.next(), "{item}");
    }

    pub(super) fn len(&self) -> usize {
        self.0.len()
    }

    pub(super) fn finish(mut self) -> String {
        self.0.push_str(if self.0.is_empty() { "[]" } else { "]" });
        self.0
    }
}

/// The room that a page has for what grows with its features.
#[derive(Default)]
pub(super) struct Room {
    taken: usize,
}

impl Room {
    /// Refuses what does not fit beside what is taken.
    pub(super) fn check(&self, more: usize) -> Result<()> {
        let whole = self.taken.saturating_add(more);
        if whole <= MOST {
            return Ok(());
        }
        Err(Error::usage(format!(
            "a page holds every feature with its attributes, and of these more than {} MB, which no browser \
             opens: draw a picture, or a page of fewer features or attributes. The page was not written",
            MOST / 1_000_000
        )))
    }

    /// Takes room.
    pub(super) fn take(&mut self, more: usize) -> Result<()> {
        self.check(more)?;
        self.taken += more;
        Ok(())
    }

    /// Gives back what was left out again.
    pub(super) fn give_back(&mut self, bytes: usize) {
        self.taken = self.taken.saturating_sub(bytes);
    }

    /// What there is to be known of a page with so much in it.
    pub(super) fn notice(&self) -> Option<Notice> {
        (self.taken > LARGE).then(|| {
            Notice::note(
                NoticeKind::Drawing,
                format!(
                    "the page has {} MB of features and attributes, and takes a browser long to open: a page of fewer \
                     of them, or a picture, is there at once",
                    self.taken / 1_000_000
                ),
            )
        })
    }
}

/// Writes text so that it cannot end the element of a page that holds it.
pub(super) struct InElement<W>(pub(super) W);

impl<W: io::Write> io::Write for InElement<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let mut rest = bytes;
        while let Some(at) = rest.iter().position(|byte| matches!(byte, b'<' | b'>')) {
            self.0.write_all(&rest[..at])?;
            self.0.write_all(if rest[at] == b'<' { b"\\u003c" } else { b"\\u003e" })?;
            rest = &rest[at + 1..];
        }
        self.0.write_all(rest)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}
