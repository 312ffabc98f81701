//! Lines and polygons, built from tables with known answers.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use velvet_peg::features::{BuildLines, BuildOptions, BuildPolygons, VertexOptions};
use velvet_peg::measure::MeasureOptions;
use velvet_peg::{
    Advice, Crs, Geometry, Layer, LayerReader, Summary, Value, WriteOptions, measure,
};

fn data(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/build").join(name)
}

fn vertices(by: &str) -> VertexOptions {
    let build =
        BuildOptions { crs: Some(Crs::from_epsg(32610).unwrap()), ..BuildOptions::default() };
    VertexOptions { group: vec![by.to_string()], build, ..VertexOptions::default() }
}

fn texts(outcome: &Summary) -> String {
    outcome.notices.iter().map(|notice| notice.text.clone()).collect::<Vec<_>>().join("\n")
}

/// The features of a file as well-known text, by their first attribute.
fn written(path: &Path) -> Vec<(String, String)> {
    let mut found = Vec::new();
    LayerReader::open(path, None)
        .unwrap()
        .for_each_batch(&mut |batch| {
            for at in 0..batch.geometry().len() {
                let name = batch.values(at).first().map_or(String::new(), |value| value.to_text());
                found.push((name, batch.geometry().text_of(at)));
            }
            Ok(())
        })
        .unwrap();
    found
}

#[test]
fn lines_are_grouped_ordered_and_put_together_in_parts() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("lines.gpkg");
    let mut lines = BuildLines { vertices: vertices("ditch"), repair: false };
    lines.vertices.order = Some("no".into());
    lines.vertices.part = Some("part".into());
    lines.vertices.columns.z = Some("z".into());
    let outcome = lines.run(&data("lines.csv"), &out).unwrap();
    assert_eq!((outcome.rows_in, outcome.vertices, outcome.rejected.count), (15, Some(12), 3));
    assert_eq!(outcome.out, 3);
    let found = written(&out);
    assert_eq!(found[0].0, "T-1");
    assert_eq!(
        found[0].1,
        "LINESTRING Z (600000 5250000 10, 600010 5250000 11, 600020 5250000 12, 600030 5250000 13, \
         600040 5250000 14, 600050 5250000 15)"
    );
    assert!(found[1].1.starts_with("MULTILINESTRING Z ((") && found[1].1.contains("), ("));
    // What agrees is kept (a blank cell agrees), what differs is named with an example.
    let layer = LayerReader::open(&out, None).unwrap();
    let names: Vec<&str> = layer.info().schema.fields().iter().map(|f| f.name().as_str()).collect();
    assert_eq!(names, ["ditch", "class"]);
    assert!(texts(&outcome).contains("`crew` (in `T-1` row 2 has `A`, row 4 `B`)"));
    let rejects = std::fs::read_to_string(folder.path().join("lines.gpkg.rejects.csv")).unwrap();
    for line in [
        "12,\"`T-3` part a: a line needs two vertices, and there is one\",T-3,P1",
        "13,`wet` is not a number,T-4,P1",
        "16,\"column `ditch`, which tells features apart, is blank\",,P9",
    ] {
        assert!(rejects.contains(line), "{rejects}");
    }
}

