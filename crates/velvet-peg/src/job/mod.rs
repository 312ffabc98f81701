//! Jobs: what is to be done, written down in a file, so that it can be done again.
//!
//! A job file names its sources, steps, checks and outputs. Running it validates everything
//! first, does the steps one after another, and lets the outputs appear together once every
//! check holds; a log says what went in and out, by which routes, and with which checksums. Run
//! twice on the same sources it gives the same bytes.

mod check_names;
mod file;
mod log;
mod log_files;
mod map;
mod map_part;
mod outputs;
mod outside;
pub mod pack;
mod pages;
mod pending_outputs;
mod plan;
mod plan_step;
mod raster_step;
mod read;
mod references;
mod run;
mod run_checks;
mod run_step;
mod save;
mod side_files;
mod spans;
mod step_options;
mod step_schema;
mod step_values;
mod written;

pub use file::{JOB_VERSION, Job, JobCheck, JobOutput, JobPack, JobSource};
pub(crate) use log::logged;
pub use log::{
    JobLog, LoggedCheck, LoggedClosure, LoggedFile, LoggedNotice, LoggedReject, LoggedRoute,
    LoggedStep,
};
pub use map::{JobMap, MapLines, MapZones};
pub(crate) use pending_outputs::{folder_of, within};
pub use plan::JobPlan;
pub use run::{JobProgress, NoJobProgress, RunOptions};
pub use spans::JobSpans;
pub use step_schema::{
    ConvertStep, CoursesStep, DeclareStep, FeaturesStep, FieldsStep, JoinStep, LinesStep,
    MeasureStep, PointsStep, PolygonsStep, STEP_KINDS, StartsFrom, Step, StepKind, TagStep, WORDS,
    steps_table,
};
pub use step_values::{
    AreaUnitName, Column, ColumnOfWith, CoordinatesText, Edges, Epoch, LengthUnitName,
    OperationCode, PixelSize, SystemText, WayOfResampling,
};
