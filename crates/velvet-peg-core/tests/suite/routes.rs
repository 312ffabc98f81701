//! Which operations are taken between everyday pairs of systems, and that a way and the way back are
//! the same.

use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, PlanOptions};

fn plan(from: u32, to: u32, lat: f64, lon: f64, epoch: Option<f64>) -> Result<Converter, String> {
    let area = Some(Bounds { south: lat, west: lon, north: lat, east: lon });
    let options = PlanOptions { area, epoch, ..PlanOptions::default() };
    let crs = |code| Crs::from_epsg(code).unwrap();
    Converter::plan(&crs(from), &crs(to), &options).map_err(|error| error.to_string())
}

fn operations(converter: &Converter) -> String {
    let one = |operation: &velvet_peg_core::Operation| match operation.code() {
        None => "=".to_string(),
        Some(code) if operation.is_reversed() => format!("-{code}"),
        Some(code) => code.to_string(),
    };
    converter.route().operations().map(one).collect::<Vec<_>>().join(" ")
}

#[test]
fn everyday_pairs_take_the_operations_that_a_geodesist_would_sign() {
    let mut reader = csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../data/routes.csv").as_bytes());
    let mut wrong = Vec::new();
    for row in reader.records() {
        let row = row.unwrap();
        let number = |at: usize| row[at].parse::<f64>().unwrap();
        let (from, to) = (number(0) as u32, number(1) as u32);
        let epoch = (!row[4].is_empty()).then(|| number(4));
        let (lat, lon) = (number(2), number(3));
        let found = match plan(from, to, lat, lon, epoch) {
            Ok(converter) => {
                let known = converter.route().accuracy_m();
                let known =
                    known.map_or("?".to_string(), |m| format!("{}", (m * 1e6).round() / 1e6));
                format!("{},{known}", operations(&converter))
            }
            Err(error) => error,
        };
        if found != format!("{},{}", &row[5], &row[6]) {
            wrong.push(format!(
                "{},{},{},{},{},{found},{}",
                &row[0], &row[1], &row[2], &row[3], &row[4], &row[7]
            ));
        }
    }
    assert!(wrong.is_empty(), "\n{}", wrong.join("\n"));
}

/// Realisations of one system lie within decimetres: what is between them moves nothing by a metre.
#[test]
fn realisations_of_one_system_are_not_moved_by_the_shift_of_another() {
    for (from, to, lat, lon) in [
        (4152, 6318, 40.0, -100.0),
        (6318, 4152, 40.0, -100.0),
        (4759, 6318, 40.0, -100.0),
        (4617, 4269, 50.0, -100.0),
        (4269, 4617, 50.0, -100.0),
        (4617, 6318, 49.0, -100.0),
    ] {
        let converter = plan(from, to, lat, lon, None).unwrap();
        let moved = converter.convert(Coordinate::xy(lon, lat)).unwrap();
        assert!(
            (moved.x - lon).abs() < 1e-9 && (moved.y - lat).abs() < 1e-9,
            "{from} {to}: {moved:?}"
        );
    }
    // Through the ensemble the shift is applied once: 1 to 2 m.
    let converter = plan(4152, 9000, 40.0, -100.0, None).unwrap();
    let moved = converter.convert(Coordinate::xy(-100.0, 40.0)).unwrap();
    let metres = ((moved.x + 100.0) * 85_000.0).hypot((moved.y - 40.0) * 111_000.0);
    assert!((0.5..2.0).contains(&metres), "{metres}");
}

#[test]
fn epochs_are_years() {
    for (epoch, fits) in
        [(2026.9, true), (1900.0, true), (26.9, false), (20269.0, false), (f64::NAN, false)]
    {
        let planned = plan(6318, 9000, 40.0, -100.0, Some(epoch));
        assert_eq!(planned.is_ok(), fits, "{epoch}: {planned:?}");
    }
}
