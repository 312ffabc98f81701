//! The log of work that was done, a job or a single command: for people as text, for machines as
//! JSON.

use super::side_files::with_side_files;
use crate::error::Result;
use crate::features::Closure;
use crate::notice::{Notice, Severity};
use crate::outcome::Summary;
use crate::raster::RasterSummary;
use serde::Serialize;
use std::fmt::Write;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Converter, registry};

/// What happened when a job was run, or something was done that is logged as jobs are.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::job::{JobLog, LoggedStep};
/// use velvet_peg::{ConvertLayer, Crs, LayerReader};
/// let mut log = JobLog::begin("fields to state plane");
/// log.read(&file("fields.geojson"))?;
/// let reader = LayerReader::open(&file("fields.geojson"), None)?;
/// let to = ConvertLayer { target: Some(Crs::from_epsg(2285)?), ..ConvertLayer::default() };
/// let done = to.run(&reader, &file("fields-sp.gpkg"))?;
/// log.steps.push(LoggedStep::of("convert", "fields-sp", &done));
/// done.files.iter().try_for_each(|written| log.wrote(written))?;
/// log.finish();
/// log.save(&file("today.log"))?; // and today.log.json, for machines
/// assert_eq!(log.steps[0].route.as_ref().unwrap().accuracy_m, Some(4.0));
/// assert_eq!(log.outputs[0].sha256.len(), 64);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
#[derive(Clone, Debug, Default, Serialize)]
pub struct JobLog {
    /// Title of the job, or what was done.
    pub title: Option<String>,
    /// When it began (UTC, ISO 8601).
    pub started: String,
    /// When it ended.
    pub finished: String,
    /// Version of this library.
    pub version: &'static str,
    /// Version of the registry of reference systems.
    pub registry: &'static str,
    /// Files read, with their checksums.
    pub inputs: Vec<LoggedFile>,
    /// Steps, in order.
    pub steps: Vec<LoggedStep>,
    /// Checks that had to hold.
    pub checks: Vec<LoggedCheck>,
    /// Files written, with their checksums; none if a check failed.
    pub outputs: Vec<LoggedFile>,
    /// What was noticed while they were written, or outside of steps.
    pub notices: Vec<LoggedNotice>,
    /// What was answered, where the work is a question: lines of text.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub answer: Vec<String>,
    /// Where a job has written its log.
    #[serde(skip)]
    pub file: Option<PathBuf>,
}

/// Something that was noticed.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedNotice {
    /// The output that it is about, if it is about one.
    pub output: Option<String>,
    /// Its weight.
    pub severity: Severity,
    /// What it says.
    pub text: String,
}

/// A row or feature that was rejected.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedReject {
    /// Row as a spreadsheet counts it, or number of the feature.
    pub row: u64,
    /// Why.
    pub reason: String,
}

/// A change of reference system.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedRoute {
    /// The operations, and what they are known to.
    pub by: String,
    /// What it is known to, in metres, where the registry says.
    pub accuracy_m: Option<f64>,
}

/// How the courses of a parcel close.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedClosure {
    /// The parcel.
    pub name: String,
    /// By how much it misses.
    pub length: f64,
    /// The unit of that, where it is known.
    pub unit: Option<String>,
    /// One in so many of the way round; none if it closes exactly.
    pub one_in: Option<f64>,
}

/// A file, and what tells it from others.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedFile {
    /// Path, as it was given.
    pub path: PathBuf,
    /// Size.
    pub bytes: u64,
    /// SHA-256 in hexadecimal digits.
    pub sha256: String,
}

/// A step that was run.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedStep {
    /// Kind.
    #[serde(rename = "do")]
    pub kind: String,
    /// Name of its result.
    pub name: String,
    /// Rows or features in; of a raster its pixels.
    pub rows_in: u64,
    /// Features out; of a raster its pixels.
    pub out: u64,
    /// True if pixels are what is counted.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub pixels: bool,
    /// How far positions of pixels were from exact ones at most, in pixels of the source.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub position_error_pixels: Option<f64>,
    /// Left out by the condition.
    pub left_out: u64,
    /// Rejected.
    pub rejected: u64,
    /// The first rejects: row or feature, and why.
    pub rejects: Vec<LoggedReject>,
    /// The change of system, if there was one.
    pub route: Option<LoggedRoute>,
    /// Misclosures of courses.
    pub closures: Vec<LoggedClosure>,
    /// Warnings.
    pub warnings: Vec<String>,
    /// Remarks.
    pub remarks: Vec<String>,
    /// Seconds it took.
    pub seconds: f64,
}

