//! Points in polygons: row by row, and joined with an index, which has to answer the same.

use crate::support::{Wkb, bits, context, error, numbers, rows, texts};
use datafusion::arrow::array::{
    Array, ArrayRef, AsArray, BinaryArray, Float64Array, RecordBatch, StringArray,
};
use datafusion::arrow::util::pretty::pretty_format_batches;
use datafusion::prelude::SessionContext;
use std::sync::Arc;
use velvet_peg_core::planar::{Placing, Region};
use velvet_peg_core::{Converter, Crs};

type Ring = Vec<(f64, f64)>;

/// Fields of the district in feet: squares in rows, every fifth with a hole, and one over all of them.
fn fields() -> Vec<(String, Vec<Ring>)> {
    let square = |x: f64, y: f64, side: f64| -> Ring {
        vec![(x, y), (x + side, y), (x + side, y + side), (x, y + side), (x, y)]
    };
    let mut fields: Vec<(String, Vec<Ring>)> = (0..40)
        .map(|at| {
            let (x, y) =
                (1_837_000.0 + f64::from(at % 8) * 700.0, 150_000.0 + f64::from(at / 8) * 700.0);
            let mut rings = vec![square(x, y, 600.0)];
            if at % 5 == 0 {
                rings.push(square(x + 200.0, y + 200.0, 200.0));
            }
            (format!("F{at}"), rings)
        })
        .collect();
    fields.push(("all".to_string(), vec![square(1_837_000.0, 150_000.0, 5_000.0)]));
    fields
}

fn binary(rings: &[Ring]) -> Vec<u8> {
    let start = Wkb::of(3).count(rings.len() as u32);
    let with = |wkb: Wkb, ring: &Ring| {
        let numbers: Vec<f64> = ring.iter().flat_map(|at| [at.0, at.1]).collect();
        wkb.count(ring.len() as u32).doubles(&numbers)
    };
    rings.iter().fold(start, with).0
}

/// Points over the fields and beside them in degrees, as every place that the grid of the table has.
fn places() -> (Vec<f64>, Vec<f64>) {
    let way =
        Converter::new(&Crs::from_epsg(2285).unwrap(), &Crs::from_epsg(4326).unwrap()).unwrap();
    let (mut x, mut y): (Vec<f64>, Vec<f64>) = (0..3_000)
        .map(|at| {
            let (column, row) = (f64::from(at % 60), f64::from(at / 60));
            (1_836_800.0 + column * 101.3, 149_900.0 + row * 98.7)
        })
        .unzip();
    way.convert_columns(&mut x, &mut y, None);
    (x, y)
}

/// Tables of both, one row of each without a place.
async fn tables() -> SessionContext {
    let context = context();
    let (mut x, mut y) = places();
    x.push(f64::NAN);
    y.push(47.0);
    let number = (0..x.len()).map(|at| at as f64).collect();
    context.register_batch("p", numbers(&[("number", number), ("x", x), ("y", y)])).unwrap();
    let fields = fields();
    let names: StringArray =
        fields.iter().map(|(name, _)| name.as_str()).chain(["none"]).map(Some).collect();
    let shapes: BinaryArray =
        fields.iter().map(|(_, rings)| Some(binary(rings))).chain([None]).collect();
    let batch = RecordBatch::try_from_iter([
        ("field", Arc::new(names) as ArrayRef),
        ("shape", Arc::new(shapes) as ArrayRef),
    ]);
    context.register_batch("f", batch.unwrap()).unwrap();
    for view in [
        "CREATE VIEW points AS SELECT number, st_point(x, y, 'EPSG:4326') AS place FROM p",
        "CREATE VIEW fields AS SELECT field, declare_system(shape, 'EPSG:2285') AS boundary FROM f",
    ] {
        context.sql(view).await.unwrap().collect().await.unwrap();
    }
    context
}

/// Numbers of points with the fields that they are in, by the library.
fn wanted() -> Vec<(u64, String)> {
    let (x, y) = places();
    let way =
        Converter::new(&Crs::from_epsg(4326).unwrap(), &Crs::from_epsg(2285).unwrap()).unwrap();
    let (mut x, mut y) = (x, y);
    way.convert_columns(&mut x, &mut y, None);
    let mut wanted = Vec::new();
    for (name, rings) in fields() {
        let columns: Vec<(Vec<f64>, Vec<f64>)> =
            rings.iter().map(|ring| ring.iter().copied().unzip()).collect();
        let region = Region::new(columns.iter().map(|(x, y)| (&x[..], &y[..])));
        for at in 0..x.len() {
            if region.place((x[at], y[at])) == Placing::Inside {
                wanted.push((at as u64, name.clone()));
            }
        }
    }
    wanted.sort();
    wanted
}

