//! Systems of one's own for a site: planes scaled to the ground, shifted and turned, and projections of
//! little distortion.

use crate::support::data;
use velvet_peg_core::crs::Ground;
use velvet_peg_core::definition::{self, Spelling, Unsaid};
use velvet_peg_core::low_distortion::{Distortion, GroundPlace, propose};
use velvet_peg_core::projection::{PlaneAffine, PlaneSimilarity};
use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic, LengthUnit, geocentric};

fn crs(code: u32) -> Crs {
    Crs::from_epsg(code).unwrap()
}

/// Places around one, degrees.
fn around(lat: f64, lon: f64) -> impl Iterator<Item = Coordinate> {
    [(-0.3, -0.2), (-0.1, 0.35), (0.0, 0.0), (0.2, -0.31), (0.29, 0.3)]
        .into_iter()
        .map(move |(up, right)| Coordinate::xy(lon + right, lat + up))
}

/// Every base system: the coordinates are those of the grid scaled, shifted and turned about the point,
/// there and back, and after the system was written and read again in every notation that can say it.
#[test]
fn ground_systems_are_their_grid_scaled_shifted_and_turned() {
    for row in data("grounds.csv") {
        let (grid, what) = (crs(row.number("system") as u32), row.text("what"));
        let home = grid.in_degrees().unwrap();
        let to_grid = Converter::new(&home, &grid).unwrap();
        let (lat, lon) = (row.number("lat"), row.number("lon"));
        let middle = to_grid.convert(Coordinate::xy(lon, lat)).unwrap();
        for rotation_deg in [0.0, 33.75] {
            let ground = Ground {
                scale: 1.000_083_4,
                about: (middle.x, middle.y),
                shift: (-20_000.0, 5_000.5),
                rotation_deg,
            };
            let site = grid.on_ground("Tumblewick site", &ground).unwrap();
            assert_eq!(site.extent(), grid.extent(), "{what}");
            let derived = row.text("form") == "derived" || rotation_deg != 0.0;
            assert_eq!(site.derived().is_some(), derived, "{what}");
            let mut systems = vec![site.clone()];
            let texts = [definition::wkt2(&site), definition::json(&site)];
            systems.extend(texts.into_iter().map(|text| {
                let text = text.unwrap_or_else(|| panic!("{what} is not said"));
                definition::resolve(&text).unwrap_or_else(|error| panic!("{what}: {error}\n{text}"))
            }));
            let old =
                [definition::wkt1(&site), definition::wkt1_spelled(&site, Spelling::SideFile)];
            match derived {
                true => {
                    assert!(old.iter().all(Option::is_none), "{what}");
                    assert_eq!(definition::unsaid_in_wkt1(&site), Some(Unsaid::System));
                    assert_eq!(definition::identify(&site).code, None, "{what}");
                }
                false => systems.extend(old.into_iter().map(|text| {
                    definition::resolve(&text.unwrap())
                        .unwrap_or_else(|error| panic!("{what}: {error}"))
                })),
            }
            let (sin, cos) = rotation_deg.to_radians().sin_cos();
            for system in &systems {
                assert_eq!(system.unit_name(), grid.unit_name(), "{what}");
                let there = Converter::new(&home, system).unwrap();
                let back = Converter::new(system, &home).unwrap();
                for place in around(lat, lon) {
                    let at = to_grid.convert(place).unwrap();
                    let (dx, dy) = (at.x - middle.x, at.y - middle.y);
                    let expected = (
                        middle.x - 20_000.0 + 1.000_083_4 * (cos * dx + sin * dy),
                        middle.y + 5_000.5 + 1.000_083_4 * (cos * dy - sin * dx),
                    );
                    let found = there.convert(place).unwrap();
                    let off = (found.x - expected.0).hypot(found.y - expected.1);
                    // Notations round angles and scales to fifteen digits and more.
                    assert!(off < 2e-8, "{what}: {found:?} is {off} from {expected:?}");
                    let again = back.convert(found).unwrap();
                    let off = (again.x - place.x).hypot(again.y - place.y) * 111_000.0;
                    assert!(off < 2e-8, "{what}: {off} m off on the way back");
                }
            }
        }
    }
}

