//! Layers in memory and in files.

use std::path::Path;
use velvet_peg::layer::GeometryKind;
use velvet_peg::measure::MeasureOptions;
use velvet_peg::table::CoordinateColumns;
use velvet_peg::{BuildPoints, Crs, Geometry, Layer, LayerReader, Value, WriteOptions, measure};

fn crs(code: u32) -> Option<Crs> {
    Some(Crs::from_epsg(code).unwrap())
}

/// A layer with every kind of value, a hole, and gaps.
fn parcels() -> Layer {
    let mut layer = Layer::new("parcels", crs(2285));
    let square = |e: f64, n: f64, size: f64| {
        vec![(e, n), (e + size, n), (e + size, n + size), (e, n + size)]
    };
    let rows = [
        (
            vec![square(1_840_000.0, 150_000.0, 600.0), square(1_840_100.0, 150_100.0, 100.0)],
            "A \"quoted\", name",
            1.5,
        ),
        (vec![square(1_841_000.0, 151_000.0, 300.0)], "zweite", -2.25),
    ];
    for (number, (rings, name, value)) in rows.into_iter().enumerate() {
        layer
            .push(
                Geometry::Polygon(rings),
                [
                    ("name", name.into()),
                    ("number", (number as i64).into()),
                    ("share", value.into()),
                    ("open", (number == 0).into()),
                    ("note", if number == 0 { Value::Null } else { "x".into() }),
                ],
            )
            .unwrap();
    }
    layer
}

type Content = (Vec<(f64, f64)>, Vec<Value>);

fn contents(layer: &Layer) -> Vec<Content> {
    let names: Vec<String> =
        layer.info().schema.fields().iter().map(|f| f.name().clone()).collect();
    layer
        .features()
        .map(|feature| {
            (feature.vertices(), names.iter().map(|name| feature.value(name).unwrap()).collect())
        })
        .collect()
}

#[test]
fn a_geopackage_gives_back_what_it_was_given() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("parcels.gpkg");
    let layer = parcels();
    layer.write(&path).unwrap();
    let back = Layer::read(&path).unwrap();
    assert_eq!(back.crs().unwrap().code(), Some(2285));
    assert_eq!(back.info().kind, Some(GeometryKind::Polygon));
    assert_eq!(back.info().extent.unwrap().west, 1_840_000.0);
    for ((before, values), (after, read)) in contents(&layer).iter().zip(contents(&back)) {
        assert_eq!(*values, read);
        // Rings come back closed.
        assert!(before.iter().all(|vertex| after.contains(vertex)));
    }
    assert!(layer.write(&path).unwrap_err().is_exists());
    layer.write_with(&path, &WriteOptions { overwrite: true, ..WriteOptions::default() }).unwrap();
}

/// The tables that OGC 12-128r18 asks for, looked at with plain SQL.
#[test]
fn a_geopackage_is_what_the_standard_says() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("parcels.gpkg");
    parcels().write(&path).unwrap();
    let file = rusqlite::Connection::open(&path).unwrap();
    let text = |sql: &str| -> String {
        let value: rusqlite::types::Value =
            file.query_row(sql, [], |row| row.get(0)).unwrap_or_else(|e| panic!("{sql}: {e}"));
        match value {
            rusqlite::types::Value::Text(text) => text,
            rusqlite::types::Value::Integer(number) => number.to_string(),
            rusqlite::types::Value::Real(number) => number.to_string(),
            other => format!("{other:?}"),
        }
    };
    for (sql, wanted) in [
        ("PRAGMA application_id", "1196444487"),
        ("PRAGMA user_version", "10301"),
        ("PRAGMA integrity_check", "ok"),
        (
            "SELECT group_concat(srs_id) FROM (SELECT srs_id FROM gpkg_spatial_ref_sys ORDER BY 1)",
            "-1,0,2285,4326",
        ),
        ("SELECT data_type || srs_id FROM gpkg_contents", "features2285"),
        ("SELECT max_x FROM gpkg_contents", "1841300"),
        (
            "SELECT column_name || geometry_type_name || z || m FROM gpkg_geometry_columns",
            "geomPOLYGON00",
        ),
        ("SELECT extension_name || scope FROM gpkg_extensions", "gpkg_rtree_indexwrite-only"),
        ("SELECT count(*) FROM rtree_parcels_geom WHERE minx > 1840900", "1"),
        (
            "SELECT count(*) FROM sqlite_master WHERE type = 'trigger' AND name LIKE 'rtree_parcels_geom_%'",
            "6",
        ),
        (
            "SELECT substr(definition, 1, 7) FROM gpkg_spatial_ref_sys WHERE srs_id = 2285",
            "PROJCS[",
        ),
        ("SELECT hex(substr(geom, 1, 8)) FROM parcels", "47500003ED080000"),
        ("SELECT last_change GLOB '20*T*Z' FROM gpkg_contents", "1"),
    ] {
        assert_eq!(text(sql), wanted, "{sql}");
    }
}

