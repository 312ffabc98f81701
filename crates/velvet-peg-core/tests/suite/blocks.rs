//! Columns are converted several places at a time: the same bits as one by one, the same as plain
//! formulas to nanometres, and no seam where one way of computing takes over from another.

use crate::support::plain;
use crate::support::random::Random;
use std::collections::BTreeMap;
use velvet_peg_core::crs::Ground;
use velvet_peg_core::projection::Projection;
use velvet_peg_core::registry::CrsRow;
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, Ellipsoid, Geographic, geocentric};

/// Places over an area and around it, and what is none.
fn places(area: &Bounds, many: usize, random: &mut Random) -> (Vec<f64>, Vec<f64>) {
    let wide = if area.east < area.west { 360.0 } else { 0.0 };
    let (west, east) = (area.west, area.east + wide);
    let mut x: Vec<f64> = (0..many).map(|_| random.between(west, east)).collect();
    let mut y: Vec<f64> = (0..many).map(|_| random.between(area.south, area.north)).collect();
    let odd = [
        (f64::NAN, 10.0),
        (10.0, f64::NAN),
        (f64::INFINITY, 10.0),
        (10.0, 91.0),
        (west, 90.0),
        (west, -90.0),
        (west + 180.0, area.south),
        (361.0, area.south),
        ((west + east) / 2.0 + 9.8, area.north),
        (west - 15.0, area.north),
        (-west, -area.north),
        (0.0, 0.0),
    ];
    for (at, (lon, lat)) in odd.into_iter().enumerate() {
        // Far from each other, so that whole groups without any are left.
        let at = (at * 37 + 5) % many;
        (x[at], y[at]) = (lon, lat);
    }
    (x, y)
}

/// Converts columns of several lengths and each coordinate by itself.
fn same_bits(converter: &Converter, x: &[f64], y: &[f64], z: &[f64]) -> usize {
    let what = |at: usize| {
        let (source, target) = (converter.source().label(), converter.target().label());
        format!("{source} to {target}: {}, {}, {}", x[at], y[at], z[at])
    };
    let mut compared = 0;
    for many in [x.len(), 257, 5, 4, 3, 1] {
        let many = many.min(x.len());
        let (mut to_x, mut to_y, mut to_z) =
            (x[..many].to_vec(), y[..many].to_vec(), z[..many].to_vec());
        let marked = converter.convert_columns(&mut to_x, &mut to_y, Some(&mut to_z));
        let mut failed = 0;
        for at in 0..many {
            match converter.convert(Coordinate { x: x[at], y: y[at], z: z[at] }) {
                Ok(one) => {
                    let same = (one.x, one.y) == (to_x[at], to_y[at]);
                    let z = one.z == to_z[at] || (one.z.is_nan() && to_z[at].is_nan());
                    let columns = (to_x[at], to_y[at], to_z[at]);
                    assert!(same && z, "{}\n{one:?}\n{columns:?}", what(at));
                    compared += 1;
                }
                Err(_) => {
                    assert!(to_x[at].is_nan() && to_y[at].is_nan(), "{}", what(at));
                    assert_eq!(to_z[at].to_bits(), z[at].to_bits(), "{}", what(at));
                    failed += usize::from(!x[at].is_nan() && !y[at].is_nan());
                }
            }
        }
        assert_eq!(marked, failed, "{}", what(0));
    }
    compared
}

/// Some systems of every method of projection, there and back.
#[test]
fn columns_are_the_same_bits_as_single_coordinates() {
    let mut of_method: BTreeMap<u32, usize> = BTreeMap::new();
    let mut random = Random::new(16);
    let mut compared = 0;
    for row in CrsRow::all().filter(|row| !row.deprecated) {
        let Ok(crs) = Crs::from_epsg(row.code) else { continue };
        let (Ok(projection), Some(base)) = (crs.projection(), crs.base()) else { continue };
        let count = of_method.entry(projection.method_code()).or_default();
        *count += 1;
        let Some(area) = crs.extent().boxes().first().copied() else { continue };
        if *count > 4 {
            continue;
        }
        let (x, y) = places(&area, 600, &mut random);
        let z: Vec<f64> =
            (0..x.len()).map(|at| if at % 7 == 0 { f64::NAN } else { 100.0 }).collect();
        let there = Converter::new(&base, &crs).unwrap();
        compared += same_bits(&there, &x, &y, &z);
        let (mut e, mut n) = (x, y);
        there.convert_columns(&mut e, &mut n, None);
        e[3] = 1e9;
        // Infinite coordinates are none, whatever a formula makes of them.
        for at in 11..15 {
            let far = if at % 2 == 0 { f64::INFINITY } else { f64::NEG_INFINITY };
            *(if at < 13 { &mut e[at] } else { &mut n[at] }) = far;
        }
        compared += same_bits(&Converter::new(&crs, &base).unwrap(), &e, &n, &z);
    }
    assert!(of_method.len() >= 43, "{of_method:?}");
    assert!(compared > 100_000, "{compared}");
}

