//! Rasters in another system: pixel by pixel against a plain computation in double precision.

use super::tiff_files::{Made, directories, keys, placed};
use std::fs;
use std::path::{Path, PathBuf};
use velvet_peg::convert::Way;
use velvet_peg::raster::{
    ConvertRaster, PixelGrid, RasterReader, RasterSummary, Resampling, SampleType,
};
use velvet_peg::{Bounds, Converter, Coordinate, Crs, NoticeKind, Result};

/// A raster of a place: system, corner, pixel, columns and rows.
struct Sheet {
    code: u16,
    corner: (f64, f64),
    pixel: f64,
    size: (usize, usize),
}

const DISTRICT: Sheet =
    Sheet { code: 32611, corner: (280_000.0, 5_260_000.0), pixel: 20.0, size: (300, 240) };

impl Sheet {
    fn file(
        &self,
        folder: &Path,
        made: Made,
        number: impl Fn(usize, usize, usize) -> f64,
    ) -> PathBuf {
        let geographic = Crs::from_epsg(u32::from(self.code)).unwrap().is_geographic();
        let mut made = Made { size: self.size, ..made };
        made.tags.extend(placed(self.corner, self.pixel));
        made.tags.push(match geographic {
            true => keys(&[(1024, 2), (1025, 1), (2048, self.code)]),
            false => keys(&[(1024, 1), (1025, 1), (3072, self.code)]),
        });
        let path = folder.join("sheet.tif");
        fs::write(&path, made.bytes(number)).unwrap();
        path
    }

    fn grid(&self) -> PixelGrid {
        PixelGrid::upright(self.corner, (self.pixel, self.pixel), self.size.0, self.size.1).unwrap()
    }
}

/// Decimals of 64 bits, so that nothing is rounded.
fn decimals() -> Made {
    Made { bits: 64, form: 3, tile: Some((64, 64)), ..Made::default() }
}

fn convert(path: &Path, out: &Path, to: u32, convert: ConvertRaster) -> Result<RasterSummary> {
    let convert = ConvertRaster { target: Some(Crs::from_epsg(to)?), ..convert };
    convert.run(&RasterReader::open(path)?, out)
}

/// The output as another hand reads it, its grid, and for each pixel the exact position in the source.
struct Carried {
    numbers: Vec<Vec<Vec<f64>>>,
    positions: Vec<Vec<Option<(f64, f64)>>>,
}

fn carried(sheet: &Sheet, out: &Path, to: u32) -> Result<Carried> {
    let bytes = fs::read(out)?;
    let directory = &directories(&bytes)[0];
    let (scale, tie) = (&directory.tags[&33550], &directory.tags[&33922]);
    let back = Converter::new(&Crs::from_epsg(to)?, &Crs::from_epsg(u32::from(sheet.code))?)?;
    let numbers = directory.numbers(&bytes);
    let degrees = back.target().is_geographic();
    let grid = sheet.grid();
    let middle = sheet.corner.0 + sheet.pixel * sheet.size.0 as f64 / 2.0;
    let position = |column: usize, row: usize| {
        let x = tie[3] + (column as f64 + 0.5) * scale[0];
        let y = tie[4] - (row as f64 + 0.5) * scale[1];
        let at = back.convert(Coordinate::xy(x, y)).ok()?;
        let turn = if degrees { 360.0 * ((at.x - middle) / 360.0).round() } else { 0.0 };
        Some(grid.pixel((at.x - turn, at.y)))
    };
    let positions = numbers
        .iter()
        .enumerate()
        .map(|(row, line)| (0..line.len()).map(|column| position(column, row)).collect())
        .collect();
    Ok(Carried { numbers, positions })
}

