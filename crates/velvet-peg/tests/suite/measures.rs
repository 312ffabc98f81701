//! Lengths and areas on the ellipsoid, on the grid and on the ground, against figures reckoned
//! in another way.

use std::path::Path;
use velvet_peg::measure::{
    Figure, FigureColumns, FigureUnits, GroupSummary, ListOrder, Listing, MeasureColumns,
    MeasureOptions, MeasureSummary, Measured, Measures, Statistic, Statistics, feature_legs,
    measure_summary,
};
use velvet_peg::{
    AreaUnit, Crs, Geometry, Layer, LayerReader, LengthUnit, NoProgress, Severity, Value, demo,
    measure,
};

fn reader(layer: &Layer) -> LayerReader {
    LayerReader::of_layer(layer, Path::new("made"))
}

fn measured(layer: &Layer, options: &MeasureOptions) -> Measures {
    measure(&reader(layer), options).unwrap()
}

/// A rectangle with a hole in it, a bent line, and a point, in metres from a corner.
fn works(crs: u32, corner: (f64, f64)) -> Layer {
    let at = |x: f64, y: f64| (corner.0 + x, corner.1 + y);
    let box_of = |x: f64, y: f64, w: f64, h: f64| {
        vec![at(x, y), at(x + w, y), at(x + w, y + h), at(x, y + h)]
    };
    let mut layer = Layer::new("works", Some(Crs::from_epsg(crs).unwrap()));
    let field =
        Geometry::Polygon(vec![box_of(0.0, 0.0, 400.0, 300.0), box_of(50.0, 50.0, 80.0, 60.0)]);
    for (name, crop, geometry) in [
        ("field", "barley", field),
        ("plot", "wheat", Geometry::polygon(box_of(500.0, 0.0, 30.0, 40.0))),
        (
            "ditch",
            "barley",
            Geometry::LineString(vec![at(0.0, 0.0), at(30.0, 40.0), at(30.0, 140.0)]),
        ),
        ("gate", "wheat", Geometry::Point(at(5.0, 5.0))),
    ] {
        layer.push(geometry, [("name", name.into()), ("crop", crop.into())]).unwrap();
    }
    layer
}

#[test]
fn plane_figures_are_those_of_the_shapes() {
    let measures = measured(&works(32610, (600_000.0, 5_250_000.0)), &MeasureOptions::default());
    let plane: Vec<(&str, f64, f64)> = measures
        .features
        .iter()
        .map(|m| (m.label.as_str(), m.grid_length_m.unwrap(), m.grid_area_m2.unwrap()))
        .collect();
    // The boundary of a hole counts, its area does not.
    assert_eq!(
        plane,
        [
            ("field", 1_400.0 + 280.0, 120_000.0 - 4_800.0),
            ("plot", 140.0, 1_200.0),
            ("ditch", 150.0, 0.0),
            ("gate", 0.0, 0.0),
        ]
    );
    assert!(measures.features.iter().all(|m| m.ground_length_m.is_none()));
    // In feet of either kind the same figures come out in metres.
    for (code, foot) in [(2285, 1200.0 / 3937.0), (2927, 1200.0 / 3937.0), (2270, 0.3048)] {
        let measures = measured(&works(code, (1_835_000.0, 155_000.0)), &MeasureOptions::default());
        for (found, (_, length, area)) in measures.features.iter().zip(&plane) {
            let off = (found.grid_length_m.unwrap() - length * foot).abs();
            assert!(off < 1e-9, "EPSG:{code}: {found:?}");
            let off = (found.grid_area_m2.unwrap() - area * foot * foot).abs();
            assert!(off < 1e-7, "EPSG:{code}: {found:?}");
        }
    }
}

