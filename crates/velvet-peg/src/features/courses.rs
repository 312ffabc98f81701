//! Polygons from the courses of deeds: bearings and distances, curves by radius and central
//! angle, with what they miss closing by.

use super::BuildOptions;
use super::reproject::Carry;
use crate::error::{Error, Result};
use crate::layer::column_names::{list, position};
use crate::layer::{Extender, Geometry, Layer, Value};
use crate::notice::Notice;
use crate::output::refuse_existing;
use crate::progress::Progress;
use crate::summary::Summary;
use crate::table::TableFile;
use arrow_schema::{DataType, Field};
use csv::StringRecord;
use std::collections::HashMap;
use std::path::Path;
use velvet_peg_core::LengthUnit;
use velvet_peg_core::angle::{Axis, parse};
use velvet_peg_core::bearing::{parse_bearing, quadrant};
use velvet_peg_core::traverse::{Leg, Misclosure, Traverse, Turn};

/// What to build polygons from the courses of deeds from.
#[derive(Clone, Debug, Default)]
pub struct BuildCourses {
    /// Columns whose values together tell the parcels apart; one parcel if none.
    pub group: Vec<String>,
    /// Columns of the courses; guessed from the headers where not named.
    pub columns: CourseNames,
    /// Where the first course begins, in the reference system (easting, northing).
    pub start: Option<(f64, f64)>,
    /// Columns with the easting and northing of where a parcel begins, on its first row.
    pub start_columns: Option<(String, String)>,
    /// Unit of distances and radii that do not name their own; that of the reference system if
    /// none. Without a reference system the parcels are in this unit.
    pub unit: Option<LengthUnit>,
    /// Multiplies distances and radii: from the ground to the grid.
    pub combined_factor: Option<f64>,
    /// Added to every bearing, degrees clockwise: from the deed's north to the grid's.
    pub rotate_deg: Option<f64>,
    /// Spreads the misclosure over the corners by the compass rule.
    pub adjust: bool,
    /// How far curves may be from the corners and chords that stand for them, in the unit of
    /// the reference system; 1 mm if none.
    pub tolerance: Option<f64>,
    /// What is the same for all features built from tables.
    pub build: BuildOptions,
}

/// Names of the columns of a table of courses.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CourseNames {
    /// Direction: a quadrant bearing or an azimuth. On a curve's row that of its chord; blank
    /// for a curve that goes on from the course before it without a bend.
    pub bearing: Option<String>,
    /// Distance; on a curve's row the length of the arc, which is compared.
    pub distance: Option<String>,
    /// Radius of a curve; blank on straight courses.
    pub radius: Option<String>,
    /// Central angle of a curve; blank if its arc length is given.
    pub delta: Option<String>,
    /// Which way a curve turns: left or right.
    pub turn: Option<String>,
}

/// What became of one parcel.
#[derive(Clone, Debug)]
pub struct Closure {
    /// Its name: the value of the grouping columns.
    pub name: String,
    /// Courses.
    pub courses: usize,
    /// By how much it misses closing, in the unit of the reference system.
    pub misclosure: Misclosure,
    /// Area as written out, in the square of that unit: adjusted, if that was asked for.
    pub area: f64,
    /// The unit; none if neither a reference system nor a unit was given.
    pub unit: Option<LengthUnit>,
    /// True if the misclosure was spread over the corners.
    pub adjusted: bool,
    /// Each course: direction as run (of the chord for a curve), length along it, and its end.
    pub legs: Vec<ClosureLeg>,
}

/// A course of a parcel as it was run.
#[derive(Clone, Debug)]
pub struct ClosureLeg {
    /// Row of the table.
    pub row: u64,
    /// Azimuth, degrees; that of the chord for a curve.
    pub azimuth_deg: f64,
    /// Length along the course.
    pub length: f64,
    /// Radius of a curve.
    pub radius: Option<f64>,
    /// Where it ends.
    pub end: (f64, f64),
}

/// Misclosures worse than one in so many are warned about.
const POOR: f64 = 5_000.0;

