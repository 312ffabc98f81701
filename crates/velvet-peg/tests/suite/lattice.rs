//! Polygons and points on a lattice, where whole numbers give the answers exactly.

use proptest::prelude::*;
use std::path::Path;
use velvet_peg::features::{BuildOptions, BuildPolygons, VertexOptions};
use velvet_peg::measure::MeasureOptions;
use velvet_peg::tag::TagPoints;
use velvet_peg::{Crs, Geometry, Layer, LayerReader, Value, measure};

type Ring = Vec<(i64, i64)>;

/// Lattice steps in a metre, and the corner of the lattice.
const STEPS: i64 = 100;
const CORNER: (i64, i64) = (600_000, 5_250_000);

fn metres((x, y): (i64, i64)) -> (f64, f64) {
    let along = |corner: i64, steps: i64| (corner * STEPS + steps) as f64 / STEPS as f64;
    (along(CORNER.0, x), along(CORNER.1, y))
}

/// A star-shaped ring round a middle: radii in steps, in the order of their angles.
fn star(radii: &[i64], middle: (i64, i64), backwards: bool) -> Ring {
    let turn = std::f64::consts::TAU / radii.len() as f64;
    let mut ring: Ring = radii
        .iter()
        .enumerate()
        .map(|(n, radius)| {
            let (sin, cos) = (n as f64 * turn).sin_cos();
            let part = |share: f64| (*radius as f64 * share).round() as i64;
            (middle.0 + part(cos), middle.1 + part(sin))
        })
        .collect();
    if backwards {
        ring.reverse();
    }
    ring
}