#[test]
fn the_ellipsoid_gives_the_same_in_every_system() {
    // The same places in four systems: grids differ by hundreds of parts in a million.
    let home = works(32610, (726_000.0, 5_254_800.0));
    let first = measured(&home, &MeasureOptions::default());
    let mut ppm = Vec::new();
    for code in [32610, 32611, 4326, 3857] {
        let other = home.convert(&Crs::from_epsg(code).unwrap()).unwrap();
        let measures = measured(&other, &MeasureOptions::default());
        for (found, wanted) in measures.features.iter().zip(&first.features) {
            // Some nanometres an edge, and that along the boundary for areas.
            assert!((found.length_m - wanted.length_m).abs() < 1e-7, "EPSG:{code}: {found:?}");
            assert!((found.area_m2 - wanted.area_m2).abs() < 1e-4, "EPSG:{code}: {found:?}");
            assert_eq!(found.grid_area_m2.is_none(), code == 4326);
        }
        ppm.extend(measures.features[0].area_ppm());
        // A grid that is asked for gives what the layer in that grid has.
        let grid = Some(Crs::from_epsg(32611).unwrap());
        let asked = measured(&other, &MeasureOptions { grid, ..MeasureOptions::default() });
        let in_it = measured(
            &home.convert(&Crs::from_epsg(32611).unwrap()).unwrap(),
            &MeasureOptions::default(),
        );
        for (found, wanted) in asked.features.iter().zip(&in_it.features) {
            let off = (found.grid_area_m2.unwrap() - wanted.grid_area_m2.unwrap()).abs();
            assert!(off < 1e-4, "EPSG:{code}: {found:?}");
        }
    }
    // At the edge of both zones: k = 0.9996 (1 + E² / 2ρν k₀² + …), squared; and the web's map.
    for (ppm, east) in ppm.iter().zip([226_200.0_f64, 226_900.0]) {
        let k = 0.9996 * (1.0 + (east / 0.9996 / 6_380_100.0).powi(2) / 2.0);
        assert!((ppm - (k * k - 1.0) * 1e6).abs() < 10.0, "{ppm} for {k}");
    }
    assert!(ppm[2] > 1e6, "{ppm:?}");
}

#[test]
fn ground_figures_follow_from_height_or_combined_factor() {
    let layer = works(32610, (600_000.0, 5_250_000.0));
    let with = |options: MeasureOptions| measured(&layer, &options).features;
    let lat: f64 = layer
        .convert(&Crs::from_epsg(4326).unwrap())
        .unwrap()
        .features()
        .next()
        .unwrap()
        .vertices()[0]
        .1;
    // Radius of the sphere that fits best there: a √(1 − e²) / (1 − e² sin² φ).
    let (a, f) = (6_378_137.0_f64, 1.0_f64 / 298.257_223_563);
    let e2 = f * (2.0 - f);
    let radius = a * (1.0 - e2).sqrt() / (1.0 - e2 * lat.to_radians().sin().powi(2));
    for height in [-30.0, 350.0, 2_400.0] {
        let found = with(MeasureOptions { ground_height_m: Some(height), ..Default::default() });
        let factor = 1.0 + height / radius;
        for m in &found[..3] {
            // The feature's middle is some hundred metres off: a few parts in 10⁹ of the height.
            let ratio = m.ground_length_m.unwrap() / m.length_m;
            assert!((ratio - factor).abs() < 1e-9, "{height}: {ratio} {factor}");
            let ratio = m.ground_area_m2.unwrap() / m.area_m2.max(1.0);
            assert!(
                m.area_m2 == 0.0 || (ratio - factor * factor).abs() < 2e-9,
                "{height}: {ratio}"
            );
        }
    }
    let found = with(MeasureOptions { combined_factor: Some(0.99961), ..Default::default() });
    for m in &found {
        let (length, area) = (m.grid_length_m.unwrap(), m.grid_area_m2.unwrap());
        assert!((m.ground_length_m.unwrap() - length / 0.99961).abs() < 1e-9);
        assert!((m.ground_area_m2.unwrap() - area / 0.99961 / 0.99961).abs() < 1e-7);
    }
}

