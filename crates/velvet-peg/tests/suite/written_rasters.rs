//! Rasters as they are written: read by other hands, whole or not there, and what a format cannot hold.

use super::tiff_files::{Made, directories, keys, layouts, placed, scattered, written};
use std::fs;
use std::path::Path;
use velvet_peg::raster::{Colours, ConvertRaster, RasterReader, Resampling, SampleType};
use velvet_peg::{Crs, Result};

/// Writes a raster in another format as it is, and gives what was noticed.
fn copied(from: &Path, out: &Path) -> Result<Vec<String>> {
    let convert = ConvertRaster { overwrite: true, ..ConvertRaster::default() };
    let done = convert.run(&RasterReader::open(from)?, out)?;
    Ok(done.notices.into_iter().map(|notice| notice.text).collect())
}

#[test]
fn what_is_written_is_read_by_other_hands() -> Result<()> {
    let folder = tempfile::tempdir()?;
    for (number_of, (name, mut made, kind)) in layouts().into_iter().enumerate() {
        // Each type once, in the layouts by turns.
        if number_of % 7 != 0 {
            continue;
        }
        made.tags.extend(placed((500_000.0, 5_250_000.0), 2.0));
        made.tags.push(keys(&[(1024, 1), (1025, 1), (3072, 32611)]));
        let of = scattered(&made);
        let path = written(folder.path(), "in.tif", made.bytes(&of));
        let out = folder.path().join(format!("out-{number_of}.tif"));
        ConvertRaster::default().run(&RasterReader::open(&path)?, &out)?;
        let bytes = fs::read(&out)?;
        let all = directories(&bytes);
        assert_eq!(all.len(), 1);
        let read = all[0].numbers(&bytes);
        for (row, line) in read.iter().enumerate() {
            for (column, pixel) in line.iter().enumerate() {
                for (band, value) in pixel.iter().enumerate() {
                    let wanted = of(column, row, band);
                    let wanted =
                        if kind == SampleType::F32 { f64::from(wanted as f32) } else { wanted };
                    assert_eq!(*value, wanted, "{name}: {column}, {row}, {band}");
                }
            }
        }
        let keys = all[0].keys();
        assert_eq!(
            (keys[&1024].as_str(), keys[&1025].as_str(), keys[&3072].as_str()),
            ("1", "1", "32611")
        );
        assert_eq!(keys[&3076], "9001");
        assert_eq!(all[0].tags[&33922][3..5], [500_000.0, 5_250_000.0]);
    }
    Ok(())
}

