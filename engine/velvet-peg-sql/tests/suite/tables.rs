//! Files of GeoParquet as tables, and queries as files.

use crate::support::{Wkb, bits, context, error, numbers, rows, texts};
use datafusion::arrow::array::{ArrayRef, BinaryArray, RecordBatch, StringArray};
use datafusion::arrow::util::pretty::pretty_format_batches;
use datafusion::parquet::file::reader::{FileReader, SerializedFileReader};
use datafusion::prelude::SessionContext;
use std::path::Path;
use std::sync::Arc;

async fn run(context: &SessionContext, sql: &str) {
    context.sql(sql).await.unwrap().collect().await.unwrap_or_else(|e| panic!("{sql}: {e}"));
}

/// Squares of a tenth of a degree in rows as well-known binary, one row without.
fn squares() -> RecordBatch {
    let square = |at: u32| {
        let (west, south) = (-121.0 + f64::from(at % 10) * 0.1, 47.0 + f64::from(at / 10) * 0.1);
        let (east, north) = (west + 0.09, south + 0.09);
        let ring = [west, south, east, south, east, north, west, north, west, south];
        Wkb::of(3).count(1).count(5).doubles(&ring).0
    };
    let names: StringArray = (0..=100).map(|at| Some(format!("F{at}"))).collect();
    let shapes: BinaryArray = (0..100).map(|at| Some(square(at))).chain([None]).collect();
    let columns = [("field", Arc::new(names) as ArrayRef), ("shape", Arc::new(shapes) as ArrayRef)];
    RecordBatch::try_from_iter(columns).unwrap()
}

/// Points from west to east, in the order of their numbers.
fn points() -> RecordBatch {
    let at = |count: i32| (0..count).map(f64::from);
    numbers(&[
        ("number", at(20_000).collect()),
        ("x", at(20_000).map(|at| -121.0 + at / 20_000.0).collect()),
        ("y", at(20_000).map(|at| 47.0 + (at % 100.0) / 100.0).collect()),
    ])
}

fn geo(path: &Path) -> String {
    let file = SerializedFileReader::new(std::fs::File::open(path).unwrap()).unwrap();
    let texts = file.metadata().file_metadata().key_value_metadata().unwrap();
    texts.iter().find(|text| text.key == "geo").unwrap().value.clone().unwrap()
}

/// Parts of files that a query reads, as its plan says.
async fn parts(context: &SessionContext, sql: &str) -> usize {
    let plan = context.sql(&format!("EXPLAIN {sql}")).await.unwrap().collect().await.unwrap();
    let plan = pretty_format_batches(&plan).unwrap().to_string();
    plan.lines().find(|line| line.contains("file_groups")).unwrap().matches(".parquet:").count()
}

#[tokio::test]
async fn geometries_go_to_a_file_and_come_back_with_their_systems() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("fields.parquet");
    let file = path.display();
    let made = context();
    made.register_batch("s", squares()).unwrap();
    run(
        &made,
        &format!(
            "COPY (SELECT field, st_transform(declare_system(shape, 4269), 2285) AS boundary, \
             st_point(-120.5, 47.5, 'EPSG:4269') AS middle FROM s) TO '{file}' STORED AS GEOPARQUET"
        ),
    )
    .await;
    let geo: serde_json::Value = serde_json::from_str(&geo(&path)).unwrap();
    assert_eq!((&geo["version"], &geo["primary_column"]), (&"1.1.0".into(), &"boundary".into()));
    let columns = &geo["columns"];
    assert_eq!(columns["boundary"]["encoding"], "WKB");
    assert_eq!(columns["boundary"]["crs"]["id"]["code"], 2285);
    assert_eq!(columns["boundary"]["covering"]["bbox"]["xmax"][1], "xmax");
    assert_eq!(columns["middle"]["encoding"], "point");
    assert_eq!(columns["middle"]["crs"]["id"]["code"], 4269);
    for stored in ["GEOPARQUET", "PARQUET"] {
        let read = context();
        run(&read, &format!("CREATE EXTERNAL TABLE f STORED AS {stored} LOCATION '{file}'")).await;
        let zones = rows(
            &read,
            "SELECT field, st_area(boundary) AS area, state_plane_zone(middle) AS zone FROM f ORDER BY field",
        )
        .await;
        let there: Vec<_> = bits(&zones, "area").into_iter().flatten().collect();
        assert_eq!((zones.num_rows(), there.len()), (101, 100));
        assert_eq!(texts(&zones, "zone")[0].as_deref(), Some("Washington North"));
        // As the geometries were before.
        let before = rows(
            &made,
            "SELECT st_area(st_transform(declare_system(shape, 4269), 2285)) AS area FROM s ORDER BY field",
        )
        .await;
        assert_eq!(bits(&zones, "area"), bits(&before, "area"));
    }
    // What was read goes out again with boxes made anew, also where it is watched.
    let again = folder.path().join("again.parquet");
    let read = context();
    run(&read, &format!("CREATE EXTERNAL TABLE f STORED AS GEOPARQUET LOCATION '{file}'")).await;
    let copy = format!(
        "EXPLAIN ANALYZE COPY (SELECT * FROM f) TO '{}' STORED AS GEOPARQUET",
        again.display()
    );
    run(&read, &copy).await;
    assert_eq!(self::geo(&again), self::geo(&path));
    let wrong = format!(
        "COPY (SELECT boundary, field AS boundary_bbox FROM f) TO '{}' STORED AS GEOPARQUET",
        again.display()
    );
    let told = error(&read, &wrong).await;
    assert!(told.contains("`boundary_bbox` is in the way"), "{told}");
}