/// The pairs that a query of `number` and `field` gives.
fn found(rows: &RecordBatch) -> Vec<(u64, String)> {
    let number = bits(rows, "number");
    let field = texts(rows, "field");
    let pair = |(number, field): (Option<u64>, Option<String>)| {
        (f64::from_bits(number.unwrap()) as u64, field.unwrap_or("-".to_string()))
    };
    let mut found: Vec<(u64, String)> = number.into_iter().zip(field).map(pair).collect();
    found.sort();
    found
}

async fn plan(context: &SessionContext, sql: &str) -> String {
    let rows = context.sql(&format!("EXPLAIN {sql}")).await.unwrap().collect().await.unwrap();
    pretty_format_batches(&rows).unwrap().to_string()
}

#[tokio::test]
async fn joins_with_an_index_give_what_every_comparison_gives() {
    let context = tables().await;
    let wanted = wanted();
    assert!(wanted.len() > 3_000, "{}", wanted.len());
    let in_any: std::collections::BTreeSet<u64> = wanted.iter().map(|(at, _)| *at).collect();
    let all: Vec<(u64, String)> = {
        let out = (0..=3_000).filter(|at| !in_any.contains(at)).map(|at| (at, "-".to_string()));
        let mut all: Vec<_> = wanted.iter().cloned().chain(out).collect();
        all.sort();
        all
    };
    let once = |inside: bool| -> Vec<(u64, String)> {
        (0..=3_000)
            .filter(|at| in_any.contains(at) == inside)
            .map(|at| (at, "-".to_string()))
            .collect()
    };
    let without_f1: Vec<_> = wanted.iter().filter(|(_, field)| field != "F1").cloned().collect();
    let late: Vec<_> =
        wanted.iter().filter(|(at, field)| *at >= 100 || field != "all").cloned().collect();
    for (sql, wanted) in [
        ("SELECT number, field FROM points JOIN fields ON st_within(place, boundary)", &wanted),
        ("SELECT number, field FROM fields JOIN points ON st_within(place, boundary)", &wanted),
        ("SELECT field, number FROM points, fields WHERE st_contains(boundary, place)", &wanted),
        ("SELECT number, field FROM points LEFT JOIN fields ON st_within(place, boundary)", &all),
        (
            "SELECT number, field FROM fields RIGHT JOIN points ON st_contains(boundary, place)",
            &all,
        ),
        (
            "SELECT number, '-' AS field FROM points WHERE EXISTS \
             (SELECT 1 FROM fields WHERE st_within(place, boundary))",
            &once(true),
        ),
        (
            "SELECT number, '-' AS field FROM points WHERE NOT EXISTS \
             (SELECT 1 FROM fields WHERE st_within(place, boundary))",
            &once(false),
        ),
        (
            "SELECT number, field FROM points JOIN fields \
             ON st_within(st_transform(place, 'EPSG:2285'), boundary) AND field <> 'F1'",
            &without_f1,
        ),
        (
            "SELECT number, field FROM p JOIN f ON st_within(st_point(x, y, 4326), \
             declare_system(shape, 2285)) AND (number >= 100 OR field <> 'all')",
            &late,
        ),
    ] {
        let plan = plan(&context, sql).await;
        assert!(plan.contains("PolygonJoin") && !plan.contains("NestedLoop"), "{sql}\n{plan}");
        assert_eq!(&found(&rows(&context, sql).await), wanted, "{sql}");
    }
    // Where polygons without points are asked for, all are compared with all, and the answer is right too.
    let full = "SELECT number, field FROM points FULL JOIN fields ON st_within(place, boundary) \
                WHERE number IS NOT NULL";
    assert_eq!(found(&rows(&context, full).await), all);
    let plan =
        plan(&context, "SELECT 1 FROM points JOIN fields ON falls_in(place, boundary)").await;
    for word in ["falls_in with 0.001 m", "EPSG:4326", "EPSG:2285", "known to"] {
        assert!(plan.contains(word), "{word}: {plan}");
    }
}

