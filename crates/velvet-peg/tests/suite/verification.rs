//! What is written is read again before it takes its place. Here the file is damaged while it is
//! written, as a failing disk would: nothing takes the place of what was there.

use std::path::{Path, PathBuf};
use velvet_peg::{Crs, Geometry, Layer, LayerWriter, WriteOptions};

const FEATURES: usize = 20_000;

fn gates() -> Layer {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    for number in 0..FEATURES {
        let at = (-120.0 + number as f64 / 4096.0, 47.0 + number as f64 / 8192.0);
        let name = format!("gate-{number:05}");
        layer
            .push(Geometry::Point(at), [("name", name.into()), ("no", (number as i64).into())])
            .unwrap();
    }
    layer
}

/// Every file below a folder, hidden ones too.
fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        match path.is_dir() {
            true => found.extend(files(&path)),
            false => found.push(path),
        }
    }
    found
}

/// Puts other bytes in the place of the first that are like these, without moving any.
fn damage(file: &Path, from: &[u8], to: &[u8]) {
    use std::io::{Seek, SeekFrom, Write};
    assert_eq!(from.len(), to.len());
    let bytes = std::fs::read(file).unwrap();
    let at = bytes.windows(from.len()).position(|window| window == from);
    let at = at.unwrap_or_else(|| {
        panic!("{}: {} is not on disk yet", file.display(), String::from_utf8_lossy(from))
    });
    let mut file = std::fs::File::options().write(true).open(file).unwrap();
    file.seek(SeekFrom::Start(at as u64)).unwrap();
    file.write_all(to).unwrap();
}

#[test]
fn a_file_that_was_damaged_while_it_was_written_does_not_take_its_place() {
    let layer = gates();
    // The format, what is on disk, what is put in its place, and what is said.
    let cases: &[(&str, &[u8], &[u8], &str)] = &[
        ("geojson", b"-119.98291", b"-119.98292", "some coordinates differ"),
        ("geojson", b"gate-00070", b"gate-00071", "some attributes differ"),
        ("geojson", b"\"no\":70}", b"\"no\":71}", "some attributes differ"),
        ("geojsonl", b"-119.98291", b"-119.98292", "some coordinates differ"),
        ("geojsonl", b"gate-00070", b"gate-00071", "some attributes differ"),
        ("csv", b"-119.98291", b"-119.98292", "some values differ"),
        ("csv", b"gate-00070", b"gate-00071", "some values differ"),
        ("csv", b"\ngate-00070", b" gate-00070", "rows in place of 20000"),
        ("kml", b"-119.98291", b"-119.98292", "some coordinates differ"),
        ("kml", b"gate-00070", b"gate-00071", "some attributes differ"),
        ("gpx", b"-119.98291", b"-119.98292", "some coordinates differ"),
        ("xml", b"-119.98291", b"-119.98292", "some coordinates differ"),
        ("xml", b"gate-00070", b"gate-00071", "some attributes differ"),
    ];
    for (ending, from, to, says) in cases {
        let folder = tempfile::tempdir().unwrap();
        let out = folder.path().join(format!("gates.{ending}"));
        std::fs::write(&out, "what was there").unwrap();
        let options = WriteOptions { overwrite: true, ..WriteOptions::default() };
        let mut writer = LayerWriter::create(&out, layer.info(), &options).unwrap();
        for batch in layer.batches() {
            writer.write(batch).unwrap();
        }
        let staged: Vec<PathBuf> = files(folder.path())
            .into_iter()
            .filter(|file| *file != out && file.extension() == out.extension())
            .collect();
        assert_eq!(staged.len(), 1, "{ending}: {staged:?}");
        damage(&staged[0], from, to);
        let error = writer.finish().unwrap_err();
        let said = error.to_string();
        assert!(error.is_data() && said.contains(says), "{ending}: {said}");
        assert!(said.contains("what was there is as it was"), "{ending}: {said}");
        assert_eq!(error.location().file.as_deref(), Some(out.as_path()), "{ending}");
        assert_eq!(std::fs::read_to_string(&out).unwrap(), "what was there", "{ending}");
        assert_eq!(files(folder.path()), [out], "{ending}: nothing is left behind");
    }
}
