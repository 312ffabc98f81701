//! The bracket notation that all well-known text shares: `KEYWORD["text", 1.5, word, NODE[…]]`.
//!
//! Source: ISO 19162:2019 clause 6 (either kind of bracket, doubled quotation marks inside
//! texts), which includes what OGC 01-009 writes. Errors show the place with a caret.

use crate::error::{Error, Result};

/// One bracketed element.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Node {
    /// Upper-case keyword.
    pub(crate) keyword: String,
    /// Character at which it begins, for messages.
    pub(crate) at: usize,
    pub(crate) parts: Vec<Part>,
}

#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Part {
    Text(String),
    Number(f64),
    Word(String),
    Node(Node),
}

impl Node {
    pub(crate) fn new(keyword: &str, parts: Vec<Part>) -> Node {
        Node { keyword: keyword.to_string(), at: 0, parts }
    }

    /// The first text, which is the name of most elements.
    pub(crate) fn name(&self) -> &str {
        self.parts
            .iter()
            .find_map(|part| match part {
                Part::Text(text) => Some(text.as_str()),
                _ => None,
            })
            .unwrap_or("")
    }

    /// The n-th number (or word that is one).
    pub(crate) fn number(&self, n: usize) -> Option<f64> {
        self.parts
            .iter()
            .filter_map(|part| match part {
                Part::Number(value) => Some(*value),
                _ => None,
            })
            .nth(n)
    }

    /// The first bare word.
    pub(crate) fn word(&self) -> Option<&str> {
        self.parts.iter().find_map(|part| match part {
            Part::Word(word) => Some(word.as_str()),
            _ => None,
        })
    }

    pub(crate) fn nodes(&self) -> impl Iterator<Item = &Node> {
        self.parts.iter().filter_map(|part| match part {
            Part::Node(node) => Some(node),
            _ => None,
        })
    }

    /// The first element inside with one of these keywords.
    pub(crate) fn child(&self, keywords: &[&str]) -> Option<&Node> {
        self.nodes().find(|node| keywords.contains(&node.keyword.as_str()))
    }

    pub(crate) fn children<'a>(&'a self, keyword: &'a str) -> impl Iterator<Item = &'a Node> {
        self.nodes().filter(move |node| node.keyword == keyword)
    }

    /// The code of an EPSG identifier, in either notation.
    pub(crate) fn epsg(&self) -> Option<u32> {
        let id = self.nodes().filter(|node| ["ID", "AUTHORITY"].contains(&node.keyword.as_str()));
        id.filter(|node| node.name().eq_ignore_ascii_case("EPSG")).find_map(|node| {
            match node.parts.get(1)? {
                Part::Number(value) => Some(*value as u32),
                Part::Text(text) => text.trim().parse().ok(),
                _ => None,
            }
        })
    }
}

/// An error at a character of the text, with the piece of text and a caret under it.
pub(crate) fn fault(text: &str, at: usize, message: &str) -> Error {
    let characters: Vec<char> = text.chars().collect();
    let at = at.min(characters.len());
    let (from, to) = (at.saturating_sub(40), (at + 30).min(characters.len()));
    let shown: String =
        characters[from..to].iter().map(|c| if c.is_control() { ' ' } else { *c }).collect();
    let caret = " ".repeat(at - from);
    Error::malformed(format!("{message} (character {})\n  {shown}\n  {caret}^", at + 1))
}

/// Reads a whole text as one element. A horizontal and a vertical system one after the other
/// with a comma between, as files beside Shapefiles have them, become a compound one.
pub(crate) fn parse(text: &str) -> Result<Node> {
    let characters: Vec<char> = text.chars().collect();
    let mut reader = Reader { text, characters: &characters, at: 0, depth: 0 };
    reader.space();
    if reader.peek().is_none() {
        return Err(Error::malformed("the definition is empty"));
    }
    let mut node = reader.node()?;
    reader.space();
    if reader.peek() == Some(',') {
        reader.at += 1;
        reader.space();
        let vertical = reader.node()?;
        let name = format!("{} + {}", node.name(), vertical.name());
        let parts = vec![Part::Text(name), Part::Node(node), Part::Node(vertical)];
        node = Node::new("COMPD_CS", parts);
        reader.space();
    }
    match reader.peek() {
        None | Some('\0') => Ok(node),
        Some(_) => Err(reader.error("the definition should end here")),
    }
}

