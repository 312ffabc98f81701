//! Places, lines and curves of GML, as vertices.

use super::tree::Tree;
use crate::format_support::arc::{CurveVertex, circular_string, through};

/// A vertex with its height, which is not a number where there is none.
pub(super) type Vertex = [f64; 3];

/// Properties and elements that hold places, in the forms of all versions.
const PLACES: [&str; 4] = ["pos", "posList", "coordinates", "coord"];
/// Elements that a line may hold its places in.
const AROUND: [&str; 4] = ["pointProperty", "pointRep", "Point", "LineStringSegment"];
/// Curves between whose places lines are drawn.
const STRAIGHT: [&str; 4] = ["LineStringSegment", "Geodesic", "GeodesicString", "LineString"];

/// How the numbers of a file become vertices.
#[derive(Clone, Copy, Debug)]
pub(super) struct Reading {
    /// Numbers of a place, where nothing says it.
    pub(super) numbers: usize,
    /// The farthest of a chord from its curve, in units of the file.
    pub(super) tolerance: f64,
}

/// The vertices of a line or ring, and how many curves were drawn in it.
#[derive(Debug, Default)]
pub(super) struct Line {
    pub(super) vertices: Vec<Vertex>,
    pub(super) curves: u64,
}

impl Line {
    /// Adds another behind it; where they meet, the vertex stands once.
    fn append(&mut self, other: Line) {
        let same = |a: &Vertex, b: &Vertex| a[0] == b[0] && a[1] == b[1];
        let meet =
            self.vertices.last().zip(other.vertices.first()).is_some_and(|(a, b)| same(a, b));
        self.vertices.extend(other.vertices.iter().skip(usize::from(meet)));
        self.curves += other.curves;
    }
}

impl Reading {
    /// The places of an element.
    pub(super) fn places(self, tree: &Tree) -> Result<Vec<Vertex>, String> {
        let own = stated(tree).map_or(self, |numbers| Reading { numbers, ..self });
        let mut places = Vec::new();
        for child in &tree.children {
            match child.name() {
                name if AROUND.contains(&name) => places.append(&mut own.places(child)?),
                "pos" => places.push(vertex(&child.text)?),
                "posList" => own.list(child, &mut places)?,
                "coordinates" => tuples(child, &mut places)?,
                "coord" => {
                    let numbers: Vec<&str> = child.children.iter().map(|n| n.text.trim()).collect();
                    places.push(vertex(&numbers.join(" "))?);
                }
                _ => {}
            }
        }
        if places.is_empty() && tree.attribute("href").is_some() {
            return Err("its places stand elsewhere: references are not followed".to_string());
        }
        Ok(places)
    }

    fn list(self, tree: &Tree, places: &mut Vec<Vertex>) -> Result<(), String> {
        let words: Vec<&str> = tree.text.split_whitespace().collect();
        let each = match stated(tree) {
            Some(numbers) => numbers,
            None if self.numbers == 2
                && !words.len().is_multiple_of(2)
                && words.len().is_multiple_of(3) =>
            {
                3
            }
            None => self.numbers,
        };
        if !words.len().is_multiple_of(each) {
            return Err(format!("a list of places has {} numbers, not {each} each", words.len()));
        }
        for place in words.chunks(each) {
            places.push(vertex(&place.join(" "))?);
        }
        Ok(())
    }

    /// A line, a ring or a curve.
    pub(super) fn line(self, tree: &Tree) -> Result<Line, String> {
        let mut line = Line::default();
        match tree.name() {
            "LineString" | "LinearRing" => line.vertices = self.places(tree)?,
            "Curve" => {
                for segment in tree.held(&["segments"])? {
                    line.append(self.segment(segment)?);
                }
            }
            "CompositeCurve" | "Ring" => {
                for part in tree.held(&["curveMember", "curveMembers"])? {
                    line.append(self.line(part)?);
                }
            }
            "OrientableCurve" => {
                for part in tree.held(&["baseCurve"])? {
                    line.append(self.line(part)?);
                }
                if tree.attribute("orientation") == Some("-") {
                    line.vertices.reverse();
                }
            }
            other => return Err(format!("a {other} is not read as a line")),
        }
        Ok(line)
    }