/// Scale and convergence of a turned plane agree with what its coordinates do.
#[test]
fn factors_of_a_turned_plane_are_those_of_its_coordinates() {
    let grid = crs(32610);
    let turn =
        PlaneSimilarity::about((650_000.0, 5_250_000.0), 1.000_2, -41.5, (0.0, 0.0)).unwrap();
    let site = Crs::turned("site", &grid, turn).unwrap();
    let projection = site.projection().unwrap();
    let at = Geographic { lat: 47.4, lon: -121.1 };
    let factors = projection.factors(at).unwrap();
    let geodesic = Geodesic::new(site.ellipsoid().unwrap());
    let north = geodesic.direct(at, 0.0, 1.0).0;
    let (a, b) = (projection.forward(at).unwrap(), projection.forward(north).unwrap());
    let (dx, dy) = (b.0 - a.0, b.1 - a.1);
    assert!((dx.hypot(dy) - factors.meridian_scale).abs() < 1e-7, "{factors:?}");
    // Grid bearing of true north is minus the convergence.
    let bearing = dx.atan2(dy).to_degrees();
    assert!((bearing + factors.convergence_deg).abs() < 1e-5, "{bearing} {factors:?}");
    let plain = grid.projection().unwrap().factors(at).unwrap();
    assert!((factors.meridian_scale / plain.meridian_scale - 1.000_2).abs() < 1e-12);
    assert!((factors.convergence_deg - plain.convergence_deg - 41.5).abs() < 1e-9);
}

#[test]
fn planes_that_cannot_be_turned_are_refused() {
    let turn = PlaneSimilarity::new((0.0, 0.0), 1.0, 10.0).unwrap();
    let turned = Crs::turned("once", &crs(2285), turn).unwrap();
    for (system, says) in [
        (crs(4326), "it is no plane"),
        (crs(4978), "it is no plane"),
        (crs(2046), "westings or southings"),
        (Crs::parse("EPSG:2285+EPSG:5703").unwrap(), "turn its horizontal part"),
        (turned.clone(), "it is turned itself"),
    ] {
        let error = Crs::turned("site", &system, turn).unwrap_err().to_string();
        assert!(error.contains(says), "{says}: {error}");
    }
    for (scale, rotation) in [(0.0, 0.0), (f64::NAN, 0.0), (1.0, 1000.0), (-1.0, 0.0)] {
        assert!(PlaneSimilarity::new((0.0, 0.0), scale, rotation).is_err());
    }
    let at = Geographic { lat: 47.0, lon: -120.0 };
    assert!(crs(3857).combined_factor(at, 0.0).is_err());
    for height_m in [380_000.0, f64::NAN] {
        let error = crs(2285).combined_factor(at, height_m).unwrap_err();
        assert!(error.is_out_of_domain(), "{error}");
    }
    // Two turned planes are the same if what they are made of is.
    assert_eq!(turned, Crs::turned("once", &crs(2285), turn).unwrap());
    assert_ne!(turned, Crs::turned("once", &crs(2286), turn).unwrap());
    let other = PlaneSimilarity::new((0.0, 1.0), 1.0, 10.0).unwrap();
    assert_ne!(turned, Crs::turned("once", &crs(2285), other).unwrap());
    let compound = Crs::compound(&turned, &crs(5703)).unwrap();
    assert!(compound.derived().is_some());
}

