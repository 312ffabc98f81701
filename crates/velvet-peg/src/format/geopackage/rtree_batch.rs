//! RtreeBatch on their way to an R-tree, put in an order in which neighbours follow each other: the
//! tree then works on few of its pages at a time, and little memory will do for them.

use velvet_peg_core::Bounds;

/// RtreeBatch that are sorted at a time.
const MANY: usize = 1 << 17;

#[derive(Default)]
pub(super) struct RtreeBatch(Vec<(i64, Bounds)>);

impl RtreeBatch {
    pub(super) fn add(&mut self, id: i64, bounds: Bounds) {
        self.0.push((id, bounds));
    }

    /// True once there are enough to be worth sorting.
    pub(super) fn are_many(&self) -> bool {
        self.0.len() >= MANY
    }

    /// All that wait, neighbours together.
    pub(super) fn take(&mut self) -> impl Iterator<Item = (i64, Bounds)> + use<> {
        let mut boxes = std::mem::take(&mut self.0);
        let middle = |b: &Bounds| ((b.west + b.east) / 2.0, (b.south + b.north) / 2.0);
        let mut all = crate::layer::Extender::default();
        boxes.iter().map(|(_, b)| middle(b)).for_each(|(x, y)| all.point(x, y));
        if let Some(all) = all.bounds() {
            let cell = |value: f64, low: f64, high: f64| {
                let share = (value - low) / (high - low).max(f64::MIN_POSITIVE);
                (share * 65_535.0) as u32
            };
            boxes.sort_by_cached_key(|(_, b)| {
                let (x, y) = middle(b);
                interleaved(cell(x, all.west, all.east), cell(y, all.south, all.north))
            });
        }
        boxes.into_iter()
    }
}

/// The bits of two numbers of 16 bits in turn (Morton 1966): near places have near numbers.
fn interleaved(x: u32, y: u32) -> u32 {
    let spread = |value: u32| {
        let mut v = value & 0xffff;
        for (shift, mask) in
            [(8, 0x00ff_00ff), (4, 0x0f0f_0f0f), (2, 0x3333_3333), (1, 0x5555_5555)]
        {
            v = (v | (v << shift)) & mask;
        }
        v
    };
    spread(x) | (spread(y) << 1)
}
