//! Places where formulas break: poles, antipodes, coincident points, flat cones, the edge of
//! a method's domain, areas across 180°.

use velvet_peg_core::crs::Datum;
use velvet_peg_core::extent::Coverage;
use velvet_peg_core::geodesic::full_circle;
use velvet_peg_core::projection::{Parameters, Projection};
use velvet_peg_core::{
    AngleUnit, AreaUnit, Bounds, Converter, Coordinate, Crs, Ellipsoid, Extent, Geodesic,
    Geographic, LengthUnit, Operation, geocentric, planar,
};

fn wgs84() -> Ellipsoid {
    Ellipsoid::from_epsg(7030).unwrap()
}

fn at(lat: f64, lon: f64) -> Geographic {
    Geographic { lat, lon }
}

/// Closed form of the meridian quadrant of WGS 84, metres.
const QUADRANT: f64 = 10_001_965.729_312_723;

#[test]
fn geodesics_along_equator_and_meridians_have_their_closed_forms() {
    let geodesic = Geodesic::new(&wgs84());
    let a = wgs84().semi_major_m();
    for (from, to, distance, azimuth_from, azimuth_to) in [
        (at(0.0, 0.0), at(0.0, 90.0), a * std::f64::consts::FRAC_PI_2, 90.0, 90.0),
        (at(0.0, 10.0), at(0.0, -20.0), a * 30f64.to_radians(), -90.0, -90.0),
        (at(0.0, 0.0), at(90.0, 0.0), QUADRANT, 0.0, 0.0),
        (at(0.0, 7.0), at(-90.0, 7.0), QUADRANT, 180.0, 180.0),
        (at(-90.0, 0.0), at(90.0, 0.0), 2.0 * QUADRANT, 0.0, 0.0),
        (at(30.0, 0.0), at(30.0, 0.0), 0.0, 0.0, 0.0),
        (at(90.0, 0.0), at(90.0, 123.0), 0.0, 57.0, 180.0),
        (at(80.0, 0.0), at(80.0, 180.0), 2.0 * 1_116_825.857_4, 0.0, 180.0),
        // The antipode of a place on the equator is reached over a pole.
        (at(0.0, 0.0), at(0.0, 180.0), 2.0 * QUADRANT, 0.0, 180.0),
    ] {
        let course = geodesic.inverse(from, to);
        assert!((course.distance_m - distance).abs() < 1e-4, "{from:?} {to:?}: {course:?}");
        let off = |found: f64, wanted: f64| (found - wanted + 180.0).rem_euclid(360.0) - 180.0;
        if distance > 0.0 {
            assert!(
                off(course.azimuth_from_deg, azimuth_from).abs() < 1e-9,
                "{from:?} {to:?}: {course:?}"
            );
            assert!(
                off(course.azimuth_to_deg, azimuth_to).abs() < 1e-9,
                "{from:?} {to:?}: {course:?}"
            );
        }
        assert!(course.azimuth_from_deg > -180.0 && course.azimuth_from_deg <= 180.0, "{course:?}");
    }
}

#[test]
fn longitudes_may_be_written_with_any_number_of_turns() {
    let geodesic = Geodesic::new(&wgs84());
    let wanted = geodesic.inverse(at(47.0, 179.5), at(47.5, -179.5));
    assert!(wanted.distance_m < 100_000.0);
    for (from, to) in [(-180.5, -179.5), (179.5, 180.5), (539.5, -179.5), (179.5, -539.5)] {
        let found = geodesic.inverse(at(47.0, from), at(47.5, to));
        assert!((found.distance_m - wanted.distance_m).abs() < 1e-8, "{from} {to}");
    }
}

#[test]
fn courses_run_backwards_and_round_the_earth() {
    let geodesic = Geodesic::new(&wgs84());
    let start = at(47.4, -120.0);
    let (ahead, _) = geodesic.direct(start, 60.0, 5000.0);
    let (behind, _) = geodesic.direct(start, 240.0, -5000.0);
    assert!((ahead.lat - behind.lat).abs() < 1e-13 && (ahead.lon - behind.lon).abs() < 1e-13);
    let (round, azimuth) = geodesic.direct(at(0.0, 10.0), 0.0, 4.0 * QUADRANT);
    assert!(
        round.lat.abs() < 1e-12 && (round.lon - 10.0).abs() < 1e-12 && azimuth.abs() < 1e-12,
        "{round:?}"
    );
    let (pole, _) = geodesic.direct(at(0.0, 10.0), 0.0, QUADRANT);
    assert!((pole.lat - 90.0).abs() < 1e-12);
    let (east, azimuth) =
        geodesic.direct(at(0.0, 170.0), 90.0, wgs84().semi_major_m() * 20f64.to_radians());
    assert!(east.lat == 0.0 && (east.lon + 170.0).abs() < 1e-12 && azimuth == 90.0, "{east:?}");
    let (still, azimuth) = geodesic.direct(start, 33.0, 0.0);
    assert!((still.lat - start.lat).abs() < 1e-14 && (azimuth - 33.0).abs() < 1e-12);
    assert_eq!((full_circle(-90.0), full_circle(360.0), full_circle(725.0)), (270.0, 0.0, 5.0));
}

