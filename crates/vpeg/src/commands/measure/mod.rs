//! `vpeg measure`: lengths, perimeters and areas of a layer.

mod courses;
mod json;

use super::save::{SaveArguments, layer_source};
use crate::arguments::{ReadArguments, WriteArguments, heading};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, report, show};
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use velvet_peg::job::{AreaUnitName, LengthUnitName, MeasureStep};
use velvet_peg::layer::GeometryKind;
use velvet_peg::measure::measure_watched;
use velvet_peg::measure::{
    FigureColumns, FigureUnits, MeasureColumns, MeasureOptions, Measured, Measures, Statistic,
};
use velvet_peg::report::{MeasuredLayer, measure_page};
use velvet_peg::{Error, LayerReader};

/// Lengths, perimeters and areas: on the ellipsoid, on the grid and on the ground, side by side.
#[derive(Debug, Args)]
pub(crate) struct Measure {
    /// Layer file.
    file: PathBuf,
    /// Grid for plane figures (REF, or utm or state-plane); the layer's own system if it is
    /// projected.
    #[arg(long, value_name = "REF")]
    grid: Option<String>,
    /// Ellipsoidal height of the ground in metres, for figures on the ground.
    #[arg(long, value_name = "METRES", allow_negative_numbers = true)]
    height: Option<f64>,
    /// Combined factor of the grid, for figures on the ground.
    #[arg(long, value_name = "FACTOR", conflicts_with = "height")]
    combined_factor: Option<f64>,
    /// Units of lengths: m, km, ftUS, ft-intl, miUS, mi-intl, chUS, ch-intl, yd, nmi.
    #[arg(long, value_name = "UNITS", value_delimiter = ',')]
    length_unit: Vec<String>,
    /// Units of areas: m2, ha, km2, acUS, ac-intl, ft2US, ft2-intl.
    #[arg(long, value_name = "UNITS", value_delimiter = ',')]
    area_unit: Vec<String>,
    /// Layer to take, if the file has several.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Column that features are known by; their first attribute if not given.
    #[arg(long, value_name = "COLUMN")]
    name: Option<String>,
    /// Column whose values group the statistics.
    #[arg(long, value_name = "COLUMN")]
    by: Option<String>,
    /// Order of the list.
    #[arg(long, value_enum, default_value_t = Order::File)]
    sort: Order,
    /// Largest first.
    #[arg(long)]
    descending: bool,
    /// Features to list; statistics always count all.
    #[arg(long, default_value_t = 50)]
    limit: usize,
    /// Courses of the feature of this number, from vertex to vertex.
    #[arg(long, value_name = "FEATURE", conflicts_with = "output")]
    courses: Option<u64>,
    /// Write the features with their figures as new columns.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: Option<PathBuf>,
    /// Write a page to read and to hand in: sums, a map, histograms, and a table that sorts (.html).
    #[arg(long, value_name = "FILE", conflicts_with = "courses", help_heading = heading::OUTPUT)]
    report: Option<PathBuf>,
    /// Title of the report.
    #[arg(long, requires = "report", hide_short_help = true)]
    title: Option<String>,
    /// Encoding of the texts of a Shapefile or drawing, such as windows-1252.
    #[arg(long, help_heading = heading::READING)]
    encoding: Option<String>,
    #[command(flatten)]
    read: ReadArguments,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum Order {
    /// As in the file.
    File,
    /// By name.
    Name,
    /// By length or perimeter on the ellipsoid.
    Length,
    /// By area on the ellipsoid.
    Area,
    /// By the difference between grid and ellipsoid.
    Difference,
}

impl Measure {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let reader = self.open()?;
        let grid =
            self.grid.as_deref().map(|grid| reference::system_for(grid, &reader)).transpose()?;
        if let Some(number) = self.courses {
            return courses::show_courses(&reader, number, grid.as_ref());
        }
        let step = self.step()?;
        let write = self.write.options();
        let inputs = [self.file.as_path()].into_iter().chain(self.output.as_deref());
        let page = report::Asked::of(self.report.as_deref(), inputs, write.overwrite)?;
        let job = MeasureColumns { write, ..step.measures(grid) };
        if let Some(output) = &self.output {
            let source = layer_source(&self.file, self.layer.as_ref(), None);
            let source = self.read.source(source, self.encoding.clone());
            self.save.save(source, None, step, self.write.output(output), &self.write)?;
            let (options, units) = self.figures(&job);
            let mut progress = TerminalProgress::new("measuring");
            let outcome = job.run_watched(reader, output, &mut progress)?;
            drop(progress);
            if let Some(page) = page {
                let reader = self.open()?;
                let measures = self.measured(&reader, &options)?;
                self.page(&page, reader, measures, units)?;
            }
            return show::outcome(&outcome, "features", "features", output);
        }
        let (options, units) = self.figures(&job);
        let measures = self.measured(&reader, &options)?;
        if show::wants_json() {
            let groups = self.groups(&measures);
            show::json(&json::as_json(&measures, &reader.info().name, &units, &groups))?;
        } else {
            self.text(&measures, &reader.info().name, &units)?;
        }
        show::notices(&measures.notices);
        if let Some(page) = page {
            self.page(&page, reader, measures, units)?;
        }
        Ok(Ending::Done)
    }

