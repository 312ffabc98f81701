//! The embedded tables: whole, in order, within their budget, and true to the dataset.

use velvet_peg_epsg::{
    CoordinateSystemRow, CrsKind, CrsRow, DatumKind, DatumRow, Decimal, EllipsoidRow, ExtentRow,
    OperationKind, OperationRow, PrimeMeridianRow, UnitRow, Value, crs_aliases, embedded_bytes,
    method_name, operations_of_datum, parameter_name,
};

#[test]
fn the_tables_hold_every_row_in_order_within_two_megabytes() {
    assert_eq!(CrsRow::all().len(), 8267);
    assert_eq!(OperationRow::all().len(), 6371);
    assert_eq!(DatumRow::all().len(), 995);
    assert_eq!(EllipsoidRow::all().len(), 55);
    assert_eq!(PrimeMeridianRow::all().len(), 15);
    assert_eq!(UnitRow::all().len(), 95);
    assert_eq!(CoordinateSystemRow::all().len(), 141);
    assert_eq!(ExtentRow::all().len(), 3837);
    let codes: Vec<u32> = CrsRow::all().map(|row| row.code).collect();
    assert!(codes.windows(2).all(|pair| pair[0] < pair[1]));
    assert!(embedded_bytes() <= 2_000_000, "{}", embedded_bytes());
}

#[test]
fn kinds_are_counted_as_the_dataset_has_them() {
    let count = |kind| CrsRow::all().filter(|row| row.kind == kind).count();
    for (kind, wanted) in [
        (CrsKind::Projected, 5766),
        (CrsKind::Geographic2D, 979),
        (CrsKind::Compound, 554),
        (CrsKind::Geographic3D, 332),
        (CrsKind::Vertical, 308),
        (CrsKind::Geocentric, 295),
        (CrsKind::Engineering, 29),
        (CrsKind::Derived, 4),
    ] {
        assert_eq!(count(kind), wanted, "{kind:?}");
    }
    let count = |kind| OperationRow::all().filter(|row| row.kind == kind).count();
    assert_eq!(count(OperationKind::Transformation), 3303);
    assert_eq!(count(OperationKind::Concatenated), 286);
    assert_eq!(count(OperationKind::PointMotion), 8);
}

/// Whatever a row points to is there.
#[test]
fn no_reference_leads_nowhere() {
    for row in CrsRow::all() {
        for code in [row.base, row.horizontal, row.vertical].into_iter().flatten() {
            assert!(CrsRow::find(code).is_some(), "system {} points to {code}", row.code);
        }
        if let Some(code) = row.datum {
            assert!(DatumRow::find(code).is_some(), "system {} points to datum {code}", row.code);
        }
        if let Some(code) = row.coordinate_system {
            let system = CoordinateSystemRow::find(code).unwrap();
            assert!(!system.axes.is_empty(), "system {} has no axes", row.code);
            for axis in system.axes {
                assert!(axis.unit.is_none_or(|unit| UnitRow::find(unit).is_some()));
                assert!(!axis.name.is_empty() && !axis.orientation.is_empty());
            }
        }
        if let Some(code) = row.conversion {
            let conversion = OperationRow::find(code).unwrap();
            assert_eq!(conversion.kind, OperationKind::Conversion);
            assert!(conversion.method.is_some_and(|method| method_name(method).is_some()));
        }
        for code in &row.extents {
            assert!(ExtentRow::find(*code).is_some(), "system {} points to area {code}", row.code);
        }
    }
    let mut stepless = Vec::new();
    for row in OperationRow::all() {
        for (parameter, value) in &row.parameters {
            assert!(parameter_name(*parameter).is_some(), "operation {}: {parameter}", row.code);
            if let Value::Number(number, Some(unit)) = value {
                assert!(number.to_f64().is_finite() && UnitRow::find(*unit).is_some());
            }
        }
        for step in &row.steps {
            assert!(
                OperationRow::find(*step).is_some(),
                "operation {} has the step {step}",
                row.code
            );
        }
        if !row.steps.is_empty() {
            assert_eq!(row.kind, OperationKind::Concatenated, "operation {}", row.code);
        } else if row.kind == OperationKind::Concatenated {
            stepless.push(row.code);
        }
    }
    // The dataset gives no steps for this withdrawn row.
    assert_eq!(stepless, [8658]);
}