#[test]
fn polygons_of_odd_shape_have_the_area_they_should() {
    let ellipsoid = wgs84();
    let geodesic = Geodesic::new(&ellipsoid);
    let whole = ellipsoid.surface_area_m2();
    let area = |ring: &[Geographic]| geodesic.polygon(ring).area_m2;
    assert_eq!(area(&[]), 0.0);
    assert_eq!(area(&[at(10.0, 10.0)]), 0.0);
    assert!(area(&[at(10.0, 10.0), at(20.0, 30.0)]).abs() < 1e-3);
    // Round the pole along a parallel in many steps: the cap, whatever the way and the start.
    let cap: Vec<_> = (0..720).map(|i| at(60.0, -180.0 + f64::from(i) * 0.5)).collect();
    let shifted: Vec<_> = (0..720).map(|i| at(60.0, 3.0 + f64::from(i) * 0.5)).collect();
    assert!((area(&cap) / area(&shifted) - 1.0).abs() < 1e-12);
    assert!(area(&cap) > 0.065 * whole && area(&cap) < 0.07 * whole);
    let clockwise: Vec<_> = cap.iter().rev().copied().collect();
    assert!((area(&clockwise) + area(&cap)).abs() < 1.0);
    // A hemisphere is half of the ellipsoid.
    let equator: Vec<_> = (0..4).map(|i| at(0.0, f64::from(i) * 90.0)).collect();
    assert!((area(&equator).abs() / whole - 0.5).abs() < 1e-15);
    // A repeated first vertex changes nothing.
    let ring = [at(47.0, -120.0), at(47.0, -119.9), at(47.1, -119.9)];
    let closed = [ring[0], ring[1], ring[2], ring[0]];
    assert_eq!(area(&ring), area(&closed));
    // Across 180° as anywhere else.
    let moved: Vec<_> = ring.iter().map(|p| at(p.lat, p.lon + 299.95)).collect();
    let wrapped: Vec<_> = moved
        .iter()
        .map(|p| at(p.lat, if p.lon > 180.0 { p.lon - 360.0 } else { p.lon }))
        .collect();
    assert!((area(&wrapped) / area(&ring) - 1.0).abs() < 1e-9);
}

#[test]
fn a_sphere_is_an_ellipsoid_too() {
    let sphere = Ellipsoid::new(6_371_000.0, 0.0).unwrap();
    let geodesic = Geodesic::new(&sphere);
    let course = geodesic.inverse(at(0.0, 0.0), at(45.0, 90.0));
    assert!((course.distance_m - 6_371_000.0 * std::f64::consts::FRAC_PI_2).abs() < 1e-8);
    assert!((course.azimuth_from_deg - 45.0).abs() < 1e-12);
    let octant = geodesic.polygon(&[at(0.0, 0.0), at(0.0, 90.0), at(90.0, 0.0)]).area_m2;
    assert!((octant / (std::f64::consts::FRAC_PI_2 * 6_371_000f64.powi(2)) - 1.0).abs() < 1e-14);
    assert_eq!(Ellipsoid::new(6_371_000.0, f64::INFINITY).unwrap().flattening(), 0.0);
    for (a, inverse) in
        [(0.0, 300.0), (-1.0, 300.0), (f64::NAN, 300.0), (6.4e6, 1.5), (6.4e6, -300.0)]
    {
        assert!(Ellipsoid::new(a, inverse).unwrap_err().is_malformed(), "{a} {inverse}");
    }
    assert!(Ellipsoid::from_axes(6.3e6, 6.4e6).is_err(), "not prolate");
}

