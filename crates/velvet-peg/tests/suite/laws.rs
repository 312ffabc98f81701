//! Laws that hold for any data: nothing is lost on the way through lines, courses, joins and
//! tags, and figures that are reckoned in two ways agree.

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::path::Path;
use velvet_peg::features::{BuildCourses, BuildLines, BuildPolygons, VertexOptions};
use velvet_peg::join::JoinTable;
use velvet_peg::planar::{Placing, place_in_ring, ring_area};
use velvet_peg::tag::TagPoints;
use velvet_peg::{Crs, Geometry, Layer, LayerReader, Selection, Value, WriteOptions, bearing};

fn again() -> WriteOptions {
    WriteOptions { overwrite: true, ..WriteOptions::default() }
}

fn reader(layer: &Layer) -> LayerReader {
    LayerReader::of_layer(layer, Path::new("made"))
}

/// A star-shaped ring: corners at growing angles round a middle.
fn star(corners: &[(f64, f64)], middle: (f64, f64)) -> Vec<(f64, f64)> {
    let step = std::f64::consts::TAU / corners.len() as f64;
    corners
        .iter()
        .enumerate()
        .map(|(n, (radius, turn))| {
            let angle = (n as f64 + 0.8 * turn) * step;
            (middle.0 + radius * angle.cos(), middle.1 + radius * angle.sin())
        })
        .collect()
}

