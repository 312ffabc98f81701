//! Polygons from the courses of deeds: bearings and distances, curves by radius and central
//! angle.

use super::BuildOptions;
use super::closure::{Closing, Closure, Parcel};
use super::course_columns::{CourseColumns, CourseNames, starts_in};
use super::reproject::Carry;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::layer::column_names::position;
use crate::layer::{Extender, Geometry, Layer, Value};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Reason;
use crate::outcome::Summary;
use crate::output::refuse_existing;
use crate::progress::{NoProgress, Progress};
use crate::table::TableReader;
use arrow_schema::{DataType, Field};
use std::collections::HashMap;
use std::path::Path;
use velvet_peg_core::LengthUnit;
use velvet_peg_core::angle::{Axis, parse};
use velvet_peg_core::bearing::parse_bearing;
use velvet_peg_core::traverse::{Leg, Turn};

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

impl BuildCourses {
    /// Makes a polygon of the courses of every group: the courses of a deed become a parcel.
    /// Attributes are the grouping columns and the figures of the closure: `courses`,
    /// `perimeter`, `misclosure` (both in the unit of the reference system) and `closes_1_in`.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::features::BuildCourses;
    /// std::fs::write(file("deed.csv"), "bearing,distance\nN 0 E,100\nN 90 E,50\nS 0 E,100\nS 90 W,50\n")?;
    /// let courses = BuildCourses::default();
    /// let (outcome, closures) = courses.run(&file("deed.csv"), &file("deed.gpkg"))?;
    /// assert_eq!((outcome.out, closures[0].area), (1, 5000.0));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, the reference system is not one of a
    /// grid, an output exists, or no parcel can be made.
    pub fn run(&self, table: &Path, out: &Path) -> Result<(Summary, Vec<Closure>)> {
        self.run_watched(table, out, &mut NoProgress)
    }