/// One keyword for the frame of a vertical system, of which ISO 19162:2019 and OGC 01-009 have
/// five: the kind before `DATUM` by its letter or as a word, or a reference frame.
fn canonical(keyword: String) -> String {
    let vertical = match keyword.strip_suffix("DATUM") {
        Some(kind) => ["V", "VERT_", "VERTICAL"].contains(&kind),
        None => ["VRF", "VERTICALREFERENCEFRAME"].contains(&keyword.as_str()),
    };
    if vertical { VERTICAL_FRAME.to_string() } else { keyword }
}

/// The keyword of ISO 19162 for the frame of a vertical system, in its 2015 and 2019 texts.
pub(crate) const VERTICAL_FRAME: &str = "VERTICALDATUM";

struct Reader<'a> {
    text: &'a str,
    characters: &'a [char],
    at: usize,
    depth: usize,
}

impl Reader<'_> {
    fn peek(&self) -> Option<char> {
        self.characters.get(self.at).copied()
    }

    fn space(&mut self) {
        while self.peek().is_some_and(|c| c.is_whitespace() || c == '\u{feff}') {
            self.at += 1;
        }
    }

    fn error(&self, message: &str) -> Error {
        fault(self.text, self.at, message)
    }

    fn word(&mut self) -> String {
        let start = self.at;
        while self.peek().is_some_and(|c| c.is_alphanumeric() || "_-+.".contains(c)) {
            self.at += 1;
        }
        self.characters[start..self.at].iter().collect()
    }

    fn node(&mut self) -> Result<Node> {
        let at = self.at;
        let keyword = self.word().to_uppercase();
        if keyword.is_empty() {
            return Err(self.error("a keyword such as PROJCRS or GEOGCS is expected here"));
        }
        self.space();
        self.open(keyword, at)
    }

    fn open(&mut self, keyword: String, at: usize) -> Result<Node> {
        let keyword = canonical(keyword);
        let close = match self.peek() {
            Some('[') => ']',
            Some('(') => ')',
            _ => return Err(self.error("an opening bracket is expected here")),
        };
        self.depth += 1;
        if self.depth > 40 {
            return Err(self.error("brackets are nested too deeply"));
        }
        self.at += 1;
        let mut parts = Vec::new();
        loop {
            self.space();
            match self.peek() {
                None => {
                    return Err(self.error(&format!("{keyword} has no closing bracket")));
                }
                Some(c) if c == close => {
                    self.at += 1;
                    break;
                }
                Some(',') if !parts.is_empty() => {
                    self.at += 1;
                    self.space();
                }
                Some(_) if !parts.is_empty() => {
                    return Err(self.error("a comma or a closing bracket is expected here"));
                }
                Some(_) => {}
            }
            parts.push(self.part()?);
        }
        self.depth -= 1;
        Ok(Node { keyword, at, parts })
    }

    fn part(&mut self) -> Result<Part> {
        match self.peek() {
            Some('"') => self.quoted('"').map(Part::Text),
            Some('“') => self.quoted('”').map(Part::Text),
            Some(c) if c.is_ascii_digit() || "+-.".contains(c) => {
                let start = self.at;
                let word = self.word();
                word.parse()
                    .ok()
                    .filter(|value: &f64| value.is_finite())
                    .map(Part::Number)
                    .ok_or_else(|| {
                        // Dates and the like are words that begin with a digit.
                        fault(self.text, start, &format!("`{word}` is not a number"))
                    })
                    .or_else(|error| {
                        let dated = word.len() >= 4
                            && word.chars().all(|c| c.is_alphanumeric() || "-.:".contains(c));
                        if dated { Ok(Part::Word(word.clone())) } else { Err(error) }
                    })
            }
            _ => {
                let at = self.at;
                let word = self.word();
                if word.is_empty() {
                    return Err(self.error("a text, a number or an element is expected here"));
                }
                self.space();
                match self.peek() {
                    Some('[' | '(') => self.open(word.to_uppercase(), at).map(Part::Node),
                    _ => Ok(Part::Word(word)),
                }
            }
        }
    }

    fn quoted(&mut self, close: char) -> Result<String> {
        let start = self.at;
        self.at += 1;
        let mut text = String::new();
        loop {
            match self.peek() {
                None => {
                    return Err(fault(self.text, start, "this text has no closing quotation mark"));
                }
                Some(c) if c == close => {
                    self.at += 1;
                    if self.peek() == Some(close) {
                        text.push(close);
                        self.at += 1;
                    } else {
                        return Ok(text);
                    }
                }
                Some(c) => {
                    text.push(c);
                    self.at += 1;
                }
            }
        }
    }
}
