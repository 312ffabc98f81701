//! The inputs that the search begins with. All are made of the demo's data and of texts of the documentation.

use std::error::Error;
use std::path::Path;
use velvet_peg::convert::ConvertLayer;
use velvet_peg::raster::{ConvertRaster, RasterReader};
use velvet_peg::{Crs, LayerReader, Selection, WriteOptions, definition, demo};

type Done = Result<(), Box<dyn Error>>;

const ANGLES: &[&str] = &[
    "47°24'30.5\"N",
    "W120 00 15",
    "-120.0041667",
    "47d24m30s",
    "120:00:15.2W",
    "1202415.5",
    "47,5°",
];
const REFERENCES: &[&str] = &[
    "EPSG:2285",
    "urn:ogc:def:crs:EPSG::4326",
    "EPSG:4269+EPSG:5703",
    "washington south feet",
    "nad83 utm 11",
    "OGC:CRS84",
    "douglas county washington",
    "lambert 93",
];
const POSITIONS: &[&str] = &[
    "47.41, -120.0",
    "47°24'30\"N 120°00'15\"W",
    "10T 726010 5254894",
    "N 155850.12 E 1832900.45",
    "47 24 30.5 N, 120 0 15 W",
];
const SQUARES: &[&str] = &["10T GT 26010 54894", "11TKM8", "A ZN 12345 67890", "31UDQ4825111932"];
const SHAPES: &[&str] = &[
    "POINT (1 2)",
    "POINT Z (1 2 3)",
    "LINESTRING M (0 0 1, 5 5 2)",
    "POLYGON ((0 0, 4 0, 4 4, 0 0), (1 1, 2 1, 2 2, 1 1))",
    "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))",
    "GEOMETRYCOLLECTION (POINT (1 1), LINESTRING (0 0, 1 1))",
    "CIRCULARSTRING (0 0, 1 1, 2 0)",
    "CURVEPOLYGON (COMPOUNDCURVE ((0 0, 1 0), CIRCULARSTRING (1 0, 2 1, 0 0)))",
    "POINT EMPTY",
];
const CONDITIONS: &[&str] = &[
    "cfs > 2 AND gate LIKE 'G-%'\nacres = Acres(ST_Area(geometry))",
    "cfs BETWEEN 1 AND 3 OR gate IS NULL\na = CASE WHEN cfs > 1 THEN 'x' ELSE gate END",
    "ST_X(geometry) > 280000\nn = Round(cfs * 1.5, 1)\nt = Upper(gate) || '!'",
    "NOT (cfs IN (1, 2, 3))",
];
const COURSES: &[&str] = &[
    "A,N 45-30-15 E,100.5,,,\nA,S45E,100,,,\nA,270,141.4,,,\n",
    "B,90,50,100,45-00-00,R\nB,N10W,20,,,\nB,S,10,,,\n",
];

/// Features as the target puts them together of bytes.
const FEATURES: &[(&str, &[u8])] = &[
    ("square", &[2, 0x22, 0x82, 0x88, 0x28, 145]),
    ("hole", &[2, 0x00, 0xE0, 0xEE, 0x0E, 131, 0x22, 0x82, 0x88, 0x28, 145]),
    ("lines", &[0, 0x22, 0x88, 0xEE, 133, 0x2E, 0xE2, 133]),
    ("points", &[1, 0x22, 0x88, 0xEE, 153]),
    ("neighbours", &[2, 0x22, 0x82, 0x88, 0x28, 137, 0x82, 0xE2, 0xE8, 0x88, 137]),
    ("antimeridian", &[2, 1, 2, 5, 1, 3, 6, 1, 9, 5, 145]),
];

macro_rules! files {
    ($($target:literal $file:literal)*) => {
        &[$(($target, $file, include_bytes!(concat!("../../crates/velvet-peg/tests/data/", $file)))),*]
    };
}