    /// As [`BuildCourses::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`BuildCourses::run`].
    pub fn run_watched(
        &self,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<(Summary, Vec<Closure>)> {
        let build = &self.build;
        refuse_existing(out, build.write.replaces())?;
        let (file, own, other) = build.open(table)?;
        if build.crs.is_none() && own.crs.is_some() {
            return BuildCourses { build: own, ..self.clone() }.run_watched(table, out, watch);
        }
        let unit = self.grid_unit()?;
        let reader = file.rows()?;
        let headers = reader.columns().to_vec();
        let mut notices: Vec<Notice> = file.notices().iter().cloned().chain(other).collect();
        notices.extend(reader.renamed());
        let places = self.places(&headers, table, &mut notices)?;
        let length = self.to_grid(unit)?;
        let mut parcels = self.gather(reader, &places, &length)?;
        self.refuse_one_start(&parcels, &places, &headers).map_err(|e| e.in_file(table))?;
        let rows = parcels.iter().map(|parcel| parcel.rows.len() as u64).sum();
        let mut rejects = build.open_rejects(&file, out, &headers)?;
        let group_names: Vec<&str> = places.group.iter().map(|at| headers[*at].as_str()).collect();
        let Self { start, adjust, tolerance, .. } = *self;
        let closing = Closing { start, unit, adjust, tolerance };
        let closed = parcels.iter_mut().map(|parcel| closing.close(parcel)).collect::<Vec<_>>();
        let mut extent = Extender::default();
        for (_, vertices) in closed.iter().flatten() {
            vertices.iter().for_each(|(x, y)| extent.point(*x, *y));
        }
        let carry = Carry::plan(build, extent.bounds())?;
        let name = build.layer_name(&file);
        let mut layer = Layer::with_fields(&name, build.crs.clone(), fields(&group_names));
        let mut closures = Vec::new();
        let mut used = 0;
        for (parcel, made) in parcels.iter().zip(closed) {
            let shown = parcel.shown();
            let made = made.and_then(|(closure, vertices)| {
                match carry.refuses(vertices.iter().copied()) {
                    None => Ok((closure, vertices)),
                    Some(why) => Err(why.into()),
                }
            });
            match made {
                Ok((closure, vertices)) => {
                    used += parcel.rows.len() as u64;
                    notices.extend(parcel.notes.iter().map(|note| {
                        Notice::warning(NoticeKind::Shape, format!("{shown}{note}"))
                            .advise_if(note.advice.clone())
                    }));
                    notices.extend(closing.poor(parcel, &closure, &shown));
                    let attributes = attributes(&group_names, parcel, &closure);
                    layer.add(Geometry::Polygon(vec![vertices]), attributes)?;
                    closures.push(closure);
                }
                Err(reason) => {
                    for (row, record) in &parcel.rows {
                        rejects.add(*row, reason.clone().of(&shown), record.iter())?;
                    }
                }
            }
        }
        if layer.is_empty() {
            let first = rejects.first().first().map(|(_, reason)| reason);
            let why = first.map_or(String::new(), |reason| format!(". The first: {reason}"));
            return Err(Error::data(format!("no parcel can be made of its {rows} rows{why}"))
                .advise_if(first.and_then(|reason| reason.advice.clone()))
                .in_file(table));
        }
        let mut outcome = build.write_made(&layer, &file, out, &mut rejects, watch)?;
        outcome.rows_in = rows;
        outcome.vertices = Some(used);
        outcome.rejected = rejects.finish()?;
        outcome.notices.splice(..0, notices);
        Ok((outcome, closures))
    }

    /// The columns, those of the starts by their names where none are named; says how starts are
    /// found.
    fn places(
        &self,
        headers: &[String],
        table: &Path,
        notices: &mut Vec<Notice>,
    ) -> Result<Places> {
        let here = |error: Error| error.in_file(table);
        let place = |name: &String| position(headers, name, None).map_err(here);
        let columns = self.columns.find(headers).map_err(here)?;
        let group = self.group.iter().map(place).collect::<Result<_>>()?;
        let mut starts = match &self.start_columns {
            Some((x, y)) => Some([place(x)?, place(y)?]),
            None => None,
        };
        let found = starts_in(headers);
        if let (None, None, Some([x, y])) = (starts, self.start, found) {
            notices.push(Notice::note(
                NoticeKind::Assumed,
                format!(
                    "parcels begin where columns `{}` and `{}` say, by their names",
                    headers[x], headers[y]
                ),
            ));
            starts = found;
        }
        if self.start.is_none() && starts.is_none() {
            if let Some(crs) = &self.build.crs {
                return Err(Error::usage(format!(
                    "nothing says where the first course begins in {}",
                    crs.label()
                ))
                .advise(Advice::StateStart));
            }
            let begins = Notice::note(NoticeKind::Assumed, "the first course begins at 0, 0");
            notices.push(begins.advise(Advice::StateStart));
        }
        Ok(Places { columns, group, starts, found })
    }

    /// The courses of every parcel, as the rows come.
    fn gather(
        &self,
        reader: TableReader,
        places: &Places,
        length: &dyn Fn(&str) -> Lengths,
    ) -> Result<Vec<Parcel>> {
        let mut parcels: Vec<Parcel> = Vec::new();
        let mut known: HashMap<Vec<String>, usize> = HashMap::new();
        reader.each_row(&mut |reader, record| {
            let cell = |at: usize| record.get(at).unwrap_or_default().trim().to_string();
            let values: Vec<String> = places.group.iter().map(|at| cell(*at)).collect();
            let at = *known.entry(values.clone()).or_insert_with(|| {
                let blank = values.iter().position(String::is_empty);
                let wrong = blank.map(|at| {
                    let name = &reader.columns()[places.group[at]];
                    Reason::from(format!("column `{name}`, which tells parcels apart, is blank"))
                });
                parcels.push(Parcel { values, wrong, ..Parcel::default() });
                parcels.len() - 1
            });
            let parcel = &mut parcels[at];
            parcel.rows.push((reader.row(), record.clone()));
            if parcel.wrong.is_some() {
                return Ok(());
            }
            if let Some([x, y]) = places.starts {
                let number = |at: usize| cell(at).parse::<f64>().ok();
                parcel.starts_at(reader.row(), number(x).zip(number(y)));
                if parcel.wrong.is_some() {
                    return Ok(());
                }
            }
            let read = match reader.misfit(record) {
                Some(misfit) => Err(misfit),
                None => self.leg(&places.columns, &cell, length, &mut parcel.notes),
            };
            match read {
                Ok(leg) => parcel.legs.push(leg),
                Err(reason) => {
                    parcel.wrong = Some(reason.of(format_args!("row {}: ", reader.row())));
                }
            }
            Ok(())
        })?;
        Ok(parcels)
    }

    /// Refuses to put several parcels on one start.
    fn refuse_one_start(
        &self,
        parcels: &[Parcel],
        places: &Places,
        headers: &[String],
    ) -> Result<()> {
        let stacked = parcels.iter().filter(|parcel| parcel.start.is_none()).count();
        if stacked < 2 || (self.start.is_none() && self.build.crs.is_none()) {
            return Ok(());
        }
        let (columns, advice) = match places.found {
            Some([x, y]) => (
                format!("; columns `{}` and `{}` look as if they held it", headers[x], headers[y]),
                Advice::StartsFromColumns,
            ),
            None => (" in two columns, on its first row".to_string(), Advice::NameStartColumns),
        };
        Err(Error::usage(format!(
            "there are {stacked} parcels, and one start would put them all on one point: give each \
             its own{columns}"
        ))
        .advise(advice))
    }

    /// Unit of the reference system, which has to be one of a plane grid.
    fn grid_unit(&self) -> Result<Option<LengthUnit>> {
        match &self.build.crs {
            None => Ok(self.unit),
            Some(crs) if crs.is_projected() => Ok(crs.length_unit()),
            Some(crs) => Err(Error::usage(format!(
                "bearings and distances are run on a plane grid, and {} is none: name a projected \
                 system, and carry the result on",
                crs.label()
            ))
            .advise(Advice::ConvertTo(crs.reference()))),
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
                )
                .into());
            }
            let named = match text[end..].trim() {
                "" => own.or(unit),
                // Of the foot that was asked for.
                "ft" | "feet" | "'" | "ft." if own.or(unit).is_some_and(is_foot) => own.or(unit),
                word => Some(LengthUnit::named(word).map_err(|error| error.to_string())?),
            };
            if unit.is_none() && named.is_some() {
                let why = format!(
                    "`{text}` names its unit, and nothing says which unit or reference system the \
                     parcel is to be in"
                );
                return Err(Reason::from(why).advise(Advice::StateSystemOrUnit));
            }
            Ok(value * named.map_or(1.0, |named| named.metres() / grid_m) * factor)
        })
    }

    fn leg(
        &self,
        columns: &CourseColumns,
        cell: &dyn Fn(usize) -> String,
        length: &dyn Fn(&str) -> Lengths,
        notes: &mut Vec<Reason>,
    ) -> std::result::Result<Leg, Reason> {
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
            Some(word) => return Err(format!("`{word}` is no turn: write left or right").into()),
            None if negative => Turn::Left,
            None => {
                return Err("a curve needs its turn, left or right, in a column `turn`".into());
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
                    notes.push(Reason::from(format!(
                        "a curve of radius {radius:.3} and central angle {delta:.5}° has an arc of \
                         {arc:.3}, which the table's misses by {:.3}: radius and angle are taken",
                        off.abs()
                    )));
                }
                delta
            }
            (Some(delta), None) => delta,
            (None, Some(by_arc)) => by_arc,
            (None, None) => return Err("a curve needs its central angle or its arc".into()),
        };
        Ok(Leg::Curve { radius, delta_deg, turn, chord_deg: bearing })
    }
}