#[test]
fn courses_add_up_to_the_boundary() {
    let folder = tempfile::tempdir().unwrap();
    demo::lay_out(folder.path(), false).unwrap();
    let grid = Crs::from_epsg(2285).unwrap();
    for file in ["fields.geojson", "laterals.geojson", "turnouts.shp"] {
        let layer = LayerReader::open(&folder.path().join(file), None).unwrap();
        let options = MeasureOptions { grid: Some(grid.clone()), ..MeasureOptions::default() };
        let measures = measure(&layer, &options).unwrap();
        for wanted in &measures.features {
            let legs = feature_legs(&layer, wanted.number, Some(&grid));
            if file == "turnouts.shp" {
                assert!(legs.is_err(), "points have no courses");
                continue;
            }
            let legs = legs.unwrap();
            let sum: f64 = legs.iter().map(|leg| leg.distance_m).sum();
            assert!((sum - wanted.length_m).abs() < 1e-8, "{file} {}", wanted.number);
            let sum: f64 = legs.iter().map(|leg| leg.grid_distance_m.unwrap()).sum();
            assert!((sum - wanted.grid_length_m.unwrap()).abs() < 1e-8);
            for (leg, next) in legs.iter().zip(&legs[1..]) {
                // Within a ring each course begins where the one before ends.
                let same = (leg.place.0, leg.place.1) == (next.place.0, next.place.1);
                assert!(!same || leg.to == next.from, "{file} {}", wanted.number);
                // Grid and true azimuth differ by the convergence: half a degree at most here.
                let turn = (leg.azimuth_deg - leg.grid_bearing_deg.unwrap()).rem_euclid(360.0);
                assert!(!(1.0..=359.0).contains(&turn), "{turn}");
            }
        }
    }
}

#[test]
fn figures_that_are_not_what_they_seem_are_warned_of() {
    let folder = tempfile::tempdir().unwrap();
    // Where the grid's factor is one.
    let corner = (680_000.0, 5_250_000.0);
    let ring = |corners: [(f64, f64); 4]| {
        Geometry::polygon(corners.map(|(x, y)| (corner.0 + x, corner.1 + y)))
    };
    let square = ring([(0.0, 0.0), (90.0, 0.0), (90.0, 90.0), (0.0, 90.0)]);
    let bow_tie = ring([(0.0, 0.0), (90.0, 90.0), (90.0, 0.0), (0.0, 90.0)]);
    for (system, shape, wanted) in [
        (32610, &square, None),
        (32610, &bow_tie, Some("1 polygon with boundaries that cross, touch or overlap")),
        (3857, &square, Some("larger than on the ellipsoid (its mean scale factor here is 1.47")),
        (4326, &square, None),
    ] {
        let mut layer = Layer::new("shapes", Some(Crs::from_epsg(32610).unwrap()));
        layer.push(shape.clone(), [("name", "S".into())]).unwrap();
        let layer = layer.convert(&Crs::from_epsg(system).unwrap()).unwrap();
        let measures = measured(&layer, &MeasureOptions::default());
        let out = folder.path().join("o.gpkg");
        let mut columns = MeasureColumns::default();
        columns.write.overwrite = true;
        let outcome = columns.run(reader(&layer), &out).unwrap();
        // The list and the new columns say the same.
        for notices in [&measures.notices, &outcome.notices] {
            let warnings: Vec<&str> = notices
                .iter()
                .filter(|notice| notice.severity == Severity::Warning)
                .map(|notice| notice.text.as_str())
                .collect();
            assert_eq!(warnings.len(), wanted.iter().len(), "EPSG:{system}: {warnings:?}");
            let said =
                warnings.first().zip(wanted).is_none_or(|(text, wanted)| text.contains(wanted));
            assert!(said, "EPSG:{system}: {warnings:?}");
        }
        let crossed = wanted.is_some_and(|text| text.contains("cross"));
        // The area of a bow tie is what is left when its halves cancel: no ratio of that.
        assert_eq!(measures.features[0].area_ppm().is_none(), crossed || system == 4326);
    }
}

