//! Quality sheets to hand in: Markdown and HTML.

use super::{CheckReport, Finding, QualitySheet};
use crate::format_support::markup::escaped;
use crate::notice::Severity;
use std::fmt::Write;
use velvet_peg_core::registry;

impl QualitySheet {
    /// The sheet in a line or two a subject: labels and texts.
    pub fn lines(&self) -> Vec<(&'static str, String)> {
        let kinds: Vec<String> =
            self.kinds.iter().map(|(kind, count)| format!("{count} {kind}")).collect();
        let mut features = match kinds.as_slice() {
            [] => format!("{}", self.features),
            kinds => format!("{} ({})", self.features, kinds.join(", ")),
        };
        if self.unreadable > 0 {
            let _ = write!(features, ", {} records unreadable", self.unreadable);
        }
        let mut lines = vec![
            ("source", format!("{} ({})", self.source.display(), self.format)),
            ("features", features),
            (
                "vertices",
                format!("{}{}", self.vertices, if self.has_z { ", with heights" } else { "" }),
            ),
            (
                "reference system",
                match (&self.crs, &self.unit) {
                    (Some(crs), Some(unit)) => format!("{crs} ({}; {unit})", self.crs_known),
                    _ => "missing".to_string(),
                },
            ),
        ];
        if let Some([west, south, east, north]) = self.extent {
            let text = |v: f64| crate::plausibility::short(v);
            lines.push((
                "extent",
                format!("x {} to {}, y {} to {}", text(west), text(east), text(south), text(north)),
            ));
        }
        if let (Some(unit), Some(other)) = (&self.unit, &self.other_foot) {
            lines.push(("coordinates count", format!("{unit}; {other}")));
        }
        if let Some([west, south, east, north]) = self.extent_degrees {
            lines.push((
                "extent in degrees",
                format!("longitude {west:.6} to {east:.6}, latitude {south:.6} to {north:.6}"),
            ));
        }
        if let Some(area) = &self.area_of_use {
            let where_ = match self.outside_area_of_use {
                0 => "all inside".to_string(),
                1 => "1 vertex outside".to_string(),
                outside => format!("{outside} vertices outside"),
            };
            lines.push(("area of use", format!("{area}: {where_}")));
        }
        lines.push((
            "geometry",
            format!(
                "{} invalid, {} missing, {} duplicate",
                self.invalid, self.without_geometry, self.duplicate_geometries
            ),
        ));
        let decimals: Vec<String> = self
            .decimals
            .iter()
            .map(|(digits, count)| match digits {
                10 => format!("10 or more: {count}"),
                digits => format!("{digits}: {count}"),
            })
            .collect();
        if !decimals.is_empty() {
            lines.push(("decimals: vertices", decimals.join(", ")));
        }
        if let Some((name, different)) = &self.key {
            lines.push(("key", format!("{name}: {different} different values")));
        }
        lines
    }

    /// Faults and warnings found.
    pub fn counts(&self) -> (usize, usize) {
        let count = |level| self.findings.iter().filter(|f| f.level == level).count();
        (count(Severity::Fault), count(Severity::Warning))
    }
}

fn verdict(report: &CheckReport) -> &'static str {
    match report.worst() {
        Some(Severity::Fault) => "does not pass",
        Some(Severity::Warning) => "passes, with warnings",
        _ => "passes",
    }
}

/// One line a layer.
fn summary(report: &CheckReport) -> Vec<[String; 5]> {
    report
        .sheets
        .iter()
        .map(|sheet| {
            let (faults, warnings) = sheet.counts();
            [
                sheet.layer.clone(),
                sheet.features.to_string(),
                sheet.crs.clone().unwrap_or_else(|| "missing".to_string()),
                faults.to_string(),
                warnings.to_string(),
            ]
        })
        .collect()
}

/// By what the figures were found.
fn made_by() -> String {
    format!(
        "Made by velvet-peg {} with the EPSG dataset {}.",
        env!("CARGO_PKG_VERSION"),
        registry::VERSION
    )
}

