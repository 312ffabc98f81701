//! Inputs that another program changes between being opened and being read.

use std::fs::{self, File};
use std::io::Write;
use std::path::Path;
use velvet_peg::raster::RasterReader;
use velvet_peg::table::{TableFile, TableOptions};
use velvet_peg::{Layer, LayerReader, Result};

/// Opens a file, has it changed, and reads it.
type Read = fn(&Path, &dyn Fn()) -> Result<()>;

fn layer(path: &Path, change: &dyn Fn()) -> Result<()> {
    let reader = LayerReader::open(path, None)?;
    assert_eq!(reader.read()?.len(), 16);
    change();
    reader.read().map(drop)
}

fn opened(path: &Path) -> Result<TableFile> {
    let sheets = match path.extension().is_some_and(|extension| extension == "xlsx") {
        true => vec!["Owners".to_string()],
        false => Vec::new(),
    };
    TableFile::open(path, &TableOptions { sheets, ..TableOptions::default() })
}

fn table(path: &Path, change: &dyn Fn()) -> Result<()> {
    let table = opened(path)?;
    assert!(table.rows()?.all(|row| row.is_ok()));
    change();
    table.rows()?.try_for_each(|row| row.map(drop))
}

/// While its rows are read.
fn rows(path: &Path, change: &dyn Fn()) -> Result<()> {
    let table = opened(path)?;
    let mut rows = table.rows()?;
    rows.next().unwrap()?;
    change();
    rows.try_for_each(|row| row.map(drop))
}

fn raster(path: &Path, change: &dyn Fn()) -> Result<()> {
    let raster = RasterReader::open(path)?;
    raster.window(0, 0, 1, 1)?;
    change();
    raster.window(0, 0, raster.info().columns, 1).map(drop)
}

const FILES: &[(&str, Read)] = &[
    ("fields.geojson", layer),
    ("out.geojsonl", layer),
    ("out.gpkg", layer),
    ("out.fgb", layer),
    ("out.parquet", layer),
    ("out.shp", layer),
    ("out.kml", layer),
    ("out.kmz", layer),
    ("headgates.csv", table),
    ("headgates.csv", rows),
    ("register.xlsx", table),
    ("register.xlsx", rows),
    ("out.dbf", table),
    ("district-1951.tif", raster),
    ("heights.asc", raster),
];

type Change = fn(&Path);

/// What another program may do to a file.
const CHANGES: &[(&str, Change)] = &[
    ("grown", |path| File::options().append(true).open(path).unwrap().write_all(b"\n").unwrap()),
    ("cut", |path| {
        let file = File::options().write(true).open(path).unwrap();
        file.set_len(file.metadata().unwrap().len() / 2).unwrap();
    }),
    ("written anew", |path| fs::write(path, fs::read(path).unwrap()).unwrap()),
    ("gone", |path| fs::remove_file(path).unwrap()),
];

#[test]
fn what_was_changed_since_it_was_opened_is_told_and_not_mixed() {
    let folder = tempfile::tempdir().unwrap();
    velvet_peg::demo::lay_out(folder.path(), false).unwrap();
    let fields = Layer::read(folder.path().join("fields.geojson")).unwrap();
    for (name, read) in FILES {
        let path = folder.path().join(name);
        if !path.exists() {
            fields.write(&path).unwrap();
        }
        let bytes = fs::read(&path).unwrap();
        read(&path, &|| {}).unwrap_or_else(|error| panic!("{name}: {error}"));
        // What is packed is unpacked once, and read from there.
        let packed = name.ends_with(".kmz");
        for (how, change) in CHANGES {
            let told = match read(&path, &|| change(&path)) {
                Ok(()) => "nothing".to_string(),
                Err(error) => error.to_string(),
            };
            let changed = told.contains("was changed by another program while it was read");
            assert!(changed != packed && (packed || told.contains(name)), "{name} {how}: {told}");
            fs::write(&path, &bytes).unwrap();
        }
    }
    // The attributes of a Shapefile are a file beside it; what merely tells of it may be declared anew.
    for (part, changed) in [("dbf", true), ("prj", false)] {
        let part = folder.path().join("out").with_extension(part);
        let read = layer(&folder.path().join("out.shp"), &|| {
            fs::write(&part, fs::read(&part).unwrap()).unwrap();
        });
        assert_eq!(read.is_err(), changed, "{}", part.display());
    }
}
