//! The report of a job that was run.

use super::document::{Document, Standing};
use super::table::{Cell, Table};
use super::{ReportOptions, map};
use crate::draw::{DrawOptions, MapLayers, MapRaster};
use crate::job::{JobLog, LoggedFile, LoggedStep};
use crate::notice::Severity;
use crate::progress::Progress;

/// The report of a job that was run; `results` are the layers and rasters that its steps made, in their
/// order, none of a step that made a table.
pub(crate) fn job_page(
    log: &JobLog,
    results: Vec<Option<MapLayers>>,
    options: &ReportOptions,
    watch: &mut dyn Progress,
) -> String {
    let title = options.title.as_deref().or(log.title.as_deref()).unwrap_or("Job");
    let mut page = Document::new("Report of a job", title);
    result(&mut page, log);
    page.section("steps", "Steps");
    steps(&mut page, log);
    if !log.checks.is_empty() {
        page.section("checks", "Checks");
        checks(&mut page, log);
    }
    for (at, (step, result)) in log.steps.iter().zip(results).enumerate() {
        let heading = format!("Step {}: {} → {}", at + 1, step.kind, step.name);
        page.section(&format!("step{}", at + 1), &heading);
        told(&mut page, step);
        let Some(map) = result else { continue };
        let outline = map.rasters.first().map(MapRaster::outline);
        let Some(reader) = map.layers.first().or(outline) else { continue };
        let crs = reader.info().crs.as_ref().map(velvet_peg_core::Crs::label);
        let crs = crs.unwrap_or_else(|| "none".to_string());
        page.facts(&[("reference system", crs)]);
        let measured = map.layers.first().and_then(map::figures);
        map::put(&mut page, &map, at, DrawOptions::default(), watch);
        if let Some(measures) = measured {
            map::histograms(&mut page, &measures);
        }
    }
    page.section("files", "Files");
    files(&mut page, "Read", &log.inputs);
    match log.holds() {
        true => files(&mut page, "Written", &log.outputs),
        false => page.text("Nothing was written, because a check does not hold."),
    }
    let notices = log.notices.iter().filter(|notice| notice.severity > Severity::Note);
    for notice in notices {
        let of = notice.output.as_ref().map_or(String::new(), |output| format!("{output}: "));
        page.text(&format!("Warning: {of}{}", notice.text));
    }
    page.finish(options)
}

fn result(page: &mut Document, log: &JobLog) {
    let warnings: usize = log.steps.iter().map(|step| step.warnings.len()).sum();
    let rejected = log.rejected();
    let (standing, words) = match (log.holds(), rejected, warnings) {
        (false, ..) => (Standing::Fails, "A check does not hold: nothing was written"),
        (true, 1.., _) => (Standing::Warns, "Done, with rejects"),
        (true, 0, 1..) => (Standing::Warns, "Done, with warnings"),
        (true, 0, 0) => (Standing::Passes, "Done"),
    };
    let files = if log.outputs.len() == 1 { "file written" } else { "files written" };
    let figures = [
        (log.steps.len().to_string(), if log.steps.len() == 1 { "step" } else { "steps" }),
        (rejected.to_string(), "rejected"),
        (warnings.to_string(), if warnings == 1 { "warning" } else { "warnings" }),
        (log.outputs.len().to_string(), files),
    ];
    page.result(Some((standing, words)), &figures);
}

fn steps(page: &mut Document, log: &JobLog) {
    let mut table = Table::new([
        ("step", true),
        ("do", false),
        ("result", false),
        ("in", true),
        ("out", true),
        ("left out", true),
        ("rejected", true),
        ("warnings", true),
    ]);
    for (at, step) in log.steps.iter().enumerate() {
        let number = at + 1;
        table.row(vec![
            Cell::count(number as u64),
            Cell::text(step.kind.as_str()),
            Cell::Links(vec![(step.name.clone(), format!("step{number}"))]),
            counted(step, step.rows_in),
            counted(step, step.out),
            Cell::count(step.left_out),
            Cell::count(step.rejected),
            Cell::count(step.warnings.len() as u64),
        ]);
    }
    table.put(page, "Steps");
}

/// Rows and features are counted without a word, pixels are said to be.
fn counted(step: &LoggedStep, count: u64) -> Cell {
    match step.pixels {
        true => Cell::Text(format!("{count} pixels")),
        false => Cell::count(count),
    }
}

fn checks(page: &mut Document, log: &JobLog) {
    let mut table = Table::new([("result", false), ("of", false), ("found", false)]);
    for check in &log.checks {
        let level = if check.holds { "holds" } else { "does not hold" };
        let found = if check.found.is_empty() { "nothing".into() } else { check.found.join("; ") };
        table.row(vec![Cell::text(level), Cell::text(check.of.join(", ")), Cell::Text(found)]);
    }
    table.put(page, "Checks");
}

/// What became of the rows of a step.
fn told(page: &mut Document, step: &LoggedStep) {
    let what = if step.pixels { " pixels" } else { "" };
    let mut counts = format!("{}{what} in, {}{what} out", step.rows_in, step.out);
    if step.left_out > 0 {
        counts += &format!(", {} left out by the condition", step.left_out);
    }
    if step.rejected > 0 {
        counts += &format!(", {} rejected", step.rejected);
    }
    page.text(&format!("{counts}."));
    let mut facts: Vec<(&str, String)> = Vec::new();
    facts.extend(step.route.iter().map(|route| ("route", route.by.clone())));
    for closure in &step.closures {
        let unit = closure.unit.as_deref().unwrap_or("units of the table");
        let ratio =
            closure.one_in.map_or("exactly".to_string(), |one_in| format!("1 in {one_in:.0}"));
        let text = format!("{} misses by {:.3} {unit}, {ratio}", closure.name, closure.length);
        facts.push(("closes", text));
    }
    for reject in &step.rejects {
        facts.push(("rejected", format!("{}: {}", reject.row, reject.reason)));
    }
    facts.extend(step.warnings.iter().map(|text| ("warning", text.clone())));
    // The route is a remark as well.
    let route = step.route.as_ref().map(|route| format!("by {}", route.by));
    let remarks = step.remarks.iter().filter(|text| Some(*text) != route.as_ref());
    facts.extend(remarks.map(|text| ("note", text.clone())));
    if !facts.is_empty() {
        page.facts(&facts);
    }
}

fn files(page: &mut Document, what: &str, files: &[LoggedFile]) {
    page.heading(what);
    if files.is_empty() {
        return page.text("None.");
    }
    let mut table = Table::new([("file", false), ("bytes", true), ("SHA-256", false)]);
    for file in files {
        table.row(vec![
            Cell::text(file.path.display().to_string()),
            Cell::count(file.bytes),
            Cell::text(file.sha256.as_str()),
        ]);
    }
    table.put(page, what);
}
