//! Where the pixels of a raster lie, and in which system: read from the file and from files beside it.

use super::tiff_files::{Made, keys, placed, written};
use std::fs;
use velvet_peg::raster::{PlacedBy, RasterReader, declare_raster};
use velvet_peg::{Crs, Result};

struct Nothing;

impl velvet_peg::Progress for Nothing {
    fn at(&mut self, _done: u64, _total: Option<u64>) {}
}

#[test]
fn places_are_read_from_corners_middles_matrices_and_world_files() {
    let folder = tempfile::tempdir().unwrap();
    let open = |made: &Made| {
        let path = written(folder.path(), "placed.tif", made.bytes(|_, _, _| 0.0));
        RasterReader::open(&path).unwrap().info().clone()
    };
    let corner = Made { tags: placed((500_000.0, 5_250_000.0), 2.0), ..Made::default() };
    let info = open(&corner);
    let grid = info.grid.unwrap();
    assert_eq!(grid.origin(), (500_000.0, 5_250_000.0));
    assert_eq!((info.placed_by, info.at_middles), (Some(PlacedBy::TiePoint), false));

    let mut middle = corner.clone();
    middle.tags.push(keys(&[(1025, 2)]));
    let info = open(&middle);
    assert_eq!(info.grid.unwrap().origin(), (499_999.0, 5_250_001.0));
    assert!(info.at_middles && info.crs.is_none());

    // A tie point that is not the first pixel.
    let tie = Made {
        tags: vec![
            (33550, 12, vec![2.0, 3.0, 0.0]),
            (33922, 12, vec![10.0, 20.0, 0.0, 500_020.0, 5_249_940.0, 0.0]),
        ],
        ..Made::default()
    };
    assert_eq!(open(&tie).grid.unwrap().origin(), (500_000.0, 5_250_000.0));

    // Turned by 30°.
    let (cos, sin) = (30f64.to_radians().cos() * 2.0, 30f64.to_radians().sin() * 2.0);
    let matrix = vec![
        cos,
        sin,
        0.0,
        500_000.0,
        sin,
        -cos,
        0.0,
        5_250_000.0,
        0.0,
        0.0,
        0.0,
        0.0,
        0.0,
        0.0,
        0.0,
        1.0,
    ];
    let turned = Made { tags: vec![(34264, 12, matrix)], ..Made::default() };
    let info = open(&turned);
    let grid = info.grid.unwrap();
    assert_eq!(info.placed_by, Some(PlacedBy::Matrix));
    assert_eq!(
        grid.place(10.0, 4.0),
        (500_000.0 + 10.0 * cos + 4.0 * sin, 5_250_000.0 + 10.0 * sin - 4.0 * cos)
    );
    let (column, row) = grid.pixel(grid.place(10.0, 4.0));
    assert!((column - 10.0).abs() < 1e-6 && (row - 4.0).abs() < 1e-6);

    // Control points are no grid.
    let ties = Made { tags: vec![(33922, 12, vec![0.0; 24])], ..Made::default() };
    let path = written(folder.path(), "ties.tif", ties.bytes(|_, _, _| 0.0));
    let error = RasterReader::open(&path).unwrap_err().to_string();
    assert!(error.contains("control points"), "{error}");

    // World files: the six figures are of the middle of the first pixel.
    let plain = written(folder.path(), "scan.tif", Made::default().bytes(|_, _, _| 0.0));
    assert!(RasterReader::open(&plain).unwrap().info().grid.is_none());
    for name in ["scan.tfw", "scan.TFW", "scan.tifw", "scan.wld"] {
        let world = written(folder.path(), name, "2\n0\n0\n-2\n500001\n5249999\n");
        let info = RasterReader::open(&plain).unwrap().info().clone();
        assert_eq!(info.grid.unwrap().origin(), (500_000.0, 5_250_000.0), "{name}");
        assert_eq!(info.placed_by, Some(PlacedBy::WorldFile), "{name}");
        fs::remove_file(world).unwrap();
    }
    for (text, told) in [
        ("2\n0\n0\n-2\n500001\n", "six figures, one a line, and this one has 5"),
        ("2\n0\n0\nx\n1\n1\n", "\"x\" is no number"),
        ("2\n4\n1\n2\n1\n1\n", "lie in one line"),
    ] {
        written(folder.path(), "scan.tfw", text);
        let error = RasterReader::open(&plain).unwrap_err().to_string();
        assert!(error.contains(told) && error.contains("scan.tfw"), "{error}");
    }
    // Two places that differ are told.
    written(folder.path(), "placed.tfw", "2\n0\n0\n-2\n500101\n5249999\n");
    let info = open(&corner);
    assert_eq!(info.grid.unwrap().origin(), (500_000.0, 5_250_000.0));
    assert!(
        info.notices.iter().any(|n| n.text.contains("places them elsewhere")),
        "{:?}",
        info.notices
    );
}

