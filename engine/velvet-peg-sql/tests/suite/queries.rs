//! What queries answer, and what is wrong with those that cannot be answered.

use crate::support::{bits, context, error, numbers, rows, texts};
use datafusion::arrow::util::pretty::pretty_format_batches;

#[tokio::test]
async fn the_plan_shows_the_systems_the_route_and_what_it_is_known_to() {
    let context = context();
    context.register_batch("t", numbers(&[("x", vec![-120.0]), ("y", vec![47.0])])).unwrap();
    let explained = context
        .sql("EXPLAIN SELECT st_x(st_transform(st_point(x, y, 4267), 'nad83 / washington north (ftus)')) FROM t")
        .await
        .unwrap()
        .collect()
        .await
        .unwrap();
    let text = pretty_format_batches(&explained).unwrap().to_string();
    for word in ["EPSG:4267", "EPSG:2285", "known to", " m"] {
        assert!(text.contains(word), "{word}: {text}");
    }
}

#[tokio::test]
async fn systems_go_with_the_columns() {
    let context = context();
    context.register_batch("t", numbers(&[("x", vec![-120.0]), ("y", vec![47.0])])).unwrap();
    let rows = rows(
        &context,
        "SELECT st_transform(st_point(x, y, 'EPSG:4326'), 'EPSG:32610') AS p FROM t",
    )
    .await;
    let field = rows.schema().field(0).clone();
    assert_eq!(field.metadata()["ARROW:extension:name"], "geoarrow.point");
    assert!(field.metadata()["ARROW:extension:metadata"].contains("EPSG:32610"));
    // Through views, aliases and tables that are made of queries.
    context
        .sql("CREATE TABLE made AS SELECT st_point(x, y, 'EPSG:4326') AS q FROM t")
        .await
        .unwrap()
        .collect()
        .await
        .unwrap();
    let zone =
        self::rows(&context, "SELECT utm_zone(r) AS zone FROM (SELECT q AS r FROM made)").await;
    assert_eq!(texts(&zone, "zone"), [Some("11N".to_string())]);
}

/// Rows that cannot be computed are NULL, or end the query.
#[tokio::test]
async fn rows_that_cannot_be_computed_are_null_or_an_error() {
    let context = context();
    context
        .register_batch("t", numbers(&[("x", vec![-123.0, -123.0]), ("y", vec![47.0, 97.0])]))
        .unwrap();
    let carried =
        "SELECT st_x(st_transform(st_point(x, y, 'EPSG:4326'), 'EPSG:32610')) AS x FROM t";
    assert_eq!(bits(&rows(&context, carried).await, "x").iter().flatten().count(), 1);
    let angle = "SELECT latitude_degrees('47°64''41.76\"N') AS x";
    assert_eq!(bits(&rows(&context, angle).await, "x"), [None]);
    let distance = "SELECT st_distance(st_point(x, y, 4326), st_point(0, 0, 4326)) AS x FROM t";
    assert_eq!(bits(&rows(&context, distance).await, "x").iter().flatten().count(), 1);
    // The grid of a zone ends where the other side of the Earth begins.
    let scale = "SELECT scale_factor(st_point(x * 1e12, y, 32610)) AS x FROM t";
    assert_eq!(bits(&rows(&context, scale).await, "x"), [None, None]);
    let reference = "SELECT grid_reference(st_point(x, y, 4326)) AS x FROM t";
    assert_eq!(texts(&rows(&context, reference).await, "x").iter().flatten().count(), 1);
    context.sql("SET velvet_peg.fail = true").await.unwrap().collect().await.unwrap();
    for (sql, says) in [
        (carried, "-123, 97 cannot be carried from EPSG:4326"),
        (angle, "minutes must be under 60"),
        (distance, "-123, 97 cannot be carried"),
        (scale, "cannot be carried from EPSG:32610"),
        (reference, "-123, 97 cannot be carried"),
        ("SELECT point_of_grid_reference('10T IT 1 2')", "is not a grid reference"),
    ] {
        let told = error(&context, sql).await;
        assert!(told.contains(says), "{sql}: {told}");
    }
}

/// Nothing stays nothing.
#[tokio::test]
async fn nulls_stay_nulls() {
    let context = context();
    for sql in [
        "SELECT st_x(NULL) AS x",
        "SELECT st_x(st_point(NULL, 47, 'EPSG:4326')) AS x",
        "SELECT st_y(st_transform(st_point(-120, NULL, 'EPSG:4326'), 'EPSG:2285')) AS x",
        "SELECT latitude_degrees(NULL) AS x",
        "SELECT st_area(declare_system(CAST(NULL AS BYTEA), 'EPSG:4326')) AS x",
        "SELECT st_distance(st_point(NULL, 1, 4326), st_point(1, 1, 4326)) AS x",
        "SELECT scale_factor(st_point(NULL, 1, 2285)) AS x",
    ] {
        assert_eq!(bits(&rows(&context, sql).await, "x"), [None], "{sql}");
    }
}

#[tokio::test]
async fn what_is_wrong_with_a_query_is_told_before_it_runs() {
    let context = context();
    context.register_batch("t", numbers(&[("x", vec![-120.0]), ("y", vec![47.0])])).unwrap();
    for (sql, says) in [
        ("SELECT st_point(x, y) FROM t", "st_point takes x, y and a reference system"),
        ("SELECT st_point(x, y, 'EPSG:99999') FROM t", "99999"),
        ("SELECT st_point(x, y, 'washington') FROM t", "washington"),
        ("SELECT st_point(x, y, CAST(x AS TEXT)) FROM t", "one for the whole column"),
        ("SELECT st_transform(struct(x, y), 'EPSG:4326') FROM t", "no reference system"),
        ("SELECT utm_zone(struct(x, y)) FROM t", "no reference system"),
        ("SELECT scale_factor(st_point(x, y, 'EPSG:4326')) FROM t", "EPSG:4326"),
    ] {
        let told = error(&context, sql).await;
        assert!(told.contains(says), "{sql}: {told}");
    }
}