#[test]
fn doubtful_orders_legs_and_dates_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let run = |order: &[&str], x: &[f64]| {
        let rows: String =
            order.iter().zip(x).map(|(no, x)| format!("T,{no},{x},5250000\n")).collect();
        std::fs::write(at("t.csv"), format!("d,no,x,y\n{rows}")).unwrap();
        let mut lines = BuildLines { vertices: vertices("d"), repair: false };
        lines.vertices.order = Some("no".into());
        lines.vertices.build.write = WriteOptions { replace_file: true, ..WriteOptions::default() };
        lines.run(&at("t.csv"), &at("t.gpkg"))
    };
    let even = [6e5, 6e5 + 10.0, 6e5 + 20.0, 6e5 + 30.0, 6e5 + 40.0, 6e5 + 50.0];
    for (order, x, wanted) in [
        (["1", "2", "3", "4", "5", "6"], even, None),
        (["10", "20", "30", "40", "60", "70"], even, Some("no goes from 40 to 60 (rows 5 and 6)")),
        (["1", "2", "2", "3", "4", "5"], even, Some("rows 3 and 4 both have no 2")),
        (
            ["1", "2", "3", "4", "5", "6"],
            [6e5, 6e5 + 10.0, 6e5 + 20.0, 6e5 + 9000.0, 6e5 + 40.0, 6e5 + 50.0],
            Some("8980.0 m from row 4 to row 5, 898 times the usual leg of 10.0 m"),
        ),
        (
            [
                "2026-05-01T09:05:00Z",
                "2026-05-01T09:06:00Z",
                "2026-05-01T10:00:00Z",
                "2026-05-02T01:00:00Z",
                "2026-05-02T02:00:00Z",
                "2026-05-10T02:00:00Z",
            ],
            even,
            None,
        ),
    ] {
        let outcome = run(&order, &x).unwrap();
        let texts = texts(&outcome);
        match wanted {
            Some(wanted) => assert!(texts.contains(wanted), "{order:?}: {texts}"),
            None => assert!(outcome.notices.iter().all(|n| !n.text.contains("T`")), "{texts}"),
        }
    }
    // Dates whose day and month cannot be told apart do not order anything.
    let error =
        run(&["1/5/2026", "2/5/2026", "3/5/2026", "4/5/2026", "5/5/2026", "6/5/2026"], &even)
            .unwrap_err()
            .to_string();
    assert!(error.contains("write them as 2026-05-31"), "{error}");
}

#[test]
fn every_kind_of_table_builds_the_same() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    // Vertices of two ditches in turn, backwards.
    let mut layer = Layer::new("vertices", Some(Crs::from_epsg(32610).unwrap()));
    let mut text = String::from("ditch\tno\te\tn\n");
    for no in (1..=12i64).rev() {
        let ditch = if no % 2 == 0 { "Tülpe" } else { "T-1" };
        let (e, n) = (600_000.0 + 7.25 * no as f64, 5_250_000.0 - 3.5 * no as f64);
        let row: [(&str, Value); 4] =
            [("ditch", ditch.into()), ("no", no.into()), ("e", e.into()), ("n", n.into())];
        layer.push((e, n), row).unwrap();
        text.push_str(&format!("{ditch}\t{no}\t{e}\t{n}\n"));
    }
    for name in ["t.csv", "t.xlsx", "t.shp"] {
        layer.write(at(name)).unwrap();
    }
    std::fs::write(at("t.tsv"), &text).unwrap();
    let wide: Vec<u8> =
        std::iter::once(0xfeff).chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect();
    std::fs::write(at("t16.txt"), wide).unwrap();
    let mut first: Option<Vec<(String, String)>> = None;
    for table in ["t.csv", "t.xlsx", "t.dbf", "t.tsv", "t16.txt"] {
        let mut lines = BuildLines { vertices: vertices("ditch"), repair: false };
        lines.vertices.order = Some("no".into());
        lines.vertices.columns.x = Some("e".into());
        lines.vertices.columns.y = Some("n".into());
        lines.vertices.build.write.replace_file = true;
        let outcome = lines.run(&at(table), &at("o.gpkg")).unwrap();
        assert_eq!((outcome.rows_in, outcome.out, outcome.vertices), (12, 2, Some(12)), "{table}");
        let mut found = written(&at("o.gpkg"));
        found.sort();
        assert!(
            found[1].1.starts_with("LINESTRING (600014.5 5249993, 600029 5249986"),
            "{found:?}"
        );
        match &first {
            None => first = Some(found),
            Some(first) => assert_eq!(first, &found, "{table}"),
        }
    }
}