/// Twice the area.
fn double_area(ring: &Ring) -> i64 {
    let next = ring.iter().cycle().skip(1);
    ring.iter().zip(next).map(|(a, b)| a.0 * b.1 - b.0 * a.1).sum::<i64>().abs()
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Place {
    Inside,
    Boundary,
    Outside,
}

/// Where a place lies with regard to rings, by their parity, in whole numbers.
fn place(rings: &[Ring], (x, y): (i64, i64)) -> Place {
    let mut inside = false;
    for ring in rings {
        for (a, b) in ring.iter().zip(ring.iter().cycle().skip(1)) {
            let side = (b.0 - a.0) * (y - a.1) - (b.1 - a.1) * (x - a.0);
            let between = |p: i64, q: i64, at: i64| p.min(q) <= at && at <= p.max(q);
            if side == 0 && between(a.0, b.0, x) && between(a.1, b.1, y) {
                return Place::Boundary;
            }
            // An edge that crosses the line to the east.
            if (a.1 > y) != (b.1 > y) && ((side > 0) == (b.1 > a.1)) {
                inside = !inside;
            }
        }
    }
    if inside { Place::Inside } else { Place::Outside }
}

fn radii() -> impl Strategy<Value = Vec<i64>> {
    proptest::collection::vec(40..120i64, 3..12)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]

    #[test]
    fn points_fall_exactly_where_whole_numbers_say(
        shapes in proptest::collection::vec((radii(), -150..150i64, -150..150i64, any::<bool>(), any::<bool>()), 1..8),
        points in proptest::collection::vec((-260..260i64, -260..260i64), 60),
        system in prop_oneof![Just(32610u32), Just(2927)],
    ) {
        let folder = tempfile::tempdir().unwrap();
        let out = folder.path().join("out.gpkg");
        let crs = Crs::from_epsg(system).unwrap();
        let mut polygons = Layer::new("polygons", Some(crs.clone()));
        let mut made: Vec<Vec<Ring>> = Vec::new();
        let mut points = points;
        for (number, (radii, x, y, holed, backwards)) in shapes.iter().enumerate() {
            let mut rings = vec![star(radii, (*x, *y), *backwards)];
            if *holed {
                let half: Vec<i64> = radii.iter().map(|radius| radius / 2).collect();
                rings.push(star(&half, (*x, *y), *backwards));
            }
            // Corners, and middles of edges that are on the lattice.
            for ring in &rings {
                points.extend(ring);
                points.extend(ring.iter().zip(ring.iter().cycle().skip(1)).filter_map(|(a, b)| {
                    let sum = (a.0 + b.0, a.1 + b.1);
                    (sum.0 % 2 == 0 && sum.1 % 2 == 0).then_some((sum.0 / 2, sum.1 / 2))
                }));
            }
            let geometry = rings.iter().map(|ring| ring.iter().copied().map(metres).collect());
            polygons
                .push(Geometry::Polygon(geometry.collect()), [("p", (number as i64).into())])
                .unwrap();
            made.push(rings);
        }
        let mut layer = Layer::new("points", Some(crs));
        for at in &points {
            layer.push(metres(*at), [("a", 1.into())]).unwrap();
        }
        let tag = TagPoints { tolerance_m: Some(1e-6), ..TagPoints::default() };
        let reader = |layer: &Layer| LayerReader::of_layer(layer, Path::new("made"));
        let (_, report) =
            tag.run(reader(&layer), &reader(&polygons), &out).unwrap();
        let (mut boundary, mut several, mut none) = (0, 0, 0);
        for (feature, at) in Layer::read(&out).unwrap().features().zip(&points) {
            let places: Vec<Place> = made.iter().map(|rings| place(rings, *at)).collect();
            boundary += u64::from(places.contains(&Place::Boundary));
            let held = places.iter().filter(|place| **place != Place::Outside).count();
            several += u64::from(held > 1);
            none += u64::from(held == 0);
            let first = places.iter().position(|place| *place != Place::Outside);
            let wanted = first.map_or(Value::Null, |number| Value::Integer(number as i64));
            prop_assert_eq!(feature.value("p").unwrap(), wanted, "{:?}", at);
        }
        prop_assert_eq!((report.on_boundary, report.several.count, report.none.count), (boundary, several, none));
        prop_assert!(boundary > 0);
    }

    #[test]
    fn areas_are_right_to_the_square_centimetre_in_any_order_of_rows(
        shapes in proptest::collection::vec((radii(), any::<bool>(), any::<bool>(), any::<bool>()), 1..6),
        shuffle in any::<u64>(),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let (table, out) = (folder.path().join("t.csv"), folder.path().join("t.gpkg"));
        let mut rows: Vec<String> = Vec::new();
        let mut wanted = Vec::new();
        for (number, (radii, holed, closed, backwards)) in shapes.iter().enumerate() {
            let radii: Vec<i64> = radii.iter().map(|radius| radius * 10).collect();
            let middle = (number as i64 * 5_000, 0);
            let outer = star(&radii, middle, *backwards);
            let mut area = double_area(&outer);
            let mut rings = vec![outer];
            if *holed {
                let half: Vec<i64> = radii.iter().map(|radius| radius / 2).collect();
                rings.push(star(&half, middle, !*backwards));
                area -= double_area(&rings[1]);
            }
            for (ring, corners) in rings.iter().enumerate() {
                let again = closed.then(|| corners[0]);
                for (no, at) in corners.iter().copied().chain(again).enumerate() {
                    let (x, y) = metres(at);
                    rows.push(format!("P{number},{ring},{no},{x},{y}\n"));
                }
            }
            wanted.push((format!("P{number}"), rings.len(), area));
        }
        // Rows in any order: the columns say what belongs together.
        let mut state = shuffle | 1;
        for last in (1..rows.len()).rev() {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            rows.swap(last, (state % (last as u64 + 1)) as usize);
        }
        std::fs::write(&table, format!("parcel,ring,no,x,y\n{}", rows.concat())).unwrap();
        let build =
            BuildOptions { crs: Some(Crs::from_epsg(32610).unwrap()), ..BuildOptions::default() };
        let vertices = VertexOptions {
            group: vec!["parcel".into()],
            order: Some("no".into()),
            build,
            ..VertexOptions::default()
        };
        let job = BuildPolygons { vertices, ring: Some("ring".into()), repair: false };
        let outcome = job.run(&table, &out).unwrap();
        prop_assert_eq!(outcome.vertices, Some(rows.len() as u64));
        prop_assert!(outcome.notices.iter().all(|notice| !notice.text.contains("hole")));
        let reader = LayerReader::open(&out, None).unwrap();
        let measures = measure(&reader, &MeasureOptions::default()).unwrap();
        prop_assert_eq!(measures.features.len(), wanted.len());
        for (name, _, area) in &wanted {
            let found = measures.features.iter().find(|measured| measured.label == *name).unwrap();
            let square = (STEPS * STEPS * 2) as f64;
            prop_assert!((found.grid_area_m2.unwrap() - *area as f64 / square).abs() < 1e-4);
        }
        for feature in Layer::read(&out).unwrap().features() {
            let name = feature.value("parcel").unwrap().to_text();
            let rings = wanted.iter().find(|(other, _, _)| *other == name).unwrap().1;
            let corners = shapes[name[1..].parse::<usize>().unwrap()].0.len();
            prop_assert_eq!(feature.vertices().len(), rings * (corners + 1), "closed, each ring");
        }
    }
}
