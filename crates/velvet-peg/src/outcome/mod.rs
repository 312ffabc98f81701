//! What has become of the rows: how many went in and out, and the rejects with their reasons.

mod reason;
mod rejects;
mod summary;

pub use reason::Reason;
pub use rejects::{Rejected, RejectedPlace};
pub(crate) use rejects::{Rejects, RejectsTo, is_ours, layer_columns};
pub use summary::Summary;
pub(crate) use summary::nothing_left;
