//! The types of properties, from the schema that stands beside a file.

use crate::error::Result;
use crate::format_support::two_pass::Given;
use crate::format_support::xml::{Node, Xml};
use crate::layer::Value;
use std::collections::HashMap;
use std::path::Path;

/// What the values of a property are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Text,
    Number,
    Boolean,
    /// Two properties of one name differ, or the values show it themselves.
    Open,
}

/// The types of properties by their names.
#[derive(Clone, Debug, Default)]
pub(super) struct Types(HashMap<String, Kind>);

impl Types {
    /// Those of the schema beside a file, which has its name with `.xsd`; none without one.
    ///
    /// # Errors
    /// If it cannot be read.
    pub(super) fn beside(path: &Path) -> Result<Types> {
        let schema = path.with_extension("xsd");
        if !schema.is_file() {
            return Ok(Types::default());
        }
        let mut xml = Xml::open(&schema)?;
        let mut types = Types::default();
        // The elements that are open, which have no type of their own.
        let mut open: Vec<Option<String>> = Vec::new();
        loop {
            match xml.next()? {
                Node::Open(element) if element.name == "element" => {
                    let name = element.attribute("name").map(str::to_string);
                    if let (Some(name), Some(kind)) = (&name, element.attribute("type")) {
                        types.add(name, kind);
                    }
                    open.push(name);
                }
                Node::Open(element) if element.name == "restriction" => {
                    if let (Some(Some(name)), Some(kind)) = (open.last(), element.attribute("base"))
                    {
                        types.add(name, kind);
                    }
                }
                Node::Close(name, _) if name == "element" => {
                    open.pop();
                }
                Node::End => return Ok(types),
                _ => {}
            }
        }
    }

    fn add(&mut self, name: &str, kind: &str) {
        let kind = match kind.rsplit(':').next().unwrap_or_default() {
            "string" | "normalizedString" | "token" | "anyURI" | "CodeType" | "ID" => Kind::Text,
            "double" | "float" | "decimal" | "MeasureType" | "LengthType" | "AreaType" => {
                Kind::Number
            }
            "boolean" => Kind::Boolean,
            _ => Kind::Open,
        };
        let known = self.0.entry(name.to_string()).or_insert(kind);
        if *known != kind {
            *known = Kind::Open;
        }
    }

    /// A text as a value of the property of this name.
    pub(super) fn given(&self, name: &str, text: String) -> Given {
        let trimmed = text.trim();
        let value = match self.0.get(name).unwrap_or(&Kind::Open) {
            Kind::Text => Some(Value::Text(text.clone())),
            Kind::Number => {
                trimmed.parse().ok().filter(|number: &f64| number.is_finite()).map(Value::Real)
            }
            Kind::Boolean => match trimmed {
                "1" | "true" => Some(Value::Boolean(true)),
                "0" | "false" => Some(Value::Boolean(false)),
                _ => None,
            },
            Kind::Open => None,
        };
        value.map_or(Given::Untyped(text), Given::Typed)
    }
}
