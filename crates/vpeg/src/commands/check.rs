//! `vpeg check`: the quality sheet of layers, and whether they agree.

use crate::arguments::{ColumnArguments, TableArguments, heading, map_file};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, report, show};
use clap::Args;
use std::io::Write;
use std::path::PathBuf;
use velvet_peg::check::{CheckOptions, CheckReport, CheckedLayers, Finding, sheets_as_markdown};
use velvet_peg::report::check_page;
use velvet_peg::{Error, Severity};

/// The quality sheet of layers or tables, and whether they agree.
///
/// Exit status: 0 if they pass, 3 if a fault was found (with --strict, a warning too), so that
/// scripts can wait for it.
#[derive(Debug, Args)]
pub(crate) struct Check {
    /// Files of layers, or tables.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Columns whose values together have to be there and different for every feature.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    key: Vec<String>,
    /// Columns that have to be filled in every feature.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    complete: Vec<String>,
    /// The reference system that every layer has to be in.
    #[arg(long, value_name = "REF")]
    expect_crs: Option<String>,
    /// The number of features that there have to be.
    #[arg(long, value_name = "N")]
    count: Option<u64>,
    /// Reference system of tables, and of layers that have none.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// Layer to take, if a file has several; all of them if not given.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Write the sheets to hand in: .md or .json; .html for the report.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: Option<PathBuf>,
    /// Write a page to read and to hand in: what was found and where on the map it is, histograms,
    /// fields (.html).
    #[arg(long, value_name = "FILE", help_heading = heading::OUTPUT)]
    report: Option<PathBuf>,
    /// Draw a map of the layers, with what stands apart: .svg, .png or .html; in characters if no FILE is given.
    #[arg(long, value_name = "FILE", num_args = 0..=1, default_missing_value = "-", value_parser = map_file, help_heading = heading::OUTPUT)]
    map: Option<PathBuf>,
    /// Title of the sheets.
    #[arg(long)]
    title: Option<String>,
    /// Replace an existing file.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
    #[command(flatten)]
    columns: ColumnArguments,
    #[command(flatten)]
    reading: TableArguments,
}

impl Check {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let options = CheckOptions {
            key: self.key.clone(),
            complete: self.complete.clone(),
            expected: self.expect_crs.as_deref().map(reference::system).transpose()?,
            count: self.count,
            title: self.title.clone(),
            columns: self.columns.columns(),
            crs: self.crs.as_deref().map(reference::system).transpose()?,
            table: self.reading.options(),
            layer: self.layer.clone(),
        };
        if let Some(output) = &self.output {
            velvet_peg::output::refuse_inputs(output, self.files.iter().map(PathBuf::as_path))?;
        }
        let html =
            |path: &PathBuf| path.extension().is_some_and(|e| e.eq_ignore_ascii_case("html"));
        let page = match (&self.report, self.output.as_ref().filter(|output| html(output))) {
            (Some(_), Some(_)) => {
                return Err(Error::usage(
                    "the report is named twice, by --report and by -o: leave one of them out",
                ));
            }
            (report, output) => report.as_ref().or(output),
        };
        let page = report::Asked::of(
            page.map(PathBuf::as_path),
            self.files.iter().map(PathBuf::as_path),
            self.overwrite,
        )?;
        let sheets = self.output.as_ref().filter(|output| !html(output));
        let mut progress = TerminalProgress::new("checking");
        let checked = CheckedLayers::of(&self.files, &options, &mut progress)?;
        drop(progress);
        let report = checked.report.clone();
        if let Some(output) = sheets {
            let text = match output.extension().and_then(|e| e.to_str()) {
                Some("md") => sheets_as_markdown(&report),
                Some("json") => format!("{:#}\n", as_json(&report)),
                _ => {
                    let file = output.display();
                    return Err(Error::usage(format!(
                        "{file}: quality sheets are written as .md or .json, and the report as .html: \
                         name a file of one of these"
                    )));
                }
            };
            velvet_peg::output::write_whole(output, text.as_bytes(), self.overwrite)?;
            show::remark(&format!("wrote {}", output.display()));
        }
        if show::wants_json() {
            show::json(&as_json(&report))?;
        } else if self.output.is_none() && self.report.is_none() {
            text(&report)?;
        }
        if let Some(page) = page {
            let mut progress = TerminalProgress::new("drawing");
            let written =
                check_page(checked, &report::options(self.title.as_ref()), &mut progress)?;
            drop(progress);
            page.write(&written)?;
        }
        let strict = show::is_strict() && report.worst() == Some(Severity::Warning);
        let verdict = match report.worst() {
            Some(Severity::Fault) => "does not pass",
            Some(Severity::Warning) if strict => "does not pass (--strict)",
            Some(Severity::Warning) => "passes, with warnings",
            _ => "passes",
        };
        let layers = match report.sheets.len() {
            1 => "1 layer".to_string(),
            count => format!("{count} layers"),
        };
        let of = |level: Severity| {
            let own = report.sheets.iter().flat_map(|sheet| &sheet.findings);
            let between = report.agreement.iter().flat_map(|agreement| &agreement.findings);
            own.chain(between).filter(|finding| finding.level == level).count()
        };
        let (faults, warnings) = (of(Severity::Fault), of(Severity::Warning));
        let plural = |count: usize, what: &str| match count {
            1 => format!("1 {what}"),
            count => format!("{count} {what}s"),
        };
        show::remark(&format!(
            "{layers}: {}, {}: {verdict}",
            plural(faults, "fault"),
            plural(warnings, "warning")
        ));
        Ok(if report.passes() && !strict { Ending::Done } else { Ending::Rejects })
    }
}

fn as_json(report: &CheckReport) -> serde_json::Value {
    let mut json = serde_json::to_value(report).unwrap_or_default();
    json["passes"] = report.passes().into();
    json
}

fn text(report: &CheckReport) -> Result<(), Error> {
    for (number, sheet) in report.sheets.iter().enumerate() {
        if number > 0 {
            show::answer("")?;
        }
        let lines: Vec<(String, String)> =
            sheet.lines().into_iter().map(|(label, text)| (label.to_string(), text)).collect();
        show::answer(&format!("{}\n{}", show::heading(&sheet.layer), show::pairs(&lines)))?;
        if !sheet.fields.is_empty() {
            let mut table =
                show::Table::new(["field", "type", "filled", "different", "from", "to"]);
            for field in &sheet.fields {
                table.row(field.cells().to_vec());
            }
            let indented: Vec<String> =
                table.text().lines().map(|line| format!("  {line}")).collect();
            show::answer(&format!("\n{}", indented.join("\n")))?;
        }
        findings(&sheet.findings)?;
    }
    if let Some(agreement) = &report.agreement {
        let pairs: Vec<String> =
            agreement.overlapping.iter().map(|(a, b)| format!("{a} and {b}")).collect();
        let pairs = if pairs.is_empty() { "none".to_string() } else { pairs.join("; ") };
        show::answer(&format!(
            "\n{}\n  overlapping: {pairs}",
            show::heading("The layers together")
        ))?;
        findings(&agreement.findings)?;
    }
    Ok(())
}

fn findings(findings: &[Finding]) -> Result<(), Error> {
    for finding in findings {
        show::finding(finding.level, &finding.text)?;
    }
    if findings.is_empty() {
        show::answer("  nothing wrong was found")?;
    }
    std::io::stdout().flush().map_err(Error::from)
}
