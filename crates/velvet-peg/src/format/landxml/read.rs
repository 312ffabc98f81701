//! Reading points, parcels, alignments and lines of the plan.

use super::coord_geom::{Outline, Piece, Place};
use super::unit_of;
use crate::error::{Error, Result};
use crate::format_support::nested_rings::{nested, push};
use crate::format_support::two_pass::{Features, Given, Item, Raw, learn, opened};
use crate::format_support::xml::{Element, Node, Xml};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::{CrsOrigin, GeometryColumn, GeometryKind, Taken, Unreadable, Value};
use crate::notice::{Notice, NoticeKind};
use crate::plausibility::stated_unit;
use std::cell::Cell;
use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;
use velvet_peg_core::{Crs, LengthUnit, definition};

const LAYERS: [&str; 4] = ["points", "parcels", "alignments", "plan_features"];
/// The elements that their features are.
const ELEMENTS: [&str; 4] = ["CgPoint", "Parcel", "Alignment", "PlanFeature"];
/// Elements of the plan that are told and not read.
const OTHERS: [&str; 5] = ["Surface", "PipeNetwork", "Roadway", "GradeSurface", "Monument"];
/// The pieces of outlines.
const PIECES: [&str; 5] = ["Line", "Curve", "Spiral", "IrregularLine", "Chain"];

#[derive(Clone, Debug)]
struct Survey {
    /// In units of the file.
    tolerance: f64,
    /// Places by the names of points, if places are given by these.
    named: Arc<HashMap<String, Place>>,
    /// Outlines of parcels that do not come back to where they began, or whose pieces do not meet;
    /// the largest gap.
    open: Cell<u64>,
    gap: Cell<f64>,
}

/// What the file says of all its places.
#[derive(Default)]
struct Head {
    unit: Option<LengthUnit>,
    crs: Option<Crs>,
    notices: Vec<Notice>,
    named: HashMap<String, Place>,
    /// True if places are given by the names of points.
    refers: bool,
}

impl Head {
    /// Runs through a file for what has to be known before its features.
    fn read(path: &Path) -> Result<Head> {
        let mut head = Head::default();
        let mut xml = Xml::open(path)?;
        let mut root = false;
        let mut name: Option<String> = None;
        let mut before = String::new();
        loop {
            match xml.next()? {
                Node::Open(element) => {
                    if !root && element.name != "LandXML" {
                        return Err(Error::data(format!(
                            "is XML, but not LandXML: its root element is {}",
                            element.name
                        ))
                        .in_file(path));
                    }
                    root = true;
                    if name.is_some() && before.trim().is_empty() {
                        before = xml.before().to_string();
                    }
                    head.refers |= element.attribute("pntRef").is_some();
                    match element.name.as_str() {
                        "Metric" | "Imperial" => {
                            let word = element.attribute("linearUnit").unwrap_or_default();
                            head.unit = unit_of(word);
                            if head.unit.is_none() {
                                let text = format!("the unit of length is `{word}`, which is none");
                                head.notices.push(Notice::warning(NoticeKind::System, text));
                            }
                        }
                        "CoordinateSystem" => head.system(&element),
                        "CgPoint" => {
                            before.clear();
                            name = element.attribute("name").map(ToString::to_string);
                        }
                        _ => {}
                    }
                }
                Node::Close(closed, text) if closed == "CgPoint" => {
                    let before = std::mem::take(&mut before);
                    let text = if before.trim().is_empty() { text } else { before };
                    if let (Some(name), Ok(place)) = (name.take(), place(&text)) {
                        head.named.entry(name).or_insert(place);
                    }
                }
                Node::Close(..) => {}
                Node::End if root => break,
                Node::End => return Err(Error::data("is not a LandXML file").in_file(path)),
            }
        }
        if !head.refers {
            head.named = HashMap::new();
        }
        Ok(head)
    }