/// A check that had to hold.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedCheck {
    /// What it is about.
    pub of: Vec<String>,
    /// True if it holds.
    pub holds: bool,
    /// What was found, faults first.
    pub found: Vec<String>,
}

impl JobLog {
    /// A log that begins now.
    pub fn begin(title: impl Into<String>) -> JobLog {
        JobLog { title: Some(title.into()), ..JobLog::begun() }
    }

    /// A log that begins now and has no title.
    pub(super) fn begun() -> JobLog {
        JobLog {
            started: now(),
            version: env!("CARGO_PKG_VERSION"),
            registry: registry::VERSION,
            ..JobLog::default()
        }
    }

    /// Notes down a file that is read, with its side files and their checksums; to be called before
    /// something may take its place.
    ///
    /// # Errors
    /// If a file cannot be read.
    pub fn read(&mut self, path: &Path) -> Result<()> {
        for file in with_side_files(path) {
            if !self.inputs.iter().any(|input| input.path == file) {
                self.inputs.push(logged(&file, &file)?);
            }
        }
        Ok(())
    }

    /// Notes down a file that was written, with its checksum.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn wrote(&mut self, path: &Path) -> Result<()> {
        if !self.outputs.iter().any(|output| output.path == path) {
            self.outputs.push(logged(path, path)?);
        }
        Ok(())
    }

    /// Notes down that the work has ended now.
    pub fn finish(&mut self) {
        self.finished = now();
    }

    /// True if every check holds.
    pub fn holds(&self) -> bool {
        self.checks.iter().all(|check| check.holds)
    }

    /// Rows or features rejected in all steps.
    pub fn rejected(&self) -> u64 {
        self.steps.iter().map(|step| step.rejected).sum()
    }

    /// The log for people.
    pub fn to_text(&self) -> String {
        let mut out = String::new();
        let title = self.title.as_deref().unwrap_or("Job");
        let _ = writeln!(out, "{title}\nstarted  {}\nfinished {}", self.started, self.finished);
        let _ = writeln!(out, "velvet-peg {}, registry {}", self.version, self.registry);
        let files = |out: &mut String, what: &str, files: &[LoggedFile]| {
            let _ = writeln!(out, "\n{what}");
            for file in files {
                let _ = writeln!(
                    out,
                    "  {}  {:>9} bytes  {}",
                    file.sha256,
                    file.bytes,
                    file.path.display()
                );
            }
            if files.is_empty() {
                let _ = writeln!(out, "  none");
            }
        };
        files(&mut out, "Inputs", &self.inputs);
        if !self.steps.is_empty() {
            let _ = writeln!(out, "\nSteps");
        }
        for (number, step) in self.steps.iter().enumerate() {
            let _ = writeln!(out, "  {}. {}", number + 1, step.line());
            if let Some(LoggedRoute { by, .. }) = &step.route {
                let _ = writeln!(out, "     route: {by}");
            }
            for LoggedClosure { name, length, unit, one_in } in &step.closures {
                let ratio = one_in.map_or("exactly".to_string(), |r| format!("1 in {r:.0}"));
                let unit = unit.as_deref().unwrap_or("units of the table");
                let _ = writeln!(out, "     closes: {name} misses by {length:.3} {unit}, {ratio}");
            }
            for LoggedReject { row, reason } in &step.rejects {
                let _ = writeln!(out, "     rejected: {row}: {reason}");
            }
            for warning in &step.warnings {
                let _ = writeln!(out, "     warning: {warning}");
            }
            for remark in &step.remarks {
                let _ = writeln!(out, "     note: {remark}");
            }
        }
        if !self.checks.is_empty() {
            let _ = writeln!(out, "\nChecks");
            for check in &self.checks {
                let holds = if check.holds { "holds" } else { "FAILS" };
                let _ = writeln!(out, "  {holds}: {}", check.of.join(", "));
                for found in &check.found {
                    let _ = writeln!(out, "     {found}");
                }
            }
        }
        files(&mut out, "Outputs", &self.outputs);
        if !self.notices.is_empty() {
            let _ = writeln!(out, "\nNotices");
        }
        for LoggedNotice { output, severity, text } in &self.notices {
            let of = output.as_ref().map_or(String::new(), |output| format!("{output}: "));
            let _ = writeln!(out, "  {}: {of}{text}", severity.name());
        }
        if !self.answer.is_empty() {
            let _ = writeln!(out, "\nAnswer");
            for line in self.answer.iter().flat_map(|text| text.lines()) {
                let _ = writeln!(out, "  {line}");
            }
        }
        out
    }
}

