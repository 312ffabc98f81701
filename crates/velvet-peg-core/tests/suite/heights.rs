//! What becomes of heights.

use std::sync::Arc;
use velvet_peg_core::grid::{GridFiles, Grids, ShiftGrid};
use velvet_peg_core::registry::OperationRow;
use velvet_peg_core::runs::{Needs, needs_of};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, PlanOptions};

fn plan(from: &str, to: &str) -> velvet_peg_core::Result<Converter> {
    Converter::new(&Crs::parse(from)?, &Crs::parse(to)?)
}

#[test]
fn heights_are_carried_converted_or_refused() {
    let at = Coordinate { x: -120.0, y: 47.4, z: 100.0 };
    for (from, to, z) in [
        // Carried as they are where a system has none.
        ("EPSG:4269", "EPSG:2286", Some(100.0)),
        ("EPSG:4269+EPSG:5703", "EPSG:2286", Some(100.0)),
        // The same datum in another unit, and as a depth.
        ("EPSG:4269+EPSG:5703", "EPSG:2286+EPSG:6360", Some(100.0 / (1200.0 / 3937.0))),
        ("EPSG:4269+EPSG:5703", "EPSG:4269+EPSG:8228", Some(100.0 / 0.3048)),
        ("EPSG:4269+EPSG:5703", "EPSG:4269+EPSG:6357", Some(-100.0)),
        // Another vertical datum, and the ellipsoid, take a model.
        ("EPSG:4269+EPSG:5703", "EPSG:4269+EPSG:5702", None),
        ("EPSG:6318+EPSG:5703", "EPSG:6319", None),
        ("EPSG:6319", "EPSG:6318+EPSG:5703", None),
    ] {
        let converter = plan(from, to);
        match (converter, z) {
            (Ok(converter), Some(z)) => {
                let found = converter.convert(at).unwrap();
                assert!((found.z - z).abs() < 1e-9, "{from} to {to}: {found:?}");
            }
            (Err(error), None) => {
                assert!(
                    error.is_no_route() && error.to_string().contains("takes a model"),
                    "{error}"
                );
            }
            (found, _) => panic!("{from} to {to}: {found:?}"),
        }
    }
}

#[test]
fn a_constant_offset_of_the_registry_changes_the_vertical_datum() {
    // Baltic 1977 height to Black Sea height (1) [EPSG:5447]: +0.4 m.
    let (from, to) =
        (Crs::parse("EPSG:4200+EPSG:5705").unwrap(), Crs::parse("EPSG:4200+EPSG:5735").unwrap());
    let converter = Converter::plan(&from, &to, &PlanOptions::default()).unwrap();
    let (code, _, accuracy) = converter.height_changes()[0];
    assert_eq!((code, accuracy.is_some()), (5447, true));
    let there = converter.convert(Coordinate { x: 40.0, y: 43.0, z: 10.0 }).unwrap();
    assert!((there.z - 10.4).abs() < 1e-12, "{there:?}");
    let back = Converter::new(&to, &from).unwrap().convert(there).unwrap();
    assert!((back.z - 10.0).abs() < 1e-12);
}

/// The registry's example of methods 1046 and 9657: LN02 to EVRF2000 (1).
#[test]
fn an_offset_with_slopes_agrees_with_the_published_example() {
    let (from, to) =
        (Crs::parse("EPSG:4258+EPSG:5728").unwrap(), Crs::parse("EPSG:4258+EPSG:5730").unwrap());
    let converter = Converter::new(&from, &to).unwrap();
    let at = Coordinate { x: 9.0 + 40.0 / 60.0, y: 47.0 + 20.0 / 60.0, z: 473.0 };
    let found = converter.convert(at).unwrap();
    assert!((found.z - 472.690).abs() < 0.001, "{found:?} by {:?}", converter.height_changes());
}

