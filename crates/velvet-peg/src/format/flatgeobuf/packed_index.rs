//! The index of a FlatGeobuf file: a packed R-tree whose levels follow each other, the root first, the
//! leaves, one a feature in the order of the file, last. It is written from the leaves up as they come.
//!
//! Source: the specification of the format, version 3: nodes of 40 bytes (a box and an offset, which is
//! that of the feature in leaves, and the number of the first child in others), little-endian, so many
//! children a node.

use std::fs::File;
use std::io::{BufWriter, Result, Seek, SeekFrom, Write};
use std::path::Path;

/// Children of a node.
pub(super) const CHILDREN: u16 = 16;

/// Bytes of a node.
const NODE: u64 = 40;

/// West, south, east, north.
type Around = [f64; 4];

/// What no box is around yet.
const NOTHING: Around = [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];

/// An index being written into its place in a file.
pub(super) struct PackedIndex {
    leaves: BufWriter<File>,
    /// Where the index begins in the file.
    start: u64,
    /// The number of the first node of each level, the leaves first, and how many there are.
    levels: Vec<(u64, u64)>,
    /// Boxes around each group of leaves that are complete, and around the last.
    above: Vec<Around>,
    /// Leaves added.
    count: u64,
}

impl PackedIndex {
    /// An index of so many features, one at least, that begins there in a file.
    pub(super) fn new(path: &Path, start: u64, features: u64) -> Result<PackedIndex> {
        let mut sizes = vec![features];
        let mut size = features;
        loop {
            size = size.div_ceil(u64::from(CHILDREN));
            sizes.push(size);
            if size <= 1 {
                break;
            }
        }
        let mut first: u64 = sizes.iter().sum();
        let levels: Vec<(u64, u64)> = sizes
            .iter()
            .map(|size| {
                first -= size;
                (first, *size)
            })
            .collect();
        let mut leaves = File::options().write(true).open(path)?;
        leaves.seek(SeekFrom::Start(start + levels[0].0 * NODE))?;
        let leaves = BufWriter::with_capacity(1 << 16, leaves);
        Ok(PackedIndex { leaves, start, levels, above: Vec::new(), count: 0 })
    }

    /// Where it ends in the file.
    pub(super) fn end(&self) -> u64 {
        let (first, size) = self.levels[0];
        self.start + (first + size) * NODE
    }

    /// Adds the next feature: its box, and where it begins among the features.
    pub(super) fn add(&mut self, around: Around, offset: u64) -> Result<()> {
        if self.count.is_multiple_of(u64::from(CHILDREN)) {
            self.above.push(NOTHING);
        }
        self.count += 1;
        if let Some(last) = self.above.last_mut() {
            *last = joined(*last, around);
        }
        put(&mut self.leaves, around, offset)
    }

    /// Writes the levels above the leaves.
    pub(super) fn finish(mut self) -> Result<()> {
        self.leaves.flush()?;
        let mut level = std::mem::take(&mut self.above);
        for pair in self.levels.windows(2) {
            let ((children, _), (own, _)) = (pair[0], pair[1]);
            self.leaves.seek(SeekFrom::Start(self.start + own * NODE))?;
            for (at, around) in level.iter().enumerate() {
                put(&mut self.leaves, *around, children + at as u64 * u64::from(CHILDREN))?;
            }
            let groups = level.chunks(usize::from(CHILDREN));
            level = groups.map(|group| group.iter().copied().fold(NOTHING, joined)).collect();
        }
        self.leaves.flush()
    }
}

fn joined(a: Around, b: Around) -> Around {
    [a[0].min(b[0]), a[1].min(b[1]), a[2].max(b[2]), a[3].max(b[3])]
}

fn put(out: &mut impl Write, around: Around, offset: u64) -> Result<()> {
    for limit in around {
        out.write_all(&limit.to_le_bytes())?;
    }
    out.write_all(&offset.to_le_bytes())
}