/// On a boundary and beside it: each relation says its own, in a join as row by row.
#[tokio::test]
async fn boundaries_belong_to_those_relations_that_say_so() {
    let context = context();
    // Metres from the west side of a square in UTM.
    let beside = [-2.0, -0.0015, -0.0008, 0.0, 0.0008, 1.0];
    let x = beside.iter().map(|at| 500_000.0 + at).collect();
    let y = vec![5_200_010.0; beside.len()];
    context.register_batch("p", numbers(&[("at", beside.to_vec()), ("x", x), ("y", y)])).unwrap();
    let square = vec![
        (500_000.0, 5_200_000.0),
        (500_020.0, 5_200_000.0),
        (500_020.0, 5_200_020.0),
        (500_000.0, 5_200_020.0),
        (500_000.0, 5_200_000.0),
    ];
    let shapes = BinaryArray::from_iter_values([binary(&[square])]);
    let batch = RecordBatch::try_from_iter([("shape", Arc::new(shapes) as ArrayRef)]).unwrap();
    context.register_batch("f", batch).unwrap();
    let pair = "st_point(x, y, 32611), declare_system(shape, 32611)";
    for (call, first) in [
        (format!("st_within({pair})"), 4),
        (format!("st_intersects({pair})"), 3),
        (format!("falls_in({pair})"), 2),
        (format!("falls_in({pair}, 0)"), 3),
        (format!("falls_in({pair}, 0.002)"), 1),
        (format!("falls_in({pair}, 3)"), 0),
    ] {
        // A join, and a column, which is computed row by row.
        let joined = format!("SELECT at FROM p JOIN f ON {call}");
        let each =
            format!("SELECT at FROM (SELECT at, {call} AS inside FROM p, f) WHERE inside IS TRUE");
        for sql in [joined, each] {
            let found = rows(&context, &sql).await;
            let column = found.column_by_name("at").unwrap();
            let mut found: Vec<f64> =
                column.as_any().downcast_ref::<Float64Array>().unwrap().values().to_vec();
            found.sort_by(f64::total_cmp);
            assert_eq!(found, beside[first..], "{sql}");
        }
    }
    let told = error(&context, &format!("SELECT * FROM p JOIN f ON falls_in({pair}, -1)")).await;
    assert!(told.contains("tolerance of -1 m"), "{told}");
    let told =
        error(&context, "SELECT * FROM p, f WHERE st_within(st_point(x, y, 32611), shape)").await;
    assert!(told.contains("`shape` have no reference system"), "{told}");
    let line = Wkb::of(2).count(2).doubles(&[0.0, 0.0, 1.0, 1.0]).0;
    let lines = BinaryArray::from_iter_values([line]);
    let batch = RecordBatch::try_from_iter([("shape", Arc::new(lines) as ArrayRef)]).unwrap();
    context.register_batch("l", batch).unwrap();
    let sql =
        "SELECT st_within(st_point(x, y, 32611), declare_system(shape, 32611)) AS inside FROM p, l";
    assert_eq!(rows(&context, sql).await.column(0).null_count(), beside.len());
    context.sql("SET velvet_peg.fail = true").await.unwrap().collect().await.unwrap();
    for sql in [
        sql,
        "SELECT 1 FROM p JOIN l ON st_within(st_point(x, y, 32611), declare_system(shape, 32611))",
    ] {
        let told = error(&context, sql).await;
        assert!(told.contains("is no polygon"), "{sql}: {told}");
    }
}

/// Points as well-known binary do what points as columns do; what is several, or no point, is none.
#[tokio::test]
async fn points_may_be_well_known_binary() {
    let context = context();
    let point = Wkb::of(1).doubles(&[-120.0, 47.0]).0;
    let two = Wkb::of(4).count(2).with(Wkb(point.clone())).with(Wkb(point.clone())).0;
    let one = Wkb::of(4).count(1).with(Wkb(point.clone())).0;
    let high = Wkb::of(1001).doubles(&[-120.0, 47.0, 390.0]).0;
    let empty = Wkb::of(1).doubles(&[f64::NAN, f64::NAN]).0;
    let line = Wkb::of(2).count(1).doubles(&[-120.0, 47.0]).0;
    let shapes = BinaryArray::from_iter_values([point, two, one, high, empty, line]);
    let batch = RecordBatch::try_from_iter([("shape", Arc::new(shapes) as ArrayRef)]).unwrap();
    context.register_batch("t", batch).unwrap();
    let x = rows(&context, "SELECT st_x(declare_system(shape, 4326)) AS x FROM t").await;
    let there: Vec<bool> = bits(&x, "x").iter().map(Option::is_some).collect();
    assert_eq!(there, [true, false, true, true, false, false]);
    let zone =
        rows(&context, "SELECT utm_zone(declare_system(shape, 4326)) AS zone FROM t LIMIT 1").await;
    assert_eq!(zone.column(0).as_string::<i32>().value(0), "11N");
    context.sql("SET velvet_peg.fail = true").await.unwrap().collect().await.unwrap();
    let told = error(&context, "SELECT st_x(shape) FROM t").await;
    assert!(told.contains("is not one point"), "{told}");
}
