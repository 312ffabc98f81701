//! Which ring lies in which.

use proptest::prelude::*;
use velvet_peg_core::planar::{
    Enclosing, FlawKind, Placing, Ring, crossings, distance_to_segment, flaws_between_parts,
    flaws_of_polygon, place_in_ring, ring_area,
};

type Vertices = (Vec<f64>, Vec<f64>);

/// `name; ring / ring; parent parent`.
const NESTS: &str = include_str!("../data/nests.txt");

fn rings_of(rings: &[Vertices]) -> Vec<Ring<'_>> {
    rings.iter().map(|(x, y)| Ring { x, y }).collect()
}

fn enclosing(rings: &[Vertices]) -> Vec<Option<usize>> {
    Enclosing::of(&rings_of(rings)).around().to_vec()
}

/// The same rings seen from all sides, in a mirror, run the other way and begun elsewhere.
fn views(rings: &[Vertices]) -> Vec<(String, Vec<Vertices>)> {
    let mut views = Vec::new();
    for (turn, mirror, begin) in (0..4)
        .flat_map(|turn| [1.0, -1.0].map(|mirror| (turn, mirror)))
        .flat_map(|(turn, mirror)| [0_usize, 1].map(|begin| (turn, mirror, begin)))
    {
        let seen = rings.iter().map(|(x, y)| {
            let mut places: Vec<(f64, f64)> = x.iter().copied().zip(y.iter().copied()).collect();
            if begin == 1 {
                let by = 2.min(places.len() - 1);
                places.rotate_left(by);
                places.reverse();
            }
            let turned = places
                .into_iter()
                .map(|(x, y)| (0..turn).fold((x * mirror, y), |(x, y), _| (-y, x)));
            turned.unzip()
        });
        views.push((format!("turn {turn}, mirror {mirror}, turned round {begin}"), seen.collect()));
    }
    views
}

#[test]
fn rings_lie_in_the_smallest_that_holds_them() {
    let mut cases = 0;
    for line in NESTS.lines().filter(|line| !line.starts_with('#')) {
        let [name, rings, parents] = line.split(';').map(str::trim).collect::<Vec<_>>()[..] else {
            panic!("{line}");
        };
        let pair = |pair: &str| {
            let (x, y) = pair.trim().split_once(' ').unwrap();
            (x.parse::<f64>().unwrap(), y.parse::<f64>().unwrap())
        };
        let rings: Vec<Vertices> =
            rings.split('/').map(|ring| ring.split(',').map(pair).unzip()).collect();
        let wanted: Vec<Option<usize>> =
            parents.split(' ').map(|parent| parent.parse().ok()).collect();
        for (view, rings) in views(&rings) {
            assert_eq!(enclosing(&rings), wanted, "{name}, {view}");
        }
        cases += 1;
    }
    assert!(cases >= 30, "{cases}");
}

/// By comparing all with all: the smallest ring that holds more vertices of a ring than it does not hold. None where
/// vertices do not tell.
fn compared(rings: &[Vertices]) -> Vec<Option<Option<usize>>> {
    let size = |(x, y): &Vertices| {
        let wide = |values: &[f64]| {
            let least = values.iter().copied().fold(f64::INFINITY, f64::min);
            values.iter().copied().fold(f64::NEG_INFINITY, f64::max) - least
        };
        (wide(x) + wide(y), ring_area(x, y).abs())
    };
    let sizes: Vec<(f64, f64)> = rings.iter().map(size).collect();
    let before = |a: usize, b: usize| sizes[a] > sizes[b] || (sizes[a] == sizes[b] && a < b);
    (0..rings.len())
        .map(|ring| {
            let mut smallest: Option<usize> = None;
            for other in (0..rings.len()).filter(|other| before(*other, ring)) {
                let (x, y) = &rings[other];
                let count = |wanted| {
                    let places = rings[ring].0.iter().zip(&rings[ring].1);
                    places.filter(|(px, py)| place_in_ring(x, y, (**px, **py)) == wanted).count()
                };
                let (inside, outside) = (count(Placing::Inside), count(Placing::Outside));
                if inside + outside == 0 {
                    return None;
                }
                if inside > outside && smallest.is_none_or(|known| before(known, other)) {
                    smallest = Some(other);
                }
            }
            Some(smallest)
        })
        .collect()
}

