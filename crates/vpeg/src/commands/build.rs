//! `vpeg build`: features from the rows of tables.

use super::save::{SaveArguments, columns_of, select_of};
use crate::arguments::{
    ColumnArguments, SelectArguments, TableArguments, WayArguments, WriteArguments, heading,
};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use clap::{Args, Subcommand};
use std::path::{Path, PathBuf};
use velvet_peg::bearing::quadrant;
use velvet_peg::features::{BuildOptions, Closure};
use velvet_peg::job::{
    Column, CoursesStep, FeaturesStep, LengthUnitName, LinesStep, PointsStep, PolygonsStep, Step,
};
use velvet_peg::output::is_standard;
use velvet_peg::table::TableOptions;
use velvet_peg::{Error, Summary};

#[derive(Debug, Subcommand)]
pub(crate) enum Build {
    /// One point of every row.
    Points(Points),
    /// Lines of rows of vertices: grouped by a column, in the order of another.
    Lines(Lines),
    /// Polygons of rows of vertices, with their holes.
    Polygons(Polygons),
    /// Polygons of the courses of deeds: bearings and distances, and curves.
    Courses(Courses),
    /// Features of a column that holds geometries as text (WKT, or WKB in hexadecimal).
    Features(Features),
}

/// What is the same for all features.
#[derive(Debug, Args)]
struct Common {
    /// Table: delimited text, a workbook, a .dbf; `-` for standard input. Several tables of one
    /// shape, or a folder of them, are read as one, with a column that names the file.
    #[arg(required = true, value_name = "TABLE")]
    tables: Vec<PathBuf>,
    /// Reference system of the coordinates.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// Reference system to carry the features to.
    #[arg(long, value_name = "REF", requires = "crs")]
    to: Option<String>,
    #[command(flatten)]
    way: WayArguments,
    /// File to write; its extension says the format.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: PathBuf,
    /// Name of the layer; that of the table or sheet if not given.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// File for rejected rows; OUTPUT.rejects.csv if not given.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    select: SelectArguments,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
    #[command(flatten)]
    reading: TableArguments,
}

#[derive(Debug, Args)]
pub(crate) struct Points {
    #[command(flatten)]
    common: Common,
    #[command(flatten)]
    columns: ColumnArguments,
}

/// Which rows make which feature.
#[derive(Debug, Args)]
struct Grouping {
    /// Column that tells features apart; several for several.
    #[arg(long, value_name = "COLUMN", value_delimiter = ',')]
    by: Vec<String>,
    /// Column that puts the vertices in order; the rows' own order if not given.
    #[arg(long, value_name = "COLUMN")]
    order: Option<String>,
    /// Column that tells the parts of a feature apart.
    #[arg(long, value_name = "COLUMN")]
    part: Option<String>,
    /// Repair what can be repaired without guessing (repeated vertices, spikes, duplicate
    /// rings), saying what was changed.
    #[arg(long)]
    repair: bool,
}

#[derive(Debug, Args)]
pub(crate) struct Lines {
    #[command(flatten)]
    common: Common,
    #[command(flatten)]
    grouping: Grouping,
    #[command(flatten)]
    columns: ColumnArguments,
}

#[derive(Debug, Args)]
pub(crate) struct Polygons {
    #[command(flatten)]
    common: Common,
    #[command(flatten)]
    grouping: Grouping,
    /// Column that tells the rings of a polygon apart; a ring within another is a hole, unless
    /// the column says `outer` or `hole`.
    #[arg(long, value_name = "COLUMN")]
    ring: Option<String>,
    #[command(flatten)]
    columns: ColumnArguments,
}