#[test]
fn a_forgotten_grouping_is_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let rows = "ditch,no,x,y\nT-1,1,0,0\nT-1,2,9,0\nT-2,1,0,50\nT-2,2,9,50\n";
    std::fs::write(at("t.csv"), rows).unwrap();
    let mut lines = BuildLines::default();
    lines.vertices.order = Some("no".into());
    let outcome = lines.run(&at("t.csv"), &at("t.gpkg")).unwrap();
    let told = texts(&outcome);
    assert!(told.contains("such as `ditch` tell features apart?"), "{told}");
    let asks = |outcome: &Summary| {
        outcome.notices.iter().any(|n| n.advice == Some(Advice::NameGroupColumn))
    };
    assert!(asks(&outcome));
    assert!(told.contains("`ditch` (row 2 has `T-1`, row 4 `T-2`)"), "{told}");
    lines.vertices.group = vec!["ditch".into()];
    let outcome = lines.run(&at("t.csv"), &at("u.gpkg")).unwrap();
    assert!(!asks(&outcome) && outcome.out == 2);
}

#[test]
fn polygons_find_their_holes_and_their_flaws() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("p.gpkg");
    let mut polygons =
        BuildPolygons { vertices: vertices("parcel"), ring: Some("ring".into()), repair: false };
    polygons.vertices.build.write.replace_file = true;
    let outcome = polygons.run(&data("polygons.csv"), &out).unwrap();
    assert_eq!((outcome.rows_in, outcome.vertices, outcome.rejected.count), (45, Some(43), 2));
    let areas = |path: &Path| -> Vec<(String, f64)> {
        let reader = LayerReader::open(path, None).unwrap();
        let measures = measure(&reader, &MeasureOptions::default()).unwrap();
        measures.features.iter().map(|m| (m.label.clone(), m.grid_area_m2.unwrap())).collect()
    };
    // To the square centimetre: a hole of 80 m in a square of 100, and a triangle in the hole.
    assert_eq!(
        areas(&out)[..4],
        [
            ("plain".into(), 10_000.0),
            ("island".into(), 10_000.0 - 6_400.0 + 200.0),
            ("apart".into(), 100.0),
            ("told".into(), 5_000.0 - 200.0),
        ]
    );
    let found = written(&out);
    assert!(found[1].1.starts_with("MULTIPOLYGON"), "the triangle in the hole is its own part");
    assert!(found[2].1.starts_with("MULTIPOLYGON"));
    // Outer rings counter-clockwise, holes clockwise, closed, from their first vertices.
    assert!(found[1].1.contains("((600000 5260000, 600100 5260000"), "{}", found[1].1);
    assert!(found[1].1.contains("(600010 5260010, 600010 5260090"), "{}", found[1].1);
    let told = texts(&outcome);
    for wanted in [
        "hole outside the outer ring: `told` ring hole 1 at 600200, 5280010 (row 27)",
        "`tie` ring 1 at 600020, 5290020 (the edge from row 30)",
        "`messy` ring 1 at 600100, 5300000 (row 36)",
        "`messy` ring 1 at 600100, 5300150 (row 38)",
        "rings that cross each other, kept as they are: `messy` ring 2 at",
    ] {
        assert!(told.contains(wanted), "{wanted}\n{told}");
    }
    // Repaired only when asked, and told what was changed.
    polygons.repair = true;
    let outcome = polygons.run(&data("polygons.csv"), &out).unwrap();
    let told = texts(&outcome);
    for wanted in [
        "tips of spikes left out: `messy` ring 1 at 600100, 5300150 (row 38)",
        "repeated vertices left out (2 times): `messy` ring 1 at",
        "duplicate rings left out: `messy` ring 2, rows 41 to 44",
        "`tie` ring 1 at 600020, 5290020",
    ] {
        assert!(told.contains(wanted), "{wanted}\n{told}");
    }
    let messy = areas(&out).into_iter().find(|(name, _)| name == "messy").unwrap();
    assert_eq!(messy.1, 10_000.0);
}

