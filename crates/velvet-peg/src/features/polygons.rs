//! Polygons from the rows of a table: rings, which of them are holes, and what is wrong with
//! them.

use super::repair::{coordinates, tidy};
use super::vertex_columns::VertexOptions;
use super::vertices::{Gathered, Vertex};
use crate::error::Result;
use crate::geometry::Ruler;
use crate::layer::{GeometryColumn, GeometryKind};
use crate::outcome::Summary;
use crate::plausibility::short;
use crate::progress::{NoProgress, Progress};
use std::path::Path;
use velvet_peg_core::planar::{
    FlawKind, Placing, Ring, flaws_between_parts, flaws_of_polygon, place_in_ring, ring_area,
    same_ring,
};

/// What to build polygons from.
#[derive(Clone, Debug, Default)]
pub struct BuildPolygons {
    /// Which rows make which polygon.
    pub vertices: VertexOptions,
    /// Column that tells the rings of a polygon apart. Values such as `outer` and `hole` say
    /// what they are; otherwise a ring within another is a hole. Without the column, a ring ends
    /// where it comes back to its first vertex, and what follows is the next.
    pub ring: Option<String>,
    /// Repairs what can be repaired without guessing, saying what was changed: leaves out
    /// repeated vertices, spikes, duplicate rings and holes of no area.
    pub repair: bool,
}

/// A ring of vertices, without the closing one.
struct Loop {
    vertices: Vec<Vertex>,
    /// True for a hole, false for an outer ring, if it is said.
    told: Option<bool>,
}

impl Loop {
    fn area(&self) -> f64 {
        let (x, y) = coordinates(&self.vertices);
        ring_area(&x, &y)
    }
}

impl BuildPolygons {
    /// Makes a polygon of the rows of every group. Closing vertices may be there or not; outer
    /// rings come out counter-clockwise, holes clockwise, and each format has them as it wants
    /// them. Flaws are told with their place; rows of rings that enclose nothing go to the
    /// rejects. Attributes as [`BuildLines::run`](super::lines::BuildLines::run).
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::Layer;
    /// use velvet_peg::features::BuildPolygons;
    /// std::fs::write(file("a.csv"), "e,n\n0,0\n0,10\n10,10\n10,0\n")?;
    /// BuildPolygons::default().run(&file("a.csv"), &file("a.gpkg"))?;
    /// let polygon = Layer::read(file("a.gpkg"))?.features().next().unwrap().vertices();
    /// assert_eq!(polygon, [(0.0, 0.0), (10.0, 0.0), (10.0, 10.0), (0.0, 10.0), (0.0, 0.0)]);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`BuildLines::run`](super::lines::BuildLines::run).
    pub fn run(&self, table: &Path, out: &Path) -> Result<Summary> {
        self.run_watched(table, out, &mut NoProgress)
    }

    /// As [`BuildPolygons::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`BuildPolygons::run`].
    pub fn run_watched(
        &self,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let mut gathered = Gathered::read(&self.vertices, self.ring.as_deref(), table, out, watch)?;
        let ruler = Ruler::of(gathered.build.crs.as_ref());
        let by_part = self.vertices.part.is_some();
        let mut polygons = Vec::new();
        for group in 0..gathered.groups.len() {
            // Rings of different parts do not hold each other.
            let mut parts: Vec<(usize, Vec<Loop>)> = Vec::new();
            for run in gathered.runs(group) {
                let vertices = gathered.vertices[run].to_vec();
                gathered.examine(&vertices, &ruler);
                let part = if by_part { vertices[0].part } else { 0 };
                let rings = self.rings(&mut gathered, vertices);
                match parts.last_mut().filter(|(last, _)| *last == part) {
                    Some((_, loops)) => loops.extend(rings),
                    None => parts.push((part, rings)),
                }
            }
            let mut column = GeometryColumn::new();
            let mut count = 0;
            for (_, loops) in parts {
                for polygon in self.nest(&mut gathered, loops) {
                    push(&mut column, &polygon);
                    count += 1;
                }
            }
            if count > 0 {
                let kind = match count {
                    1 => GeometryKind::Polygon,
                    _ => GeometryKind::MultiPolygon,
                };
                column.end_feature(Some(kind));
                polygons.push((group, column));
            }
        }
        gathered.write(polygons, out, watch)
    }