fn corners() -> impl Strategy<Value = Vec<(f64, f64)>> {
    proptest::collection::vec((20.0..100.0f64, 0.0..1.0f64), 5..14)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn every_row_is_a_vertex_or_a_reject(
        rows in proptest::collection::vec((0..4u8, 0..30i32, 0..6u8), 1..60),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        // One in six has no coordinates; some groups have a single vertex.
        let mut text = String::from("g,no,x,y\n");
        let mut wanted: BTreeMap<u8, Vec<(i32, usize)>> = BTreeMap::new();
        for (number, (group, no, bad)) in rows.iter().enumerate() {
            let x = if *bad == 0 { "?".to_string() } else { (600_000 + number).to_string() };
            text.push_str(&format!("G{group},{no},{x},5250000\n"));
            if *bad != 0 {
                wanted.entry(*group).or_default().push((*no, number));
            }
        }
        std::fs::write(at("t.csv"), text).unwrap();
        let vertices = VertexOptions {
            group: vec!["g".into()],
            order: Some("no".into()),
            ..VertexOptions::default()
        };
        let lines = BuildLines { vertices, repair: false };
        let result = lines.run(&at("t.csv"), &at("t.gpkg"));
        wanted.retain(|_, vertices| vertices.len() > 1);
        if wanted.is_empty() {
            prop_assert!(result.is_err() && !at("t.gpkg").exists());
            return Ok(());
        }
        let outcome = result.unwrap();
        prop_assert_eq!(outcome.rows_in, rows.len() as u64);
        prop_assert_eq!(outcome.vertices.unwrap() + outcome.rejected.count, outcome.rows_in);
        let used: usize = wanted.values().map(Vec::len).sum();
        prop_assert_eq!(outcome.vertices.unwrap(), used as u64);
        // By number, and by row where numbers are the same.
        for feature in Layer::read(at("t.gpkg")).unwrap().features() {
            let name = feature.value("g").unwrap().to_text();
            let mut order = wanted[&name[1..].parse().unwrap()].clone();
            order.sort();
            let x: Vec<f64> = order.iter().map(|(_, row)| 600_000.0 + *row as f64).collect();
            let found: Vec<f64> = feature.vertices().iter().map(|(x, _)| *x).collect();
            prop_assert_eq!(found, x);
        }
    }

    #[test]
    fn rings_come_out_with_their_area_in_the_right_sense(ring in corners(), backwards: bool) {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let mut ring = star(&ring, (600_000.0, 5_250_000.0));
        let (x, y): (Vec<f64>, Vec<f64>) = ring.iter().copied().unzip();
        let area = ring_area(&x, &y);
        if backwards {
            ring.reverse();
        }
        let rows: String = ring.iter().map(|(x, y)| format!("{x},{y}\n")).collect();
        std::fs::write(at("r.csv"), format!("x,y\n{rows}")).unwrap();
        BuildPolygons::default().run(&at("r.csv"), &at("r.gpkg")).unwrap();
        let layer = Layer::read(at("r.gpkg")).unwrap();
        let (x, y): (Vec<f64>, Vec<f64>) =
            layer.features().next().unwrap().vertices().into_iter().unzip();
        // Counter-clockwise, whatever it was.
        prop_assert!((ring_area(&x, &y) / area - 1.0).abs() < 1e-12);
    }

    #[test]
    fn a_deed_written_from_a_parcel_gives_the_parcel(ring in corners()) {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let ring = star(&ring, (1_000.0, 2_000.0));
        let mut text = String::from("bearing,distance\n");
        for n in 0..ring.len() {
            let (a, b) = (ring[n], ring[(n + 1) % ring.len()]);
            let (dx, dy) = (b.0 - a.0, b.1 - a.1);
            let azimuth = dx.atan2(dy).to_degrees();
            text.push_str(&format!(
                "\"{}\",{:.6}\n",
                bearing::quadrant(azimuth, 4).replace('″', "\"\""),
                dx.hypot(dy)
            ));
        }
        std::fs::write(at("d.csv"), text).unwrap();
        let courses = BuildCourses { start: Some(ring[0]), ..BuildCourses::default() };
        let (_, closures) = courses.run(&at("d.csv"), &at("d.gpkg")).unwrap();
        let (x, y): (Vec<f64>, Vec<f64>) = ring.iter().copied().unzip();
        // Half a micrometre and half a ten-thousandth of a second a course leave no more, nor
        // they times the half of the perimeter.
        prop_assert!(closures[0].misclosure.length < 1e-5);
        prop_assert!((closures[0].area - ring_area(&x, &y)).abs() < 5e-3);
        for (leg, corner) in closures[0].legs.iter().zip(&ring[1..]) {
            prop_assert!((leg.end.0 - corner.0).hypot(leg.end.1 - corner.1) < 1e-5);
        }
    }

    #[test]
    fn points_fall_where_each_polygon_says(
        rings in proptest::collection::vec((corners(), 0.0..400.0f64, 0.0..400.0f64), 1..12),
        points in proptest::collection::vec((-50.0..450.0f64, -50.0..450.0f64), 1..80),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let out = folder.path().join("out.gpkg");
        let mut polygons = Layer::new("polygons", None);
        let mut made: Vec<Vec<(f64, f64)>> = Vec::new();
        for (number, (ring, x, y)) in rings.iter().enumerate() {
            let ring = star(ring, (*x, *y));
            polygons
                .push(Geometry::polygon(ring.clone()), [("p", (number as i64).into())])
                .unwrap();
            made.push(ring);
        }
        let mut layer = Layer::new("points", None);
        for at in &points {
            layer.push(*at, [("a", 1.into())]).unwrap();
        }
        let tag = TagPoints { tolerance_m: Some(0.0), write: again(), ..TagPoints::default() };
        let (outcome, report) =
            tag.run(reader(&layer), &reader(&polygons), &out).unwrap();
        prop_assert_eq!(outcome.out, points.len() as u64);
        prop_assert_eq!(report.inside + report.several.count + report.none.count, points.len() as u64);
        let (mut several, mut none) = (0, 0);
        for (feature, at) in Layer::read(&out).unwrap().features().zip(&points) {
            let inside: Vec<i64> = made
                .iter()
                .enumerate()
                .filter(|(_, ring)| {
                    let (x, y): (Vec<f64>, Vec<f64>) = ring.iter().copied().unzip();
                    place_in_ring(&x, &y, *at) != Placing::Outside
                })
                .map(|(number, _)| number as i64)
                .collect();
            several += u64::from(inside.len() > 1);
            none += u64::from(inside.is_empty());
            let first = inside.first().map_or(Value::Null, |number| Value::Integer(*number));
            prop_assert_eq!(feature.value("p").unwrap(), first);
        }
        prop_assert_eq!((report.several.count, report.none.count), (several, none));
    }

    #[test]
    fn joins_count_what_they_should(
        left in proptest::collection::vec(0..12i64, 1..30),
        right in proptest::collection::vec(0..12i64, 1..30),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let mut layer = Layer::new("left", None);
        for key in &left {
            layer.push((1.0, 2.0), [("k", (*key).into())]).unwrap();
        }
        let rows: String = right.iter().enumerate().map(|(n, key)| format!("{key},{n}\n")).collect();
        std::fs::write(at("t.csv"), format!("k,n\n{rows}")).unwrap();
        let times = |key: &i64| right.iter().filter(|other| *other == key).count() as u64;
        let join = JoinTable { key: "k".into(), many: true, write: again(), ..JoinTable::default() };
        let report = join.report(&reader(&layer), &at("t.csv")).unwrap();
        let met = left.iter().filter(|key| times(key) > 0).count() as u64;
        prop_assert_eq!(report.features_met, met);
        let other = right.iter().filter(|key| left.contains(key)).count() as u64;
        prop_assert_eq!(report.rows_met, other);
        let run = join.run(reader(&layer), &at("t.csv"), &at("o.gpkg"));
        if met == 0 {
            prop_assert!(run.is_err());
            return Ok(());
        }
        let (outcome, _) = run.unwrap();
        prop_assert_eq!(outcome.out, left.iter().map(|key| times(key).max(1)).sum::<u64>());
        // Only where every key is there once is a plain join allowed.
        let plain = JoinTable { many: false, ..join };
        let allowed = left.iter().all(|key| times(key) <= 1);
        let run = plain.run(reader(&layer), &at("t.csv"), &at("o.gpkg"));
        prop_assert_eq!(run.is_ok(), allowed);
        if let Ok((outcome, _)) = run {
            prop_assert_eq!(outcome.out, left.len() as u64);
        }
    }

    #[test]
    fn sql_and_measures_agree_on_the_grid(ring in corners()) {
        let folder = tempfile::tempdir().unwrap();
        let out = folder.path().join("out.gpkg");
        let mut layer = Layer::new("fields", Some(Crs::from_epsg(2285).unwrap()));
        let ring = star(&ring, (1.84e6, 155_000.0));
        layer.push(Geometry::polygon(ring), [("f", "F-1".into())]).unwrap();
        let select = Selection {
            set: vec![
                "sql = Plane_Area(geometry)".into(),
                "edge = Plane_Perimeter(geometry)".into(),
                "ground = ST_Area(geometry)".into(),
                "around = ST_Perimeter(geometry)".into(),
            ],
            ..Selection::default()
        };
        let convert = velvet_peg::ConvertLayer { select, ..Default::default() };
        convert.run(&reader(&layer), &out).unwrap();
        let written = Layer::read(&out).unwrap();
        let measures = velvet_peg::measure(
            &reader(&written), &velvet_peg::measure::MeasureOptions::default()).unwrap();
        let real = |name: &str| match written.features().next().unwrap().value(name) {
            Some(Value::Real(value)) => value,
            other => panic!("{other:?}"),
        };
        let foot = 1200.0 / 3937.0;
        let found = &measures.features[0];
        let (area, edge) = (found.grid_area_m2.unwrap(), found.grid_length_m.unwrap());
        prop_assert!((real("sql") * foot * foot / area - 1.0).abs() < 1e-12);
        prop_assert!((real("edge") * foot / edge - 1.0).abs() < 1e-12);
        prop_assert!((real("ground") / found.area_m2 - 1.0).abs() < 1e-12);
        prop_assert!((real("around") / found.length_m - 1.0).abs() < 1e-12);
        // The scale factor explains what the grid makes of the ellipsoid's figures.
        let scale = found.scale_factor.unwrap();
        // It is the boundary's mean, and changes by a ten-millionth across the field.
        prop_assert!((area / found.area_m2 - scale * scale).abs() < 1e-7);
        prop_assert!((edge / found.length_m - scale).abs() < 1e-8);
    }
}
