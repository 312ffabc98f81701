//! Lines and polygons as well-known binary: heights stay, holes are taken off, what is cut or made up is refused.

use crate::support::{Wkb, binaries, bits, context, error, rows};
use datafusion::arrow::array::AsArray;
use velvet_peg_core::{Converter, Crs, Geodesic, Geographic};

const SQUARE: [f64; 10] = [-120.0, 47.0, -119.0, 47.0, -119.0, 48.0, -120.0, 48.0, -120.0, 47.0];
const HOLE: [f64; 8] = [-119.8, 47.2, -119.2, 47.2, -119.5, 47.8, -119.8, 47.2];

fn polygon() -> Wkb {
    Wkb::of(3).count(2).count(5).doubles(&SQUARE).count(4).doubles(&HOLE)
}

#[tokio::test]
async fn holes_are_taken_off_and_parts_summed() {
    let twice = Wkb::of(6).count(2).with(polygon()).with(polygon());
    let line = Wkb::of(2).count(2).doubles(&SQUARE[..4]);
    let mixed = Wkb::of(7).count(2).with(polygon()).with(line);
    let empty = Wkb::of(3).count(0);
    let shapes = [polygon(), twice, mixed, empty].map(|wkb| wkb.0);
    let context = context();
    context.register_batch("t", binaries(&shapes)).unwrap();
    let found = rows(
        &context,
        "SELECT st_area(s) AS area, st_length(s) AS length FROM \
         (SELECT declare_system(shape, 'EPSG:4269') AS s FROM t)",
    )
    .await;
    let geodesic = Geodesic::new(Crs::from_epsg(4269).unwrap().ellipsoid().unwrap());
    let places = |numbers: &[f64]| -> Vec<Geographic> {
        numbers.chunks(2).map(|at| Geographic { lat: at[1], lon: at[0] }).collect()
    };
    let area = geodesic.polygon(&places(&SQUARE)).area_m2.abs()
        - geodesic.polygon(&places(&HOLE)).area_m2.abs();
    assert!(area > 6e9 && area < 8e9, "{area}");
    let wanted = [area, area + area, area, 0.0].map(Some);
    let areas: Vec<Option<f64>> =
        bits(&found, "area").into_iter().map(|area| area.map(f64::from_bits)).collect();
    for (area, wanted) in areas.iter().zip(wanted) {
        assert!((area.unwrap() - wanted.unwrap()).abs() < 1e-5, "{areas:?}");
    }
    let length = geodesic.line_length_m(&places(&SQUARE[..4]));
    assert_eq!(bits(&found, "length"), [0.0, 0.0, length, 0.0].map(|l: f64| Some(l.to_bits())));
}

#[tokio::test]
async fn heights_and_measures_stay_where_coordinates_are_carried() {
    let line = |kind: u32, more: &[f64]| {
        let vertices = [[-123.0, 47.0], [-122.9, 47.1]];
        let numbers: Vec<f64> =
            vertices.iter().flat_map(|at| [at.as_slice(), more].concat()).collect();
        Wkb::of(kind).count(2).doubles(&numbers).0
    };
    // Heights, measures, both, and heights as other programs flag them.
    let kinds = [(2, 0), (1002, 1), (2002, 1), (3002, 2), (0x8000_0002, 1)];
    let context = context();
    let shapes = kinds.map(|(kind, more)| line(kind, &[312.5, 7.25][..more]));
    context.register_batch("t", binaries(&shapes)).unwrap();
    let sql = "SELECT st_transform(shape, 'EPSG:4326', 'EPSG:32610') AS there FROM t";
    let found = rows(&context, sql).await;
    let (mut x, mut y) = (vec![-123.0, -122.9], vec![47.0, 47.1]);
    let [from, to] = [4326, 32610].map(|code| Crs::from_epsg(code).unwrap());
    Converter::new(&from, &to).unwrap().convert_columns(&mut x, &mut y, None);
    for (at, (kind, more)) in kinds.into_iter().enumerate() {
        let numbers: Vec<f64> = (0..2)
            .flat_map(|at| [[x[at], y[at]].as_slice(), &[312.5, 7.25][..more]].concat())
            .collect();
        let wanted = Wkb::of(kind).count(2).doubles(&numbers).0;
        assert_eq!(found.column(0).as_binary::<i32>().value(at), wanted, "{kind}");
    }
}

#[tokio::test]
async fn what_is_no_geometry_is_null_or_an_error() {
    let whole = polygon().0;
    let mut wrong: Vec<Vec<u8>> = (1..whole.len()).map(|end| whole[..end].to_vec()).collect();
    wrong.push(Wkb::of(3).count(u32::MAX).0);
    wrong.push(Wkb::of(2).count(u32::MAX).0);
    wrong.push(Wkb::of(99).0);
    wrong.push(vec![7, 0, 0, 0, 1]);
    let mut deep = Wkb::of(7).count(1);
    for _ in 0..10_000 {
        deep = deep.with(Wkb::of(7).count(1));
    }
    wrong.push(deep.0);
    // What stands around it is measured all the same.
    let count = wrong.len();
    let shapes: Vec<Vec<u8>> =
        wrong.iter().flat_map(|shape| [polygon().0, shape.clone()]).collect();
    let context = context();
    context.register_batch("t", binaries(&shapes)).unwrap();
    let sql = "SELECT st_area(shape, 'EPSG:4326') AS area, \
               st_area(st_transform(shape, 'EPSG:4326', 'EPSG:32611')) AS there FROM t";
    let found = rows(&context, sql).await;
    for column in ["area", "there"] {
        let areas = bits(&found, column);
        let (right, wrong): (Vec<_>, Vec<_>) = areas.chunks(2).map(|two| (two[0], two[1])).unzip();
        assert!(right.iter().all(|area| area.is_some() && *area == right[0]), "{column}");
        assert_eq!(wrong, vec![None; count], "{column}");
    }
    context.sql("SET velvet_peg.fail = true").await.unwrap().collect().await.unwrap();
    for (at, shape) in wrong.into_iter().enumerate() {
        context.register_batch("one", binaries(&[shape])).unwrap();
        let told = error(&context, "SELECT st_area(shape, 'EPSG:4326') FROM one").await;
        assert!(told.contains("st_area: a geometry is no well-known binary"), "{at}: {told}");
        context.deregister_table("one").unwrap();
    }
}