/// Where sheets go: source, target.
fn journeys() -> Vec<(Sheet, u32)> {
    let district = |code, corner| Sheet { code, corner, ..DISTRICT };
    vec![
        (DISTRICT, 32610),
        (DISTRICT, 2285),
        (DISTRICT, 4326),
        (DISTRICT, 3857),
        (district(4326, (-120.3, 47.6)), 32611),
        // Across the meridian of 180°, from degrees and to degrees.
        (Sheet { code: 4326, corner: (179.0, -16.0), pixel: 0.01, size: (200, 150) }, 3832),
        (
            Sheet { code: 32701, corner: (200_000.0, 8_200_000.0), pixel: 500.0, size: (200, 150) },
            4326,
        ),
        // Around the pole.
        (
            Sheet { code: 3413, corner: (-600_000.0, 600_000.0), pixel: 8_000.0, size: (150, 150) },
            4326,
        ),
        (Sheet { code: 4326, corner: (-180.0, 90.0), pixel: 1.0, size: (360, 40) }, 3413),
    ]
    .into_iter()
    .map(|(sheet, to)| match sheet.code {
        4326 if sheet.pixel == 20.0 => (Sheet { pixel: 0.0003, ..sheet }, to),
        _ => (sheet, to),
    })
    .collect()
}

#[test]
fn positions_are_those_of_the_exact_conversion() -> Result<()> {
    let folder = tempfile::tempdir()?;
    for (number, (sheet, to)) in journeys().into_iter().enumerate() {
        // The value of a pixel is its own position, so that values are positions.
        let path =
            sheet.file(folder.path(), Made { bands: 2, ..decimals() }, |column, row, band| {
                if band == 0 { column as f64 + 0.5 } else { row as f64 + 0.5 }
            });
        let out = folder.path().join(format!("{number}.tif"));
        let way =
            ConvertRaster { resampling: Some(Resampling::Bilinear), ..ConvertRaster::default() };
        let done = convert(&path, &out, to, way)?;
        let seen = carried(&sheet, &out, to)?;
        let name = format!("{} to {to}", sheet.code);
        assert!(done.position_error < 0.025, "{name}: {}", done.position_error);
        let (mut worst, mut inside, mut values) = (0.0f64, 0, 0);
        let (columns, rows) = (sheet.size.0 as f64, sheet.size.1 as f64);
        for (line, exact) in seen.numbers.iter().zip(&seen.positions) {
            for (pixel, exact) in line.iter().zip(exact) {
                values += usize::from(!pixel[0].is_nan());
                let Some((column, row)) = exact else {
                    assert!(pixel[0].is_nan(), "{name}: a value where there is no place");
                    continue;
                };
                let (from, to) = (0.05, -0.05);
                let within =
                    |value: f64, end: f64, margin: f64| value > margin && value < end - margin;
                if !within(*column, columns, from) || !within(*row, rows, from) {
                    // Beyond the sheet there is nothing.
                    let beyond = !within(*column, columns, to) || !within(*row, rows, to);
                    assert!(!beyond || pixel[0].is_nan(), "{name}: {column} {row} {pixel:?}");
                    continue;
                }
                inside += 1;
                assert!(!pixel[0].is_nan(), "{name}: nothing at {column} {row}");
                // Half a pixel from an edge there is no neighbour to join with; across the seam of a
                // whole turn the neighbour is at the other end.
                if within(*column, columns, 0.55) && within(*row, rows, 0.55) {
                    worst = worst.max((pixel[0] - column).hypot(pixel[1] - row));
                }
            }
        }
        // What was measured is what is claimed.
        assert!(worst <= done.position_error + 1e-6, "{name}: {worst} > {}", done.position_error);
        // No area is lost: as many pixels as the sheet has, or more.
        assert!(inside >= 9 * sheet.size.0 * sheet.size.1 / 10, "{name}: {inside}");
        assert!(values >= inside);
    }
    Ok(())
}

