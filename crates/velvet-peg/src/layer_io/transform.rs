//! Steps on the way from a source to a sink.

use crate::error::Result;
use crate::format_support::Source;
use crate::layer::{Batch, LayerInfo};
use crate::parallel::in_order;
use std::fmt::Debug;
use std::sync::Arc;

/// Takes note of a batch that was changed: called in the order of the batches.
pub(crate) type Noting<'a> = Box<dyn FnOnce() + Send + 'a>;

/// A step on the way from a source to a sink: changes batches as they pass, several at a time.
pub(crate) trait Transform: Debug + Send + Sync {
    /// The batch as it goes on, and what takes note of it.
    fn apply(&self, batch: Batch) -> Result<(Batch, Noting<'_>)>;
}

/// A source whose batches pass through a transform.
#[derive(Debug)]
pub(super) struct Transformed {
    source: Box<dyn Source>,
    before: LayerInfo,
    transform: Arc<dyn Transform>,
}

impl Transformed {
    pub(super) fn new(
        source: Box<dyn Source>,
        before: LayerInfo,
        transform: Arc<dyn Transform>,
    ) -> Transformed {
        Transformed { source, before, transform }
    }
}

impl Source for Transformed {
    fn read(&self, _info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let transform = &self.transform;
        in_order(
            |hand_on| self.source.read(&self.before, hand_on),
            |batch| transform.apply(batch),
            |(batch, note)| {
                note();
                each(batch)
            },
        )
    }
}
