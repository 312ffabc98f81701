//! The list of moves by which files take their places; what a killed program has left of one is
//! completed by the next.

use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// The list of moves, in every folder that takes part.
pub(super) const MOVES: &str = ".moves";

/// Files and their places.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct Moves {
    pub(super) moves: Vec<(PathBuf, PathBuf)>,
    /// Files of an earlier output that would belie the new one.
    pub(super) stale: Vec<PathBuf>,
}

impl Moves {
    pub(crate) fn add(&mut self, from: PathBuf, to: PathBuf) {
        self.moves.push((from, to));
    }

    pub(crate) fn remove(&mut self, stale: PathBuf) {
        self.stale.push(stale);
    }

    /// Paths that hold from any folder.
    pub(super) fn absolute(&self) -> Moves {
        let whole = |path: &PathBuf| std::path::absolute(path).unwrap_or_else(|_| path.clone());
        Moves {
            moves: self.moves.iter().map(|(from, to)| (whole(from), whole(to))).collect(),
            stale: self.stale.iter().map(whole).collect(),
        }
    }

    pub(crate) fn targets(&self) -> impl Iterator<Item = &Path> {
        self.moves.iter().map(|(_, to)| to.as_path())
    }
}

/// True for the file of a set that readers open; the others stand beside it and are found by its
/// name.
pub(super) fn is_main(path: &Path) -> bool {
    path.extension().is_some_and(|e| e.eq_ignore_ascii_case("shp"))
}

/// Completes the moves that a killed program had begun; true if the folder is needed no more.
pub(super) fn complete(folder: &Path) -> bool {
    let Ok(text) = std::fs::read(folder.join(MOVES)) else { return true };
    // A list that is cut was never begun.
    let Ok(moves) = serde_json::from_slice::<Moves>(&text) else { return true };
    let mut order: Vec<&(PathBuf, PathBuf)> = moves.moves.iter().collect();
    order.sort_by_key(|(_, to)| is_main(to));
    let moved = order
        .into_iter()
        .filter(|(from, _)| from.exists())
        .all(|(from, to)| std::fs::rename(from, to).is_ok());
    moved && moves.stale.iter().all(|path| !path.exists() || std::fs::remove_file(path).is_ok())
}