#[test]
fn pictures_keep_their_form_in_png_and_tiff() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let types = [
        (png::ColorType::Grayscale, 1),
        (png::ColorType::Grayscale, 8),
        (png::ColorType::Grayscale, 16),
        (png::ColorType::Indexed, 2),
        (png::ColorType::Indexed, 8),
        (png::ColorType::Rgb, 8),
        (png::ColorType::Rgb, 16),
        (png::ColorType::GrayscaleAlpha, 8),
        (png::ColorType::Rgba, 8),
        (png::ColorType::Rgba, 16),
    ];
    for (number, (colour, depth)) in types.into_iter().enumerate() {
        let (columns, rows) = (19u32, 11u32);
        let row_bytes = (columns as usize * colour.samples() * depth).div_ceil(8);
        let used = columns as usize * colour.samples() * depth;
        let data: Vec<u8> = (0..row_bytes * rows as usize)
            .map(|at| {
                let byte = (at * 97 + at / 7) as u8;
                // Bits behind the last pixel of a row are none.
                let spare = (at % row_bytes + 1) * 8;
                if spare > used { byte >> (spare - used) << (spare - used) } else { byte }
            })
            .collect();
        let path = folder.path().join("picture.png");
        let mut encoder = png::Encoder::new(fs::File::create(&path)?, columns, rows);
        encoder.set_color(colour);
        encoder.set_depth(png::BitDepth::from_u8(depth as u8).unwrap());
        if colour == png::ColorType::Indexed {
            let list: Vec<u8> = (0..3 << depth).map(|at| (at * 5) as u8).collect();
            encoder.set_palette(list);
        }
        encoder.write_header().unwrap().write_image_data(&data).unwrap();
        written(folder.path(), "picture.pgw", "2\n0\n0\n-2\n500001\n5249999\n");
        let reader = RasterReader::open(&path)?;
        let before = reader.window(0, 0, 19, 11)?;
        // By way of TIFF and back, nothing is another.
        let (tif, again) = (format!("{number}.tif"), format!("{number}.png"));
        let (tif, again) = (folder.path().join(tif), folder.path().join(again));
        ConvertRaster::default().run(&reader, &tif)?;
        ConvertRaster::default().run(&RasterReader::open(&tif)?, &again)?;
        let last = RasterReader::open(&again)?;
        assert_eq!(last.window(0, 0, 19, 11)?, before, "{colour:?} {depth}");
        assert_eq!(last.info().opacity, reader.info().opacity, "{colour:?} {depth}");
        assert_eq!(last.info().grid, reader.info().grid);
        let (Colours::Palette(one), Colours::Palette(other)) =
            (&last.info().colours, &reader.info().colours)
        else {
            assert_eq!(last.info().colours, reader.info().colours);
            continue;
        };
        assert_eq!(one[..other.len()], other[..], "{colour:?} {depth}");
    }
    Ok(())
}

#[test]
fn an_output_is_whole_or_not_there() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let made = Made {
        tile: Some((16, 16)),
        compression: 8,
        tags: placed((500_000.0, 5_250_000.0), 2.0),
        ..Made::default()
    };
    let mut bytes = made.bytes(|column, row, _| (column + row) as f64);
    // The last tile is damaged: the work fails in its middle.
    let offset = *directories(&bytes)[0].tags[&324].last().unwrap() as usize;
    bytes[offset] ^= 0xff;
    let path = written(folder.path(), "in.tif", &bytes);
    let out = written(folder.path(), "out.tif", "what was there before");
    let overwrite = ConvertRaster { overwrite: true, ..ConvertRaster::default() };
    overwrite.run(&RasterReader::open(&path)?, &out).unwrap_err();
    assert_eq!(fs::read_to_string(&out)?, "what was there before");
    let refused = ConvertRaster::default().run(&RasterReader::open(&path)?, &out).unwrap_err();
    assert!(refused.is_exists(), "{refused}");
    // Over itself only where that was asked for.
    let refused = overwrite.run(&RasterReader::open(&path)?, &path).unwrap_err().to_string();
    assert!(refused.contains("is what is read"), "{refused}");
    let left: Vec<_> = fs::read_dir(folder.path())?.map(|e| e.unwrap().file_name()).collect();
    assert_eq!(left.len(), 2, "{left:?}");
    Ok(())
}

#[test]
fn formats_that_cannot_hold_a_raster_say_so() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let run = |made: Made, name: &str| {
        let path = written(folder.path(), "in.tif", made.bytes(|_, _, _| 1.0));
        ConvertRaster::default()
            .run(&RasterReader::open(&path)?, &folder.path().join(name))
            .map(drop)
    };
    let at = placed((0.0, 0.0), 1.0);
    let decimals = Made { bits: 32, form: 3, tags: at.clone(), ..Made::default() };
    let three = Made { bands: 3, tags: at.clone(), ..Made::default() };
    let long = Made {
        tags: vec![(33550, 12, vec![1.0, 2.0, 0.0]), (33922, 12, vec![0.0; 6])],
        ..Made::default()
    };
    for (made, name, told) in [
        (decimals, "a.png", "a PNG holds pictures of 8 or 16 bits"),
        (three.clone(), "b.asc", "one number a pixel, and there are 3"),
        (three, "c.png", "in 3 bands: write .tif"),
        (long, "d.asc", "square pixels"),
        (Made { tags: at.clone(), ..Made::default() }, "e.jpg", "would lose detail"),
        (
            Made { tags: at, ..Made::default() },
            "f.gpkg",
            "GeoTIFF (.tif), PNG (.png) or ASCII grid (.asc)",
        ),
        (Made::default(), "g.tif", "does not say where its pixels lie"),
    ] {
        let error = run(made, name).unwrap_err().to_string();
        assert!(error.contains(told), "{name}: {error}");
        assert!(!folder.path().join(name).exists());
    }
    let ways: Vec<&str> = Resampling::ALL.iter().map(|way| way.name()).collect();
    assert_eq!(ways, ["nearest", "bilinear", "cubic", "average"]);
    Ok(())
}

