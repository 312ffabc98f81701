//! Every function gives what the library gives, bit for bit.

use crate::support::{binaries, bits, context, number, numbers, rows, texts, truth};
use std::collections::BTreeMap;
use velvet_peg_core::zones::{UtmZone, ZoneSet, grid_reference, state_plane_zones_at};
use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic};

/// Places in degrees by the code of a system, of all that the truth files have.
fn places() -> BTreeMap<u32, (Crs, Vec<f64>, Vec<f64>)> {
    let mut places = BTreeMap::new();
    for row in truth("projections.csv") {
        let code = row["crs_code"].parse().unwrap();
        let crs = Crs::from_epsg(code).unwrap();
        let (_, lon, lat) = places.entry(code).or_insert_with(|| (crs, Vec::new(), Vec::new()));
        lon.push(number(&row, "lon_deg"));
        lat.push(number(&row, "lat_deg"));
    }
    assert!(places.len() > 50, "{}", places.len());
    places
}

#[tokio::test]
async fn points_are_those_of_the_library() {
    let mut all = 0;
    for (code, (crs, lon, lat)) in places() {
        let Some(degrees) = crs.in_degrees().filter(|degrees| degrees.code().is_some()) else {
            continue;
        };
        let context = context();
        // A place that is none, and nothing.
        let (mut x, mut y) =
            ([lon, vec![f64::NAN, 10.0]].concat(), [lat, vec![1.0, 95.0]].concat());
        context
            .register_batch("places", numbers(&[("lon", x.clone()), ("lat", y.clone())]))
            .unwrap();
        let base = degrees.code().unwrap();
        // Grid references are on WGS 84, which not every datum has a way to.
        let wgs84 = Converter::new(&crs, &Crs::from_epsg(4326).unwrap()).ok();
        let reference = if wgs84.is_some() { "grid_reference(p)" } else { "NULL" };
        let found = rows(
            &context,
            &format!(
                "SELECT st_x(p) AS x, st_y(p) AS y, scale_factor(p) AS scale, convergence(p) AS turn, \
                 utm_zone(p) AS utm, state_plane_zone(p) AS zone, arrow_cast({reference}, 'Utf8') AS reference, \
                 st_x(st_transform(p, 'EPSG:{base}')) AS lon \
                 FROM (SELECT st_transform(st_point(lon, lat, 'EPSG:{base}'), 'EPSG:{code}') AS p FROM places)"
            ),
        )
        .await;
        Converter::new(&degrees, &crs).unwrap().convert_columns(&mut x, &mut y, None);
        let there = |at: usize| x[at].is_finite() && y[at].is_finite();
        let or_null = |values: &[f64]| -> Vec<Option<u64>> {
            (0..values.len()).map(|at| there(at).then(|| values[at].to_bits())).collect()
        };
        assert_eq!(bits(&found, "x"), or_null(&x), "{code}");
        assert_eq!(bits(&found, "y"), or_null(&y), "{code}");
        assert_eq!(x.iter().filter(|x| x.is_nan()).count(), 2, "{code}");

        let (mut lon, mut lat) = (x.clone(), y.clone());
        Converter::new(&crs, &degrees).unwrap().convert_columns(&mut lon, &mut lat, None);
        assert_eq!(bits(&found, "lon"), or_null(&lon), "{code}");
        for at in (0..x.len()).filter(|at| there(*at)) {
            let place = Geographic { lat: lat[at], lon: lon[at] };
            let factors = crs.projection().unwrap().factors(place).unwrap();
            let scale = (factors.meridian_scale * factors.parallel_scale).sqrt();
            assert_eq!(bits(&found, "scale")[at], Some(scale.to_bits()), "{code} {at}");
            let turn = factors.convergence_deg.to_bits();
            assert_eq!(bits(&found, "turn")[at], Some(turn), "{code} {at}");
            let greenwich = degrees.from_greenwich(Coordinate::xy(lon[at], lat[at]));
            let utm = UtmZone::of(greenwich).map(UtmZone::name);
            assert_eq!(texts(&found, "utm")[at], utm, "{code} {at}");
            let zones = state_plane_zones_at(ZoneSet::Spcs83, greenwich);
            let zone = zones.first().map(|found| found.zone.name.clone());
            assert_eq!(texts(&found, "zone")[at], zone, "{code} {at}");
            let reference = wgs84.as_ref().and_then(|wgs84| {
                let at = wgs84.convert(Coordinate::xy(x[at], y[at])).ok()?;
                grid_reference(Geographic { lat: at.y, lon: at.x }).ok()
            });
            assert_eq!(texts(&found, "reference")[at], reference, "{code} {at}");
            all += 1;
        }
    }
    assert!(all > 250, "{all}");
}

/// Well-known binary of a polygon of one ring, lowest byte first or last.
fn polygon(ring: &[(f64, f64)], little: bool) -> Vec<u8> {
    let number = |n: u32| {
        if little { n.to_le_bytes() } else { n.to_be_bytes() }
    };
    let double = |v: f64| {
        if little { v.to_le_bytes() } else { v.to_be_bytes() }
    };
    let mut bytes = vec![u8::from(little)];
    for n in [3, 1, ring.len() as u32] {
        bytes.extend(number(n));
    }
    for (x, y) in ring {
        bytes.extend(double(*x));
        bytes.extend(double(*y));
    }
    bytes
}