/// Planes that are stretched and skewed: there and back, as made and as read from what is written.
#[test]
fn stretched_planes_go_through_definitions() {
    // Numbers of such a mapping worked out by hand: a shift, 30 ppm along x, -50 along y, skewed.
    let (first, second) = ((0.8660_5137, 0.5), (-0.499_98, 0.8659_8208));
    let origin = (-1_500_000.25, -1_000_000.5);
    let affine = PlaneAffine::new(origin, first, second).unwrap();
    for (code, at) in [(32610, (650_000.0, 5_250_000.0)), (2285, (1_850_000.0, 150_000.0))] {
        let base = crs(code);
        let made = Crs::turned("site", &base, affine).unwrap();
        assert!(!made.projection().unwrap().is_conformal());
        assert!(definition::wkt1(&made).is_none());
        let texts =
            [definition::wkt2(&made).unwrap(), definition::json(&made).unwrap().to_string()];
        let read = texts.map(|text| definition::parse(&text).unwrap());
        assert!(read.iter().all(|read| *read == made || read.derived().is_some()));
        for system in read.iter().chain([&made]) {
            let there = Converter::new(&base, system).unwrap();
            let found = there.convert(Coordinate::xy(at.0, at.1)).unwrap();
            let expected = (
                origin.0 + first.0 * at.0 + second.0 * at.1,
                origin.1 + first.1 * at.0 + second.1 * at.1,
            );
            let off = (found.x - expected.0).hypot(found.y - expected.1);
            assert!(off < 2e-8 / base.length_unit().unwrap().metres(), "{code}: {off}");
            let back = Converter::new(system, &base).unwrap().convert(found).unwrap();
            assert!((back.x - at.0).hypot(back.y - at.1) < 5e-8, "{code}: {back:?}");
        }
        // Factors: by differences of coordinates along the meridian and the parallel.
        let degrees = base.in_degrees().unwrap();
        let to_degrees = Converter::new(&base, &degrees).unwrap();
        let place = to_degrees.convert(Coordinate::xy(at.0, at.1)).unwrap();
        let to_plane = Converter::new(&degrees, &made).unwrap();
        let plane = |lon: f64, lat: f64| to_plane.convert(Coordinate::xy(lon, lat)).unwrap();
        let step = 1e-4;
        let (south, north) = (plane(place.x, place.y - step), plane(place.x, place.y + step));
        let (west, east) = (plane(place.x - step, place.y), plane(place.x + step, place.y));
        let geodesic = Geodesic::new(made.ellipsoid().unwrap());
        let metres = made.length_unit().unwrap().metres();
        let scale = |a: Coordinate, b: Coordinate, from: Geographic, to: Geographic| {
            (b.x - a.x).hypot(b.y - a.y) * metres / geodesic.inverse(from, to).distance_m
        };
        let at = |lon: f64, lat: f64| Geographic { lon, lat };
        let h = scale(south, north, at(place.x, place.y - step), at(place.x, place.y + step));
        let k = scale(west, east, at(place.x - step, place.y), at(place.x + step, place.y));
        let factors = made.projection().unwrap().factors(at(place.x, place.y)).unwrap();
        assert!((factors.meridian_scale / h - 1.0).abs() < 1e-8, "{h} {factors:?}");
        assert!((factors.parallel_scale / k - 1.0).abs() < 1e-8, "{k} {factors:?}");
        let convergence = -(north.x - south.x).atan2(north.y - south.y).to_degrees();
        assert!((factors.convergence_deg - convergence).abs() < 1e-6, "{convergence} {factors:?}");
    }
    // The way back of a mapping is the mapping of the way back.
    let there = affine.apply((123.0, -456.0));
    let back = affine.inverse().apply(there);
    assert!((back.0 - 123.0).abs() < 1e-8 && (back.1 + 456.0).abs() < 1e-8, "{back:?}");
    for (first, second) in [
        ((1.0, 0.0), (1.0, 0.0)),
        ((1.0, 0.0), (0.0, -1.0)),
        ((0.0, 0.0), (0.0, 1.0)),
        ((f64::NAN, 0.0), (0.0, 1.0)),
    ] {
        assert!(PlaneAffine::new((0.0, 0.0), first, second).is_err(), "{first:?} {second:?}");
    }
}

