//! Scans placed by control points, and sites fitted to a known system.

use crate::support::Bench;

/// Places of a scan, in metres of UTM zone 11: turned by 4° and of half a metre a pixel.
fn placed(column: f64, row: f64) -> (f64, f64) {
    let (sin, cos) = 4f64.to_radians().sin_cos();
    (281_000.0 + 0.5 * (cos * column + sin * row), 5_252_000.0 + 0.5 * (sin * column - cos * row))
}

fn control(points: &[(f64, f64)], wrong: Option<usize>) -> String {
    let mut text = "point,pixel,line,easting,northing\n".to_string();
    for (at, (column, row)) in points.iter().enumerate() {
        let (x, y) = placed(*column, *row);
        let x = if wrong == Some(at) { x + 9.0 } else { x };
        text += &format!("P{at},{column},{row},{x:.4},{y:.4}\n");
    }
    text
}

const CONTROL: [(f64, f64); 8] = [
    (3.0, 4.0),
    (95.5, 2.0),
    (97.0, 75.0),
    (2.5, 77.0),
    (50.0, 40.0),
    (25.0, 60.0),
    (75.0, 20.0),
    (30.0, 15.0),
];

/// A picture of 100 × 80 pixels, each of a colour of its own.
pub(super) fn scan() -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 100, 80);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    let data: Vec<u8> = (0..8000).flat_map(|at| [(at % 100) as u8, (at / 100) as u8, 7]).collect();
    encoder.write_header().unwrap().write_image_data(&data).unwrap();
    bytes
}

