//! The worked examples of the EPSG dataset, to their printed digits.

use crate::support::{Row, published};
use velvet_peg_core::angle::{Axis, parse};
use velvet_peg_core::projection::{ParameterKind, Parameters, Projection, kind_of_parameter};
use velvet_peg_core::{Converter, Coordinate, Crs, Ellipsoid, Geographic, Operation, geocentric};

fn latitude(row: &Row, column: &str) -> f64 {
    parse(row.text(column), Axis::Latitude).unwrap()
}

fn longitude(row: &Row, column: &str) -> f64 {
    parse(row.text(column), Axis::Longitude).unwrap()
}

/// Half a unit of the last digit printed, and a little for the digits of the constants.
fn printed(row: &Row) -> f64 {
    0.55 * 10f64.powf(-row.number("digits"))
}

/// `8801=49°00'00"N;8805=0.9996;8806=400000`: angles in any notation, lengths in the unit of
/// the example.
fn parameters(text: &str, unit_m: f64) -> Parameters {
    text.split(';').fold(Parameters::new(), |all, part| {
        let (code, value) = part.split_once('=').unwrap();
        let code: u32 = code.parse().unwrap();
        match kind_of_parameter(code) {
            ParameterKind::Angle => {
                let axis = match value.chars().last() {
                    Some('N' | 'S') => Axis::Latitude,
                    Some('E' | 'W') => Axis::Longitude,
                    _ => Axis::Free,
                };
                all.angle(code, parse(value, axis).unwrap())
            }
            ParameterKind::Length => all.length(code, value.parse::<f64>().unwrap() * unit_m),
            ParameterKind::Scale => all.scale(code, value.parse().unwrap()),
        }
    })
}

#[test]
fn projections_agree_to_the_printed_digits() {
    let mut methods = std::collections::BTreeSet::new();
    for row in published("projections.csv") {
        let name = row.text("name");
        let method = row.number("method") as u32;
        methods.insert(method);
        let ellipsoid =
            Ellipsoid::new(row.number("a_m"), row.number("inverse_flattening")).unwrap();
        let unit = row.number("unit_m");
        let given = parameters(row.text("parameters"), unit);
        let projection = Projection::new(method, &given, &ellipsoid).unwrap();
        let at = Geographic { lat: latitude(&row, "lat"), lon: longitude(&row, "lon") };
        let (e, n) = projection.forward(at).unwrap();
        let (east, north) = (row.number("easting"), row.number("northing"));
        for (found, printed_value, which) in
            [(e / unit, east, "easting"), (n / unit, north, "northing")]
        {
            let off = (found - printed_value).abs();
            assert!(off < printed(&row), "{method} {name}: {which} {found} for {printed_value}");
        }
        let back = projection.inverse(east * unit, north * unit).unwrap();
        // Back to the printed thousandths of a second, or what the digits of the grid allow.
        let allowed = 0.0006 + printed(&row) * unit / 30.0 * 1.5;
        assert!((back.lat - at.lat).abs() * 3600.0 < allowed, "{method} {name}: {back:?}");
        assert!(
            (back.lon - at.lon).abs() * 3600.0 * at.lat.to_radians().cos() < allowed,
            "{method} {name}: {back:?}"
        );
    }
    assert!(methods.len() >= 28, "{methods:?}");
}

#[test]
fn geocentric_operations_agree_to_the_printed_digits() {
    for row in published("operations_geocentric.csv") {
        let name = row.text("name");
        let operation =
            Operation::at_epoch(row.number("operation") as u32, row.optional("epoch")).unwrap();
        let crs = |column: &str| Crs::from_epsg(row.number(column) as u32).unwrap();
        let (source, target) = (crs("source"), crs("target"));
        let from = [row.number("x"), row.number("y"), row.number("z")];
        let (at, h) = geocentric::to_geographic(source.ellipsoid().unwrap(), from);
        let (to, h) = operation.apply(at, h, &source, &target).unwrap();
        let found = geocentric::from_geographic(target.ellipsoid().unwrap(), to, h);
        let wanted = [row.number("x_out"), row.number("y_out"), row.number("z_out")];
        for (found, wanted) in found.iter().zip(wanted) {
            assert!((found - wanted).abs() < printed(&row), "{name}: {found} for {wanted}");
        }
    }
}

#[test]
fn operations_agree_to_the_printed_digits() {
    for row in published("operations.csv") {
        let name = row.text("name");
        let operation = Operation::from_epsg(row.number("operation") as u32).unwrap();
        let crs = |column: &str| Crs::from_epsg(row.number(column) as u32).unwrap();
        let at = Geographic { lat: latitude(&row, "lat"), lon: longitude(&row, "lon") };
        let (to, _) = operation.apply(at, 0.0, &crs("source"), &crs("target")).unwrap();
        let off = |found: f64, wanted: f64| (found - wanted).abs() * 3600.0;
        assert!(off(to.lat, latitude(&row, "lat_out")) < printed(&row), "{name}: {to:?}");
        assert!(off(to.lon, longitude(&row, "lon_out")) < printed(&row), "{name}: {to:?}");
    }
}