#[test]
fn systems_are_read_from_keys() {
    let folder = tempfile::tempdir().unwrap();
    let open = |directory: Vec<f64>, doubles: Vec<f64>, text: &str| {
        let mut made = Made { tags: placed((500_000.0, 5_250_000.0), 2.0), ..Made::default() };
        made.tags.push((34735, 3, directory));
        if !doubles.is_empty() {
            made.tags.push((34736, 12, doubles));
        }
        made.texts.push((34737, text.to_string()));
        let path = written(folder.path(), "keys.tif", made.bytes(|_, _, _| 0.0));
        RasterReader::open(&path).unwrap().info().clone()
    };
    let of_codes = |codes: &[(u16, u16)]| keys(codes).2;
    let projected =
        open(of_codes(&[(1024, 1), (1025, 1), (3072, 32611), (3076, 9001)]), vec![], "");
    assert_eq!(projected.crs.and_then(|crs| crs.code()), Some(32611));
    let geographic = open(of_codes(&[(1024, 2), (2048, 4267)]), vec![], "");
    assert_eq!(geographic.crs.and_then(|crs| crs.code()), Some(4267));
    let by_conversion = open(
        of_codes(&[(1024, 1), (2048, 4269), (3072, 32767), (3074, 16011), (3076, 9001)]),
        vec![],
        "",
    );
    assert_eq!(by_conversion.crs.and_then(|crs| crs.code()), Some(26911));

    // Transverse Mercator by its parameters: the same numbers as UTM zone 11 are that zone.
    let figure = |key: f64, at: f64| [key, 34736.0, 1.0, at];
    let code = |key: f64, value: f64| [key, 0.0, 1.0, value];
    let tm = |lon: f64| {
        let directory: Vec<f64> = [
            [1.0, 1.0, 0.0, 11.0],
            code(1024.0, 1.0),
            code(2048.0, 4326.0),
            code(3072.0, 32767.0),
            [3073.0, 34737.0, 6.0, 0.0],
            code(3074.0, 32767.0),
            code(3075.0, 1.0),
            code(3076.0, 9001.0),
            figure(3080.0, 0.0),
            figure(3081.0, 1.0),
            figure(3082.0, 2.0),
            figure(3092.0, 3.0),
        ]
        .concat();
        open(directory, vec![lon, 0.0, 500_000.0, 0.9996], "Sheet|")
    };
    assert_eq!(tm(-117.0).crs.and_then(|crs| crs.code()), Some(32611));
    let own = tm(-116.5).crs.unwrap();
    assert_eq!((own.code(), own.name()), (None, "Sheet"));
    // A conic with figures in US survey feet.
    let directory: Vec<f64> = [
        [1.0, 1.0, 0.0, 12.0],
        code(1024.0, 1.0),
        code(2048.0, 4269.0),
        code(3072.0, 32767.0),
        code(3074.0, 32767.0),
        code(3075.0, 8.0),
        code(3076.0, 9003.0),
        figure(3078.0, 0.0),
        figure(3079.0, 1.0),
        figure(3084.0, 2.0),
        figure(3085.0, 3.0),
        figure(3086.0, 4.0),
        figure(3087.0, 5.0),
    ]
    .concat();
    let figures =
        vec![48.0 + 44.0 / 60.0, 47.5, -(120.0 + 50.0 / 60.0), 47.0, 1_640_416.666_666_667, 0.0];
    assert_eq!(open(directory, figures, "").crs.and_then(|crs| crs.code()), Some(2285));

    // A code in metres and a unit of feet contradict each other; projections that nobody computes.
    for (codes, told) in [
        (
            vec![(1024, 1), (3072, 32611), (3076, 9002)],
            "counts metres, and its key of units says international feet",
        ),
        (vec![(1024, 1), (2048, 4326), (3072, 32767), (3075, 23)], "the projection of code 23"),
        (vec![(1024, 1), (2048, 4326)], "no key says how"),
        (vec![(1024, 3)], "geocentric"),
    ] {
        let info = open(of_codes(&codes), vec![], "");
        assert!(info.crs.is_none());
        assert!(info.notices.iter().any(|n| n.text.contains(told)), "{told}: {:?}", info.notices);
    }
}