/// Places of the columns of a table of courses.
struct Places {
    columns: CourseColumns,
    group: Vec<usize>,
    /// Easting and northing of where a parcel begins.
    starts: Option<[usize; 2]>,
    /// Those that look like it by their names.
    found: Option<[usize; 2]>,
}

/// The columns of the parcels.
fn fields(group: &[&str]) -> Vec<Field> {
    let text = group.iter().map(|name| Field::new(*name, DataType::Utf8, true));
    let courses = Field::new("courses", DataType::Int64, true);
    let figures = ["perimeter", "misclosure", "closes_1_in"]
        .map(|name| Field::new(name, DataType::Float64, true));
    text.chain([courses]).chain(figures).collect()
}

fn attributes<'a>(group: &[&'a str], parcel: &Parcel, closure: &Closure) -> Vec<(&'a str, Value)> {
    let values = parcel.values.iter().map(|value| Value::from(value.as_str()));
    let mut attributes: Vec<(&str, Value)> = group.iter().copied().zip(values).collect();
    attributes.push(("courses", (closure.courses as i64).into()));
    attributes.push(("perimeter", closure.misclosure.perimeter.into()));
    attributes.push(("misclosure", closure.misclosure.length.into()));
    attributes.push(("closes_1_in", closure.misclosure.ratio().map(f64::round).into()));
    attributes
}

type Lengths = std::result::Result<f64, Reason>;

fn is_foot(unit: LengthUnit) -> bool {
    unit == LengthUnit::FOOT || unit == LengthUnit::US_SURVEY_FOOT
}