/// Files that other programs wrote.
const OF_OTHER_HANDS: &[(&str, &str, &[u8])] = files! {
    "xls" "gates.xls"
    "ods" "gates.ods"
    "xlsx" "register.xlsx"
    "dbf" "gates.dbf"
    "gml" "fields.gml"
    "topojson" "districts.topojson"
    "gpx" "track.gpx"
    "kml" "places.kml"
    "landxml" "survey.xml"
    "dxf" "plan.dxf"
    "geojson-lines" "gates.geojsonl"
    "nmea" "fixes.nmea"
    "geoparquet" "native-points.parquet"
    "geoparquet" "native-polygons.parquet"
    "geoparquet" "wkb-lines.parquet"
};

/// Rasters among them.
const RASTERS_OF_OTHER_HANDS: &[(&str, &str, &[u8])] = files! {
    "raster" "rasters/grey.jpg"
    "raster" "rasters/fax.tif"
    "raster" "rasters/jpeg-tiles.tif"
    "raster" "rasters/lzw-tiles.tif"
    "raster" "rasters/planes-msb.tif"
    "raster" "rasters/interlaced.png"
};

fn put(folder: &Path, target: &str, name: &str, bytes: &[u8]) -> Done {
    let folder = folder.join(target);
    std::fs::create_dir_all(&folder)?;
    std::fs::write(folder.join(name), bytes)?;
    Ok(())
}

/// Several inputs in one, as the targets take them apart.
fn joined(parts: &[&[u8]], last: &[u8]) -> Vec<u8> {
    let mut all = Vec::new();
    for part in parts {
        all.extend(u16::try_from(part.len()).unwrap_or(0).to_le_bytes());
        all.extend(if part.len() <= usize::from(u16::MAX) { part } else { &[][..] });
    }
    all.extend(last);
    all
}