#[test]
fn epochs_decide_whether_time_dependent_operations_run() {
    // ITRF2014 to NAD83(2011) is known to centimetres, for an epoch.
    let (from, to) = (Crs::from_epsg(7789).unwrap(), Crs::from_epsg(6317).unwrap());
    let refused = Converter::new(&from, &to).unwrap_err();
    assert!(refused.is_no_route() && refused.to_string().contains("epoch"), "{refused}");
    let at = |epoch| PlanOptions { epoch: Some(epoch), ..PlanOptions::default() };
    let converter = Converter::plan(&from, &to, &at(2026.9)).unwrap();
    assert_eq!(converter.route().accuracy_m(), Some(0.0), "{}", converter.route().summary());
    let place = Coordinate { x: -2_161_923.0, y: -3_744_625.0, z: 4_671_780.0 };
    let (early, late) = (
        Converter::plan(&from, &to, &at(2010.0)).unwrap().convert(place).unwrap(),
        converter.convert(place).unwrap(),
    );
    // The plate moves by some centimetres a year.
    let moved = (early.x - late.x).hypot(early.y - late.y).hypot(early.z - late.z);
    assert!((0.1..1.0).contains(&moved), "{moved} m");
}

#[test]
fn depths_take_their_offsets_downwards_both_ways() {
    let mut checked = 0;
    for line in
        include_str!("../data/depths.csv").lines().filter(|line| !line.starts_with('#')).skip(1)
    {
        let cells: Vec<&str> = line.split(',').collect();
        let [operation, source, target, offset] = cells[..] else { panic!("{line}") };
        let offset: f64 = offset.parse().unwrap();
        let (source, target) =
            (format!("EPSG:4326+EPSG:{source}"), format!("EPSG:4326+EPSG:{target}"));
        for (from, to, moved) in [(&source, &target, offset), (&target, &source, -offset)] {
            let converter = plan(from, to).unwrap_or_else(|error| panic!("{line}: {error}"));
            // The heights of the same datums have operations of their own, which say the same.
            let code = converter.height_changes()[0].0;
            let same = matches!((operation, code), ("5440", 5438) | ("5445", 5443));
            assert!(same || code.to_string() == operation, "{line}: by {code}");
            let at = converter.convert(Coordinate { x: 10.0, y: 40.0, z: 100.0 }).unwrap();
            assert!((at.z - 100.0 - moved).abs() < 1e-9, "{line}: {at:?}");
            assert_eq!((at.x, at.y), (10.0, 40.0), "{line}");
        }
        checked += 1;
    }
    assert_eq!(checked, 14);
}