/// Rings of three to five corners on a small lattice, without flaws: they cross, touch, share corners and edges in every
/// way. None has a closing vertex, which would count twice.
fn lattice_rings(side: i32, most: usize) -> impl Strategy<Value = Vec<Vertices>> {
    let ring = proptest::collection::vec((0..side, 0..side), 3..6);
    proptest::collection::vec(ring, 1..most).prop_map(|rings| {
        let rings = rings.iter().map(|ring| -> Vertices {
            ring.iter().map(|(x, y)| (f64::from(*x), f64::from(*y))).unzip()
        });
        rings
            .filter(|(x, y)| (x[0], y[0]) != (x[x.len() - 1], y[y.len() - 1]))
            .filter(|(x, y)| flaws_of_polygon(&[Ring { x, y }]).is_empty())
            .collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 4_000, ..ProptestConfig::default() })]

    #[test]
    fn the_sweep_says_what_comparing_all_says(rings in lattice_rings(14, 9)) {
        let wanted = compared(&rings);
        for (ring, (found, wanted)) in enclosing(&rings).iter().zip(&wanted).enumerate() {
            if let Some(wanted) = wanted {
                prop_assert_eq!(found, wanted, "ring {} of {:?}", ring, rings);
            }
        }
    }
}

/// True if a ring passes to the other side of another, or runs along it: by the middles of the pieces that the other
/// cuts its edges into.
fn cross(a: &Vertices, b: &Vertices) -> bool {
    let edges = |(x, y): &Vertices| -> Vec<((f64, f64), (f64, f64))> {
        let n = x.len();
        (0..n).map(|at| ((x[at], y[at]), (x[(at + 1) % n], y[(at + 1) % n]))).collect()
    };
    let others = edges(b);
    let (mut inside, mut outside) = (false, false);
    for (from, to) in edges(a) {
        let share = |at: (f64, f64)| {
            let (dx, dy) = (to.0 - from.0, to.1 - from.1);
            ((at.0 - from.0) * dx + (at.1 - from.1) * dy) / (dx * dx + dy * dy)
        };
        let mut cuts = vec![0.0, 1.0];
        for other in &others {
            let met = crossings(&[(from, to), *other], &|_, _| true);
            cuts.extend(met.iter().map(|crossing| share(crossing.at)));
            cuts.extend(
                [share(other.0), share(other.1)].into_iter().filter(|s| (0.0..1.0).contains(s)),
            );
        }
        cuts.sort_by(f64::total_cmp);
        for pair in cuts.windows(2).filter(|pair| pair[1] - pair[0] > 1e-9) {
            let middle = (pair[0] + pair[1]) / 2.0;
            let at = (from.0 + middle * (to.0 - from.0), from.1 + middle * (to.1 - from.1));
            if others.iter().any(|(p, q)| distance_to_segment(at, *p, *q) < 1e-9) {
                return true;
            }
            match place_in_ring(&b.0, &b.1, at) {
                Placing::Inside => inside = true,
                _ => outside = true,
            }
        }
    }
    inside && outside
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 3_000, ..ProptestConfig::default() })]

    /// Each ring that crosses an earlier one is told, and no other: rings that touch, with common vertices or not, are
    /// none.
    #[test]
    fn rings_that_cross_are_told_and_no_others(rings in lattice_rings(9, 5)) {
        let flaws = flaws_of_polygon(&rings_of(&rings));
        let told = |ring: usize, kind| {
            flaws.iter().any(|flaw| flaw.ring == ring && flaw.kind == kind)
        };
        for ring in (0..rings.len()).filter(|ring| !told(*ring, FlawKind::DuplicateRing)) {
            let wanted = (0..ring).any(|other| cross(&rings[ring], &rings[other]));
            prop_assert_eq!(told(ring, FlawKind::RingsCross), wanted, "ring {} of {:?}", ring, rings);
        }
    }
}

