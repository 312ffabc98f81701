//! Well-known text of geometries (ISO 19125-1, ISO 13249-3), in and out: `POINT Z (1 2 3)`,
//! with `Z`, `M` and `ZM`, the older forms without a space (`POINTZ`) and with the system in
//! front (`SRID=4326;POINT(1 2)`), which is left to the caller.

use super::arc::{CurveVertex, circular_string};
use super::push_fixed;
use crate::layer::{Collection, GeometryColumn, GeometryKind, Taken, Unread};
use std::fmt::Write;
use std::ops::Range;

/// One feature as text; numbers with so many digits behind the point, or the shortest form
/// that reads back the same.
pub(crate) fn write(column: &GeometryColumn, feature: usize, decimals: Option<usize>) -> String {
    let Some(kind) = column.kinds()[feature] else {
        return "GEOMETRYCOLLECTION EMPTY".to_string();
    };
    let all = |values: &[f64]| {
        !values.is_empty() && column.vertices(feature).all(|at| values[at].is_finite())
    };
    let (z, m) = (all(&column.z), all(&column.m));
    let mut text = String::from(name(kind));
    text += match (z, m) {
        (true, true) => " ZM ",
        (true, false) => " Z ",
        (false, true) => " M ",
        (false, false) => " ",
    };
    if kind.is_multi() {
        text.push('(');
    }
    let ring_text = |range: Range<usize>, close: bool, text: &mut String| {
        text.push('(');
        let first = range.start;
        let closing = close && closes(column, &range);
        for (number, at) in range.chain(closing.then_some(first)).enumerate() {
            if number > 0 {
                text.push_str(", ");
            }
            number_text(column.x[at], decimals, text);
            text.push(' ');
            number_text(column.y[at], decimals, text);
            for value in [z.then(|| column.z[at]), m.then(|| column.m[at])].into_iter().flatten() {
                // Heights and measures keep what they have.
                text.push(' ');
                number_text(value, None, text);
            }
        }
        text.push(')');
    };
    for (p, part) in column.parts(feature).enumerate() {
        if p > 0 {
            text.push_str(", ");
        }
        let polygon = kind.single() == GeometryKind::Polygon;
        if polygon {
            text.push('(');
        }
        for (r, ring) in column.rings(part).enumerate() {
            if r > 0 {
                text.push_str(", ");
            }
            ring_text(column.ring(ring), polygon, &mut text);
        }
        if polygon {
            text.push(')');
        }
    }
    if kind.is_multi() {
        text.push(')');
    }
    text
}

/// True if a ring has to be closed with its first vertex.
pub(crate) fn closes(column: &GeometryColumn, ring: &Range<usize>) -> bool {
    !ring.is_empty()
        && (column.x[ring.start], column.y[ring.start])
            != (column.x[ring.end - 1], column.y[ring.end - 1])
}

fn number_text(value: f64, decimals: Option<usize>, text: &mut String) {
    match decimals {
        Some(decimals) => push_fixed(text, value, decimals),
        // Writing to a string does not fail.
        None => _ = write!(text, "{value}"),
    }
}

/// The name of a kind.
pub(crate) fn name(kind: GeometryKind) -> &'static str {
    match kind {
        GeometryKind::Point => "POINT",
        GeometryKind::LineString => "LINESTRING",
        GeometryKind::Polygon => "POLYGON",
        GeometryKind::MultiPoint => "MULTIPOINT",
        GeometryKind::MultiLineString => "MULTILINESTRING",
        GeometryKind::MultiPolygon => "MULTIPOLYGON",
    }
}

/// True if a text begins like well-known text.
pub(crate) fn looks_like(text: &str) -> bool {
    let text = text.trim_start();
    let text = text.split_once(';').map_or(text, |(srid, rest)| {
        if srid.to_ascii_uppercase().starts_with("SRID=") { rest } else { text }
    });
    let word: String =
        text.chars().take_while(char::is_ascii_alphabetic).collect::<String>().to_ascii_uppercase();
    word == COLLECTION || named(&word).is_some_and(|(_, marks)| MARKS.contains(&marks))
}

const COLLECTION: &str = "GEOMETRYCOLLECTION";

/// Further dimensions, as they are marked.
const MARKS: [&str; 4] = ["", "Z", "M", "ZM"];

/// The names of geometries and the kinds that they become: curves become lines (ISO 13249-3).
const NAMES: [(&str, GeometryKind); 14] = [
    ("POINT", GeometryKind::Point),
    ("LINESTRING", GeometryKind::LineString),
    ("CIRCULARSTRING", GeometryKind::LineString),
    ("COMPOUNDCURVE", GeometryKind::LineString),
    ("POLYGON", GeometryKind::Polygon),
    ("CURVEPOLYGON", GeometryKind::Polygon),
    ("TRIANGLE", GeometryKind::Polygon),
    ("MULTIPOINT", GeometryKind::MultiPoint),
    ("MULTILINESTRING", GeometryKind::MultiLineString),
    ("MULTICURVE", GeometryKind::MultiLineString),
    ("MULTIPOLYGON", GeometryKind::MultiPolygon),
    ("MULTISURFACE", GeometryKind::MultiPolygon),
    ("POLYHEDRALSURFACE", GeometryKind::MultiPolygon),
    ("TIN", GeometryKind::MultiPolygon),
];

