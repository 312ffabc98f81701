//! Packed files are read in place and written; files that are not what their names say are told so.

use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use velvet_peg::{
    Crs, Format, Geometry, Layer, LayerReader, TextDialect, WriteOptions, declare, format_of,
    look::{Look, LookOptions, look},
};
use zip::write::SimpleFileOptions;

fn gates() -> Layer {
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    for (x, y) in [(-120.0, 47.5), (-120.25, 47.75)] {
        layer.push(Geometry::Point((x, y)), [("gate", "G-é".into())]).unwrap();
    }
    layer
}

fn vertices(path: &Path) -> Vec<Vec<(f64, f64)>> {
    let layer = Layer::read(path).unwrap_or_else(|error| panic!("{error}"));
    let mut all: Vec<Vec<(f64, f64)>> = layer.features().map(|f| f.vertices()).collect();
    all.sort_by(|one, two| two.partial_cmp(one).unwrap());
    all
}

fn zip_of(path: &Path, files: &[(&str, &[u8])]) {
    let mut writer = zip::ZipWriter::new(fs::File::create(path).unwrap());
    for (name, bytes) in files {
        writer.start_file(*name, SimpleFileOptions::default()).unwrap();
        writer.write_all(bytes).unwrap();
    }
    writer.finish().unwrap();
}

#[test]
fn every_format_is_packed_and_read_in_place() {
    let folder = tempfile::tempdir().unwrap();
    let wanted = [vec![(-120.0, 47.5)], vec![(-120.25, 47.75)]];
    for format in Format::all().filter(|format| format.capability().writes) {
        let extension = format.capability().extensions[0];
        for packing in ["zip", "gz", "zst"] {
            let path = folder.path().join(format!("{extension}.{extension}.{packing}"));
            let written = gates().write(&path);
            if extension == "shp" && packing != "zip" {
                assert!(written.unwrap_err().to_string().contains("pack them in a .zip"));
                assert!(!path.exists());
                continue;
            }
            if extension == "dbf" && packing != "zip" {
                assert!(written.is_err(), "a table and its side file are two");
                continue;
            }
            written.unwrap_or_else(|error| panic!("{error}"));
            assert_eq!(format_of(&path).unwrap(), format, "{}", path.display());
            match look(&path, &LookOptions::default()).unwrap() {
                Look::Table(table) => assert_eq!(table.rows, 2, "{}", path.display()),
                _ => assert_eq!(vertices(&path), wanted, "{}", path.display()),
            }
            // By its content, where the name says nothing of it.
            let bare = folder.path().join("bare");
            fs::copy(&path, &bare).unwrap();
            if extension != "dbf" {
                assert_eq!(format_of(&bare).unwrap(), format, "{}", path.display());
                assert!(look(&bare, &LookOptions::default()).is_ok(), "{}", path.display());
            }
        }
    }
    let left: Vec<PathBuf> =
        fs::read_dir(folder.path()).unwrap().map(|entry| entry.unwrap().path()).collect();
    let hidden = |path: &PathBuf| path.file_name().unwrap().to_string_lossy().starts_with('.');
    assert!(!left.iter().any(hidden), "nothing is left beside them: {left:?}");
}