/// Planes that are turned, behind a conic in feet and a Transverse Mercator in metres.
#[test]
fn turned_planes_are_the_same_bits_too() {
    let mut random = Random::new(12);
    let area = Bounds { south: 46.9, west: -121.0, north: 47.9, east: -119.0 };
    for (code, about) in [(2285, (1_846_799.0, 147_026.0)), (32611, (270_000.0, 5_255_000.0))] {
        let grid = Crs::from_epsg(code).unwrap();
        let ground = Ground { about, scale: 1.000_04, rotation_deg: 12.0, shift: (-100.0, 2000.0) };
        let site = grid.on_ground("site", &ground).unwrap();
        let home = grid.base().unwrap();
        let (x, y) = places(&area, 700, &mut random);
        let z = vec![100.0; x.len()];
        let there = Converter::new(&home, &site).unwrap();
        assert!(same_bits(&there, &x, &y, &z) > 700);
        let (mut e, mut n) = (x, y);
        there.convert_columns(&mut e, &mut n, None);
        assert!(same_bits(&Converter::new(&site, &home).unwrap(), &e, &n, &z) > 700);
    }
}

/// Changes of datum and heights, with and without geocentric coordinates.
#[test]
fn changes_of_datum_are_the_same_bits_too() {
    let mut random = Random::new(61);
    let britain = Bounds { south: 50.0, west: -6.0, north: 58.0, east: 1.5 };
    let states = Bounds { south: 45.6, west: -123.9, north: 48.9, east: -117.1 };
    let world = Bounds { south: -90.0, west: -180.0, north: 90.0, east: 180.0 };
    for (from, to, area) in [
        ("EPSG:4277", "EPSG:4326", &britain),
        ("EPSG:4326", "EPSG:4277", &britain),
        ("EPSG:4326", "EPSG:27700", &britain),
        ("EPSG:4267", "EPSG:4326", &states),
        ("EPSG:4326", "EPSG:4267", &states),
        ("EPSG:4269", "EPSG:32610", &states),
        ("EPSG:4979", "EPSG:4978", &world),
        ("EPSG:4230", "EPSG:4978", &britain),
        // Greenwich and Paris, and grads.
        ("EPSG:4807", "EPSG:4326", &britain),
        ("EPSG:4200+EPSG:5705", "EPSG:4200+EPSG:5735", &world),
        ("EPSG:4937", "EPSG:4979", &britain),
    ] {
        let crs = |text| Crs::parse(text).unwrap();
        let converter = Converter::new(&crs(from), &crs(to)).unwrap();
        let (x, y) = places(area, 900, &mut random);
        for heights in [(-200.0, 9000.0), (-4e6, 4e7)] {
            let z: Vec<f64> = (0..x.len())
                .map(
                    |at| if at % 11 == 0 { f64::NAN } else { random.between(heights.0, heights.1) },
                )
                .collect();
            assert!(same_bits(&converter, &x, &y, &z) > 900, "{from} to {to}");
            let (mut a, mut b, mut c) = (x.clone(), y.clone(), z.clone());
            converter.convert_columns(&mut a, &mut b, Some(&mut c));
            let back = Converter::new(&crs(to), &crs(from)).unwrap();
            assert!(same_bits(&back, &a, &b, &c) > 900, "{to} to {from}");
        }
    }
}

/// Both are good to five nanometres: so much may lie between them.
const BAR_M: f64 = 10e-9;

/// The same of geocentric coordinates, which are good to two and a half.
const SPACE_BAR_M: f64 = 5e-9;

fn degrees_as_metres(a: Geographic, b: Geographic) -> f64 {
    let lon = wrapped(a.lon - b.lon) * a.lat.to_radians().cos();
    (a.lat - b.lat).hypot(lon).to_radians() * 6_378_137.0
}

fn wrapped(degrees: f64) -> f64 {
    degrees - (degrees / 360.0).round() * 360.0
}