#[test]
fn a_scan_is_placed_by_control_points() {
    let bench = Bench::new();
    bench.write("scan.png", scan());
    bench.write("control.csv", control(&CONTROL, None));
    assert!(bench.ok(&["look", "scan.png"]).err.contains("nothing says where its pixels lie"));
    let refused = bench.run(&["declare", "scan.png", "--crs", "EPSG:32611", "-o", "a.tif"]);
    assert!(
        refused.code == 1 && refused.err.contains("does not say where its pixels lie"),
        "{}",
        refused.err
    );

    let done = bench.ok(&["declare", "scan.png", "--points", "control.csv", "--crs", "EPSG:32611"]);
    for told in [
        "residuals, known less fitted (metres)",
        "P7",
        "0.000 metres, from 10 coordinates more than needed",
    ] {
        assert!(done.out.contains(told), "{told}: {}", done.out);
    }
    assert!(!done.err.contains("warning"), "{}", done.err);
    // The picture is as it was; two files beside it place it.
    assert!(bench.has("scan.pgw") && bench.has("scan.prj"));
    let grid = bench.ok(&["look", "scan.png", "--json"]).json()["grid"].clone();
    let (x, y) = placed(0.0, 0.0);
    assert!((grid["origin"][0].as_f64().unwrap() - x).abs() < 1e-3);
    assert!((grid["origin"][1].as_f64().unwrap() - y).abs() < 1e-3);
    assert!((grid["pixel_width"].as_f64().unwrap() - 0.5).abs() < 1e-5);

    // North up in another zone: each pixel is where its place says.
    bench.ok(&[
        "convert",
        "scan.png",
        "--to",
        "EPSG:32611",
        "--resample",
        "nearest",
        "-o",
        "up.tif",
    ]);
    bench.write(
        "place.csv",
        format!("name,x,y\na,{},{}\n", placed(60.5, 33.5).0, placed(60.5, 33.5).1),
    );
    bench.ok(&[
        "build",
        "points",
        "place.csv",
        "--x",
        "x",
        "--y",
        "y",
        "--crs",
        "EPSG:32611",
        "-o",
        "place.gpkg",
    ]);
    for raster in ["scan.png", "up.tif"] {
        bench.ok(&[
            "tag",
            "place.gpkg",
            "--from",
            raster,
            "--resample",
            "nearest",
            "-o",
            "colour.csv",
            "--overwrite",
        ]);
        let (header, rows) = bench.table("colour.csv");
        let band = |name: &str| {
            rows[0][header.iter().position(|h| h == name).unwrap()].parse::<f64>().unwrap()
        };
        assert!(
            (band("band1") - 60.0).abs() <= 1.0 && (band("band2") - 33.0).abs() <= 1.0,
            "{raster}: {rows:?}"
        );
    }

    // As a GeoTIFF the picture is placed by a matrix, and nothing beside it is needed.
    bench.ok(&[
        "declare",
        "scan.png",
        "--points",
        "control.csv",
        "--crs",
        "EPSG:32611",
        "-o",
        "sheet.tif",
    ]);
    let look = bench.ok(&["look", "sheet.tif"]).out;
    assert!(look.contains("not with north up") && look.contains("a matrix"), "{look}");

    // A wrong point is named, and only that one.
    bench.write("wrong.csv", control(&CONTROL, Some(5)));
    let done = bench.ok(&[
        "declare",
        "scan.png",
        "--points",
        "wrong.csv",
        "--crs",
        "EPSG:32611",
        "-o",
        "w.tif",
    ]);
    assert!(done.err.contains("point P5 (row 7) lies"), "{}", done.err);
    assert_eq!(done.out.matches("doubtful").count(), 1, "{}", done.out);
    // Without a point too many nothing is checked, which is said.
    bench.write("few.csv", control(&CONTROL[..2], None));
    let done = bench.ok(&[
        "declare",
        "scan.png",
        "--points",
        "few.csv",
        "--crs",
        "EPSG:32611",
        "-o",
        "f.tif",
    ]);
    assert!(done.err.contains("nothing checks the fit"), "{}", done.err);

    for (name, text, arguments, told) in [
        (
            "one.csv",
            control(&CONTROL[..1], None),
            &[][..],
            "takes 2 points at least, and there are 1",
        ),
        ("bad.csv", control(&CONTROL, None) + "Q,1,x,3,4\n", &[], "row 10"),
        ("names.csv", "a,b,c,d\n1,2,3,4\n".to_string(), &[], "no columns have usual names"),
        (
            "few.csv",
            control(&CONTROL[..5], None),
            &["--fit", "second-order"],
            "takes 6 points at least, and there are 5",
        ),
        (
            "line.csv",
            control(&[(1.0, 1.0), (5.0, 5.0), (9.0, 9.0)], None),
            &["--fit", "affine"],
            "line",
        ),
        (
            "fit.csv",
            control(&CONTROL, None),
            &["--fit", "cubic"],
            "similarity, affine, second-order",
        ),
    ] {
        bench.write(name, text);
        let command = [
            &["declare", "scan.png", "--points", name, "--crs", "EPSG:32611", "-o", "no.tif"],
            arguments,
        ]
        .concat();
        let run = bench.run(&command);
        assert!(run.code != 0 && run.err.contains(told), "{name}: {}", run.err);
        assert!(!bench.has("no.tif"));
    }
}