/// A derived system as others may write it, about a part that differs.
fn derived(deriving: &str, unit: &str) -> String {
    let base = definition::wkt2(&crs(32610)).unwrap();
    let conversion = &base[base.find("CONVERSION[").unwrap()..base.find(",CS[").unwrap()];
    format!(
        "DERIVEDPROJCRS[\"Weir site\",BASEPROJCRS[\"WGS 84 / UTM zone 10N\",BASEGEOGCRS[\"WGS 84\",\
         DATUM[\"World Geodetic System 1984\",ELLIPSOID[\"WGS 84\",6378137,298.257223563]]],{conversion}],\
         DERIVINGCONVERSION[\"site\",{deriving}],CS[Cartesian,2],AXIS[\"easting (E)\",east],\
         AXIS[\"northing (N)\",north],{unit}]"
    )
}

#[test]
fn derived_systems_of_other_hands_are_read_or_refused_with_the_reason() {
    const METRE: &str = "LENGTHUNIT[\"metre\",1]";
    let similarity = "METHOD[\"Similarity transformation\"],\
        PARAMETER[\"Ordinate 1 of evaluation point in target CRS\",-500,LENGTHUNIT[\"kilometre\",1000]],\
        PARAMETER[\"Ordinate 2 of evaluation point in target CRS\",-5200000],\
        PARAMETER[\"Scale factor for source CRS axes\",1],\
        PARAMETER[\"Rotation angle of source CRS axes\",0,ANGLEUNIT[\"degree\",0.0174532925199433]]";
    let affine = |b2: f64| {
        format!(
            "METHOD[\"Affine parametric transformation\",ID[\"EPSG\",9624]],PARAMETER[\"A0\",-500000],\
             PARAMETER[\"A1\",1],PARAMETER[\"A2\",0],PARAMETER[\"B0\",-5200000],PARAMETER[\"B1\",0],\
             PARAMETER[\"B2\",{b2}]"
        )
    };
    let offsets = "METHOD[\"Cartesian Grid Offsets\",ID[\"EPSG\",9656]],\
        PARAMETER[\"Easting offset\",-500000,LENGTHUNIT[\"metre\",1],ID[\"EPSG\",8728]],\
        PARAMETER[\"Northing offset\",-5200000,LENGTHUNIT[\"metre\",1],ID[\"EPSG\",8729]]";
    for deriving in [similarity.to_string(), affine(1.0), offsets.to_string()] {
        let system = definition::parse(&derived(&deriving, METRE))
            .unwrap_or_else(|error| panic!("{error}\n{deriving}"));
        assert_eq!(system.derived().unwrap().from.code(), Some(32610), "{deriving}");
        let there = Converter::new(&crs(32610), &system).unwrap();
        let at = there.convert(Coordinate::xy(650_000.0, 5_250_000.0)).unwrap();
        assert!((at.x - 150_000.0).abs() < 1e-8 && (at.y - 50_000.0).abs() < 1e-8, "{at:?}");
    }
    for (deriving, unit, says) in [
        (affine(-1.0), METRE, "turn it over"),
        (affine(1.0).replace("PARAMETER[\"A2\",0],", ""), METRE, "lacks its parameter `A2`"),
        (affine(1.0).replace("\"A1\",1", "\"A1\",many"), METRE, "needs a number"),
        (
            "METHOD[\"P6 seismic bin grid\"]".into(),
            METRE,
            "not a method between planes that is known",
        ),
        (
            similarity.replace(",1],PARAMETER[\"Rot", ",0],PARAMETER[\"Rot"),
            METRE,
            "cannot be scaled by 0",
        ),
        ("PARAMETER[\"A0\",1]".into(), METRE, "it has no METHOD"),
        (offsets.to_string(), "LENGTHUNIT[\"foot\",0.3048]", ""),
    ] {
        let read = definition::parse(&derived(&deriving, unit));
        match says {
            // The base counts in the same unit where it says none.
            "" => assert_eq!(read.unwrap().unit_name(), "international foot"),
            says => {
                let error = read.unwrap_err().to_string();
                assert!(error.contains(says), "{says}: {error}");
            }
        }
    }
    let text = derived(offsets, METRE).replace("DERIVINGCONVERSION", "CONVERTED");
    assert!(definition::parse(&text).unwrap_err().to_string().contains("DERIVINGCONVERSION"));
    let text = derived(offsets, METRE).replace("BASEPROJCRS", "BASECRS");
    assert!(definition::parse(&text).unwrap_err().to_string().contains("BASEPROJCRS"));
}