/// Long thin rings aslant beside each other, all boxes of which overlap, with a small one in some of them.
#[test]
fn crowds_of_thin_rings_are_told_apart() {
    const MANY: usize = 8_000;
    let turned = |turn: f64, places: &[(f64, f64)]| -> Vertices {
        let (sin, cos) = turn.sin_cos();
        places.iter().map(|(x, y)| (x * cos - y * sin, x * sin + y * cos)).unzip()
    };
    let bar = |at: usize| {
        // Of different lengths: the boxes of some lie in those of others.
        let (x, length) = (at as f64, 4e4 + (at * 7_919 % MANY) as f64);
        [(x, -length), (x + 0.8, -length), (x + 0.8, length), (x, length)]
    };
    let wrong: [usize; 4] = [0, 1, 3_000, MANY - 1];
    for turn in [0.0, 0.8, 2.2] {
        let around = [(-1e6, -1e6), (1e6, -1e6), (1e6, 1e6), (-1e6, 1e6)];
        let mut rings = vec![turned(turn, &around)];
        rings.extend((0..MANY).map(|at| turned(turn, &bar(at))));
        rings.extend(wrong.map(|at| {
            let x = at as f64 + 0.2;
            turned(turn, &[(x, 5.0), (x + 0.4, 5.0), (x + 0.4, 9.0), (x, 9.0)])
        }));
        let holes = flaws_of_polygon(&rings_of(&rings));
        let told: Vec<(FlawKind, usize)> =
            holes.iter().map(|flaw| (flaw.kind, flaw.ring)).collect();
        let wanted: Vec<(FlawKind, usize)> =
            (MANY + 1..=MANY + 4).map(|ring| (FlawKind::HoleInHole, ring)).collect();
        assert_eq!(told, wanted, "holes, {turn}");

        // As parts: each of the small ones lies on one of the others; in a hole of it, it does not.
        let single = rings_of(&rings[1..]).into_iter().map(|ring| vec![ring]);
        let mut parts: Vec<Vec<Ring<'_>>> = single.collect();
        let told: Vec<usize> = flaws_between_parts(&parts).iter().map(|flaw| flaw.ring).collect();
        assert_eq!(told, [MANY, MANY + 1, MANY + 2, MANY + 3], "parts, {turn}");
        let x = wrong[2] as f64 + 0.1;
        let hole = turned(turn, &[(x, 4.0), (x + 0.6, 4.0), (x + 0.6, 10.0), (x, 10.0)]);
        parts[wrong[2]].push(Ring { x: &hole.0, y: &hole.1 });
        let told: Vec<usize> = flaws_between_parts(&parts).iter().map(|flaw| flaw.ring).collect();
        assert_eq!(told, [MANY, MANY + 1, MANY + 3], "parts and a hole, {turn}");
    }
}

/// Rings in one another, each a hole or a part in a hole, and crowds that cross: all ends.
#[test]
fn deep_nests_and_crowds_that_cross_end() {
    const DEEP: usize = 20_000;
    let square = |half: f64| -> Vertices {
        (vec![-half, half, half, -half], vec![-half, -half, half, half])
    };
    // From the outside: a part, its hole, a part in that, and so on.
    let rings: Vec<Vertices> = (0..DEEP).map(|at| square((DEEP - at) as f64)).collect();
    let wanted: Vec<Option<usize>> = (0..DEEP).map(|at| at.checked_sub(1)).collect();
    assert_eq!(enclosing(&rings), wanted);
    let parts: Vec<Vec<Ring<'_>>> = rings_of(&rings).chunks(2).map(|part| part.to_vec()).collect();
    assert_eq!(flaws_between_parts(&parts), []);
    // One hole is missing: all that lies in its part lies on it.
    let mut without = parts.clone();
    without[DEEP / 4].truncate(1);
    let told: Vec<usize> = flaws_between_parts(&without).iter().map(|flaw| flaw.ring).collect();
    assert_eq!(told, (DEEP / 4 + 1..DEEP / 2).collect::<Vec<_>>());

    // A fan of triangles that all cross, in a ring that crosses itself.
    let fan: Vec<Vertices> = (0..4_000)
        .map(|at| {
            let turn = f64::from(at) * 1e-3;
            let end = |turn: f64| (1e3 * turn.cos(), 1e3 * turn.sin());
            let ends = [(0.0, 0.0), end(turn), end(turn + 1.0)];
            ends.into_iter().unzip()
        })
        .collect();
    let tie = (vec![-2e3, 2e3, 2e3, -2e3], vec![-2e3, 2e3, -2e3, 2e3]);
    let crossing: Vec<Vertices> = std::iter::once(tie).chain(fan).collect();
    let flaws = flaws_of_polygon(&rings_of(&crossing));
    let count = |kind| flaws.iter().filter(|flaw| flaw.kind == kind).count();
    assert_eq!(count(FlawKind::SelfCrossing), 1);
    assert!(count(FlawKind::RingsCross) > 1_000, "{}", count(FlawKind::RingsCross));
}
