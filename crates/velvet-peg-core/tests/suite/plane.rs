//! Geometry in the plane: what lies where, what is wrong with rings, traverses.

use proptest::prelude::*;
use std::collections::HashSet;
use velvet_peg_core::bearing::{parse_bearing, quadrant};
use velvet_peg_core::planar::{
    FlawKind, Mosaic, Placing, Region, Ring, crossings, flaws_between_parts, flaws_of_polygon,
    orientation, place_in_ring, ring_area,
};
use velvet_peg_core::traverse::{Leg, Traverse, Turn};
use velvet_peg_core::{AreaUnit, LengthUnit};

/// `name; ring / ring; kind@x,y kind@x,y`: polygons and every flaw that has to be found.
const FLAWS: &str = include_str!("../data/flaws.txt");

#[test]
fn flaws_of_polygons_are_found_with_their_place_and_no_others() {
    let mut cases = 0;
    for line in FLAWS.lines().filter(|line| !line.starts_with('#') && !line.trim().is_empty()) {
        let parts: Vec<&str> = line.split(';').map(str::trim).collect();
        let rings: Vec<(Vec<f64>, Vec<f64>)> = parts[1]
            .split('/')
            .map(|ring| {
                ring.split(',')
                    .map(|pair| {
                        let (x, y) = pair.trim().split_once(' ').unwrap();
                        (x.parse::<f64>().unwrap(), y.parse::<f64>().unwrap())
                    })
                    .unzip()
            })
            .collect();
        let wanted: Vec<String> = parts[2]
            .split('|')
            .map(|text| text.trim().to_string())
            .filter(|t| !t.is_empty())
            .collect();
        // Far from the origin and in both senses the answer is the same.
        for (shift, reverse) in [(0.0, false), (0.0, true), (1_048_576.0, false)] {
            let moved: Vec<(Vec<f64>, Vec<f64>)> = rings
                .iter()
                .map(|(x, y)| {
                    let mut points: Vec<(f64, f64)> =
                        x.iter().zip(y).map(|(x, y)| (x + shift, y + shift)).collect();
                    if reverse {
                        points.reverse();
                    }
                    points.into_iter().unzip()
                })
                .collect();
            let polygon: Vec<Ring<'_>> = moved.iter().map(|(x, y)| Ring { x, y }).collect();
            let mut found: Vec<String> = flaws_of_polygon(&polygon)
                .iter()
                .map(|f| format!("{} at {} {}", f.kind.name(), f.at.0 - shift, f.at.1 - shift))
                .collect();
            let mut wanted = wanted.clone();
            if reverse {
                // Some flaws are told at the first vertex, which is another one now.
                let kind = |text: &String| text.split(" at ").next().unwrap().to_string();
                found = found.iter().map(kind).collect();
                wanted = wanted.iter().map(kind).collect();
            }
            found.sort();
            wanted.sort();
            assert_eq!(found, wanted, "{} (shift {shift}, reversed {reverse})", parts[0]);
        }
        cases += 1;
    }
    assert!(cases >= 12, "{cases}");
}