fn conic(lat_origin: f64, first: f64, second: f64) -> velvet_peg_core::Result<Projection> {
    let parameters = Parameters::new()
        .angle(8821, lat_origin)
        .angle(8822, 10.0)
        .angle(8823, first)
        .angle(8824, second)
        .length(8826, 0.0)
        .length(8827, 0.0);
    Projection::new(9802, &parameters, &wgs84())
}

#[test]
fn flat_and_pointed_cones_go_there_and_back() {
    for (origin, first, second) in [
        (0.0, -20.0, 20.0),
        (0.0, -20.0, 20.000_001),
        (1.0, 1.0, 1.000_000_1),
        (45.0, 45.0, 45.0),
        (90.0, 70.0, 80.0),
        (-90.0, -80.0, -70.0),
        (-30.0, -40.0, -20.0),
    ] {
        let projection = conic(origin, first, second).unwrap();
        for (lat, lon) in
            [(15.0, 12.0), (-15.0, -30.0), (0.0, 100.0), (60.0, 10.0), (-60.0, -100.0)]
        {
            let (e, n) = projection.forward(at(lat, lon)).unwrap();
            let back = projection.inverse(e, n).unwrap();
            assert!(
                (back.lat - lat).abs() < 1e-12 && (back.lon - lon).abs() < 1e-12,
                "{first} {second}: {back:?}"
            );
        }
        // True to scale on the parallels.
        for parallel in [first, second] {
            let scale = projection.factors(at(parallel, 33.0)).unwrap().parallel_scale;
            assert!((scale - 1.0).abs() < 1e-15 * 10.0, "{first} {second}: {scale}");
        }
    }
    // The apex is a point, the other pole is nowhere.
    let north = conic(90.0, 70.0, 80.0).unwrap();
    let (e, n) = north.forward(at(90.0, 77.0)).unwrap();
    assert!(e.abs() < 1e-9 && n.abs() < 1e-8, "{e} {n}");
    assert!((north.inverse(0.0, 0.0).unwrap().lat - 90.0).abs() < 1e-12);
    assert!(north.forward(at(-90.0, 0.0)).unwrap_err().is_out_of_domain());
    assert!(conic(90.0, -70.0, -80.0).unwrap_err().is_out_of_domain());
    assert!(conic(0.0, 90.0, 45.0).unwrap_err().is_out_of_domain());
}

#[test]
fn transverse_mercator_knows_where_it_ends() {
    let parameters = Parameters::new()
        .angle(8801, 0.0)
        .angle(8802, 9.0)
        .scale(8805, 0.9996)
        .length(8806, 5e5)
        .length(8807, 0.0);
    let utm = Projection::new(9807, &parameters, &wgs84()).unwrap();
    assert_eq!(
        (utm.method_code(), utm.method_name(), utm.is_conformal()),
        (9807, "Transverse Mercator", true)
    );
    for (lat, lon) in [
        (0.0, 9.0),
        (90.0, 9.0),
        (-90.0, 50.0),
        (89.999_999, 100.0),
        (0.0, 59.0),
        (45.0, -60.0),
        (84.0, -171.0),
    ] {
        let (e, n) = utm.forward(at(lat, lon)).unwrap();
        let back = utm.inverse(e, n).unwrap();
        let across = f64::cos(lat.to_radians());
        let off = (back.lon - lon + 180.0).rem_euclid(360.0) - 180.0;
        assert!(
            (back.lat - lat).abs() < 1e-12 && (off * across).abs() < 1e-11,
            "{lat} {lon}: {back:?}"
        );
        let factors = utm.factors(at(lat, lon)).unwrap();
        assert!(
            factors.meridian_scale > 0.99 && factors.meridian_scale < 2.0,
            "{lat} {lon}: {factors:?}"
        );
    }
    for (lat, lon) in [
        (0.0, 99.0),
        (0.0, -100.0),
        (5.0, -171.0),
        (91.0, 9.0),
        (f64::NAN, 9.0),
        (45.0, f64::INFINITY),
    ] {
        assert!(utm.forward(at(lat, lon)).unwrap_err().is_out_of_domain(), "{lat} {lon}");
    }
    for (e, n) in [(1e9, 0.0), (f64::NAN, 0.0), (5e5, 1e9)] {
        assert!(utm.inverse(e, n).unwrap_err().is_out_of_domain(), "{e} {n}");
    }
    // Points of one meridian and its mirror image.
    let (east, west) = (utm.forward(at(47.0, 11.5)).unwrap(), utm.forward(at(47.0, 6.5)).unwrap());
    assert!((east.0 + west.0 - 1e6).abs() < 1e-8 && (east.1 - west.1).abs() < 1e-8);
    let missing = Projection::new(9807, &Parameters::new().angle(8801, 0.0), &wgs84()).unwrap_err();
    assert!(
        missing.is_malformed()
            && missing.to_string().contains("8802 (Longitude of natural origin)"),
        "{missing}"
    );
    // Pseudo Plate Carrée is no projection: coordinates stay in degrees.
    assert!(Projection::new(9825, &Parameters::new(), &wgs84()).unwrap_err().is_unsupported());
}

