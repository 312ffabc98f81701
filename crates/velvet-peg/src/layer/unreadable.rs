//! Records of a file that no feature could be made of, with all that could be read of them.

use super::{GeometryColumn, Value};
use crate::notice::{Notice, NoticeKind};
use arrow_schema::Schema;
use std::fmt::Write;

/// A record of a file that no feature could be made of.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Unreadable {
    /// Its number in the source, from 1.
    pub number: u64,
    /// Why.
    pub reason: String,
    /// What kind of thing it is, in the words of its format (`SPLINE`); blank if it has none.
    pub kind: String,
    /// What could be read of its geometry, as well-known text; blank if nothing could.
    pub geometry: String,
    /// The attributes that could be read: names and texts.
    pub values: Vec<(String, String)>,
    /// What was there, where it could not be taken apart.
    pub original: String,
}

impl Unreadable {
    /// A record that cannot be read for a reason.
    pub(crate) fn new(reason: impl Into<Unread>) -> Unreadable {
        let Unread { why, geometry } = reason.into();
        Unreadable { reason: why, geometry, ..Unreadable::default() }
    }

    /// The same of a kind.
    pub(crate) fn of_kind(self, kind: impl Into<String>) -> Unreadable {
        Unreadable { kind: kind.into(), ..self }
    }

    /// The same with what was there.
    pub(crate) fn with_original(self, original: impl Into<String>) -> Unreadable {
        Unreadable { original: original.into(), ..self }
    }

    /// The same with its attributes, in the order of a schema.
    pub(crate) fn with_values<'a>(
        self,
        schema: &Schema,
        values: impl IntoIterator<Item = &'a Value>,
    ) -> Unreadable {
        let named = schema.fields().iter().zip(values);
        let values = named.map(|(field, value)| (field.name().clone(), value.to_text()));
        Unreadable { values: values.collect(), ..self }
    }
}

/// Why a geometry cannot be read, and what could be read of it, as well-known text.
#[derive(Clone, Debug)]
pub(crate) struct Unread {
    pub(crate) why: String,
    pub(crate) geometry: String,
}

impl Unread {
    /// Why, with the vertices of a column from this one on.
    pub(crate) fn after(why: String, column: &GeometryColumn, first: usize) -> Unread {
        let mut places: Vec<String> = Vec::new();
        for at in first..column.x.len().min(column.y.len()) {
            let mut place = format!("{} {}", column.x[at], column.y[at]);
            if let Some(z) = column.z.get(at).filter(|z| z.is_finite()) {
                // Writing to a string does not fail.
                let _ = write!(place, " {z}");
            }
            places.push(place);
        }
        let geometry = match places.as_slice() {
            [] => String::new(),
            [place] => format!("POINT ({place})"),
            places => format!("LINESTRING ({})", places.join(", ")),
        };
        Unread { why, geometry }
    }
}

impl From<String> for Unread {
    fn from(why: String) -> Unread {
        Unread { why, geometry: String::new() }
    }
}

impl From<&str> for Unread {
    fn from(why: &str) -> Unread {
        why.to_string().into()
    }
}

/// Kinds that are named in a notice.
const NAMED: usize = 12;

/// How many records were left out, of which kinds, and why the first.
#[derive(Clone, Debug, Default)]
pub(crate) struct LeftOut {
    pub(crate) count: u64,
    first: String,
    kinds: Vec<(String, u64)>,
}

impl LeftOut {
    /// Counts a record of a kind, or of none.
    pub(crate) fn add(&mut self, kind: &str, reason: &str) {
        self.count += 1;
        if self.count == 1 {
            self.first = reason.to_string();
        }
        if kind.is_empty() {
            return;
        }
        match self.kinds.iter_mut().find(|(known, _)| known == kind) {
            Some((_, count)) => *count += 1,
            None => self.kinds.push((kind.to_string(), 1)),
        }
    }

    /// Why the first.
    pub(crate) fn first(&self) -> &str {
        &self.first
    }

    /// A warning of them, if there are any.
    pub(crate) fn notice(&self) -> Option<Notice> {
        let LeftOut { count, first, kinds } = self;
        if *count == 0 {
            return None;
        }
        let are = if *count == 1 {
            "record of the file cannot be read and is"
        } else {
            "records of the file cannot be read and are"
        };
        let mut kinds: Vec<&(String, u64)> = kinds.iter().collect();
        kinds.sort_by(|one, two| two.1.cmp(&one.1).then(one.0.cmp(&two.0)));
        let mut named: Vec<String> =
            kinds.iter().take(NAMED).map(|(kind, count)| format!("{count} {kind}")).collect();
        let others: u64 = kinds.iter().skip(NAMED).map(|(_, count)| count).sum();
        if others > 0 {
            named.push(format!("{others} of other kinds"));
        }
        let text = match (named.as_slice(), *count) {
            ([], 1) => format!("1 {are} left out: {first}"),
            ([], count) => format!("{count} {are} left out; the first: {first}"),
            (named, count) => {
                format!("{count} {are} left out: {}; the first: {first}", named.join(", "))
            }
        };
        Some(Notice::warning(NoticeKind::Unreadable, text).count(*count))
    }
}