/// Lays them out in a folder, with a folder of its own for each target.
pub fn lay_out(to: &Path) -> Done {
    let work = tempfile::tempdir()?;
    demo::lay_out(work.path(), false)?;
    let at = |name: &str| work.path().join(name);
    let read = |name: &str| std::fs::read(at(name));
    for (target, texts) in [
        ("angle", ANGLES),
        ("reference", REFERENCES),
        ("coordinates", POSITIONS),
        ("grid-reference", SQUARES),
        ("wkt", SHAPES),
        ("sql", CONDITIONS),
        ("deed", COURSES),
    ] {
        for (number, text) in texts.iter().enumerate() {
            put(to, target, &number.to_string(), text.as_bytes())?;
        }
    }
    for (name, bytes) in FEATURES {
        put(to, "geometry", name, bytes)?;
    }
    put(to, "wkb", "point", &[1, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 240, 63, 0, 0, 0, 0, 0, 0, 0, 64])?;
    let line = [&[1, 2, 0, 0, 0, 2, 0, 0, 0][..], &[0; 32]].concat();
    put(to, "wkb", "line", &line)?;
    put(to, "wkb", "collection", &[&[1, 7, 0, 0, 0, 1, 0, 0, 0][..], &line].concat())?;
    for code in [2285, 4326, 32611, 27700, 3857, 5703, 4978, 2056] {
        let crs = Crs::from_epsg(code)?;
        let texts = [definition::wkt2(&crs), definition::json(&crs).map(|json| json.to_string())];
        for (number, text) in texts.into_iter().flatten().enumerate() {
            put(to, "definition", &format!("{code}-{number}"), text.as_bytes())?;
        }
    }
    put(to, "definition", "prj", &read("turnouts.prj")?)?;
    put(to, "definition", "prj-27", &read("heights.prj")?)?;
    for name in ["headgates.csv", "beats.csv", "old-weirs.csv", "yard-pegs.csv", "turnouts.csv"] {
        if let Ok(bytes) = read(name) {
            put(to, "delimited", name, &bytes)?;
        }
    }
    put(to, "xlsx", "register", &read("register.xlsx")?)?;
    put(to, "dbf", "turnouts", &read("turnouts.dbf")?)?;
    let parts = [read("turnouts.shp")?, read("turnouts.dbf")?, read("turnouts.shx")?];
    let [shp, dbf, shx] = parts.each_ref().map(Vec::as_slice);
    put(to, "shapefile", "turnouts", &joined(&[shp, dbf, shx], &read("turnouts.prj")?))?;
    put(to, "job", "tumblewick", &read("tumblewick.toml")?)?;
    // A few features in each format that is written.
    let few = Selection { condition: Some("field < 'F-04'".to_string()), ..Selection::default() };
    let layers =
        [("fields.geojson", Some(few)), ("laterals.geojson", None), ("turnouts.shp", None)];
    for (file, select) in layers {
        let reader = LayerReader::open(&at(file), None)?;
        for (target, ending) in [
            ("geojson", "geojson"),
            ("geojson-lines", "geojsonl"),
            ("geopackage", "gpkg"),
            ("flatgeobuf", "fgb"),
            ("geoparquet", "parquet"),
            ("kml", "kml"),
            ("kmz", "kmz"),
            ("gpx", "gpx"),
            ("dxf", "dxf"),
            ("landxml", "xml"),
            ("delimited", "csv"),
            ("xlsx", "xlsx"),
        ] {
            let out = at(&format!("seed.{ending}"));
            let convert = ConvertLayer {
                select: select.clone().unwrap_or_default(),
                write: WriteOptions { overwrite: true, ..WriteOptions::default() },
                ..ConvertLayer::default()
            };
            match convert.run(&reader, &out) {
                Ok(_) => put(to, target, &file.replace('.', "-"), &std::fs::read(&out)?)?,
                // Not every format holds every kind of feature.
                Err(error) => eprintln!("{file} as .{ending}: {error}"),
            }
        }
    }
    put(to, "gml", "small", include_bytes!("../seeds/small.gml"))?;
    put(to, "topojson", "small", include_bytes!("../seeds/small.topojson"))?;
    put(to, "arrow", "small", include_bytes!("../seeds/small.arrow"))?;
    for (target, name, bytes) in OF_OTHER_HANDS {
        put(to, target, name, bytes)?;
    }
    for (target, name, bytes) in RASTERS_OF_OTHER_HANDS {
        put(to, target, &name.replace('/', "-"), &joined(&[&[], &[]], bytes))?;
    }
    put(to, "raster", "grid", &joined(&[&[], &[]], b"ncols 3\nnrows 2\nxllcorner 500000\nyllcorner 5250000\ncellsize 10\n1 2 3\n4 5 -9999\n"))?;
    let mut small = RasterReader::open(&at("heights.asc"))?;
    small.assume(Crs::from_epsg(26711)?);
    for (name, file) in [("heights", "heights.tif"), ("png", "sheet.png")] {
        let source = if name == "png" {
            RasterReader::open(&at("district-1951.tif"))?
        } else {
            RasterReader::open(&at("heights.asc"))?
        };
        let extent = velvet_peg::Bounds {
            west: 270_000.0,
            south: 5_254_000.0,
            east: 270_300.0,
            north: 5_254_300.0,
        };
        let part =
            ConvertRaster { extent: Some(extent), overwrite: true, ..ConvertRaster::default() };
        part.run(&source, &at(file))?;
        let world = if name == "png" { read("sheet.pgw")? } else { Vec::new() };
        put(to, "raster", name, &joined(&[&world, &[]], &read(file)?))?;
    }
    put(to, "grid-file", "gtx", &[&[5u8][..], &[0; 40], &[63, 128, 0, 0].repeat(4)].concat())?;
    put(
        to,
        "grid-file",
        "ascii",
        &[&[12u8][..], b"ncols 2\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 1\n1 2\n3 4\n"]
            .concat(),
    )?;
    put(
        to,
        "columns",
        "some",
        &[&[0u8, 3][..], &(-120f64).to_le_bytes(), &47f64.to_le_bytes()].concat(),
    )?;
    Ok(())
}
