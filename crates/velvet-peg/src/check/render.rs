//! Quality sheets to hand in as Markdown.

use super::{CheckReport, Finding, QualitySheet};
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

/// Whether it passes, in words.
pub(crate) fn verdict(report: &CheckReport) -> &'static str {
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
pub(crate) fn made_by() -> String {
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