/// What a way makes of a position, plainly.
fn plain(way: Resampling, at: (f64, f64), value: &dyn Fn(i64, i64) -> f64) -> f64 {
    let keys = |d: f64| {
        let d = d.abs();
        match d {
            d if d < 1.0 => 1.5 * d.powi(3) - 2.5 * d.powi(2) + 1.0,
            d if d < 2.0 => -0.5 * d.powi(3) + 2.5 * d.powi(2) - 4.0 * d + 2.0,
            _ => 0.0,
        }
    };
    let weight = |d: f64| if way == Resampling::Cubic { keys(d) } else { (1.0 - d.abs()).max(0.0) };
    let (first_column, first_row) = (at.0.floor() as i64, at.1.floor() as i64);
    let mut sum = 0.0;
    for row in first_row - 2..=first_row + 2 {
        for column in first_column - 2..=first_column + 2 {
            let (dx, dy) = (at.0 - 0.5 - column as f64, at.1 - 0.5 - row as f64);
            sum += weight(dx) * weight(dy) * value(column, row);
        }
    }
    sum
}

#[test]
fn values_between_pixels_are_those_of_the_formulas() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let wave = |column: f64, row: f64| {
        100.0 * (column / 9.0).sin() + 80.0 * (row / 7.0).cos() + (column * row / 900.0)
    };
    let value = |column: i64, row: i64| wave(column as f64, row as f64);
    let path = DISTRICT.file(folder.path(), decimals(), |c, r, _| wave(c as f64, r as f64));
    for way in [Resampling::Bilinear, Resampling::Cubic] {
        let out = folder.path().join(format!("{way}.tif"));
        let done = convert(
            &path,
            &out,
            32610,
            ConvertRaster { resampling: Some(way), ..ConvertRaster::default() },
        )?;
        assert_eq!(done.resampling, Some(way));
        let seen = carried(&DISTRICT, &out, 32610)?;
        let mut compared = 0;
        for (line, exact) in seen.numbers.iter().zip(&seen.positions) {
            for (pixel, exact) in line.iter().zip(exact) {
                let Some(at) = exact else { continue };
                let inside = |value: f64, end: usize| value > 2.6 && value < end as f64 - 2.6;
                if inside(at.0, DISTRICT.size.0) && inside(at.1, DISTRICT.size.1) {
                    let wanted = plain(way, *at, &value);
                    // A position that is off changes a value by the slope, which is 24 a pixel at most.
                    let slack = 24.0 * done.position_error + 1e-6;
                    assert!(
                        (pixel[0] - wanted).abs() <= slack,
                        "{way} at {at:?}: {} for {wanted}",
                        pixel[0]
                    );
                    compared += 1;
                }
            }
        }
        assert!(compared > 60_000, "{compared}");
    }
    Ok(())
}

#[test]
fn what_is_level_stays_so_to_the_last_bit() -> Result<()> {
    let folder = tempfile::tempdir()?;
    // No double is a tenth, and sums of its parts are seldom the same one.
    let path = DISTRICT.file(folder.path(), decimals(), |_, _, _| 380.1);
    for way in Resampling::ALL {
        let out = folder.path().join(format!("{way}.tif"));
        let asked = ConvertRaster { resampling: Some(way), ..ConvertRaster::default() };
        convert(&path, &out, 32610, asked)?;
        let bytes = fs::read(&out)?;
        let values: Vec<f64> =
            directories(&bytes)[0].numbers(&bytes).into_iter().flatten().flatten().collect();
        let level = values.iter().filter(|value| **value == 380.1).count();
        assert_eq!(level, values.iter().filter(|value| !value.is_nan()).count(), "{way}");
        assert!(level > 70_000, "{way}: {level}");
    }
    Ok(())
}