#[test]
fn a_site_is_fitted_and_used_as_a_system() {
    let bench = Bench::new();
    // The site's axes lie 30° anticlockwise from the grid's; its lengths are 60 ppm longer.
    let known = |x: f64, y: f64| {
        let (sin, cos) = 30f64.to_radians().sin_cos();
        let k = 1.0 / 1.00006;
        (1_850_000.0 + k * (cos * x - sin * y), 150_000.0 + k * (sin * x + cos * y))
    };
    let table = |wrong: f64| {
        let mut text = "peg,site_x,site_y,easting,northing\n".to_string();
        for (at, (x, y)) in
            [(0.0, 0.0), (1000.0, 20.0), (980.0, 700.0), (15.0, 690.0), (400.0, 300.0)]
                .iter()
                .enumerate()
        {
            let (e, n) = known(*x, *y);
            text += &format!("K{at},{x},{y},{:.4},{n:.4}\n", if at == 3 { e + wrong } else { e });
        }
        text
    };
    bench.write("common.csv", table(0.0));
    let done = bench.ok(&["crs", "fit", "common.csv", "--to", "EPSG:2285", "-o", "yard.wkt"]);
    assert!(done.out.contains("residuals, known less fitted (US survey feet)"), "{}", done.out);
    assert!(
        done.out.contains("rotation, anticlockwise") && done.out.contains("30.00000"),
        "{}",
        done.out
    );
    assert!(!done.err.contains("warning"), "{}", done.err);
    bench.write("pegs.csv", "peg,x,y\nA,500,250\n");
    bench.ok(&[
        "convert",
        "pegs.csv",
        "--crs",
        "file:yard.wkt",
        "--to",
        "EPSG:2285",
        "-o",
        "pegs-grid.csv",
    ]);
    let (header, rows) = bench.table("pegs-grid.csv");
    let (e, n) = known(500.0, 250.0);
    let number = |at: usize| rows[0][at].parse::<f64>().unwrap();
    let found = (number(header.len() - 2), number(header.len() - 1));
    assert!((found.0 - e).abs() < 2e-4 && (found.1 - n).abs() < 2e-4, "{found:?} for {e}, {n}");
    // And back again.
    bench.ok(&[
        "convert",
        "pegs-grid.csv",
        "--x",
        &header[header.len() - 2],
        "--y",
        &header[header.len() - 1],
        "--crs",
        "EPSG:2285",
        "--to",
        "file:yard.wkt",
        "-o",
        "pegs-back.csv",
    ]);
    let (header, rows) = bench.table("pegs-back.csv");
    let number = |at: usize| rows[0][at].parse::<f64>().unwrap();
    assert!(
        (number(header.len() - 2) - 500.0).abs() < 1e-3
            && (number(header.len() - 1) - 250.0).abs() < 1e-3
    );

    bench.write("wrong.csv", table(2.0));
    let json =
        bench.ok(&["crs", "fit", "wrong.csv", "--to", "EPSG:2285", "-o", "w.wkt", "--json"]).json();
    let doubtful: Vec<bool> = json["points"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| p["doubtful"].as_bool().unwrap())
        .collect();
    assert_eq!(doubtful, [false, false, false, true, false]);
    // Metres taken for feet show in the scale.
    let metres = bench.ok(&["crs", "fit", "common.csv", "--to", "EPSG:32148", "-o", "m.wkt"]);
    assert!(!metres.err.contains("another unit"), "{}", metres.err);
    let own = table(0.0);
    let feet = own.lines().map(|line| {
        let cells: Vec<&str> = line.split(',').collect();
        match cells[1].parse::<f64>() {
            Ok(x) => format!(
                "{},{},{},{},{}\n",
                cells[0],
                x * 0.3048,
                cells[2].parse::<f64>().unwrap() * 0.3048,
                cells[3],
                cells[4]
            ),
            Err(_) => line.to_string() + "\n",
        }
    });
    bench.write("metres.csv", feet.collect::<String>());
    let run = bench.ok(&["crs", "fit", "metres.csv", "--to", "EPSG:2285", "-o", "f.wkt"]);
    assert!(run.err.contains("3.28") && run.err.contains("another unit"), "{}", run.err);
    for (arguments, told) in [
        (&["--to", "EPSG:4326", "-o", "n.wkt"][..], "name a projected system"),
        (
            &["--to", "EPSG:2285", "--fit", "affine", "-o", "n.prj"],
            "has no words for a plane that is turned or stretched",
        ),
        (&["--to", "EPSG:2285", "-o", "n.prj"], "has no words for a plane that is turned"),
        (&["--to", "EPSG:2285", "-o", "yard.wkt"], "--overwrite"),
    ] {
        let run = bench.run(&[&["crs", "fit", "common.csv"], arguments].concat());
        assert!(run.code != 0 && run.err.contains(told), "{arguments:?}: {}", run.err);
        assert!(!bench.has("n.wkt") && !bench.has("n.prj"));
    }
}