fn places(south: f64, west: f64, size: f64, heights: &[f64]) -> Vec<GroundPlace> {
    (0..81)
        .map(|at| (f64::from(at / 9) / 8.0 * size, f64::from(at % 9) / 8.0 * size))
        .map(|(up, right)| Geographic {
            lat: south + up,
            lon: (west + right + 540.0).rem_euclid(360.0) - 180.0,
        })
        .flat_map(|at| heights.iter().map(move |height_m| GroundPlace { at, height_m: *height_m }))
        .collect()
}

/// The figures are those that lengths have: plane lengths of short lines, against those between the same
/// places raised to the height of the ground.
#[test]
fn distortion_is_what_lengths_on_the_ground_have() {
    for (system, lat, lon, height) in
        [(26910, 47.4, -120.1, 380.0), (2285, 47.4, -120.1, 1900.0), (2193, -41.3, 174.8, -12.0)]
    {
        let system = crs(system);
        let place = GroundPlace { at: Geographic { lat, lon }, height_m: height };
        let said = Distortion::over(&system, &[place]).unwrap();
        let ellipsoid = system.ellipsoid().unwrap();
        let along = |azimuth: f64| {
            let end = |azimuth: f64| Geodesic::new(ellipsoid).direct(place.at, azimuth, 500.0).0;
            let ends = [end(azimuth), end(azimuth + 180.0)];
            let [a, b] = ends.map(|at| system.projection().unwrap().forward(at).unwrap());
            let [c, d] = ends.map(|at| geocentric::from_geographic(ellipsoid, at, height));
            let ground = (0..3).map(|i| (c[i] - d[i]).powi(2)).sum::<f64>().sqrt();
            ((a.0 - b.0).hypot(a.1 - b.1) / ground - 1.0) * 1e6
        };
        let (meridian, parallel) = (along(0.0), along(90.0));
        // Of the two directions each is raised by its own radius of curvature, and one by the mean: that
        // differs by 0.2 % of the height at most.
        let by_direction = 0.002 * height.abs() / 6.37;
        for ppm in [meridian, parallel] {
            let off = (ppm - said.mean_ppm).abs();
            assert!(off < 0.01 + by_direction, "{}: {ppm} {said:?}", system.label());
        }
        let off = (meridian + parallel) / 2.0 - said.mean_ppm;
        assert!(off.abs() < 0.01, "{}: {off} {said:?}", system.label());
        assert!(said.least_ppm <= said.mean_ppm && said.mean_ppm <= said.most_ppm);
    }
}

