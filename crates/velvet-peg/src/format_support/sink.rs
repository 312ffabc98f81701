//! Where the features of a layer go to.

use super::TableOptions;
use crate::error::Result;
use crate::layer::Batch;
use crate::notice::Notice;
use std::path::PathBuf;

/// Where the features of a layer go to: one a format. The batches fit what the format can
/// hold.
pub(crate) trait Sink: Send {
    /// Writes a batch.
    fn write(&mut self, batch: &Batch) -> Result<()>;

    /// What turned out to be lost on the way, each with what was done about it.
    fn losses(&self) -> Vec<Notice> {
        Vec::new()
    }

    /// Completes the files.
    fn finish(self: Box<Self>) -> Result<Finished>;
}

/// What a sink says at its end.
#[derive(Debug, Default)]
pub(crate) struct Finished {
    /// Files written, side files included; none for the one that was asked for.
    pub(crate) files: Vec<PathBuf>,
    /// What is worth knowing.
    pub(crate) notices: Vec<Notice>,
    /// How the file can be compared with what was meant to be in it.
    pub(crate) read_back: ReadBack,
}

/// How a file can be compared with what was meant to be in it.
#[derive(Clone, Debug, Default)]
pub(crate) enum ReadBack {
    /// Counts, coordinates and attributes.
    #[default]
    Everything,
    /// Counts and coordinates: attributes were changed, and it was said how.
    Coordinates,
    /// As a table of so many rows with this sum, in the dialect that it was written in.
    Rows { count: u64, sum: u64, dialect: Box<TableOptions> },
    /// Not at all: the file holds other features than those given, and it was said why.
    Not,
}
