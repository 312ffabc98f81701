//! Features cut where they cross the antimeridian (RFC 7946 section 3.1.9): no part reaches beyond a
//! longitude of 180°, and no edge goes around the Earth.

use crate::layer::{GeometryColumn, GeometryKind};

/// Longitude, latitude, height and measure; the latter two are not numbers where there are none.
type Vertex = [f64; 4];

/// What became of the features of a column.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Cut {
    /// Features that were cut.
    pub(crate) cut: u64,
    /// Features around a pole, which are left as they were.
    pub(crate) around_pole: u64,
    /// Features with a polygon that crosses and has no area, which are left as they were.
    pub(crate) flat: u64,
}

/// Why a feature is not cut.
enum Uncut {
    AroundPole,
    Flat,
}

/// Numbers beyond, degrees, are no longitudes that went on around the Earth: they are left as they are.
const FARTHEST: f64 = 1080.0;

/// Cuts the features of a column of longitudes and latitudes, in degrees; none if none crosses. An
/// edge of more than 180° goes the shorter way.
pub(crate) fn cut(column: &GeometryColumn) -> Option<(GeometryColumn, Cut)> {
    let crosses = |feature: usize| {
        let rings = || column.parts(feature).flat_map(|part| column.rings(part));
        let longitudes = |ring| column.x[column.ring(ring)].iter().all(|x| x.abs() <= FARTHEST);
        let turns = |ring| {
            let range = column.ring(ring);
            let edges = range.clone().zip(range.clone().skip(1));
            column.x[range].iter().any(|x| x.abs() > 180.0)
                || edges.into_iter().any(|(one, two)| is_wide(column.x[two] - column.x[one]))
        };
        rings().all(longitudes) && rings().any(turns)
    };
    let crossing: Vec<bool> = (0..column.len()).map(crosses).collect();
    if !crossing.contains(&true) {
        return None;
    }
    let (mut out, mut told) = (GeometryColumn::new(), Cut::default());
    for (feature, crosses) in crossing.into_iter().enumerate() {
        let Some(kind) = column.kinds()[feature].filter(|_| crosses) else {
            out.push_from(column, feature);
            continue;
        };
        match pieces(column, feature, kind) {
            Ok(parts) => {
                told.cut += u64::from(kind.single() != GeometryKind::Point);
                let multi = parts.len() > 1 || kind.is_multi();
                for rings in parts {
                    for ring in rings {
                        ring.into_iter().for_each(|vertex| out.push_curve_vertex(vertex));
                        out.end_ring();
                    }
                    out.end_part();
                }
                out.end_feature(Some(if multi { kind.multi() } else { kind }));
            }
            Err(why) => {
                match why {
                    Uncut::AroundPole => told.around_pole += 1,
                    Uncut::Flat => told.flat += 1,
                }
                out.push_from(column, feature);
            }
        }
    }
    Some((out, told))
}

/// True for a step that is longer than the way around the other side.
fn is_wide(step: f64) -> bool {
    step.abs() > 180.0 && step.abs() < 360.0
}

/// The parts that a feature is cut into, each with its rings.
fn pieces(
    column: &GeometryColumn,
    feature: usize,
    kind: GeometryKind,
) -> Result<Vec<Vec<Vec<Vertex>>>, Uncut> {
    let mut parts = Vec::new();
    for part in column.parts(feature) {
        let rings: Vec<Vec<Vertex>> =
            column.rings(part).map(|ring| unwrapped(column, column.ring(ring))).collect();
        match kind.single() {
            GeometryKind::Point => {
                let wrapped = |[x, y, z, m]: Vertex| [wrap(x), y, z, m];
                parts.push(vec![rings.into_iter().flatten().map(wrapped).collect()]);
            }
            GeometryKind::LineString => {
                for line in &rings {
                    parts.extend(lines(line).into_iter().map(|line| vec![line]));
                }
            }
            _ => parts.extend(polygons(rings)?),
        }
    }
    Ok(parts)
}

fn wrap(x: f64) -> f64 {
    if x.abs() <= 180.0 { x } else { x - 360.0 * ((x + 180.0) / 360.0).floor() }
}

/// The vertices of a ring or line with longitudes that go on beyond 180° where it does.
fn unwrapped(column: &GeometryColumn, range: std::ops::Range<usize>) -> Vec<Vertex> {
    let value = |values: &[f64], at: usize| values.get(at).copied().unwrap_or(f64::NAN);
    let mut shift = 0.0;
    let mut before: Option<f64> = None;
    range
        .map(|at| {
            let x = column.x[at];
            if let Some(before) = before
                && is_wide(x - before)
            {
                shift += if x > before { -360.0 } else { 360.0 };
            }
            before = Some(x);
            [x + shift, column.y[at], value(&column.z, at), value(&column.m, at)]
        })
        .collect()
}

/// The place where an edge crosses a longitude.
fn crossing(a: Vertex, b: Vertex, x: f64) -> Vertex {
    let share = (x - a[0]) / (b[0] - a[0]);
    let even = |at: usize| a[at] + (b[at] - a[at]) * share;
    [x, even(1), even(2), even(3)]
}

