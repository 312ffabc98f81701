//! Grids of heights and of differences of heights, in every layout that is published as text or without
//! a header of its own kind; the older ones are in `heights.rs`.

use crate::support::grid_files::Sheet;
use crate::support::{Row, data};
use std::sync::Arc;
use velvet_peg_core::grid::{GridFiles, Grids, ShiftGrid};
use velvet_peg_core::runs::{Needs, by_files, by_files_between, needs_of};
use velvet_peg_core::{
    Bounds, Converter, Coordinate, Crs, Geographic, Operation, PlanOptions, geocentric,
};

/// One file in memory.
#[derive(Debug)]
struct Only(String, Vec<u8>);

impl GridFiles for Only {
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>> {
        Ok((name == self.0).then(|| self.1.clone()))
    }
}

fn options(file: &str, bytes: Vec<u8>, area: Option<Bounds>) -> PlanOptions {
    let grids = Some(Arc::new(Grids::new(Only(file.to_string(), bytes))));
    PlanOptions { grids, area, ..PlanOptions::default() }
}

fn crs(text: &str) -> Crs {
    Crs::parse(text).unwrap_or_else(|error| panic!("{text}: {error}"))
}

/// A surface that bilinear interpolation reproduces, about a south-western node.
fn surface(lat: f64, lon: f64) -> f64 {
    1.0 + 0.5 * lat - 0.25 * lon + 0.125 * lat * lon
}

/// Five rows and seven columns by half degrees, of which the north-western node has no value.
fn sheet(row: &Row) -> Sheet {
    let corner = (row.number("south"), row.number("west"));
    let hole = |lat: f64, lon: f64| lat > 1.9 && lon < 0.1;
    let value = |lat, lon| if hole(lat, lon) { f64::NAN } else { surface(lat, lon) };
    Sheet::of(corner, (0.5, 0.5), (5, 7), value)
}

#[test]
fn grids_of_every_layout_give_the_surface_that_they_hold() {
    for row in data("grid-layouts.csv") {
        let (layout, file) = (row.text("layout"), row.text("file"));
        let (south, west) = (row.number("south"), row.number("west"));
        let what = format!("{layout} {file}");
        if layout.starts_with("geotiff") && !cfg!(feature = "geotiff") {
            continue;
        }
        let area =
            Bounds { south: south + 0.7, west: west + 1.1, north: south + 0.8, east: west + 1.2 };
        let bytes = sheet(&row).file(layout);
        let options = options(file, bytes, Some(area));
        let (from, to) = (crs(row.text("from")), crs(row.text("to")));
        let there =
            Converter::plan(&from, &to, &options).unwrap_or_else(|error| panic!("{what}: {error}"));
        assert_eq!(f64::from(there.height_changes()[0].0), row.number("operation"), "{what}");
        let (z, value) = (100.0, surface(0.7, 1.1));
        let expected = match row.text("becomes") {
            "plus" => z + value,
            "minus" => z - value,
            "depth" => value - z,
            other => panic!("{what}: {other}"),
        };
        // NGVD29 in feet.
        let (z, expected) = match row.text("from").ends_with(":5702") {
            true => (z / (1200.0 / 3937.0), expected),
            false => (z, expected),
        };
        let at = Coordinate { x: west + 1.1, y: south + 0.7, z };
        let found = there.convert(at).unwrap_or_else(|error| panic!("{what}: {error}"));
        assert!((found.z - expected).abs() < 1e-4, "{what}: {found:?}, not {expected}");
        let back = Converter::plan(&to, &from, &options).unwrap().convert(found).unwrap();
        assert!((back.z - z).abs() < 1e-9, "{what}: {back:?}");
        let code = row.text("operation");
        let (blank, outside) = (
            Coordinate { x: west + 0.1, y: south + 1.9, z },
            Coordinate { x: west - 0.1, y: south + 0.7, z },
        );
        // VERTCON has no mark for what is missing.
        let holes =
            if layout.starts_with("vertcon") { vec![outside] } else { vec![blank, outside] };
        for place in holes {
            let error = there.convert(place).unwrap_err().to_string();
            assert!(
                error.contains(&format!("[EPSG:{code}], or where it has no value")),
                "{what}: {error}"
            );
        }
        assert_eq!(
            needs_of(code.parse().unwrap()).unwrap(),
            Needs::Files(vec![file.to_string().leak()]),
            "{what}"
        );
    }
}

