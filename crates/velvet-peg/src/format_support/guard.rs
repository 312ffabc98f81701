//! Panics of the crates below, which damaged files bring about, as errors that name the file.

use crate::error::{Error, Result};
use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

thread_local! {
    static DEPTH: Cell<u32> = const { Cell::new(0) };
}

/// True while a panic of this thread becomes an error: a program that shows panics has nothing to
/// show then.
pub fn panics_are_caught() -> bool {
    DEPTH.with(|depth| depth.get() > 0)
}

/// Runs what may panic on damaged data; `doing` says what could not be done then.
pub(crate) fn guarded<T>(path: &Path, doing: &str, work: impl FnOnce() -> Result<T>) -> Result<T> {
    DEPTH.with(|depth| depth.set(depth.get() + 1));
    let done = catch_unwind(AssertUnwindSafe(work));
    DEPTH.with(|depth| depth.set(depth.get() - 1));
    done.unwrap_or_else(|panic| {
        let text = panic
            .downcast_ref::<&str>()
            .map(ToString::to_string)
            .or_else(|| panic.downcast_ref::<String>().cloned())
            .unwrap_or_default();
        let text = text.lines().next().unwrap_or_default().to_string();
        Err(Error::data(format!("{doing}: something in it cannot be handled ({text})"))
            .in_file(path))
    })
}