/// Transverse Mercator and conformal conics near their origin, against the formulas as they stand in books
/// and computed place by place.
#[test]
fn near_the_origin_the_plain_formulas_agree() {
    let mut random = Random::new(9);
    let mut worst = [0.0_f64; 4];
    for (code, reach) in [
        (32610, 9.79),
        (27700, 9.0),
        (2193, 9.0),
        (2154, 12.0),
        (2286, 8.0),
        (3111, 8.0),
        (2062, 6.0),
    ] {
        let crs = Crs::from_epsg(code).unwrap();
        let projection: &Projection = crs.projection().unwrap();
        let is_conic = projection.method_code() != 9807;
        let plain = plain::Plain::of(&crs);
        let (lat0, lon0) = plain.origin();
        let area = crs.extent().boxes()[0];
        for _ in 0..20_000 {
            let lat = match is_conic {
                true => lat0 + random.between(-reach, reach),
                // As far as it is used, and some more.
                false => {
                    random.between((area.south - 3.0).max(-88.0), (area.north + 3.0).min(88.0))
                }
            };
            let at = Geographic { lat, lon: lon0 + random.between(-reach, reach) };
            let (e, n) = projection.forward(at).unwrap();
            let (plain_e, plain_n) = plain.forward(at);
            let off = (e - plain_e).hypot(n - plain_n);
            assert!(off < BAR_M, "EPSG:{code} {at:?}: {off}");
            let back = projection.inverse(e, n).unwrap();
            let off_back = degrees_as_metres(back, at);
            assert!(off_back < BAR_M, "EPSG:{code} {at:?}: {back:?} {off_back}");
            let k = usize::from(is_conic) * 2;
            worst[k] = worst[k].max(off);
            worst[k + 1] = worst[k + 1].max(off_back);
        }
    }
    println!("Transverse Mercator and conic, forward and there and back: {worst:?} m");
}

/// Geocentric coordinates near the surface and away from it.
#[test]
fn geocentric_coordinates_come_back_from_all_heights() {
    let mut random = Random::new(7);
    for code in [7030, 7019, 7001, 7008, 7022, 7011] {
        let ellipsoid = Ellipsoid::from_epsg(code).unwrap();
        for round in 0..30_000 {
            let at =
                Geographic { lat: random.between(-90.0, 90.0), lon: random.between(-180.0, 180.0) };
            let h = match round % 3 {
                0 => random.between(-12_000.0, 12_000.0),
                1 => random.between(-99_000.0, 999_000.0),
                _ => random.between(-1e6, 4e7),
            };
            let p = geocentric::from_geographic(&ellipsoid, at, h);
            let (found, found_h) = geocentric::to_geographic(&ellipsoid, p);
            let (plain, plain_h) = plain::from_space(&ellipsoid, p);
            let scale = (6.4e6 + h) / 6.4e6;
            let off = degrees_as_metres(found, plain) * scale.max(1.0);
            assert!(
                off < SPACE_BAR_M * scale.max(1.0),
                "EPSG:{code} {at:?} {h}: {found:?} {plain:?} {off}"
            );
            let high = (found_h - plain_h).abs();
            assert!(
                high < SPACE_BAR_M * scale.max(1.0),
                "EPSG:{code} {at:?} {h}: {found_h} {plain_h}"
            );
        }
    }
}

/// How far values jump at a place, from the third difference of four values around it: a jump J between the
/// middle two makes it −2 J, and a smooth function nothing. The mean over many lines, because each has the
/// rounding of its four values.
fn jump(step: f64, lines: impl Iterator<Item = f64>, f: impl Fn(f64, f64) -> (f64, f64)) -> f64 {
    let (mut sum, mut count) = ((0.0, 0.0), 0.0);
    for line in lines {
        let [a, b, c, d] = [-1.5, -0.5, 0.5, 1.5].map(|k| f(line, k * step));
        let of = |a: f64, b: f64, c: f64, d: f64| d - 3.0 * c + 3.0 * b - a;
        sum = (sum.0 + of(a.0, b.0, c.0, d.0), sum.1 + of(a.1, b.1, c.1, d.1));
        count += 1.0;
    }
    (sum.0 / count / 2.0).hypot(sum.1 / count / 2.0)
}

