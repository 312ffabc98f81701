//! Repairing rings: what can be repaired without guessing what was meant.

use super::vertices::Vertex;
use velvet_peg_core::planar::{FlawKind, Ring, flaws_of_polygon};

/// A ring leaves out repeated vertices and the tips of spikes, again and again until there are
/// none; gives what was left out.
pub(super) fn tidy(ring: &mut Vec<Vertex>) -> Vec<(FlawKind, Vertex)> {
    let mut gone = Vec::new();
    loop {
        let (x, y) = coordinates(ring);
        let flaws = flaws_of_polygon(&[Ring { x: &x, y: &y }]);
        let mut untidy: Vec<(usize, FlawKind)> = flaws
            .iter()
            .filter(|f| matches!(f.kind, FlawKind::RepeatedVertex | FlawKind::Spike))
            .map(|f| (f.vertex, f.kind))
            .collect();
        untidy.sort_by_key(|(vertex, _)| *vertex);
        untidy.dedup_by_key(|(vertex, _)| *vertex);
        let left = (0..x.len()).filter(|at| untidy.iter().all(|(vertex, _)| vertex != at));
        let mut places: Vec<(u64, u64)> =
            left.map(|at| (x[at].to_bits(), y[at].to_bits())).collect();
        places.sort_unstable();
        places.dedup();
        // A ring keeps three places at least.
        if untidy.is_empty() || places.len() < 3 {
            return gone;
        }
        for (vertex, kind) in untidy.into_iter().rev() {
            gone.push((kind, ring.remove(vertex)));
        }
    }
}

/// The coordinates of vertices.
pub(super) fn coordinates(ring: &[Vertex]) -> (Vec<f64>, Vec<f64>) {
    ring.iter().map(|v| (v.x, v.y)).unzip()
}