#[derive(Debug, Args)]
pub(crate) struct Courses {
    #[command(flatten)]
    common: Common,
    /// Column that tells parcels apart; several for several.
    #[arg(long, value_name = "COLUMN", value_delimiter = ',')]
    by: Vec<String>,
    /// Column of directions: quadrant bearings or azimuths; of curves, that of the chord, or
    /// blank for a curve without a bend [guessed from the header].
    #[arg(long, value_name = "COLUMN")]
    bearing: Option<String>,
    /// Column of distances; of curves, arc lengths.
    #[arg(long, value_name = "COLUMN")]
    distance: Option<String>,
    /// Column of the radii of curves.
    #[arg(long, value_name = "COLUMN")]
    radius: Option<String>,
    /// Column of the central angles of curves.
    #[arg(long, value_name = "COLUMN", hide_short_help = true)]
    delta: Option<String>,
    /// Column of the turns of curves, left or right.
    #[arg(long, value_name = "COLUMN", hide_short_help = true)]
    turn: Option<String>,
    /// Where the first course begins.
    #[arg(long, value_name = "EASTING,NORTHING", value_parser = start, allow_hyphen_values = true)]
    start: Option<(f64, f64)>,
    /// Column with the easting of where each parcel begins, on its first row.
    #[arg(
        long,
        visible_alias = "e",
        value_name = "COLUMN",
        requires = "y",
        conflicts_with = "start"
    )]
    x: Option<String>,
    /// Column with its northing.
    #[arg(long, visible_alias = "n", value_name = "COLUMN", requires = "x")]
    y: Option<String>,
    /// Unit of the distances: m, ftUS, ft-intl, chUS, linkUS …; that of the reference system if
    /// not given. Without --crs the parcels are in this unit.
    #[arg(long, value_name = "UNIT")]
    unit: Option<String>,
    /// Combined factor that takes distances from the ground to the grid.
    #[arg(long, value_name = "FACTOR")]
    combined_factor: Option<f64>,
    /// Degrees to add to every bearing: from the deed's north to the grid's.
    #[arg(long, value_name = "DEGREES", allow_negative_numbers = true, hide_short_help = true)]
    rotate: Option<f64>,
    /// Spread the misclosure over the corners by the compass rule.
    #[arg(long)]
    adjust: bool,
    /// How far curves may be from the chords that stand for them, in the system's unit; 1 mm if
    /// not given.
    #[arg(long, value_name = "LENGTH", hide_short_help = true)]
    tolerance: Option<f64>,
}

#[derive(Debug, Args)]
pub(crate) struct Features {
    #[command(flatten)]
    common: Common,
    /// Column with the geometries; found by its values if not given.
    #[arg(long, value_name = "COLUMN")]
    geometry: Option<String>,
}

fn start(text: &str) -> Result<(f64, f64), String> {
    let wrong = || format!("`{text}` is no place on a grid: write EASTING,NORTHING");
    let (x, y) = text.split_once(',').ok_or_else(wrong)?;
    let number = |text: &str| text.trim().replace('−', "-").parse().map_err(|_| wrong());
    Ok((number(x)?, number(y)?))
}

