//! `--report`: a page to read and to hand in.

use crate::show;
use std::path::{Path, PathBuf};
use velvet_peg::Error;
use velvet_peg::draw::today;
use velvet_peg::output::{
    is_standard, refuse_existing, refuse_inputs, refuse_nowhere, write_whole,
};
use velvet_peg::report::ReportOptions;

/// Where a report is to go, looked at before anything is done.
pub(crate) struct Asked {
    out: PathBuf,
    overwrite: bool,
}

impl Asked {
    /// None if no report is asked for.
    ///
    /// # Errors
    /// If it is no page, is one of the inputs, or is there and is not to be replaced.
    pub(crate) fn of<'a>(
        out: Option<&Path>,
        inputs: impl IntoIterator<Item = &'a Path>,
        overwrite: bool,
    ) -> Result<Option<Asked>, Error> {
        let Some(out) = out else { return Ok(None) };
        let extension = out.extension().and_then(|extension| extension.to_str());
        if !extension.is_some_and(|extension| extension.eq_ignore_ascii_case("html")) {
            return Err(
                Error::usage("a report is a page: name a file that ends in .html").with_path(out)
            );
        }
        refuse_inputs(out, inputs)?;
        if !is_standard(out) {
            refuse_existing(out, overwrite)?;
            refuse_nowhere(out)?;
        }
        Ok(Some(Asked { out: out.to_path_buf(), overwrite }))
    }

    pub(crate) fn write(&self, page: &str) -> Result<(), Error> {
        write_whole(&self.out, page.as_bytes(), self.overwrite)?;
        if !is_standard(&self.out) {
            show::remark(&format!("wrote the report to {}", self.out.display()));
        }
        Ok(())
    }
}

/// What stands in a report of today.
pub(crate) fn options(title: Option<&String>) -> ReportOptions {
    ReportOptions { title: title.cloned(), date: Some(today()) }
}
