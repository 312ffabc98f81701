//! Progress of long work, for the caller to show.

use crate::notice::Notice;

/// Hears how far a stage has come: now and then, and once at the end of each reading. Work that
/// reads its input twice begins anew, or counts both readings.
pub trait Progress {
    /// `done` of `total` units (bytes read, or features); no total if it is not known.
    fn at(&mut self, done: u64, total: Option<u64>);

    /// What is good to know before the work goes on, such as how much memory it will take. It is not among the
    /// notices of what comes out.
    fn notice(&mut self, _notice: &Notice) {}
}

/// Shows nothing.
#[derive(Clone, Copy, Debug, Default)]
pub struct NoProgress;

impl Progress for NoProgress {
    fn at(&mut self, _done: u64, _total: Option<u64>) {}
}
