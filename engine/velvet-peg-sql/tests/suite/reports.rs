//! What is said of rows that cannot be computed, of routes, and of geometries.

use crate::support::{Wkb, context, error, numbers, rows, texts};
use datafusion::arrow::array::{Array, ArrayRef, AsArray, BinaryArray, RecordBatch};
use datafusion::arrow::datatypes::Float64Type;
use datafusion::arrow::util::pretty::pretty_format_batches;
use datafusion::prelude::SessionContext;
use std::process::{Command, Output, Stdio};
use std::sync::Arc;
use velvet_peg_sql::{Settings, readable};

/// What was counted of a query: function, times, the first reason.
async fn counted(context: &SessionContext, sql: &str) -> Vec<(String, u64, String)> {
    context.sql(sql).await.unwrap().collect().await.unwrap();
    let state = context.state();
    let counts = Settings::of_config(state.config_options()).unwrap().take_counts();
    counts.into_iter().map(|count| (count.function, count.times, count.first)).collect()
}

#[tokio::test]
async fn what_cannot_be_computed_is_counted_with_the_first_reason() {
    let context = context();
    // Two places beyond the pole, one that is none: that is no failure.
    let x = vec![-123.0, -123.0, f64::NAN, -123.0];
    context.register_batch("t", numbers(&[("x", x), ("y", vec![47.0, 97.0, 1.0, 98.0])])).unwrap();
    let line = |lat: f64| Wkb::of(2).count(3).doubles(&[-123.0, 47.0, -123.0, lat, -123.0, lat]).0;
    let cut = line(47.5)[..30].to_vec();
    let shapes = BinaryArray::from_iter_values([line(47.5), line(97.0), cut]);
    let batch = RecordBatch::try_from_iter([("shape", Arc::new(shapes) as ArrayRef)]).unwrap();
    context.register_batch("s", batch).unwrap();
    for (sql, function, times, first) in [
        (
            "SELECT st_transform(st_point(x, y, 4326), 32610) FROM t",
            "st_transform",
            2,
            "-123, 97 cannot",
        ),
        ("SELECT utm_zone(st_point(x, y, 4326)) FROM t WHERE y < 90", "", 0, ""),
        ("SELECT latitude_degrees('12°61''N') FROM t", "latitude_degrees", 1, "minutes"),
        ("SELECT longitude_degrees(concat(x, '°E?')) FROM t", "longitude_degrees", 4, "angle"),
        (
            "SELECT point_of_grid_reference(concat('10T IT ', x)) FROM t",
            "point_of_grid_reference",
            4,
            "grid",
        ),
        // A line counts once, however many of its vertices are lost; bytes that are cut off count too.
        ("SELECT st_transform(declare_system(shape, 4326), 32610) FROM s", "st_transform", 2, ""),
        ("SELECT st_length(declare_system(shape, 4326)) FROM s", "st_length", 2, ""),
        (
            "SELECT 1 FROM t JOIN s ON st_within(st_point(x, y, 32610), declare_system(shape, 32610))",
            "st_within",
            3,
            "",
        ),
    ] {
        let found = counted(&context, sql).await;
        match times {
            0 => assert_eq!(found, [], "{sql}"),
            _ => {
                assert_eq!(found.len(), 1, "{sql}: {found:?}");
                let (name, count, why) = &found[0];
                assert_eq!((name.as_str(), *count), (function, times), "{sql}: {why}");
                assert!(why.contains(first), "{sql}: {why}");
            }
        }
        // Taken once, the counts begin anew.
        assert_eq!(counted(&context, "SELECT 1").await, [], "{sql}");
    }
}

