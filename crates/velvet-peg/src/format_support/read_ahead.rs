//! Batches that a thread reads ahead, for whoever takes them one by one.

use crate::error::{Error, Result};
use crate::format_support::guard::guarded;
use crate::layer::Batch;
use std::path::PathBuf;
use std::sync::mpsc::{Receiver, sync_channel};

/// Batches that are read ahead.
const AHEAD: usize = 2;

/// The batches that `read` hands on of a file; an error is the last of them, and so is what a crate below cannot
/// handle: a thread that just ended would look like the end of the file. Reading ends when nobody listens any more.
pub(crate) fn read_ahead(
    path: PathBuf,
    read: impl FnOnce(&mut dyn FnMut(Batch) -> Result<()>) -> Result<()> + Send + 'static,
) -> Receiver<Result<Batch>> {
    let (sender, receiver) = sync_channel(AHEAD);
    std::thread::spawn(move || {
        let mut listened = true;
        let done = guarded(&path, "cannot be read further", || {
            read(&mut |batch| {
                listened = sender.send(Ok(batch)).is_ok();
                // Whoever does not listen any more will not see why reading ended.
                if listened { Ok(()) } else { Err(Error::data("is not read to its end")) }
            })
        });
        if let (Err(error), true) = (done, listened) {
            // Nobody is left to be told.
            let _ = sender.send(Err(error));
        }
    });
    receiver
}
