//! The computed truth values, through the scalar and the column paths.
//!
//! Tolerances are the claims of the documentation: 5 nm for projections both ways, 20 nm
//! for geodesics, and what double precision leaves of areas.

use crate::support::{rows, unwrapped};
use std::collections::BTreeMap;
use velvet_peg_core::{
    Converter, Coordinate, Crs, Ellipsoid, Geodesic, Geographic, Operation, geocentric,
};

const NANOMETRE: f64 = 1e-9;

/// Every method, through scalar and columns, both ways, with factors.
#[test]
fn projections_agree_both_ways_within_5_nm() {
    // Worst forward and back (metres), scale (ratio) and convergence (degrees), by method.
    let mut worst: BTreeMap<u32, [f64; 4]> = BTreeMap::new();
    let mut tested = 0;
    for row in rows("projections.csv") {
        let code = row.number("crs_code") as u32;
        let method = row.number("method_code") as u32;
        let grid = Crs::from_epsg(code).unwrap();
        let unit = grid.length_unit().unwrap().metres();
        let base = grid.base().unwrap();
        let there = Converter::new(&base, &grid).unwrap();
        let back = Converter::new(&grid, &base).unwrap();
        let degree = match base.unit_name() {
            "grad" => 0.9,
            _ => 1.0,
        };
        let place = Coordinate::xy(row.number("lon_deg") / degree, row.number("lat_deg") / degree);
        let truth = Coordinate::xy(row.number("easting"), row.number("northing"));

        let found = there.convert(place).unwrap();
        let forward = (found.x - truth.x).hypot(found.y - truth.y) * unit;

        let at = back.convert(truth).unwrap();
        let radius = grid.ellipsoid().unwrap().semi_major_m();
        let north = ((at.y - place.y) * degree).to_radians() * radius;
        let east = unwrapped((at.x - place.x) * degree).to_radians()
            * radius
            * (place.y * degree).to_radians().cos();
        let back = north.hypot(east);

        let (mut x, mut y) = ([place.x, f64::NAN], [place.y, 0.0]);
        assert_eq!(there.convert_columns(&mut x, &mut y, None), 0);
        assert_eq!((x[0], y[0]), (found.x, found.y), "EPSG:{code} columns differ");

        let factors = grid
            .projection()
            .unwrap()
            .factors(Geographic { lat: place.y * degree, lon: place.x * degree })
            .unwrap();
        let scale = (factors.meridian_scale / row.number("scale_h") - 1.0)
            .abs()
            .max((factors.parallel_scale / row.number("scale_k") - 1.0).abs());
        let turn = row
            .optional("convergence_deg")
            .map_or(0.0, |truth| unwrapped(factors.convergence_deg - truth).abs());
        let misses = [forward, back, scale, turn];
        let entry = worst.entry(method).or_default();
        for (most, miss) in entry.iter_mut().zip(misses) {
            *most = most.max(miss);
        }
        tested += 1;
    }
    let mut failed = Vec::new();
    for (method, [forward, back, scale, turn]) in &worst {
        let line = format!(
            "{method}: {forward:.1e} m forward, {back:.1e} m back, scale {scale:.0e}, \
             convergence {turn:.0e}°"
        );
        println!("{line}");
        let good = *forward < 5.0 * NANOMETRE
            && *back < 5.0 * NANOMETRE
            && *scale < 1e-14
            && *turn < 1e-12;
        if !good {
            failed.push(line);
        }
    }
    assert!(failed.is_empty(), "{failed:#?}");
    assert!(tested >= 300 && worst.len() == 47, "{tested} positions, {} methods", worst.len());
}

#[test]
fn geodesics_agree_within_20_nm() {
    let (mut worst, mut worst_end) = (0.0f64, 0.0f64);
    for row in rows("geodesics.csv") {
        let ellipsoid =
            Ellipsoid::new(row.number("ellipsoid_a"), row.number("ellipsoid_invf")).unwrap();
        let geodesic = Geodesic::new(&ellipsoid);
        let from = Geographic { lat: row.number("lat1"), lon: row.number("lon1") };
        let to = Geographic { lat: row.number("lat2"), lon: row.number("lon2") };
        let (distance, az1, az2) =
            (row.number("distance_m"), row.number("azimuth1_deg"), row.number("azimuth2_deg"));
        let kind = row.text("kind");

        let course = geodesic.inverse(from, to);
        let miss = (course.distance_m - distance).abs();
        worst = worst.max(miss);
        assert!(miss < 20.0 * NANOMETRE, "{kind}: distance misses by {miss:e} m");
        // An azimuth is as good as the position that it leads to.
        let lever = distance.min(1e6);
        for (found, truth) in [(course.azimuth_from_deg, az1), (course.azimuth_to_deg, az2)] {
            let miss = unwrapped(found - truth).to_radians().abs() * lever;
            assert!(miss < 20.0 * NANOMETRE, "{kind}: azimuth {found} for {truth}, {miss:e} m");
        }

        let (end, azimuth) = geodesic.direct(from, az1, distance);
        let north = (end.lat - to.lat).to_radians() * ellipsoid.semi_major_m();
        let east = unwrapped(end.lon - to.lon).to_radians()
            * ellipsoid.semi_major_m()
            * to.lat.to_radians().cos();
        worst_end = worst_end.max(north.hypot(east));
        assert!(
            north.hypot(east) < 20.0 * NANOMETRE,
            "{kind}: end misses by {:e} m",
            north.hypot(east)
        );
        if to.lat.abs() < 89.9 {
            assert!(unwrapped(azimuth - az2).abs() < 1e-12, "{kind}: {azimuth} for {az2}");
        }
        // The way back is the same way.
        let back = geodesic.inverse(to, from);
        assert!((back.distance_m - course.distance_m).abs() < 10.0 * NANOMETRE, "{kind}");
    }
    println!("worst distance {worst:e} m, worst end {worst_end:e} m");
}