#[test]
fn averages_go_on_across_the_seam_of_a_whole_turn() -> Result<()> {
    let folder = tempfile::tempdir()?;
    // A value of the row: along each parallel all are the same, at 180° too.
    let sheet = Sheet { code: 4326, corner: (-180.0, 90.0), pixel: 1.0, size: (360, 40) };
    let path = sheet.file(folder.path(), decimals(), |_, row, _| row as f64);
    let out = folder.path().join("polar.tif");
    let asked = ConvertRaster { pixel: Some((250_000.0, 250_000.0)), ..ConvertRaster::default() };
    let done = convert(&path, &out, 3413, asked)?;
    assert_eq!(done.resampling, Some(Resampling::Average));
    let seen = carried(&sheet, &out, 3413)?;
    let mut at_seam = 0;
    for (line, exact) in seen.numbers.iter().zip(&seen.positions) {
        for (pixel, exact) in line.iter().zip(exact) {
            let Some((column, row)) = exact else { continue };
            // Away from the pole, where a pixel holds all columns, and from the rim.
            if (6.0..36.0).contains(row) {
                assert!((pixel[0] - (row - 0.5)).abs() < 0.6, "{column} {row}: {}", pixel[0]);
                at_seam += usize::from(*column < 2.0 || *column > 358.0);
            }
        }
    }
    assert!(at_seam > 8, "{at_seam}");
    Ok(())
}

#[test]
fn averages_keep_the_sum() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let value = |column: usize, row: usize| ((column * 31 + row * 17) % 97) as f64;
    let path = DISTRICT.file(folder.path(), decimals(), |c, r, _| value(c, r));
    let out = folder.path().join("average.tif");
    // Pixels five times as large, which nobody joined by four neighbours would be true to.
    let done = convert(
        &path,
        &out,
        32611,
        ConvertRaster { pixel: Some((100.0, 100.0)), ..ConvertRaster::default() },
    )?;
    assert_eq!(done.resampling, Some(Resampling::Average));
    assert!(
        done.notices.iter().any(|n| n.kind == NoticeKind::Scale && n.text.contains("5.00 times")),
        "{:?}",
        done.notices
    );
    let bytes = fs::read(&out)?;
    let numbers = directories(&bytes)[0].numbers(&bytes);
    for (row, line) in numbers.iter().enumerate() {
        for (column, pixel) in line.iter().enumerate() {
            let sum: f64 = (0..25).map(|at| value(column * 5 + at % 5, row * 5 + at / 5)).sum();
            assert!((pixel[0] - sum / 25.0).abs() < 1e-9, "{column} {row}");
        }
    }
    // In another system: the mean over a sheet is kept to the share of its rim.
    let out = folder.path().join("zone.tif");
    convert(
        &path,
        &out,
        32610,
        ConvertRaster { pixel: Some((170.0, 170.0)), ..ConvertRaster::default() },
    )?;
    let bytes = fs::read(&out)?;
    let numbers = directories(&bytes)[0].numbers(&bytes);
    let found: Vec<f64> = numbers.iter().flatten().map(|p| p[0]).filter(|v| !v.is_nan()).collect();
    let mean = found.iter().sum::<f64>() / found.len() as f64;
    assert!((mean - 48.0).abs() < 0.25, "{mean}");
    let area = found.len() as f64 * 170.0 * 170.0 / (300.0 * 240.0 * 400.0);
    assert!((area - 1.0).abs() < 0.01, "{area}");
    Ok(())
}