/// Edges go the shorter way round the Earth; from a meridian to itself there is none.
#[test]
fn an_edge_round_the_whole_earth_is_warned_of() {
    let band = |west: f64, east: f64, south: f64, north: f64| {
        Geometry::polygon([(west, south), (east, south), (east, north), (west, north)])
    };
    let around = |west: f64, south: f64| {
        let east = (0..=4).map(move |step| (west + 90.0 * f64::from(step), south));
        Geometry::polygon(east.chain([(west + 360.0, 80.0), (west, 80.0)]))
    };
    for (name, system, shape, warned) in [
        ("a band", 4326, band(-180.0, 180.0, 10.0, 20.0), true),
        ("a band from 0°", 4326, band(0.0, 360.0, 10.0, 20.0), true),
        ("a band up to a pole", 4326, band(-180.0, 180.0, 60.0, 90.0), true),
        ("over the antimeridian", 4326, band(179.0, -179.0, 10.0, 20.0), false),
        ("a parcel", 4326, band(-120.0, -119.0, 47.0, 48.0), false),
        ("its other side in steps", 4326, around(-180.0, 10.0), true),
        ("in metres", 32610, band(500_000.0, 500_360.0, 5_250_000.0, 5_250_100.0), false),
    ] {
        let mut layer = Layer::new("shapes", Some(Crs::from_epsg(system).unwrap()));
        layer.push(shape, [("name", "S".into())]).unwrap();
        let notices = measured(&layer, &MeasureOptions::default()).notices;
        let told = notices.iter().any(|notice| {
            notice.severity == Severity::Warning
                && notice.text.contains("with an edge of 360° of longitude")
                && notice.text.contains("feature 1")
        });
        assert_eq!(told, warned, "{name}: {notices:?}");
    }
}

#[test]
fn every_unit_says_the_same_in_new_columns() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out.gpkg");
    let lengths: Vec<LengthUnit> =
        ["m", "km", "ftUS", "ft-intl", "miUS", "mi-intl", "chUS", "ch-intl", "yd", "nmi"]
            .iter()
            .map(|word| LengthUnit::named(word).unwrap())
            .collect();
    let layer = works(32610, (600_000.0, 5_250_000.0));
    let columns = MeasureColumns {
        measure: MeasureOptions { ground_height_m: Some(350.0), ..MeasureOptions::default() },
        lengths: lengths.clone(),
        areas: AreaUnit::ALL.to_vec(),
        ..MeasureColumns::default()
    };
    let outcome = columns.run(reader(&layer), &out).unwrap();
    assert_eq!((outcome.rows_in, outcome.out), (4, 4));
    let wanted = measured(&layer, &columns.measure).features;
    let real = |value: Option<Value>| match value {
        Some(Value::Real(value)) => value,
        other => panic!("{other:?}"),
    };
    type Figure = fn(&Measured) -> Option<f64>;
    let kinds: [(&str, Figure, Figure); 3] = [
        ("ellipsoid", |m| Some(m.length_m), |m| Some(m.area_m2)),
        ("grid", |m| m.grid_length_m, |m| m.grid_area_m2),
        ("ground", |m| m.ground_length_m, |m| m.ground_area_m2),
    ];
    let plain = |symbol: &str| symbol.replace('²', "2").replace('-', "_");
    let mut compared = 0;
    // A layer of several kinds has lengths, which are perimeters of the polygons.
    for (feature, wanted) in Layer::read(&out).unwrap().features().zip(&wanted).take(3) {
        for (on, length, area) in kinds {
            for unit in &lengths {
                let name = ["length", "perimeter"]
                    .map(|what| format!("{what}_{on}_{}", plain(unit.symbol())));
                let found = name.iter().find_map(|name| feature.value(name));
                let ratio = real(found) * unit.metres() / length(wanted).unwrap();
                assert!((ratio - 1.0).abs() < 1e-12, "{name:?}: {ratio}");
                compared += 1;
            }
            for unit in AreaUnit::ALL.iter().filter(|_| wanted.area_m2 > 0.0) {
                let name = format!("area_{on}_{}", plain(unit.symbol()));
                let found = real(feature.value(&name)) * unit.square_metres();
                let ratio = found / area(wanted).unwrap();
                assert!((ratio - 1.0).abs() < 1e-12, "{name}: {ratio}");
                compared += 1;
            }
        }
    }
    assert!(compared > 120, "{compared}");
}

