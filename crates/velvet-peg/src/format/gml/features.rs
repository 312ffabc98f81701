//! Features of GML, one after the other.

use super::curve::Reading;
use super::schema::Types;
use super::shape::{GEOMETRIES, Shape, srs_name, unread};
use super::system::System;
use super::tree::Tree;
use crate::error::Result;
use crate::format_support::two_pass::{Features, Given, Item, Raw};
use crate::format_support::xml::{Element, Node, Xml};
use crate::format_support::{ReadOptions, wkt};
use crate::layer::{GeometryColumn, Taken, Unreadable, Value};
use std::cell::RefCell;
use std::collections::HashMap;
use std::path::Path;

/// Key of the features' identifiers, which are no properties.
pub(super) const ID: &str = "\u{0}id";
/// Attributes that say how a property is written, not what it is.
const MARKUP: [&str; 7] = ["nil", "type", "show", "actuate", "owns", "remoteSchema", "arcrole"];

/// A layer: features of one kind in one system.
#[derive(Clone, Debug, Default)]
pub(super) struct Kind {
    pub(super) name: String,
    /// None as long as none of its features has a geometry.
    pub(super) system: Option<System>,
    /// Geometries beyond one a feature.
    pub(super) more: u64,
    /// Of these, such as are not read; and why the first.
    pub(super) unread: u64,
    pub(super) why: Option<String>,
}

/// What is known of a file before its features, and the layers that were met so far.
#[derive(Clone, Debug)]
pub(super) struct Document {
    pub(super) options: ReadOptions,
    /// Features stand in members of a collection; otherwise the document is one.
    pub(super) collection: bool,
    pub(super) types: Types,
    pub(super) kinds: RefCell<Vec<Kind>>,
    /// Systems by their names.
    systems: RefCell<HashMap<String, System>>,
}

/// True for the property of a collection that holds features.
pub(super) fn is_member(name: &str) -> bool {
    name.ends_with("ember") || name.ends_with("embers")
}

/// True for what holds features itself.
fn is_collection(name: &str) -> bool {
    name.ends_with("Collection") || name == "Tuple"
}

impl Document {
    pub(super) fn new(options: &ReadOptions, collection: bool, types: Types) -> Document {
        Document {
            options: options.clone(),
            collection,
            types,
            kinds: RefCell::default(),
            systems: RefCell::default(),
        }
    }

    fn system(&self, name: Option<&str>) -> System {
        let Some(name) = name else { return System::unnamed() };
        let mut systems = self.systems.borrow_mut();
        systems.entry(name.to_string()).or_insert_with(|| System::named(name)).clone()
    }

    /// The layer of a feature; of one without a geometry the first of its kind.
    fn layer(&self, name: &str, system: Option<&System>) -> usize {
        let mut kinds = self.kinds.borrow_mut();
        let fits = |kind: &Kind| match (&kind.system, system) {
            (Some(known), Some(system)) => known.key == system.key,
            _ => true,
        };
        let at = kinds.iter().position(|kind| kind.name == name && fits(kind));
        let at = at.unwrap_or_else(|| {
            kinds.push(Kind { name: name.to_string(), ..Kind::default() });
            kinds.len() - 1
        });
        if kinds[at].system.is_none() {
            kinds[at].system = system.cloned();
        }
        at
    }
}

impl Features for Document {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let mut xml = Xml::open(path)?;
        // The system that the bounds of the collection name.
        let mut system: Option<String> = None;
        loop {
            match xml.next()? {
                Node::End => return Ok(()),
                Node::Close(..) => {}
                Node::Open(element) => {
                    if matches!(element.name.as_str(), "Envelope" | "Box") {
                        system = element.attribute("srsName").map(str::to_string);
                    }
                    let outer = xml.stack.iter().rev().nth(1).map(String::as_str);
                    let feature = match outer {
                        None => !self.collection,
                        Some(outer) => is_member(outer) && !is_collection(&element.name),
                    };
                    if !feature {
                        continue;
                    }
                    let feature = Feature::read(self, &mut xml, element, system.clone())?;
                    each(feature.finish(self))?;
                }
            }
        }
    }
}

/// An open property.
struct Property {
    name: String,
    href: Option<String>,
    /// What its attributes tell beside it.
    told: Vec<(String, String)>,
    /// True once something stands in it.
    holds: bool,
}

/// A feature being read.
#[derive(Default)]
struct Feature {
    name: String,
    /// The name of the system of its bounds, or of those around it.
    system: Option<String>,
    values: Vec<(String, Given)>,
    /// How often each name was given.
    names: HashMap<String, usize>,
    geometry: Option<(Taken, System, GeometryColumn)>,
    more: u64,
    /// Geometries beyond the first that are not read, and why the first of these.
    unread: u64,
    why: Option<String>,
    wrong: Option<(Unreadable, System)>,
}