    /// The rings of a run of vertices; those that enclose nothing are rejected.
    fn rings(&self, gathered: &mut Gathered, vertices: Vec<Vertex>) -> Vec<Loop> {
        let told = match self.ring {
            Some(_) => told(&gathered.rings.names[vertices[0].ring]),
            None => None,
        };
        let mut rings: Vec<Vec<Vertex>> = vec![Vec::new()];
        let mut closed = false;
        for vertex in vertices {
            if closed && self.ring.is_none() {
                let label = gathered.label(&vertex);
                gathered.findings.remark("a ring comes back to its first vertex and more rows follow: they are taken as the next ring", || {
                    format!("{label} from row {}", vertex.row)
                });
                rings.push(Vec::new());
            }
            closed = false;
            let Some(ring) = rings.last_mut() else { continue };
            let first = ring.first().map(|v| (v.x, v.y));
            let distinct = ring.iter().filter(|v| Some((v.x, v.y)) != first).count();
            if distinct >= 2 && first == Some((vertex.x, vertex.y)) {
                closed = true;
                if self.ring.is_none() {
                    continue;
                }
            }
            ring.push(vertex);
        }
        let mut loops = Vec::new();
        for mut ring in rings {
            let mut places: Vec<(f64, f64)> = ring.iter().map(|v| (v.x, v.y)).collect();
            places.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
            places.dedup();
            if places.len() < 3 {
                let label = gathered.label(&ring[0]);
                gathered.refuse(
                    &ring,
                    &format!("{label}: a ring needs three places, and there are {}", places.len()),
                );
                continue;
            }
            // The closing vertex, and its repetitions.
            while ring.len() > 1 && {
                let (first, last) = (&ring[0], &ring[ring.len() - 1]);
                (first.x, first.y) == (last.x, last.y)
            } {
                ring.pop();
            }
            if self.repair {
                for (kind, vertex) in tidy(&mut ring) {
                    gathered.flaw(kind, &vertex, true);
                }
            }
            loops.push(Loop { vertices: ring, told });
        }
        loops
    }

    /// Polygons of rings: each an outer ring and its holes.
    fn nest(&self, gathered: &mut Gathered, mut loops: Vec<Loop>) -> Vec<Vec<Loop>> {
        if self.repair {
            let mut at = 1;
            while at < loops.len() {
                let (x, y) = coordinates(&loops[at].vertices);
                let twin = loops[..at].iter().any(|other| {
                    let (ox, oy) = coordinates(&other.vertices);
                    same_ring(Ring { x: &ox, y: &oy }, Ring { x: &x, y: &y })
                });
                let flat = flaws_of_polygon(&[Ring { x: &x, y: &y }])
                    .iter()
                    .any(|flaw| flaw.kind == FlawKind::NoArea);
                if !twin && !flat {
                    at += 1;
                    continue;
                }
                let what = match twin {
                    true => "duplicate rings left out",
                    false => "rings that enclose nothing left out",
                };
                let ring = loops.remove(at);
                let label = gathered.label(&ring.vertices[0]);
                let rows = (ring.vertices[0].row, ring.vertices[ring.vertices.len() - 1].row);
                gathered.findings.add(what, || format!("{label}, rows {} to {}", rows.0, rows.1));
            }
        }
        // Larger rings first: a ring can only lie in one before it.
        let mut order: Vec<usize> = (0..loops.len()).collect();
        let areas: Vec<f64> = loops.iter().map(|ring| ring.area().abs()).collect();
        order.sort_by(|a, b| areas[*b].total_cmp(&areas[*a]));
        let holds = |outer: &Loop, inner: &Loop| {
            let (x, y) = coordinates(&outer.vertices);
            inner
                .vertices
                .iter()
                .map(|v| place_in_ring(&x, &y, (v.x, v.y)))
                .find(|place| *place != Placing::Boundary)
                // All on the boundary: the same ring, or one drawn along it.
                .is_none_or(|place| place == Placing::Inside)
        };
        // For each ring, the polygon it begins, or that it is a hole of.
        let mut depth = vec![0; loops.len()];
        let mut owner: Vec<Option<usize>> = vec![None; loops.len()];
        for (place, at) in order.iter().enumerate() {
            let around: Vec<usize> = order[..place]
                .iter()
                .copied()
                .filter(|outer| holds(&loops[*outer], &loops[*at]))
                .collect();
            depth[*at] = around.len();
            let hole = loops[*at].told.unwrap_or(depth[*at] % 2 == 1);
            if hole {
                let outer = |at: &&usize| !loops[**at].told.unwrap_or(depth[**at] % 2 == 1);
                // The smallest around it; a hole by word of mouth that lies outside goes with
                // the largest.
                owner[*at] = around
                    .iter()
                    .rev()
                    .find(outer)
                    .or_else(|| order[..place].iter().find(outer))
                    .copied();
            }
        }
        let mut polygons: Vec<Vec<usize>> = Vec::new();
        for (at, owner) in owner.iter().enumerate() {
            if owner.is_none() {
                polygons.push(vec![at]);
            }
        }
        for (at, owner) in owner.iter().enumerate() {
            if let Some(outer) = *owner
                && let Some(polygon) = polygons.iter_mut().find(|polygon| polygon[0] == outer)
            {
                polygon.push(at);
            }
        }
        let mut rings: Vec<Option<Loop>> = loops.into_iter().map(Some).collect();
        let mut nested: Vec<Vec<Loop>> = Vec::new();
        for polygon in polygons {
            let polygon: Vec<Loop> =
                polygon.into_iter().filter_map(|at| rings[at].take()).collect();
            tell_flaws(gathered, &polygon);
            nested.push(polygon);
        }
        let columns: Vec<Vec<(Vec<f64>, Vec<f64>)>> = nested
            .iter()
            .map(|polygon| polygon.iter().map(|ring| coordinates(&ring.vertices)).collect())
            .collect();
        let parts: Vec<Vec<Ring<'_>>> =
            columns.iter().map(|part| part.iter().map(|(x, y)| Ring { x, y }).collect()).collect();
        for flaw in flaws_between_parts(&parts) {
            gathered.flaw(flaw.kind, &nested[flaw.ring][0].vertices[flaw.vertex], false);
        }
        nested
    }
}