#[test]
fn rings_end_where_they_come_back_if_nothing_tells_them_apart() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let rows = "0,0\n9,0\n9,9\n0,9\n0,0\n3,3\n6,3\n6,6\n3,3\n";
    std::fs::write(at("a.csv"), format!("x,y\n{rows}")).unwrap();
    let outcome = BuildPolygons::default().run(&at("a.csv"), &at("a.gpkg")).unwrap();
    assert!(texts(&outcome).contains("taken as the next ring"), "{}", texts(&outcome));
    assert_eq!(
        written(&at("a.gpkg"))[0].1,
        "POLYGON ((0 0, 9 0, 9 9, 0 9, 0 0), (3 3, 6 6, 6 3, 3 3))"
    );
}

/// Very many rings of one polygon, and very many vertices of one ring: what is a hole of what does not take the time of all
/// pairs.
#[test]
fn crowds_of_rings_become_parts_and_holes() {
    const MANY: usize = 20_000;
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let square = |rows: &mut String, name: &str, x: f64, half: f64| {
        for (dx, dy) in [(-half, -half), (half, -half), (half, half), (-half, half)] {
            let _ = writeln!(rows, "all,{name},{},{}", 600_000.0 + x + dx, 5_250_000.0 + dy);
        }
    };
    // Rings in one another; beside each other with a hole in each; some of them said to be holes outside of all.
    let mut nested = String::from("parcel,ring,x,y\n");
    (0..MANY / 10).for_each(|n| square(&mut nested, &format!("r{n}"), 0.0, (n + 1) as f64));
    let mut beside = String::from("parcel,ring,x,y\n");
    for n in 0..MANY / 2 {
        square(&mut beside, &format!("a{n}"), 10.0 * n as f64, 4.0);
        square(&mut beside, &format!("b{n}"), 10.0 * n as f64, 2.0);
    }
    let mut told = String::from("parcel,ring,x,y\n");
    (0..3).for_each(|n| square(&mut told, &format!("outer {n}"), 100.0 * n as f64, 5.0 + n as f64));
    (0..3).for_each(|n| square(&mut told, &format!("hole {n}"), 100.0 * n as f64, 2.0));
    square(&mut told, "hole far away", 900.0, 2.0);
    for (name, table, wanted) in [
        ("nested", nested, vec![2; MANY / 20]),
        ("beside", beside, vec![2; MANY / 2]),
        ("told", told, vec![2, 2, 3]),
    ] {
        std::fs::write(at("a.csv"), table).unwrap();
        let polygons = BuildPolygons {
            vertices: vertices("parcel"),
            ring: Some("ring".into()),
            repair: false,
        };
        let out = at(&format!("{name}.gpkg"));
        let outcome = polygons.run(&at("a.csv"), &out).unwrap();
        assert_eq!((outcome.out, outcome.rejected.count), (1, 0), "{name}");
        let layer = Layer::read(&out).unwrap();
        let geometry = layer.batches().next().unwrap().geometry();
        let rings: Vec<usize> = geometry.parts(0).map(|part| geometry.rings(part).len()).collect();
        assert_eq!(rings, wanted, "{name}");
        // Each hole has the middle of its own ring.
        for part in geometry.parts(0) {
            let middles = geometry.rings(part).map(|ring| {
                let ring = geometry.ring(ring);
                (geometry.x[ring.start] + geometry.x[ring.start + 2]) / 2.0
            });
            let middles: Vec<f64> = middles.collect();
            let of_part = &middles[1..if name == "told" { 2 } else { middles.len() }];
            assert!(of_part.iter().all(|middle| *middle == middles[0]), "{name}: {middles:?}");
        }
    }
    // One ring, and the same one again: repaired, it is there once.
    let mut ring = String::from("parcel,ring,x,y\n");
    for name in ["one", "two"] {
        for n in 0..5 * MANY {
            let turn = std::f64::consts::TAU * n as f64 / (5 * MANY) as f64;
            let (x, y) = (1e4 * turn.cos(), 1e4 * turn.sin());
            let _ = writeln!(ring, "all,{name},{:.4},{:.4}", 600_000.0 + x, 5_250_000.0 + y);
        }
    }
    std::fs::write(at("a.csv"), ring).unwrap();
    let polygons =
        BuildPolygons { vertices: vertices("parcel"), ring: Some("ring".into()), repair: true };
    let outcome = polygons.run(&at("a.csv"), &at("ring.gpkg")).unwrap();
    assert!(texts(&outcome).contains("duplicate rings left out"), "{}", texts(&outcome));
    let layer = Layer::read(at("ring.gpkg")).unwrap();
    assert_eq!(layer.features().next().unwrap().vertices().len(), 5 * MANY + 1);
}