#[test]
fn statistics_are_those_of_the_groups() {
    let options = MeasureOptions { by: Some("crop".into()), ..MeasureOptions::default() };
    let measures = measured(&works(32610, (600_000.0, 5_250_000.0)), &options);
    assert_eq!(measures.groups(), ["barley", "wheat"]);
    let of = |group: &str| {
        let members = measures.features.iter().filter(|m| m.group == group);
        Statistics::of(members.map(|m| m.grid_length_m.unwrap()))
    };
    let barley = of("barley");
    assert_eq!((barley.count, barley.sum, barley.mean, barley.median), (2, 1_830.0, 915.0, 915.0));
    assert_eq!((barley.minimum, barley.maximum), (150.0, 1_680.0));
    let listed = Statistic::ALL.map(|of| (of.name(), barley.figure(of)));
    let expected = [
        ("sum", 1_830.0),
        ("mean", 915.0),
        ("median", 915.0),
        ("minimum", 150.0),
        ("maximum", 1_680.0),
        ("sample standard deviation", barley.deviation),
    ];
    assert_eq!(listed, expected);
    // Differences and factors have a mean, and no sum; of no features there is neither.
    let columns = FigureColumns::new(&measures, false, &FigureUnits::default());
    assert!(columns.0.iter().any(|column| !column.sums), "{columns:?}");
    for column in &columns.0 {
        let one = |of| column.statistic(of, &measures.features);
        assert_eq!(one(Statistic::Sum).is_some(), column.sums, "{}", column.title);
        assert_eq!(one(Statistic::Mean), Some(column.statistics(&measures.features).mean));
        assert_eq!(column.statistic(Statistic::Mean, []), None);
    }
    // Of two figures: their difference over the root of two.
    assert!((barley.deviation - 1_530.0 / 2f64.sqrt()).abs() < 1e-9);
    // Of many, against the sums of their powers.
    let figures: Vec<f64> = (1..=1_001).map(|n| f64::from(n * n % 97)).collect();
    let (n, sum) = (figures.len() as f64, figures.iter().sum::<f64>());
    let squares: f64 = figures.iter().map(|v| v * v).sum();
    let found = Statistics::of(figures.iter().copied());
    assert!((found.deviation - ((squares - sum * sum / n) / (n - 1.0)).sqrt()).abs() < 1e-9);
    let below = figures.iter().filter(|v| **v < found.median).count();
    let above = figures.iter().filter(|v| **v > found.median).count();
    assert!(below <= 500 && above <= 500, "{below} {above}");
    assert_eq!(Statistics::of([]), Statistics::default());
}

/// Many lines of three crops, of which no two are as long, in no order.
fn many_lines(count: u32) -> Layer {
    let mut layer = Layer::new("ditches", Some(Crs::from_epsg(32610).unwrap()));
    for number in 0..count {
        let share = |step: f64| (f64::from(number) * step).fract();
        let from = (500_000.0 + 90_000.0 * share(0.618), 5_200_000.0 + 90_000.0 * share(0.754));
        let to = (from.0 + 1.0 + 2_000.0 * share(0.569_840_290_998), from.1 + 10.0);
        let crop = ["hay", "barley", ""][number as usize % 3];
        let values = [("no", Value::from(i64::from(number))), ("crop", crop.into())];
        layer.push(Geometry::LineString(vec![from, to]), values).unwrap();
    }
    layer
}