impl BuildCourses {
    /// Makes a polygon of the courses of every group: the courses of a deed become a parcel.
    /// Attributes are the grouping columns and the figures of the closure: `courses`,
    /// `perimeter`, `misclosure` (both in the unit of the reference system) and `closes_1_in`.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{BuildCourses, NoProgress};
    /// std::fs::write(file("deed.csv"), "bearing,distance\nN 0 E,100\nN 90 E,50\nS 0 E,100\nS 90 W,50\n")?;
    /// let courses = BuildCourses::default();
    /// let (outcome, closures) = courses.run(&file("deed.csv"), &file("deed.gpkg"), &mut NoProgress)?;
    /// assert_eq!((outcome.out, closures[0].area), (1, 5000.0));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, the reference system is not one of a
    /// grid, an output exists, or no parcel can be made.
    pub fn run(
        &self,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, Vec<Closure>)> {
        let build = &self.build;
        refuse_existing(out, build.write.replaces())?;
        let unit = self.grid_unit()?;
        let file = TableFile::open(table, &build.table)?;
        let reader = file.rows()?;
        let headers = reader.headers.clone();
        let here = |error: Error| error.in_file(table);
        let columns = self.columns.find(&headers).map_err(here)?;
        let places = |names: &[String]| -> Result<Vec<usize>> {
            names.iter().map(|name| position(&headers, name, None).map_err(here)).collect()
        };
        let group = places(&self.group)?;
        let starts = match &self.start_columns {
            Some((x, y)) => Some(places(&[x.clone(), y.clone()])?),
            None => None,
        };
        let mut notices: Vec<Notice> = file.notices().to_vec();
        notices.extend(reader.renamed());
        let found = starts_in(&headers);
        let starts = match (starts, found) {
            (None, Some([x, y])) if self.start.is_none() => {
                notices.push(Notice::note(format!(
                    "parcels begin where columns `{}` and `{}` say, by their names",
                    headers[x], headers[y]
                )));
                Some(vec![x, y])
            }
            (starts, _) => starts,
        };
        if self.start.is_none() && starts.is_none() {
            if let Some(crs) = &build.crs {
                return Err(Error::usage(format!(
                    "say where the first course begins in {}: add --start EASTING,NORTHING, or name \
                     the columns that hold it with --x and --y",
                    crs.label()
                )));
            }
            notices.push(Notice::note(
                "the first course begins at 0, 0: --start EASTING,NORTHING puts it elsewhere",
            ));
        }
        let to_grid = self.to_grid(unit)?;
        let mut parcels: Vec<Parcel> = Vec::new();
        let mut known: HashMap<Vec<String>, usize> = HashMap::new();
        let mut rows = 0;
        reader.each_row(&mut |reader, record| {
            rows += 1;
            let cell = |at: usize| record.get(at).unwrap_or_default().trim().to_string();
            let values: Vec<String> = group.iter().map(|at| cell(*at)).collect();
            let at = *known.entry(values.clone()).or_insert_with(|| {
                let blank = values.iter().position(String::is_empty);
                let wrong = blank.map(|at| {
                    let name = &reader.headers[group[at]];
                    format!("column `{name}`, which tells parcels apart, is blank")
                });
                parcels.push(Parcel { values, wrong, ..Parcel::default() });
                parcels.len() - 1
            });
            let parcel = &mut parcels[at];
            parcel.rows.push((reader.row(), record.clone()));
            if parcel.wrong.is_some() {
                return Ok(());
            }
            if let Some(starts) = &starts {
                let number = |at: usize| cell(at).parse::<f64>().ok();
                let here = number(starts[0]).zip(number(starts[1]));
                match (parcel.start, here) {
                    (None, None) => {
                        let why = "its first row does not say where it begins";
                        parcel.wrong = Some(why.to_string());
                        return Ok(());
                    }
                    (None, here) => parcel.start = here,
                    (Some(start), Some(here)) if start != here => parcel.notes.push(format!(
                        "row {} says that a parcel begins at {}, {}, and is taken as the next course \
                         of the one before: does a column tell parcels apart? Name it with --by",
                        reader.row(),
                        here.0,
                        here.1
                    )),
                    _ => {}
                }
            }
            let read = match reader.misfit(record) {
                Some(misfit) => Err(misfit),
                None => self.leg(&columns, &cell, &to_grid, &mut parcel.notes),
            };
            match read {
                Ok(leg) => parcel.legs.push(leg),
                Err(reason) => parcel.wrong = Some(format!("row {}: {reason}", reader.row())),
            }
            Ok(())
        })?;
        let stacked = parcels.iter().filter(|parcel| parcel.start.is_none()).count();
        if stacked > 1 && (self.start.is_some() || build.crs.is_some()) {
            let columns = match found {
                Some([x, y]) => format!(
                    "; columns `{}` and `{}` look as if they held it: leave out --start",
                    headers[x], headers[y]
                ),
                None => {
                    " in two columns, on its first row, and name them with --x and --y".to_string()
                }
            };
            return Err(here(Error::usage(format!(
                "there are {stacked} parcels, and one start would put them all on one point: give \
                 each its own{columns}"
            ))));
        }
        let mut rejects = build.open_rejects(table, out, &headers)?;
        let group_names: Vec<String> = group.iter().map(|at| headers[*at].clone()).collect();
        let mut fields: Vec<Field> =
            group_names.iter().map(|name| Field::new(name, DataType::Utf8, true)).collect();
        fields.push(Field::new("courses", DataType::Int64, true));
        for name in ["perimeter", "misclosure", "closes_1_in"] {
            fields.push(Field::new(name, DataType::Float64, true));
        }
        let mut layer = Layer::with_fields(&build.layer_name(&file), build.crs.clone(), fields);
        let mut closures = Vec::new();
        let mut used = 0;
        let mut closed = Vec::new();
        let mut extent = Extender::default();
        for parcel in &mut parcels {
            let made = self.close(parcel, unit, &parcel.values.join(", "));
            if let Ok((_, vertices)) = &made {
                vertices.iter().for_each(|(x, y)| extent.point(*x, *y));
            }
            closed.push(made);
        }
        let carry = Carry::plan(build, extent.bounds())?;
        for (parcel, made) in parcels.iter().zip(closed) {
            let label = parcel.values.join(", ");
            let shown = if label.is_empty() { String::new() } else { format!("`{label}`: ") };
            let made = made.and_then(|(closure, vertices)| {
                match carry.refuses(vertices.iter().copied()) {
                    None => Ok((closure, vertices)),
                    Some(why) => Err(why),
                }
            });
            match made {
                Ok((closure, vertices)) => {
                    used += parcel.rows.len() as u64;
                    notices.extend(
                        parcel.notes.iter().map(|note| Notice::warning(format!("{shown}{note}"))),
                    );
                    notices.extend(self.poor(parcel, &closure, &shown));
                    let mut attributes: Vec<(&str, Value)> = group_names
                        .iter()
                        .map(String::as_str)
                        .zip(parcel.values.iter().map(|value| Value::from(value.as_str())))
                        .collect();
                    attributes.push(("courses", (closure.courses as i64).into()));
                    attributes.push(("perimeter", closure.misclosure.perimeter.into()));
                    attributes.push(("misclosure", closure.misclosure.length.into()));
                    attributes
                        .push(("closes_1_in", closure.misclosure.ratio().map(f64::round).into()));
                    layer.add(Geometry::Polygon(vec![vertices]), attributes)?;
                    closures.push(closure);
                }
                Err(reason) => {
                    for (row, record) in &parcel.rows {
                        rejects.add(*row, &format!("{shown}{reason}"), record.iter())?;
                    }
                }
            }
        }
        if layer.is_empty() {
            let first = rejects.first().first().map(|(_, reason)| reason.clone());
            return Err(here(Error::data(format!(
                "no parcel can be made of its {rows} rows{}",
                first.map_or(String::new(), |reason| format!(". The first: {reason}"))
            ))));
        }
        let mut outcome = build.write_made(&layer, &file, out, &mut rejects, watch)?;
        outcome.rows_in = rows;
        outcome.vertices = Some(used);
        outcome.rejected = rejects.finish()?;
        outcome.notices.splice(..0, notices);
        Ok((outcome, closures))
    }

