//! Files that are cut short or have a byte turned: refused or read in part, never a panic,
//! never more than there was, never an output beside an error.

use std::fs;
use std::path::Path;
use velvet_peg::look::LookOptions;
use velvet_peg::{
    BuildPoints, ConvertLayer, Crs, Layer, LayerReader, Result, Summary, format_of, look,
};

fn crs(code: u32) -> Crs {
    Crs::from_epsg(code).unwrap()
}

fn convert(path: &Path, out: &Path) -> Result<Summary> {
    let _ = look(path, &LookOptions::default());
    if format_of(path)?.is_table() {
        let mut points = BuildPoints::in_system(crs(4326));
        points.columns.x = Some("longitude".into());
        points.columns.y = Some("latitude".into());
        return points.run(path, out);
    }
    let mut reader = LayerReader::open(path, None)?;
    if reader.info().crs.is_none() {
        reader.assume(crs(4326));
    }
    let convert = ConvertLayer { target: Some(crs(32610)), ..ConvertLayer::default() };
    convert.run(&reader, out)
}

/// The demo's file whole, cut at every percent of its length, and with one byte turned at a
/// hundred places.
fn damaged(whole: &[u8]) -> Vec<(String, Vec<u8>)> {
    let cuts = (0..100).map(|percent| {
        (format!("cut at {percent} %"), whole[..whole.len() * percent / 100].to_vec())
    });
    let turned = (0..100).map(|n| {
        let mut bytes = whole.to_vec();
        // Steps of the golden ratio: spread without a pattern.
        let at = (whole.len() as f64 * (n as f64 * 0.618_033_988_749_895).fract()) as usize;
        bytes[at] ^= if n % 2 == 0 { 0xff } else { 0x04 };
        (format!("byte {at} turned"), bytes)
    });
    cuts.chain(turned).collect()
}

#[test]
fn damaged_files_are_refused_or_read_in_part() {
    let folder = tempfile::tempdir().unwrap();
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("demo");
    let fields = folder.path().join("fields.gpkg");
    convert(&demo.join("fields.geojson"), &fields).unwrap();
    // A table goes on behind a bad row; of the others every cut is refused.
    let mut files = vec![
        (demo.join("headgates.csv"), 1..=10),
        (demo.join("laterals.geojson"), 100..=199),
        (fields.clone(), 100..=199),
    ];
    let gates = folder.path().join("gates.gpkg");
    convert(&demo.join("headgates.csv"), &gates).unwrap();
    for (extension, refusals) in [
        ("geojsonl", 1..=20),
        ("fgb", 100..=199),
        ("parquet", 100..=199),
        ("kml", 100..=199),
        ("gpx", 100..=199),
        ("dxf", 100..=199),
        ("xml", 100..=199),
        ("xlsx", 100..=199),
        ("shp", 1..=60),
    ] {
        let path = folder.path().join(format!("gates.{extension}"));
        Layer::read(&gates).unwrap().write(&path).unwrap();
        files.push((path, refusals));
    }
    let collection: String = (1..=12)
        .map(|n| {
            format!(
                "<gml:featureMember><t:gate gml:id='g.{n}'><t:name>Gate {n}</t:name><t:at><gml:Point \
                 srsName='EPSG:4326'><gml:pos>-120.{n} 47.{n}</gml:pos></gml:Point></t:at></t:gate>\
                 </gml:featureMember>"
            )
        })
        .collect();
    let path = folder.path().join("gates.gml");
    let spaces = "xmlns:gml='http://www.opengis.net/gml/3.2' xmlns:t='urn:t'";
    fs::write(&path, format!("<t:Gates {spaces}>{collection}</t:Gates>")).unwrap();
    files.push((path, 100..=199));
    for (whole, refusals) in files {
        let name = whole.file_name().unwrap();
        let path = folder.path().join("damaged").with_extension(whole.extension().unwrap());
        for side in ["dbf", "shx", "prj", "cpg"] {
            if name.to_string_lossy().ends_with(".shp") {
                fs::copy(whole.with_extension(side), path.with_extension(side)).unwrap();
            }
        }
        let rows = {
            let room = tempfile::tempdir().unwrap();
            convert(&whole, &room.path().join("out.gpkg")).unwrap().rows_in
        };
        let mut refused = 0;
        for (damage, bytes) in damaged(&fs::read(&whole).unwrap()) {
            fs::write(&path, bytes).unwrap();
            let room = tempfile::tempdir().unwrap();
            let out = room.path().join("out.gpkg");
            match convert(&path, &out) {
                Ok(outcome) => {
                    assert_eq!(outcome.out + outcome.rejected.count, outcome.rows_in);
                    // A turned byte can be a line break, or take one away.
                    assert!(outcome.rows_in <= rows + 1, "{name:?} {damage}: {outcome:?}");
                }
                Err(error) => {
                    refused += 1;
                    assert!(!out.exists(), "{name:?} {damage}: an output beside {error}");
                    let text = error.to_string();
                    assert!(text.contains("damaged."), "{name:?} {damage}: no file in `{text}`");
                }
            }
        }
        assert!(refusals.contains(&refused), "{name:?}: {refused} refused");
    }
}

#[test]
fn a_stray_cell_far_away_is_named_and_does_not_take_the_memory() {
    use rust_xlsxwriter::Workbook;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.xlsx");
    // Beside the table and far below: told. In the first rows and far below: a table of holes.
    for (cells, refused, told) in [
        (vec![(1_048_575, 16_383)], false, true),
        (vec![(1_048_575, 1)], false, false),
        (vec![(2, 16_383), (1_048_575, 1)], true, false),
    ] {
        let mut book = Workbook::new();
        let sheet = book.add_worksheet().set_name("Gates").unwrap();
        for (at, name) in ["longitude", "latitude"].into_iter().enumerate() {
            sheet.write(0, at as u16, name).unwrap();
        }
        sheet.write(1, 0, -120.5).unwrap();
        sheet.write(1, 1, 46.5).unwrap();
        for (row, column) in cells {
            sheet.write(row, column, 7).unwrap();
        }
        book.save(&path).unwrap();
        let looked = look(&path, &LookOptions::default());
        match looked {
            Ok(look::Look::Table(table)) => {
                assert!(!refused);
                let beside = |n: &velvet_peg::Notice| {
                    n.text.contains("1, the first XFD1048576. They are not read")
                };
                assert_eq!(table.notices.iter().any(beside), told, "{:?}", table.notices);
            }
            Ok(_) => panic!("no table"),
            Err(error) => {
                assert!(refused, "{error}");
                let text = error.to_string();
                assert!(text.contains("sheet Gates") && text.contains("XFD3"), "{text}");
            }
        }
        let converted = convert(&path, &folder.path().join(format!("out-{told}-{refused}.gpkg")));
        assert_eq!(converted.is_err(), refused, "{converted:?}");
    }
}
