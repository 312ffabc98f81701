//! Polygons from the rows of a table: rings, which of them are holes, and what is wrong with
//! them.

use super::gathered_memory::GatheredMemory;
use super::repair::{coordinates, tidy};
use super::vertex_columns::VertexOptions;
use super::vertices::{Gathered, Vertex};
use crate::advice::Advice;
use crate::error::Result;
use crate::geometry::Ruler;
use crate::layer::{GeometryColumn, GeometryKind};
use crate::outcome::Summary;
use crate::plausibility::short;
use crate::progress::{NoProgress, Progress};
use std::collections::HashMap;
use std::path::Path;
use velvet_peg_core::planar::{
    Enclosing, FlawKind, Ring, flaws_between_parts, flaws_of_polygon, ring_area,
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

/// What a vertex takes while its polygon is put together of rings and looked at for flaws, bytes.
const IN_MAKING: usize = 450;

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
        let mut gathered = Gathered::read(
            &self.vertices,
            self.ring.as_deref(),
            GatheredMemory::of::<Vertex>(IN_MAKING),
            table,
            out,
            watch,
        )?;
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
        // Vertices of the last ring that lie elsewhere than its first one.
        let mut elsewhere = 0;
        for vertex in vertices {
            if closed && self.ring.is_none() {
                let label = gathered.label(&vertex);
                gathered.findings.remark("a ring comes back to its first vertex and more rows follow: they are taken as the next ring", || {
                    format!("{label} from row {}", vertex.row)
                });
                rings.push(Vec::new());
                elsewhere = 0;
            }
            closed = false;
            let Some(ring) = rings.last_mut() else { continue };
            let first = ring.first().map_or((vertex.x, vertex.y), |v| (v.x, v.y));
            if first != (vertex.x, vertex.y) {
                elsewhere += 1;
            } else if elsewhere >= 2 {
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
            loops = worth_keeping(gathered, loops);
        }
        let polygons = polygons_of(&loops);
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

/// Rings without those that are the same as an earlier one or enclose nothing; what is left out is told. The first one
/// stays.
fn worth_keeping(gathered: &mut Gathered, loops: Vec<Loop>) -> Vec<Loop> {
    let columns: Vec<_> = loops.iter().map(|ring| coordinates(&ring.vertices)).collect();
    let flat: Vec<Ring<'_>> = columns.iter().map(|(x, y)| Ring { x, y }).collect();
    let mut left_out: HashMap<usize, &str> = HashMap::new();
    for flaw in flaws_of_polygon(&flat).iter().filter(|flaw| flaw.ring > 0) {
        if flaw.kind == FlawKind::DuplicateRing {
            left_out.insert(flaw.ring, "duplicate rings left out");
        } else if flaw.kind == FlawKind::NoArea {
            left_out.entry(flaw.ring).or_insert("rings that enclose nothing left out");
        }
    }
    let mut kept = Vec::new();
    for (at, ring) in loops.into_iter().enumerate() {
        let Some(what) = left_out.get(&at) else {
            kept.push(ring);
            continue;
        };
        let label = gathered.label(&ring.vertices[0]);
        let rows = (ring.vertices[0].row, ring.vertices[ring.vertices.len() - 1].row);
        gathered.findings.add(what, || format!("{label}, rows {} to {}", rows.0, rows.1));
    }
    kept
}

/// The rings of each polygon: an outer one, then its holes.
fn polygons_of(loops: &[Loop]) -> Vec<Vec<usize>> {
    let columns: Vec<_> = loops.iter().map(|ring| coordinates(&ring.vertices)).collect();
    let flat: Vec<Ring<'_>> = columns.iter().map(|(x, y)| Ring { x, y }).collect();
    let enclosing = Enclosing::of(&flat);
    let depths = enclosing.depths();
    let is_hole = |at: usize| loops[at].told.unwrap_or(depths[at] % 2 == 1);
    // A hole belongs to the smallest outer ring around it; one by word of mouth that lies outside of all, to the
    // largest.
    let nearest = enclosing.nearest(&|at| !is_hole(at));
    let areas: Vec<f64> = loops.iter().map(|ring| ring.area().abs()).collect();
    let (holes, outer): (Vec<usize>, Vec<usize>) = (0..loops.len()).partition(|at| is_hole(*at));
    let largest =
        outer.iter().copied().max_by(|a, b| areas[*a].total_cmp(&areas[*b]).then(b.cmp(a)));
    let mut homes: HashMap<usize, usize> = HashMap::new();
    let mut polygons: Vec<Vec<usize>> = Vec::new();
    for at in outer {
        homes.insert(at, polygons.len());
        polygons.push(vec![at]);
    }
    for at in holes {
        let owner = nearest[at].or(largest.filter(|outer| areas[*outer] >= areas[at]));
        match owner.and_then(|owner| homes.get(&owner)) {
            Some(home) => polygons[*home].push(at),
            None => polygons.push(vec![at]),
        }
    }
    polygons
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
                if let Some(name) = gathered.column_of_rings() {
                    let name = name.to_string();
                    gathered.findings.advise(what, Advice::NameRingColumn(name));
                }
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