#[test]
fn grids_agree_with_the_examples_of_the_registry() {
    for row in data("published-grids.csv") {
        let layout = row.text("layout");
        if layout.starts_with("geotiff") && !cfg!(feature = "geotiff") {
            continue;
        }
        let nodes = ["sw", "se", "nw", "ne"].map(|node| row.number(node)).to_vec();
        let sheet = Sheet {
            corner: (row.number("south"), row.number("west")),
            steps: (row.number("step_lat"), row.number("step_lon")),
            rows: 2,
            columns: 2,
            nodes,
        };
        let options = options(row.text("file"), sheet.file(layout), None);
        let (from, to) = (crs(row.text("from")), crs(row.text("to")));
        let there = Converter::plan(&from, &to, &options).unwrap();
        assert_eq!(f64::from(there.height_changes()[0].0), row.number("operation"));
        let at = Coordinate { x: row.number("lon"), y: row.number("lat"), z: row.number("height") };
        let found = there.convert(at).unwrap();
        let off = (found.z - row.number("result")).abs();
        assert!(off <= row.number("to_within"), "{}: {found:?}", row.text("source"));
        let back = Converter::plan(&to, &from, &options).unwrap().convert(found).unwrap();
        assert!((back.z - at.z).abs() < 1e-9, "{}: {back:?}", row.text("source"));
    }
}

/// The registry's example of method 1087: NTF to RGF93 v1 by the four nodes around a place in France.
#[test]
fn translations_by_grid_agree_with_the_published_example() {
    let nodes = [
        (48.8, 2.4, "-168.252 -58.630 320.170"),
        (48.8, 2.5, "-168.204 -58.594 320.125"),
        (48.9, 2.4, "-168.275 -58.606 320.189"),
        (48.9, 2.5, "-168.253 -58.554 320.165"),
    ];
    let lines: String =
        nodes.map(|(lat, lon, by)| format!("00002 {lon:.9} {lat:.9} {by} 01 -2314\n")).concat();
    let file = format!(
        "GR3D 002024 024 20370201\nGR3D1 2.4 2.5 48.8 48.9 .1 .1\nGR3D2 INTERPOLATION BILINEAIRE\n\
         GR3D3 PREC CM 01:5 02:10 03:20 04:50 99>100\n{lines}"
    );
    let area = Bounds { south: 48.82, west: 2.42, north: 48.85, east: 2.43 };
    let options = options("gr3df97a.txt", file.into_bytes(), Some(area));
    let (from, to) = (crs("EPSG:4275"), crs("EPSG:4171"));
    let there = Converter::plan(&from, &to, &options).unwrap();
    let first = there.route().operations().next().and_then(Operation::code);
    assert_eq!(first, Some(9327));
    let (lat, lon) = (48.0 + 50.0 / 60.0 + 40.2441 / 3600.0, 2.0 + 25.0 / 60.0 + 32.4187 / 3600.0);
    let found = there.convert(Coordinate::xy(lon, lat)).unwrap();
    let seconds = |degrees: f64, whole: f64| (degrees - whole) * 3600.0;
    // The example is printed to a ten-thousandth of a second, and takes one round instead of more.
    assert!((seconds(found.y, 48.0 + 50.0 / 60.0) - 40.0050).abs() < 2e-4, "{found:?}");
    assert!((seconds(found.x, 2.0 + 25.0 / 60.0) - 29.8960).abs() < 2e-4, "{found:?}");
    let back = Converter::plan(&to, &from, &options).unwrap().convert(found).unwrap();
    assert!((back.x - lon).abs() < 1e-13 && (back.y - lat).abs() < 1e-13, "{back:?}");
    assert!(there.convert(Coordinate::xy(2.6, 48.85)).is_err());
    // With true heights the translations carry all three coordinates.
    let (from, to) = (crs("EPSG:4275"), crs("EPSG:4965"));
    assert!(Converter::plan(&from, &to, &options).is_ok());
}