#[test]
fn a_checkerboard_comes_back_within_a_pixel() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let square = 8;
    let colour = |column: usize, row: usize| ((column / square + row / square) % 2) as f64;
    for (to, pixel) in [(32610, 20.0), (4326, 20.0), (2285, 20.0)] {
        let made = Made { bits: 1, photometric: 1, ..Made::default() };
        let path = DISTRICT.file(folder.path(), made, |c, r, _| colour(c, r));
        let (there, back) =
            (folder.path().join(format!("{to}.tif")), folder.path().join(format!("{to}-back.tif")));
        let done = convert(&path, &there, to, ConvertRaster::default())?;
        // Numbers that are classes are not mixed.
        assert_eq!(done.resampling, Some(Resampling::Nearest));
        let align = ConvertRaster {
            align: Some(DISTRICT.grid()),
            extent: Some(DISTRICT.grid().bounds()),
            ..ConvertRaster::default()
        };
        let home = convert(&there, &back, 32611, align)?;
        assert_eq!(home.grid.pixel_size(), (pixel, pixel));
        assert_eq!(home.grid, DISTRICT.grid());
        let bytes = fs::read(&back)?;
        let directory = &directories(&bytes)[0];
        let numbers = directory.numbers(&bytes);
        let none: f64 = directory.texts[&42113].parse().unwrap();
        let mut kept = 0;
        for (row, line) in numbers.iter().enumerate().take(DISTRICT.size.1 - 2).skip(2) {
            for (column, pixel) in line.iter().enumerate().take(DISTRICT.size.0 - 2).skip(2) {
                let found = pixel[0];
                assert!(found != none, "{to}: nothing at {column} {row}");
                let edge = |at: usize| (at % square).min(square - 1 - at % square);
                if edge(column) >= 1 && edge(row) >= 1 {
                    assert_eq!(found, colour(column, row), "{to}: {column} {row}");
                    kept += 1;
                }
            }
        }
        assert!(kept > 30_000);
    }
    Ok(())
}

#[test]
fn what_has_no_value_stays_so_and_no_value_becomes_one() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let hole = |column: usize, row: usize| (column as f64 - 150.0).hypot(row as f64 - 120.0) < 40.0;
    let mut made = Made { bits: 16, form: 2, ..Made::default() };
    made.texts.push((42113, "-32768".to_string()));
    let path = DISTRICT.file(folder.path(), made, |c, r, _| {
        if hole(c, r) { -32768.0 } else { 400.0 + (c + r) as f64 }
    });
    for way in Resampling::ALL {
        let out = folder.path().join(format!("{way}.tif"));
        convert(
            &path,
            &out,
            32610,
            ConvertRaster { resampling: Some(way), ..ConvertRaster::default() },
        )?;
        let seen = carried(&DISTRICT, &out, 32610)?;
        for (line, exact) in seen.numbers.iter().zip(&seen.positions) {
            for (pixel, exact) in line.iter().zip(exact) {
                let Some((column, row)) = exact else { continue };
                // A neighbour without a value must not drag others down.
                assert!(pixel[0] == -32768.0 || pixel[0] >= 395.0, "{way}: {}", pixel[0]);
                let inside = *column > 1.5 && *row > 1.5 && *column < 298.5 && *row < 238.5;
                let off = (column - 150.5).hypot(row - 120.5) - 40.0;
                if inside && off.abs() > 1.6 {
                    assert_eq!(pixel[0] == -32768.0, off < 0.0, "{way} at {column} {row}");
                }
            }
        }
    }
    Ok(())
}

#[test]
fn no_value_that_is_computed_becomes_the_one_that_stands_for_none() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut made = Made { bits: 16, form: 2, ..Made::default() };
    made.texts.push((42113, "0".to_string()));
    // Between −1 and 1 lies 0, nearly everywhere.
    let path =
        DISTRICT.file(folder.path(), made, |c, r, _| if (c + r) % 2 == 0 { -1.0 } else { 1.0 });
    for way in [Resampling::Bilinear, Resampling::Cubic, Resampling::Average] {
        let out = folder.path().join(format!("{way}.tif"));
        let asked = ConvertRaster { resampling: Some(way), ..ConvertRaster::default() };
        convert(&path, &out, 32610, asked)?;
        let seen = carried(&DISTRICT, &out, 32610)?;
        let mut inside = 0;
        for (line, exact) in seen.numbers.iter().zip(&seen.positions) {
            for (pixel, exact) in line.iter().zip(exact) {
                let Some((column, row)) = exact else { continue };
                if *column > 1.0 && *row > 1.0 && *column < 299.0 && *row < 239.0 {
                    assert!(pixel[0].abs() == 1.0, "{way} at {column} {row}: {}", pixel[0]);
                    inside += 1;
                }
            }
        }
        assert!(inside > 60_000, "{inside}");
    }
    Ok(())
}