#[test]
fn polygon_areas_agree() {
    let vertices = rows("polygons.csv");
    for result in rows("polygon_results.csv") {
        let id = result.text("id");
        let mine: Vec<_> = vertices.iter().filter(|row| row.text("id") == id).collect();
        let ellipsoid =
            Ellipsoid::new(mine[0].number("ellipsoid_a"), mine[0].number("ellipsoid_invf"))
                .unwrap();
        let ring: Vec<_> = mine
            .iter()
            .map(|row| Geographic { lat: row.number("lat"), lon: row.number("lon") })
            .collect();
        let found = Geodesic::new(&ellipsoid).polygon(&ring);
        let (area, perimeter) = (result.number("area_m2"), result.number("perimeter_m"));
        let miss = (found.area_m2 - area).abs();
        println!("{id}: area misses by {miss:e} m²");
        // A nanometre along the boundary, plus rounding of the whole.
        let tolerance = 20.0 * NANOMETRE * perimeter
            + 1e-15 * ellipsoid.surface_area_m2().min(area.abs() * 10.0);
        assert!(miss < tolerance, "{id}: area misses by {miss:e} m², allowed {tolerance:e}");
        assert!(
            (found.perimeter_m - perimeter).abs() < 20.0 * NANOMETRE * ring.len() as f64,
            "{id}"
        );
        // The same sides as a line: back to the first vertex, if the ring does not close itself.
        let closed: Vec<_> = ring.iter().chain([&ring[0]]).copied().collect();
        let length = Geodesic::new(&ellipsoid).line_length_m(&closed);
        assert!((length - perimeter).abs() < 20.0 * NANOMETRE * closed.len() as f64, "{id}");
        let reversed: Vec<_> = ring.iter().rev().copied().collect();
        let back = Geodesic::new(&ellipsoid).polygon(&reversed);
        assert!((back.area_m2 + area).abs() < tolerance, "{id} reversed");
    }
}

#[test]
fn geocentric_agrees_both_ways() {
    for row in rows("geocentric.csv") {
        let ellipsoid =
            Ellipsoid::new(row.number("ellipsoid_a"), row.number("ellipsoid_invf")).unwrap();
        let (lon, lat, h) = (row.number("lon"), row.number("lat"), row.number("h"));
        let truth = [row.number("X"), row.number("Y"), row.number("Z")];
        let found = geocentric::from_geographic(&ellipsoid, Geographic { lat, lon }, h);
        // Five units in the last place of the largest coordinate.
        let tolerance = 5.0 * f64::EPSILON * truth.iter().fold(0.0f64, |m, v| m.max(v.abs()));
        for (a, b) in found.iter().zip(truth) {
            assert!((a - b).abs() < tolerance, "{found:?} for {truth:?}");
        }
        let (back, back_h) = geocentric::to_geographic(&ellipsoid, truth);
        let radius = ellipsoid.semi_major_m() + h;
        assert!((back.lat - lat).to_radians().abs() * radius < 2.0 * tolerance, "{back:?}");
        assert!((back_h - h).abs() < 2.0 * tolerance, "{back:?}");
        let across = radius * lat.to_radians().cos();
        assert!(
            unwrapped(back.lon - lon).to_radians().abs() * across < 2.0 * tolerance,
            "{back:?}"
        );
    }
}

#[test]
fn datum_operations_agree_within_10_nm() {
    let mut tested = Vec::new();
    for row in rows("datum_shifts.csv") {
        let code = row.number("operation_code") as u32;
        let epoch = row.optional("epoch");
        if epoch.is_some() {
            // Time-dependent methods are refused without an epoch, not approximated.
            let refused = Operation::from_epsg(code).unwrap_err();
            assert!(refused.to_string().contains("epoch of the coordinates"), "{refused}");
        }
        let operation = Operation::at_epoch(code, epoch).unwrap();
        let (source, target) = (
            Crs::from_epsg(row.number("source_crs") as u32),
            Crs::from_epsg(row.number("target_crs") as u32),
        );
        let h = row.number("h");
        let at = Geographic { lat: row.number("lat"), lon: row.number("lon") };
        let (to, h_out) = operation.apply(at, h, &source.unwrap(), &target.unwrap()).unwrap();
        let miss_north = (to.lat - row.number("lat_out")).to_radians() * 6.4e6;
        let miss_east = (to.lon - row.number("lon_out")).to_radians() * 6.4e6;
        assert!(miss_north.hypot(miss_east) < 10.0 * NANOMETRE, "operation {code}");
        if let Some(truth) = row.optional("h_out") {
            assert!(
                (h_out - truth).abs() < 10.0 * NANOMETRE,
                "operation {code}: height {h_out} for {truth}"
            );
        }
        tested.push(code);
    }
    assert_eq!(tested.len(), 20, "{tested:?}");
}
