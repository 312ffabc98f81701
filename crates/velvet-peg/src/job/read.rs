//! Reading job files: what can be told from the text alone is validated, with line and column.

use super::check_names::check_names;
use super::file::{JOB_VERSION, Job};
use super::spans::{JobSpans, line_and_column};
use super::step_schema::read_steps;
use crate::error::{Error, Result};
use crate::small_file::read_small;
use std::io;
use std::path::Path;
use std::str::FromStr;
use time::Date;
use time::format_description::BorrowedFormatItem;
use time::macros::format_description;
use toml_edit::{Document, Item};

/// Dates as ISO 8601 has them.
const DATE: &[BorrowedFormatItem<'static>] = format_description!("[year]-[month]-[day]");

/// A job has no more bytes.
const MOST_BYTES: u64 = 16 << 20;

impl Job {
    /// Reads a job file and validates what can be told from it alone: its version, its words,
    /// and that every name refers to a source or an earlier step.
    ///
    /// # Errors
    /// If it is not valid; the message has line and column.
    pub fn read(path: &Path) -> Result<Job> {
        let failed = |e| Error::file(path, "cannot be read as a job", e);
        let text = String::from_utf8(read_small(path, MOST_BYTES).map_err(failed)?)
            .map_err(|e| failed(io::Error::new(io::ErrorKind::InvalidData, e.utf8_error())))?;
        Job::parse(&text).map_err(|error| error.in_file(path))
    }

    /// Reads the text of a job file.
    ///
    /// ```
    /// use velvet_peg::Job;
    /// let error = Job::parse("job = 1\n[[steps]]\ndo = \"lines\"\nfrom = \"vertices\"\n").unwrap_err();
    /// assert!(error.to_string().contains("line 4, column 8: there is no source or earlier step `vertices`"));
    /// ```
    ///
    /// # Errors
    /// As [`Job::read`].
    pub fn parse(text: &str) -> Result<Job> {
        let at = |span: Option<std::ops::Range<usize>>, what: &str| {
            let (line, column) = line_and_column(text, span.map_or(0, |span| span.start));
            Error::usage(format!("line {line}, column {column}: {what}"))
        };
        let document: Document<String> =
            text.parse().map_err(|e: toml_edit::TomlError| at(e.span(), e.message().trim()))?;
        let root = document.as_table();
        match root.get("job").and_then(Item::as_integer) {
            Some(JOB_VERSION) => {}
            Some(other) => {
                return Err(at(
                    root.get("job").and_then(Item::span),
                    &format!(
                        "version {other} of job files is not known here: this reads version 1"
                    ),
                ));
            }
            None => return Err(at(None, "a job file begins with `job = 1`, its version")),
        }
        if let Some(date) = root.get("date").and_then(Item::as_str)
            && let Err(error) = Date::parse(date, DATE)
        {
            let what = format!("`{date}` is no date ({error}): write it as \"2026-09-01\"");
            return Err(at(root.get("date").and_then(Item::span), &what));
        }
        let steps = read_steps(root, &at)?;
        let mut job: Job = toml_edit::de::from_str(text)
            .map_err(|e: toml_edit::de::Error| at(e.span(), e.message().trim()))?;
        job.steps = steps;
        job.spans = JobSpans::of(root, text);
        check_names(&job)?;
        Ok(job)
    }
}

/// As [`Job::parse`].
impl FromStr for Job {
    type Err = Error;

    fn from_str(text: &str) -> Result<Job> {
        Job::parse(text)
    }
}