#[test]
fn geojson_is_wgs84_with_outer_rings_counter_clockwise() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("parcels.geojson");
    let notices = parcels().write(&path).unwrap();
    assert!(notices[0].text.contains("cannot keep EPSG:2285"), "{notices:?}");
    let back = Layer::read(&path).unwrap();
    assert_eq!(back.crs().unwrap().code(), Some(4326));
    assert_eq!(back.len(), 2);
    let first = back.features().next().unwrap();
    assert!(
        first
            .vertices()
            .iter()
            .all(|(lon, lat)| (-120.1..-119.9).contains(lon) && (47.4..47.5).contains(lat))
    );
    assert_eq!(first.value("name"), Some("A \"quoted\", name".into()));
    assert_eq!(first.value("open"), Some(true.into()));
    let json: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(&path).unwrap()).unwrap();
    let rings = json["features"][0]["geometry"]["coordinates"].as_array().unwrap();
    let turns: Vec<f64> = rings
        .iter()
        .map(|ring| {
            let at = |i: usize, k: usize| ring[i][k].as_f64().unwrap();
            let last = ring.as_array().unwrap().len() - 1;
            assert_eq!(ring[0], ring[last], "closed");
            (0..last).map(|i| at(i, 0) * at(i + 1, 1) - at(i + 1, 0) * at(i, 1)).sum()
        })
        .collect();
    assert!(turns[0] > 0.0 && turns[1] < 0.0, "{turns:?}");
}