/// The band of 360° that a longitude lies in: 0 from -180° to 180°.
fn band(x: f64) -> f64 {
    if x.abs() <= 180.0 { 0.0 } else { ((x + 180.0) / 360.0).floor() }
}

fn shifted(vertices: Vec<Vertex>, band: f64) -> Vec<Vertex> {
    vertices.into_iter().map(|[x, y, z, m]| [x - 360.0 * band, y, z, m]).collect()
}

/// A line cut at every antimeridian.
fn lines(line: &[Vertex]) -> Vec<Vec<Vertex>> {
    let mut pieces = Vec::new();
    let mut piece: Vec<Vertex> = line.first().copied().into_iter().collect();
    let mut here = line.first().map_or(0.0, |first| band(first[0]));
    for pair in line.windows(2) {
        let (mut from, to) = (pair[0], pair[1]);
        loop {
            let (low, high) = (360.0 * here - 180.0, 360.0 * here + 180.0);
            let (edge, next) = match to[0] {
                x if x > high => (high, here + 1.0),
                x if x < low => (low, here - 1.0),
                _ => break,
            };
            let at = if from[0] == edge { from } else { crossing(from, to, edge) };
            if piece.last().is_none_or(|last| last[..2] != at[..2]) {
                piece.push(at);
            }
            pieces.push(shifted(std::mem::replace(&mut piece, vec![at]), here));
            (from, here) = (at, next);
        }
        piece.push(to);
    }
    pieces.push(shifted(piece, here));
    // A line that only begins or ends on the antimeridian leaves a piece of one place there.
    pieces.retain(|piece| piece.len() > 1 || line.len() < 2);
    pieces
}

/// A polygon cut at every antimeridian.
fn polygons(rings: Vec<Vec<Vertex>>) -> Result<Vec<Vec<Vec<Vertex>>>, Uncut> {
    if rings.first().is_none_or(Vec::is_empty) {
        return Ok(vec![rings]);
    }
    // Holes of no place lie nowhere.
    let (empty, mut rings): (Vec<_>, Vec<_>) = rings.into_iter().partition(Vec::is_empty);
    for ring in &mut rings {
        if (ring[ring.len() - 1][0] - ring[0][0]).abs() > 180.0 {
            return Err(Uncut::AroundPole);
        }
        // Closed while it is worked on: the last is the first.
        if ring[0][..2] != ring[ring.len() - 1][..2] {
            ring.push(ring[0]);
        }
    }
    let middle = |ring: &[Vertex]| {
        let (low, high) = span(ring);
        (low + high) / 2.0
    };
    // Holes lie in the outer ring, however far that goes.
    let (low, high) = span(&rings[0]);
    if high - low > 2.0 * FARTHEST {
        return Err(Uncut::AroundPole);
    }
    // Without an area it has no inside that could be cut.
    let size = area(&rings[0]);
    if size == 0.0 || !size.is_finite() {
        let here = band(low);
        let rings = rings.into_iter().chain(empty).map(|ring| shifted(ring, here));
        return if band(high) == here { Ok(vec![rings.collect()]) } else { Err(Uncut::Flat) };
    }
    let centre = (low + high) / 2.0;
    for ring in rings.iter_mut().skip(1) {
        let turns = ((centre - middle(ring)) / 360.0).round();
        *ring = shifted(std::mem::take(ring), -turns);
        let (ring_low, ring_high) = span(ring);
        let turns = if ring_high > high && ring_low - 360.0 >= low - 1e-9 {
            1.0
        } else if ring_low < low && ring_high + 360.0 <= high + 1e-9 {
            -1.0
        } else {
            0.0
        };
        *ring = shifted(std::mem::take(ring), turns);
    }
    let mut parts = Vec::new();
    let mut rest = oriented(rings);
    let mut here = band(low);
    loop {
        let edge = 360.0 * here + 180.0;
        let (left, right) = split(&rest, edge);
        parts.extend(
            nested(left)
                .into_iter()
                .map(|rings| rings.into_iter().map(|ring| shifted(ring, here)).collect::<Vec<_>>()),
        );
        if right.is_empty() {
            parts.first_mut().ok_or(Uncut::Flat)?.extend(empty);
            return Ok(parts);
        }
        (rest, here) = (right, here + 1.0);
    }
}

fn span(ring: &[Vertex]) -> (f64, f64) {
    ring.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), vertex| {
        (low.min(vertex[0]), high.max(vertex[0]))
    })
}

/// Twice the area of a closed ring, counter-clockwise positive.
fn area(ring: &[Vertex]) -> f64 {
    ring.windows(2).map(|pair| pair[0][0] * pair[1][1] - pair[1][0] * pair[0][1]).sum()
}

/// The outer ring counter-clockwise and the holes clockwise: what is inside lies to the left.
fn oriented(mut rings: Vec<Vec<Vertex>>) -> Vec<Vec<Vertex>> {
    for (at, ring) in rings.iter_mut().enumerate() {
        if (area(ring) > 0.0) != (at == 0) {
            ring.reverse();
        }
    }
    rings
}