#[test]
fn geocentric_coordinates_hold_at_poles_axis_and_depth() {
    let ellipsoid = wgs84();
    let b = ellipsoid.semi_minor_m();
    let north = geocentric::from_geographic(&ellipsoid, Geographic { lat: 90.0, lon: 33.0 }, 100.0);
    assert_eq!((north[0], north[1]), (0.0, 0.0));
    assert!((north[2] - b - 100.0).abs() < 1e-8);
    for (lon, lat, h) in [
        (0.0, 90.0, 10.0_f64),
        (0.0, -90.0, -50.0),
        (180.0, 0.0, 0.0),
        (-90.0, 1e-9, 5.0),
        (12.0, 45.0, -3e6),
        (12.0, -45.0, 4e8),
    ] {
        let at = Geographic { lat, lon };
        let (back, back_h) =
            geocentric::to_geographic(&ellipsoid, geocentric::from_geographic(&ellipsoid, at, h));
        let far = h.abs().max(6.4e6);
        assert!((back.lat - lat).abs() < 1e-12, "{lon} {lat} {h}: {back:?}");
        assert!((back_h - h).abs() < 1e-15 * far * 4.0, "{lon} {lat} {h}: {back:?}");
        if lat.abs() < 90.0 {
            assert!(
                ((back.lon - lon + 180.0).rem_euclid(360.0) - 180.0).abs() < 1e-12,
                "{lon} {lat} {h}: {back:?}"
            );
        }
    }
}

#[test]
fn plane_figures_of_nothing_are_nothing() {
    assert_eq!(planar::ring_area(&[], &[]), 0.0);
    assert_eq!(planar::ring_area(&[1.0, 2.0], &[1.0, 2.0]), 0.0);
    assert_eq!(planar::length(&[5.0], &[5.0]), 0.0);
    // Clockwise is negative; closed or open is the same.
    let (x, y) = ([0.0, 0.0, 2.0, 2.0, 0.0], [0.0, 2.0, 2.0, 0.0, 0.0]);
    assert_eq!(planar::ring_area(&x, &y), -4.0);
    assert_eq!(planar::ring_area(&x[..4], &y[..4]), -4.0);
    assert_eq!(planar::length(&x, &y), 8.0);
}

#[test]
fn units_keep_the_two_feet_and_the_two_acres_apart() {
    let (survey, international) = (LengthUnit::US_SURVEY_FOOT, LengthUnit::FOOT);
    assert_eq!(survey.metres(), 1200.0 / 3937.0);
    assert!((survey.metres() / international.metres() - 1.000_002).abs() < 1e-11);
    assert_eq!((survey.symbol(), international.symbol()), ("ftUS", "ft-intl"));
    assert!((AreaUnit::UsSurveyAcre.square_metres() - 4_046.872_609_874).abs() < 1e-9);
    assert!((AreaUnit::Acre.square_metres() / (43_560.0 * 0.3048 * 0.3048) - 1.0).abs() < 1e-15);
    assert_eq!(AreaUnit::Hectare.square_metres(), 10_000.0);
    let clarke = LengthUnit::from_epsg(9005).unwrap();
    assert_eq!((clarke.name(), clarke.metres()), ("Clarke's foot", 0.304_797_265_4));
    assert!(LengthUnit::from_epsg(9102).unwrap_err().is_unsupported(), "a degree is no length");
    assert!(LengthUnit::from_epsg(1).unwrap_err().is_unknown());
    assert!((AngleUnit::from_epsg(9101).unwrap().degrees() - 57.295_779_513_082_32).abs() < 1e-12);
    assert_eq!(AngleUnit::from_epsg(9104).unwrap().degrees(), 1.0 / 3600.0);
}