impl Build {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut progress = TerminalProgress::new("building");
        let common = self.common();
        let options = common.options(self.columns())?;
        let crs = options.crs.clone();
        let zone = common.to.as_deref().is_some_and(velvet_peg::reference::depends_on_data);
        // The zone that was found is what is written down.
        let to = match options.to.as_ref().filter(|_| zone) {
            Some(found) => Some(found.reference()),
            None => common.to.clone(),
        };
        let step = self.step(to)?;
        common.save(step.clone())?;
        let (table, out) = (common.tables[0].as_path(), common.output.as_path());
        let (outcome, closures) = step.build(options, table, out, &mut progress)?;
        drop(progress);
        match (&outcome.converter, crs) {
            (Some(converter), _) => super::route::route(converter),
            (None, Some(crs)) => {
                show::remark(&format!("coordinates are in {} ({})", crs.label(), crs.unit_plural()))
            }
            (None, None) => {}
        }
        if !closures.is_empty() && !show::wants_json() {
            show_closures(&closures)?;
        }
        finish(&outcome, &closures, out)
    }

    /// The coordinate columns, where features are made of them.
    fn columns(&self) -> Option<&ColumnArguments> {
        match self {
            Build::Points(points) => Some(&points.columns),
            Build::Lines(lines) => Some(&lines.columns),
            Build::Polygons(polygons) => Some(&polygons.columns),
            Build::Courses(_) | Build::Features(_) => None,
        }
    }

    fn common(&self) -> &Common {
        match self {
            Build::Points(points) => &points.common,
            Build::Lines(lines) => &lines.common,
            Build::Polygons(polygons) => &polygons.common,
            Build::Courses(courses) => &courses.common,
            Build::Features(features) => &features.common,
        }
    }

    /// The same as a step of a job, carried to the system that was found.
    fn step(&self, to: Option<String>) -> Result<Step, Error> {
        let common = self.common();
        let epoch = common.way.epoch()?;
        /// What is the same for all features.
        macro_rules! common_of {
            ($step:expr) => {{
                $step.crs = common.crs.as_deref().map(Into::into);
                $step.to = to.map(Into::into);
                $step.epoch = epoch;
                $step.operations = common.way.operations();
                $step.require_best = common.way.requires_best();
                select_of!($step, common.select);
                $step.into()
            }};
        }
        /// Which rows make which feature.
        macro_rules! grouping_of {
            ($step:expr, $grouping:expr) => {{
                $step.by = names(&$grouping.by);
                $step.order = name(&$grouping.order);
                $step.part = name(&$grouping.part);
                $step.repair = $grouping.repair;
            }};
        }
        Ok(match self {
            Build::Points(points) => {
                let mut step = PointsStep::default();
                columns_of!(step, points.columns);
                common_of!(step)
            }
            Build::Lines(lines) => {
                let mut step = LinesStep::default();
                grouping_of!(step, lines.grouping);
                columns_of!(step, lines.columns);
                common_of!(step)
            }
            Build::Polygons(polygons) => {
                let mut step =
                    PolygonsStep { ring: name(&polygons.ring), ..PolygonsStep::default() };
                grouping_of!(step, polygons.grouping);
                columns_of!(step, polygons.columns);
                common_of!(step)
            }
            Build::Courses(courses) => {
                let unit = courses.unit.as_deref().map(LengthUnitName::named).transpose()?;
                let mut step = CoursesStep {
                    by: names(&courses.by),
                    bearing: name(&courses.bearing),
                    distance: name(&courses.distance),
                    radius: name(&courses.radius),
                    delta: name(&courses.delta),
                    turn: name(&courses.turn),
                    start: courses.start,
                    x: name(&courses.x),
                    y: name(&courses.y),
                    unit,
                    combined_factor: courses.combined_factor,
                    rotate: courses.rotate,
                    adjust: courses.adjust,
                    tolerance: courses.tolerance,
                    ..CoursesStep::default()
                };
                common_of!(step)
            }
            Build::Features(features) => {
                let mut step =
                    FeaturesStep { geometry: name(&features.geometry), ..FeaturesStep::default() };
                common_of!(step)
            }
        })
    }
}

fn name(column: &Option<String>) -> Option<Column> {
    column.as_deref().map(Into::into)
}

fn names(columns: &[String]) -> Vec<Column> {
    columns.iter().map(|column| column.as_str().into()).collect()
}

impl Common {
    /// Several tables are no layer of the name of the first: theirs is that of the output.
    fn layer_of_several(&self) -> Option<String> {
        let several = self.tables.len() > 1 || self.tables.iter().any(|table| table.is_dir());
        let stem = self.output.file_stem().filter(|_| several && !is_standard(&self.output))?;
        Some(stem.to_string_lossy().into_owned())
    }

    fn options(&self, columns: Option<&ColumnArguments>) -> Result<BuildOptions, Error> {
        let crs = self.crs.as_deref().map(reference::system).transpose()?;
        let to = match (self.to.as_deref(), columns) {
            (None, _) => None,
            (Some(to), None) => Some(reference::system(to)?),
            (Some(to), Some(columns)) => Some(reference::system_for_table(
                to,
                &self.tables[0],
                &columns.columns(),
                columns.packed,
                &self.table_options(),
                crs.as_ref(),
            )?),
        };
        let mut write = self.write.options();
        // To add to a layer is to name it.
        write.layer = write.layer.or_else(|| self.layer.clone());
        Ok(BuildOptions {
            crs,
            to,
            way: self.way.way(),
            select: self.select.selection(),
            table: self.table_options(),
            write,
            layer: self.layer.clone().or_else(|| self.layer_of_several()),
            rejects: self.rejects.clone(),
        })
    }

    /// How the tables are read.
    fn table_options(&self) -> TableOptions {
        TableOptions { more: self.tables[1..].to_vec(), ..self.reading.options() }
    }

    fn save(&self, step: Step) -> Result<(), Error> {
        let options = self.table_options();
        if self.tables[0].is_dir() || !options.more.is_empty() {
            self.save.only("one table: a job with several has a source for each")?;
        }
        let mut output = self.write.output(&self.output);
        output.layer = output.layer.or_else(|| self.layer.clone());
        self.save.save(self.reading.source(&self.tables[0]), None, step, output, &self.write)
    }
}