/// Places on paper that has warped: by some pixels in the middle, as terms of second order do.
fn warped(column: f64, row: f64) -> (f64, f64) {
    let (u, v) = (column / 100.0, row / 80.0);
    placed(column + 9.0 * u * (1.0 - u) + 3.0 * u * v, row - 7.0 * v * v + 4.0 * u * v)
}

/// A warped scan is straightened: what comes out has north up, and each colour is at its place.
#[test]
fn a_warped_scan_is_straightened() {
    let bench = Bench::new();
    bench.write("scan.png", scan());
    let mut text = "point,pixel,line,easting,northing\n".to_string();
    for at in 0..12 {
        let (column, row) = (f64::from(at % 4) * 31.0 + 3.0, f64::from(at / 4) * 37.0 + 2.0);
        let (x, y) = warped(column, row);
        text += &format!("P{at},{column},{row},{x:.4},{y:.4}\n");
    }
    bench.write("control.csv", &text);
    let command =
        ["declare", "scan.png", "--points", "control.csv", "--crs", "EPSG:32611", "--fit"];
    // An affine mapping cannot follow, and says by how much.
    let affine = bench.ok(&[&command[..], &["affine", "-o", "affine.tif"]].concat());
    assert!(affine.out.contains("residuals"), "{}", affine.out);
    let done = bench.ok(&[&command[..], &["second-order", "-o", "sheet.tif"]].concat());
    for told in ["straightened into", "values by bilinear", "pixel of the mapping"] {
        assert!(done.err.contains(told), "{told}: {}", done.err);
    }
    let look = bench.ok(&["look", "sheet.tif", "--json"]).json();
    let grid = &look["grid"];
    assert_eq!(
        (grid["column_step"][1].as_f64(), grid["row_step"][0].as_f64()),
        (Some(0.0), Some(0.0))
    );
    // Nothing of the resolution is lost, and no corner.
    assert!(grid["pixel_width"].as_f64().unwrap() <= 0.5, "{grid}");
    let mut places = "name,x,y,column,row\n".to_string();
    for at in 0..60 {
        let (column, row) = (f64::from(at % 10) * 9.7 + 4.5, f64::from(at / 10) * 14.0 + 4.5);
        let (x, y) = warped(column, row);
        places += &format!("{at},{x},{y},{column},{row}\n");
    }
    bench.write("places.csv", &places);
    let build = ["build", "points", "places.csv", "--x", "x", "--y", "y", "--crs", "EPSG:32611"];
    bench.ok(&[&build[..], &["-o", "places.gpkg"]].concat());
    for (raster, most) in [("sheet.tif", 0.6), ("affine.tif", f64::INFINITY)] {
        let tag = ["tag", "places.gpkg", "--from", raster, "--overwrite", "-o", "colours.csv"];
        bench.ok(&tag);
        let (header, rows) = bench.table("colours.csv");
        let number = |row: &[String], name: &str| -> f64 {
            row[header.iter().position(|h| h == name).unwrap()].parse().unwrap()
        };
        assert_eq!(rows.len(), 60);
        let off: Vec<f64> = rows
            .iter()
            .map(|row| {
                // The colour of a pixel is that of its middle.
                (number(row, "band1") + 0.5 - number(row, "column"))
                    .hypot(number(row, "band2") + 0.5 - number(row, "row"))
            })
            .collect();
        let worst = off.iter().fold(0.0f64, |worst, off| worst.max(*off));
        assert!(worst < most, "{raster}: {worst}");
        assert!(raster == "sheet.tif" || worst > 1.0, "an affine mapping would do: {worst}");
    }
    // What comes out can be carried on; over itself nothing is straightened.
    bench.ok(&["convert", "sheet.tif", "--to", "EPSG:32610", "-o", "next.tif"]);
    let run = bench.run(&[&command[..], &["second-order"]].concat());
    assert!(run.code == 1 && run.err.contains("name another file"), "{}", run.err);
    assert!(!bench.has("scan.prj") && !bench.has("scan.pgw"));
    // Points that fold the picture are told: its left and right half lie on the same places.
    let mut folded = "point,pixel,line,easting,northing\n".to_string();
    for at in 0..12 {
        let (column, row) = (f64::from(at % 4) * 31.0 + 3.0, f64::from(at / 4) * 37.0 + 2.0);
        let (x, y) = (281_000.0 + 0.02 * (column - 50.0).powi(2), 5_252_000.0 - 0.5 * row);
        folded += &format!("P{at},{column},{row},{x:.4},{y:.4}\n");
    }
    bench.write("fold.csv", folded);
    let fold =
        ["--points", "fold.csv", "--crs", "EPSG:32611", "--fit", "second-order", "-o", "f.tif"];
    let run = bench.run(&[&["declare", "scan.png"][..], &fold].concat());
    assert!(run.code == 1 && run.err.contains("folds the image"), "{}", run.err);
    assert!(!bench.has("f.tif"));
}