#[test]
fn systems_in_grads_and_from_paris_count_as_they_say() {
    let paris = Crs::from_epsg(4807).unwrap();
    let greenwich = Crs::from_epsg(4275).unwrap();
    assert_eq!((paris.unit_name(), paris.unit_plural().as_str()), ("grad", "grads"));
    let converter = Converter::new(&paris, &greenwich).unwrap();
    let found = converter.convert(Coordinate::xy(0.0, 54.0)).unwrap();
    // Two rows state the meridian's longitude; the registry prefers the first.
    assert_eq!(converter.route().operations().next().unwrap().code(), Some(1763));
    assert!((found.x - 2.337_229_17).abs() < 1e-8 && (found.y - 48.6).abs() < 1e-12, "{found:?}");
    assert!(converter.convert(Coordinate::xy(0.0, 101.0)).is_err(), "100 grads are a right angle");
}

#[test]
fn areas_of_use_are_compared_across_180() {
    let extent = |code| -> Extent { Crs::from_epsg(code).unwrap().extent().clone() };
    let fiji = extent(3460); // Fiji 1986 / Fiji Map Grid: both sides of 180°
    for (lon, inside) in [(179.0, true), (-179.0, true), (0.0, false)] {
        assert_eq!(fiji.contains(Geographic { lat: -17.0, lon }), inside, "{lon}");
    }
    let inside = Bounds { south: -18.0, west: 179.5, north: -17.0, east: -179.5 };
    assert_eq!(fiji.coverage(&inside), Coverage::Whole);
    assert_eq!(fiji.covered_fraction(&inside), 1.0);
    let beside = Bounds { south: -18.0, west: 0.0, north: -17.0, east: 10.0 };
    assert_eq!((fiji.coverage(&beside), fiji.covered_fraction(&beside)), (Coverage::None, 0.0));
    let half = Bounds { south: -18.0, west: 170.0, north: -17.0, east: -170.0 };
    assert_eq!(fiji.coverage(&half), Coverage::Part);
    assert!(fiji.covered_fraction(&half) > 0.1 && fiji.covered_fraction(&half) < 0.5);
}

#[test]
fn datums_say_what_they_are() {
    let dynamic = Datum::from_epsg(1165).unwrap(); // ITRF2014
    assert!(dynamic.is_dynamic() && dynamic.frame_epoch() == Some(2010.0));
    let nad83 = Datum::from_epsg(6269).unwrap();
    assert!(!nad83.is_dynamic() && nad83.ensemble_accuracy_m().is_none());
    assert_eq!((nad83.ellipsoid().name(), nad83.prime_meridian().longitude_deg), ("GRS 1980", 0.0));
    assert!(Datum::from_epsg(5103).unwrap_err().is_unknown(), "a vertical datum has no ellipsoid");
    let lacking = Operation::from_epsg(1241).unwrap_err();
    assert!(lacking.is_unsupported() && lacking.to_string().contains("conus.las"), "{lacking}");
    let timed = Operation::from_epsg(8970).unwrap_err();
    assert!(timed.to_string().contains("needs the epoch of the coordinates"), "{timed}");
}

#[test]
fn geographic_and_projected_systems_have_one_in_degrees() {
    // The code, that of the system in degrees (none: it has none of its own in the registry), and
    // longitude 2.0 of it from Greenwich.
    for (code, wanted, from_greenwich) in [
        (2286, Some(4269), 2.0),
        (4326, Some(4326), 2.0),
        (4979, Some(4979), 2.0),
        // Grads from Paris.
        (4807, None, 4.337_229_17),
        (27572, None, 4.337_229_17),
        // Degrees from Rome.
        (4806, Some(4806), 14.452_333_33),
    ] {
        let crs = Crs::from_epsg(code).unwrap();
        let degrees = crs.in_degrees().unwrap_or_else(|| panic!("EPSG:{code} has none"));
        assert!(degrees.is_geographic() && degrees.degrees_per_unit() == Some(1.0), "EPSG:{code}");
        let name = |crs: &Crs| crs.datum().map(|datum| datum.name().to_string());
        assert_eq!(name(&degrees), name(&crs), "EPSG:{code}");
        assert_eq!(degrees.code(), wanted, "EPSG:{code}: {}", degrees.name());
        let at = degrees.from_greenwich(Coordinate::xy(2.0, 48.0));
        assert!((at.lon - from_greenwich).abs() < 1e-8 && at.lat == 48.0, "EPSG:{code}: {at:?}");
    }
    // Geocentric, vertical, and of a site.
    for code in [4978, 5703, 5800] {
        assert!(Crs::from_epsg(code).unwrap().in_degrees().is_none(), "EPSG:{code}");
    }
}