fn finish(outcome: &Summary, closures: &[Closure], out: &Path) -> Result<Ending, Error> {
    if !show::wants_json() || closures.is_empty() {
        return show::outcome(outcome, "rows", "features", out);
    }
    let parcels: Vec<serde_json::Value> = closures
        .iter()
        .map(|closure| {
            serde_json::json!({
                "name": closure.name,
                "courses": closure.courses,
                "unit": closure.unit.map(|unit| unit.name()),
                "perimeter": closure.misclosure.perimeter,
                "misclosure": closure.misclosure.length,
                "misclosure_azimuth_deg": closure.misclosure.azimuth_deg,
                "closes_1_in": closure.misclosure.ratio(),
                "area": closure.area,
                "adjusted": closure.adjusted,
            })
        })
        .collect();
    show::outcome_with(outcome, "rows", "features", out, &[("parcels", parcels.into())])
}

/// A table of the courses and the closure of each parcel.
fn show_closures(closures: &[Closure]) -> Result<(), Error> {
    const LISTED: usize = 5;
    for closure in closures.iter().take(LISTED) {
        let unit = closure.unit.map_or("units", |unit| unit.symbol());
        let miss = &closure.misclosure;
        let ratio = match miss.ratio() {
            Some(ratio) => format!(
                "misses by {:.3} {unit} towards {} (1 in {ratio:.0}){}",
                miss.length,
                quadrant(miss.azimuth_deg, 0),
                if closure.adjusted { ", spread by the compass rule" } else { "" }
            ),
            None => "closes exactly".to_string(),
        };
        let size = closure.unit.map_or(String::new(), |unit| {
            let area = closure.area * unit.metres() * unit.metres();
            let acres = area / velvet_peg::AreaUnit::UsSurveyAcre.square_metres();
            format!(" = {area:.2} m² = {acres:.4} acUS")
        });
        let name = if closure.name.is_empty() { "parcel" } else { &closure.name };
        show::answer(&format!(
            "{}: {} courses, {:.3} {unit} round; {ratio}\n  plane area {:.3} {unit}²{size}",
            show::heading(name),
            closure.courses,
            miss.perimeter,
            closure.area,
        ))?;
        let in_unit = |what: &str| format!("{what} ({unit})");
        // Bearings and lengths of the deed; what adjusting makes of them stands beside.
        let (bearing, length) = match closure.adjusted {
            true => ("deed bearing", in_unit("deed length")),
            false => ("bearing", in_unit("length")),
        };
        let mut heads = vec!["row".to_string(), bearing.to_string(), length, in_unit("radius")];
        if closure.adjusted {
            heads.extend(["adjusted bearing".to_string(), in_unit("adjusted length")]);
        }
        heads.extend([in_unit("to easting"), in_unit("northing")]);
        let mut table = show::Table::with_header(heads);
        if closure.adjusted {
            table.noted(5);
        }
        // An adjusted parcel ends where it begins.
        let mut from = closure.legs.last().map_or((0.0, 0.0), |leg| leg.end);
        for leg in &closure.legs {
            let chord = if leg.radius.is_some() { " (chord)" } else { "" };
            let mut row = vec![
                leg.row.to_string(),
                format!("{}{chord}", quadrant(leg.azimuth_deg, 0)),
                format!("{:.3}", leg.length),
                leg.radius.map_or(String::new(), |radius| format!("{radius:.3}")),
            ];
            if closure.adjusted {
                let (east, north) = (leg.end.0 - from.0, leg.end.1 - from.1);
                // The deed gives the length along the curve.
                let note = if leg.radius.is_some() { "chord " } else { "" };
                let azimuth = east.atan2(north).to_degrees().rem_euclid(360.0);
                row.push(format!("{}{chord}", quadrant(azimuth, 0)));
                row.push(format!("{note}{:.3}", east.hypot(north)));
            }
            row.push(format!("{:.3}", leg.end.0));
            row.push(format!("{:.3}", leg.end.1));
            from = leg.end;
            table.row(row);
        }
        show::answer(&format!("{}\n", table.text()))?;
    }
    if closures.len() > LISTED {
        show::remark(&format!("{} more parcels: --json has them all", closures.len() - LISTED));
    }
    Ok(())
}