/// The rings on either side of a longitude.
fn split(rings: &[Vec<Vertex>], x: f64) -> (Vec<Vec<Vertex>>, Vec<Vec<Vertex>>) {
    (side(rings, x, 1.0), side(rings, x, -1.0))
}

/// The rings on one side of a longitude: `sign` is 1 for the west, which has the longitude itself.
fn side(rings: &[Vec<Vertex>], x: f64, sign: f64) -> Vec<Vec<Vertex>> {
    let inside = |vertex: &Vertex| match sign > 0.0 {
        true => vertex[0] <= x,
        false => vertex[0] > x,
    };
    let mut whole = Vec::new();
    // Pieces of rings from where they come in to where they go out.
    let mut chains: Vec<Vec<Vertex>> = Vec::new();
    for ring in rings {
        // A ring of one place is not closed by another.
        let open = &ring[..ring.len().saturating_sub(1).max(1).min(ring.len())];
        let Some(start) = (0..open.len())
            .find(|at| inside(&open[*at]) && !inside(&open[(*at + open.len() - 1) % open.len()]))
        else {
            if open.iter().all(inside) {
                whole.push(ring.clone());
            }
            continue;
        };
        let mut chain: Option<Vec<Vertex>> = None;
        for step in 0..open.len() {
            let at = (start + step) % open.len();
            let (before, vertex) = (open[(at + open.len() - 1) % open.len()], open[at]);
            match (inside(&before), inside(&vertex)) {
                (false, true) => {
                    let enters = crossing(before, vertex, x);
                    chain = Some(if enters[..2] == vertex[..2] {
                        vec![vertex]
                    } else {
                        vec![enters, vertex]
                    });
                }
                (true, true) => chain.iter_mut().for_each(|chain| chain.push(vertex)),
                (true, false) => {
                    if let Some(mut done) = chain.take() {
                        let leaves = crossing(before, vertex, x);
                        if leaves[..2] != before[..2] {
                            done.push(leaves);
                        }
                        chains.push(done);
                    }
                }
                (false, false) => {}
            }
        }
    }
    whole.extend(joined(chains));
    whole
}

/// Chains whose ends lie on a longitude, joined along it: from where one goes out to where the next
/// one comes in, of which what is between lies inside.
fn joined(chains: Vec<Vec<Vertex>>) -> Vec<Vec<Vertex>> {
    // Latitudes of the ends in order: between an odd one and the next, the longitude is inside.
    let mut ends: Vec<(f64, usize, bool)> = Vec::new();
    for (at, chain) in chains.iter().enumerate() {
        ends.push((chain[0][1], at, true));
        ends.push((chain[chain.len() - 1][1], at, false));
    }
    ends.sort_by(|one, two| one.0.total_cmp(&two.0));
    let mut partner = vec![None; chains.len()];
    for pair in ends.chunks_exact(2) {
        let (one, two) = (pair[0], pair[1]);
        match (one.2, two.2) {
            (true, false) => partner[two.1] = Some(one.1),
            (false, true) => partner[one.1] = Some(two.1),
            // Touching ends of one latitude; each goes on with itself.
            _ => {}
        }
    }
    let mut used = vec![false; chains.len()];
    let mut rings = Vec::new();
    for first in 0..chains.len() {
        if used[first] {
            continue;
        }
        let (mut ring, mut at) = (Vec::new(), first);
        while !used[at] {
            used[at] = true;
            ring.extend(chains[at].iter().copied());
            at = partner[at].unwrap_or(at);
        }
        ring.push(ring[0]);
        // A ring that only touches the longitude leaves nothing on the other side.
        if ring.len() > 3 && area(&ring) != 0.0 {
            rings.push(ring);
        }
    }
    rings
}

/// Rings as polygons: counter-clockwise ones, with the clockwise ones that lie in them.
fn nested(rings: Vec<Vec<Vertex>>) -> Vec<Vec<Vec<Vertex>>> {
    let (outer, holes): (Vec<_>, Vec<_>) = rings.into_iter().partition(|ring| area(ring) > 0.0);
    let mut polygons: Vec<Vec<Vec<Vertex>>> = outer.into_iter().map(|ring| vec![ring]).collect();
    for hole in holes {
        let place = polygons
            .iter()
            .position(|rings| hole.iter().all(|vertex| holds(&rings[0], vertex)))
            .unwrap_or(0);
        if let Some(rings) = polygons.get_mut(place) {
            rings.push(hole);
        }
    }
    polygons
}

/// True for a place in a ring or on its edge, by the number of edges to its east.
fn holds(ring: &[Vertex], place: &Vertex) -> bool {
    let mut inside = false;
    for pair in ring.windows(2) {
        let ([ax, ay, ..], [bx, by, ..]) = (pair[0], pair[1]);
        if [ax, ay] == place[..2] {
            return true;
        }
        if (ay > place[1]) != (by > place[1])
            && place[0] < ax + (place[1] - ay) / (by - ay) * (bx - ax)
        {
            inside = !inside;
        }
    }
    inside
}