#[test]
fn colours_keep_their_bands_and_what_stands_for_none() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let mut made =
        Made { bands: 3, photometric: 2, tags: placed((0.0, 0.0), 1.0), ..Made::default() };
    made.texts.push((42113, "0".to_string()));
    let of =
        |column: usize, _: usize, band: usize| if column < 9 { 0.0 } else { 50.0 * band as f64 };
    let path = written(folder.path(), "in.tif", made.bytes(of));
    let (tif, png) = (folder.path().join("out.tif"), folder.path().join("out.png"));
    copied(&path, &tif)?;
    let bytes = fs::read(&tif)?;
    let directory = &directories(&bytes)[0];
    assert_eq!((directory.one(277), directory.texts[&42113].as_str()), (3.0, "0"));
    assert_eq!(directory.numbers(&bytes)[4][20], [0.0, 50.0, 100.0]);
    // A PNG says it by opacity: black is none, a colour that holds a 0 is one.
    copied(&path, &png)?;
    let reader = RasterReader::open(&png)?;
    assert_eq!((reader.info().bands, reader.info().opacity), (4, true));
    let row = reader.window(0, 4, 37, 5)?;
    let pixel = |column: usize| [0, 1, 2, 3].map(|band| row.get(4 * column + band));
    assert_eq!((pixel(8), pixel(9)), ([0.0; 4], [0.0, 50.0, 100.0, 255.0]));
    // So does one that had opacity already.
    let mut made =
        Made { bands: 4, photometric: 2, tags: placed((0.0, 0.0), 1.0), ..Made::default() };
    made.tags.push((338, 3, vec![2.0]));
    made.texts.push((42113, "0".to_string()));
    let of = |column: usize, row: usize, band: usize| {
        if band == 3 { 200.0 } else { of(column, row, band) }
    };
    let path = written(folder.path(), "in.tif", made.bytes(of));
    copied(&path, &png)?;
    let row = RasterReader::open(&png)?.window(0, 4, 37, 5)?;
    assert_eq!([8, 9].map(|column| row.get(4 * column + 3)), [0.0, 200.0]);
    Ok(())
}

#[test]
fn text_says_what_has_no_value_by_a_number() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let at = placed((500_000.0, 5_250_000.0), 100.0);
    let out = folder.path().join("out.asc");
    let first_rows =
        || fs::read_to_string(&out).unwrap().lines().skip(5).take(2).collect::<Vec<_>>().join("\n");
    // Decimals that are none (NaN), with a tag that says so, with one of another number, and with none.
    for (tag, told) in [(Some("nan"), "-9999"), (Some("-1"), "-1"), (None, "-9999")] {
        let mut made = Made { bits: 32, form: 3, tags: at.clone(), ..Made::default() };
        made.texts.extend(tag.map(|text| (42113, text.to_string())));
        let hole = |column: usize, _: usize, _: usize| if column == 0 { f64::NAN } else { 2.5 };
        let path = written(folder.path(), "in.tif", made.bytes(hole));
        copied(&path, &out)?;
        let begins = format!("NODATA_value {told}\n{told} 2.5 2.5");
        assert!(first_rows().starts_with(&begins), "{tag:?}: {}", first_rows());
    }
    // Whole numbers without a sign, carried beyond their edges.
    let made = Made {
        bits: 32,
        tags: [at, vec![keys(&[(1024, 1), (1025, 1), (3072, 32611)])]].concat(),
        ..Made::default()
    };
    let path = written(folder.path(), "in.tif", made.bytes(|_, _, _| 4_000_000_000.0));
    let convert = ConvertRaster {
        target: Some(Crs::from_epsg(32610)?),
        overwrite: true,
        ..ConvertRaster::default()
    };
    convert.run(&RasterReader::open(&path)?, &out)?;
    assert!(first_rows().starts_with("NODATA_value -9999\n-9999 -9999"), "{}", first_rows());
    let text = fs::read_to_string(&out)?;
    let values: Vec<&str> = text.lines().skip(6).flat_map(str::split_whitespace).collect();
    assert!(values.contains(&"4000000000"));
    assert!(values.iter().all(|value| ["4000000000", "-9999"].contains(value)));
    Ok(())
}