#[test]
fn what_lies_beyond_a_sheet_can_be_told_from_it() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let used = |made: Made, number: &dyn Fn(usize, usize, usize) -> f64| -> Result<_> {
        let path = DISTRICT.file(folder.path(), made, number);
        let out = folder.path().join("out.tif");
        let done = convert(
            &path,
            &out,
            4326,
            ConvertRaster { overwrite: true, ..ConvertRaster::default() },
        )?;
        let bytes = fs::read(&out)?;
        let directory = directories(&bytes).remove(0);
        let numbers = directory.numbers(&bytes);
        let (first, middle) =
            (numbers[0][0].clone(), numbers[numbers.len() / 2][numbers[0].len() / 2].clone());
        let text = directory.texts.get(&42113).cloned();
        Ok((first, middle, text, RasterReader::open(&out)?.info().clone(), done))
    };
    // Shades of grey get a band of opacity, which is empty beyond the sheet.
    let (first, middle, none, info, _) = used(Made::default(), &|_, _, _| 77.0)?;
    assert_eq!(
        (first, middle, none, info.opacity),
        (vec![0.0, 0.0], vec![77.0, 255.0], None, true)
    );
    // So do colours, also where one of them stood for none.
    let mut black = Made { bands: 3, photometric: 2, ..Made::default() };
    black.texts.push((42113, "0".to_string()));
    let (first, middle, none, info, _) = used(black, &|_, _, band| [0.0, 90.0, 200.0][band])?;
    assert_eq!((first, middle, none), (vec![0.0; 4], vec![0.0, 90.0, 200.0, 255.0], None));
    assert!(info.opacity);
    // Decimals have a number for it, whole numbers one that no pixel has.
    let (first, middle, none, _, _) =
        used(Made { bits: 32, form: 3, ..Made::default() }, &|_, _, _| 3.5)?;
    assert!(first[0].is_nan());
    assert_eq!((middle, none.as_deref()), (vec![3.5], Some("nan")));
    let (first, _, none, _, done) =
        used(Made { bits: 16, form: 2, ..Made::default() }, &|c, _, _| c as f64)?;
    assert_eq!((first, none.as_deref()), (vec![-32768.0], Some("-32768")));
    assert!(done.notices.iter().any(|n| n.text.contains("no pixel of it has this value")));
    let (first, _, none, _, _) =
        used(Made { bits: 16, form: 2, ..Made::default() }, &|c, _, _| {
            if c == 7 { -32768.0 } else { c as f64 }
        })?;
    assert_eq!((first, none.as_deref()), (vec![32767.0], Some("32767")));
    let ends = |c: usize| [-32768.0, 32767.0, 0.0][c % 3];
    let (first, _, none, info, _) =
        used(Made { bits: 16, form: 2, ..Made::default() }, &|c, _, _| ends(c))?;
    assert_eq!((first, none, info.opacity), (vec![0.0, 0.0], None, true));
    // A list of colours has a place that no pixel uses, or becomes colours.
    let list: Vec<f64> = (0..768).map(|at| f64::from(at % 256) * 257.0).collect();
    let listed = Made { photometric: 3, tags: vec![(320, 3, list)], ..Made::default() };
    let (first, middle, none, _, _) =
        used(listed.clone(), &|c, _, _| if c > 200 { 255.0 } else { 9.0 })?;
    assert_eq!((first, middle, none.as_deref()), (vec![254.0], vec![9.0], Some("254")));
    let (first, _, none, info, _) = used(listed, &|c, _, _| (c % 256) as f64)?;
    assert_eq!((first, none, info.bands), (vec![0.0; 4], None, 4));
    Ok(())
}

