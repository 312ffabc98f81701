//! `vpeg tag`: points take columns of the polygon that they fall in, or values of a raster.

use super::save::{SaveArguments, layer_source};
use crate::arguments::{WriteArguments, heading, resampling};
use crate::progress::TerminalProgress;
use crate::{Ending, show};
use clap::Args;
use std::path::PathBuf;
use velvet_peg::job::{TagStep, WayOfResampling};
use velvet_peg::raster::{RasterFormat, RasterReader, Resampling};
use velvet_peg::tag::{SampleReport, TagFromRaster, TagPoints, TagReport};
use velvet_peg::{Error, LayerReader};

/// Points take columns of the polygon that they fall in.
///
/// A point in a polygon or on its boundary (that of a hole included) belongs to it; of several
/// polygons the first in their layer is taken, and the point reported. Reference systems are
/// converted for the test; the points' own coordinates stay.
#[derive(Debug, Args)]
pub(crate) struct Tag {
    /// Layer file of points.
    points: PathBuf,
    /// Layer file of polygons, or a raster whose values the points take.
    #[arg(long = "from", value_name = "POLYGONS|RASTER")]
    polygons: PathBuf,
    /// File to write; without it, only the report on how the points fall.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: Option<PathBuf>,
    /// Columns of the polygons to take over, or bands of a raster (band1, or band1:NAME); all if not given.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    columns: Vec<String>,
    /// Put in front of their names.
    #[arg(long)]
    prefix: Option<String>,
    /// Let points in no polygon take the nearest within so many metres.
    #[arg(long, value_name = "METRES")]
    within: Option<f64>,
    /// How near to a boundary counts as on it, metres.
    #[arg(long, value_name = "METRES", default_value_t = 0.001)]
    tolerance: f64,
    /// Column for the distance to the polygon in metres.
    #[arg(long, value_name = "NAME")]
    distance_column: Option<String>,
    /// Layer of points to take, if the file has several.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Layer of polygons to take, if the file has several.
    #[arg(long, value_name = "NAME", help_heading = heading::READING)]
    from_layer: Option<String>,
    /// How values of a raster are taken: nearest or bilinear; by what they are if not given.
    #[arg(long, value_name = "HOW", value_parser = resampling)]
    resample: Option<Resampling>,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
    /// File for rejected features; OUTPUT.rejects.csv if not given.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    rejects: Option<PathBuf>,
}

impl Tag {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        if RasterFormat::of_file(&self.polygons).is_some() {
            return self.values_of_raster();
        }
        if self.resample.is_some() {
            return Err(Error::usage(format!(
                "--resample is for values of a raster, and {} is none",
                self.polygons.display()
            )));
        }
        let points = LayerReader::open(&self.points, self.layer.as_deref())?;
        let polygons = LayerReader::open(&self.polygons, self.from_layer.as_deref())?;
        let step = self.step();
        let write = self.write.options();
        let job = TagPoints { write, rejects: self.rejects.clone(), ..step.tag() };
        let mut progress = TerminalProgress::new("tagging");
        let Some(output) = &self.output else {
            let (report, notices) = job.report_watched(points, &polygons, &mut progress)?;
            drop(progress);
            show::notices(&notices);
            if show::wants_json() {
                show::json(&as_json(&report))?;
            } else {
                show::answer(&self.text(&report))?;
                show::remark("nothing was written: add -o FILE to tag");
            }
            return Ok(Ending::Done);
        };
        let source = layer_source(&self.points, self.layer.as_ref(), None);
        let with = layer_source(&self.polygons, self.from_layer.as_ref(), None);
        self.save.save(source, Some(with), step, self.write.output(output), &self.write)?;
        let (outcome, report) = job.run_watched(points, &polygons, output, &mut progress)?;
        drop(progress);
        show::remark(&self.text(&report));
        let more = [("points", as_json(&report))];
        show::outcome_with(&outcome, "features", "features", output, &more)
    }

    /// Values of a raster.
    fn values_of_raster(&self) -> Result<Ending, Error> {
        let raster = RasterReader::open(&self.polygons)?;
        if self.within.is_some() || self.distance_column.is_some() || self.from_layer.is_some() {
            return Err(Error::usage(format!(
                "--within, --distance-column and --from-layer are for polygons, and {} is a raster",
                self.polygons.display()
            )));
        }
        let step = self.step();
        let job = TagFromRaster {
            write: self.write.options(),
            rejects: self.rejects.clone(),
            ..step.values_of(&raster)?
        };
        let points = LayerReader::open(&self.points, self.layer.as_deref())?;
        let mut progress = TerminalProgress::new("tagging");
        let Some(output) = &self.output else {
            let (report, notices) = job.report_watched(points, raster, &mut progress)?;
            drop(progress);
            show::notices(&notices);
            if show::wants_json() {
                show::json(&values_as_json(&report))?;
            } else {
                show::answer(&values_text(&report))?;
                show::remark("nothing was written: add -o FILE to tag");
            }
            return Ok(Ending::Done);
        };
        let source = layer_source(&self.points, self.layer.as_ref(), None);
        let with = layer_source(&self.polygons, None, None);
        self.save.save(source, Some(with), step, self.write.output(output), &self.write)?;
        let (outcome, report) = job.run_watched(points, raster, output, &mut progress)?;
        drop(progress);
        show::remark(&values_text(&report));
        let more = [("points", values_as_json(&report))];
        show::outcome_with(&outcome, "features", "features", output, &more)
    }

    /// The same as a step of a job.
    fn step(&self) -> TagStep {
        TagStep {
            columns: self.columns.iter().map(|name| name.as_str().into()).collect(),
            prefix: self.prefix.clone(),
            within: self.within,
            tolerance: (self.tolerance != 0.001).then_some(self.tolerance),
            distance_column: self.distance_column.clone(),
            resample: self.resample.map(WayOfResampling),
            ..TagStep::default()
        }
    }

    fn text(&self, report: &TagReport) -> String {
        let mut counts = vec![
            format!("{} points in one polygon", report.inside),
            format!("{} in several", report.several.count),
            format!("{} in none", report.none.count),
        ];
        if self.within.is_some() {
            counts.insert(2, format!("{} near one", report.nearest));
        }
        counts.join(", ")
    }
}

fn values_text(report: &SampleReport) -> String {
    format!(
        "{} points with a value, {} where the raster has none, {} beyond it",
        report.with_value, report.without_value.count, report.beyond.count
    )
}

fn values_as_json(report: &SampleReport) -> serde_json::Value {
    serde_json::json!({
        "with_value": report.with_value,
        "without_value": report.without_value.count,
        "beyond": report.beyond.count,
    })
}

fn as_json(report: &TagReport) -> serde_json::Value {
    serde_json::json!({
        "inside": report.inside,
        "several": report.several.count,
        "nearest": report.nearest,
        "none": report.none.count,
        "on_boundary": report.on_boundary,
        "polygons": report.polygons,
        "polygons_without_points": report.empty,
    })
}