#[test]
fn odd_geojson_is_read_or_refused_in_words() {
    let folder = tempfile::tempdir().unwrap();
    let read = |text: &str| {
        let path = folder.path().join("odd.geojson");
        std::fs::write(&path, text).unwrap();
        Layer::read(&path).map(|layer| {
            let kinds: Vec<_> = layer.features().map(|feature| feature.kind()).collect();
            (
                kinds,
                layer.info().schema.fields().iter().map(|f| f.name().clone()).collect::<Vec<_>>(),
            )
        })
    };
    let feature = |geometry: &str, rest: &str| {
        format!(r#"{{"type":"Feature","geometry":{geometry},"properties":{{"a":1}}{rest}}}"#)
    };
    let collection = |features: &[String]| {
        format!(r#"{{"features":[{}],"type":"FeatureCollection"}}"#, features.join(","))
    };
    let point = r#"{"type":"Point","coordinates":[-120,47.4,350]}"#;
    let multi = r#"{"type":"MultiPolygon","coordinates":[[[[0,0],[1,0],[1,1],[0,0]]],[[[5,5],[6,5],[6,6],[5,5]]]]}"#;
    let (kinds, names) = read(&collection(&[
        feature(point, ""),
        feature("null", ""),
        feature(multi, r#","id":"k7""#),
    ]))
    .unwrap();
    assert_eq!(kinds, [Some(GeometryKind::Point), None, Some(GeometryKind::MultiPolygon)]);
    assert_eq!(names, ["id", "a"]);
    assert_eq!(read(&feature(point, "")).unwrap().0, [Some(GeometryKind::Point)]);
    assert_eq!(read(point).unwrap().0, [Some(GeometryKind::Point)]);
    assert!(read(&collection(&[])).unwrap().0.is_empty());
    for (text, says) in [
        (
            collection(&[feature(r#"{"type":"Circle","coordinates":[0,0]}"#, "")]),
            "type Circle cannot be read",
        ),
        (
            collection(&[feature(r#"{"type":"LineString","coordinates":[[0],[1,1]]}"#, "")]),
            "not a position",
        ),
        (r#"{"hello":1}"#.to_string(), "no list of features"),
        (collection(&[feature(point, "")]).replace("]}", "]"), "line 1"),
    ] {
        let error = read(&text).unwrap_err();
        assert!(error.is_data() && error.to_string().contains(says), "{error}");
    }
}

#[test]
fn heights_and_missing_geometries_survive() {
    let folder = tempfile::tempdir().unwrap();
    let source = folder.path().join("gates.csv");
    std::fs::write(&source, "gate,lat,lon,h,code\n1,47.4,-120,350.5,007\n2,47.5,-120.1,,008\n")
        .unwrap();
    let out = folder.path().join("gates.gpkg");
    let columns = CoordinateColumns { z: Some("h".into()), ..CoordinateColumns::default() };
    let build = BuildPoints { columns, ..BuildPoints::in_system(Crs::from_epsg(4326).unwrap()) };
    build.run(&source, &out).unwrap();
    let layer = Layer::read(&out).unwrap();
    assert!(layer.info().has_z);
    let z = &layer.batches().next().unwrap().geometry().z;
    assert!(z[0] == 350.5, "{z:?}");
    let first = layer.features().next().unwrap();
    assert_eq!(first.value("code"), Some("007".into()), "leading zeros are kept");
    assert_eq!(first.value("gate"), Some(1.into()));
}

#[test]
fn figures_stand_side_by_side() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("parcels.gpkg");
    parcels().write(&path).unwrap();
    let reader = LayerReader::open(&path, None).unwrap();
    let options = MeasureOptions { ground_height_m: Some(350.0), ..MeasureOptions::default() };
    let measures = measure(&reader, &options).unwrap();
    let foot = 1200.0 / 3937.0;
    let first = &measures.features[0];
    let grid = (600.0 * 600.0 - 100.0 * 100.0) * foot * foot;
    assert!((first.grid_area_m2.unwrap() / grid - 1.0).abs() < 1e-12);
    // The zone's scale factor there is 1.0000184, squared for areas.
    assert!((first.grid_area_m2.unwrap() / first.area_m2 - 1.000_018_4f64.powi(2)).abs() < 2e-6);
    assert!(
        (first.ground_area_m2.unwrap() / first.area_m2 - (1.0f64 + 350.0 / 6.38e6).powi(2)).abs()
            < 1e-6
    );
    assert!((first.grid_length_m.unwrap() / (2800.0 * foot) - 1.0).abs() < 1e-12);
    assert_eq!(
        measures.total(|m| Some(m.area_m2)).unwrap(),
        measures.features.iter().map(|m| m.area_m2).sum::<f64>()
    );
}

#[test]
fn code_gets_errors_with_their_kind_and_place() {
    let mut layer = parcels();
    let error = layer.push(Geometry::Point((0.0, 0.0)), [("other", 1.into())]).unwrap_err();
    assert!(error.is_usage());
    let none = Layer::new("bare", None);
    assert!(none.convert(&Crs::from_epsg(4326).unwrap()).unwrap_err().is_usage());
    let missing = LayerReader::open(Path::new("nowhere.gpkg"), None).unwrap_err();
    assert!(missing.is_file());
    assert_eq!(missing.location().file.as_deref(), Some(Path::new("nowhere.gpkg")));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("text.gpkg");
    std::fs::write(&path, "this is not a database, but long enough to be looked at as one")
        .unwrap();
    assert!(LayerReader::open(&path, None).unwrap_err().is_file());
}

/// The R-tree is sound, and finds what a search through all boxes finds.
#[test]
fn the_index_of_a_geopackage_answers_like_a_search_through_all() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("points.gpkg");
    let mut table = String::from("id,x,y\n");
    let place = |i: u32| {
        (500_000.0 + f64::from(i * 7919 % 10_007), 5_200_000.0 + f64::from(i * 104_729 % 10_009))
    };
    for i in 0..20_000 {
        let (x, y) = place(i);
        table += &format!("{i},{x},{y}\n");
    }
    let source = folder.path().join("points.csv");
    std::fs::write(&source, table).unwrap();
    let build = BuildPoints::in_system(Crs::from_epsg(32610).unwrap());
    assert_eq!(build.run(&source, &path).unwrap().out, 20_000);
    let file = rusqlite::Connection::open(&path).unwrap();
    let number = |sql: &str| -> i64 { file.query_row(sql, [], |row| row.get(0)).unwrap() };
    let check: String =
        file.query_row("SELECT rtreecheck('rtree_points_geom')", [], |row| row.get(0)).unwrap();
    assert_eq!(check, "ok");
    assert_eq!(number("SELECT count(*) FROM rtree_points_geom"), 20_000);
    let found = number(
        "SELECT count(*) FROM rtree_points_geom WHERE minx >= 501000 AND maxx <= 502000 AND miny >= 5203000 AND maxy <= 5204000",
    );
    let wanted = (0..20_000)
        .filter(|i| {
            let (x, y) = place(*i);
            (501_000.0..=502_000.0).contains(&x) && (5_203_000.0..=5_204_000.0).contains(&y)
        })
        .count();
    // The index keeps 32-bit numbers, rounded outwards: a metre or so at these northings.
    assert!((found - wanted as i64).abs() <= 2 && wanted > 100, "{found} for {wanted}");
    assert_eq!(number("SELECT id FROM rtree_points_geom WHERE id = 20000"), 20_000);
}

/// What is pushed is there, or nothing is: values, geometries, and why not.
#[test]
fn nothing_that_is_pushed_is_dropped() {
    let at = |n: f64| (n, n);
    // Values of one column, one after the other, and what they come back as, or why the last is not taken.
    let none = || Value::Null;
    let day = || Value::date(2026, 4, 1).unwrap();
    type Pushed = (Vec<Value>, Result<Vec<&'static str>, &'static str>);
    let cases: Vec<Pushed> = vec![
        (vec![4.into(), 2.5.into(), 7u8.into()], Ok(vec!["4", "2.5", "7"])),
        (vec![none(), none(), 2.5.into()], Ok(vec!["", "", "2.5"])),
        (vec![none(), true.into()], Ok(vec!["", "true"])),
        (vec![none(), day(), "2026-05-02".into()], Ok(vec!["", "2026-04-01", "2026-05-02"])),
        (vec![day(), "soon".into()], Err("`soon` does not fit column `v` (of the type: date)")),
        (vec![day(), 7.into()], Err("`7` does not fit column `v`")),
        (
            vec![4.into(), "much".into()],
            Err("`much` does not fit column `v` (of the type: whole number)"),
        ),
        (vec![(1i64 << 60).into(), 2.5.into()], Err("which no number with a fraction is exactly")),
        (
            vec![2.5.into(), (1i64 << 60).into()],
            Err("does not fit column `v` (of the type: number)"),
        ),
        (vec![u64::MAX.into(), 3.into()], Ok(vec!["18446744073709551615", "3"])),
        (
            vec![true.into(), 1.into(), 2.into()],
            Err("`2` does not fit column `v` (of the type: yes or no)"),
        ),
        (
            vec![vec![1u8, 2].into(), "x".into()],
            Err("`x` does not fit column `v` (of the type: bytes)"),
        ),
    ];
    for (values, wanted) in cases {
        let mut layer = Layer::new("gates", Some(Crs::from_epsg(32610).unwrap()));
        let mut pushed = Ok(());
        for (n, value) in values.iter().enumerate() {
            pushed = layer.push(at(n as f64), [("v", value.clone())]);
        }
        let back: Vec<String> = layer.features().map(|f| f.value("v").unwrap().to_text()).collect();
        match wanted {
            Ok(texts) => {
                pushed.unwrap();
                assert_eq!(back, texts, "{values:?}");
            }
            Err(why) => {
                let error = pushed.unwrap_err().to_string();
                assert!(error.contains(why), "{values:?}: {error}");
                assert_eq!(back.len(), values.len() - 1, "{values:?}: what was there stays");
            }
        }
    }

    // A row that is refused leaves no trace: neither the type of the one column, nor a value in it.
    let mut two = Layer::new("two", None);
    two.push(at(0.0), [("a", none()), ("n", 1.into())]).unwrap();
    let refused = two.push(at(1.0), [("a", 7.into()), ("n", "x".into())]).unwrap_err();
    assert!(refused.to_string().contains("`x` does not fit column `n`"), "{refused}");
    two.push(at(2.0), [("a", "seven".into()), ("n", 0.5.into())]).unwrap();
    let back: Vec<Value> =
        two.features().flat_map(|f| [f.value("a"), f.value("n")]).flatten().collect();
    assert_eq!(back, [none(), 1.0.into(), "seven".into(), 0.5.into()]);

    // The type changes after full batches, too.
    let mut many = Layer::new("many", None);
    for n in 0..20_000 {
        many.push(at(f64::from(n)), [("v", n.into())]).unwrap();
    }
    many.push(at(0.0), [("v", 0.5.into())]).unwrap();
    let sum: f64 = many
        .features()
        .map(|f| match f.value("v") {
            Some(Value::Real(value)) => value,
            other => panic!("{other:?}"),
        })
        .sum();
    assert_eq!((many.len(), sum), (20_001, 199_990_000.5));
}

#[test]
fn geometries_that_are_none_are_refused_and_all_others_taken() {
    let geographic = || Some(Crs::from_epsg(4326).unwrap());
    let ring = vec![(0.0, 0.0), (9.0, 0.0), (9.0, 9.0), (0.0, 0.0)];
    let refused: [(Geometry, &str); 8] = [
        ((47.4, -120.0).into(), "a latitude beyond 90°; longitude goes first"),
        ((f64::NAN, 1.0).into(), "coordinates have to be numbers"),
        ((0.0, 1.0, f64::INFINITY).into(), "coordinates have to be numbers"),
        ([(1.0, 1.0), (1.0, 1.0)].into(), "a line needs 2 different vertices, and has 1"),
        (Geometry::polygon([(0.0, 0.0), (1.0, 1.0), (0.0, 0.0)]), "a ring needs 3 different"),
        (Geometry::Polygon(vec![]), "a polygon needs a ring"),
        (Geometry::Multi(vec![]), "or there are none"),
        (Geometry::Multi(vec![(0.0, 0.0).into(), ring.clone().into()]), "of several kinds"),
    ];
    for (geometry, why) in refused {
        let mut layer = Layer::new("gates", geographic());
        let error = layer.push(geometry.clone(), [("no", 1.into())]).unwrap_err().to_string();
        assert!(error.contains(why) && error.contains("gates"), "{geometry:?}: {error}");
        assert!(layer.is_empty());
    }
    let taken: [(Geometry, GeometryKind, usize, bool); 8] = [
        ((1.0, 2.0).into(), GeometryKind::Point, 1, false),
        ((1.0, 2.0, 3.0).into(), GeometryKind::Point, 1, true),
        (ring.clone().into(), GeometryKind::LineString, 4, false),
        (ring.as_slice().into(), GeometryKind::LineString, 4, false),
        ([(0.0, 0.0, 1.0), (1.0, 1.0, 2.0)].into(), GeometryKind::LineString, 2, true),
        (vec![ring.clone()].into(), GeometryKind::Polygon, 4, false),
        (
            Geometry::PolygonZ(vec![ring.iter().map(|(x, y)| (*x, *y, 5.0)).collect()]),
            GeometryKind::Polygon,
            4,
            true,
        ),
        (
            Geometry::Multi(vec![Geometry::Polygon(vec![ring.clone()]), vec![ring].into()]),
            GeometryKind::MultiPolygon,
            8,
            false,
        ),
    ];
    for (geometry, kind, vertices, high) in taken {
        let mut layer = Layer::new("gates", geographic());
        layer.push(geometry, [("no", 1.into())]).unwrap();
        assert_eq!(layer.info().kind, Some(kind));
        let feature = layer.features().next().unwrap();
        assert_eq!(feature.vertices().len(), vertices, "{kind:?}");
        assert_eq!(layer.batches().next().unwrap().geometry().has_z(), high, "{kind:?}");
        // It goes to a file and comes back.
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("one.gpkg");
        layer.write(&file).unwrap();
        let back = Layer::read(&file).unwrap();
        assert_eq!(back.info().kind.map(GeometryKind::single), Some(kind.single()));
        assert_eq!(back.features().next().unwrap().vertices().len(), vertices);
    }
}

#[test]
fn a_layer_in_code_tells_what_is_learned_of_it() {
    let mut gates = Layer::new("gates", Some(Crs::from_epsg(4267).unwrap()));
    gates.push((-120.0, 47.4), [("no", 1.into())]).unwrap();
    let utm = gates.convert(&Crs::from_epsg(26918).unwrap()).unwrap();
    assert!(utm.accuracy_m().unwrap() > 1.0 && utm.route().operations().count() > 0);
    let told: Vec<&str> = utm.notices().iter().map(|notice| notice.text.as_str()).collect();
    assert!(told.iter().any(|text| text.contains("outside the area where")), "{told:?}");
    assert!(told.iter().any(|text| text.contains("change of datum is known to")), "{told:?}");
    // It can be pushed to, in its own system.
    let mut more = utm.into_layer();
    more.push((500_000.0, 5_250_000.0), [("no", 2.into())]).unwrap();
    assert_eq!((more.len(), more.crs().unwrap().code()), (2, Some(26918)));
    let error = gates.measure(&MeasureOptions { by: Some("crop".into()), ..Default::default() });
    let error = error.unwrap_err().to_string();
    assert!(error.contains("gates") && error.contains("there is no column `crop`"), "{error}");
}
