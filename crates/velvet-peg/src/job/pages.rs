//! The pages of a run: its report, and the results of its steps to look around in.

use super::file::Job;
use super::log::{JobLog, LoggedStep, logged};
use super::map_part::MapPart;
use super::pending_outputs::within;
use super::run::RunOptions;
use super::run_step::Named;
use crate::draw::{DrawOptions, MapLayers, Stage, check_picture, draw_stages};
use crate::error::{Error, Result};
use crate::output::{same_file, write_whole};
use crate::progress::Progress;
use crate::report::{ReportOptions, job_page};
use indexmap::IndexMap;
use std::path::Path;

impl Job {
    /// Looks before anything is done whether the pages of a run can be written.
    ///
    /// # Errors
    /// If one is no `.html`, is there and is not to be replaced, or both are one file.
    pub(super) fn refuse_pages(&self, options: &RunOptions) -> Result<()> {
        for page in options.report.iter().chain(&options.map) {
            let extension = page.extension().and_then(|extension| extension.to_str());
            if !extension.is_some_and(|extension| extension.eq_ignore_ascii_case("html")) {
                return Err(
                    Error::usage("is to be a page: name a file that ends in .html").in_file(page)
                );
            }
            check_picture(page, options.overwrite)?;
        }
        match (&options.report, &options.map) {
            (Some(report), Some(map)) if same_file(report, map) => Err(Error::usage(
                "is to be written twice: give the report and the map different names",
            )
            .in_file(map)),
            _ => Ok(()),
        }
    }

    /// Writes the pages that are asked for; whatever the checks say.
    pub(super) fn write_pages(
        &self,
        folder: &Path,
        known: &IndexMap<String, Named>,
        options: &RunOptions,
        log: &mut JobLog,
        watch: &mut dyn Progress,
    ) -> Result<()> {
        let mut written = Vec::new();
        if let Some(to) = &options.report {
            let result = |step: &LoggedStep| -> Result<Option<MapLayers>> {
                Ok(match known[&step.name].part(folder)? {
                    MapPart::Layer(layer) if layer.info().bare => None,
                    part => Some(drawn(part)),
                })
            };
            let results = log.steps.iter().map(result).collect::<Result<_>>()?;
            let of = ReportOptions { date: self.date.clone(), ..ReportOptions::default() };
            let page = job_page(log, results, &of, watch);
            write_whole(to, page.as_bytes(), options.overwrite)?;
            written.push(to);
        }
        if let Some(to) = &options.map {
            let stage = |step: &LoggedStep| -> Result<Stage> {
                let layers = drawn(known[&step.name].part(folder)?);
                Ok(Stage { name: step.name.clone(), facts: facts(step), layers })
            };
            let stages: Vec<Stage> = log.steps.iter().map(stage).collect::<Result<_>>()?;
            let draw = DrawOptions {
                title: self.title.clone(),
                date: self.date.clone(),
                overwrite: options.overwrite,
                ..DrawOptions::default()
            };
            draw_stages(&stages, to, &draw, watch)?;
            written.push(to);
        }
        for page in written {
            // Paths of a log are from the folder of the job; others are whole.
            let shown = match within(folder, page) {
                Some(inside) => inside.to_path_buf(),
                None => std::path::absolute(page).unwrap_or_else(|_| page.clone()),
            };
            log.outputs.push(logged(page, &shown)?);
        }
        Ok(())
    }
}

/// A part of a map as the whole of one.
fn drawn(part: MapPart) -> MapLayers {
    match part {
        MapPart::Layer(layer) => MapLayers::from(vec![*layer]),
        MapPart::Raster(raster) => MapLayers { rasters: vec![*raster], ..MapLayers::default() },
    }
}

/// What became of the rows of a step, or the pixels.
fn facts(step: &LoggedStep) -> Vec<(String, String)> {
    let what = if step.pixels { " pixels" } else { "" };
    let mut facts = vec![
        ("step".to_string(), step.kind.clone()),
        ("in".to_string(), format!("{}{what}", step.rows_in)),
        ("out".to_string(), format!("{}{what}", step.out)),
    ];
    let mut add = |label: &str, text: String| facts.push((label.to_string(), text));
    if step.left_out > 0 {
        add("left out", step.left_out.to_string());
    }
    if !step.pixels {
        add("rejected", step.rejected.to_string());
    }
    for reject in &step.rejects {
        add("", format!("{}: {}", reject.row, reject.reason));
    }
    if let Some(route) = &step.route {
        add("route", route.by.clone());
    }
    step.warnings.iter().for_each(|text| add("warning", text.clone()));
    facts
}
