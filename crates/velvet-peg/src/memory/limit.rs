//! How much memory there is for what has to be held together.

use std::num::NonZeroU64;
use std::sync::atomic::{AtomicU64, Ordering};
use sysinfo::{MemoryRefreshKind, System};

/// The limit that was set; 0 for none.
static LIMIT: AtomicU64 = AtomicU64::new(0);

/// Refuses work that would have to hold more than so many bytes together; none for what the machine has free when
/// the work begins, which is where it begins. It is reckoned when a small part of the input has been read: rows of
/// lines and polygons, the table of a join, polygons that points are tagged from, features of very many vertices.
/// Where the free memory is not known, nothing is refused.
///
/// ```standalone_crate
/// # let folder = tempfile::tempdir()?;
/// use std::num::NonZeroU64;
/// use velvet_peg::features::BuildLines;
/// use velvet_peg::{Advice, Crs, limit_memory};
/// let (table, out) = (folder.path().join("ditches.csv"), folder.path().join("ditches.gpkg"));
/// let row = |at: u32| format!("T-{},{},47.4\n", at / 9, -120.0 - f64::from(at) * 1e-5);
/// std::fs::write(&table, "ditch,lon,lat\n".to_string() + &(0..9_000).map(row).collect::<String>())?;
/// let lines = BuildLines::grouped_by("ditch", Crs::from_epsg(4326)?);
/// limit_memory(NonZeroU64::new(1_000_000));
/// let error = lines.run(&table, &out).unwrap_err();
/// assert!(error.is_memory() && matches!(error.advice(), Some(Advice::AllowMemory(_))));
/// limit_memory(None);
/// assert_eq!(lines.run(&table, &out)?.out, 1_000);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn limit_memory(most: Option<NonZeroU64>) {
    LIMIT.store(most.map_or(0, NonZeroU64::get), Ordering::Relaxed);
}

/// Memory that may be taken.
#[derive(Clone, Copy, Debug)]
pub(super) enum Room {
    /// As much as was allowed, bytes.
    Allowed(u64),
    /// As much as the machine has free, bytes.
    Free(u64),
    /// Nobody knows.
    Unknown,
}

impl Room {
    /// As it is now.
    pub(super) fn now() -> Room {
        match LIMIT.load(Ordering::Relaxed) {
            0 => free().map_or(Room::Unknown, Room::Free),
            limit => Room::Allowed(limit),
        }
    }

    /// Bytes, as far as they are known.
    pub(super) fn bytes(self) -> Option<u64> {
        match self {
            Room::Allowed(bytes) | Room::Free(bytes) => Some(bytes),
            Room::Unknown => None,
        }
    }
}

/// What the machine has free for programs, and, where a container or a service is limited, this one. What the
/// system keeps of files counts as free: it gives that up when memory is asked for.
fn free() -> Option<u64> {
    if !sysinfo::IS_SUPPORTED_SYSTEM {
        return None;
    }
    let mut system = System::new();
    system.refresh_memory_specifics(MemoryRefreshKind::nothing().with_ram());
    let available = system.available_memory();
    let within = system.cgroup_limits().map_or(u64::MAX, |limits| {
        // Its own figure of what is free counts files that are kept as taken.
        limits.total_memory.saturating_sub(limits.rss)
    });
    (system.total_memory() > 0).then_some(available.min(within))
}
