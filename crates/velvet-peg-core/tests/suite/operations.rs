//! Every operation of the registry that can be run: there and back, chains step by step, and its
//! parameters by their units.

use crate::support::data;
use std::collections::{BTreeMap, BTreeSet};
use velvet_peg_core::projection::{Parameters, Quantity};
use velvet_peg_core::registry::{Decimal, OperationKind, OperationRow, Value};
use velvet_peg_core::{Converter, Coordinate, Crs, Geographic, Operation};

/// Coordinates of this epoch, where an operation needs one.
const EPOCH: f64 = 2026.5;

/// Withdrawn rows that are mistaken: scale differences of parts per million entered as unity, which
/// turn the Earth inside out, and seconds entered as degrees.
const MISTAKEN: [u32; 3] = [1335, 1471, 1508];

fn runnable(code: u32) -> Option<Operation> {
    let found = Operation::from_epsg(code).or_else(|_| Operation::at_epoch(code, Some(EPOCH))).ok();
    assert!(found.is_none() || !MISTAKEN.contains(&code), "EPSG:{code} is mistaken, and runs");
    found
}

fn systems(row: &OperationRow) -> Option<(Crs, Crs)> {
    let system = |code: Option<u32>| Crs::from_epsg(code?).ok().filter(|crs| crs.datum().is_some());
    system(row.source).zip(system(row.target))
}

/// Places spread over the area of use.
fn places(operation: &Operation) -> Vec<Geographic> {
    let mut places = Vec::new();
    for bounds in operation.extent().boxes() {
        for (s, t) in [(0.5, 0.5), (0.1, 0.2), (0.9, 0.7)] {
            let lat = bounds.south + s * (bounds.north - bounds.south);
            let lon = bounds.west + t * (bounds.east - bounds.west);
            places.push(Geographic { lat: lat.clamp(-88.0, 88.0), lon });
        }
    }
    places
}

/// Metres between two positions, and between two heights.
fn apart_m(a: (Geographic, f64), b: (Geographic, f64)) -> f64 {
    let east = ((a.0.lon - b.0.lon + 180.0).rem_euclid(360.0) - 180.0) * a.0.lat.to_radians().cos();
    (a.0.lat - b.0.lat).hypot(east).to_radians() * 6.378e6 + (a.1 - b.1).abs()
}

#[test]
fn every_operation_leads_there_and_back() {
    let (mut places_seen, mut moved_places, mut chains, mut worst) = (0, 0, 0, 0.0_f64);
    for row in OperationRow::all().filter(|row| row.kind != OperationKind::Conversion) {
        let (Some((source, target)), Some(operation)) = (systems(&row), runnable(row.code)) else {
            continue;
        };
        let back = operation.reversed();
        assert!(back.is_reversed() && !back.reversed().is_reversed());
        for at in places(&operation) {
            let there = operation.apply(at, 120.0, &source, &target).unwrap();
            let again = back.apply(there.0, there.1, &target, &source).unwrap();
            let off = apart_m((at, 120.0), again);
            worst = worst.max(off);
            assert!(off < 2e-8, "EPSG:{} {at:?}: {off} m", row.code);
            // Not by doing nothing.
            moved_places += u32::from(apart_m((at, 120.0), there) > 1e-3);
            places_seen += 1;
        }
        chains += u32::from(row.kind == OperationKind::Concatenated);
    }
    println!("{places_seen} places, {moved_places} moved, {chains} chains, {worst:.1e} m at most");
    let enough = places_seen > 3000 && moved_places > 2000 && chains > 30;
    assert!(enough, "{places_seen} {moved_places} {chains}");
}