/// Method 9602, with the shift of 9603 between: WGS 84 to ED50 in the North Sea.
#[test]
fn the_north_sea_point_goes_through_geocentric_coordinates() {
    let wgs84 = Ellipsoid::from_epsg(7030).unwrap();
    let international = Ellipsoid::from_epsg(7022).unwrap();
    let lat = parse("53°48'33.82\"N", Axis::Latitude).unwrap();
    let lon = parse("2°07'46.38\"E", Axis::Longitude).unwrap();
    let p = geocentric::from_geographic(&wgs84, Geographic { lat, lon }, 73.0);
    for (found, wanted) in p.iter().zip([3_771_793.97, 140_253.34, 5_124_304.35]) {
        assert!((found - wanted).abs() < 0.0055, "{found} for {wanted}");
    }
    // The example goes on from its printed centimetres.
    let moved = [3_771_878.84, 140_349.83, 5_124_421.30];
    for ((from, shift), to) in p.iter().zip([84.87, 96.49, 116.95]).zip(moved) {
        assert!((from + shift - to).abs() < 0.0055);
    }
    let (Geographic { lat, lon }, h) = geocentric::to_geographic(&international, moved);
    assert!((lat - parse("53°48'36.565\"N", Axis::Latitude).unwrap()).abs() * 3600.0 < 0.00055);
    assert!((lon - parse("2°07'51.477\"E", Axis::Longitude).unwrap()).abs() * 3600.0 < 0.00055);
    // The example truncates the height, 28.027, to 28.02.
    assert!((h - 28.027).abs() < 0.001, "{h}");
}

/// Method 1033 between geocentric systems, through a converter: WGS 72 to WGS 84. Of the two
/// rows of equal accuracy the first is taken, whose scale is 0.2263 ppm where the example's is
/// 0.219 ppm; the figures are the example's with that scale.
#[test]
fn geocentric_systems_convert_by_the_same_similarity() {
    let (from, to) = (Crs::from_epsg(4984).unwrap(), Crs::from_epsg(4978).unwrap());
    let converter = Converter::new(&from, &to).unwrap();
    assert_eq!(converter.route().operations().next().unwrap().code(), Some(1237));
    let at = Coordinate { x: 3_657_660.66, y: 255_768.55, z: 5_201_382.11 };
    let found = converter.convert(at).unwrap();
    for (found, wanted) in
        [(found.x, 3_657_660.801), (found.y, 255_778.432), (found.z, 5_201_387.787)]
    {
        assert!((found - wanted).abs() < 0.000_55, "{found} for {wanted}");
    }
}

/// Methods that no system of the registry uses, against their formulas in 50-digit arithmetic (of the
/// registry's method descriptions), to 5 nm both ways.
#[test]
fn projections_without_a_system_agree_with_their_formulas() {
    let mut worst = [0.0f64; 2];
    for row in crate::support::data("more-projections.csv") {
        let method = row.number("method") as u32;
        let ellipsoid =
            Ellipsoid::new(row.number("a_m"), row.number("inverse_flattening")).unwrap();
        let given = parameters(row.text("parameters"), 1.0);
        let projection = Projection::new(method, &given, &ellipsoid).unwrap();
        let at = Geographic { lat: row.number("lat"), lon: row.number("lon") };
        let what = format!("{method} {} {at:?}", row.text("parameters"));
        let (e, n) = projection.forward(at).unwrap_or_else(|error| panic!("{what}: {error}"));
        let (east, north) = (row.number("easting"), row.number("northing"));
        let off = (e - east).hypot(n - north);
        let back =
            projection.inverse(east, north).unwrap_or_else(|error| panic!("{what}: {error}"));
        let metres = 111_320.0;
        let turn = (back.lon - at.lon + 540.0).rem_euclid(360.0) - 180.0;
        let off_back = (turn * at.lat.to_radians().cos()).hypot(back.lat - at.lat) * metres;
        // Near the horizon a nanometre on the plane is many on the ground.
        let factors = projection.factors(at).unwrap();
        let flat = factors.meridian_scale.min(factors.parallel_scale).min(1.0);
        assert!(off < 5e-9, "{what}: {off}");
        assert!(off_back * flat < 5e-9, "{what}: back {off_back} at a scale of {flat}");
        worst = [worst[0].max(off), worst[1].max(off_back)];
        // Factors are those of the mapping itself.
        let step = 1e-5;
        let beside = Geographic { lat: at.lat + step, ..at };
        if let Ok(up) = projection.forward(beside) {
            let rho = ellipsoid.meridian_radius_m(at.lat + step / 2.0) * step.to_radians();
            let scale = (up.0 - e).hypot(up.1 - n) / rho;
            assert!(
                (scale / factors.meridian_scale - 1.0).abs() < 1e-4,
                "{what}: {scale} {factors:?}"
            );
        }
    }
    assert!(worst[0] > 0.0 && worst[1] > 0.0);
    println!("worst forward {:.2e} m, back {:.2e} m", worst[0], worst[1]);
}