/// Where one way of computing takes over from another nothing jumps by as much as the accuracy: forward at the
/// ends of longitude and latitude that the short polynomials reach, and back at those of easting and northing.
#[test]
fn there_is_no_seam() {
    const MOST_M: f64 = 1e-9;
    // Of a conic lines share the rounding of a radius or of an angle, which no mean takes away.
    const MOST_SHARED_M: f64 = 5e-9;
    const LINES: usize = 2_000;
    const DEGREE_M: f64 = 111_000.0;
    // Degrees: with seams taken to 2⁻²⁰° the four places have no rounding, which all lines would share.
    const STEP: f64 = 1.0 / 8192.0;
    let exactly = |degrees: f64| (degrees * 1_048_576.0).round() / 1_048_576.0;
    let lines = |low: f64, high: f64| {
        (0..LINES).map(move |at| low + (high - low) * at as f64 / LINES as f64)
    };
    // Transverse Mercator: 9.8° of longitude, and 0.169 of the sphere's radius (WGS 84).
    let utm = Crs::from_epsg(32610).unwrap();
    let utm = utm.projection().unwrap();
    for side in [-1.0, 1.0] {
        let forward = |lat, off| {
            utm.forward(Geographic { lat, lon: exactly(-123.0 + side * 9.8) + off }).unwrap()
        };
        let found = jump(STEP, lines(-60.0, 60.0), forward);
        assert!(found < MOST_M, "UTM forward: {found}");
        let e = 500_000.0 + side * 0.169 * 6_367_449.145_8 * 0.9996;
        let back = |n, off| {
            let at = utm.inverse(e + off, n).unwrap();
            (at.lon * DEGREE_M, at.lat * DEGREE_M)
        };
        let found = jump(1.0, lines(0.0, 6e6), back);
        assert!(found < MOST_M, "UTM back: {found}");
    }
    // Conics: tanh Δ/2 of 0.17157 in isometric latitude, and n λ/2 of 45°.
    for code in [2154, 3111, 2286] {
        let crs = Crs::from_epsg(code).unwrap();
        let projection = crs.projection().unwrap();
        let plain = plain::Plain::of(&crs);
        let (lat0, lon0) = plain.origin();
        let (s0, c0) = lat0.to_radians().sin_cos();
        for t in [-0.171_57_f64, 0.171_57] {
            let seam = exactly(lat0 + 2.0 * (t * c0 / (1.0 + t * s0)).atan().to_degrees());
            let forward =
                |lon, off| projection.forward(Geographic { lat: seam + off, lon }).unwrap();
            let found = jump(STEP, lines(lon0 - 20.0, lon0 + 20.0), forward);
            assert!(found < MOST_SHARED_M, "EPSG:{code} forward {seam}: {found}");
            // Back it is Δ on the ellipsoid that counts, up to 2 · 0.17157.
            let seam = plain.latitude_of_isometric(plain.isometric(lat0) + 2.0 * t);
            let back = |lon, off| {
                let (e, n) = plain.forward(Geographic { lat: seam, lon });
                let at = projection.inverse(e, n + off).unwrap();
                (at.lon * DEGREE_M, at.lat * DEGREE_M)
            };
            let found = jump(1.0, lines(lon0 - 0.01, lon0 + 0.01), back);
            assert!(found < MOST_SHARED_M, "EPSG:{code} back {seam}: {found}");
        }
        let lon = exactly(lon0 + 90.0 / plain.cone().abs());
        let forward = |lat, off| projection.forward(Geographic { lat, lon: lon + off }).unwrap();
        let found = jump(STEP, lines(lat0 - 5.0, lat0 + 5.0), forward);
        assert!(found < MOST_SHARED_M, "EPSG:{code} forward {lon}: {found}");
    }
}

/// The same on every processor: bits of results that were computed on one. (Constants of methods have the
/// last bit of the system's mathematical library; these are of Linux with glibc.)
#[test]
fn results_are_these_bits_on_every_processor() {
    let rows = csv::Reader::from_reader(include_str!("../data/bits.csv").as_bytes())
        .into_deserialize()
        .map(|row| row.unwrap())
        .collect::<Vec<(String, String, f64, f64, f64, String, String, String)>>();
    assert!(rows.len() >= 180, "{}", rows.len());
    let bits = |value: f64| format!("{:016x}", value.to_bits());
    for (from, to, x, y, z, to_x, to_y, to_z) in rows {
        let crs = |text: &str| Crs::parse(text).unwrap();
        let converter = Converter::new(&crs(&from), &crs(&to)).unwrap();
        let found = converter.convert(Coordinate { x, y, z }).unwrap();
        let found = [found.x, found.y, found.z].map(bits);
        assert_eq!(found, [to_x, to_y, to_z], "{from} to {to}: {x}, {y}, {z}");
    }
}