#[test]
fn a_model_of_the_whole_earth_has_no_seam() {
    let value = |lat: f64, lon: f64| lat / 10.0 + (lon - 180.0).abs() / 100.0;
    let sheet = Sheet::of((-90.0, 0.0), (5.0, 5.0), (37, 72), |dlat, lon| value(dlat - 90.0, lon));
    for layout in ["egm2008", "egm2008-big-endian"] {
        let file = "Und_min2.5x2.5_egm2008_isw=82_WGS84_TideFree";
        let options = options(file, sheet.file(layout), None);
        let there =
            Converter::plan(&crs("EPSG:4979"), &crs("EPSG:4326+EPSG:3855"), &options).unwrap();
        assert_eq!(there.height_changes()[0].0, 3858);
        for (lat, lon) in
            [(47.4, -120.0), (-12.5, 2.5), (12.5, -2.5), (90.0, 0.0), (0.0, -180.0), (-90.0, 77.0)]
        {
            let found = there.convert(Coordinate { x: lon, y: lat, z: 0.0 }).unwrap();
            let expected = -value(lat, lon.rem_euclid(360.0));
            assert!(
                (found.z - expected).abs() < 1e-5,
                "{layout} {lat} {lon}: {found:?} {expected}"
            );
        }
    }
}

/// A row that states one height of the geoid for its whole area, and chains of which one step changes
/// the heights.
#[test]
fn rows_without_files_run_as_they_are() {
    let options = PlanOptions::default();
    let there =
        Converter::plan(&crs("EPSG:10635"), &crs("EPSG:10636+EPSG:10642"), &options).unwrap();
    assert_eq!(there.height_changes()[0].0, 10657);
    let at = Coordinate { x: -63.2, y: 17.6, z: 12.5 };
    assert!((there.convert(at).unwrap().z - 12.5).abs() < 1e-12);
    // After a change of datum: the one, and then the other.
    for [start, middle, end, lon, lat] in
        [[10638.0, 10635.0, 10643.0, -63.2, 17.6], [10738.0, 10735.0, 10741.0, -62.97, 17.5]]
    {
        let plan = |from: f64, to: f64| {
            let [from, to] = [from, to].map(|code| Crs::from_epsg(code as u32).unwrap());
            Converter::plan(&from, &to, &options).unwrap()
        };
        let at = Coordinate { x: lon, y: lat, z: 12.5 };
        let moved = plan(start, middle).convert(at).unwrap();
        let expected = plan(middle, end).convert(moved).unwrap();
        assert!((expected.z - at.z).abs() > 0.01, "{start}: {expected:?}");
        assert_eq!(plan(start, end).convert(at).unwrap(), expected, "{start}");
    }
    for code in [10657, 10658, 10675, 10754, 10755, 10756, 7965, 7983, 7987, 10392] {
        assert_eq!(needs_of(code).unwrap(), Needs::Nothing, "EPSG:{code}");
    }
    assert_eq!(needs_of(7973).unwrap(), Needs::Files(vec!["vertconw.94"]));
    // Two models one after the other; not a model and then an offset.
    let files = ["Slovakia_ETRS89h_to_Baltic1957.gtx", "Slovakia_ETRS89h_to_EVRF2007.gtx"];
    assert_eq!(needs_of(8363).unwrap(), Needs::Files(files.to_vec()));
    assert!(matches!(needs_of(9499).unwrap(), Needs::More(_)));
    assert!(by_files_between(&[5101], &[5103]).is_empty());
    assert!(by_files_between(&[5102], &[5103]).contains(&7969));
}

#[test]
fn what_is_missing_for_a_change_of_vertical_datum_is_said() {
    let error = Converter::plan(
        &crs("EPSG:4269+EPSG:5702"),
        &crs("EPSG:4269+EPSG:5703"),
        &PlanOptions::default(),
    )
    .unwrap_err();
    let text = error.to_string();
    assert!(
        error.is_no_route() && text.contains("EPSG:7969] needs the file vertconw.94 in a folder"),
        "{text}"
    );
}

