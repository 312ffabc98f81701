//! Rasters that are cut, changed, or lie about their size are refused, in little memory and time.

use super::tiff_files::{Made, placed, written};
use std::path::Path;
use velvet_peg::Result;
use velvet_peg::raster::{RasterFormat, RasterReader};

#[test]
fn damaged_and_lying_files_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let made = Made {
        tile: Some((16, 16)),
        compression: 8,
        tags: placed((0.0, 0.0), 1.0),
        ..Made::default()
    };
    let whole = made.bytes(|column, row, _| (column + row) as f64);
    let read_all = |path: &Path| -> Result<()> {
        let reader = RasterReader::open(path)?;
        let (columns, rows) = (reader.info().columns, reader.info().rows);
        reader.window(0, 0, columns, rows).map(drop)
    };
    // Cut anywhere it is an error, and never a panic.
    for end in (0..whole.len()).step_by(9) {
        let path = written(folder.path(), "cut.tif", &whole[..end]);
        let error = read_all(&path).unwrap_err();
        assert!(error.location().file.is_some(), "{end}: {error}");
    }
    // A byte changed anywhere is an error or other numbers, and never a panic or much memory.
    for at in 0..whole.len() {
        for change in [0xff, 0x80] {
            let mut bytes = whole.clone();
            bytes[at] ^= change;
            let path = written(folder.path(), "changed.tif", &bytes);
            let _ = read_all(&path);
        }
    }
    // Sizes that the file cannot hold.
    for size in [(60_000, 60_000), (4_000_000, 3)] {
        let mut lying = Made::default();
        lying.tags.push((256, 4, vec![f64::from(size.0)]));
        lying.tags.push((257, 4, vec![f64::from(size.1)]));
        lying.tags.push((278, 4, vec![f64::from(size.1)]));
        lying.tags.push((273, 4, vec![8.0]));
        lying.tags.push((279, 4, vec![300.0]));
        let path = written(folder.path(), "lying.tif", lying.bytes(|_, _, _| 0.0));
        let error = read_all(&path).unwrap_err().to_string();
        assert!(error.contains("too large") || error.contains("ends before"), "{size:?}: {error}");
    }
    let mut picture = Vec::new();
    let mut encoder = png::Encoder::new(&mut picture, 60_000, 60_000);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    // A beginning of pixels, and no more.
    let mut writer = encoder.write_header().unwrap();
    writer.write_chunk(png::chunk::IDAT, &[0x78, 0x9c, 1, 0]).unwrap();
    drop(writer);
    let path = written(folder.path(), "lying.png", &picture);
    let error = read_all(&path).unwrap_err().to_string();
    assert!(error.contains("60000 × 60000 pixels, more than"), "{error}");
    // Directories that go in a circle.
    let mut circle = Made::default().bytes(|_, _, _| 0.0);
    let first = u32::from_le_bytes(circle[4..8].try_into().unwrap()) as usize;
    let count = usize::from(u16::from_le_bytes([circle[first], circle[first + 1]]));
    let next = first + 2 + 12 * count;
    circle[next..next + 4].copy_from_slice(&(first as u32).to_le_bytes());
    let path = written(folder.path(), "circle.tif", &circle);
    assert!(read_all(&path).unwrap_err().to_string().contains("circle"));
    // No raster at all.
    let path = written(folder.path(), "table.csv", "a,b\n1,2\n");
    assert!(RasterReader::open(&path).unwrap_err().to_string().contains("is no raster"));
    assert_eq!(RasterFormat::of_file(&path), None);
}