/// The name that a word in capitals begins with, and what is written on to it.
fn named(word: &str) -> Option<(&'static str, &str)> {
    let fits = |name: &&'static str| word.strip_prefix(*name).is_some_and(|m| MARKS.contains(&m));
    let name = NAMES.iter().map(|(name, _)| name).find(|name| fits(name))?;
    Some((name, &word[name.len()..]))
}

/// Collections in collections that are followed.
const DEEPEST: usize = 32;

/// Reads a text into a column, or says what is wrong with it and where. The number of the reference
/// system in front of it is passed back. Curves become lines within the tolerance, in the units of
/// the coordinates.
pub(crate) fn read(
    text: &str,
    column: &mut GeometryColumn,
    tolerance: f64,
) -> Result<(Option<u32>, Taken), Unread> {
    let mut input = Input { text, at: 0, z: false, m: false, tolerance, curves: 0 };
    let srid = input.srid()?;
    if input.is_collection() {
        let mut parts = Collection::default();
        input.collection(&mut parts, 0)?;
        input.end()?;
        return Ok((srid, Taken::collection(parts.finish(column), input.curves)));
    }
    column.attempt(|column| {
        let kind = input.geometry(column)?;
        input.end()?;
        Ok(kind)
    })?;
    Ok((srid, Taken::one(input.curves)))
}

struct Input<'a> {
    text: &'a str,
    at: usize,
    z: bool,
    m: bool,
    tolerance: f64,
    /// Curves met.
    curves: u64,
}

impl<'a> Input<'a> {
    fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    fn wrong(&self, expected: &str) -> String {
        let found: String = self.rest().chars().take(12).collect();
        let found = if found.is_empty() { "the end".to_string() } else { format!("`{found}`") };
        format!("well-known text: expected {expected} at character {}, found {found}", self.at + 1)
    }

    fn blanks(&mut self) {
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    fn word(&mut self) -> &'a str {
        self.blanks();
        let rest = self.rest();
        let end = rest.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(rest.len());
        self.at += end;
        &rest[..end]
    }

    fn take(&mut self, mark: char) -> bool {
        self.blanks();
        let found = self.rest().starts_with(mark);
        self.at += usize::from(found);
        found
    }

    fn expect(&mut self, mark: char) -> Result<(), String> {
        if self.take(mark) { Ok(()) } else { Err(self.wrong(&format!("`{mark}`"))) }
    }

    fn empty(&mut self) -> bool {
        let before = self.at;
        let found = self.word().eq_ignore_ascii_case("EMPTY");
        if !found {
            self.at = before;
        }
        found
    }

    fn srid(&mut self) -> Result<Option<u32>, String> {
        let start = self.at;
        if !self.word().eq_ignore_ascii_case("SRID") {
            self.at = start;
            return Ok(None);
        }
        self.expect('=')?;
        let rest = self.rest();
        let end = rest.find(';').ok_or_else(|| self.wrong("a number and `;`"))?;
        let number = rest[..end].trim().parse().map_err(|_| self.wrong("a number and `;`"))?;
        self.at += end + 1;
        Ok(Some(number))
    }

    fn number(&mut self) -> Option<f64> {
        self.blanks();
        let rest = self.rest();
        let end = rest.find(|c: char| c.is_whitespace() || c == ',' || c == ')' || c == '(');
        let word = &rest[..end.unwrap_or(rest.len())];
        let number = word.parse::<f64>().ok()?;
        self.at += word.len();
        Some(number)
    }

    fn end(&mut self) -> Result<(), String> {
        self.blanks();
        if self.at < self.text.len() { Err(self.wrong("the end")) } else { Ok(()) }
    }

    /// The word that comes next, in capitals, which stays there.
    fn peek(&mut self) -> String {
        let before = self.at;
        let word = self.word().to_ascii_uppercase();
        self.at = before;
        word
    }

    fn is_collection(&mut self) -> bool {
        self.peek().strip_prefix(COLLECTION).is_some_and(|marks| MARKS.contains(&marks))
    }

    /// Takes marks of further dimensions that stand on their own.
    fn marks(&mut self) -> String {
        let next = self.peek();
        if matches!(next.as_str(), "Z" | "M" | "ZM") {
            self.word().to_ascii_uppercase()
        } else {
            String::new()
        }
    }

    fn collection(&mut self, parts: &mut Collection, depth: usize) -> Result<(), String> {
        if depth > DEEPEST {
            return Err(format!("collections in collections are read {DEEPEST} deep"));
        }
        self.word();
        self.marks();
        if self.empty() {
            return Ok(());
        }
        self.expect('(')?;
        loop {
            match self.is_collection() {
                true => self.collection(parts, depth + 1)?,
                false => parts.add(|column| self.geometry(column))?,
            }
            if !self.take(',') {
                break;
            }
        }
        self.expect(')')
    }