/// Tells what is wrong with a polygon, each flaw with its place.
fn tell_flaws(gathered: &mut Gathered, polygon: &[Loop]) {
    let columns: Vec<(Vec<f64>, Vec<f64>)> =
        polygon.iter().map(|ring| coordinates(&ring.vertices)).collect();
    let rings: Vec<Ring<'_>> = columns.iter().map(|(x, y)| Ring { x, y }).collect();
    for flaw in flaws_of_polygon(&rings) {
        let vertex = &polygon[flaw.ring].vertices[flaw.vertex];
        // Rows stand for places, except where edges cross between them.
        match flaw.kind {
            FlawKind::SelfCrossing | FlawKind::RingsCross => {
                let label = gathered.label(vertex);
                let what = match flaw.kind {
                    FlawKind::SelfCrossing => {
                        "boundaries that cross or touch themselves, kept as they are: is the order of \
                         the vertices right?"
                    }
                    _ => "rings that cross each other, kept as they are",
                };
                gathered.findings.add(what, || {
                    format!(
                        "{label} at {}, {} (the edge from row {})",
                        short(flaw.at.0),
                        short(flaw.at.1),
                        vertex.row
                    )
                });
            }
            kind => gathered.flaw(kind, vertex, false),
        }
    }
}

/// Adds the rings of a polygon, oriented: outer ones counter-clockwise, holes clockwise.
fn push(column: &mut GeometryColumn, polygon: &[Loop]) {
    for (number, ring) in polygon.iter().enumerate() {
        let counter_clockwise = ring.area() >= 0.0;
        let wanted = number == 0;
        let mut order: Vec<usize> = (0..ring.vertices.len()).collect();
        if counter_clockwise != wanted {
            // The first vertex stays the first.
            order[1..].reverse();
        }
        for at in order.iter().chain(order.first()) {
            let v = &ring.vertices[*at];
            column.push_vertex(v.x, v.y, v.z);
        }
        column.end_ring();
    }
    column.end_part();
}

/// What the name of a ring says it is: true for a hole.
fn told(name: &str) -> Option<bool> {
    let name = name.to_ascii_lowercase();
    let begins = |words: &[&str]| words.iter().any(|word| name.starts_with(word));
    if begins(&["hole", "inner", "interior", "island", "void"]) {
        Some(true)
    } else if begins(&["outer", "exterior", "shell", "outside"]) {
        Some(false)
    } else {
        None
    }
}