/// No line of either kind, tried by the minute, and no scale is better by more than the rounding.
#[test]
fn proposals_are_the_best_of_their_kind() {
    let metre = LengthUnit::METRE;
    for (base, south, west, size, heights) in [
        (6318, 47.3, -120.2, 0.4, vec![380.0]),
        (6318, 36.0, -112.5, 1.5, vec![600.0, 2400.0]),
        (7844, -34.0, 150.8, 0.6, vec![30.0]),
        (4937, 60.0, 10.0, 0.2, vec![45.0]),
        (4167, -18.0, 179.7, 0.6, vec![10.0]),
        (6318, 0.1, -78.0, 0.5, vec![2800.0]),
    ] {
        let base = crs(base);
        let places = places(south, west, size, &heights);
        let found = propose("Tumblewick", &base, &places, metre).unwrap();
        assert!(!found.is_empty() && found.len() <= 2);
        let worst: Vec<f64> = found.iter().map(|one| one.distortion.worst_ppm()).collect();
        assert!(worst.windows(2).all(|pair| pair[0] <= pair[1]), "{worst:?}");
        for proposal in &found {
            let again = Distortion::over(&proposal.crs, &places).unwrap();
            assert_eq!(again, proposal.distortion);
            let conversion = proposal.crs.conversion().unwrap();
            let value = |code: u32| {
                let mut all = conversion.parameters.iter();
                all.find(|p| p.code == code).and_then(|p| p.value()).unwrap()
            };
            let scale = value(8805);
            assert!((scale * 1e6 - (scale * 1e6).round()).abs() < 1e-6, "{scale}");
            for angle in [value(8801), value(8802)] {
                assert!((angle * 60.0 - (angle * 60.0).round()).abs() < 1e-9, "{angle}");
            }
            let meridian = conversion.method_code == 9807;
            let mut best = f64::INFINITY;
            for step in -120..=120 {
                let moved = f64::from(step) / 60.0;
                let line = |code: u32, own: bool| value(code) + if own { moved } else { 0.0 };
                for ppm in -1..=1 {
                    let parameters = velvet_peg_core::projection::Parameters::new()
                        .angle(8801, line(8801, !meridian))
                        .angle(8802, (line(8802, meridian) + 540.0).rem_euclid(360.0) - 180.0)
                        .scale(8805, scale + f64::from(ppm) * 1e-6)
                        .length(8806, 0.0)
                        .length(8807, 0.0);
                    let other =
                        Crs::projected("x", &base, conversion.method_code, parameters, metre);
                    let Ok(other) = other else { continue };
                    if let Ok(distortion) = Distortion::over(&other, &places) {
                        best = best.min(distortion.worst_ppm());
                    }
                }
            }
            let worst = proposal.distortion.worst_ppm();
            assert!(worst <= best + 0.5, "{}: {worst} ppm, {best} is possible", base.label());
            // Coordinates are positive, and northings above all eastings.
            let projection = proposal.crs.projection().unwrap();
            let grid: Vec<(f64, f64)> =
                places.iter().map(|place| projection.forward(place.at).unwrap()).collect();
            let least =
                |n: fn(&(f64, f64)) -> f64| grid.iter().map(n).fold(f64::INFINITY, f64::min);
            let highest = grid.iter().map(|at| at.0).fold(0.0, f64::max);
            assert!(least(|at| at.0) >= 10_000.0 && least(|at| at.1) > highest);
            let area = proposal.crs.extent();
            assert!(places.iter().all(|place| area.contains(place.at)), "{:?}", area.boxes());
        }
    }
}

#[test]
fn areas_without_a_plane_are_refused() {
    let base = crs(6318);
    let one =
        |lat: f64, height_m: f64| GroundPlace { at: Geographic { lat, lon: -120.0 }, height_m };
    for (base, places, says) in [
        (&base, vec![], "without a place"),
        (&crs(26910), vec![one(47.0, 0.0)], "is not geographic"),
        (&base, vec![one(89.5, 0.0)], "away from the poles"),
        (&base, vec![one(20.0, 0.0), one(47.0, 0.0)], "less than 20° apart"),
        (&base, vec![one(47.0, 1e6)], "heights on the Earth"),
        (&base, vec![one(f64::NAN, 0.0)], "away from the poles"),
    ] {
        let error = propose("x", base, &places, LengthUnit::METRE).unwrap_err().to_string();
        assert!(error.contains(says), "{says}: {error}");
    }
    assert!(Distortion::over(&base, &[one(47.0, 0.0)]).is_err());
    assert!(Distortion::over(&crs(26910), &[]).is_err());
    // One place is enough: its plane has no distortion there.
    let found = propose("x", &base, &[one(47.0, 500.0)], LengthUnit::US_SURVEY_FOOT).unwrap();
    assert!(found[0].distortion.worst_ppm() <= 0.5);
}
