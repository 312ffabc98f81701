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
use velvet_peg::measure::{
    FigureColumns, FigureUnits, GroupSummary, ListOrder, Listing, MeasureColumns, MeasureOptions,
    MeasureSummary, Measured, Measures, Statistic, measure_summary, measure_watched,
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
        let name = &reader.info().name;
        if page.is_none() && !show::wants_json() {
            let mut progress = TerminalProgress::new("measuring");
            let summary = measure_summary(&reader, &options, &self.listing(), &mut progress)?;
            drop(progress);
            self.text(&summary, name, &units)?;
            show::notices(&summary.measures.notices);
            return Ok(Ending::Done);
        }
        // All features are asked for.
        let measures = self.measured(&reader, &options)?;
        let summary = MeasureSummary::of(&measures, &self.listing())?;
        if show::wants_json() {
            let groups: Vec<&str> =
                summary.groups.iter().map(|group| group.name.as_str()).collect();
            show::json(&json::as_json(&measures, name, &units, &groups))?;
        } else {
            self.text(&summary, name, &units)?;
        }
        show::notices(&measures.notices);
        if let Some(page) = page {
            self.page(&page, reader, measures, units)?;
        }
        Ok(Ending::Done)
    }

    fn listing(&self) -> Listing {
        Listing { order: self.sort.into(), descending: self.descending, limit: self.limit }
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
        let whole = Listing { limit: measures.features.len(), ..self.listing() };
        whole.sort(&mut measures.features);
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

    fn text(&self, summary: &MeasureSummary, name: &str, units: &FigureUnits) -> Result<(), Error> {
        let measures = &summary.measures;
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
            match summary.features {
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
        if summary.features == 0 {
            return show::answer("  no features to measure");
        }
        if !summary.areal && !summary.linear {
            return show::answer(
                "\n  points have neither length nor area; distances between them: vpeg course",
            );
        }
        let columns = FigureColumns::new(measures, summary.areal, units);
        let legend: Vec<String> = columns.legend().iter().map(|line| format!("  {line}")).collect();
        show::answer(&legend.join("\n"))?;
        let mut header = vec!["feature".to_string(), "name".to_string()];
        header.extend(columns.titles());
        let mut table = show::Table::with_header(header.clone());
        for measured in &measures.features {
            let mut row =
                vec![measured.number.to_string(), measured.label.chars().take(24).collect()];
            row.extend(columns.cells(measured));
            table.row(row);
        }
        if self.by.is_none() && summary.features > 1 {
            table.rule();
            summary.groups.iter().for_each(|all| statistics(&columns, all, "", &mut table));
        }
        show::answer(&format!("\n{}", table.text()))?;
        if let Some(by) = &self.by {
            header[0] = by.clone();
            header[1] = String::new();
            let mut table = show::Table::with_header(header);
            for (number, group) in summary.groups.iter().enumerate() {
                if number > 0 {
                    table.rule();
                }
                let name = if group.name.is_empty() { "(blank)" } else { &group.name };
                statistics(&columns, group, name, &mut table);
            }
            show::answer(&format!("\n{}", table.text()))?;
        }
        if summary.features > self.limit as u64 {
            show::remark(&format!(
                "{} of {} features listed: raise --limit, or use --json for all",
                self.limit, summary.features
            ));
        }
        Ok(())
    }
}

impl From<Order> for ListOrder {
    fn from(order: Order) -> ListOrder {
        match order {
            Order::File => ListOrder::File,
            Order::Name => ListOrder::Name,
            Order::Length => ListOrder::Length,
            Order::Area => ListOrder::Area,
            Order::Difference => ListOrder::Difference,
        }
    }
}

/// Rows of sum, mean, median, extremes and standard deviation.
fn statistics(columns: &FigureColumns, group: &GroupSummary, name: &str, table: &mut show::Table) {
    for (number, of) in Statistic::ALL.into_iter().enumerate() {
        let first = match number {
            0 => name.to_string(),
            1 if !name.is_empty() => format!("{} features", group.features),
            _ => String::new(),
        };
        // Short: a terminal is narrow.
        let label = if of == Statistic::Deviation { "sample std dev" } else { of.name() };
        let mut row = vec![first, label.to_string()];
        row.extend(columns.0.iter().map(|column| column.text(column.statistic_of(of, group))));
        table.row(row);
    }
}

fn single(measured: &Measured) -> Option<GeometryKind> {
    measured.kind.map(GeometryKind::single)
}
