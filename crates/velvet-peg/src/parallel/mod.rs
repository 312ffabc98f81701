//! Work on several processors at once: how many, and batches that pass through them in order.

mod in_order;
mod own_thread;
mod thread_limit;

pub(crate) use in_order::in_order;
pub(crate) use own_thread::OwnThread;
pub use thread_limit::limit_threads;
pub(crate) use thread_limit::threads;