#[test]
fn layouts_that_are_not_sound_say_so() {
    let sheet = Sheet::of((45.0, 2.0), (0.5, 0.5), (5, 7), surface);
    let edited = |layout: &str, from: &str, to: &str| {
        let text = String::from_utf8(sheet.file(layout)).unwrap();
        assert!(text.contains(from), "{layout}: {text}");
        text.replacen(from, to, 1).into_bytes()
    };
    let cut = |layout: &str, by: usize| {
        let mut bytes = sheet.file(layout);
        bytes.truncate(bytes.len() - by);
        bytes
    };
    let cases: Vec<(u32, Vec<u8>, &str)> = vec![
        (1082, b"# nothing\n".to_vec(), "are not those of a regular grid"),
        (
            1082,
            edited("list-blank", "46.000000", "46.030000"),
            "latitudes of its list of nodes are not those",
        ),
        (
            1082,
            edited("list-blank", "46.000000   2.000000", "46.000000   north"),
            "is no node of a latitude",
        ),
        (1082, b"1 1 5\n2 2 6\n3 3 7\n400 4 8".to_vec(), "regular grid"),
        (
            1082,
            [b"1 1 5\n".to_vec(), b"90 90 5\n1.001 1.001 5".to_vec()].concat(),
            "do not make a grid of",
        ),
        (
            1082,
            edited("list-blank", "46.000000   2.500000", "46.000000   2.000000"),
            "has the node at latitude 46°, longitude 2° twice",
        ),
        (9662, b"<html>\n</html>".to_vec(), "no line that begins with GEO"),
        (9662, b"GEO 12.0 S12 0 E130 0 0".to_vec(), "line 1 is no node of a height"),
        (9664, edited("french-lines", "GG1 2 5", "GG1 5 2"), "no limits and steps"),
        (
            9664,
            edited("french-lines", "2.500000000", "9.500000000"),
            "outside the limits in its head",
        ),
        (1073, edited("french-rows", " 2 0 1 0", " 1 0 1 0"), "in the order 1"),
        (1073, edited("french-rows", " 2 0 1 0", " 2 0 3 0"), "has 3 values, not 1"),
        (1087, sheet.file("french-rows"), "has 1 values, not 3"),
        (1073, cut("french-rows", 20), "ends before its 5 rows of 7"),
        (1073, [sheet.file("french-rows"), b" 1".to_vec()].concat(), "goes on behind its 5 rows"),
        (1073, b"2 5 45 47".to_vec(), "no limits, steps, order and counts"),
        (1085, edited("cells-centre", "nrows", "rows"), "no number `nrows`"),
        (1085, edited("cells-centre", "cellsize 0.5", "cellsize 0"), "cells are 0"),
        (1085, cut("cells-centre", 20), "ends before its 5 rows"),
        (1025, vec![0x1f, 0x8b, 8, 0], "unpack it in the folder"),
        (1025, vec![0; 64], "not made of records"),
        (1025, sheet.file("egm2008"), "not made of records"),
        (9658, sheet.file("vertcon")[..70].to_vec(), "it ends at byte 70"),
        (9658, cut("vertcon", 8), "it ends at byte"),
    ];
    for (method, file, says) in cases {
        let error =
            ShiftGrid::parse(method, &[&file]).map(|grid| grid.nodes()).unwrap_err().to_string();
        assert!(error.contains(says), "{method}: {says}: {error}");
    }
    #[cfg(feature = "geotiff")]
    for (file, says) in [
        (b"II*\0".to_vec(), "cannot be read as TIFF"),
        (cut("geotiff-area", 30), "cannot be read as TIFF"),
        (sheet.file("gtx"), "cannot be read as TIFF"),
    ] {
        let error =
            ShiftGrid::parse(1123, &[&file]).map(|grid| grid.nodes()).unwrap_err().to_string();
        assert!(error.contains(says), "{says}: {error}");
    }
}