#[tokio::test]
async fn areas_are_those_of_the_library_and_true() {
    for (system, inverse_flattening) in [(4269, 298.257222101), (4326, 298.257223563)] {
        areas_on(system, inverse_flattening).await;
    }
}

/// On the ellipsoid of a system.
async fn areas_on(system: u32, inverse_flattening: f64) {
    let mut rings: BTreeMap<String, Vec<(f64, f64)>> = BTreeMap::new();
    for row in truth("polygons.csv") {
        if number(&row, "ellipsoid_invf") == inverse_flattening {
            let at = (number(&row, "lon"), number(&row, "lat"));
            rings.entry(row["id"].clone()).or_default().push(at);
        }
    }
    let results = truth("polygon_results.csv");
    let context = context();
    let shapes: Vec<Vec<u8>> =
        rings.values().enumerate().map(|(at, ring)| polygon(ring, at % 2 == 0)).collect();
    context.register_batch("shapes", binaries(&shapes)).unwrap();
    let found = rows(
        &context,
        &format!(
            "SELECT st_area(shape, {system}) AS area, st_perimeter(shape, {system}) AS perimeter, \
             st_length(declare_system(shape, {system})) AS length FROM shapes"
        ),
    )
    .await;
    let geodesic = Geodesic::new(Crs::from_epsg(system).unwrap().ellipsoid().unwrap());
    assert!(rings.len() > 1, "{system}");
    for (at, (id, ring)) in rings.iter().enumerate() {
        let ring: Vec<Geographic> =
            ring.iter().map(|(lon, lat)| Geographic { lat: *lat, lon: *lon }).collect();
        let own = geodesic.polygon(&ring);
        assert_eq!(bits(&found, "area")[at], Some(own.area_m2.abs().to_bits()), "{id}");
        assert_eq!(bits(&found, "perimeter")[at], Some(own.perimeter_m.to_bits()), "{id}");
        assert_eq!(bits(&found, "length")[at], Some(0f64.to_bits()), "{id}");
        let row = results.iter().find(|row| row["id"] == *id).unwrap();
        let area = f64::from_bits(bits(&found, "area")[at].unwrap());
        let truth = number(row, "area_m2").abs();
        assert!((area - truth).abs() <= truth * 1e-12 + 1e-3, "{id}: {area} {truth}");
    }
}

#[tokio::test]
async fn distances_and_azimuths_are_those_of_the_library() {
    let lines: Vec<[f64; 4]> = truth("geodesics.csv")
        .iter()
        .filter(|row| number(row, "ellipsoid_invf") == 298.257223563)
        .map(|row| ["lon1", "lat1", "lon2", "lat2"].map(|column| number(row, column)))
        .collect();
    assert!(lines.len() > 10, "{}", lines.len());
    let column = |at: usize| lines.iter().map(|line| line[at]).collect::<Vec<f64>>();
    let context = context();
    let table = [("x", column(0)), ("y", column(1)), ("x2", column(2)), ("y2", column(3))];
    context.register_batch("lines", numbers(&table)).unwrap();
    let found = rows(
        &context,
        "SELECT st_distance(a, b) AS distance, azimuth(a, b) AS azimuth FROM (SELECT \
         st_point(x, y, 'EPSG:4326') AS a, st_point(x2, y2, 'EPSG:4326') AS b FROM lines)",
    )
    .await;
    let geodesic = Geodesic::new(Crs::from_epsg(4326).unwrap().ellipsoid().unwrap());
    for (at, [lon, lat, lon2, lat2]) in lines.iter().enumerate() {
        let from = Geographic { lat: *lat, lon: *lon };
        let line = geodesic.inverse(from, Geographic { lat: *lat2, lon: *lon2 });
        assert_eq!(bits(&found, "distance")[at], Some(line.distance_m.to_bits()), "{at}");
        let azimuth = velvet_peg_core::geodesic::full_circle(line.azimuth_from_deg);
        assert_eq!(bits(&found, "azimuth")[at], Some(azimuth.to_bits()), "{at}");
    }
}

/// Grid references there and back, and angles as they are written.
#[tokio::test]
async fn texts_are_read_as_the_library_reads_them() {
    let context = context();
    let found = rows(
        &context,
        "SELECT longitude_degrees('120°02''49.25\"W') AS lon, latitude_degrees('47 25 21.66 N') AS lat, \
         st_x(point_of_grid_reference('10T GT 12345 67890')) AS x, \
         grid_reference(point_of_grid_reference('10T GT 12345 67890')) AS back",
    )
    .await;
    use velvet_peg_core::angle::{Axis, parse};
    let lon = parse("120°02'49.25\"W", Axis::Longitude).unwrap();
    assert_eq!(bits(&found, "lon"), [Some(lon.to_bits())]);
    let lat = parse("47 25 21.66 N", Axis::Latitude).unwrap();
    assert_eq!(bits(&found, "lat"), [Some(lat.to_bits())]);
    let square = velvet_peg_core::zones::parse_grid_reference("10T GT 12345 67890").unwrap();
    assert_eq!(bits(&found, "x"), [Some(square.middle.lon.to_bits())]);
    assert_eq!(texts(&found, "back"), [Some("10T GT 12345 67890".to_string())]);
}
