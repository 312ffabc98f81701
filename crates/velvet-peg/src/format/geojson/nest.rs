//! Lists of numbers in lists, in little memory: coordinates as they are read.

use serde::de::{SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use serde_json::Value as Json;
use std::fmt;

/// A tree of lists. Its numbers lie in one column; a byte for each element and bracket says where they belong.
/// What is neither a list nor a number that a double holds is kept apart.
#[derive(Clone, Debug, Default)]
pub(super) struct Nest {
    marks: Vec<Mark>,
    numbers: Vec<f64>,
    others: Vec<Json>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Mark {
    Open,
    Close,
    /// A number that was written without a point, and one with it.
    Whole,
    Real,
    Other,
}

/// An element of a tree.
#[derive(Clone, Copy, Debug)]
pub(super) struct Node<'a> {
    nest: &'a Nest,
    /// Where its marks begin and end, and where its numbers and others begin.
    marks: (usize, usize),
    number: usize,
    other: usize,
}

impl Nest {
    /// The whole tree.
    pub(super) fn root(&self) -> Node<'_> {
        Node { nest: self, marks: (0, self.marks.len()), number: 0, other: 0 }
    }
}

impl<'a> Node<'a> {
    /// The elements of a list; none of what is no list.
    pub(super) fn elements(self) -> Option<Elements<'a>> {
        (self.nest.marks.get(self.marks.0) == Some(&Mark::Open)).then(|| Elements {
            nest: self.nest,
            at: self.marks.0 + 1,
            end: self.marks.1 - 1,
            number: self.number,
            other: self.other,
        })
    }

    /// True for a list of nothing, and for what is no list.
    pub(super) fn is_bare(self) -> bool {
        self.elements().is_none_or(|mut elements| elements.next().is_none())
    }

    /// The number that it is.
    pub(super) fn number(self) -> Option<f64> {
        match self.nest.marks.get(self.marks.0)? {
            Mark::Whole | Mark::Real => Some(self.nest.numbers[self.number]),
            Mark::Other => self.nest.others[self.other].as_f64(),
            Mark::Open | Mark::Close => None,
        }
    }

    /// As JSON.
    pub(super) fn json(self) -> Json {
        match self.nest.marks.get(self.marks.0) {
            Some(Mark::Open) => self.elements().into_iter().flatten().map(Node::json).collect(),
            Some(Mark::Whole) => Json::from(self.nest.numbers[self.number] as i64),
            Some(Mark::Real) => Json::from(self.nest.numbers[self.number]),
            Some(Mark::Other) => self.nest.others[self.other].clone(),
            Some(Mark::Close) | None => Json::Null,
        }
    }
}

impl fmt::Display for Node<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.json().fmt(f)
    }
}

/// The elements of a list, one after another.
#[derive(Clone, Copy, Debug)]
pub(super) struct Elements<'a> {
    nest: &'a Nest,
    at: usize,
    end: usize,
    number: usize,
    other: usize,
}

impl<'a> Iterator for Elements<'a> {
    type Item = Node<'a>;

    fn next(&mut self) -> Option<Node<'a>> {
        if self.at >= self.end {
            return None;
        }
        let (first, number, other) = (self.at, self.number, self.other);
        let mut depth = 0_usize;
        loop {
            match self.nest.marks[self.at] {
                Mark::Open => depth += 1,
                Mark::Close => depth -= 1,
                Mark::Whole | Mark::Real => self.number += 1,
                Mark::Other => self.other += 1,
            }
            self.at += 1;
            if depth == 0 {
                return Some(Node { nest: self.nest, marks: (first, self.at), number, other });
            }
        }
    }
}

impl<'de> Deserialize<'de> for Nest {
    fn deserialize<D: Deserializer<'de>>(input: D) -> Result<Self, D::Error> {
        let mut nest = Nest::default();
        input.deserialize_any(Reading(&mut nest))?;
        Ok(nest)
    }
}

/// Adds what is read to a tree.
struct Reading<'a>(&'a mut Nest);

impl<'de> serde::de::DeserializeSeed<'de> for Reading<'_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, input: D) -> Result<(), D::Error> {
        input.deserialize_any(self)
    }
}

impl Reading<'_> {
    fn other<E>(self, json: impl Into<Json>) -> Result<(), E> {
        self.0.marks.push(Mark::Other);
        self.0.others.push(json.into());
        Ok(())
    }

    /// A whole number, if a double holds it.
    fn whole<E>(self, value: i64, json: impl Into<Json>) -> Result<(), E> {
        if value.unsigned_abs() > 1 << f64::MANTISSA_DIGITS {
            return self.other(json);
        }
        self.0.marks.push(Mark::Whole);
        self.0.numbers.push(value as f64);
        Ok(())
    }
}

impl<'de> Visitor<'de> for Reading<'_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("coordinates")
    }

    fn visit_seq<S: SeqAccess<'de>>(self, mut list: S) -> Result<(), S::Error> {
        self.0.marks.push(Mark::Open);
        while list.next_element_seed(Reading(self.0))?.is_some() {}
        self.0.marks.push(Mark::Close);
        Ok(())
    }

    fn visit_f64<E>(self, value: f64) -> Result<(), E> {
        self.0.marks.push(Mark::Real);
        self.0.numbers.push(value);
        Ok(())
    }

    fn visit_i64<E>(self, value: i64) -> Result<(), E> {
        self.whole(value, value)
    }

    fn visit_u64<E>(self, value: u64) -> Result<(), E> {
        self.whole(i64::try_from(value).unwrap_or(i64::MAX), value)
    }

    fn visit_bool<E>(self, value: bool) -> Result<(), E> {
        self.other(value)
    }

    fn visit_unit<E>(self) -> Result<(), E> {
        self.other(Json::Null)
    }

    fn visit_str<E>(self, text: &str) -> Result<(), E> {
        self.other(text)
    }

    fn visit_map<M: serde::de::MapAccess<'de>>(self, map: M) -> Result<(), M::Error> {
        let json = Json::deserialize(serde::de::value::MapAccessDeserializer::new(map))?;
        self.other(json)
    }
}
