//! The text form of drawing exchange files (DXF), in and out: points and polylines.
//!
//! A drawing is lines in pairs: a group code and its value. It is read and written pair by
//! pair here, because a drawing in memory would set a limit to its size. Attributes go into
//! the extended data of an entity under a name of our own, as `NAME=VALUE`.

mod read;
mod write;

pub(super) use read::open;
pub(super) use write::Writer;

/// The application whose extended data holds attributes.
const APPLICATION: &str = "VELVET_PEG";

/// The mark of a text that repeats an attribute of its point.
const LABEL: &str = "LABEL";
