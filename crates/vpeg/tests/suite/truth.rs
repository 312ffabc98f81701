//! The computed truth values through the command line.

use crate::support::{Bench, truth, unwrapped};
use std::collections::BTreeMap;
use std::fmt::Write;
use velvet_peg::Crs;

/// Tables of one system, there and back, within 10 nm of the truth plus the rounding of the
/// digits printed.
#[test]
fn tables_convert_to_the_truth_both_ways() {
    let bench = Bench::new();
    let mut systems: BTreeMap<u32, Vec<_>> = BTreeMap::new();
    for row in truth("projections.csv") {
        systems.entry(row["crs_code"].parse().unwrap()).or_default().push(row);
    }
    assert!(systems.len() > 50);
    for (code, rows) in systems {
        let grid = Crs::from_epsg(code).unwrap();
        let base = grid.base().unwrap();
        if !base.unit_name().contains("degree") {
            // The truth is in degrees; bases in grads go through the library's tests.
            continue;
        }
        let metres = grid.length_unit().unwrap().metres();
        let (mut places, mut points) = (String::from("lon,lat\n"), String::from("e,n\n"));
        for row in &rows {
            writeln!(places, "{},{}", row["lon_deg"], row["lat_deg"]).unwrap();
            writeln!(points, "{},{}", row["easting"], row["northing"]).unwrap();
        }
        bench.write("places.csv", places);
        bench.write("points.csv", points);
        let (grid, base) = (format!("EPSG:{code}"), base.reference());
        let common = ["--decimals", "15", "--overwrite", "-o"];
        let arguments = |file, x, y, from: &str, to: &str, out| -> Vec<String> {
            [&["convert", file, "--x", x, "--y", y, "--crs", from, "--to", to], &common[..], &[out]]
                .concat()
                .iter()
                .map(|word| word.to_string())
                .collect()
        };
        bench.ok(&arguments("places.csv", "lon", "lat", &base, &grid, "to-grid.csv"));
        bench.ok(&arguments("points.csv", "e", "n", &grid, &base, "to-base.csv"));
        let (header, forward) = bench.table("to-grid.csv");
        assert_eq!(header, ["lon", "lat", "easting", "northing"]);
        let (header, back) = bench.table("to-base.csv");
        assert_eq!(header, ["e", "n", "lon", "lat"]);
        for ((row, forward), back) in rows.iter().zip(&forward).zip(&back) {
            let number = |text: &String| text.parse::<f64>().unwrap();
            let miss = (number(&forward[2]) - number(&row["easting"]))
                .hypot(number(&forward[3]) - number(&row["northing"]))
                * metres;
            assert!(miss < 1e-8, "{grid}: {miss:e} m forward");
            let lat = number(&row["lat_deg"]);
            let east =
                unwrapped(number(&back[2]) - number(&row["lon_deg"])) * lat.to_radians().cos();
            let miss = east.hypot(number(&back[3]) - lat).to_radians() * 6.4e6;
            assert!(miss < 1e-8, "{grid}: {miss:e} m back");
        }
    }
}

#[test]
fn courses_agree_with_the_truth() {
    let bench = Bench::new();
    let rows: Vec<_> = truth("geodesics.csv")
        .into_iter()
        .filter(|row| row["ellipsoid_a"] == "6378137" && row["ellipsoid_invf"] == "298.257223563")
        .collect();
    assert!(rows.len() > 5);
    let mut table = String::from("lat1,lon1,lat2,lon2,az,dist_m\n");
    for row in &rows {
        let cells = ["lat1", "lon1", "lat2", "lon2", "azimuth1_deg", "distance_m"]
            .map(|name| row[name].as_str());
        writeln!(table, "{}", cells.join(",")).unwrap();
    }
    bench.write("pairs.csv", table);
    bench.ok(&[
        "course",
        "pairs.csv",
        "--from",
        "lon1,lat1",
        "--to",
        "lon2,lat2",
        "--crs",
        "EPSG:4326",
        "--decimals",
        "12",
        "-o",
        "inverse.csv",
    ]);
    bench.ok(&[
        "course",
        "pairs.csv",
        "--start",
        "lon1,lat1",
        "--azimuth",
        "az",
        "--distance",
        "dist_m",
        "--crs",
        "EPSG:4326",
        "--decimals",
        "13",
        "-o",
        "direct.csv",
    ]);
    let (header, inverse) = bench.table("inverse.csv");
    assert_eq!(header[6..], ["distance_m", "azimuth_from", "azimuth_to"]);
    let (header, direct) = bench.table("direct.csv");
    assert_eq!(header[6..], ["lon_end", "lat_end", "azimuth_to"]);
    for ((row, inverse), direct) in rows.iter().zip(&inverse).zip(&direct) {
        let truth = |name: &str| row[name].parse::<f64>().unwrap();
        let number = |text: &String| text.parse::<f64>().unwrap();
        assert!((number(&inverse[6]) - truth("distance_m")).abs() < 2e-8, "{row:?}");
        if row["kind"] != "near_antipodal" {
            for (found, name) in [(&inverse[7], "azimuth1_deg"), (&inverse[8], "azimuth2_deg")] {
                let off = unwrapped(number(found) - truth(name)).to_radians().abs();
                assert!(off * truth("distance_m").min(1e6) < 2e-8, "{row:?}: {found}");
                assert!((0.0..=360.0).contains(&number(found)));
            }
        }
        let north = number(&direct[7]) - truth("lat2");
        let east = unwrapped(number(&direct[6]) - truth("lon2")) * truth("lat2").to_radians().cos();
        assert!(east.hypot(north).to_radians() * 6.4e6 < 2e-8, "{row:?}: {direct:?}");
    }
}

#[test]
fn areas_agree_with_the_truth() {
    let bench = Bench::new();
    let vertices = truth("polygons.csv");
    let mut tested = 0;
    for result in truth("polygon_results.csv") {
        let mine: Vec<_> = vertices.iter().filter(|row| row["id"] == result["id"]).collect();
        // A system with the polygon's ellipsoid: WGS 84 or NAD83.
        let code = match mine[0]["ellipsoid_invf"].as_str() {
            "298.257223563" => 4326,
            "298.257222101" => 4269,
            _ => continue,
        };
        let ring: Vec<String> = mine
            .iter()
            .chain(&mine[..1])
            .map(|row| format!("[{},{}]", row["lon"], row["lat"]))
            .collect();
        bench.write(
            "polygon.geojson",
            format!(
                r#"{{"type":"FeatureCollection","crs":{{"type":"name","properties":{{"name":"urn:ogc:def:crs:EPSG::{code}"}}}},
                "features":[{{"type":"Feature","properties":{{}},"geometry":{{"type":"Polygon","coordinates":[[{}]]}}}}]}}"#,
                ring.join(",")
            ),
        );
        let measured = &bench.ok(&["measure", "polygon.geojson", "--json"]).json()["features"][0];
        let truth = |name: &str| result[name].parse::<f64>().unwrap();
        let (area, perimeter) = (truth("area_m2").abs(), truth("perimeter_m"));
        let found = measured["area_ellipsoid_m2"].as_f64().unwrap();
        assert!(
            (found - area).abs() < 2e-8 * perimeter + 1e-14 * area,
            "{}: {found} for {area}",
            result["id"]
        );
        let found = measured["perimeter_ellipsoid_m"].as_f64().unwrap();
        assert!((found - perimeter).abs() < 2e-8 * mine.len() as f64, "{}", result["id"]);
        tested += 1;
    }
    assert!(tested > 5, "{tested}");
}