#[test]
fn packed_files_are_what_other_programs_take() {
    let folder = tempfile::tempdir().unwrap();
    let shapes = folder.path().join("gates.shp.zip");
    gates().write(&shapes).unwrap();
    let mut archive = zip::ZipArchive::new(fs::File::open(&shapes).unwrap()).unwrap();
    let mut names: Vec<String> = (0..archive.len())
        .map(|at| archive.by_index(at).unwrap().name().unwrap().to_string())
        .collect();
    names.sort();
    assert_eq!(names, ["gates.cpg", "gates.dbf", "gates.prj", "gates.shp", "gates.shx"]);
    let kmz = folder.path().join("gates.kmz");
    gates().write(&kmz).unwrap();
    let mut archive = zip::ZipArchive::new(fs::File::open(&kmz).unwrap()).unwrap();
    let mut text = String::new();
    archive.by_name("doc.kml").unwrap().read_to_string(&mut text).unwrap();
    assert!(text.contains("<Placemark>"));
    let plain = folder.path().join("gates.csv.gz");
    gates().write(&plain).unwrap();
    let mut text = String::new();
    flate2::read::GzDecoder::new(fs::File::open(&plain).unwrap())
        .read_to_string(&mut text)
        .unwrap();
    assert!(text.starts_with("gate,lon,lat\n"));
    // The same content gives the same bytes.
    for name in ["gates.shp.zip", "gates.kmz", "gates.csv.gz"] {
        let again = folder.path().join(format!("again-{name}"));
        let first = fs::read(folder.path().join(name)).unwrap();
        fs::rename(folder.path().join(name), &again).unwrap();
        gates().write(folder.path().join(name)).unwrap();
        assert!(first == fs::read(folder.path().join(name)).unwrap(), "{name}");
    }
}

/// An archive, the files that it holds, the one that is asked for, and what comes of it.
type ArchiveCase<'a> = (&'a str, Vec<(&'a str, &'a [u8])>, &'a str, Result<usize, &'a str>);

#[test]
fn the_file_that_is_meant_is_found_in_an_archive() {
    let folder = tempfile::tempdir().unwrap();
    let json =
        br#"{"type":"Feature","properties":{},"geometry":{"type":"Point","coordinates":[1,2]}}"#;
    let shapes = folder.path().join("s.shp");
    gates().write(&shapes).unwrap();
    let part = |extension: &str| fs::read(shapes.with_extension(extension)).unwrap();
    let (shp, dbf, shx) = (part("shp"), part("dbf"), part("shx"));
    let table: &[u8] = b"gate,lon,lat\n1,2,3\n2,3,4\n";
    let kml: &[u8] = b"<kml xmlns=\"http://www.opengis.net/kml/2.2\"><Placemark><Point><coordinates>1,2</coordinates></Point></Placemark></kml>";
    let cases: Vec<ArchiveCase<'_>> = vec![
        ("one.zip", vec![("a/b.geojson", json), ("readme.md", b"x")], "", Ok(1)),
        ("table beside.zip", vec![("b.geojson", json), ("notes.txt", table)], "", Ok(1)),
        ("shapes.zip", vec![("X/S.SHP", &shp), ("X/S.DBF", &dbf), ("X/S.SHX", &shx)], "", Ok(2)),
        (
            "hidden.zip",
            vec![("__MACOSX/b.geojson", json), (".b.geojson", json), ("b.geojson", json)],
            "",
            Ok(1),
        ),
        (
            "two.zip",
            vec![("a.geojson", json), ("b.geojson", json)],
            "",
            Err("holds 2 files that are read: `a.geojson`, `b.geojson`"),
        ),
        ("two.zip", vec![], "b.geojson", Ok(1)),
        ("two.zip", vec![], "c.geojson", Err("has no file `c.geojson`: it holds `a.geojson`")),
        ("nothing.zip", vec![], "", Err("holds no file that is read here")),
        ("outside.zip", vec![("../../b.geojson", json)], "", Ok(1)),
        (
            "places.kmz",
            vec![("extra.kml", kml), ("doc.kml", kml), ("files/a.png", b"x")],
            "",
            Ok(1),
        ),
    ];
    for (name, files, member, wanted) in cases {
        let path = folder.path().join(name);
        if !path.exists() {
            zip_of(&path, &files);
        }
        let path = if member.is_empty() { path } else { path.join(member) };
        match (Layer::read(&path), wanted) {
            (Ok(layer), Ok(count)) => assert_eq!(layer.len(), count, "{name}"),
            (Err(error), Err(says)) => assert!(error.to_string().contains(says), "{name}: {error}"),
            (found, _) => panic!("{name}: {found:?}"),
        }
    }
    assert!(!folder.path().parent().unwrap().join("b.geojson").exists());
}

