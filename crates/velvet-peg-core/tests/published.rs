//! The worked examples of the EPSG dataset, to their printed digits.

mod support;

use support::{Row, published};
use velvet_peg_core::angle::{Axis, parse};
use velvet_peg_core::{
    Converter, Coordinate, Crs, Ellipsoid, Geographic, Operation, Parameters, Projection,
    geocentric,
};

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

#[test]
fn projections_agree_to_the_printed_digits() {
    for row in published("projections.csv") {
        let name = row.text("name");
        let ellipsoid =
            Ellipsoid::new(row.number("a_m"), row.number("inverse_flattening")).unwrap();
        let unit = row.number("unit_m");
        let (east, north) =
            (row.number("false_easting") * unit, row.number("false_northing") * unit);
        let (lat0, lon0) = (latitude(&row, "lat_origin"), longitude(&row, "lon_origin"));
        let method = row.number("method") as u32;
        let parameters = match method {
            9802 => Parameters::new()
                .angle(8821, lat0)
                .angle(8822, lon0)
                .angle(8823, latitude(&row, "parallel_1"))
                .angle(8824, latitude(&row, "parallel_2"))
                .length(8826, east)
                .length(8827, north),
            _ => Parameters::new()
                .angle(8801, lat0)
                .angle(8802, lon0)
                .scale(8805, row.number("scale"))
                .length(8806, east)
                .length(8807, north),
        };
        let projection = Projection::new(method, &parameters, &ellipsoid).unwrap();
        let at = Geographic { lat: latitude(&row, "lat"), lon: longitude(&row, "lon") };
        let (e, n) = projection.forward(at).unwrap();
        assert!(
            (e / unit - row.number("easting")).abs() < printed(&row),
            "{name}: easting {}",
            e / unit
        );
        assert!(
            (n / unit - row.number("northing")).abs() < printed(&row),
            "{name}: northing {}",
            n / unit
        );
        let back = projection
            .inverse(row.number("easting") * unit, row.number("northing") * unit)
            .unwrap();
        // A centimetre is 0.0003″; the examples print thousandths and come back within one.
        assert!((back.lat - at.lat).abs() * 3600.0 < 0.0006, "{name}: {back:?}");
        assert!((back.lon - at.lon).abs() * 3600.0 < 0.0006, "{name}: {back:?}");
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
    let p = geocentric::from_geographic(&wgs84, lon, lat, 73.0);
    for (found, wanted) in p.iter().zip([3_771_793.97, 140_253.34, 5_124_304.35]) {
        assert!((found - wanted).abs() < 0.0055, "{found} for {wanted}");
    }
    // The example goes on from its printed centimetres.
    let moved = [3_771_878.84, 140_349.83, 5_124_421.30];
    for ((from, shift), to) in p.iter().zip([84.87, 96.49, 116.95]).zip(moved) {
        assert!((from + shift - to).abs() < 0.0055);
    }
    let (lon, lat, h) = geocentric::to_geographic(&international, moved);
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
