//! Batches that several threads work on, and that come out in the order in which they went in.

use super::threads;
use crate::error::{Error, Result};
use std::collections::VecDeque;
use std::sync::mpsc::{Receiver, Sender, SyncSender, channel, sync_channel};
use std::sync::{Mutex, PoisonError};
use std::thread::Scope;

/// A batch on its way to whoever works on it, and where its result goes.
type Job<I, O> = (I, SyncSender<Result<O>>);

/// Batches that are worked on or wait, for each thread: they bound the memory.
const WAITING: usize = 2;

/// Hands what `produce` gives to `work`, which runs in several threads, and its results to `consume`
/// in the order in which they were produced. `produce` and `consume` run in the thread that calls, by
/// turns. Where one of them fails, what was produced before it is still consumed, and the first failure
/// in that order is the result.
///
/// # Errors
/// As `produce`, `work` and `consume`.
pub(crate) fn in_order<I: Send, O: Send>(
    produce: impl FnOnce(&mut dyn FnMut(I) -> Result<()>) -> Result<()>,
    work: impl Fn(I) -> Result<O> + Sync,
    mut consume: impl FnMut(O) -> Result<()>,
) -> Result<()> {
    let threads = threads();
    if threads == 1 {
        return produce(&mut |item| consume(work(item)?));
    }
    let (jobs, waiting) = channel::<Job<I, O>>();
    let waiting = Mutex::new(waiting);
    let (work, waiting) = (&work, &waiting);
    std::thread::scope(|scope| {
        let mut line = Line { jobs, results: VecDeque::new(), begun: 0, most: WAITING * threads };
        let mut failed = false;
        let produced = produce(&mut |item| {
            let done = line.add(item, work, &mut consume, || begin(scope, threads, waiting, work));
            failed = done.is_err();
            done
        });
        let Line { jobs, results, .. } = line;
        drop(jobs);
        if !failed {
            results.into_iter().try_for_each(|result| consume(taken(result.recv())?))?;
        }
        produced
    })
}

/// Starts the threads that work.
fn begin<'scope, 'env, I: Send, O: Send>(
    scope: &'scope Scope<'scope, 'env>,
    threads: usize,
    waiting: &'scope Mutex<Receiver<Job<I, O>>>,
    work: &'scope (impl Fn(I) -> Result<O> + Sync),
) {
    for _ in 0..threads {
        scope.spawn(move || {
            let next = || waiting.lock().unwrap_or_else(PoisonError::into_inner).recv().ok();
            while let Some((item, to)) = next() {
                // Where nobody waits for the result, something has failed already.
                let _ = to.send(work(item));
            }
        });
    }
}

/// Batches that are worked on or wait, in order.
struct Line<I, O> {
    jobs: Sender<Job<I, O>>,
    results: VecDeque<Receiver<Result<O>>>,
    begun: usize,
    /// Of these no more wait.
    most: usize,
}

impl<I: Send, O: Send> Line<I, O> {
    /// Adds a batch, and consumes the results that are there, or the oldest where too many wait.
    fn add(
        &mut self,
        item: I,
        work: &impl Fn(I) -> Result<O>,
        consume: &mut impl FnMut(O) -> Result<()>,
        begin: impl FnOnce(),
    ) -> Result<()> {
        self.begun += 1;
        // Little work begins no threads.
        if self.begun == 1 {
            return consume(work(item)?);
        }
        if self.begun == 2 {
            begin();
        }
        let (to, result) = sync_channel(1);
        self.jobs.send((item, to)).map_err(|_| stopped())?;
        self.results.push_back(result);
        while let Some(oldest) = self.results.front() {
            let result = match self.results.len() > self.most {
                true => taken(oldest.recv()),
                false => match oldest.try_recv() {
                    Ok(result) => result,
                    Err(_) => break,
                },
            };
            self.results.pop_front();
            consume(result?)?;
        }
        Ok(())
    }
}

/// A result, which is missing where the thread that worked on it has panicked: that shows when all
/// threads have ended.
fn taken<O, E>(result: std::result::Result<Result<O>, E>) -> Result<O> {
    result.unwrap_or_else(|_| Err(stopped()))
}

fn stopped() -> Error {
    Error::data("a thread has stopped before its work was done")
}
