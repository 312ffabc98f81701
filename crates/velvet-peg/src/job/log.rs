//! The log of a job that was run: for people as text, for machines as JSON.

use serde::Serialize;
use std::fmt::Write;
use std::path::{Path, PathBuf};

/// What happened when a job was run.
#[derive(Clone, Debug, Default, Serialize)]
pub struct JobLog {
    /// Title of the job.
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
    /// What was noticed while they were written: the output, the weight, and the text.
    pub notices: Vec<(String, &'static str, String)>,
}

/// A file, and what tells it from others.
#[derive(Clone, Debug, Serialize)]
pub struct LoggedFile {
    /// Path, as the job has it.
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
    /// Rows or features in.
    pub rows_in: u64,
    /// Features out.
    pub out: u64,
    /// Left out by the condition.
    pub left_out: u64,
    /// Rejected.
    pub rejected: u64,
    /// The first rejects: row or feature, and why.
    pub rejects: Vec<(u64, String)>,
    /// The change of system, and what it is known to in metres.
    pub route: Option<(String, Option<f64>)>,
    /// Misclosures of courses: name, length in the system's unit, and "1 in so many".
    pub closures: Vec<(String, f64, Option<f64>)>,
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
        let _ = writeln!(out, "\nSteps");
        for (number, step) in self.steps.iter().enumerate() {
            let _ = writeln!(out, "  {}. {}", number + 1, step.line());
            if let Some((route, accuracy)) = &step.route {
                let known = accuracy.map_or("not stated".to_string(), |m| format!("{m} m"));
                let _ = writeln!(out, "     route: {route} (accuracy {known})");
            }
            for (name, length, ratio) in &step.closures {
                let ratio = ratio.map_or("exactly".to_string(), |r| format!("1 in {r:.0}"));
                let _ = writeln!(out, "     closes: {name} misses by {length:.3}, {ratio}");
            }
            for (row, reason) in &step.rejects {
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
        for (output, weight, text) in &self.notices {
            let _ = writeln!(out, "     {weight}: {output}: {text}");
        }
        out
    }
}

impl LoggedStep {
    /// What went in and came out, in one line.
    pub fn line(&self) -> String {
        let left = match self.left_out {
            0 => String::new(),
            left => format!(", {left} left out"),
        };
        format!(
            "{} → {}: {} in, {} out{left}, {} rejected ({:.2} s)",
            self.kind, self.name, self.rows_in, self.out, self.rejected, self.seconds
        )
    }
}

/// A file with its checksum.
pub(crate) fn logged(path: &Path, shown: &Path) -> crate::error::Result<LoggedFile> {
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
