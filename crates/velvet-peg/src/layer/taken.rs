//! What became of the geometry of a record on reading.

use crate::notice::{Notice, NoticeKind};

/// How many features one record became, and how many curves in it became lines.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Taken {
    pub(crate) features: usize,
    collection: bool,
    curves: u64,
}

impl Default for Taken {
    fn default() -> Taken {
        Taken::one(0)
    }
}

impl Taken {
    /// One feature.
    pub(crate) fn one(curves: u64) -> Taken {
        Taken { features: 1, collection: false, curves }
    }

    /// The features of a collection.
    pub(crate) fn collection(features: usize, curves: u64) -> Taken {
        Taken { features, collection: true, curves }
    }
}

/// What became of the geometries of a layer.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct TakenApart {
    collections: u64,
    features: u64,
    curves: u64,
}

impl TakenApart {
    pub(crate) fn add(&mut self, taken: Taken) {
        self.curves += taken.curves;
        if taken.collection {
            self.collections += 1;
            self.features += taken.features as u64;
        }
    }

    /// True if there were collections.
    pub(crate) fn any(&self) -> bool {
        self.collections > 0
    }

    /// Features beyond one a record.
    pub(crate) fn more(&self) -> u64 {
        self.features - self.collections
    }

    /// What is worth saying of it; curves are lines within a tolerance, given in words.
    pub(crate) fn notices(&self, tolerance: &str) -> Vec<Notice> {
        let TakenApart { collections, features, curves } = *self;
        let (s, are) = if collections == 1 { ("", "is") } else { ("s", "are") };
        let apart = Notice::note(
            NoticeKind::Shape,
            format!(
                "{collections} geometry collection{s} {are} taken apart: {features} feature{} of \
                 points, lines or polygons, with the attributes of the collection each",
                if features == 1 { "" } else { "s" }
            ),
        )
        .count(collections);
        let (s, are) = if curves == 1 { ("", "is") } else { ("s", "are") };
        let drawn = Notice::note(
            NoticeKind::Shape,
            format!(
                "{curves} curve{s} {are} read as chords that are within {tolerance} of the curve"
            ),
        )
        .count(curves);
        let worth = [(collections > 0).then_some(apart), (curves > 0).then_some(drawn)];
        worth.into_iter().flatten().collect()
    }
}
