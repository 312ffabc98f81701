//! XML as GPX and KML need it: elements by their local names, their attributes, and the text
//! that a leaf holds; and writing text so that it reads back the same.

use crate::error::{Error, Result};
use encoding_rs::Encoding;
use encoding_rs_io::DecodeReaderBytesBuilder;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use std::borrow::Cow;
use std::fs::File;
use std::io::{BufReader, Read, Seek};
use std::path::{Path, PathBuf};

/// What comes next in a document.
#[derive(Debug)]
pub(crate) enum Node {
    /// An element begins.
    Open(Element),
    /// An element of this local name ends; the text is what stood in it behind its last child.
    Close(String, String),
    /// The document is over.
    End,
}

/// The beginning of an element.
#[derive(Debug, Default)]
pub(crate) struct Element {
    /// Name without its prefix.
    pub(crate) name: String,
    attributes: Vec<(String, String)>,
}

impl Element {
    /// Its attributes, but for the names of namespaces.
    pub(crate) fn attributes(&self) -> impl Iterator<Item = (&str, &str)> {
        self.attributes.iter().map(|(key, value)| (key.as_str(), value.as_str()))
    }

    pub(crate) fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(key, _)| key == name).map(|(_, value)| value.as_str())
    }
}

/// Runs through a document.
pub(crate) struct Xml {
    path: PathBuf,
    reader: Reader<BufReader<Box<dyn Read>>>,
    buffer: Vec<u8>,
    text: String,
    /// What stood in an element before its child that has just begun.
    before: String,
    /// The element that closes at once.
    empty: Option<String>,
    /// The names of the elements that are open.
    pub(crate) stack: Vec<String>,
}

impl Xml {
    pub(crate) fn open(path: &Path) -> Result<Xml> {
        let failed = |e| Error::file(path, "cannot be read", e);
        let mut file = File::open(path).map_err(failed)?;
        let mut start = Vec::new();
        (&mut file).take(200).read_to_end(&mut start).map_err(failed)?;
        file.rewind().map_err(failed)?;
        let decoded: Box<dyn Read> = Box::new(
            DecodeReaderBytesBuilder::new()
                .encoding(Some(declared(&start).unwrap_or(encoding_rs::UTF_8)))
                .bom_override(true)
                .strip_bom(true)
                .build(file),
        );
        let reader = Reader::from_reader(BufReader::with_capacity(1 << 16, decoded));
        Ok(Xml {
            path: path.to_path_buf(),
            reader,
            buffer: Vec::new(),
            text: String::new(),
            before: String::new(),
            empty: None,
            stack: Vec::new(),
        })
    }

    /// What stood in an element before its child that has just begun.
    pub(crate) fn before(&self) -> &str {
        &self.before
    }

    /// # Errors
    /// If the document is not well formed, with the place.
    pub(crate) fn next(&mut self) -> Result<Node> {
        if let Some(name) = self.empty.take() {
            self.stack.pop();
            return Ok(Node::Close(name, String::new()));
        }
        loop {
            self.buffer.clear();
            let at = self.reader.buffer_position();
            let event = self.reader.read_event_into(&mut self.buffer).map_err(|e| {
                Error::data(format!("is not well-formed XML (near byte {at}): {e}"))
                    .in_file(&self.path)
            })?;
            match event {
                Event::Start(start) => {
                    let element = element(&start);
                    self.stack.push(element.name.clone());
                    self.before = std::mem::take(&mut self.text);
                    return Ok(Node::Open(element));
                }
                Event::Empty(start) => {
                    let element = element(&start);
                    self.stack.push(element.name.clone());
                    self.empty = Some(element.name.clone());
                    self.before = std::mem::take(&mut self.text);
                    return Ok(Node::Open(element));
                }
                Event::End(_) => {
                    let name = self.stack.pop().unwrap_or_default();
                    return Ok(Node::Close(name, std::mem::take(&mut self.text)));
                }
                Event::Text(text) => self.text += &text.xml10_content(),
                Event::CData(text) => self.text += &text.xml10_content(),
                Event::GeneralRef(name) => match reference(&name) {
                    Some(c) => self.text.push(c),
                    None => {
                        self.text.push('&');
                        self.text += &name;
                        self.text.push(';');
                    }
                },
                Event::Eof if !self.stack.is_empty() => {
                    return Err(Error::data(format!(
                        "is cut short: the element {} is not closed",
                        self.stack.join("/")
                    ))
                    .in_file(&self.path));
                }
                Event::Eof => return Ok(Node::End),
                Event::Decl(_) | Event::PI(_) | Event::Comment(_) | Event::DocType(_) => {}
            }
        }
    }
}

/// The encoding that an XML declaration names.
fn declared(start: &[u8]) -> Option<&'static Encoding> {
    let text = String::from_utf8_lossy(start);
    let declaration = text.strip_prefix("<?xml")?.split("?>").next()?.to_string();
    let label = declaration.split("encoding").nth(1)?.trim_start().strip_prefix('=')?.trim_start();
    let quote = label.chars().next().filter(|c| matches!(c, '"' | '\''))?;
    Encoding::for_label(label[1..].split(quote).next()?.as_bytes())
}

fn element(start: &BytesStart<'_>) -> Element {
    let local = |name: &str| name.rsplit(':').next().unwrap_or_default().to_string();
    let attributes = start
        .attributes()
        .with_checks(false)
        .flatten()
        .filter(|a| !a.key.as_ref().starts_with("xmlns"))
        .map(|a| {
            let value = a
                .normalized_value(XmlVersion::Implicit1_0)
                .map_or_else(|_| a.value.to_string(), Cow::into_owned);
            (local(a.key.as_ref()), value)
        })
        .collect();
    Element { name: local(start.name().as_ref()), attributes }
}

/// The character that a reference stands for.
fn reference(name: &str) -> Option<char> {
    Some(match name {
        "amp" => '&',
        "lt" => '<',
        "gt" => '>',
        "quot" => '"',
        "apos" => '\'',
        _ => {
            let number = name.strip_prefix('#')?;
            let code = match number.strip_prefix('x') {
                Some(digits) => u32::from_str_radix(digits, 16).ok()?,
                None => number.parse().ok()?,
            };
            char::from_u32(code)?
        }
    })
}
