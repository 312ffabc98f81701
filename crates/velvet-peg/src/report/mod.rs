//! Reports: pages to read and to hand in, of what was checked, measured or run.
//!
//! A report begins with what it comes to; its tables sort, its maps show where what was found is,
//! and it prints on A4 or Letter paper. It is one file that asks for nothing from anywhere. The same
//! data and options give the same bytes.

mod check_page;
mod document;
#[cfg(feature = "jobs")]
mod job_page;
mod map;
mod measure_page;
mod table;

pub use check_page::check_page;
#[cfg(feature = "jobs")]
pub(crate) use job_page::job_page;
pub use measure_page::{MeasuredLayer, measure_page};

/// What stands in a report beside its figures.
#[derive(Clone, Debug, Default)]
pub struct ReportOptions {
    /// Title; what the report is of, if none.
    pub title: Option<String>,
    /// Date to write below it. The page depends on it, so it is not taken from the clock.
    pub date: Option<String>,
}
