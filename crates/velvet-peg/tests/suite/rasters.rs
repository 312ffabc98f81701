//! Rasters of every layout, of other hands too, are read as they are.

use super::tiff_files::{Made, directories, layouts, scattered, written};
use std::fs;
use std::path::Path;
use velvet_peg::Result;
use velvet_peg::raster::{Colours, RasterReader, SampleType};

#[test]
fn every_layout_is_read_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    for (name, made, kind) in layouts() {
        let of = scattered(&made);
        let path = written(folder.path(), "layout.tif", made.bytes(&of));
        let reader = RasterReader::open(&path).unwrap_or_else(|error| panic!("{name}: {error}"));
        let info = reader.info();
        assert_eq!((info.columns, info.rows, info.bands), (37, 23, made.bands), "{name}");
        assert_eq!((info.samples, &info.colours), (kind, &Colours::Values), "{name}");
        // A part across the borders of blocks.
        let (left, top, right, bottom) = (3, 5, 36, 22);
        let window =
            reader.window(left, top, right, bottom).unwrap_or_else(|e| panic!("{name}: {e}"));
        let mut at = 0;
        for row in top..bottom {
            for column in left..right {
                for band in 0..made.bands {
                    let wanted = of(column, row, band);
                    let wanted =
                        if kind == SampleType::F32 { f64::from(wanted as f32) } else { wanted };
                    assert_eq!(window.get(at), wanted, "{name}: {column}, {row}, {band}");
                    at += 1;
                }
            }
        }
        assert_eq!(at, window.len());
    }
}

#[test]
fn numbers_of_few_bits_and_colours_are_read() {
    let folder = tempfile::tempdir().unwrap();
    let map = |size: usize| {
        let band =
            |band: usize| (0..size).map(move |at| (at * 37 + band * 91) as f64 % 256.0 * 257.0);
        (320, 3, band(0).chain(band(1)).chain(band(2)).collect::<Vec<f64>>())
    };
    for (bits, photometric) in [(1, 0), (1, 1), (2, 1), (4, 1), (1, 3), (4, 3), (8, 3)] {
        for tile in [None, Some((16, 16))] {
            let mut made = Made { bits, photometric, tile, ..Made::default() };
            let size = 1 << bits;
            if photometric == 3 {
                made.tags.push(map(size));
            }
            let of = scattered(&made);
            let path = written(folder.path(), "few.tif", made.bytes(&of));
            let reader = RasterReader::open(&path).unwrap();
            let window = reader.window(0, 0, 37, 23).unwrap();
            let Colours::Palette(list) = &reader.info().colours else {
                panic!("{bits} bits: {:?}", reader.info().colours)
            };
            assert_eq!(list.len(), size);
            for at in 0..37 * 23 {
                let raw = of(at % 37, at / 37, 0);
                let wanted = if photometric == 0 { size as f64 - 1.0 - raw } else { raw };
                assert_eq!(window.get(at), wanted, "{bits} bits of {photometric} at {at}");
            }
            let last = list[size - 1];
            match photometric {
                3 => {
                    let colour = [0, 1, 2].map(|band| (((size - 1) * 37 + band * 91) % 256) as u8);
                    assert_eq!(last[..3], colour);
                }
                _ => assert_eq!((list[0], last), ([0, 0, 0, 255], [255; 4])),
            }
        }
    }
    // Red, green and blue with opacity, and with a band more.
    for (bands, extra, opacity) in
        [(4, vec![2.0], true), (4, vec![0.0], false), (5, vec![0.0, 0.0], false)]
    {
        let made = Made { bands, photometric: 2, tags: vec![(338, 3, extra)], ..Made::default() };
        let of = scattered(&made);
        let path = written(folder.path(), "colours.tif", made.bytes(&of));
        let reader = RasterReader::open(&path).unwrap();
        assert_eq!((reader.info().opacity, reader.info().bands), (opacity, bands));
        let window = reader.window(0, 0, 37, 23).unwrap();
        assert_eq!(window.get(bands * 40 + bands - 1), of(3, 1, bands - 1));
    }
}

#[test]
fn tiles_that_are_left_out_have_no_value() {
    let folder = tempfile::tempdir().unwrap();
    let mut made = Made { tile: Some((16, 16)), form: 3, bits: 32, ..Made::default() };
    made.texts.push((42113, "-9999".to_string()));
    let bytes = made.bytes(|column, _, _| column as f64);
    let full = directories(&bytes);
    // The second tile has no bytes.
    let (offsets, mut counts) = (full[0].tags[&324].clone(), full[0].tags[&325].clone());
    counts[1] = 0.0;
    let mut offsets = offsets;
    offsets[1] = 0.0;
    made.tags.push((324, 4, offsets));
    made.tags.push((325, 4, counts));
    let path = written(folder.path(), "sparse.tif", made.bytes(|column, _, _| column as f64));
    let reader = RasterReader::open(&path).unwrap();
    let window = reader.window(0, 0, 37, 1).unwrap();
    assert_eq!(
        (window.get(15), window.get(16), window.get(31), window.get(32)),
        (15.0, -9999.0, -9999.0, 32.0)
    );
    assert_eq!(reader.info().no_data, Some(-9999.0));
}

