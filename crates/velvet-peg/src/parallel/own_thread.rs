//! Somebody who works on items in a thread of its own, in the order in which they are given.

use super::threads;
use crate::error::{Error, Result};
use std::sync::mpsc::{Sender, channel};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;

/// Bytes of items that wait, beyond which whoever gives one waits, too.
const WAITING: usize = 16 << 20;

/// What is done with an item.
type Work<S, T> = Box<dyn FnMut(&mut S, &T) -> Result<()> + Send>;

/// A state that takes items. The first is taken in the thread that gives it, so that little work
/// begins no thread.
pub(crate) struct OwnThread<S, T> {
    place: Place<S, T>,
    given: u64,
    waiting: Arc<Waiting>,
}

enum Place<S, T> {
    Here(S, Work<S, T>),
    Apart(Sender<(Arc<T>, usize)>, JoinHandle<Result<S>>),
    /// It has failed, and said so.
    Nowhere,
}

/// Nobody who drops one is left with a thread that still works.
impl<S, T> Drop for OwnThread<S, T> {
    fn drop(&mut self) {
        if let Place::Apart(to, thread) = std::mem::replace(&mut self.place, Place::Nowhere) {
            drop(to);
            // What it would say is not asked for any more.
            let _ = thread.join();
        }
    }
}

impl<S: Send + 'static, T: Send + Sync + 'static> OwnThread<S, T> {
    pub(crate) fn new(
        state: S,
        work: impl FnMut(&mut S, &T) -> Result<()> + Send + 'static,
    ) -> OwnThread<S, T> {
        let place = Place::Here(state, Box::new(work));
        OwnThread { place, given: 0, waiting: Arc::default() }
    }

    /// Gives an item of so many bytes.
    ///
    /// # Errors
    /// If this one, or one that was given before, cannot be taken.
    pub(crate) fn give(&mut self, item: Arc<T>, bytes: usize) -> Result<()> {
        self.given += 1;
        if self.given == 2 && threads() > 1 {
            self.part();
        }
        match &mut self.place {
            Place::Here(state, work) => work(state, &item),
            Place::Apart(to, _) => {
                self.waiting.add(bytes);
                match to.send((item, bytes)) {
                    Ok(()) => Ok(()),
                    Err(_) => self.end().and_then(|_| Err(failed_before())),
                }
            }
            Place::Nowhere => Err(failed_before()),
        }
    }

    /// The state when all items are taken.
    ///
    /// # Errors
    /// If one could not be taken.
    pub(crate) fn end(&mut self) -> Result<S> {
        match std::mem::replace(&mut self.place, Place::Nowhere) {
            Place::Here(state, _) => Ok(state),
            Place::Apart(to, thread) => {
                drop(to);
                match thread.join() {
                    Ok(done) => done,
                    Err(panic) => std::panic::resume_unwind(panic),
                }
            }
            Place::Nowhere => Err(failed_before()),
        }
    }

    fn part(&mut self) {
        self.place = match std::mem::replace(&mut self.place, Place::Nowhere) {
            Place::Here(mut state, mut work) => {
                let (to, items) = channel::<(Arc<T>, usize)>();
                let ended = Ended(self.waiting.clone());
                let thread = std::thread::spawn(move || {
                    for (item, bytes) in items {
                        work(&mut state, &item)?;
                        ended.0.take(bytes);
                    }
                    Ok(state)
                });
                Place::Apart(to, thread)
            }
            place => place,
        };
    }
}

fn failed_before() -> Error {
    Error::data("cannot be written: it has failed before")
}

/// Bytes of the items that wait.
#[derive(Default)]
struct Waiting {
    state: Mutex<State>,
    changed: Condvar,
}

#[derive(Default)]
struct State {
    bytes: usize,
    /// Nobody takes any more.
    ended: bool,
}

impl Waiting {
    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Adds bytes when there is room for them.
    fn add(&self, bytes: usize) {
        let full =
            |state: &mut State| !state.ended && state.bytes > 0 && state.bytes + bytes > WAITING;
        let waited = self.changed.wait_while(self.state(), full);
        waited.unwrap_or_else(PoisonError::into_inner).bytes += bytes;
    }

    fn take(&self, bytes: usize) {
        self.state().bytes -= bytes;
        self.changed.notify_one();
    }
}

/// Lets nobody wait for a thread that has ended, however it has.
struct Ended(Arc<Waiting>);

impl Drop for Ended {
    fn drop(&mut self) {
        self.0.state().ended = true;
        self.0.changed.notify_one();
    }
}