    /// Unit of the reference system, which has to be one of a plane grid.
    fn grid_unit(&self) -> Result<Option<LengthUnit>> {
        match &self.build.crs {
            None => Ok(self.unit),
            Some(crs) if crs.is_projected() => Ok(crs.length_unit()),
            Some(crs) => Err(Error::usage(format!(
                "bearings and distances are run on a plane grid, and {} is none: name a projected \
                 system, and carry the result on with --to {}",
                crs.label(),
                crs.reference()
            ))),
        }
    }

    /// Turns the text of a distance into the unit of the grid.
    fn to_grid(&self, unit: Option<LengthUnit>) -> Result<impl Fn(&str) -> Lengths> {
        let factor = self.combined_factor.unwrap_or(1.0);
        if !(factor > 0.9 && factor < 1.1) {
            return Err(Error::usage(format!(
                "a combined factor of {factor} is none: it is near 1, such as 0.99994"
            )));
        }
        let own = self.unit;
        let grid_m = unit.map_or(1.0, |unit| unit.metres());
        Ok(move |text: &str| {
            let number = |c: char| c.is_ascii_digit() || c == '.' || c == '+';
            let end = text.find(|c: char| !number(c)).unwrap_or(text.len());
            // A comma may stand for the point or between thousands: neither is guessed.
            let value: f64 = text[..end]
                .parse()
                .map_err(|_| format!("`{text}` is not a distance: write 125.50, or 125.50 ftUS"))?;
            if text[end..].trim_start().starts_with(|c: char| c == ',' || c.is_ascii_digit()) {
                return Err(format!(
                    "`{text}`: write distances with a decimal point and no mark between thousands"
                ));
            }
            let named = match text[end..].trim() {
                "" => own.or(unit),
                // Of the foot that was asked for.
                "ft" | "feet" | "'" | "ft." if own.or(unit).is_some_and(is_foot) => own.or(unit),
                word => Some(LengthUnit::named(word).map_err(|error| error.to_string())?),
            };
            if unit.is_none() && named.is_some() {
                return Err(format!(
                    "`{text}` names its unit, and nothing says which one the parcel is to be in: add \
                     --crs REF or --unit UNIT"
                ));
            }
            Ok(value * named.map_or(1.0, |named| named.metres() / grid_m) * factor)
        })
    }