impl LoggedStep {
    /// What became of the rows of a step that has just ended; how long it took is for the caller to
    /// say.
    pub fn of(kind: &str, name: &str, summary: &Summary) -> LoggedStep {
        let first = summary.rejected.first.iter();
        LoggedStep {
            rows_in: summary.rows_in,
            out: summary.out,
            left_out: summary.left_out,
            rejected: summary.rejected.count,
            rejects: first
                .map(|(row, reason)| LoggedReject { row: *row, reason: reason.text.clone() })
                .collect(),
            ..LoggedStep::told(kind, name, summary.converter.as_ref(), &summary.notices)
        }
    }

    /// What became of the pixels of a raster.
    pub fn of_raster(kind: &str, name: &str, summary: &RasterSummary) -> LoggedStep {
        LoggedStep {
            rows_in: summary.pixels_in,
            out: summary.pixels_out,
            pixels: true,
            position_error_pixels: Some(summary.position_error),
            ..LoggedStep::told(kind, name, summary.converter.as_ref(), &summary.notices)
        }
    }

    fn told(
        kind: &str,
        name: &str,
        converter: Option<&Converter>,
        notices: &[Notice],
    ) -> LoggedStep {
        let texts = |weight: Severity| -> Vec<String> {
            let of = |notice: &&Notice| notice.severity == weight;
            notices.iter().filter(of).map(|notice| notice.text.clone()).collect()
        };
        LoggedStep {
            kind: kind.to_string(),
            name: name.to_string(),
            rows_in: 0,
            out: 0,
            pixels: false,
            position_error_pixels: None,
            left_out: 0,
            rejected: 0,
            rejects: Vec::new(),
            route: converter.map(|converter| LoggedRoute {
                by: converter.route().summary(),
                accuracy_m: converter.route().accuracy_m(),
            }),
            closures: Vec::new(),
            warnings: texts(Severity::Warning),
            remarks: texts(Severity::Note),
            seconds: 0.0,
        }
    }

    /// Adds how the courses of parcels close.
    pub fn with_closures(mut self, closures: &[Closure]) -> LoggedStep {
        let of = |c: &Closure| LoggedClosure {
            name: c.name.clone(),
            length: c.misclosure.length,
            unit: c.unit.map(|unit| unit.plural().to_string()),
            one_in: c.misclosure.ratio(),
        };
        self.closures = closures.iter().map(of).collect();
        self
    }

    /// What went in and came out, in one line.
    pub fn line(&self) -> String {
        let left = match self.left_out {
            0 => String::new(),
            left => format!(", {left} left out"),
        };
        if self.pixels {
            let off = self.position_error_pixels.filter(|off| *off > 0.0);
            // To a thousandth, and no less.
            let off = off.map_or(String::new(), |off| {
                format!(", positions within {:.3} pixel of the source", (off * 1e3).ceil() / 1e3)
            });
            return format!(
                "{} → {}: {} pixels in, {} pixels out{off} ({:.2} s)",
                self.kind, self.name, self.rows_in, self.out, self.seconds
            );
        }
        format!(
            "{} → {}: {} in, {} out{left}, {} rejected ({:.2} s)",
            self.kind, self.name, self.rows_in, self.out, self.rejected, self.seconds
        )
    }
}

/// A file with its checksum.
pub(crate) fn logged(path: &Path, shown: &Path) -> Result<LoggedFile> {
    use sha2::{Digest, Sha256};
    let failed = |e| crate::error::Error::file(shown, "cannot be read", e);
    let mut file = std::fs::File::open(path).map_err(failed)?;
    let mut digest = Sha256::new();
    let mut buffer = vec![0; 1 << 16];
    let mut bytes = 0;
    loop {
        let count = std::io::Read::read(&mut file, &mut buffer).map_err(failed)?;
        if count == 0 {
            break;
        }
        digest.update(&buffer[..count]);
        bytes += count as u64;
    }
    let sha256 = digest.finalize().iter().map(|byte| format!("{byte:02x}")).collect();
    Ok(LoggedFile { path: shown.to_path_buf(), bytes, sha256 })
}

/// Now, to the second (UTC, ISO 8601).
pub(crate) fn now() -> String {
    let now = time::OffsetDateTime::now_utc();
    format!(
        "{:04}-{:02}-{:02}T{:02}:{:02}:{:02}Z",
        now.year(),
        u8::from(now.month()),
        now.day(),
        now.hour(),
        now.minute(),
        now.second()
    )
}
