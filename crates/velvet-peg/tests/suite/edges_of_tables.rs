//! Tables at the edges of what they may hold: marks between thousands, files of rejects that are
//! there already, figures of shapes with holes.

use std::collections::BTreeSet;
use std::path::Path;
use velvet_peg::features::BuildOptions;
use velvet_peg::join::JoinTable;
use velvet_peg::table::{CoordinateColumns, NumberFormat};
use velvet_peg::{
    Advice, BuildPoints, ConvertLayer, Crs, Geographic, Geometry, Layer, LayerReader, Notice,
    NoticeKind, Result, Selection, Summary, Value, WriteOptions,
};

fn utm() -> Option<Crs> {
    Some(Crs::from_epsg(32610).unwrap())
}

#[test]
fn thousands_are_grouped_by_any_blank_and_by_the_mark_that_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    // The mark in the cells, the mark that is named, whether the comma is a decimal point, and
    // whether the cell can be read with it.
    for (mark, named, comma, read) in [
        (" ", Some(' '), false, true),
        ("\u{a0}", Some(' '), false, true),
        ("\u{2009}", Some(' '), false, true),
        ("\u{202f}", Some(' '), true, true),
        ("'", Some('\''), false, true),
        ("'", Some(' '), false, false),
        (".", Some('.'), true, true),
        (",", Some(','), false, true),
        ("", None, true, true),
        ("", Some(' '), true, true),
        (" ", None, false, false),
    ] {
        let point = if comma { "," } else { "." };
        let text = format!("e;n\n705{mark}000{point}25;5{mark}254{mark}000{point}5\n");
        std::fs::write(at("t.csv"), text).unwrap();
        let numbers = NumberFormat { decimal_comma: comma, thousands: named };
        let columns = CoordinateColumns {
            x: Some("e".into()),
            y: Some("n".into()),
            numbers,
            ..CoordinateColumns::default()
        };
        let build = BuildOptions {
            crs: utm(),
            write: WriteOptions { overwrite: true, ..WriteOptions::default() },
            ..BuildOptions::default()
        };
        let done = BuildPoints { columns, build, ..BuildPoints::default() }
            .run(&at("t.csv"), &at("t.gpkg"));
        assert_eq!(done.is_ok(), read, "{mark:?} {named:?} {comma}: {done:?}");
        if read {
            let layer = Layer::read(at("t.gpkg")).unwrap();
            let vertex = layer.features().next().unwrap().vertices()[0];
            assert_eq!(vertex, (705_000.25, 5_254_000.5), "{mark:?} {named:?}");
        }
    }
}

/// One good and one bad row, with their rejects in a file of this name.
fn with_rejects(
    folder: &Path,
    table: &str,
    out: &str,
    rejects: Option<&str>,
    write: WriteOptions,
) -> Result<Summary> {
    std::fs::write(folder.join("t.csv"), table).unwrap();
    let build = BuildOptions {
        crs: utm(),
        write,
        rejects: rejects.map(|name| folder.join(name)),
        ..BuildOptions::default()
    };
    BuildPoints { build, ..BuildPoints::default() }.run(&folder.join("t.csv"), &folder.join(out))
}