/// The points of `p` as a file, `near`, in groups of so many, and as they are, `far`.
async fn near_and_far(context: &SessionContext, file: &str, group: usize) {
    let select = "SELECT *, st_point(x, y, 'EPSG:4326') AS place FROM p";
    run(
        context,
        &format!(
            "COPY ({select}) TO '{file}' STORED AS GEOPARQUET \
             OPTIONS ('format.max_row_group_size' '{group}')"
        ),
    )
    .await;
    run(context, &format!("CREATE EXTERNAL TABLE near STORED AS GEOPARQUET LOCATION '{file}'"))
        .await;
    run(context, &format!("CREATE VIEW far AS {select}")).await;
}

/// What is outside of the box that a query asks for is not read, and the answer is the same.
#[tokio::test]
async fn row_groups_elsewhere_are_not_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("points.parquet");
    let file = path.display();
    let context = context();
    context.register_batch("p", points()).unwrap();
    near_and_far(&context, &file.to_string(), 1_000).await;
    let ring = [-120.6, 47.2, -120.52, 47.2, -120.52, 47.9, -120.6, 47.9, -120.6, 47.2];
    let field = Wkb::of(3).count(1).count(5).doubles(&ring).literal();
    let field = format!("declare_system({field}, 'EPSG:4326')");
    let feet = format!("st_transform({field}, 'EPSG:2285')");
    // A condition, and the groups of a thousand that it leaves of twenty: 0.05° each.
    for (condition, most) in [
        ("st_x(place) > -120.05".to_string(), 1),
        ("st_x(place) BETWEEN -120.6 AND -120.52".to_string(), 3),
        ("-120.95 >= st_x(place) AND st_y(place) > 47.5".to_string(), 2),
        (format!("st_within(place, {field})"), 3),
        (format!("st_contains({field}, place)"), 3),
        (format!("falls_in(place, {feet})"), 4),
        (format!("falls_in(place, {feet}, 100)"), 4),
        (format!("st_intersects(place, {field}) AND number > 0"), 3),
    ] {
        let count = |table: &str| {
            format!("SELECT count(*) AS n, sum(number) AS sum FROM {table} WHERE {condition}")
        };
        let (near, far) =
            (rows(&context, &count("near")).await, rows(&context, &count("far")).await);
        assert_eq!(near, far, "{condition}");
        assert!(bits(&near, "sum")[0].is_some(), "{condition} finds nothing");
        let parts = parts(&context, &count("near")).await;
        assert!((1..=most).contains(&parts), "{condition}: {parts}");
    }
    for condition in ["number > 5", "st_x(place) > -200", "st_x(place) <> -120.5"] {
        let read = parts(&context, &format!("SELECT * FROM near WHERE {condition}")).await;
        assert_eq!(read, 0, "{condition}");
    }
    // Nothing is left of a place elsewhere; a file that has changed since is read as it is now.
    let elsewhere = "SELECT count(*) AS n FROM near WHERE st_x(place) > 0";
    assert_eq!(parts(&context, elsewhere).await, 0);
    let moved = "SELECT number, st_point(x + 200, y, 'EPSG:4326') AS place FROM p LIMIT 19000";
    run(&context, &format!("COPY ({moved}) TO '{file}' STORED AS GEOPARQUET")).await;
    let count =
        rows(&context, "SELECT CAST(count(*) AS DOUBLE) AS n FROM near WHERE st_x(place) > 0")
            .await;
    assert_eq!(bits(&count, "n"), [Some(19_000.0_f64.to_bits())]);
}