#[test]
fn files_beside_an_output_do_not_contradict_it() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let file = |name: &str| folder.path().join(name);
    let made = Made {
        tags: [
            placed((500_000.0, 5_250_000.0), 2.0),
            vec![keys(&[(1024, 1), (1025, 1), (3072, 32611)])],
        ]
        .concat(),
        ..Made::default()
    };
    let path = written(folder.path(), "in.tif", made.bytes(|_, _, _| 1.0));
    // The world file of what was there before goes with it, and that is told.
    written(folder.path(), "out.tif", made.bytes(|_, _, _| 2.0));
    written(folder.path(), "out.tfw", "9\n0\n0\n-9\n1\n1\n");
    let told = copied(&path, &file("out.tif"))?;
    assert!(told.iter().any(|text| text.contains("out.tfw")), "{told:?}");
    assert!(!file("out.tfw").exists());
    // A grid without a system does not get that of its predecessor.
    let bare = Made { tags: placed((500_000.0, 5_250_000.0), 2.0), ..Made::default() };
    let bare = written(folder.path(), "bare.tif", bare.bytes(|_, _, _| 1.0));
    copied(&path, &file("grid.asc"))?;
    assert!(RasterReader::open(&file("grid.asc"))?.info().crs.is_some());
    let told = copied(&bare, &file("grid.asc"))?;
    assert!(told.iter().any(|text| text.contains("grid.prj")), "{told:?}");
    assert!(RasterReader::open(&file("grid.asc"))?.info().crs.is_none());
    // But a .prj that another file of the name needs stays.
    copied(&path, &file("shared.asc"))?;
    written(folder.path(), "shared.shp", b"");
    copied(&bare, &file("shared.asc"))?;
    assert!(file("shared.prj").exists());
    Ok(())
}

#[test]
fn transparent_colours_that_tiff_cannot_keep_are_told() -> Result<()> {
    let folder = tempfile::tempdir()?;
    for (opacities, told) in [(vec![255, 255, 0, 255], false), (vec![255, 128, 0, 0], true)] {
        let path = folder.path().join("listed.png");
        let mut encoder = png::Encoder::new(fs::File::create(&path)?, 4, 1);
        encoder.set_color(png::ColorType::Indexed);
        encoder.set_depth(png::BitDepth::Two);
        encoder.set_palette((0..12).map(|at| at * 20).collect::<Vec<u8>>());
        encoder.set_trns(opacities);
        encoder.write_header().unwrap().write_image_data(&[0b00_01_10_11]).unwrap();
        written(folder.path(), "listed.pgw", "2\n0\n0\n-2\n1\n1\n");
        let out = folder.path().join("listed.tif");
        let notices = copied(&path, &out)?;
        let warned = notices.iter().any(|text| text.contains("2 transparent colours"));
        assert_eq!(warned, told, "{notices:?}");
        assert_eq!(RasterReader::open(&out)?.info().no_data, Some(2.0));
    }
    Ok(())
}
