//! A JSON object that may be a feature or a geometry: its coordinates are held in little memory.

use super::nest::Nest;
use serde::de::{MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use serde_json::{Map, Value as Json};
use std::fmt;

/// Members whose values are held apart.
const GEOMETRY: &str = "geometry";
const COORDINATES: &str = "coordinates";
const GEOMETRIES: &str = "geometries";

/// An object. What is held apart stands as null among its members.
#[derive(Clone, Debug, Default)]
pub(super) struct Object {
    pub(super) members: Map<String, Json>,
    pub(super) geometry: Option<Box<Element>>,
    pub(super) coordinates: Option<Nest>,
    /// The members of a collection of geometries.
    pub(super) geometries: Option<Box<Element>>,
}

/// An object, a list, or what else a value is.
#[derive(Clone, Debug)]
pub(super) enum Element {
    Object(Object),
    List(Vec<Element>),
    Other(Json),
}

impl Object {
    pub(super) fn kind(&self) -> Option<&str> {
        self.members.get("type").and_then(Json::as_str)
    }

    pub(super) fn has(&self, member: &str) -> bool {
        self.members.contains_key(member)
    }

    /// Reads the value of a member.
    pub(super) fn read<'de, M: MapAccess<'de>>(
        &mut self,
        key: String,
        map: &mut M,
    ) -> Result<(), M::Error> {
        // Of several members of a name, the last one counts.
        let value = match key.as_str() {
            GEOMETRY => {
                self.geometry = Some(Box::new(map.next_value()?));
                Json::Null
            }
            COORDINATES => {
                self.coordinates = Some(map.next_value()?);
                Json::Null
            }
            GEOMETRIES => {
                self.geometries = Some(Box::new(map.next_value()?));
                Json::Null
            }
            _ => map.next_value()?,
        };
        self.members.insert(key, value);
        Ok(())
    }

    /// The value of a member as JSON; null if there is none.
    pub(super) fn take(&mut self, member: &str) -> Json {
        let apart = match member {
            GEOMETRY => self.geometry.take().map(|element| element.json()),
            COORDINATES => self.coordinates.take().map(|nest| nest.root().json()),
            GEOMETRIES => self.geometries.take().map(|element| element.json()),
            _ => None,
        };
        apart.unwrap_or_else(|| self.members.get_mut(member).map_or(Json::Null, Json::take))
    }

    pub(super) fn json(mut self) -> Json {
        let keys: Vec<String> = self.members.keys().cloned().collect();
        Json::Object(keys.into_iter().map(|key| (key.clone(), self.take(&key))).collect())
    }
}

impl Element {
    pub(super) fn object(&self) -> Option<&Object> {
        match self {
            Element::Object(object) => Some(object),
            Element::List(_) | Element::Other(_) => None,
        }
    }

    pub(super) fn json(self) -> Json {
        match self {
            Element::Object(object) => object.json(),
            Element::List(list) => list.into_iter().map(Element::json).collect(),
            Element::Other(json) => json,
        }
    }
}

impl From<Json> for Element {
    fn from(json: Json) -> Self {
        // What is JSON can be read as it.
        Element::deserialize(json).unwrap_or(Element::Other(Json::Null))
    }
}

impl<'de> Deserialize<'de> for Element {
    fn deserialize<D: Deserializer<'de>>(input: D) -> Result<Self, D::Error> {
        input.deserialize_any(ElementVisitor)
    }
}

struct ElementVisitor;

impl<'de> Visitor<'de> for ElementVisitor {
    type Value = Element;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a value")
    }

    fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<Element, M::Error> {
        let mut object = Object::default();
        while let Some(key) = map.next_key::<String>()? {
            object.read(key, &mut map)?;
        }
        Ok(Element::Object(object))
    }

    fn visit_seq<S: SeqAccess<'de>>(self, mut list: S) -> Result<Element, S::Error> {
        let mut elements = Vec::new();
        while let Some(element) = list.next_element()? {
            elements.push(element);
        }
        Ok(Element::List(elements))
    }

    fn visit_bool<E>(self, value: bool) -> Result<Element, E> {
        Ok(Element::Other(value.into()))
    }

    fn visit_i64<E>(self, value: i64) -> Result<Element, E> {
        Ok(Element::Other(value.into()))
    }

    fn visit_u64<E>(self, value: u64) -> Result<Element, E> {
        Ok(Element::Other(value.into()))
    }

    fn visit_f64<E>(self, value: f64) -> Result<Element, E> {
        Ok(Element::Other(value.into()))
    }

    fn visit_str<E>(self, text: &str) -> Result<Element, E> {
        Ok(Element::Other(text.into()))
    }

    fn visit_unit<E>(self) -> Result<Element, E> {
        Ok(Element::Other(Json::Null))
    }
}