/// Far north a degree of longitude is short: what lies near a polygon of another system is still read.
#[tokio::test]
async fn metres_around_a_polygon_count_in_both_directions() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("north.parquet").display().to_string();
    let context = context();
    let x: Vec<f64> = (0..10_000).map(|at| 10.0 + f64::from(at) / 1_000.0).collect();
    let y = vec![78.0; x.len()];
    context.register_batch("p", numbers(&[("x", x), ("y", y)])).unwrap();
    near_and_far(&context, &file, 50).await;
    // A square of 100 m about 15° E, 78° N in zone 33 of UTM, on whose central meridian it lies.
    let (x, y) = (500_000.0, 8_658_300.0);
    let ring = [x, y, x + 100.0, y, x + 100.0, y + 100.0, x, y + 100.0, x, y];
    let field = Wkb::of(3).count(1).count(5).doubles(&ring).literal();
    for metres in [500, 5_000, 50_000] {
        let count = |table: &str| {
            format!(
                "SELECT CAST(count(*) AS DOUBLE) AS n FROM {table} \
                 WHERE falls_in(place, declare_system({field}, 'EPSG:32633'), {metres})"
            )
        };
        let (near, far) =
            (rows(&context, &count("near")).await, rows(&context, &count("far")).await);
        assert!(bits(&far, "n")[0] > Some(1.0_f64.to_bits()), "{metres}: {far:?}");
        assert_eq!(near, far, "{metres}");
        // Beyond 20 km around it nothing is skipped.
        let read = parts(&context, &count("near")).await;
        assert_eq!(metres <= 20_000, (1..100).contains(&read), "{metres}: {read}");
    }
}

#[tokio::test]
async fn files_that_do_not_fit_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let context = context();
    context.register_batch("p", points()).unwrap();
    let at = |name: &str| folder.path().join(name).display().to_string();
    std::fs::create_dir(folder.path().join("both")).unwrap();
    for (name, system) in [("both/a.parquet", "EPSG:4326"), ("both/b.parquet", "EPSG:4269")] {
        let to = at(name);
        run(
            &context,
            &format!("COPY (SELECT st_point(x, y, '{system}') AS p FROM p) TO '{to}' STORED AS GEOPARQUET"),
        )
        .await;
    }
    run(
        &context,
        &format!("COPY (SELECT x, y FROM p) TO '{}' STORED AS PARQUET", at("bare.parquet")),
    )
    .await;
    std::fs::write(at("text.parquet"), "no Parquet at all").unwrap();
    for (sql, says) in [
        (
            format!("CREATE EXTERNAL TABLE t STORED AS GEOPARQUET LOCATION '{}/'", at("both")),
            "say different things of their geometries",
        ),
        (
            format!("CREATE EXTERNAL TABLE t STORED AS PARQUET LOCATION '{}/'", at("both")),
            "b.parquet",
        ),
        (
            format!(
                "CREATE EXTERNAL TABLE t STORED AS GEOPARQUET LOCATION '{}'",
                at("bare.parquet")
            ),
            "has no metadata of geometries",
        ),
        (
            format!("CREATE EXTERNAL TABLE t STORED AS PARQUET LOCATION '{}'", at("text.parquet")),
            "text.parquet: cannot be read as Parquet",
        ),
        (
            format!("COPY (SELECT x FROM p) TO '{}' STORED AS GEOPARQUET", at("none.parquet")),
            "nothing of this query is a geometry",
        ),
    ] {
        let told = error(&context, &sql).await;
        assert!(told.contains(says), "{sql}: {told}");
    }
    assert!(!folder.path().join("none.parquet").exists());
    // Plain Parquet is what it was.
    run(
        &context,
        &format!("CREATE EXTERNAL TABLE t STORED AS PARQUET LOCATION '{}'", at("bare.parquet")),
    )
    .await;
    let count = rows(&context, "SELECT CAST(count(*) AS DOUBLE) AS n FROM t").await;
    assert_eq!(bits(&count, "n"), [Some(20_000.0_f64.to_bits())]);
}