/// All sheets as one Markdown document.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// use velvet_peg::check;
/// use velvet_peg::check::{CheckOptions, sheets_as_markdown};
/// let report = check(&[folder.path().join("fields.geojson")], &CheckOptions::default())?;
/// assert!(sheets_as_markdown(&report).contains("| features | 16 (16 polygon) |"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn sheets_as_markdown(report: &CheckReport) -> String {
    let cell = |text: &str| text.replace('|', "\\|").replace('\n', " ");
    let mut out = match &report.title {
        Some(title) => format!("# {title}\n\nQuality sheet. Result: **{}**\n", verdict(report)),
        None => format!("# Quality sheet\n\nResult: **{}**\n", verdict(report)),
    };
    let findings = |out: &mut String, findings: &[Finding]| {
        for finding in findings {
            let _ = writeln!(
                out,
                "- **{}** ({}): {}",
                finding.level.name(),
                finding.about,
                finding.text
            );
        }
        if findings.is_empty() {
            let _ = writeln!(out, "- nothing found");
        }
    };
    if report.sheets.len() > 1 {
        let _ = writeln!(
            out,
            "\n| layer | features | reference system | faults | warnings |\n| --- | --- | --- | --- | --- |"
        );
        for row in summary(report) {
            let _ = writeln!(out, "| {} |", row.map(|text| cell(&text)).join(" | "));
        }
    }
    for sheet in &report.sheets {
        let _ = writeln!(out, "\n## {}\n\n| | |\n| --- | --- |", sheet.layer);
        for (label, text) in sheet.lines() {
            let _ = writeln!(out, "| {label} | {} |", cell(&text));
        }
        if !sheet.fields.is_empty() {
            let _ = writeln!(
                out,
                "\n| field | type | filled | different | from | to |\n| --- | --- | --- | --- | --- | --- |"
            );
            for field in &sheet.fields {
                let [name, kind, filled, different, from, to] = field.cells();
                let _ = writeln!(
                    out,
                    "| {} | {kind} | {filled} | {different} | {} | {} |",
                    cell(&name),
                    cell(&from),
                    cell(&to)
                );
            }
        }
        let _ = writeln!(out, "\nFound:\n");
        findings(&mut out, &sheet.findings);
    }
    if let Some(agreement) = &report.agreement {
        let _ = writeln!(out, "\n## The layers together\n");
        let pairs: Vec<String> =
            agreement.overlapping.iter().map(|(a, b)| format!("{a} and {b}")).collect();
        let overlap = if pairs.is_empty() { "none".to_string() } else { pairs.join("; ") };
        let _ = writeln!(out, "Overlapping: {overlap}\n");
        findings(&mut out, &agreement.findings);
    }
    let _ = writeln!(out, "\n{}", made_by());
    out
}

/// All sheets as one HTML page that needs nothing else.
pub fn sheets_as_html(report: &CheckReport) -> String {
    let title = escaped(report.title.as_deref().unwrap_or("Quality sheet"));
    let mut out = format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{title}</title>\n"
    );
    out.push_str(
        "<style>\n\
         body{font:15px/1.45 Georgia,serif;color:#222;max-width:1100px;margin:2em auto;padding:0 1.5em}\n\
         h1{font-size:1.6em;margin-bottom:.2em}h2{border-bottom:2px solid #7a5c8a;padding-bottom:.15em;margin-top:1.8em}\n\
         table{border-collapse:collapse;margin:.6em 0;width:100%}td,th{text-align:left;vertical-align:top;padding:.25em .8em .25em 0;border-bottom:1px solid #ddd}\n\
         th{font-weight:normal;color:#666}td.n{text-align:right}td.l{color:#666;white-space:nowrap;width:1%}\n\
         li{margin:.25em 0}b.fault{color:#a3182b}b.warning{color:#8a5a00}b.note{color:#41617a}\n\
         .made{color:#666;margin-top:2em}@media print{body{margin:0}}\n</style></head><body>\n",
    );
    let what = if report.title.is_some() { "Quality sheet. " } else { "" };
    let _ = writeln!(out, "<h1>{title}</h1>\n<p>{what}Result: <b>{}</b></p>", verdict(report));
    let findings = |out: &mut String, findings: &[Finding]| {
        let _ = writeln!(out, "<ul>");
        for finding in findings {
            let level = finding.level.name();
            let _ = writeln!(
                out,
                "<li><b class=\"{level}\">{level}</b> ({}): {}</li>",
                finding.about,
                escaped(&finding.text)
            );
        }
        if findings.is_empty() {
            let _ = writeln!(out, "<li>nothing found</li>");
        }
        let _ = writeln!(out, "</ul>");
    };
    if report.sheets.len() > 1 {
        let _ = writeln!(
            out,
            "<table><tr><th>layer</th><th>features</th><th>reference system</th><th>faults</th><th>warnings</th></tr>"
        );
        for row in summary(report) {
            let cells = row.map(|text| format!("<td>{}</td>", escaped(&text))).concat();
            let _ = writeln!(out, "<tr>{cells}</tr>");
        }
        let _ = writeln!(out, "</table>");
    }
    for sheet in &report.sheets {
        let _ = writeln!(out, "<h2>{}</h2>\n<table>", escaped(&sheet.layer));
        for (label, text) in sheet.lines() {
            let _ =
                writeln!(out, "<tr><td class=\"l\">{label}</td><td>{}</td></tr>", escaped(&text));
        }
        let _ = writeln!(out, "</table>");
        findings(&mut out, &sheet.findings);
        if !sheet.fields.is_empty() {
            let _ = writeln!(
                out,
                "<table><tr><th>field</th><th>type</th><th>filled</th><th>different</th><th>from</th><th>to</th></tr>"
            );
            for field in &sheet.fields {
                let [name, kind, filled, different, from, to] = field.cells().map(|c| escaped(&c));
                let _ = writeln!(
                    out,
                    "<tr><td>{name}</td><td>{kind}</td><td>{filled}</td><td>{different}</td><td>{from}</td><td>{to}</td></tr>"
                );
            }
            let _ = writeln!(out, "</table>");
        }
    }
    if let Some(agreement) = &report.agreement {
        let _ = writeln!(out, "<h2>The layers together</h2>");
        findings(&mut out, &agreement.findings);
    }
    let _ = writeln!(out, "<p class=\"made\">{}</p>\n</body></html>", made_by());
    out
}