#[test]
fn systems_of_ones_own_come_back_from_keys() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let made = Made { tags: placed((500_000.0, 5_250_000.0), 2.0), ..Made::default() };
    let path = written(folder.path(), "in.tif", made.bytes(|_, _, _| 1.0));
    let methods = [
        (
            "Transverse_Mercator",
            "latitude_of_origin,47;central_meridian,-119.7;scale_factor,1.00005;false_easting,50000;false_northing,100",
        ),
        (
            "Lambert_Conformal_Conic_2SP",
            "latitude_of_origin,47;central_meridian,-119.7;standard_parallel_1,47.1;standard_parallel_2,48.2;false_easting,50000;false_northing,100",
        ),
        (
            "Albers_Conic_Equal_Area",
            "latitude_of_center,47;longitude_of_center,-119.7;standard_parallel_1,47.1;standard_parallel_2,48.2;false_easting,50000;false_northing,100",
        ),
        (
            "Lambert_Azimuthal_Equal_Area",
            "latitude_of_center,47;longitude_of_center,-119.7;false_easting,50000;false_northing,100",
        ),
        (
            "Mercator_1SP",
            "central_meridian,-119.7;scale_factor,0.9;false_easting,50000;false_northing,100",
        ),
        (
            "Oblique_Stereographic",
            "latitude_of_origin,47;central_meridian,-119.7;scale_factor,0.9999;false_easting,50000;false_northing,100",
        ),
        (
            "Cassini_Soldner",
            "latitude_of_origin,47;central_meridian,-119.7;false_easting,50000;false_northing,100",
        ),
    ];
    for (number, (method, parameters)) in methods.iter().enumerate() {
        for (unit, metres) in [("metre", 1.0), ("US survey foot", 12.0 / 39.37)] {
            let parameters: String = parameters
                .split(';')
                .map(|one| one.split_once(',').unwrap())
                .map(|(name, value)| format!(",PARAMETER[\"{name}\",{value}]"))
                .collect();
            let text = format!(
                "PROJCS[\"Tumblewick {number}\",GEOGCS[\"NAD83\",DATUM[\"North American Datum 1983\",\
                 SPHEROID[\"GRS 1980\",6378137,298.257222101]],PRIMEM[\"Greenwich\",0],\
                 UNIT[\"degree\",0.0174532925199433]],PROJECTION[\"{method}\"]{parameters},\
                 UNIT[\"{unit}\",{metres}]]"
            );
            let crs = Crs::parse(&text)?;
            let out = folder.path().join(format!("{number}-{unit}.tif"));
            declare_raster(RasterReader::open(&path)?, &crs, &out, false, &mut Nothing)?;
            let read = RasterReader::open(&out)?.info().crs.clone().expect("a system");
            // The same place from the same coordinates, to a micrometre.
            let nad83 = Crs::from_epsg(4269)?;
            let (mut own, mut back) =
                ((vec![60_000.0], vec![7_000.0]), (vec![60_000.0], vec![7_000.0]));
            velvet_peg::Converter::new(&crs, &nad83)?.convert_columns(&mut own.0, &mut own.1, None);
            velvet_peg::Converter::new(&read, &nad83)?.convert_columns(
                &mut back.0,
                &mut back.1,
                None,
            );
            assert!(own.0[0].is_finite(), "{method}");
            assert!(
                (own.0[0] - back.0[0]).abs() < 1e-11 && (own.1[0] - back.1[0]).abs() < 1e-11,
                "{method} {unit}: {own:?} {back:?}"
            );
        }
    }
    Ok(())
}