#[tokio::test]
async fn routes_are_a_table() {
    let context = context();
    let table = rows(&context, "SELECT * FROM routes('EPSG:4267', 4269) ORDER BY taken DESC").await;
    let (routes, needs) = (texts(&table, "route"), texts(&table, "needs"));
    let known = table.column_by_name("accuracy_m").unwrap().as_primitive::<Float64Type>();
    let taken = table.column_by_name("taken").unwrap().as_boolean();
    assert_eq!(taken.true_count(), 1);
    assert!(taken.value(0) && needs[0].is_none() && known.value(0) > 1.0);
    let grid =
        routes.iter().position(|route| route.as_deref() == Some("NAD27 to NAD83 (1) [EPSG:1241]"));
    let grid = grid.expect("the grid of the registry");
    assert!(needs[grid].as_deref().unwrap().contains("conus.las"));
    assert_eq!(known.value(grid), 0.15);
    let same =
        rows(&context, "SELECT route, accuracy_m FROM routes('EPSG:4269', 'EPSG:2285')").await;
    assert_eq!((same.num_rows(), same.column(1).null_count()), (1, 0));
    // Where the data lies decides which is the best.
    let taken = async |area: &str| {
        context.sql(&format!("SET velvet_peg.area = '{area}'")).await.unwrap();
        let best = "SELECT route FROM routes('EPSG:4267', 'EPSG:4269') WHERE taken";
        texts(&rows(&context, best).await, "route")[0].clone().unwrap()
    };
    let (everywhere, here) = (taken("").await, taken("47.3,-120.1,47.5,-119.9").await);
    assert_ne!(everywhere, here);
    let table = "SELECT st_transform(st_point(-120.0 + value / 1e9, 47.4, 4267), 4269) FROM generate_series(1, 3)";
    let plan = context.sql(&format!("EXPLAIN {table}")).await.unwrap().collect().await.unwrap();
    assert!(pretty_format_batches(&plan).unwrap().to_string().contains(&here));
    for (sql, says) in [
        ("SET velvet_peg.area = '47.3,-120.1,47.5'", "is no area: south, west, north and east"),
        ("SET velvet_peg.area = '48,-120.1,47.5,-119'", "is no area"),
        ("SET velvet_peg.fail = 'maybe'", "is true or false"),
        ("SET velvet_peg.nothing = 1", "there is no setting velvet_peg.nothing"),
        ("SELECT * FROM routes('EPSG:4267')", "takes two reference systems"),
        ("SELECT * FROM routes('EPSG:4267', 'EPSG:99999')", "99999"),
    ] {
        let told = error(&context, sql).await;
        assert!(told.contains(says), "{sql}: {told}");
    }
}

#[test]
fn geometries_are_shown_in_words() {
    let ring = [0.0, 0.0, 1.0, 0.0, 1.0, 1.0, 0.0, 0.0];
    let polygon = || Wkb::of(3).count(1).count(4).doubles(&ring);
    let line = Wkb::of(2).count(2).doubles(&ring[..4]);
    let shapes = [
        polygon().0,
        Wkb::of(6).count(2).with(polygon()).with(polygon()).0,
        Wkb::of(7).count(2).with(polygon()).with(line).0,
        Wkb::of(1).doubles(&[1.0, 2.0]).0,
        Wkb::of(7).count(0).0,
    ];
    let batch = tokio::runtime::Runtime::new().unwrap().block_on(async {
        let context = context();
        let shapes = BinaryArray::from_iter_values(shapes);
        let batch = RecordBatch::try_from_iter([("shape", Arc::new(shapes) as ArrayRef)]);
        context.register_batch("t", batch.unwrap()).unwrap();
        rows(&context, "SELECT declare_system(shape, 4326) AS s, shape FROM t").await
    });
    let shown = pretty_format_batches(&readable(&[batch]).unwrap()).unwrap().to_string();
    for words in [
        "| polygon of 4 vertices ",
        "| 2 polygons of 8 vertices ",
        "| line, polygon of 6 vertices ",
        "| point of 1 vertex ",
        "| empty ",
        // What is not said to be a geometry is what it is.
        "| 0103000000",
    ] {
        assert!(shown.contains(words), "{words}: {shown}");
    }
}

fn runner(words: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_vpeg-sql")).args(words).output().unwrap()
}