#[test]
fn a_state_plane_zone_reads_as_the_dataset_prints_it() {
    let row = CrsRow::find(2286).unwrap();
    assert_eq!(row.name, "NAD83 / Washington South (ftUS)");
    assert_eq!((row.kind, row.deprecated), (CrsKind::Projected, false));
    assert_eq!(
        (row.base, row.conversion, row.coordinate_system),
        (Some(4269), Some(15368), Some(4497))
    );
    let extent = ExtentRow::find(row.extents[0]).unwrap();
    assert!(extent.description.contains("Walla Walla"));
    let bounds = extent.bounds.unwrap();
    assert_eq!(
        (bounds.south, bounds.west, bounds.north, bounds.east),
        (45.54, -124.4, 47.61, -116.91)
    );
    let conversion = OperationRow::find(15368).unwrap();
    assert_eq!(conversion.method, Some(9802));
    let packed = |mantissa, exponent| Value::Number(Decimal { mantissa, exponent }, Some(9110));
    let feet = |mantissa, exponent| Value::Number(Decimal { mantissa, exponent }, Some(9003));
    assert_eq!(
        conversion.parameters,
        [
            (8821, packed(452, -1)),
            (8822, packed(-1203, -1)),
            (8823, packed(472, -1)),
            (8824, packed(455, -1)),
            (8826, feet(1_640_416_667, -3)),
            (8827, feet(0, 0)),
        ]
    );
    assert_eq!(crs_aliases(2286), ["NAD83 / WA South (ftUS)"]);
}

#[test]
fn ensembles_grids_and_areas_across_180_are_kept() {
    let wgs84 = DatumRow::find(6326).unwrap();
    assert_eq!(wgs84.kind, DatumKind::Ensemble);
    assert_eq!(wgs84.ensemble_accuracy_m.unwrap().to_f64(), 2.0);
    assert_eq!(
        (wgs84.ellipsoid, wgs84.prime_meridian),
        (Some(7030), Some(8901)),
        "taken from a member"
    );
    assert!(wgs84.members.contains(&1156));
    let nadcon = OperationRow::find(1241).unwrap();
    assert_eq!(nadcon.accuracy_m.unwrap().to_f64(), 0.15);
    assert!(nadcon.parameters.contains(&(8657, Value::File("conus.las"))));
    assert!(operations_of_datum(6267).contains(&1241) && operations_of_datum(6269).contains(&1241));
    assert!(operations_of_datum(1).is_empty());
    let crossing =
        ExtentRow::all().filter_map(|row| row.bounds).filter(|b| b.west > b.east).count();
    assert!(crossing > 20, "{crossing}");
    let withdrawn =
        CrsRow::all().find(|row| row.deprecated && !row.replaced_by.is_empty()).unwrap();
    assert!(CrsRow::find(withdrawn.replaced_by[0]).is_some());
}

#[test]
fn packed_degrees_are_unpacked_from_their_digits() {
    let unpack = |mantissa, exponent| Decimal { mantissa, exponent }.packed_degrees();
    for (mantissa, exponent, degrees, minutes, seconds) in [
        (443, -1, 44.0, 30.0, 0.0),
        (27, 0, 27.0, 0.0, 0.0),
        (17, 1, 170.0, 0.0, 0.0),
        (4530, -4, 0.0, 45.0, 30.0),
        (123_440, -4, 12.0, 34.0, 40.0),
        (245_012_345, -6, 245.0, 1.0, 23.45),
        (46_570_866, -6, 46.0, 57.0, 8.66),
    ] {
        let wanted = (degrees * 3600.0 + minutes * 60.0 + seconds) / 3600.0;
        let found = unpack(mantissa, exponent);
        assert!((found - wanted).abs() <= f64::EPSILON * wanted, "{mantissa}e{exponent}: {found}");
        assert_eq!(unpack(-mantissa, exponent), -found, "the sign is that of the whole");
    }
    // Lisbon, 9°07′54.862″ west of Greenwich.
    let lisbon = PrimeMeridianRow::find(8902).unwrap();
    assert!((lisbon.longitude.packed_degrees() + 9.131_906_111).abs() < 1e-9);
}

#[test]
fn decimals_are_the_nearest_doubles() {
    for text in [
        "0.9996",
        "298.257223563",
        "6377563.396",
        "-0.554",
        "20.9258321600",
        "2.044888768836e16",
        "1e-9",
    ] {
        let value: f64 = text.parse().unwrap();
        let (digits, exponent) = text.split_once('e').unwrap_or((text, "0"));
        let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
        let decimal = Decimal {
            mantissa: format!("{whole}{fraction}").parse().unwrap(),
            exponent: exponent.parse::<i8>().unwrap() - fraction.len() as i8,
        };
        assert_eq!(decimal.to_f64(), value, "{text}");
    }
    assert_eq!(Decimal::ZERO.to_f64(), 0.0);
}