    fn system(&mut self, element: &Element) {
        let code = element.attribute("epsgCode").map(str::trim).filter(|code| !code.is_empty());
        let text = element.attribute("ogcWktCode").map(str::trim).filter(|text| !text.is_empty());
        let found = match (code, text) {
            (Some(code), _) => {
                let number = code.rsplit(':').next().unwrap_or_default().parse();
                number.map_err(|_| "no number of a system".to_string()).and_then(|number: u32| {
                    Crs::from_epsg(number).map_err(|error| error.to_string())
                })
            }
            (None, Some(text)) => definition::resolve(text).map_err(|error| error.to_string()),
            (None, None) => return,
        };
        match found {
            Ok(crs) => self.crs = Some(crs),
            Err(why) => self.notices.push(Notice::warning(
                NoticeKind::System,
                format!(
                    "the reference system `{}` of the file cannot be used: {why}",
                    code.or(text).unwrap_or_default()
                ),
            )),
        }
    }
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let head = Head::read(path)?;
    let (within, tolerance) = match &head.crs {
        Some(crs) => (options.tolerance_text(Some(crs)), options.tolerance_in(Some(crs))),
        None => {
            let metres = head.unit.map_or(1.0, |unit| unit.metres());
            (options.tolerance_text_of(head.unit), options.tolerance / metres)
        }
    };
    let named = Arc::new(head.named);
    let survey = Survey { tolerance, named, open: Cell::new(0), gap: Cell::new(0.0) };
    let learnt = learn(path, &survey, LAYERS.len())?;
    let nothing = learnt.iter().all(|one| one.learn.count + one.left_out.count == 0);
    let mut notices = head.notices;
    // The standard has no angles for places: beside degrees the unit says nothing.
    if let Some(crs) = head.crs.as_ref().filter(|crs| !crs.is_geographic()) {
        notices.extend(stated_unit(head.unit, crs));
    }
    let mut gaps = None;
    if survey.open.get() > 0 {
        let unit = head.unit.map_or("units", |unit| unit.symbol());
        let text = format!(
            "outlines of parcels that do not close: {}, the widest gap {:.3} {unit}; they are closed \
             straight",
            survey.open.get(),
            survey.gap.get()
        );
        gaps = Some(Notice::warning(NoticeKind::Shape, text).count(survey.open.get()));
    }
    let mut layers = Vec::new();
    for (at, learnt) in learnt.into_iter().enumerate() {
        // A file of nothing is a layer of no points.
        if learnt.learn.count + learnt.left_out.count > 0 || (nothing && at == 0) {
            let origin = if head.crs.is_some() { CrsOrigin::File } else { CrsOrigin::Given };
            let system = (head.crs.clone(), origin);
            let keys = |keys: &[String]| keys.to_vec();
            let source = survey.clone();
            let mut layer = opened(path, source, (at, learnt), LAYERS[at], system, &within, &keys);
            layer.0.unit = head.unit.filter(|_| head.crs.is_none());
            layer.2.append(&mut notices);
            if LAYERS[at] == "parcels" {
                layer.2.extend(gaps.take());
            }
            layers.push(layer);
        }
    }
    Ok(layers)
}

/// A thing being read.
#[derive(Default)]
struct Open {
    layer: usize,
    values: Vec<(String, Given)>,
    /// The place of a point, as its text.
    text: String,
    reference: Option<String>,
    outlines: Vec<Outline>,
    wrong: Option<String>,
}

/// The numbers of a text: northing, easting and, where it has one, height.
fn place(text: &str) -> Result<Place, String> {
    let numbers: Vec<f64> = text.split_whitespace().map_while(|n| n.parse().ok()).collect();
    match numbers.as_slice() {
        [y, x] if text.split_whitespace().count() == 2 => Ok([*x, *y, f64::NAN]),
        [y, x, z] if text.split_whitespace().count() == 3 => Ok([*x, *y, *z]),
        _ => Err(format!("`{}` is not northing, easting and height", text.trim())),
    }
}

/// The places of a list of so many numbers each.
fn list(text: &str, each: usize) -> Result<Vec<Place>, String> {
    let words: Vec<&str> = text.split_whitespace().collect();
    if !words.len().is_multiple_of(each) {
        return Err(format!("a list of places has {} numbers, not {each} each", words.len()));
    }
    words.chunks(each).map(|words| place(&words.join(" "))).collect()
}

