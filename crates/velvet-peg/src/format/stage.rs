//! Steps on the way from a source to a sink.

use super::Source;
use crate::error::Result;
use crate::layer::{Batch, LayerInfo};
use std::fmt::Debug;
use std::sync::Arc;
use std::sync::mpsc::{channel, sync_channel};

/// A step on the way from a source to a sink: changes batches as they pass.
pub(crate) trait Stage: Debug + Send + Sync {
    /// The batch as it goes on.
    fn apply(&self, batch: Batch) -> Result<Batch>;
}

/// A source whose batches pass through a stage, which works on one while the next is read.
#[derive(Debug)]
pub(super) struct Staged {
    source: Box<dyn Source>,
    before: LayerInfo,
    stage: Arc<dyn Stage>,
}

impl Staged {
    pub(super) fn new(source: Box<dyn Source>, before: LayerInfo, stage: Arc<dyn Stage>) -> Staged {
        Staged { source, before, stage }
    }
}

/// Batches that wait for the stage.
const WAITING: usize = 2;

impl Source for Staged {
    fn read(&self, _info: &LayerInfo, each: &mut dyn FnMut(Batch) -> Result<()>) -> Result<()> {
        let (to_stage, waiting) = sync_channel::<Batch>(WAITING);
        let (from_stage, done) = channel::<Result<Batch>>();
        let stage = &self.stage;
        std::thread::scope(|scope| {
            let worker = scope.spawn(move || {
                for batch in waiting {
                    if from_stage.send(stage.apply(batch)).is_err() {
                        break;
                    }
                }
            });
            let read = self.source.read(&self.before, &mut |batch| {
                // Nobody listens any more if the stage has panicked, which shows below.
                let _ = to_stage.send(batch);
                done.try_iter().try_for_each(|batch| each(batch?))
            });
            drop(to_stage);
            let read = read.and_then(|()| done.iter().try_for_each(|batch| each(batch?)));
            drop(done);
            match worker.join() {
                Ok(()) => read,
                Err(panic) => std::panic::resume_unwind(panic),
            }
        })
    }
}