/// A summary holds few figures, and says what all figures say: with so many that they lie on disk, too.
#[test]
fn summaries_say_what_all_figures_say() {
    let options = MeasureOptions {
        by: Some("crop".into()),
        combined_factor: Some(0.9995),
        ..MeasureOptions::default()
    };
    for (count, orders) in [(7, 5), (40_000, 2)] {
        let layer = many_lines(count);
        let measures = measured(&layer, &options);
        let all = [
            ListOrder::Difference,
            ListOrder::Length,
            ListOrder::Area,
            ListOrder::Name,
            ListOrder::File,
        ];
        for (order, descending) in
            all.into_iter().take(orders).flat_map(|o| [(o, false), (o, true)])
        {
            let listing = Listing { order, descending, limit: 5 };
            let found =
                measure_summary(&reader(&layer), &options, &listing, &mut NoProgress).unwrap();
            assert_eq!((found.features, found.areal, found.linear), (count.into(), false, true));
            assert_eq!(found.measures.notices, measures.notices);
            let mut listed = measures.features.clone();
            let key = |m: &Measured| match order {
                ListOrder::Length => m.length_m,
                ListOrder::Area => m.area_m2,
                ListOrder::Difference => m.length_ppm().unwrap(),
                // The names are the numbers, in the order of their digits.
                ListOrder::Name | ListOrder::File => 0.0,
            };
            let name = |m: &Measured| {
                if order == ListOrder::Name { m.label.clone() } else { String::new() }
            };
            listed.sort_by(|a, b| key(a).total_cmp(&key(b)).then(name(a).cmp(&name(b))));
            if descending {
                listed.reverse();
            }
            let numbers = |of: &[Measured]| of.iter().take(5).map(|m| m.number).collect::<Vec<_>>();
            assert_eq!(numbers(&found.measures.features), numbers(&listed), "{listing:?}");
            assert_eq!(found.groups.len(), 3);
            for group in &found.groups {
                let members = || measures.features.iter().filter(|m| m.group == group.name);
                assert_eq!(group.features, members().count() as u64);
                let worst = members().filter_map(Measured::length_ppm).fold(f64::MIN, f64::max);
                assert_eq!(group.difference_ppm, worst);
                for figure in Figure::ALL {
                    let wanted = Statistics::of(members().filter_map(|m| figure.of(m)));
                    let found = group.statistics(figure);
                    let exact = |s: &Statistics| (s.count, s.median, s.minimum, s.maximum);
                    assert_eq!(exact(found), exact(&wanted), "{figure:?}");
                    // Sums in another order differ by roundings of the figures.
                    let rounding = 1e-15 * wanted.maximum.abs().max(wanted.minimum.abs());
                    for of in [Statistic::Sum, Statistic::Mean, Statistic::Deviation] {
                        let (found, wanted) = (found.figure(of), wanted.figure(of));
                        let off = (found - wanted).abs();
                        let allowed = 1e-12 * wanted.abs() + rounding;
                        assert!(off <= allowed, "{figure:?} {of:?}: {found} {wanted}");
                    }
                }
            }
            let key = |group: &GroupSummary| match order {
                ListOrder::Length => group.statistics(Figure::Length).sum,
                ListOrder::Difference => group.difference_ppm,
                _ => 0.0,
            };
            let keys: Vec<f64> = found.groups.iter().map(key).collect();
            assert!(keys.is_sorted_by(|a, b| if descending { a >= b } else { a <= b }), "{keys:?}");
            // The same from figures that are all there.
            let again = MeasureSummary::of(&measures, &listing).unwrap();
            assert_eq!(format!("{:?}", again.groups), format!("{:?}", found.groups));
            assert_eq!(numbers(&again.measures.features), numbers(&listed));
            // Whoever wants all asks for more than there are.
            let all = Listing { limit: usize::MAX, ..listing };
            let again = MeasureSummary::of(&measures, &all).unwrap();
            assert_eq!(again.measures.features.len() as u64, found.features);
        }
    }
}