#[test]
fn rejects_that_are_there_are_neither_lost_nor_mixed() {
    let folder = tempfile::tempdir().unwrap();
    let text = |name: &str| std::fs::read_to_string(folder.path().join(name)).unwrap();
    let bad = "e,n,name\n705000,5254000,a\n,5254000,b\n";
    let plain = WriteOptions::default;
    std::fs::write(folder.path().join("mine.csv"), "something of mine\n").unwrap();
    let error = with_rejects(folder.path(), bad, "a.gpkg", Some("mine.csv"), plain()).unwrap_err();
    assert!(error.is_exists(), "{error}");
    assert_eq!(text("mine.csv"), "something of mine\n");
    assert!(!folder.path().join("a.gpkg").exists());

    let first = with_rejects(folder.path(), bad, "a.gpkg", None, plain()).unwrap();
    assert_eq!((first.rows_in, first.out, first.rejected.count), (2, 1, 1));
    assert_eq!(text("a.gpkg.rejects.csv").lines().count(), 2);
    // Added to: the same columns go below, others to a file beside.
    let append = || WriteOptions { append: true, ..WriteOptions::default() };
    with_rejects(folder.path(), bad, "a.gpkg", None, append()).unwrap();
    assert_eq!(text("a.gpkg.rejects.csv").lines().count(), 3);
    let other = "e,n\n705000,5254000\n,5254000\n";
    let summary = with_rejects(folder.path(), other, "a.gpkg", None, append()).unwrap();
    let beside = summary.rejected.path.unwrap();
    assert_eq!(beside, folder.path().join("a.gpkg.rejects-2.csv"));
    assert_eq!(text("a.gpkg.rejects.csv").lines().count(), 3);
    assert!(text("a.gpkg.rejects-2.csv").starts_with("source_row,reason,e,n\n"));
    // Overwritten by a run that rejects nothing: what told of another result goes away.
    let overwrite = WriteOptions { overwrite: true, ..WriteOptions::default() };
    let good = "e,n,name\n705000,5254000,a\n";
    with_rejects(folder.path(), good, "a.gpkg", None, overwrite).unwrap();
    assert!(!folder.path().join("a.gpkg.rejects.csv").exists());
}

#[test]
fn holes_take_from_areas_and_add_to_perimeters() {
    let folder = tempfile::tempdir().unwrap();
    let square = |from: f64, size: f64| {
        let to = from + size;
        vec![(from, from), (to, from), (to, to), (from, to), (from, from)]
    };
    let mut layer = Layer::new("tracts", utm());
    let holed = vec![square(0.0, 100.0), square(10.0, 20.0), square(50.0, 30.0)];
    layer.push(Geometry::Polygon(holed), [("no", 1.into())]).unwrap();
    let one = vec![square(20.0, 10.0), square(22.0, 2.0)];
    layer.push(Geometry::Polygon(one), [("no", 2.into())]).unwrap();
    let select = Selection {
        set: vec!["area = PLANE_AREA(geometry), round_it = PLANE_PERIMETER(geometry)".into()],
        ..Selection::default()
    };
    let out = folder.path().join("out.gpkg");
    let reader = LayerReader::of_layer(&layer, Path::new("tracts"));
    ConvertLayer { select, ..ConvertLayer::default() }.run(&reader, &out).unwrap();
    let figures: Vec<(Value, Value)> = Layer::read(&out)
        .unwrap()
        .features()
        .map(|feature| (feature.value("area").unwrap(), feature.value("round_it").unwrap()))
        .collect();
    let wanted = [(10_000.0 - 400.0 - 900.0, 400.0 + 80.0 + 120.0), (100.0 - 4.0, 40.0 + 8.0)];
    assert_eq!(figures, wanted.map(|(area, edge)| (Value::Real(area), Value::Real(edge))));
}