    fn open(&self) -> Result<LayerReader, Error> {
        let options = self.read.with_encoding(self.encoding.as_ref());
        let mut reader = LayerReader::open_with(&self.file, self.layer.as_deref(), &options)?;
        let named: Vec<&String> = self.name.iter().chain(&self.by).collect();
        reader.reveal_key(&named);
        Ok(reader)
    }

    /// How the figures are taken, and the units that they are told in.
    fn figures(&self, job: &MeasureColumns) -> (MeasureOptions, FigureUnits) {
        let units = FigureUnits { lengths: job.lengths.clone(), areas: job.areas.clone() };
        let (label, by) = (self.name.clone(), self.by.clone());
        (MeasureOptions { label, by, ..job.measure.clone() }, units)
    }

    /// The figures in the order that is asked for.
    fn measured(&self, reader: &LayerReader, options: &MeasureOptions) -> Result<Measures, Error> {
        let mut progress = TerminalProgress::new("measuring");
        let mut measures = measure_watched(reader, options, &mut progress)?;
        drop(progress);
        self.sort(&mut measures.features);
        Ok(measures)
    }

    fn page(
        &self,
        page: &report::Asked,
        layer: LayerReader,
        measures: Measures,
        units: FigureUnits,
    ) -> Result<(), Error> {
        let of = MeasuredLayer { layer, measures, units, by: self.by.clone() };
        let mut progress = TerminalProgress::new("drawing");
        let written = measure_page(of, &report::options(self.title.as_ref()), &mut progress);
        drop(progress);
        page.write(&written)
    }

    /// The same as a step of a job.
    fn step(&self) -> Result<MeasureStep, Error> {
        let lengths = self.length_unit.iter().map(|unit| LengthUnitName::named(unit));
        let areas = self.area_unit.iter().map(|unit| AreaUnitName::named(unit));
        Ok(MeasureStep {
            grid: self.grid.as_deref().map(Into::into),
            height: self.height,
            combined_factor: self.combined_factor,
            length_units: lengths.collect::<Result<_, _>>()?,
            area_units: areas.collect::<Result<_, _>>()?,
            ..MeasureStep::default()
        })
    }

    fn sort(&self, features: &mut [Measured]) {
        let by = |key: fn(&Measured) -> f64, features: &mut [Measured]| {
            features.sort_by(|a, b| key(a).total_cmp(&key(b)));
        };
        match self.sort {
            Order::File => {}
            Order::Name => features.sort_by(|a, b| a.label.cmp(&b.label)),
            Order::Length => by(|m| m.length_m, features),
            Order::Area => by(|m| m.area_m2, features),
            Order::Difference => by(difference, features),
        }
        if self.descending {
            features.reverse();
        }
    }