    fn geometry(&mut self, column: &mut GeometryColumn) -> Result<Option<GeometryKind>, String> {
        self.blanks();
        let start = self.at;
        let word = self.word().to_ascii_uppercase();
        let Some((name, marks)) = named(&word) else {
            self.at = start;
            return Err(self.wrong("POINT, LINESTRING, POLYGON or a MULTI form of them"));
        };
        let marks = if marks.is_empty() { self.marks() } else { marks.to_string() };
        (self.z, self.m) = (marks.contains('Z'), marks.contains('M'));
        let kind = NAMES.iter().find(|(other, _)| *other == name).map(|(_, kind)| *kind);
        let kind = kind.unwrap_or(GeometryKind::Point);
        if self.empty() {
            return Ok(None);
        }
        if !kind.is_multi() {
            self.part(kind, name, column)?;
            return Ok(Some(kind));
        }
        self.expect('(')?;
        loop {
            if kind == GeometryKind::MultiPoint {
                // Points may stand with or without marks of their own.
                let wrapped = self.take('(');
                self.vertex(column)?;
                if wrapped {
                    self.expect(')')?;
                }
                column.end_ring();
                column.end_part();
            } else if !self.empty() {
                // Only what is no line of straight pieces, or polygon of these, is named.
                let name = self.member(match kind.single() {
                    GeometryKind::Polygon => &["CURVEPOLYGON", "POLYGON"],
                    _ => &["CIRCULARSTRING", "COMPOUNDCURVE", "LINESTRING"],
                })?;
                self.part(kind.single(), name, column)?;
            }
            if !self.take(',') {
                break;
            }
        }
        self.expect(')')?;
        Ok(Some(kind))
    }

    /// The name in front of a member, if it has one of these.
    fn member(&mut self, names: &[&'static str]) -> Result<&'static str, String> {
        let word = self.peek();
        if word.is_empty() {
            return Ok("");
        }
        let found =
            names.iter().find(|name| word.strip_prefix(**name).is_some_and(|m| MARKS.contains(&m)));
        let Some(name) = found else { return Err(self.wrong(&names.join(", "))) };
        self.word();
        self.marks();
        Ok(name)
    }

    fn part(
        &mut self,
        kind: GeometryKind,
        name: &str,
        column: &mut GeometryColumn,
    ) -> Result<(), String> {
        if kind == GeometryKind::Polygon {
            self.expect('(')?;
            loop {
                let name = self.member(&["CIRCULARSTRING", "COMPOUNDCURVE", "LINESTRING"])?;
                self.curve(name, column)?;
                column.end_ring();
                if !self.take(',') {
                    break;
                }
            }
            self.expect(')')?;
        } else {
            self.curve(name, column)?;
            column.end_ring();
        }
        column.end_part();
        Ok(())
    }

    /// The vertices of a line or curve of a name.
    fn curve(&mut self, name: &str, column: &mut GeometryColumn) -> Result<(), String> {
        self.expect('(')?;
        if name == "COMPOUNDCURVE" {
            let first = column.x.len();
            loop {
                let name = self.member(&["CIRCULARSTRING", "LINESTRING"])?;
                let before = column.x.len();
                self.curve(name, column)?;
                // A part begins where the one before it ends.
                if before > first {
                    column.remove_vertex(before);
                }
                if !self.take(',') {
                    break;
                }
            }
            return self.expect(')');
        }
        let mut places = GeometryColumn::new();
        let straight = name != "CIRCULARSTRING";
        loop {
            self.vertex(if straight { column } else { &mut places })?;
            if !self.take(',') {
                break;
            }
        }
        if !straight {
            let value = |values: &[f64], at: usize| values.get(at).copied().unwrap_or(f64::NAN);
            let places: Vec<CurveVertex> = (0..places.x.len())
                .map(|at| [places.x[at], places.y[at], value(&places.z, at), value(&places.m, at)])
                .collect();
            self.curves += 1;
            circular_string(&places, self.tolerance, &mut |at| column.push_curve_vertex(at))?;
        }
        self.expect(')')
    }

    fn vertex(&mut self, column: &mut GeometryColumn) -> Result<(), String> {
        let mut numbers = [0.0; 4];
        let mut count = 0;
        while count < 4
            && let Some(number) = self.number()
        {
            numbers[count] = number;
            count += 1;
        }
        let (z, m) = match (count, self.z, self.m) {
            (2, false, false) => (None, None),
            // A third number without a mark is a height.
            (3, _, false) => (Some(numbers[2]), None),
            (3, false, true) => (None, Some(numbers[2])),
            (4, ..) => (Some(numbers[2]), Some(numbers[3])),
            _ => return Err(self.wrong("as many numbers as the geometry has dimensions")),
        };
        if !numbers[..count].iter().all(|number| number.is_finite()) {
            return Err(self.wrong("finite numbers before this place"));
        }
        column.push_vertex(numbers[0], numbers[1], z);
        if let Some(m) = m {
            column.set_measure(m);
        }
        Ok(())
    }
}

impl GeometryColumn {
    /// One feature as well-known text (ISO 19125), with heights and measures where it has
    /// them; numbers in the shortest form that reads back the same.
    pub fn text_of(&self, feature: usize) -> String {
        write(self, feature, None)
    }
}