    fn leg(
        &self,
        columns: &Found,
        cell: &dyn Fn(usize) -> String,
        length: &dyn Fn(&str) -> Lengths,
        notes: &mut Vec<String>,
    ) -> std::result::Result<Leg, String> {
        let text = |at: Option<usize>| at.map(cell).filter(|text| !text.is_empty());
        let turned = |text: String| {
            let azimuth = parse_bearing(&text).map_err(|error| error.to_string())?;
            Ok::<_, String>((azimuth + self.rotate_deg.unwrap_or(0.0)).rem_euclid(360.0))
        };
        let bearing = text(Some(columns.bearing)).map(turned).transpose()?;
        let distance = text(Some(columns.distance)).map(|t| length(&t)).transpose()?;
        let Some(radius) = text(columns.radius) else {
            let azimuth_deg = bearing.ok_or("the bearing is blank")?;
            let length = distance.ok_or("the distance is blank")?;
            return Ok(Leg::Line { azimuth_deg, length });
        };
        // A radius to the left may be written with a minus.
        let (radius, negative) = match radius.strip_prefix(['-', '−']) {
            Some(rest) => (length(rest)?, true),
            None => (length(&radius)?, false),
        };
        let turn = match text(columns.turn).map(|t| t.to_ascii_lowercase()) {
            Some(word) if word.starts_with('l') => Turn::Left,
            Some(word) if word.starts_with('r') => Turn::Right,
            Some(word) => return Err(format!("`{word}` is no turn: write left or right")),
            None if negative => Turn::Left,
            None => {
                return Err("a curve needs its turn, left or right, in a column `turn`".to_string());
            }
        };
        let delta = text(columns.delta)
            .map(|text| parse(&text, Axis::Free).map_err(|error| error.to_string()))
            .transpose()?;
        let by_arc = distance.map(|arc| (arc / radius).to_degrees());
        let delta_deg = match (delta, by_arc) {
            (Some(delta), Some(by_arc)) => {
                let arc = radius * delta.to_radians();
                let off = arc - radius * by_arc.to_radians();
                // What deeds round away.
                if off.abs() > 0.02 {
                    notes.push(format!(
                        "a curve of radius {radius:.3} and central angle {delta:.5}° has an arc of \
                         {arc:.3}, which the table's misses by {:.3}: radius and angle are taken",
                        off.abs()
                    ));
                }
                delta
            }
            (Some(delta), None) => delta,
            (None, Some(by_arc)) => by_arc,
            (None, None) => return Err("a curve needs its central angle or its arc".to_string()),
        };
        Ok(Leg::Curve { radius, delta_deg, turn, chord_deg: bearing })
    }

