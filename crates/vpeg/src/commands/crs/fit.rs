//! `vpeg crs fit`: the system of a site, from points that are known in it and in another.

use super::make::Destination;
use crate::arguments::{CommonArguments, TableArguments};
use crate::commands::fit_report;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::json;
use std::path::PathBuf;
use velvet_peg::fit::{FitKind, SITE_NAMES, common_points, fit_points, site_system};
use velvet_peg::table::TableFile;
use velvet_peg::{Error, definition};

/// Fit a site's own coordinates to a known system by common points, and write its definition.
///
/// The table has a row a point with its coordinates in both: residuals, standard errors and a doubtful
/// point are shown. The definition is used everywhere as file:NAME.
#[derive(Debug, Args)]
pub(crate) struct FitSite {
    /// Table of points that are known in both systems.
    points: PathBuf,
    /// The known system, a projected one.
    #[arg(long, value_name = "REF")]
    to: String,
    #[command(flatten)]
    common: CommonArguments,
    #[command(flatten)]
    destination: Destination,
    #[command(flatten)]
    table: TableArguments,
}

impl FitSite {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let known = reference::system(&self.to)?;
        if !known.is_projected() {
            return Err(Error::usage(format!(
                "a site's plane is fitted to a plane, and {} is none: name a projected system",
                known.label()
            )));
        }
        let table = TableFile::open(&self.points, &self.table.options())?;
        let points = common_points(&table, &self.common.columns(), SITE_NAMES, &known)?;
        let kind = self.common.kind(points.len(), FitKind::Similarity);
        let fitted = fit_points(&table, &points, kind, false)?;
        if !show::wants_json() {
            fit_report::show_fit(&fitted, &points, &known)?;
        }
        let site = site_system(&self.destination.name(), &known, &fitted)?;
        self.destination.write(&site)?;
        if show::wants_json() {
            let mut answer = fit_report::as_json(&fitted, &points, &known);
            answer["name"] = json!(site.name());
            answer["file"] = json!(self.destination.output.display().to_string());
            answer["definition"] = json!(definition::wkt2(&site));
            show::json(&answer)?;
            return Ok(Ending::Done);
        }
        let scale = fitted.figures.first().map_or(1.0, |figure| figure.value);
        if (scale - 1.0).abs() > 0.01 {
            show::warning(&format!(
                "lengths of the site are {scale:.6} times as long in {} ({}): are its coordinates in another \
                 unit?",
                known.label(),
                known.unit_plural()
            ));
        }
        self.destination.next();
        Ok(Ending::Done)
    }
}