impl Feature {
    fn read(
        document: &Document,
        xml: &mut Xml,
        element: Element,
        system: Option<String>,
    ) -> Result<Feature> {
        let depth = xml.stack.len();
        let mut feature = Feature { name: element.name.clone(), system, ..Feature::default() };
        // A document may be a mere geometry.
        if !document.collection && GEOMETRIES.contains(&element.name.as_str()) {
            let tree = Tree::read(xml, element)?;
            feature.shape(document, tree, "");
            return Ok(feature);
        }
        for (key, value) in element.attributes() {
            match key {
                "id" | "fid" => {
                    feature.values.push((ID.into(), Given::Typed(Value::Text(value.into()))));
                }
                "schemaLocation" | "noNamespaceSchemaLocation" => {}
                _ => feature.add(key.to_string(), Given::Untyped(value.to_string())),
            }
        }
        let mut open: Vec<Property> = Vec::new();
        loop {
            match xml.next()? {
                Node::End => return Ok(feature),
                Node::Open(element) => {
                    let bounds = open.first().is_some_and(|outer| outer.name == "boundedBy");
                    let key = path_of(&open);
                    if let Some(outer) = open.last_mut() {
                        outer.holds = true;
                    }
                    if bounds && let Some(name) = element.attribute("srsName") {
                        feature.system = Some(name.to_string());
                    }
                    if !bounds && !open.is_empty() && GEOMETRIES.contains(&element.name.as_str()) {
                        let tree = Tree::read(xml, element)?;
                        feature.shape(document, tree, &key);
                        continue;
                    }
                    let href = element.attribute("href").map(str::to_string);
                    let told = element.attributes().filter(|(name, _)| !bounds && tells(name));
                    let told = told.map(|(name, value)| (name.into(), value.into())).collect();
                    open.push(Property { name: element.name, href, told, holds: bounds });
                }
                Node::Close(_, text) => {
                    if xml.stack.len() < depth {
                        return Ok(feature);
                    }
                    let key = path_of(&open);
                    let Some(done) = open.pop() else { return Ok(feature) };
                    match done.href {
                        _ if done.holds => {}
                        Some(href) if text.trim().is_empty() => {
                            feature.add(key.clone(), Given::Typed(Value::Text(href)));
                        }
                        _ if text.is_empty() => {}
                        _ => feature.add(key.clone(), document.types.given(&done.name, text)),
                    }
                    for (name, value) in done.told {
                        feature.add(format!("{key}_{name}"), Given::Untyped(value));
                    }
                }
            }
        }
    }

    /// Adds a value; one of a name that was given before is numbered.
    fn add(&mut self, key: String, value: Given) {
        let times = self.names.entry(key.clone()).or_insert(0);
        *times += 1;
        let key = if *times == 1 { key } else { format!("{key}_{times}") };
        self.values.push((key, value));
    }

    /// Takes a geometry, which stands in the property of a key.
    fn shape(&mut self, document: &Document, tree: Option<Tree>, key: &str) {
        let Some(tree) = tree else {
            let why = "a geometry has elements in elements deeper than any needs";
            self.wrong.get_or_insert((Unreadable::new(why), System::unnamed()));
            return;
        };
        let name = srs_name(&tree);
        let system =
            document.system(name.as_ref().ok().copied().flatten().or(self.system.as_deref()));
        let reading = Reading {
            numbers: system.numbers,
            tolerance: document.options.tolerance_in(system.crs.as_ref()),
        };
        let read = name.and_then(|_| Shape::read(&tree, reading));
        let mut column = GeometryColumn::default();
        match read {
            Ok(shape) => {
                let taken = shape.push(&system, &mut column);
                if self.geometry.is_none() {
                    self.geometry = Some((taken, system, column));
                    return;
                }
                self.more += 1;
                let texts: Vec<String> =
                    (0..column.len()).map(|at| wkt::write(&column, at, None)).collect();
                self.add(key.to_string(), Given::Typed(Value::Text(texts.join("; "))));
            }
            // The feature has its geometry.
            Err(why) if self.geometry.is_some() => {
                self.unread += 1;
                self.why.get_or_insert(why);
            }
            Err(why) => {
                let kind = tree.name().to_string();
                let record = Unreadable::new(unread(why, &tree, reading, &system)).of_kind(kind);
                self.wrong.get_or_insert((record, system));
            }
        }
    }

    fn finish(self, document: &Document) -> Item {
        if let Some((record, system)) = self.wrong {
            let layer = document.layer(&self.name, Some(&system));
            return Item::Unreadable(layer, record.with_given(self.values));
        }
        let system = self.geometry.as_ref().map(|(_, system, _)| system);
        let layer = document.layer(&self.name, system);
        if let Some(kind) = document.kinds.borrow_mut().get_mut(layer) {
            kind.more += self.more;
            kind.unread += self.unread;
            kind.why = kind.why.take().or(self.why);
        }
        let (taken, geometry) = match self.geometry {
            Some((taken, _, geometry)) => (taken, geometry),
            None => {
                let mut nothing = GeometryColumn::default();
                nothing.end_feature(None);
                (Taken::default(), nothing)
            }
        };
        Item::Feature(Raw { layer, geometry, taken, values: self.values })
    }
}

/// True for an attribute that tells something of its property.
fn tells(name: &str) -> bool {
    !MARKUP.contains(&name) && name != "href"
}

/// The name of the column of an open property: those that it stands in, without the objects
/// (whose names have capital letters) between them.
fn path_of(open: &[Property]) -> String {
    let last = open.len().saturating_sub(1);
    let object = |name: &str| name.starts_with(char::is_uppercase);
    let named = open.iter().enumerate().filter(|(at, one)| *at == last || !object(&one.name));
    named.map(|(_, one)| one.name.as_str()).collect::<Vec<_>>().join("_")
}
