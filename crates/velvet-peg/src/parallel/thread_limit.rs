//! How many threads work at a time.

use std::num::NonZeroUsize;
use std::sync::atomic::{AtomicUsize, Ordering};

/// The limit that was set; 0 for none.
static LIMIT: AtomicUsize = AtomicUsize::new(0);

/// Lets no more than so many threads of this process work at a time on rows and features; none for as
/// many as there are processors, which is where it begins. With one, everything is done in the
/// thread that asks for it. What comes out is the same, byte for byte.
///
/// ```
/// use std::num::NonZeroUsize;
/// velvet_peg::limit_threads(NonZeroUsize::new(1));
/// velvet_peg::limit_threads(None);
/// ```
pub fn limit_threads(most: Option<NonZeroUsize>) {
    LIMIT.store(most.map_or(0, NonZeroUsize::get), Ordering::Relaxed);
}

/// Threads that work at a time.
pub(crate) fn threads() -> usize {
    match LIMIT.load(Ordering::Relaxed) {
        0 => std::thread::available_parallelism().map_or(1, NonZeroUsize::get),
        limit => limit,
    }
}