#[test]
fn grids_of_text_are_read_in_all_their_spellings() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let read = |text: &str| {
        let path = written(folder.path(), "grid.asc", text);
        RasterReader::open(&path)
    };
    let plain = "ncols 3\nnrows 2\nxllcorner 100\nyllcorner 200\ncellsize 10\nNODATA_value -1\n";
    let cases = [
        (format!("{plain}1 2 3\n4 -1 6\n"), SampleType::I32),
        (format!("{}1 2 3 4 -1 6", plain.to_uppercase()), SampleType::I32),
        (plain.replace('\n', "\r\n") + "1\t2\r\n3\r\n4 -1\r\n6\r\n", SampleType::I32),
        (
            format!(
                "{}1.0 2 3\n4 -1 6",
                plain.replace("corner 100", "center 105").replace("corner 200", "center 205")
            ),
            SampleType::I32,
        ),
        (format!("{plain}1.5 2 3\n4 -1 6\n"), SampleType::F32),
        (format!("{plain}1,5 2 3\n4 -1 6\n"), SampleType::F32),
        (format!("{plain}1.123456789012 2 3\n4 -1 6\n"), SampleType::F64),
    ];
    for (text, kind) in &cases {
        let reader = read(text)?;
        let info = reader.info();
        assert_eq!((info.samples, info.no_data), (*kind, Some(-1.0)), "{text}");
        let grid = info.grid.unwrap();
        assert_eq!((grid.origin(), grid.pixel_size()), ((100.0, 220.0), (10.0, 10.0)), "{text}");
        let numbers = reader.window(0, 0, 3, 2)?;
        assert_eq!((numbers.get(1), numbers.get(4), numbers.get(5)), (2.0, -1.0, 6.0), "{text}");
    }
    let header = |change: (&str, &str)| plain.replacen(change.0, change.1, 1) + "1 2 3\n4 5 6\n";
    for (text, told) in [
        (header(("ncols 3", "ncols 4")), "holds 6 numbers, and its header says 4 × 2: 8"),
        (header(("ncols 3", "ncols 99999999")), "more than"),
        (header(("ncols 3", "ncols 2.5")), "ncols is 2.5: no count"),
        (header(("ncols 3", "ncols")), "\"ncols\" is followed by no number"),
        (header(("cellsize 10", "cellsize 0")), "no area"),
        (header(("xllcorner 100\n", "")), "no line xllcenter or xllcorner"),
        (plain.to_string() + "1 2 x\n4 5 6\n", "row 7: \"x\" is no number"),
        (plain.to_string() + "1 2 3\n4 5 6 7\n", "holds 7 numbers"),
    ] {
        let error = read(&text).unwrap_err().to_string();
        assert!(error.contains(told), "{told}: {error}");
    }
    Ok(())
}

#[test]
fn files_of_another_hand_have_the_colours_that_it_sees() -> Result<()> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/rasters");
    let mut compared = 0;
    for entry in fs::read_dir(&folder)? {
        let path = entry?.path();
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        if name.ends_with(".truth.png") {
            continue;
        }
        let truth = fs::File::open(folder.join(format!("{name}.truth.png")))?;
        let mut truth = png::Decoder::new(std::io::BufReader::new(truth)).read_info().unwrap();
        let mut wanted = vec![0; truth.output_buffer_size().unwrap()];
        truth.next_frame(&mut wanted).unwrap();
        let reader = RasterReader::open(&path)?;
        let info = reader.info();
        assert_eq!((info.columns, info.rows), (40, 30), "{name}");
        let numbers = reader.window(0, 0, 40, 30)?;
        let byte = |at: usize| match info.samples {
            SampleType::U16 => (numbers.get(at) / 257.0).round() as u8,
            _ => numbers.get(at) as u8,
        };
        // Codecs of JPEG differ by a little.
        let slack = if info.packing.contains("JPEG") { 3 } else { 0 };
        for (pixel, wanted) in wanted.chunks(3).enumerate() {
            let found = match &info.colours {
                Colours::Palette(list) => list[usize::from(byte(pixel))][..3].to_vec(),
                Colours::Rgb => (0..3).map(|band| byte(3 * pixel + band)).collect(),
                _ => vec![byte(pixel); 3],
            };
            for (found, wanted) in found.iter().zip(wanted) {
                assert!(
                    found.abs_diff(*wanted) <= slack,
                    "{name} at {pixel}: {found} for {wanted}"
                );
            }
        }
        compared += 1;
    }
    assert_eq!(compared, 9);
    Ok(())
}