/// The translations are those at the place on the newer datum, however steep the grid is.
#[test]
fn translations_by_grid_are_taken_where_the_place_comes_to_lie() {
    // 500 m along each axis over a tenth of a degree.
    let t = |lat: f64, lon: f64| {
        let (y, x) = ((lat - 48.8) * 10.0, (lon - 2.4) * 10.0);
        [-168.0 + 500.0 * y, -60.0 + 500.0 * x, 320.0 + 500.0 * x * y]
    };
    let lines: String = [(48.8, 2.4), (48.8, 2.5), (48.9, 2.4), (48.9, 2.5)]
        .map(|(lat, lon)| {
            let [x, y, z] = t(lat, lon);
            format!("00002 {lon:.9} {lat:.9} {x:.3} {y:.3} {z:.3} 01 -2314\n")
        })
        .concat();
    let file = format!("GR3D 1\nGR3D1 2.4 2.5 48.8 48.9 .1 .1\nGR3D2 X\nGR3D3 Y\n{lines}");
    let area = Bounds { south: 48.84, west: 2.44, north: 48.85, east: 2.45 };
    let options = options("gr3df97a.txt", file.into_bytes(), Some(area));
    let (from, to) = (crs("EPSG:4275"), crs("EPSG:4171"));
    let there = Converter::plan(&from, &to, &options).unwrap();
    for (lat, lon) in [(48.84, 2.44), (48.86, 2.47)] {
        let found = there.convert(Coordinate::xy(lon, lat)).unwrap();
        let old = Geographic { lat, lon };
        let at = geocentric::from_geographic(from.ellipsoid().unwrap(), old, 0.0);
        let by = t(found.y, found.x);
        let moved = std::array::from_fn(|axis| at[axis] + by[axis]);
        let (again, _) = geocentric::to_geographic(to.ellipsoid().unwrap(), moved);
        let off = (again.lat - found.y).hypot(again.lon - found.x);
        assert!(off < 1e-10, "{off}° off");
    }
}

/// A list of nodes that lies nowhere near where its operation is meant for is refused, whichever way round
/// it is read.
#[test]
fn lists_of_nodes_that_lie_elsewhere_are_refused() {
    let row = velvet_peg_core::registry::OperationRow::find(9925).unwrap();
    for (south, west, fits) in
        [(50.0, 10.0, true), (-40.0, 170.0, false), (10.0, 50.0, true), (-50.0, -10.0, false)]
    {
        let sheet = Sheet::of((south, west), (0.5, 0.5), (5, 7), surface);
        let read = ShiftGrid::of_operation(&row, &[&sheet.file("list-blank")]);
        match (read, fits) {
            (Ok(grid), true) => {
                let bounds = grid.boxes()[0];
                assert!((49.0..53.5).contains(&bounds.south), "{bounds:?}");
                assert_eq!(grid.nodes(), 35);
            }
            (Err(error), false) => {
                let text = error.to_string();
                assert!(text.contains("neither way round do its nodes lie where"), "{text}");
            }
            (read, _) => panic!("{south} {west}: {read:?}"),
        }
    }
}

/// Of the current operations of the registry as many as are claimed can be run, given their files; and of
/// those that cannot each says what it lacks.
#[test]
fn most_operations_of_the_registry_can_be_run_given_their_files() {
    use velvet_peg_core::registry::{OperationKind, OperationRow};
    let (mut all, mut run) = (0u32, 0u32);
    let rows = OperationRow::all().filter(|row| !row.deprecated);
    for row in rows.filter(|row| row.kind != OperationKind::Conversion) {
        all += 1;
        match needs_of(row.code).unwrap() {
            Needs::More(words) => assert!(words.len() > 10, "EPSG:{}: {words}", row.code),
            Needs::Files(files) => {
                assert!(!files.is_empty(), "EPSG:{}", row.code);
                // What is said to be read is: an empty file is refused for what it holds.
                if by_files(&row) {
                    let empty = vec![&[][..]; files.len()];
                    let error = ShiftGrid::of_operation(&row, &empty).unwrap_err();
                    assert!(!error.is_unsupported(), "EPSG:{}: {error}", row.code);
                }
                run += 1;
            }
            _ => run += 1,
        }
    }
    let least = if cfg!(feature = "geotiff") { 0.93 } else { 0.92 };
    assert!(f64::from(run) >= least * f64::from(all), "{run} of {all}");
}