    /// The groups in the order that was asked for: by their sums, or the worst difference.
    fn groups<'a>(&self, measures: &'a Measures) -> Vec<&'a str> {
        let mut groups = measures.groups();
        let all = |of: fn(&Measured) -> f64, group: &str| -> Vec<f64> {
            let members = measures.features.iter().filter(|m| m.group == group);
            members.map(of).filter(|figure| figure.is_finite()).collect()
        };
        let mut by = |key: &dyn Fn(&str) -> f64| {
            groups.sort_by(|a, b| key(a).total_cmp(&key(b)));
        };
        match self.sort {
            Order::File => return groups,
            Order::Name => groups.sort_unstable(),
            Order::Length => by(&|group| all(|m| m.length_m, group).iter().sum()),
            Order::Area => by(&|group| all(|m| m.area_m2, group).iter().sum()),
            Order::Difference => {
                by(&|group| all(difference, group).into_iter().fold(f64::NEG_INFINITY, f64::max));
            }
        }
        if self.descending {
            groups.reverse();
        }
        groups
    }

    fn text(&self, measures: &Measures, name: &str, units: &FigureUnits) -> Result<(), Error> {
        let ground = match (measures.ground_height_m, measures.combined_factor) {
            (Some(h), _) => format!("\n  ground: at an ellipsoidal height of {h} m"),
            (None, Some(factor)) => {
                format!("\n  ground: grid divided by the combined factor {factor}")
            }
            (None, None) => String::new(),
        };
        show::answer(&format!(
            "{}: {} in {}\n  ellipsoid: geodesic, on {}{}{ground}",
            show::heading(name),
            match measures.features.len() {
                1 => "1 feature".to_string(),
                count => format!("{count} features"),
            },
            measures.crs.label(),
            measures.ellipsoid,
            measures
                .grid
                .as_ref()
                .map_or(String::new(), |grid| format!("\n  grid: plane, on {}", grid.label())),
        ))?;
        if measures.features.is_empty() {
            return show::answer("  no features to measure");
        }
        let has = |kind| measures.features.iter().any(|m| single(m) == Some(kind));
        let (areal, linear) = (has(GeometryKind::Polygon), has(GeometryKind::LineString));
        if !areal && !linear {
            return show::answer(
                "\n  points have neither length nor area; distances between them: vpeg course",
            );
        }
        let columns = FigureColumns::new(measures, areal, units);
        let legend: Vec<String> = columns.legend().iter().map(|line| format!("  {line}")).collect();
        show::answer(&legend.join("\n"))?;
        let mut header = vec!["feature".to_string(), "name".to_string()];
        header.extend(columns.titles());
        let mut table = show::Table::with_header(header.clone());
        for measured in measures.features.iter().take(self.limit) {
            let mut row =
                vec![measured.number.to_string(), measured.label.chars().take(24).collect()];
            row.extend(columns.cells(measured));
            table.row(row);
        }
        let groups = self.groups(measures);
        if self.by.is_none() && measures.features.len() > 1 {
            table.rule();
            statistics(&columns, &measures.features.iter().collect::<Vec<_>>(), "", &mut table);
        }
        show::answer(&format!("\n{}", table.text()))?;
        if let Some(by) = &self.by {
            header[0] = by.clone();
            header[1] = String::new();
            let mut table = show::Table::with_header(header);
            for (number, group) in groups.iter().enumerate() {
                if number > 0 {
                    table.rule();
                }
                let members: Vec<&Measured> =
                    measures.features.iter().filter(|m| m.group == *group).collect();
                let name = if group.is_empty() { "(blank)" } else { group };
                statistics(&columns, &members, name, &mut table);
            }
            show::answer(&format!("\n{}", table.text()))?;
        }
        if measures.features.len() > self.limit {
            show::remark(&format!(
                "{} of {} features listed: raise --limit, or use --json for all",
                self.limit,
                measures.features.len()
            ));
        }
        Ok(())
    }
}

/// What the grid makes of a feature: of its area, or of its length if it has none.
fn difference(measured: &Measured) -> f64 {
    let area = measured.area_ppm().filter(|_| measured.area_m2 > 0.0);
    area.or(measured.length_ppm()).unwrap_or(0.0)
}

/// Rows of sum, mean, median, extremes and standard deviation.
fn statistics(columns: &FigureColumns, members: &[&Measured], name: &str, table: &mut show::Table) {
    for (number, of) in Statistic::ALL.into_iter().enumerate() {
        let first = match number {
            0 => name.to_string(),
            1 if !name.is_empty() => format!("{} features", members.len()),
            _ => String::new(),
        };
        // Short: a terminal is narrow.
        let label = if of == Statistic::Deviation { "sample std dev" } else { of.name() };
        let mut row = vec![first, label.to_string()];
        row.extend(
            columns
                .0
                .iter()
                .map(|column| column.text(column.statistic(of, members.iter().copied()))),
        );
        table.row(row);
    }
}

fn single(measured: &Measured) -> Option<GeometryKind> {
    measured.kind.map(GeometryKind::single)
}
