//! Layers in memory, which hold anything; no file has this format.

use crate::format_support::{Capability, FileStart, FormatDescription, UNLIMITED};

/// A layer in memory.
#[derive(Debug)]
pub(super) struct InMemory;

impl FormatDescription for InMemory {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "layer in memory",
            dates: true,
            times: true,
            times_of_day: true,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, _: &FileStart<'_>) -> bool {
        false
    }
}