#[test]
fn frames_are_as_they_are_asked_for() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let path = DISTRICT.file(folder.path(), decimals(), |c, _, _| c as f64);
    let run =
        |name: &str, asked: ConvertRaster| convert(&path, &folder.path().join(name), 32610, asked);
    let own = run("own.tif", ConvertRaster::default())?;
    assert_eq!(own.grid.pixel_size(), (20.0, 20.0)); // as in the source
    let origin = own.grid.origin();
    assert_eq!((origin.0 % 20.0, origin.1 % 20.0), (0.0, 0.0));
    // All corners of the source lie in it.
    let there = Converter::new(&Crs::from_epsg(32611)?, &Crs::from_epsg(32610)?)?;
    for corner in DISTRICT.grid().corners() {
        let at = there.convert(Coordinate::xy(corner.0, corner.1))?;
        let bounds = own.grid.bounds();
        assert!(
            bounds.west <= at.x
                && at.x <= bounds.east
                && bounds.south <= at.y
                && at.y <= bounds.north
        );
    }
    let part = Bounds {
        west: origin.0 + 1005.0,
        south: origin.1 - 3000.0,
        east: origin.0 + 2000.0,
        north: origin.1 - 2000.0,
    };
    let cut = run(
        "cut.tif",
        ConvertRaster { extent: Some(part), pixel: Some((50.0, 25.0)), ..ConvertRaster::default() },
    )?;
    assert_eq!(cut.grid.pixel_size(), (50.0, 25.0));
    let bounds = cut.grid.bounds();
    assert!(bounds.west <= part.west && bounds.west > part.west - 50.0);
    assert!(bounds.north >= part.north && bounds.north < part.north + 25.0);
    // Values of the part are those of the whole.
    let like = PixelGrid::upright((origin.0 + 7.0, origin.1 + 3.0), (30.0, 30.0), 4, 4)?;
    let aligned =
        run("aligned.tif", ConvertRaster { align: Some(like), ..ConvertRaster::default() })?;
    let moved = (
        (aligned.grid.origin().0 - like.origin().0) / 30.0,
        (aligned.grid.origin().1 - like.origin().1) / 30.0,
    );
    assert!((moved.0 - moved.0.round()).abs() < 1e-9 && (moved.1 - moved.1.round()).abs() < 1e-9);
    for (asked, told) in [
        (
            ConvertRaster { pixel: Some((1e-5, 1e-5)), ..ConvertRaster::default() },
            "choose larger pixels",
        ),
        (ConvertRaster { pixel: Some((-1.0, 1.0)), ..ConvertRaster::default() }, "above 0"),
        (ConvertRaster { resampling: Some(Resampling::Cubic), ..ConvertRaster::default() }, ""),
    ] {
        match run("refused.tif", asked) {
            Err(error) => assert!(!told.is_empty() && error.to_string().contains(told), "{error}"),
            Ok(_) => assert!(told.is_empty()),
        }
    }
    Ok(())
}

#[test]
fn a_raster_of_the_whole_earth_stays_whole() -> Result<()> {
    let folder = tempfile::tempdir()?;
    // From −180° and from 0°, in columns of 1° and of 9°.
    for (number, (west, pixel, size)) in
        [(-180.0, 1.0, (360, 180)), (0.0, 1.0, (360, 180)), (-180.0, 9.0, (40, 20))]
            .into_iter()
            .enumerate()
    {
        let sheet = Sheet { code: 4326, corner: (west, 90.0), pixel, size };
        let path = sheet.file(folder.path(), decimals(), |column, _, _| {
            // The longitude of a column's middle, from −180° to 180°.
            let lon = west + (column as f64 + 0.5) * pixel;
            if lon > 180.0 { lon - 360.0 } else { lon }
        });
        let out = folder.path().join(format!("{number}.tif"));
        // NAD83 to WGS 84 (1), by which nothing moves.
        let way = Way { operations: vec![1188], ..Way::default() };
        let resampling = Some(Resampling::Nearest);
        let way = ConvertRaster { resampling, way, ..ConvertRaster::default() };
        let done = convert(&path, &out, 4269, way)?;
        let bounds = done.grid.bounds();
        assert_eq!((bounds.west, bounds.north, bounds.south), (-180.0, 90.0, -90.0), "{number}");
        assert!((bounds.east - 180.0).abs() < pixel, "{number}: {bounds:?}");
        let bytes = fs::read(&out)?;
        for line in directories(&bytes)[0].numbers(&bytes) {
            for (column, value) in line.iter().enumerate() {
                let lon = bounds.west + (column as f64 + 0.5) * done.grid.pixel_size().0;
                assert!((value[0] - lon).abs() <= pixel, "{number}: {} at {lon}", value[0]);
            }
        }
    }
    Ok(())
}