#[test]
fn a_stray_row_is_told_from_twenty_spreads_on() {
    let folder = tempfile::tempdir().unwrap();
    // The bulk: 200 positions whose middle eight tenths span 160 by 160, round 705100, 5254100.
    let bulk: String = (0..200).map(|n| format!("{},{}\n", 705_000 + n, 5_254_000 + n)).collect();
    for (row, told) in [
        ("705100,5254100", None),
        ("708200,5254100", None),                        // 19.4 spreads east
        ("708400,5254100", Some("far from all others")), // 20.6
        ("705100,5250800", Some("far from all others")),
        ("705100,5251000", None),
        ("-705100,5254100", Some("the sign turned")),
        ("705100,-5254100", Some("the sign turned")),
        ("5254100,705100", Some("the coordinates swapped")),
        ("-5254100,705100", Some("the coordinates swapped")),
    ] {
        let table = format!("e,n\n{bulk}{row}\n");
        std::fs::write(folder.path().join("t.csv"), table).unwrap();
        let mut points = BuildPoints::default();
        points.build.write.overwrite = true;
        let summary =
            points.run(&folder.path().join("t.csv"), &folder.path().join("t.gpkg")).unwrap();
        assert_eq!((summary.rows_in, summary.out), (201, 201), "{row}");
        let found: Vec<&Notice> =
            summary.notices.iter().filter(|n| n.kind == NoticeKind::Outliers).collect();
        match told {
            None => assert!(found.is_empty(), "{row}: {found:?}"),
            Some(what) => {
                assert!(found.len() == 1 && found[0].text.contains(what), "{row}: {found:?}");
                assert!(found[0].text.contains("row 202"), "{row}: {found:?}");
                assert_eq!(found[0].figure("count"), Some(1.0), "{row}");
            }
        }
    }
}

#[test]
fn loose_keys_meet_whatever_people_make_of_them() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.gpkg");
    for (layer_key, table_key, meets) in [
        ("7", "7.0", true),
        ("7", "007", true),
        ("F-01", "f-1", true),
        ("Alder  1", " alder 1 ", true),
        ("0", "00", true),
        ("1.05", "1.5", false),
        ("10", "1", false),
        ("F-1", "F1", false),
        ("7", "70", false),
    ] {
        let mut layer = Layer::new("gates", utm());
        for key in [layer_key, "another"] {
            layer.push(Geometry::Point((6e5, 5e6)), [("key", key.into())]).unwrap();
        }
        let table = folder.path().join("t.csv");
        std::fs::write(&table, format!("key,cfs\n{table_key}x,1\nanother,2\n{table_key},3\n"))
            .unwrap();
        let job = JoinTable {
            key: "key".into(),
            loose: true,
            write: WriteOptions { overwrite: true, ..WriteOptions::default() },
            ..JoinTable::default()
        };
        let reader = LayerReader::of_layer(&layer, Path::new("gates"));
        let (_, report) = job.run(reader, &table, &out).unwrap();
        assert_eq!(report.features_met == 2, meets, "{layer_key:?} and {table_key:?}: {report:?}");
    }
}

#[test]
fn a_zone_is_meant_for_its_area_and_half_a_degree_round_it() {
    let folder = tempfile::tempdir().unwrap();
    // Zone 10 ends at 120° W.
    for (lon, told) in [(-123.0, false), (-120.1, false), (-119.6, false), (-119.4, true)] {
        let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
        layer.push(Geometry::Point((lon, 47.4)), [("no", 1.into())]).unwrap();
        let reader = LayerReader::of_layer(&layer, Path::new("gates"));
        let write = WriteOptions { overwrite: true, ..WriteOptions::default() };
        let job = ConvertLayer { target: utm(), write, ..ConvertLayer::default() };
        let summary = job.run(&reader, &folder.path().join("out.gpkg")).unwrap();
        let area: Vec<&Notice> =
            summary.notices.iter().filter(|n| n.kind == NoticeKind::Area).collect();
        assert_eq!(!area.is_empty(), told, "{lon}: {area:?}");
        if let [notice] = area.as_slice() {
            assert!((notice.figure("longitude").unwrap() - lon).abs() < 1e-9, "{notice:?}");
        }
    }
}

#[test]
fn columns_are_told_apart_by_where_the_rows_fall_if_nearly_all_agree() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    // Ten rows of a zone, some of which are the wrong way round.
    for (turned, taken) in [(0, true), (1, true), (4, false), (9, true)] {
        let rows: String = (0..10)
            .map(|n| match (n < turned, 500_000 + n * 1000, 5_250_000 + n * 1000) {
                (false, e, n) => format!("{e},{n}\n"),
                (true, e, n) => format!("{n},{e}\n"),
            })
            .collect();
        std::fs::write(at("t.csv"), format!("p,q\n{rows}")).unwrap();
        let mut points = BuildPoints::in_system(utm().unwrap());
        points.build.write.overwrite = true;
        let done = points.run(&at("t.csv"), &at("t.gpkg"));
        assert_eq!(done.is_ok(), taken, "{turned}: {done:?}");
        if let Err(error) = done {
            assert_eq!(error.advice(), Some(&Advice::NameCoordinateColumns), "{turned}: {error}");
        }
    }
}

