//! Texts of tables of attributes: in any code page, and beside the table.

use std::fs;
use std::path::{Path, PathBuf};
use velvet_peg::table::{TableFile, TableOptions};
use velvet_peg::{Crs, Geometry, Layer, LayerReader, ReadOptions};

/// A table of one record as another program would write it: the first byte, the mark, and the fields
/// with their letter and content.
fn dbf(version: u8, mark: u8, fields: &[(&[u8], u8, &[u8])]) -> Vec<u8> {
    let size = 1 + fields.iter().map(|(.., content)| content.len()).sum::<usize>();
    let mut bytes = vec![version, 126, 5, 1, 1, 0, 0, 0];
    bytes.extend(((32 + 32 * fields.len() + 1) as u16).to_le_bytes());
    bytes.extend((size as u16).to_le_bytes());
    bytes.resize(32, 0);
    bytes[29] = mark;
    for (name, letter, content) in fields {
        let mut entry = [0; 32];
        entry[..name.len()].copy_from_slice(name);
        (entry[11], entry[16]) = (*letter, content.len() as u8);
        bytes.extend(entry);
    }
    bytes.extend(b"\r ");
    fields.iter().for_each(|(.., content)| bytes.extend(*content));
    bytes.push(0x1a);
    bytes
}

/// The first row of a table, and what was said of it.
fn row(path: &Path, encoding: Option<&str>) -> Result<(Vec<String>, String), String> {
    let options = TableOptions { encoding: encoding.map(String::from), ..TableOptions::default() };
    let table = TableFile::open(path, &options).map_err(|error| error.to_string())?;
    let said: Vec<&str> = table.notices().iter().map(|notice| notice.text.as_str()).collect();
    let row = table.rows().unwrap().next().unwrap().unwrap();
    let texts = (0..row.len()).map(|at| row.text(at).unwrap().to_string()).collect();
    Ok((texts, said.join("\n")))
}

fn unhex(text: &str) -> Vec<u8> {
    let pair = |at: usize| u8::from_str_radix(&text[at..at + 2], 16).unwrap();
    (0..text.len()).step_by(2).map(pair).collect()
}

#[test]
fn texts_are_read_in_the_code_page_that_is_stated() {
    let folder = tempfile::tempdir().unwrap();
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/code_pages.csv");
    for (line, case) in csv::Reader::from_path(data).unwrap().records().enumerate() {
        let case = case.unwrap();
        let stem = folder.path().join(format!("t{line}"));
        let content = unhex(&case[3]);
        let mark = u8::from_str_radix(&case[0], 16).unwrap();
        let table = dbf(3, mark, &[(&content[..content.len().min(10)], b'C', &content)]);
        // Alone, and as the attributes of a Shapefile.
        let mut shapes = Layer::new("t", Some(Crs::from_epsg(32610).unwrap()));
        shapes.push(Geometry::Point((1.0, 2.0)), [("n", 1.into())]).unwrap();
        shapes.write(stem.with_extension("shp")).unwrap();
        let path = stem.with_extension("dbf");
        fs::write(&path, table).unwrap();
        match &case[1] {
            "" => fs::remove_file(stem.with_extension("cpg")).unwrap(),
            label => fs::write(stem.with_extension("cpg"), format!("{label}\r\n")).unwrap(),
        }
        let asked = Some(&case[2]).filter(|asked| !asked.is_empty());
        let (texts, said) = row(&path, asked).unwrap();
        assert_eq!(texts, [&case[4]], "{case:?}");
        match &case[5] {
            "" => assert_eq!(said, "", "{case:?}"),
            wanted => assert!(said.contains(wanted), "{case:?}: {said}"),
        }
        let mut options = ReadOptions::default();
        options.encoding = asked.map(String::from);
        let reader = LayerReader::open_with(&stem.with_extension("shp"), None, &options).unwrap();
        let layer = reader.read().unwrap();
        let value = layer.features().next().unwrap();
        let name = layer.info().schema.field(0).name().clone();
        assert_eq!(value.value(&name), Some(case[4].into()), "{case:?}");
        let told = reader.notices.iter().any(|notice| notice.text.contains("code page"));
        assert_eq!(told, !case[5].is_empty(), "{case:?}");
    }
    let path = folder.path().join("t0.dbf");
    let error = row(&path, Some("klingon")).unwrap_err();
    assert!(error.contains("`klingon` is not the name of a code page"), "{error}");
}