/// Files in memory by name.
#[derive(Debug)]
struct Memory(Vec<(&'static str, Vec<u8>)>);

impl GridFiles for Memory {
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>> {
        Ok(self.0.iter().find(|(known, _)| *known == name).map(|(_, bytes)| bytes.clone()))
    }
}

/// A geoid that a bilinear surface reproduces, metres.
fn geoid(lat: f64, lon: f64) -> f64 {
    -20.0 + 0.5 * (lat - 47.0) - 0.25 * (lon + 121.0) + 0.125 * (lat - 47.0) * (lon + 121.0)
}

/// A grid of 46° to 48° N and 122° to 119° W by half degrees: with the mark of a `.bin`, or as `.gtx`.
fn heights(mark: Option<i32>, big_endian: bool) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut real = |value: f64| {
        bytes.extend(if big_endian { value.to_be_bytes() } else { value.to_le_bytes() });
    };
    // Longitudes from Greenwich eastward round the globe.
    [46.0, 238.0, 0.5, 0.5].into_iter().for_each(&mut real);
    let int = |value: i32| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    for value in [5, 7].into_iter().chain(mark) {
        bytes.extend(int(value));
    }
    for row in 0..5 {
        for column in 0..7 {
            let (lat, lon) = (46.0 + 0.5 * f64::from(row), -122.0 + 0.5 * f64::from(column));
            // The north-eastern node has no value.
            let none = mark.is_none() && row == 4 && column == 6;
            let value = if none { -88.8888 } else { geoid(lat, lon) } as f32;
            bytes.extend(if big_endian { value.to_be_bytes() } else { value.to_le_bytes() });
        }
    }
    bytes
}

fn with_files(files: Vec<(&'static str, Vec<u8>)>) -> PlanOptions {
    let area = Some(Bounds { south: 47.3, west: -120.1, north: 47.5, east: -119.9 });
    PlanOptions { area, grids: Some(Arc::new(Grids::new(Memory(files)))), ..PlanOptions::default() }
}

#[test]
fn a_model_leads_from_the_ellipsoid_to_a_vertical_datum_and_back() {
    let n = geoid(47.4, -120.0);
    let foot = 1200.0 / 3937.0;
    for big_endian in [false, true] {
        let options = with_files(vec![("g2018u0.bin", heights(Some(1), big_endian))]);
        for (from, to, z, there) in [
            ("EPSG:6318+EPSG:5703", "EPSG:6319", 100.0, 100.0 + n),
            ("EPSG:6319", "EPSG:6318+EPSG:5703", 100.0, 100.0 - n),
            ("EPSG:6319", "EPSG:6349", 100.0, 100.0 - n),
            ("EPSG:6318+EPSG:6360", "EPSG:6319", 100.0, 100.0 * foot + n),
            ("EPSG:6319", "EPSG:6318+EPSG:6360", 100.0, (100.0 - n) / foot),
            ("EPSG:6319", "EPSG:6318+EPSG:6357", 100.0, n - 100.0),
        ] {
            let crs = |text| Crs::parse(text).unwrap();
            let converter = Converter::plan(&crs(from), &crs(to), &options).unwrap();
            assert_eq!(converter.height_changes()[0].0, 9229, "{from} to {to}");
            let found = converter.convert(Coordinate { x: -120.0, y: 47.4, z }).unwrap();
            // Nodes are single numbers: to a few micrometres.
            assert!((found.z - there).abs() < 1e-5, "{from} to {to}: {found:?} for {there}");
            assert!((found.x + 120.0).abs() < 1e-12 && (found.y - 47.4).abs() < 1e-12);
            let back = Converter::plan(&crs(to), &crs(from), &options).unwrap();
            let back = back.convert(found).unwrap();
            assert!((back.z - z).abs() < 1e-9, "{to} to {from}: {back:?}");
        }
    }
    // From the map, and on to geocentric coordinates of the same datum.
    let options = with_files(vec![("g2018u0.bin", heights(Some(1), false))]);
    let crs = |text| Crs::parse(text).unwrap();
    let direct = Converter::plan(&crs("EPSG:6319"), &crs("EPSG:6317"), &options).unwrap();
    let by_model =
        Converter::plan(&crs("EPSG:6318+EPSG:5703"), &crs("EPSG:6317"), &options).unwrap();
    let a = direct.convert(Coordinate { x: -120.0, y: 47.4, z: 100.0 + n }).unwrap();
    let b = by_model.convert(Coordinate { x: -120.0, y: 47.4, z: 100.0 }).unwrap();
    assert!((a.x - b.x).hypot(a.y - b.y).hypot(a.z - b.z) < 1e-5, "{a:?} {b:?}");
    // Outside the model there is no height.
    let outside = Coordinate { x: -118.0, y: 47.4, z: 100.0 };
    let error = by_model.convert(outside).unwrap_err().to_string();
    assert!(error.contains("outside the grid of NAD83(2011) to NAVD88 height"), "{error}");
    let error =
        by_model.convert(Coordinate { x: -118.0, y: 97.4, z: 1.0 }).unwrap_err().to_string();
    assert!(error.contains("check the order"), "{error}");
}

#[test]
fn models_of_gtx_have_places_without_a_value() {
    // NZGD2000 to NZVD2009 height (2) [EPSG:9325], moved to where the grid of the test lies.
    let mut file = heights(None, true);
    file[..8].copy_from_slice(&(-41.0f64).to_be_bytes());
    file[8..16].copy_from_slice(&174.0f64.to_be_bytes());
    let area = Some(Bounds { south: -40.5, west: 174.2, north: -40.4, east: 174.4 });
    let options = PlanOptions { area, ..with_files(vec![("nzgeoid2009.gtx", file)]) };
    let (from, to) = (Crs::parse("EPSG:4959").unwrap(), Crs::parse("EPSG:4167+EPSG:4440").unwrap());
    let converter = Converter::plan(&from, &to, &options).unwrap();
    assert_eq!(converter.height_changes()[0].0, 9325);
    let found = converter.convert(Coordinate { x: 174.3, y: -40.45, z: 50.0 }).unwrap();
    let n = geoid(46.0 + 0.55, -122.0 + 0.3);
    assert!((found.z - (50.0 - n)).abs() < 1e-5, "{found:?}");
    // In the cell of the node without a value.
    assert!(converter.convert(Coordinate { x: 176.9, y: -39.1, z: 50.0 }).is_err());
}

#[test]
fn what_a_model_lacks_is_said() {
    let good = heights(Some(1), false);
    let mut cut = good.clone();
    cut.truncate(100);
    let mut wrong = good.clone();
    wrong[40] = 7;
    let mut steps = good.clone();
    steps[16..24].copy_from_slice(&0.0f64.to_le_bytes());
    for (from, files, says) in [
        ("EPSG:6318+EPSG:5703", vec![], "EPSG:9229] needs the file g2018u0.bin"),
        ("EPSG:6318+EPSG:5703", vec![("g2018u0.bin", cut)], "which it cannot hold"),
        ("EPSG:6318+EPSG:5703", vec![("g2018u0.bin", wrong)], "its header is not one"),
        ("EPSG:6318+EPSG:5703", vec![("g2018u0.bin", steps)], "its header is not one"),
        (
            "EPSG:4269+EPSG:5703",
            vec![("g2018u0.bin", good)],
            "the positions are on North American Datum 1983",
        ),
    ] {
        let (from, to) = (Crs::parse(from).unwrap(), Crs::parse("EPSG:6319").unwrap());
        let error = Converter::plan(&from, &to, &with_files(files)).unwrap_err();
        assert!(error.is_no_route() && error.to_string().contains(says), "{says}: {error}");
    }
}

#[test]
fn places_of_unknown_height_are_carried_as_they_lie_on_the_ellipsoid() {
    let options = with_files(vec![("g2018u0.bin", heights(Some(1), false))]);
    for (from, to) in [
        ("EPSG:6319", "EPSG:4979"),
        ("EPSG:6319", "EPSG:4326"),
        ("EPSG:6318+EPSG:5703", "EPSG:6319"),
        ("EPSG:6319", "EPSG:6318+EPSG:5703"),
        ("EPSG:6318+EPSG:5703", "EPSG:6318+EPSG:6360"),
    ] {
        let crs = |text| Crs::parse(text).unwrap();
        let converter = Converter::plan(&crs(from), &crs(to), &options).unwrap();
        let at = |z| converter.convert(Coordinate { x: -120.0, y: 47.4, z }).unwrap();
        let (unknown, ground) = (at(f64::NAN), at(0.0));
        assert!(unknown.z.is_nan(), "{from} to {to}: {unknown:?}");
        let off = (unknown.x - ground.x).hypot(unknown.y - ground.y);
        assert!(off < 1e-12, "{from} to {to}: {unknown:?} {ground:?}");
    }
}

/// A surface that bilinear interpolation reproduces, about a south-western node.
fn surface(lat: f64, lon: f64) -> f64 {
    31.0 + 0.5 * lat - 0.25 * lon + 0.125 * lat * lon
}

/// The nodes of five rows and seven columns by half degrees, rows from the north, from the west.
fn from_the_north() -> impl Iterator<Item = f64> {
    let row =
        |row: u32| (0..7).map(move |column| (f64::from(4 - row) * 0.5, f64::from(column) * 0.5));
    (0..5).flat_map(row).map(|(lat, lon)| surface(lat, lon))
}

fn gravsoft(south: f64, west: f64) -> Vec<u8> {
    let mut text = format!("{south:.6} {:.6} {west:.6} {:.6} .5 0.5\n", south + 2.0, west + 3.0);
    for (at, value) in from_the_north().enumerate() {
        // The north-western node has no value.
        let value = if at == 0 { "9999.000".to_string() } else { format!("{value:.6}") };
        text += &format!("{value}{}", if at % 4 == 3 { "\n" } else { " " });
    }
    text.into_bytes()
}

/// With the nodes on the limits, or in the middles of cells whose limits these are.
fn isg(south: f64, west: f64, cells: bool) -> Vec<u8> {
    let half = if cells { 0.25 } else { 0.0 };
    let nodes: Vec<String> = from_the_north()
        .enumerate()
        .map(|(at, value)| if at == 0 { "-9999.0000".into() } else { format!("{value:.6}") })
        .collect();
    format!(
        "A model of the tests\nbegin_of_head ====\nmodel name : t\ndata ordering : N-to-S, W-to-E\n\
         lat min = {}\nlat max = {}\nlon min = {}\nlon max = {}\ndelta lat = 0°30'00\"\n\
         delta lon = 0.5\nnrows = 5\nncols = 7\nnodata = -9999.0000\nend_of_head ====\n{}\n",
        south - half,
        south + 2.0 + half,
        west - half,
        west + 3.0 + half,
        nodes.join(" ")
    )
    .into_bytes()
}

fn byn(south: f64, west: f64, big_endian: bool, wide: bool) -> Vec<u8> {
    let int = |value: i32| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    let short = |value: i16| if big_endian { value.to_be_bytes() } else { value.to_le_bytes() };
    let factor = 1000.0f64;
    let mut bytes = Vec::new();
    for limit in [south, south + 2.0, west, west + 3.0] {
        bytes.extend(int((limit * 3600.0).round() as i32));
    }
    bytes.extend([1800, 1800, 0, 0].into_iter().flat_map(short));
    bytes.extend(if big_endian { factor.to_be_bytes() } else { factor.to_le_bytes() });
    bytes.resize(80, 0);
    for (at, value) in from_the_north().enumerate() {
        let value = (value * factor).round() as i32;
        match wide {
            true => bytes.extend(int(if at == 0 { 9_999_000 } else { value })),
            false => bytes.extend(short(if at == 0 { 32767 } else { value as i16 })),
        }
    }
    bytes
}

/// NTv2 whose shifts of latitude are heights; rows from the south, each from the east.
fn ausgeoid(south: f64, west: f64) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut record = |name: &str, value: [u8; 8]| {
        bytes.extend(format!("{name:<8}").bytes());
        bytes.extend(value);
    };
    let int = |value: i32| {
        let mut raw = [0; 8];
        raw[..4].copy_from_slice(&value.to_le_bytes());
        raw
    };
    let word = |text: &str| <[u8; 8]>::try_from(format!("{text:<8}").as_bytes()).unwrap();
    for (name, value) in [("NUM_OREC", int(11)), ("NUM_SREC", int(11)), ("NUM_FILE", int(1))] {
        record(name, value);
    }
    for (name, value) in
        [("GS_TYPE", "SECONDS"), ("VERSION", "t"), ("SYSTEM_F", "a"), ("SYSTEM_T", "b")]
    {
        record(name, word(value));
    }
    for name in ["MAJOR_F", "MINOR_F", "MAJOR_T", "MINOR_T"] {
        record(name, 6_378_137.0f64.to_le_bytes());
    }
    for (name, value) in [("SUB_NAME", "T"), ("PARENT", "NONE"), ("CREATED", ""), ("UPDATED", "")] {
        record(name, word(value));
    }
    let seconds = |degrees: f64| (degrees * 3600.0).to_le_bytes();
    for (name, degrees) in [
        ("S_LAT", south),
        ("N_LAT", south + 2.0),
        ("E_LONG", -(west + 3.0)),
        ("W_LONG", -west),
        ("LAT_INC", 0.5),
        ("LONG_INC", 0.5),
    ] {
        record(name, seconds(degrees));
    }
    record("GS_COUNT", int(35));
    for row in 0..5 {
        for column in (0..7).rev() {
            let value = surface(f64::from(row) * 0.5, f64::from(column) * 0.5) as f32;
            for part in [value, 4.0, 5.0, 0.0] {
                bytes.extend(part.to_le_bytes());
            }
        }
    }
    bytes
}

/// Every layout that is read, by a row of the registry, at places within and outside.
#[test]
fn models_of_every_layout_give_the_surface_that_they_hold() {
    type File = (&'static str, Vec<u8>);
    let cases: [(&str, &str, u32, f64, f64, File); 9] = [
        (
            "EPSG:4979",
            "EPSG:4326+EPSG:5773",
            10084,
            -3.0,
            20.0,
            ("WW15MGH.GRD", gravsoft(-3.0, 20.0)),
        ),
        (
            "EPSG:4927",
            "EPSG:4737+EPSG:5193",
            10366,
            35.0,
            126.0,
            ("KNGeoid14.gri", gravsoft(35.0, 126.0)),
        ),
        (
            "EPSG:6667",
            "EPSG:6668+EPSG:11317",
            11334,
            34.0,
            134.0,
            ("JPGEO2024.isg", isg(34.0, 134.0, false)),
        ),
        (
            "EPSG:6667",
            "EPSG:6668+EPSG:11317",
            11334,
            34.0,
            134.0,
            ("JPGEO2024.isg", isg(34.0, 134.0, true)),
        ),
        (
            "EPSG:8251",
            "EPSG:8252+EPSG:6647",
            9246,
            49.0,
            -100.0,
            ("CGG2013n83.byn", byn(49.0, -100.0, false, true)),
        ),
        (
            "EPSG:8251",
            "EPSG:8252+EPSG:6647",
            9246,
            49.0,
            -100.0,
            ("CGG2013n83.byn", byn(49.0, 260.0, true, true)),
        ),
        (
            "EPSG:8251",
            "EPSG:8252+EPSG:6647",
            9246,
            49.0,
            -100.0,
            ("CGG2013n83.byn", byn(49.0, -100.0, true, false)),
        ),
        (
            "EPSG:7843",
            "EPSG:7844+EPSG:5711",
            8451,
            -30.0,
            140.0,
            ("AUSGeoid2020_20180201.gsb", ausgeoid(-30.0, 140.0)),
        ),
        // The row of the compound system alone.
        (
            "EPSG:11075",
            "EPSG:11312",
            8361,
            48.0,
            18.0,
            ("Slovakia_ETRS89h_to_Baltic1957.gtx", gtx(48.0, 18.0)),
        ),
    ];
    for (from, to, code, south, west, file) in cases {
        let name = file.0;
        let area = Some(Bounds {
            south: south + 0.7,
            west: west + 1.1,
            north: south + 0.8,
            east: west + 1.2,
        });
        let options = PlanOptions { area, ..with_files(vec![file]) };
        let crs = |text| Crs::parse(text).unwrap_or_else(|error| panic!("{text}: {error}"));
        let there = Converter::plan(&crs(from), &crs(to), &options)
            .unwrap_or_else(|error| panic!("{name}: {error}"));
        assert_eq!(there.height_changes()[0].0, code, "{name}");
        let at = Coordinate { x: west + 1.1, y: south + 0.7, z: 100.0 };
        let found = there.convert(at).unwrap();
        // Text and whole numbers of millimetres are good for half of one.
        let off = (found.z - (100.0 - surface(0.7, 1.1))).abs();
        assert!(off < 6e-4, "{name}: {found:?} is off by {off}");
        let back = Converter::plan(&crs(to), &crs(from), &options).unwrap().convert(found).unwrap();
        assert!((back.z - 100.0).abs() < 1e-9, "{name}: {back:?}");
        let outside = Coordinate { x: west - 0.1, y: south + 0.7, z: 100.0 };
        let error = there.convert(outside).unwrap_err().to_string();
        assert!(error.contains(&format!("[EPSG:{code}], or where it has no value")), "{error}");
        // In the cell of the node without a value.
        let blank = Coordinate { x: west + 0.1, y: south + 1.9, z: 100.0 };
        let full = name.ends_with(".gsb") || name.ends_with(".gtx");
        assert_eq!(there.convert(blank).is_ok(), full, "{name}");
    }
}

fn gtx(south: f64, west: f64) -> Vec<u8> {
    let mut bytes: Vec<u8> =
        [south, west, 0.5, 0.5].into_iter().flat_map(f64::to_be_bytes).collect();
    bytes.extend([5i32, 7].into_iter().flat_map(i32::to_be_bytes));
    for row in 0..5 {
        for column in 0..7 {
            let value = surface(f64::from(row) * 0.5, f64::from(column) * 0.5) as f32;
            bytes.extend(value.to_be_bytes());
        }
    }
    bytes
}

#[test]
fn models_that_are_not_sound_say_so() {
    let cut = |mut file: Vec<u8>, length: usize| {
        file.truncate(length);
        file
    };
    let text = |file: Vec<u8>, from: &str, to: &str| {
        String::from_utf8(file).unwrap().replacen(from, to, 1).into_bytes()
    };
    let sheet = || isg(34.0, 134.0, false);
    for (method, file, says) in [
        (1047, cut(gravsoft(35.0, 126.0), 120), "ends before its 5 rows of 7 nodes"),
        (1047, [gravsoft(35.0, 126.0), b" 1.0".to_vec()].concat(), "goes on behind its 5 rows"),
        (1047, b"35 37 126".to_vec(), "no six numbers"),
        (1047, b"35 37 126 129 0.3 0.5 1 2 3".to_vec(), "do not lie whole steps of 0.3"),
        (1047, b"35 37 126 129 0.00001 0.00001 1".to_vec(), "which it cannot hold"),
        (1047, b"35 37 126 129 0.5 0.5 1 x".to_vec(), "`x` stands where a number"),
        (1047, byn(49.0, -100.0, false, true), "the binary form of its layout is not read"),
        (1117, text(sheet(), "end_of_head", "end"), "no end_of_head"),
        (1117, text(sheet(), "nrows = 5", "nrows = 9"), "do not agree"),
        (1117, text(sheet(), "lat min", "lat least"), "no angle `lat min`"),
        (1117, text(sheet(), "N-to-S", "S-to-N"), "ordered `S-to-N"),
        (1060, cut(byn(49.0, -100.0, false, true), 81), "which it cannot hold"),
        (
            1060,
            cut(byn(49.0, -100.0, false, true), 160),
            "80 bytes behind the header are not 5 rows",
        ),
        (1060, vec![0; 200], "is not one of a grid of heights"),
        (1048, b"NUM_OREC".to_vec(), "it ends at byte 8"),
    ] {
        let error = ShiftGrid::parse(method, &[&file]).unwrap_err().to_string();
        assert!(error.contains(says), "{method}: {says}: {error}");
    }
}

/// Between two vertical datums of which each has a model and that no offset joins: down to the ellipsoid
/// by the one, up by the other. Chains of the registry of two models, by files of both.
#[test]
fn two_models_lead_from_one_vertical_datum_to_another() {
    for (chain, models, south, west) in [
        // Baltic 1957 to EVRF2007 in Slovakia.
        (8363, [8361, 8362], 48.0, 18.0),
        // Two geoids of Indonesia, by the rows of the vertical systems alone, of the same files.
        (10616, [9305, 10144], -7.0, 107.0),
    ] {
        let at = Coordinate { x: west + 1.1, y: south + 0.7, z: 100.0 };
        let (north, east) = (at.y + 0.1, at.x + 0.1);
        let area = Some(Bounds { south: at.y, west: at.x, north, east });
        let row = OperationRow::find(chain).unwrap();
        let Needs::Files(files) = needs_of(chain).unwrap() else { panic!("EPSG:{chain}") };
        let [down, up] = files[..] else { panic!("{files:?}") };
        let crs = |code: Option<u32>| Crs::from_epsg(code.unwrap()).unwrap();
        let (from, to) = (crs(row.source), crs(row.target));
        let plan = |from: &Crs, to: &Crs, files| {
            Converter::plan(from, to, &PlanOptions { area, ..with_files(files) })
        };
        let lower = || (down, gtx(south, west));
        let upper = || (up, gtx(south - 0.1, west - 0.1));
        let there = plan(&from, &to, vec![lower(), upper()]).unwrap();
        let codes: Vec<u32> = there.height_changes().iter().map(|change| change.0).collect();
        assert_eq!(codes, models);
        let found = there.convert(at).unwrap();
        let expected = 100.0 + surface(0.7, 1.1) - surface(0.8, 1.2);
        assert!((found.z - expected).abs() < 1e-5, "{found:?} for {expected}");
        let back = plan(&to, &from, vec![lower(), upper()]).unwrap();
        assert!((back.convert(found).unwrap().z - 100.0).abs() < 1e-9);
        // Outside of either there is no height, and it says of which.
        let error = there.convert(Coordinate { x: west - 0.05, ..at }).unwrap_err().to_string();
        assert!(
            error.contains(&format!("[EPSG:{}], or where it has no value", models[0])),
            "{error}"
        );
        // Columns come to the same, and what lies outside keeps its height.
        let (mut x, mut y) = (vec![at.x, at.x, west - 0.05, at.x], vec![at.y; 4]);
        let mut z = vec![100.0, f64::NAN, 55.0, 100.0];
        assert_eq!(there.convert_columns(&mut x, &mut y, Some(&mut z)), 1);
        assert_eq!((x[0], y[0], z[0]), (found.x, found.y, found.z));
        assert!(x[1] == at.x && z[1].is_nan() && x[2].is_nan() && z[2] == 55.0 && z[3] == z[0]);
        // What is not there is named, each file once.
        for (files, lacks) in
            [(vec![], vec![down, up]), (vec![lower()], vec![up]), (vec![upper()], vec![down])]
        {
            let error = plan(&from, &to, files).unwrap_err();
            assert!(error.is_no_route());
            for file in [down, up] {
                let times = error.to_string().matches(&format!("the file {file}")).count();
                assert_eq!(times, usize::from(lacks.contains(&file)), "{error}");
            }
        }
    }
}

/// One file that a plain and a compound row name is asked for once.
#[test]
fn a_file_that_several_rows_name_is_asked_for_once() {
    for (from, to, file) in [
        ("EPSG:6319", "EPSG:6318+EPSG:5703", "g2018u0.bin"),
        ("EPSG:4979", "EPSG:4326+EPSG:3855", "Und_min1x1_egm2008"),
    ] {
        let crs = |text| Crs::parse(text).unwrap();
        let error = Converter::new(&crs(from), &crs(to)).unwrap_err().to_string();
        assert_eq!(error.matches(file).count(), 1, "{error}");
    }
}