#[test]
fn an_operation_is_chosen_for_the_whole_of_the_data() {
    let folder = tempfile::tempdir().unwrap();
    // Places along a latitude, each with operations of its own region.
    let europe = [(5.5, 60.0), (24.0, 60.0), (2.0, 48.0), (14.0, 48.0), (-4.0, 40.0), (9.0, 40.0)];
    let america = [
        (-113.0, 52.0),
        (-97.0, 52.0),
        (-75.0, 52.0),
        (-120.0, 40.0),
        (-80.0, 40.0),
        (-150.0, 62.0),
    ];
    let pairs = [(4230, europe), (4267, america)].into_iter().flat_map(|(crs, places)| {
        places.into_iter().flat_map(move |first| places.map(|second| (crs, first, second)))
    });
    let mut routes = BTreeSet::new();
    for (crs, first, second) in pairs {
        let crs = Crs::from_epsg(crs).unwrap();
        let mut layer = Layer::new("marks", Some(crs));
        for place in [first, second] {
            layer.push(Geometry::Point(place), [("no", 1.into())]).unwrap();
        }
        let write = WriteOptions { overwrite: true, ..WriteOptions::default() };
        let target = Some(Crs::from_epsg(4326).unwrap());
        let job = ConvertLayer { target, write, ..ConvertLayer::default() };
        let reader = LayerReader::of_layer(&layer, Path::new("marks"));
        let summary = job.run(&reader, &folder.path().join("out.gpkg")).unwrap();
        let converter = summary.converter.unwrap();
        let route = converter.route();
        routes.insert(route.summary());
        // In memory the same is done as on the way to a file.
        let in_memory = layer.convert(converter.target()).unwrap();
        let written = Layer::read(folder.path().join("out.gpkg")).unwrap();
        for (a, b) in in_memory.features().zip(written.features()) {
            assert_eq!(a.vertices(), b.vertices(), "{first:?} {second:?}: {}", route.summary());
        }
        for (lon, lat) in [first, second] {
            let inside = route
                .operations()
                .all(|operation| operation.extent().contains(Geographic { lat, lon }));
            assert!(inside || !route.covers_area, "{first:?} {second:?}: {}", route.summary());
        }
    }
    assert!(routes.len() > 4, "one operation serves all: {routes:?}");
}

/// What divides the fields is named as it is.
#[test]
fn what_divides_the_fields_is_named() {
    use velvet_peg::look::{Look, LookOptions, look};
    let folder = tempfile::tempdir().unwrap();
    let cases: [(&str, &[usize], &str); 4] = [
        (
            "1 4512.30 9981.12 401.5 IP\n2 4610.88 9902.40 402.1 FH\n3 4700.10 9850.00 399.8 EP\n",
            &[],
            "blanks",
        ),
        ("1,4512.30,9981.12\n2,4610.88,9902.40\n", &[], "comma"),
        ("1^4512.30^9981.12\n2^4610.88^9902.40\n", &[], "circumflex"),
        ("00014512.30\n00024610.88\n", &[4, 7], "fixed widths"),
    ];
    for (at, (text, widths, wanted)) in cases.into_iter().enumerate() {
        let path = folder.path().join(format!("{at}.txt"));
        std::fs::write(&path, text).unwrap();
        let mut options = LookOptions::default();
        options.table.widths = widths.to_vec();
        let Look::Table(table) = look(&path, &options).unwrap() else { panic!("a table") };
        assert_eq!(table.text.unwrap().delimiter, wanted);
    }
}