impl Features for Survey {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let mut xml = Xml::open(path)?;
        // Parcels may hold others.
        let mut open: Vec<Open> = Vec::new();
        let mut piece: Option<Piece> = None;
        let mut reference: Option<String> = None;
        loop {
            match xml.next()? {
                Node::End => return Ok(()),
                Node::Open(element) => {
                    let name = element.name.as_str();
                    let before = xml.before();
                    if let Some(point) = open.last_mut()
                        && point.layer == 0
                        && !before.trim().is_empty()
                    {
                        point.text += before;
                    }
                    if let Some(layer) = ELEMENTS.iter().position(|known| *known == name) {
                        // The word is also that of places within other things.
                        if layer > 0 || open.is_empty() {
                            open.push(Open::of(layer, &element));
                        }
                    } else if OTHERS.contains(&name) && open.is_empty() {
                        let why = format!("elements of kind {name} are not read");
                        let record = Unreadable::new(why).of_kind(name);
                        each(Item::Unreadable(0, record.with_given(attributes(&element))))?;
                    } else if name == "CoordGeom" {
                        if let Some(open) = open.last_mut() {
                            open.outlines.push(Outline::default());
                        }
                    } else if PIECES.contains(&name) && within(&xml, "CoordGeom") {
                        piece = Some(Piece::of(&element));
                    } else if name == "Property"
                        && let (Some(open), Some(label)) =
                            (open.last_mut(), element.attribute("label"))
                    {
                        let value = element.attribute("value").unwrap_or_default().to_string();
                        open.values.push((label.to_string(), Given::Untyped(value)));
                    }
                    if matches!(name, "Start" | "End" | "Center" | "PI") {
                        reference = element.attribute("pntRef").map(ToString::to_string);
                    }
                }
                Node::Close(name, text) => {
                    if let (Some(piece), Some(open)) = (&mut piece, open.last_mut()) {
                        let by_name = reference.take();
                        open.note(self.give(piece, &name, &text, by_name.as_deref()));
                    }
                    if PIECES.contains(&name.as_str())
                        && let (Some(piece), Some(open)) = (piece.take(), open.last_mut())
                        && let Some(outline) = open.outlines.last_mut()
                    {
                        let added = outline.add(&piece, self.tolerance);
                        open.note(added);
                    }
                    let done = open.last().map(|open| ELEMENTS[open.layer]);
                    if done == Some(name.as_str())
                        && let Some(mut done) = open.pop()
                    {
                        if done.text.trim().is_empty() {
                            done.text = text;
                        }
                        each(self.finish(done))?;
                    }
                }
            }
        }
    }
}

/// True if the element that has just begun stands in one of this name.
fn within(xml: &Xml, name: &str) -> bool {
    xml.stack.iter().rev().nth(1).is_some_and(|outer| outer == name)
}

/// Attributes that LandXML 1.2 declares as double.
const NUMBERS: [&str; 4] = ["area", "length", "staEnd", "staStart"];

fn attributes(element: &Element) -> Vec<(String, Given)> {
    let given = |key: &str, value: &str| match value.trim().parse() {
        // A number for certain, with however many digits; whole ones are told apart as elsewhere.
        Ok(number) if NUMBERS.contains(&key) && value.contains('.') => {
            Given::Typed(Value::Real(number))
        }
        _ => Given::Untyped(value.to_string()),
    };
    element.attributes().map(|(key, value)| (key.to_string(), given(key, value))).collect()
}

impl Open {
    fn of(layer: usize, element: &Element) -> Open {
        let reference = element.attribute("pntRef").map(ToString::to_string);
        Open { layer, values: attributes(element), reference, ..Open::default() }
    }

    fn note<T>(&mut self, result: Result<T, String>) {
        if let (None, Err(why)) = (&self.wrong, result) {
            self.wrong = Some(why);
        }
    }
}

impl Piece {
    fn of(element: &Element) -> Piece {
        let text = |name| element.attribute(name).unwrap_or_default().to_string();
        // An infinite radius is written INF.
        let number = |name| {
            element.attribute(name).and_then(|n| n.parse().ok()).filter(|n: &f64| n.is_finite())
        };
        Piece {
            kind: element.name.clone(),
            rotation: text("rot"),
            curve: text(if element.name == "Spiral" { "spiType" } else { "crvType" }),
            radii: [number("radiusStart"), number("radiusEnd")],
            length: number("length"),
            ..Piece::default()
        }
    }
}