    fn segment(self, tree: &Tree) -> Result<Line, String> {
        let places = self.places(tree)?;
        match tree.name() {
            name if STRAIGHT.contains(&name) => Ok(Line { vertices: places, curves: 0 }),
            "Arc" | "ArcString" => {
                let places: Vec<CurveVertex> =
                    places.iter().map(|[x, y, z]| [*x, *y, *z, f64::NAN]).collect();
                let mut vertices = Vec::new();
                circular_string(&places, self.tolerance, &mut |[x, y, z, _]| {
                    vertices.push([x, y, z]);
                })?;
                Ok(Line { vertices, curves: places.len() as u64 / 2 })
            }
            "Circle" => self.circle(&places),
            other => Err(format!("curves of kind {other} are not read")),
        }
    }

    /// A circle through three places, from the first to the first.
    fn circle(self, places: &[Vertex]) -> Result<Line, String> {
        let [a, b, c] = places else {
            return Err(format!("a circle has {} places, not 3", places.len()));
        };
        let xy = |place: &Vertex| (place[0], place[1]);
        let arc = through(xy(a), xy(b), xy(c)).ok_or("the places of a circle lie on one line")?;
        let whole = std::f64::consts::TAU.copysign(arc.turn);
        let mut vertices = vec![*a];
        crate::format_support::arc::Arc { turn: whole, ..arc }
            .between(self.tolerance, &mut |x, y, _| vertices.push([x, y, a[2]]));
        vertices.push(*a);
        Ok(Line { vertices, curves: 1 })
    }
}

/// Numbers of a place, as an element says.
pub(super) fn stated(tree: &Tree) -> Option<usize> {
    let text = tree.attribute("srsDimension").or_else(|| tree.attribute("dimension"))?;
    text.parse().ok().filter(|numbers| matches!(numbers, 2 | 3))
}

fn vertex(text: &str) -> Result<Vertex, String> {
    let wrong = || format!("`{}` is not a place of two or three numbers", text.trim());
    let numbers: Result<Vec<f64>, _> = text.split_whitespace().map(str::parse).collect();
    let numbers = numbers.map_err(|_| wrong())?;
    let finite = |place: Vertex| match place[0].is_finite() && place[1].is_finite() {
        true => Ok(place),
        false => Err(wrong()),
    };
    match numbers.as_slice() {
        [x, y] => finite([*x, *y, f64::NAN]),
        [x, y, z] => finite([*x, *y, *z]),
        _ => Err(wrong()),
    }
}

/// Places in the elder form: numbers apart by commas, places by blanks, or as attributes say.
fn tuples(tree: &Tree, places: &mut Vec<Vertex>) -> Result<(), String> {
    let sign = |name, default: &'static str| match tree.attribute(name) {
        // The attribute is trimmed, and may be a blank.
        Some("") => " ".to_string(),
        Some(sign) => sign.to_string(),
        None => default.to_string(),
    };
    let (decimal, comma, between) = (sign("decimal", "."), sign("cs", ","), sign("ts", " "));
    let mut text = tree.text.clone();
    if between != " " {
        text = text.replace(&between, "\u{1}");
    } else {
        text = text.split_whitespace().collect::<Vec<_>>().join("\u{1}");
    }
    for place in text.split('\u{1}').filter(|place| !place.trim().is_empty()) {
        let numbers: Vec<String> =
            place.split(comma.as_str()).map(|n| n.trim().replace(&decimal, ".")).collect();
        places.push(vertex(&numbers.join(" "))?);
    }
    Ok(())
}

/// The places that can be read wherever they stand in an element.
pub(super) fn any_places(tree: &Tree, reading: Reading, found: &mut Vec<Vertex>) {
    if tree.children.iter().any(|child| PLACES.contains(&child.name())) {
        found.extend(reading.places(tree).unwrap_or_default());
    } else {
        tree.children.iter().for_each(|child| any_places(child, reading, found));
    }
}