/// A site whose axes count differently is fitted by an affine mapping, and used as any system.
#[test]
fn a_stretched_site_is_fitted_and_used() {
    let bench = Bench::new();
    let known = |x: f64, y: f64| {
        (1_850_000.0 + 0.9998 * x - 0.5 * y + 3e-4 * x, 150_000.0 + 0.49 * x + 1.0004 * y)
    };
    let table = |swapped: bool| {
        let mut text = "peg,site_x,site_y,easting,northing\n".to_string();
        let pegs = [(0.0, 0.0), (1000.0, 20.0), (980.0, 700.0), (15.0, 690.0), (400.0, 300.0)];
        for (at, (x, y)) in pegs.into_iter().enumerate() {
            let (e, n) = known(x, y);
            let (e, n) = if swapped { (n, e) } else { (e, n) };
            text += &format!("K{at},{x},{y},{e:.4},{n:.4}\n");
        }
        text
    };
    bench.write("common.csv", table(false));
    let fit = ["crs", "fit", "common.csv", "--to", "EPSG:2285", "--fit", "affine", "-o"];
    for name in ["site.wkt", "site.json"] {
        let done = bench.ok(&[&fit[..], &[name]].concat());
        assert!(done.out.contains("scale along the second axis"), "{}", done.out);
        bench.write("pegs.csv", "peg,x,y\nA,500,250\n");
        let system = format!("file:{name}");
        let to = ["--to", "EPSG:2285", "-o", "grid.csv", "--overwrite"];
        bench.ok(&[&["convert", "pegs.csv", "--crs", &system][..], &to].concat());
        let (header, rows) = bench.table("grid.csv");
        let number = |at: usize| rows[0][at].parse::<f64>().unwrap();
        let (e, n) = known(500.0, 250.0);
        let found = (number(header.len() - 2), number(header.len() - 1));
        assert!((found.0 - e).abs() < 2e-4 && (found.1 - n).abs() < 2e-4, "{found:?}: {e}, {n}");
        let show = bench.ok(&["crs", "show", &system]).out;
        assert!(show.contains("a step of 1 east becomes"), "{show}");
        assert!(show.contains("keeps angles") && show.contains("EPSG:2285"), "{show}");
    }
    // Eastings and northings that were swapped turn the plane over.
    bench.write("common.csv", table(true));
    let run = bench.run(&[&fit[..], &["swapped.wkt"]].concat());
    assert!(run.code == 1 && run.err.contains("are easting and northing swapped"), "{}", run.err);
    assert!(!bench.has("swapped.wkt"));
}