impl Survey {
    /// Gives a piece the place or the places of an element that ends.
    fn give(
        &self,
        piece: &mut Piece,
        name: &str,
        text: &str,
        by_name: Option<&str>,
    ) -> Result<(), String> {
        match name {
            "PntList2D" => piece.list = list(text, 2)?,
            "PntList3D" => piece.list = list(text, 3)?,
            // The names of points, one behind the other.
            "Chain" => {
                let names = text.split_whitespace();
                piece.list = names.map(|name| self.named(name)).collect::<Result<_, String>>()?;
            }
            "Start" | "End" | "Center" | "PI" => {
                let found = match by_name {
                    Some(name) => self.named(name)?,
                    None => place(text)?,
                };
                match name {
                    "Start" => piece.start = Some(found),
                    "End" => piece.end = Some(found),
                    "Center" => piece.centre = Some(found),
                    _ => piece.corner = Some(found),
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn named(&self, name: &str) -> Result<Place, String> {
        let found = self.named.get(name.trim()).copied();
        found.ok_or_else(|| format!("there is no point `{}`", name.trim()))
    }

    fn finish(&self, mut open: Open) -> Item {
        let mut geometry = GeometryColumn::default();
        let mut curves = 0;
        if open.layer == 0 {
            let found = match open.reference.take() {
                Some(name) if open.text.trim().is_empty() => self.named(&name),
                _ => place(&open.text),
            };
            match found {
                Ok([x, y, z]) => {
                    geometry.push_vertex(x, y, z.is_finite().then_some(z));
                    geometry.end_ring();
                    geometry.end_part();
                    geometry.end_feature(Some(GeometryKind::Point));
                }
                Err(why) => open.wrong = Some(why),
            }
        } else {
            open.outlines.retain(|outline| outline.places.len() > 1);
            curves = open.outlines.iter().map(|outline| outline.curves).sum();
            match open.layer {
                1 => self.parcel(&mut open, &mut geometry),
                _ => lines(&open.outlines, &mut geometry),
            }
        }
        if let Some(why) = open.wrong {
            let record = Unreadable::new(why).of_kind(ELEMENTS[open.layer]);
            return Item::Unreadable(open.layer, record.with_given(open.values));
        }
        let taken = Taken::one(curves);
        Item::Feature(Raw { layer: open.layer, geometry, taken, values: open.values })
    }

    fn parcel(&self, open: &mut Open, geometry: &mut GeometryColumn) {
        let mut rings = Vec::new();
        for outline in &mut open.outlines {
            let places = &mut outline.places;
            let (first, last) = (places[0], places[places.len() - 1]);
            let gap = (first[0] - last[0]).hypot(first[1] - last[1]).max(outline.gap);
            if gap > self.tolerance {
                self.open.set(self.open.get() + 1);
                self.gap.set(self.gap.get().max(gap));
            }
            if places.len() > 3 && gap <= self.tolerance {
                places.pop();
            }
            places.push(first);
            if places.len() > 3 {
                rings.push(std::mem::take(places));
            }
        }
        match rings.is_empty() {
            true => geometry.end_feature(None),
            false => {
                let heights = rings.iter().flatten().any(|place| place[2].is_finite());
                push(&nested(rings), geometry, heights);
            }
        }
    }
}

/// Pieces that do not meet are drawn as one line all the same, as they follow one another.
fn lines(outlines: &[Outline], geometry: &mut GeometryColumn) {
    for outline in outlines {
        let heights = outline.places.iter().any(|place| place[2].is_finite());
        for [x, y, z] in &outline.places {
            geometry.push_vertex(*x, *y, heights.then_some(*z));
        }
        geometry.end_ring();
        geometry.end_part();
    }
    geometry.end_feature(match outlines.len() {
        0 => None,
        1 => Some(GeometryKind::LineString),
        _ => Some(GeometryKind::MultiLineString),
    });
}
