//! Jobs: what is to be done, written down in a file, so that it can be done again.
//!
//! A job file names its sources, steps, checks and outputs. Running it validates everything
//! first, does the steps one after another, and lets the outputs appear together once every
//! check holds; a log says what went in and out, by which routes, and with which checksums. Run
//! twice on the same sources it gives the same bytes.

mod file;
mod hold;
mod log;
mod outputs;
mod places;
mod plan;
mod plan_step;
mod references;
mod run;
mod save;
mod staged;
mod step;
mod translate;
mod validate;
mod words;
mod written;

pub use file::{JOB_VERSION, Job, JobCheck, JobOutput, JobPack, JobSource, Step};
pub(crate) use log::logged;
pub use log::{JobLog, LoggedCheck, LoggedFile, LoggedStep};
pub use places::JobPlaces;
pub use plan::JobPlan;
pub use run::{JobProgress, NoJobProgress, RunOptions};
pub(crate) use staged::{folder_of, within};
pub use words::{STEP_KINDS, StepKind, WORDS, steps_table};