#[test]
fn chains_are_their_steps_one_after_the_other() {
    let (mut checked, mut turned_steps) = (0, 0);
    for row in OperationRow::all().filter(|row| row.kind == OperationKind::Concatenated) {
        let (Some((source, target)), Some(chain)) = (systems(&row), runnable(row.code)) else {
            continue;
        };
        let code = |crs: &Crs| crs.datum().and_then(|datum| datum.code());
        // Each step from the datum where the last one has led.
        let mut steps: Vec<(Operation, Crs, Crs)> = Vec::new();
        let mut at = source.clone();
        for step in &row.steps {
            let step = OperationRow::find(*step).unwrap();
            if step.kind == OperationKind::Conversion {
                continue;
            }
            let (from, to) = systems(&step).unwrap();
            let operation = runnable(step.code).unwrap();
            let turned = code(&from) != code(&at);
            turned_steps += u32::from(turned);
            let (operation, from, to) =
                if turned { (operation.reversed(), to, from) } else { (operation, from, to) };
            assert_eq!(code(&from), code(&at), "EPSG:{}", row.code);
            at = to.clone();
            steps.push((operation, from, to));
        }
        for place in places(&chain) {
            let by_steps = steps.iter().fold((place, 120.0), |(at, h), (step, from, to)| {
                step.apply(at, h, from, to).unwrap()
            });
            let by_chain = chain.apply(place, 120.0, &source, &target).unwrap();
            let off = apart_m(by_steps, by_chain);
            assert!(off < 1e-8, "EPSG:{} {place:?}: {off} m", row.code);
            let back = steps.iter().rev().fold(by_chain, |(at, h), (step, from, to)| {
                step.reversed().apply(at, h, to, from).unwrap()
            });
            let chain_back =
                chain.reversed().apply(by_chain.0, by_chain.1, &target, &source).unwrap();
            assert!(apart_m(back, chain_back) < 1e-8, "EPSG:{} backwards", row.code);
        }
        checked += 1;
    }
    assert!(checked > 30 && turned_steps > 5, "{checked} {turned_steps}");
}

/// A number as the registry prints it.
fn printed(number: Decimal) -> String {
    let digits = number.mantissa.unsigned_abs().to_string();
    let sign = if number.mantissa < 0 { "-" } else { "" };
    match usize::try_from(-i32::from(number.exponent)) {
        Ok(places) => {
            let digits = format!("{digits:0>width$}", width = places + 1);
            let (whole, behind) = digits.split_at(digits.len() - places);
            format!("{sign}{whole}.{behind}0")
        }
        Err(_) => format!("{sign}{digits}{}", "0".repeat(number.exponent as usize)),
    }
}

/// Degrees of a number that holds degrees, minutes and seconds in its digits: 44.3007 is 44° 30′
/// 07″.
fn unpacked(digits: &str) -> f64 {
    let (sign, digits) = match digits.strip_prefix('-') {
        Some(rest) => (-1.0, rest),
        None => (1.0, digits),
    };
    let (degrees, rest) = digits.split_once('.').unwrap_or((digits, ""));
    let rest = format!("{rest:0<4}");
    let seconds = format!("{}.{}", &rest[2..4], &rest[4..]);
    let number = |text: &str| text.trim_end_matches('.').parse::<f64>().unwrap();
    sign * (number(degrees) + number(&rest[..2]) / 60.0 + number(&seconds) / 3600.0)
}

#[test]
fn every_parameter_of_the_registry_is_read_in_its_unit() {
    let mut reader = csv::ReaderBuilder::new()
        .comment(Some(b'#'))
        .from_reader(include_str!("../data/units.csv").as_bytes());
    let units: BTreeMap<u32, (String, f64)> = reader
        .records()
        .map(|row| {
            let row = row.unwrap();
            (row[0].parse().unwrap(), (row[2].to_string(), row[3].parse().unwrap()))
        })
        .collect();
    let (mut unknown, mut met, mut count) = (BTreeSet::new(), BTreeSet::new(), 0);
    for row in OperationRow::all() {
        let Ok(parameters) = Parameters::from_registry(&row.parameters) else {
            assert!(MISTAKEN.contains(&row.code), "EPSG:{}", row.code);
            continue;
        };
        for ((code, value), read) in row.parameters.iter().zip(parameters.iter()) {
            assert_eq!(*code, read.code);
            let Value::Number(number, Some(unit)) = value else { continue };
            let Some((kind, size)) = units.get(unit) else {
                unknown.insert(*unit);
                continue;
            };
            met.insert(*unit);
            count += 1;
            let printed = printed(*number);
            // A few withdrawn rows give a scale factor in metres or parts per million.
            if *code == 8805 && (0.5..2.0).contains(&printed.parse::<f64>().unwrap()) {
                assert_eq!(read.quantity, Quantity::Scale(printed.parse().unwrap()));
                continue;
            }
            let expected = match kind.as_str() {
                "packed" => unpacked(&printed),
                _ => printed.parse::<f64>().unwrap() * size,
            };
            let (found, right) = match (&read.quantity, kind.as_str()) {
                (Quantity::Angle(found), "angle" | "packed") => (*found, true),
                (Quantity::Length(found), "length") => (*found, true),
                (Quantity::Scale(found), "scale") => (*found, true),
                (Quantity::Rate(found), "rate") => (*found, true),
                _ => (0.0, false),
            };
            assert!(
                right && (found - expected).abs() <= 1e-13 * expected.abs(),
                "EPSG:{} parameter {code}: {printed} of unit {unit} is read as {:?}",
                row.code,
                read.quantity
            );
        }
    }
    assert!(unknown.is_empty(), "units without an entry: {unknown:?}");
    assert!(count > 20_000 && met.len() > 20, "{count} {met:?}");
}