    fn close(
        &self,
        parcel: &mut Parcel,
        unit: Option<LengthUnit>,
        name: &str,
    ) -> std::result::Result<(Closure, Vec<(f64, f64)>), String> {
        if let Some(wrong) = &parcel.wrong {
            return Err(wrong.clone());
        }
        let start = parcel.start.or(self.start).unwrap_or((0.0, 0.0));
        let legs = parcel.legs.clone();
        let run = Traverse::run(start, &legs).map_err(|error| error.to_string())?;
        for at in 0..legs.len() {
            if let Some(bend) = run.bend_deg(at).filter(|bend| bend.abs() > 0.05) {
                parcel.notes.push(format!(
                    "the curve of row {} bends off the course before it by {bend:.3}°: is it tangent \
                     in the deed?",
                    parcel.rows[at].0
                ));
            }
        }
        let misclosure = run.misclosure();
        let shown = if self.adjust { run.adjusted() } else { run.clone() };
        let tolerance = self.tolerance.unwrap_or(0.001 / unit.map_or(1.0, |unit| unit.metres()));
        let vertices = shown.vertices(tolerance);
        if vertices.len() < 3 {
            return Err("a parcel needs three corners".to_string());
        }
        let closure = Closure {
            name: name.to_string(),
            courses: legs.len(),
            misclosure,
            area: shown.area(),
            unit,
            adjusted: self.adjust,
            legs: legs
                .iter()
                .enumerate()
                .map(|(at, leg)| ClosureLeg {
                    row: parcel.rows[at].0,
                    azimuth_deg: run.chord_deg(at),
                    length: leg.length(),
                    radius: match leg {
                        Leg::Curve { radius, .. } => Some(*radius),
                        Leg::Line { .. } => None,
                    },
                    end: shown.corners[at + 1],
                })
                .collect(),
        };
        Ok((closure, vertices))
    }

    /// A warning of a parcel that does not close well, with the one change that would close it,
    /// if there is one.
    fn poor(&self, parcel: &Parcel, closure: &Closure, shown: &str) -> Option<Notice> {
        let ratio = closure.misclosure.ratio()?;
        if ratio >= POOR {
            return None;
        }
        let unit = closure.unit.map_or("units", |unit| unit.symbol());
        let start = parcel.start.or(self.start).unwrap_or((0.0, 0.0));
        let legs = parcel.legs.clone();
        let mut hints = Vec::new();
        for at in 0..legs.len() {
            let Leg::Line { azimuth_deg, length } = legs[at] else { continue };
            let ways = [
                (360.0 - azimuth_deg, "E and W exchanged"),
                (180.0 - azimuth_deg, "N and S exchanged"),
                (180.0 + azimuth_deg, "its direction turned round"),
            ];
            for (azimuth, what) in ways {
                let mut other = legs.clone();
                other[at] = Leg::Line { azimuth_deg: azimuth.rem_euclid(360.0), length };
                let better = Traverse::run(start, &other).ok()?.misclosure();
                let better = better.ratio().unwrap_or(f64::INFINITY);
                if better >= POOR && better > 10.0 * ratio {
                    hints.push(format!(
                        "with {what} in row {} ({}) it would close {}",
                        parcel.rows[at].0,
                        quadrant(azimuth_deg, 0),
                        match better.is_finite() {
                            true => format!("to 1 in {better:.0}"),
                            false => "exactly".to_string(),
                        }
                    ));
                }
            }
        }
        let hint = match hints.as_slice() {
            [] => String::new(),
            hints => format!("; {}", hints[..hints.len().min(2)].join(", or ")),
        };
        Some(Notice::warning(format!(
            "{shown}misses closing by {:.3} {unit} in {:.3} {unit}, 1 in {ratio:.0}: a course is \
             missing or misread{hint}",
            closure.misclosure.length, closure.misclosure.perimeter
        )))
    }
}