#[test]
fn parts_overlap_only_where_they_share_ground() {
    let square = |x: f64, y: f64, size: f64| -> (Vec<f64>, Vec<f64>) {
        (vec![x, x + size, x + size, x], vec![y, y, y + size, y + size])
    };
    // Parts, each an outer ring and its holes; the place that is told, if one is.
    type Part = Vec<(Vec<f64>, Vec<f64>)>;
    type Case = (&'static str, Vec<Part>, Option<(f64, f64)>);
    let cases: Vec<Case> = vec![
        ("apart", vec![vec![square(0.0, 0.0, 4.0)], vec![square(9.0, 0.0, 4.0)]], None),
        ("one corner", vec![vec![square(0.0, 0.0, 4.0)], vec![square(4.0, 4.0, 4.0)]], None),
        (
            "one edge",
            vec![vec![square(0.0, 0.0, 4.0)], vec![square(4.0, 0.0, 4.0)]],
            Some((4.0, 0.0)),
        ),
        (
            "crossing",
            vec![vec![square(0.0, 0.0, 4.0)], vec![square(2.0, 1.0, 4.0)]],
            Some((4.0, 1.0)),
        ),
        (
            "within",
            vec![vec![square(0.0, 0.0, 9.0)], vec![square(3.0, 3.0, 2.0)]],
            Some((3.0, 3.0)),
        ),
        (
            "an island in a hole",
            vec![vec![square(0.0, 0.0, 9.0), square(2.0, 2.0, 5.0)], vec![square(3.0, 3.0, 2.0)]],
            None,
        ),
        (
            "out of a hole",
            vec![
                vec![square(0.0, 0.0, 20.0), square(4.0, 4.0, 8.0)],
                vec![(vec![6.0, 10.0, 13.0, 10.0, 6.0], vec![6.0, 6.0, 7.0, 9.0, 9.0])],
            ],
            Some((6.0, 6.0)),
        ),
    ];
    for (name, parts, wanted) in cases {
        let rings: Vec<Vec<Ring<'_>>> =
            parts.iter().map(|part| part.iter().map(|(x, y)| Ring { x, y }).collect()).collect();
        let found = flaws_between_parts(&rings);
        assert_eq!(found.first().map(|flaw| flaw.at), wanted, "{name}: {found:?}");
        assert!(found.len() < 2, "{name}");
    }
}

/// A closed square, its south-west corner and its side.
fn square_at(x: f64, y: f64, side: f64) -> (Vec<f64>, Vec<f64>) {
    (vec![x, x + side, x + side, x], vec![y, y, y + side, y + side])
}

/// Twenty thousand rings in one shape: each is told once, and what is found does not grow by pairs.
#[test]
fn crowds_of_rings_are_told_apart() {
    const MANY: usize = 20_000;
    let columns = |at: usize| ((at % 150) as f64, (at / 150) as f64);
    let spread = |side: f64| (0..MANY).map(move |at| square_at(columns(at).0, columns(at).1, side));
    let nested = || (0..MANY).map(|at| square_at(at as f64, at as f64, 2.0 * (MANY - at) as f64));
    let around = square_at(-1e5, -1e5, 3e5);
    let kinds = |rings: &[(Vec<f64>, Vec<f64>)]| {
        let rings: Vec<Ring<'_>> = rings.iter().map(|(x, y)| Ring { x, y }).collect();
        let mut told = std::collections::BTreeMap::new();
        for flaw in flaws_of_polygon(&rings) {
            *told.entry(flaw.kind.name()).or_insert(0) += 1;
        }
        told.into_iter().collect::<Vec<_>>()
    };
    let holes = |rings: &mut dyn Iterator<Item = (Vec<f64>, Vec<f64>)>| {
        std::iter::once(around.clone()).chain(rings).collect::<Vec<_>>()
    };
    let same = || std::iter::repeat_n(square_at(0.0, 0.0, 1.0), MANY);
    // A long boundary with holes inside and, shifted by its size, outside of it.
    let corners = (0..MANY).map(|at| (at as f64 / MANY as f64 * std::f64::consts::TAU).sin_cos());
    let circle: (Vec<f64>, Vec<f64>) = corners.map(|(sin, cos)| (1e3 * cos, 1e3 * sin)).unzip();
    let mut round = vec![circle];
    round.extend(spread(0.5).map(|(x, y)| (x.iter().map(|x| x - 75.0).collect(), y)));
    let mut beside = round.clone();
    beside[1..].iter_mut().flat_map(|(x, _)| x).for_each(|x| *x += 3e3);
    for (name, rings, wanted) in [
        ("apart", holes(&mut spread(0.5)), vec![]),
        ("nested", holes(&mut nested()), vec![("hole in another hole", MANY - 1)]),
        ("the same", holes(&mut same()), vec![("duplicate ring", MANY - 1)]),
        ("in a circle", round, vec![]),
        ("beside a circle", beside, vec![("hole outside the outer ring", MANY)]),
    ] {
        assert_eq!(kinds(&rings), wanted, "{name}");
    }
    // One line over and over itself: not every one of a million places.
    let mut state = 1_u64;
    let mut random = || {
        state = state.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        (state >> 40) as f64
    };
    let scribble: (Vec<f64>, Vec<f64>) = (0..3_000).map(|_| (random(), random())).unzip();
    assert_eq!(kinds(&[scribble]), [("crosses or touches itself", 10_000)]);

    let parts = |rings: Vec<Vec<(Vec<f64>, Vec<f64>)>>| {
        let parts: Vec<Vec<Ring<'_>>> =
            rings.iter().map(|part| part.iter().map(|(x, y)| Ring { x, y }).collect()).collect();
        flaws_between_parts(&parts).len()
    };
    let single = |rings: &mut dyn Iterator<Item = (Vec<f64>, Vec<f64>)>| {
        rings.map(|ring| vec![ring]).collect::<Vec<_>>()
    };
    assert_eq!(parts(single(&mut spread(0.5))), 0, "parts that lie apart");
    assert_eq!(parts(single(&mut nested())), MANY - 1, "parts in one another");
    assert_eq!(parts(single(&mut same())), MANY - 1, "parts that are the same");
    let mut islands = vec![holes(&mut spread(0.5))];
    let inner = spread(0.25).map(|(x, y)| {
        let move_by = |values: Vec<f64>| values.iter().map(|value| value + 0.125).collect();
        vec![(move_by(x), move_by(y))]
    });
    islands.extend(inner);
    assert_eq!(parts(islands.clone()), 0, "islands in holes");
    islands[0].truncate(1);
    assert_eq!(parts(islands), MANY, "islands without holes");
}

/// Long edges beside each other in any direction: the flaws are those that all pairs tell, and a hundred
/// thousand edges take a moment.
#[test]
fn combs_in_any_direction_are_told_apart() {
    // Teeth of a comb, turned, and the tips that are drawn out beyond their neighbours.
    let comb = |teeth: usize, turn: f64, wrong: &[usize]| -> (Vec<f64>, Vec<f64>) {
        let mut corners = vec![(-1.0, -1.0), (teeth as f64, -1.0)];
        for tooth in (0..teeth).rev() {
            let at = tooth as f64;
            let tip = at + if wrong.contains(&tooth) { 2.7 } else { 0.6 };
            corners.extend([(at + 0.9, 0.0), (tip, 5e3), (at + 0.4, 5e3), (at, 0.0)]);
        }
        let (sin, cos) = turn.sin_cos();
        corners.into_iter().map(|(x, y)| (x * cos - y * sin, x * sin + y * cos)).unzip()
    };
    // So many that their boxes are more than are looked at, with flaws at both ends and in the middle; of more
    // crossings than are looked for, some.
    for (turn, wrong, all) in [
        (0.5, vec![], true),
        (0.8, vec![17], true),
        (0.8, vec![2_990], true),
        (2.3, vec![0, 1, 2, 300, 1_500, 2_999], true),
        (4.0, (1_400..1_450).collect(), true),
        (0.7, (500..2_500).collect(), false),
    ] {
        let (x, y) = comb(3_000, turn, &wrong);
        let ring: Vec<(f64, f64)> = x.iter().copied().zip(y.iter().copied()).collect();
        let next = |at: usize| (at + 1) % ring.len();
        let segments: Vec<_> = (0..ring.len()).map(|at| (ring[at], ring[next(at)])).collect();
        // Each place once, however many segments meet there.
        let mut places = HashSet::new();
        let wanted: Vec<(usize, (f64, f64))> =
            crossings(&segments, &|a, b| next(a) != b && next(b) != a)
                .into_iter()
                .map(|crossing| (crossing.segments.0, crossing.at))
                .filter(|(_, at)| places.insert((at.0.to_bits(), at.1.to_bits())))
                .collect();
        assert_eq!(wanted.is_empty(), wrong.is_empty(), "{turn}");
        let flaws = flaws_of_polygon(&[Ring { x: &x, y: &y }]);
        assert!(flaws.iter().all(|flaw| flaw.kind == FlawKind::SelfCrossing), "{turn}");
        let found: Vec<(usize, (f64, f64))> =
            flaws.into_iter().map(|flaw| (flaw.vertex, flaw.at)).collect();
        if all {
            assert_eq!(found, wanted, "{turn}");
        } else {
            let is_one =
                |(_, at): &(usize, (f64, f64))| places.contains(&(at.0.to_bits(), at.1.to_bits()));
            assert!(found.len() > 400 && found.iter().all(is_one), "{}", found.len());
        }
    }
    let (x, y) = comb(25_000, 0.7, &[]);
    assert_eq!(flaws_of_polygon(&[Ring { x: &x, y: &y }]), []);
}

#[test]
fn a_region_of_tall_edges_says_what_its_ring_says() {
    // A comb of 6,000 teeth as high as itself: every edge lies in every band.
    let teeth = 6_000;
    let (mut x, mut y) = (vec![0.0, f64::from(teeth)], vec![-1.0, -1.0]);
    for tooth in (0..teeth).rev() {
        x.extend([f64::from(tooth) + 0.9, f64::from(tooth)]);
        y.extend([100.0, 0.0]);
    }
    let region = Region::new([(&x[..], &y[..])]);
    for at in 0..200 {
        let place = (f64::from(at) * 29.7, f64::from(at % 25) * 4.1);
        assert_eq!(region.place(place), place_in_ring(&x, &y, place), "{place:?}");
    }
    assert_eq!(region.edges().count(), x.len());
}

#[test]
fn directions_are_read_and_written() {
    for (text, azimuth) in [
        ("N 45°30'15\" E", 45.0 + 30.0 / 60.0 + 15.0 / 3600.0),
        ("n45-30-15e", 45.0 + 30.0 / 60.0 + 15.0 / 3600.0),
        ("S 0 E", 180.0),
        ("S 90 W", 270.0),
        ("S 12.5 W", 192.5),
        ("North 10° West", 350.0),
        ("Due East", 90.0),
        ("N", 0.0),
        ("360", 0.0),
        ("225-30", 225.5),
        ("0", 0.0),
        ("N 00°00'00\" W", 0.0),
    ] {
        let found = parse_bearing(text).unwrap_or_else(|e| panic!("{text}: {e}"));
        assert!((found - azimuth).abs() < 1e-12, "{text}: {found}");
    }
    for (text, why) in [
        ("N 91 E", "0 to 90"),
        ("N 45 60 00 E", "under 60"),
        ("E 45 N", "begins with N or S"),
        ("N 45", "ends with E or W"),
        ("361", "0 to 360"),
        ("-5", "0 to 360"),
        ("", "blank"),
        ("straight on", "cannot be read"),
    ] {
        let error = parse_bearing(text).unwrap_err().to_string();
        assert!(error.contains(why), "{text}: {error}");
    }
    assert_eq!(quadrant(192.5, 0), "S 12°30′00″ W");
    assert_eq!(quadrant(359.999_999_9, 0), "N 0°00′00″ W");
}

#[test]
fn units_say_which_foot_they_count() {
    for (word, metres) in [
        ("m", 1.0),
        ("km", 1000.0),
        ("ft-intl", 0.3048),
        ("ftUS", 1200.0 / 3937.0),
        ("chUS", 66.0 * 1200.0 / 3937.0),
        ("ch-intl", 20.1168),
        ("linkUS", 0.66 * 1200.0 / 3937.0),
        ("mi-intl", 1609.344),
        ("miUS", 5280.0 * 1200.0 / 3937.0),
        ("yd", 0.9144),
        ("nmi", 1852.0),
        ("Gold Coast foot", 6378300.0 / 20926201.0),
    ] {
        let unit = LengthUnit::named(word).unwrap();
        assert!((unit.metres() / metres - 1.0).abs() < 1e-12, "{word}: {}", unit.metres());
        if word != "Gold Coast foot" {
            assert_eq!(LengthUnit::named(unit.symbol()).unwrap(), unit, "{word}");
        }
    }
    for word in ["ft", "mile", "chains", "link", "cubit"] {
        assert!(LengthUnit::named(word).is_err(), "{word}");
    }
    for unit in AreaUnit::ALL {
        assert_eq!(AreaUnit::named(unit.symbol()).unwrap(), unit);
        assert_eq!(AreaUnit::named(unit.name()).unwrap(), unit);
    }
    assert!(AreaUnit::named("acre").unwrap_err().to_string().contains("acUS"));
    let acre = AreaUnit::UsSurveyAcre.square_metres() / AreaUnit::Acre.square_metres();
    assert!((acre - 1.000_004).abs() < 1e-9, "two acres, 4 parts in a million apart");
}

#[test]
fn curves_of_a_traverse_keep_their_area_and_their_ends() {
    // A stadium: two straights of 300 and two half circles of radius 80, either way round.
    for (turn, first) in [(Turn::Right, 0.0), (Turn::Left, 0.0)] {
        let half = Leg::Curve { radius: 80.0, delta_deg: 180.0, turn, chord_deg: None };
        let legs = [
            Leg::Line { azimuth_deg: first, length: 300.0 },
            half,
            Leg::Line { azimuth_deg: first + 180.0, length: 300.0 },
            half,
        ];
        let traverse = Traverse::run((1e6, 2e6), &legs).unwrap();
        let exact = 300.0 * 160.0 + std::f64::consts::PI * 80.0 * 80.0;
        assert!(traverse.misclosure().length < 1e-9);
        assert!((traverse.area() / exact - 1.0).abs() < 1e-12);
        assert!((traverse.perimeter() - (600.0 + 160.0 * std::f64::consts::PI)).abs() < 1e-9);
        for tolerance in [0.001, 0.01, 0.1] {
            let vertices = traverse.vertices(tolerance);
            let (x, y): (Vec<f64>, Vec<f64>) = vertices.iter().copied().unzip();
            // The chords' area is the curve's, to the last digits.
            assert!((ring_area(&x, &y).abs() / exact - 1.0).abs() < 1e-11, "{tolerance}");
            for (x, y) in &vertices {
                let side = if turn == Turn::Right { 1.0 } else { -1.0 };
                let centre = (1e6 + side * 80.0, if *y > 2e6 + 150.0 { 2e6 + 300.0 } else { 2e6 });
                let beyond = *y > 2e6 + 300.0 + 1e-6 || *y < 2e6 - 1e-6;
                let off = ((x - centre.0).hypot(y - centre.1) - 80.0).abs();
                assert!(!beyond || off <= tolerance, "{off} from the curve, {tolerance} allowed");
            }
        }
    }
    // The reflex segment: three quarters of a circle on a chord, beside a square of its radius.
    let legs = [
        Leg::Line { azimuth_deg: 0.0, length: 10.0 },
        Leg::Curve { radius: 10.0, delta_deg: 270.0, turn: Turn::Left, chord_deg: Some(225.0) },
        Leg::Line { azimuth_deg: 90.0, length: 10.0 },
    ];
    let traverse = Traverse::run((0.0, 0.0), &legs).unwrap();
    assert!(traverse.misclosure().length < 1e-12);
    let exact = 100.0 + 75.0 * std::f64::consts::PI;
    assert!((traverse.area() / exact - 1.0).abs() < 1e-14, "{}", traverse.area());
    for (legs, why) in [
        (vec![Leg::Line { azimuth_deg: 0.0, length: 0.0 }], "leads nowhere"),
        (
            vec![Leg::Curve { radius: 5.0, delta_deg: 9.0, turn: Turn::Left, chord_deg: None }],
            "there is none",
        ),
        (
            vec![Leg::Curve {
                radius: 5.0,
                delta_deg: 400.0,
                turn: Turn::Left,
                chord_deg: Some(1.0),
            }],
            "between 0 and 360",
        ),
        (
            vec![Leg::Curve {
                radius: -5.0,
                delta_deg: 4.0,
                turn: Turn::Left,
                chord_deg: Some(1.0),
            }],
            "radius",
        ),
    ] {
        let error = Traverse::run((0.0, 0.0), &legs).unwrap_err().to_string();
        assert!(error.contains(why) && error.contains("course 1"), "{error}");
    }
}

#[test]
fn the_compass_rule_spreads_a_misclosure_by_length() {
    let side = |azimuth_deg, length| Leg::Line { azimuth_deg, length };
    let legs = [side(0.0, 100.0), side(90.0, 200.0), side(180.0, 100.0), side(270.0, 199.4)];
    let run = Traverse::run((0.0, 0.0), &legs).unwrap();
    let miss = run.misclosure();
    assert!((miss.length - 0.6).abs() < 1e-12 && (miss.azimuth_deg - 90.0).abs() < 1e-9);
    assert!((miss.ratio().unwrap() - 599.4 / 0.6).abs() < 1e-6);
    let adjusted = run.adjusted();
    assert_eq!(adjusted.corners[4], (0.0, 0.0));
    // Each corner moves by the misclosure times its share of the length run.
    for (corner, before, run_so_far) in [(1, (0.0, 100.0), 100.0), (2, (200.0, 100.0), 300.0)] {
        let moved = before.0 - 0.6 * run_so_far / 599.4;
        assert!((adjusted.corners[corner].0 - moved).abs() < 1e-9);
        assert!((adjusted.corners[corner].1 - before.1).abs() < 1e-9);
    }
}

proptest! {
    #[test]
    fn orientation_is_exact_on_lines(
        x in -1e7..1e7f64, y in -1e7..1e7f64, dx in -4096i32..4096, dy in -4096i32..4096, n in 1i32..50,
    ) {
        prop_assume!(dx != 0 || dy != 0);
        // Multiples of a power of two are added without rounding.
        let base = ((x * 64.0).round() / 64.0, (y * 64.0).round() / 64.0);
        let at = |k: i32| (base.0 + f64::from(dx * k) / 64.0, base.1 + f64::from(dy * k) / 64.0);
        prop_assert_eq!(orientation(at(0), at(1), at(n + 1)), 0.0);
        let off = (at(n).0 - f64::from(dy) * 1e-9, at(n).1 + f64::from(dx) * 1e-9);
        if off != at(n) {
            prop_assert!(orientation(at(0), at(1), off) >= 0.0);
        }
        let (a, b, c) = (at(0), (x, y), off);
        prop_assert_eq!(orientation(a, b, c).signum(), -orientation(b, a, c).signum());
    }

    #[test]
    fn neighbours_share_every_place_once(
        edge in proptest::collection::vec((-50i32..50, 0i32..100), 3..30),
        px in -60.0..60f64, py in 0.0..100f64,
    ) {
        // Two polygons left and right of a jagged edge cover a place once, whatever rounding
        // does, and a Region agrees with the plain count.
        let mut edge: Vec<(f64, f64)> =
            edge.iter().map(|(x, y)| (f64::from(*x) / 3.0, f64::from(*y) / 7.0 * 7.0)).collect();
        edge.sort_by(|a, b| a.1.total_cmp(&b.1));
        edge.dedup_by(|a, b| a.1 == b.1);
        prop_assume!(edge.len() >= 2);
        let (low, high) = (edge[0].1, edge[edge.len() - 1].1);
        let side = |x: f64| -> (Vec<f64>, Vec<f64>) {
            edge.iter().copied().chain([(x, high), (x, low)]).unzip()
        };
        let (left, right) = (side(-100.0), side(100.0));
        let at = (px, py);
        let places = [&left, &right].map(|(x, y)| place_in_ring(x, y, at));
        let regions = [&left, &right].map(|(x, y)| Region::new([(&x[..], &y[..])]).place(at));
        prop_assert_eq!(places, regions);
        // Within a tolerance of the boundary counts as on it, and nothing else changes.
        for ((x, y), place) in [&left, &right].into_iter().zip(places) {
            let region = Region::new([(&x[..], &y[..])]);
            let far = region.distance(at);
            let wanted = if far <= 0.5 { Placing::Boundary } else { place };
            prop_assert_eq!(region.place_within(at, 0.5), wanted, "{} away", far);
            prop_assert_eq!(region.place_within(at, 0.0), place);
        }
        if py > low && py < high {
            let inside = places.iter().filter(|p| **p == Placing::Inside).count();
            let on = places.iter().filter(|p| **p == Placing::Boundary).count();
            prop_assert!((inside == 1 && on == 0) || (inside == 0 && on == 2));
        }
    }

    #[test]
    fn the_sweep_finds_what_comparing_all_finds(
        ends in proptest::collection::vec((0i32..20, 0i32..20, 0i32..20, 0i32..20), 1..25),
    ) {
        let segments: Vec<((f64, f64), (f64, f64))> = ends
            .iter()
            .map(|(a, b, c, d)| ((f64::from(*a), f64::from(*b)), (f64::from(*c), f64::from(*d))))
            .collect();
        let found: Vec<(usize, usize)> =
            crossings(&segments, &|_, _| true).iter().map(|c| c.segments).collect();
        let mut slow = Vec::new();
        for i in 0..segments.len() {
            for j in i + 1..segments.len() {
                if !crossings(&[segments[i], segments[j]], &|_, _| true).is_empty() {
                    slow.push((i, j));
                }
            }
        }
        prop_assert_eq!(found, slow);
    }

    #[test]
    fn a_mosaic_says_what_its_regions_say(
        shapes in proptest::collection::vec(
            (-40i32..40, -40i32..40, proptest::collection::vec((-30i32..30, -30i32..30), 3..9)), 1..20,
        ),
        places in proptest::collection::vec((-80i32..80, -80i32..80), 1..60),
        tolerance in prop_oneof![Just(0.0), Just(0.25), Just(3.0)],
    ) {
        // Any rings at all, crossing themselves or flat, on whole numbers so that places fall on
        // edges, corners and the sides of cells.
        let regions: Vec<Region> = shapes
            .iter()
            .map(|(x, y, corners)| {
                let (x, y): (Vec<f64>, Vec<f64>) =
                    corners.iter().map(|(a, b)| (f64::from(x + a), f64::from(y + b))).unzip();
                Region::new([(&x[..], &y[..])])
            })
            .collect();
        let mosaic = Mosaic::new(regions.clone(), tolerance);
        let mut found = Vec::new();
        for (x, y) in places {
            let at = (f64::from(x) / 1.5, f64::from(y) / 2.0);
            let on = mosaic.at(at, &mut found);
            let each: Vec<Placing> =
                regions.iter().map(|region| region.place_within(at, tolerance)).collect();
            let wanted: Vec<u32> =
                (0..each.len()).filter(|n| each[*n] != Placing::Outside).map(|n| n as u32).collect();
            prop_assert_eq!(&found, &wanted, "at {:?}", at);
            prop_assert_eq!(on, each.contains(&Placing::Boundary));
        }
    }
}

/// A case, the ends of two segments, and where they meet.
type Meeting = (&'static str, [f64; 8], Option<(f64, f64)>);

/// Two segments, and where they meet: crossing, touching by an end from every side, along each other,
/// or not at all.
#[test]
fn segments_meet_where_they_do() {
    let cases: [Meeting; 10] = [
        ("crossing", [0., 0., 4., 4., 0., 4., 4., 0.], Some((2., 2.))),
        ("its lower end on the other", [0., 0., 4., 0., 2., 0., 3., 5.], Some((2., 0.))),
        ("its upper end on the other", [0., 0., 4., 0., 2., 0., 3., -5.], Some((2., 0.))),
        ("its left end on the other", [0., 0., 0., 4., 0., 2., 5., 3.], Some((0., 2.))),
        ("its right end on the other", [0., 0., 0., 4., 0., 2., -5., 3.], Some((0., 2.))),
        ("end to end, upwards", [0., 0., 1., 1., 1., 1., 3., 2.], Some((1., 1.))),
        ("end to end, downwards", [0., 0., 1., -1., 1., -1., 3., -2.], Some((1., -1.))),
        ("beside each other", [0., 0., 4., 0., 0., 1., 4., 1.], None),
        ("one behind the other", [0., 0., 1., 0., 2., 0., 3., 0.], None),
        (
            "short of it by the least there is",
            [0., 0., 4., 0., 2., f64::MIN_POSITIVE, 3., 5.],
            None,
        ),
    ];
    for (name, n, expected) in cases {
        let (first, second) = (((n[0], n[1]), (n[2], n[3])), ((n[4], n[5]), (n[6], n[7])));
        for (order, segments) in [("", [first, second]), (" in the other order", [second, first])] {
            let found = crossings(&segments, &|_, _| true);
            assert_eq!(found.first().map(|crossing| crossing.at), expected, "{name}{order}");
            assert!(found.len() < 2 && found.iter().all(|one| !one.overlap), "{name}{order}");
        }
    }
    let along = crossings(&[((0., 0.), (4., 0.)), ((1., 0.), (9., 0.))], &|_, _| true);
    assert!(along.len() == 1 && along[0].overlap, "{along:?}");
}

/// A square with a square hole: edges, distances and the nearest place of the boundary.
#[test]
fn a_region_knows_its_boundary() {
    let (outer_x, outer_y) = ([0., 8., 8., 0.], [0., 0., 8., 8.]);
    let (hole_x, hole_y) = ([3., 3., 5., 5.], [3., 5., 5., 3.]);
    let region = Region::new([(&outer_x[..], &outer_y[..]), (&hole_x[..], &hole_y[..])]);
    let edges: Vec<_> = region.edges().collect();
    assert_eq!(edges.len(), 8, "{edges:?}");
    let length: f64 = edges.iter().map(|(a, b)| (a.0 - b.0).hypot(a.1 - b.1)).sum();
    assert_eq!((length, region.bounds()), (40.0, [0.0, 0.0, 8.0, 8.0]));
    for (at, units, nearest, distance) in [
        ((4.0, -3.0), (1.0, 1.0), (4.0, 0.0), 3.0),
        ((4.0, 4.5), (1.0, 1.0), (4.0, 5.0), 0.5),
        ((11.0, 12.0), (1.0, 1.0), (8.0, 8.0), 5.0),
        ((2.0, 6.5), (1.0, 1.0), (2.0, 8.0), 1.5),
        // Where a step of y is ten times as long as one of x, the side to the west is nearer.
        ((2.0, 6.5), (1.0, 10.0), (0.0, 6.5), 1.5),
        ((8.0, 1.0), (1.0, 1.0), (8.0, 1.0), 0.0),
    ] {
        assert_eq!(region.nearest(at, units), nearest, "{at:?} in units {units:?}");
        assert_eq!(region.distance(at), distance, "{at:?}");
    }
}