/// Formulas between coordinates: the published examples forward (EPSG Guidance Note 7-2, coordinates in
/// the order of the axes and the units of the systems, to the digits that are printed), and every row of
/// the registry there and back.
#[test]
fn operations_between_coordinates_give_the_published_examples_and_close() {
    for row in data("coordinate-operations.csv") {
        let code = |name: &str| row.number(name) as u32;
        let (source, target) =
            (Crs::from_epsg(code("source")).unwrap(), Crs::from_epsg(code("target")).unwrap());
        let operation = Operation::from_epsg(code("operation")).unwrap();
        let found = through(&operation, &source, &target, [row.number("a"), row.number("b")]);
        let off = (found[0] - row.number("a2")).abs().max((found[1] - row.number("b2")).abs());
        assert!(off <= row.number("within"), "{}: {found:?}", row.text("operation"));
        let back = through(&operation.reversed(), &target, &source, found);
        let unit = if source.is_geographic() { 1e-14 } else { 3e-9 };
        let off = (back[0] - row.number("a")).abs().max((back[1] - row.number("b")).abs());
        assert!(off <= 2.0 * unit, "{}: back {back:?}", row.text("operation"));
    }
    let (mut run, mut refused) = (0, Vec::new());
    for row in OperationRow::all().filter(|row| !row.deprecated) {
        let of_coordinates = matches!(row.method, Some(9617 | 9621 | 9624 | 9645..=9654 | 9656));
        let (true, Some(source), Some(target)) = (of_coordinates, row.source, row.target) else {
            continue;
        };
        let operation = match Operation::from_epsg(row.code) {
            Ok(operation) => operation,
            Err(error) => {
                refused.push(format!("{} {error}", row.code));
                continue;
            }
        };
        let (source, target) = (Crs::from_epsg(source).unwrap(), Crs::from_epsg(target).unwrap());
        let bounds = operation.extent().boxes()[0];
        let at = Geographic {
            lat: (bounds.south + bounds.north) / 2.0,
            lon: (bounds.west + bounds.east) / 2.0
                - source.datum().unwrap().prime_meridian().longitude_deg,
        };
        let (there, _) = operation.apply(at, 0.0, &source, &target).unwrap();
        let (back, _) = operation.reversed().apply(there, 0.0, &target, &source).unwrap();
        let apart = (back.lat - at.lat).hypot((back.lon - at.lon) * at.lat.to_radians().cos());
        assert!(apart.to_radians() * 6.4e6 < 5e-9, "{}: {at:?} {back:?}", row.code);
        // The datums lie within a kilometre of each other: longitudes from Greenwich.
        let greenwich =
            |crs: &Crs, lon: f64| lon + crs.datum().unwrap().prime_meridian().longitude_deg;
        let east = (greenwich(&target, there.lon) - greenwich(&source, at.lon))
            * at.lat.to_radians().cos();
        let moved = (there.lat - at.lat).hypot(east).to_radians() * 6.4e6;
        assert!(moved < 1000.0, "{}: moved by {moved} m", row.code);
        run += 1;
    }
    assert!(run > 85, "{run}");
    // Local grids have no place on the Earth; two methods and some rows are named with the reason.
    assert_eq!(refused.len(), 11, "{refused:#?}");
}

/// Coordinates in the order of the axes through an operation.
fn through(operation: &Operation, source: &Crs, target: &Crs, at: [f64; 2]) -> [f64; 2] {
    let xy = |crs: &Crs, [a, b]: [f64; 2]| if crs.is_northing_first() { [b, a] } else { [a, b] };
    let degrees = |crs: &Crs| crs.in_degrees().unwrap();
    let [x, y] = xy(source, at);
    let at =
        Converter::new(source, &degrees(source)).unwrap().convert(Coordinate::xy(x, y)).unwrap();
    let (moved, _) =
        operation.apply(Geographic { lat: at.y, lon: at.x }, 0.0, source, target).unwrap();
    let plane = Converter::new(&degrees(target), target).unwrap();
    let found = plane.convert(Coordinate::xy(moved.lon, moved.lat)).unwrap();
    xy(target, [found.x, found.y])
}