/// Texts beside a table in each of the three layouts: short, long, none, and of a block that is not
/// there.
#[test]
fn texts_beside_a_table_are_read() {
    let folder = tempfile::tempdir().unwrap();
    let long = "Schieber n\u{f6}rdlich. ".repeat(60);
    let texts = [b"short\r\nof two lines".to_vec(), encode(&long)];
    for (name, version, side, block) in
        [("three", 0x83, "dbt", 512), ("four", 0x8b, "dbt", 1024), ("fox", 0xf5, "fpt", 64)]
    {
        let mut memo = vec![0u8; 512.max(block)];
        match side {
            "fpt" => memo[6..8].copy_from_slice(&(block as u16).to_be_bytes()),
            _ => memo[20..22].copy_from_slice(&(block as u16).to_le_bytes()),
        }
        let mut blocks = Vec::new();
        for text in &texts {
            memo.resize(memo.len().div_ceil(block) * block, 0);
            blocks.push(memo.len() / block);
            match (side, version) {
                ("fpt", _) => {
                    memo.extend(1u32.to_be_bytes());
                    memo.extend((text.len() as u32).to_be_bytes());
                    memo.extend(text);
                }
                (_, 0x8b) => {
                    memo.extend([0xff, 0xff, 8, 0]);
                    memo.extend((text.len() as u32 + 8).to_le_bytes());
                    memo.extend(text);
                }
                _ => {
                    memo.extend(text);
                    memo.extend([0x1a, 0x1a]);
                }
            }
        }
        memo.resize(memo.len() + 600, 0);
        let digits = |block: usize| format!("{block:>10}").into_bytes();
        let (first, second, gone) = (digits(blocks[0]), digits(blocks[1]), digits(99_999));
        let fields: [(&[u8], u8, &[u8]); 5] = [
            (b"ID", b'N', b"  7"),
            (b"NOTE", b'M', &first),
            (b"STORY", b'M', &second),
            (b"NONE", b'M', b"          "),
            (b"GONE", b'M', &gone),
        ];
        let path: PathBuf = folder.path().join(format!("{name}.dbf"));
        fs::write(&path, dbf(version, 0x57, &fields)).unwrap();
        let (cells, said) = row(&path, None).unwrap();
        assert_eq!(cells, ["7", "", "", "", ""], "{name}");
        assert!(said.contains("column `NOTE`, `STORY`, `NONE`, `GONE` reads as blank"), "{said}");
        fs::write(path.with_extension(side), memo).unwrap();
        let (cells, said) = row(&path, None).unwrap();
        assert_eq!(cells[..3], ["7", "short\nof two lines", long.trim_end()], "{name}");
        assert_eq!(cells[3..], ["", "(block 99999 of its texts is not there)"], "{name}");
        assert_eq!(said, "");
    }
}

/// Windows-1252, of letters that are in Latin 1.
fn encode(text: &str) -> Vec<u8> {
    text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect()
}

#[test]
fn an_encoding_is_refused_where_the_standard_fixes_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.geojson");
    fs::write(&path, r#"{"type":"FeatureCollection","features":[]}"#).unwrap();
    let mut options = ReadOptions::default();
    options.encoding = Some("windows-1252".into());
    let error = LayerReader::open_with(&path, None, &options).unwrap_err().to_string();
    assert!(error.contains("of one encoding by its standard"), "{error}");
}