#[test]
fn damage_and_refusals_leave_what_was_there() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["g.geojson.gz", "g.geojson.zst", "g.shp.zip", "g.gpkg.zip"] {
        let path = folder.path().join(name);
        gates().write(&path).unwrap();
        let whole = fs::read(&path).unwrap();
        let cut = folder.path().join(format!("cut-{name}"));
        fs::write(&cut, &whole[..whole.len() - 60]).unwrap();
        assert!(Layer::read(&cut).is_err(), "{name}");
        let options =
            |append, overwrite| WriteOptions { append, overwrite, ..WriteOptions::default() };
        let error = gates().write_with(&path, &options(true, false)).unwrap_err().to_string();
        assert!(error.contains("nothing is added to packed files"), "{name}: {error}");
        assert!(gates().write(&path).unwrap_err().to_string().contains("exists already"), "{name}");
        let over = gates().write_with(&path, &options(false, true));
        match name {
            "g.gpkg.zip" => {
                assert!(over.unwrap_err().to_string().contains("replaced as a whole"));
                let whole = WriteOptions { replace_file: true, ..WriteOptions::default() };
                gates().write_with(&path, &whole).unwrap();
            }
            _ => drop(over.unwrap()),
        }
        assert_eq!(vertices(&path).len(), 2, "{name}");
        let (reader, crs) =
            (LayerReader::open(&path, None).unwrap(), Crs::from_epsg(4269).unwrap());
        if name != "g.geojson.gz" && name != "g.geojson.zst" {
            let error = declare(&reader, &crs, &path, &options(false, true)).unwrap_err();
            assert!(error.to_string().contains("not changed in place"), "{name}: {error}");
        }
    }
    let text = TextDialect { crlf: true, ..TextDialect::default() };
    let path = folder.path().join("t.csv.gz");
    gates().write_with(&path, &WriteOptions { text, ..WriteOptions::default() }).unwrap();
    assert!(matches!(look(&path, &LookOptions::default()).unwrap(), Look::Table(_)));
    let error = gates().write(folder.path().join("what.zip")).unwrap_err().to_string();
    assert!(error.contains("names no format"), "{error}");
}

/// The bytes of a text in which some are written as escapes.
fn bytes_of(text: &str) -> Vec<u8> {
    let (mut bytes, mut rest) = (Vec::new(), text);
    while let Some(c) = rest.chars().next() {
        rest = &rest[c.len_utf8()..];
        match (c, rest.as_bytes().first()) {
            ('\\', Some(b'0')) => bytes.push(0),
            ('\\', Some(b'n')) => bytes.push(b'\n'),
            ('\\', Some(b'r')) => bytes.push(b'\r'),
            ('\\', Some(b'x')) => {
                bytes.push(u8::from_str_radix(&rest[1..3], 16).unwrap());
                rest = &rest[2..];
            }
            _ => {
                bytes.extend(c.to_string().bytes());
                continue;
            }
        }
        rest = &rest[1..];
    }
    bytes
}

#[test]
fn files_that_are_something_else_are_told_what_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/foreign.csv");
    for row in csv::Reader::from_path(data).unwrap().records() {
        let row = row.unwrap();
        let path = folder.path().join(&row[0]);
        fs::write(&path, bytes_of(&row[1])).unwrap();
        let error = look(&path, &LookOptions::default()).map(drop).unwrap_err();
        assert!(error.is_data(), "{row:?}: {error}");
        assert!(error.to_string().contains(&row[2]), "{row:?}: {error}");
    }
    let database = folder.path().join("parcels.gdb");
    fs::create_dir(&database).unwrap();
    fs::write(database.join("a00000001.gdbtable"), b"x").unwrap();
    let error = look(&database, &LookOptions::default()).map(drop).unwrap_err().to_string();
    assert!(error.contains("without an open specification"), "{error}");
}