#[test]
fn repair_leaves_a_line_its_two_places() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let there_and_back = "d,x,y\nT,600000,5250000\nT,600100,5250000\nT,600000,5250000\n";
    std::fs::write(at("t.csv"), there_and_back).unwrap();
    let lines = BuildLines { vertices: vertices("d"), repair: true };
    let outcome = lines.run(&at("t.csv"), &at("t.gpkg")).unwrap();
    assert_eq!((outcome.out, outcome.vertices, outcome.rejected.count), (1, Some(3), 0));
    let told = texts(&outcome);
    assert!(told.contains("row 3") && !told.contains("left out"), "{told}");
    assert_eq!(
        written(&at("t.gpkg"))[0].1,
        "LINESTRING (600000 5250000, 600100 5250000, 600000 5250000)"
    );
}

#[test]
fn features_that_cannot_be_carried_give_their_rows_to_the_rejects() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    // The pole has no place on the Mercator projection.
    let rows = "d,lon,lat\nA,-120,47\nB,-120,90\nA,-120.1,47.1\nB,-120,80\n";
    std::fs::write(at("t.csv"), rows).unwrap();
    let build = BuildOptions {
        crs: Some(Crs::from_epsg(4326).unwrap()),
        to: Some(Crs::from_epsg(3395).unwrap()),
        ..BuildOptions::default()
    };
    let vertices = VertexOptions { group: vec!["d".into()], build, ..VertexOptions::default() };
    let lines = BuildLines { vertices, repair: false };
    let outcome = lines.run(&at("t.csv"), &at("t.gpkg")).unwrap();
    assert_eq!((outcome.rows_in, outcome.vertices, outcome.rejected.count), (4, Some(2), 2));
    assert_eq!(outcome.out, 1);
    let rejects = std::fs::read_to_string(at("t.gpkg.rejects.csv")).unwrap();
    for wanted in ["3,`B`: -120, 90 cannot be carried to EPSG:3395", "5,`B`: "] {
        assert!(rejects.replace('"', "").contains(wanted), "{rejects}");
    }
}

#[test]
fn features_come_from_plain_tuples() {
    let mut layer = Layer::new("ditches", Some(Crs::from_epsg(32610).unwrap()));
    layer.push([(6e5, 5.25e6), (6e5, 5.2501e6)], [("name", "T-1".into())]).unwrap();
    let ring = [(6e5, 5.25e6), (6.001e5, 5.25e6), (6.001e5, 5.2501e6)];
    layer.push(Geometry::polygon(ring), [("name", "F-1".into())]).unwrap();
    layer.push((6e5, 5.25e6), [("name", "G-1".into())]).unwrap();
    layer.push(&ring[..2], [("name", "T-2".into())]).unwrap();
    let reader = LayerReader::of_layer(&layer, Path::new("code"));
    let measures = measure(&reader, &MeasureOptions::default()).unwrap();
    assert_eq!(measures.features[0].grid_length_m, Some(100.0));
    assert_eq!(measures.features[1].grid_area_m2, Some(5_000.0));
    assert_eq!(measures.features[3].grid_length_m, Some(100.0));
    assert!(layer.add((0.0, 0.0), vec![("other", 1.into())]).is_err());
}
