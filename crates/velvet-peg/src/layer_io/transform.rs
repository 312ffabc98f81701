//! Steps on the way from a source to a sink.

use crate::error::Result;
use crate::format_support::Source;
use crate::layer::{Batch, LayerInfo};
use std::fmt::Debug;
use std::sync::Arc;
use std::sync::mpsc::{channel, sync_channel};

/// A step on the way from a source to a sink: changes batches as they pass.
pub(crate) trait Transform: Debug + Send + Sync {
    /// The batch as it goes on.
    fn apply(&self, batch: Batch) -> Result<Batch>;
}

/// A source whose batches pass through a transform, which works on one while the next is read.
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

/// Batches that wait for the transform.
const WAITING: usize = 2;

impl Source for Transformed {
    fn read(&self, _info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let (to_transform, waiting) = sync_channel::<Batch>(WAITING);
        let (from_transform, done) = channel::<Result<Batch>>();
        let transform = &self.transform;
        std::thread::scope(|scope| {
            let worker = scope.spawn(move || {
                for batch in waiting {
                    if from_transform.send(transform.apply(batch)).is_err() {
                        break;
                    }
                }
            });
            let read = self.source.read(&self.before, &mut |batch| {
                // Nobody listens any more if the transform has panicked, which shows below.
                let _ = to_transform.send(batch);
                done.try_iter().try_for_each(|batch| each(batch?))
            });
            drop(to_transform);
            let read = read.and_then(|()| done.iter().try_for_each(|batch| each(batch?)));
            drop(done);
            match worker.join() {
                Ok(()) => read,
                Err(panic) => std::panic::resume_unwind(panic),
            }
        })
    }
}