/// The runner says what it counted; grid files come from a folder, and what needs them says so.
#[test]
fn the_runner_tells_counts_and_takes_grids() {
    let out = runner(&["-c", "SELECT latitude_degrees('95 N') AS a"]);
    let told = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(told.starts_with("note: latitude_degrees gave NULL once; the first time: "), "{told}");
    assert!(out.status.success());
    let folder = tempfile::tempdir().unwrap();
    let here = folder.path().display().to_string();
    std::fs::write(folder.path().join("CONUS.LAS"), shifts(&|_, _| 1.0)).unwrap();
    std::fs::write(folder.path().join("conus.los"), shifts(&|_, _| 4.0)).unwrap();
    // The grid covers where the data lies, and not all that both systems are used in.
    let query = "SET velvet_peg.area = '47.3,-120.7,47.7,-120.3'; \
                 SELECT st_y(st_transform(st_point(-120.5, 47.5, 4267), 4269)) AS y, \
                 st_x(st_transform(st_point(-120.5, 47.5, 4267), 4269)) AS x";
    let shifted = runner(&["--grids", &here, "-c", query]);
    let text = String::from_utf8_lossy(&shifted.stdout).into_owned();
    // A second north, and four seconds west: the shift of longitude counts west.
    assert!(text.contains("47.50027777") && text.contains("-120.50111111"), "{text}");
    assert_ne!(String::from_utf8_lossy(&runner(&["-c", query]).stdout), text);
    // Where a better route is known somewhere and nothing says where the data lies, that is told, and once.
    let told = |query: &str| String::from_utf8_lossy(&runner(&["-c", query]).stderr).into_owned();
    let carried = "SELECT st_x(st_transform(st_point(-120.5, 47.5, 4267), 4269)) AS x";
    let notes = told(carried);
    assert!(
        notes.starts_with("note: EPSG:4267 to EPSG:4269 by ") && notes.lines().count() == 1,
        "{notes}"
    );
    assert!(notes.contains("SET velvet_peg.area"), "{notes}");
    assert_eq!(told(&format!("SET velvet_peg.area = '47,-121,48,-120'; {carried}")), "");
    assert_eq!(told("SELECT st_x(st_transform(st_point(-120.5, 47.5, 4326), 2285)) AS x"), "");
    let lacking = runner(&["--grids", "/nowhere/at/all", "-c", "SELECT 1"]);
    assert!(String::from_utf8_lossy(&lacking.stderr).contains("is no folder of grid files"));
    assert_eq!(lacking.status.code(), Some(1));
}

/// A NADCON file of shifts in seconds over Washington, a degree apart.
pub fn shifts(shift: &dyn Fn(f64, f64) -> f32) -> Vec<u8> {
    let (rows, columns) = (6_i32, 30_i32);
    let mut bytes = format!("{:<56}{:<8}", "TUMBLEWICK", "made up").into_bytes();
    [columns, rows, 1].iter().for_each(|number| bytes.extend(number.to_le_bytes()));
    [-130.0_f32, 1.0, 44.0, 1.0, 0.0].iter().for_each(|number| bytes.extend(number.to_le_bytes()));
    bytes.resize((columns as usize + 1) * 4, 0);
    for row in 0..rows {
        bytes.extend((row + 1).to_le_bytes());
        for column in 0..columns {
            bytes.extend(shift(-130.0 + f64::from(column), 44.0 + f64::from(row)).to_le_bytes());
        }
    }
    bytes
}

/// What data has for a terminal is shown, not sent, and a reader that has seen enough may leave.
#[test]
fn data_gives_the_terminal_no_commands() {
    let hostile = "\u{1b}[31mred\u{1b}]0;own\u{7}\u{202e}x";
    for sql in [
        format!("SELECT '{hostile}' AS a"),
        format!("SELECT 1 AS \"{hostile}\""),
        format!("SELECT latitude_degrees('{hostile}') AS a"),
        format!("SELECT nothing('{hostile}')"),
        format!("SELECT 1 FROM '{hostile}'"),
    ] {
        let out = runner(&["-c", &sql]);
        let text = String::from_utf8([out.stdout, out.stderr].concat()).unwrap();
        let raw = |c: char| (c.is_control() && c != '\n') || c == '\u{202e}';
        assert!(!text.contains(raw), "{sql}: {text:?}");
        let named = sql.contains("nothing");
        assert!(named || text.contains("\\u{1b}[31mred"), "{sql}: {text}");
    }
    let mut long = Command::new(env!("CARGO_BIN_EXE_vpeg-sql"))
        .args(["-c", "SELECT value, repeat('x', 200) FROM generate_series(1, 20000)"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    drop(long.stdout.take());
    let ended = long.wait_with_output().unwrap();
    assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
}