type Lengths = std::result::Result<f64, String>;

fn is_foot(unit: LengthUnit) -> bool {
    unit == LengthUnit::FOOT || unit == LengthUnit::US_SURVEY_FOOT
}

/// The courses of a parcel as they are read.
#[derive(Default)]
struct Parcel {
    values: Vec<String>,
    rows: Vec<(u64, StringRecord)>,
    legs: Vec<Leg>,
    start: Option<(f64, f64)>,
    wrong: Option<String>,
    notes: Vec<String>,
}

/// Places of the columns.
struct Found {
    bearing: usize,
    distance: usize,
    radius: Option<usize>,
    delta: Option<usize>,
    turn: Option<usize>,
}

impl CourseNames {
    /// True if a table has columns of courses.
    pub(crate) fn fit(&self, headers: &[String]) -> bool {
        self.find(headers).is_ok()
    }

    fn find(&self, headers: &[String]) -> Result<Found> {
        let look = |named: &Option<String>, words: &[&str]| -> Result<Option<usize>> {
            if let Some(name) = named {
                return position(headers, name, None).map(Some);
            }
            let plain = |text: &str| text.to_ascii_lowercase().replace([' ', '-'], "_");
            Ok(words.iter().find_map(|word| headers.iter().position(|h| plain(h) == *word)))
        };
        let need = |found: Option<usize>, what: &str, option: &str| {
            found.ok_or_else(|| {
                Error::usage(format!(
                    "no column looks like the {what} of courses: name it with {option}; the columns \
                     are {}",
                    list(headers)
                ))
            })
        };
        let bearing =
            look(&self.bearing, &["bearing", "azimuth", "direction", "brg", "az", "course"])?;
        let distance =
            look(&self.distance, &["distance", "dist", "length", "horizontal_distance", "len"])?;
        Ok(Found {
            bearing: need(bearing, "bearing", "--bearing")?,
            distance: need(distance, "distance", "--distance")?,
            radius: look(&self.radius, &["radius", "rad"])?,
            delta: look(&self.delta, &["delta", "central_angle", "delta_angle"])?,
            turn: look(&self.turn, &["turn", "turns", "curve", "hand", "curve_direction"])?,
        })
    }
}

/// The columns that say where parcels begin, by their names: `start_e` and `start_n`, `Begin X` and
/// `Begin Y`, `POB easting` and `POB northing`.
fn starts_in(headers: &[String]) -> Option<[usize; 2]> {
    let find = |sides: &[&str]| -> Option<usize> {
        let fits = |header: &String| {
            let lower = header.to_lowercase();
            let words: Vec<&str> = lower
                .split(|c: char| !c.is_alphanumeric())
                .filter(|word| !word.is_empty())
                .collect();
            let begins = ["start", "begin", "beginning", "pob"];
            words.len() >= 2
                && words.iter().any(|word| begins.contains(word))
                && words.iter().any(|word| sides.contains(word))
        };
        let mut found = headers.iter().enumerate().filter(|(_, header)| fits(header));
        match (found.next(), found.next()) {
            (Some((at, _)), None) => Some(at),
            _ => None,
        }
    };
    Some([find(&["e", "east", "easting", "x"])?, find(&["n", "north", "northing", "y"])?])
}