#[test]
fn smaller_copies_stand_before_the_picture() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let sheet = Sheet { size: (1500, 1100), ..DISTRICT };
    let path =
        sheet.file(folder.path(), Made { bits: 16, ..Made::default() }, |c, r, _| (c + r) as f64);
    let out = folder.path().join("copies.tif");
    ConvertRaster { overviews: true, ..ConvertRaster::default() }
        .run(&RasterReader::open(&path)?, &out)?;
    let bytes = fs::read(&out)?;
    let all = directories(&bytes);
    let sizes: Vec<(f64, f64)> = all.iter().map(|d| (d.one(256), d.one(257))).collect();
    assert_eq!(sizes, [(1500.0, 1100.0), (750.0, 550.0), (375.0, 275.0)]);
    assert_eq!((all[1].one(254), all[2].one(254)), (1.0, 1.0));
    // The directories first, then the smallest copy, the picture last.
    let first = |directory: &super::tiff_files::Directory| directory.tags[&324][0];
    assert!(first(&all[2]) < first(&all[1]) && first(&all[1]) < first(&all[0]));
    let half = all[1].numbers(&bytes);
    // The mean of four: (c + r) of the middle, and 1 more.
    for (row, line) in half.iter().enumerate() {
        for (column, pixel) in line.iter().enumerate() {
            assert_eq!(pixel[0], (2 * column + 2 * row + 1) as f64, "{column} {row}");
        }
    }
    assert_eq!(RasterReader::open(&out)?.info().overviews, 2);
    Ok(())
}

#[test]
fn heights_of_text_go_to_another_zone_and_back_to_text() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("heights.asc");
    let mut text =
        "ncols 40\nnrows 30\nxllcorner 281000\nyllcorner 5251000\ncellsize 20\n".to_string();
    for row in 0..30 {
        let line: Vec<String> = (0..40)
            .map(|column| format!("{:.2}", 380.0 + f64::from(column) * 0.25 + f64::from(row)))
            .collect();
        text += &(line.join(" ") + "\n");
    }
    fs::write(&path, text)?;
    let mut reader = RasterReader::open(&path)?;
    assert_eq!(reader.info().samples, SampleType::F32);
    reader.assume(Crs::from_epsg(32611)?);
    let out = folder.path().join("zone.asc");
    let asked = ConvertRaster { target: Some(Crs::from_epsg(32610)?), ..ConvertRaster::default() };
    let done = asked.run(&reader, &out)?;
    assert_eq!(done.files.len(), 2); // and its .prj
    let back = RasterReader::open(&out)?;
    assert_eq!(back.info().crs.as_ref().and_then(Crs::code), Some(32610));
    assert_eq!(back.info().no_data, Some(-9999.0));
    let all = back.window(0, 0, back.info().columns, back.info().rows)?;
    let values = (0..all.len()).map(|at| all.get(at)).filter(|v| *v != -9999.0);
    let (low, high) = values.fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(v), high.max(v)));
    assert!((380.0..381.0).contains(&low) && (417.0..419.0).contains(&high), "{low} {high}");
    Ok(())
}
