//! Sheets as they are kept while they are read: in memory or in a file, merged cells, rows out of
//! order, formulas, cells beside the table.

use rust_xlsxwriter::{Format, Workbook};
use std::collections::BTreeSet;
use std::fmt::Write;
use std::io::Write as _;
use std::path::{Path, PathBuf};
use velvet_peg::table::{TableFile, TableOptions};

/// The rows of a table: their numbers and cells.
fn rows(path: &Path, options: &TableOptions) -> Vec<(u64, Vec<String>)> {
    let table = TableFile::open(path, options).unwrap();
    let read = table.rows().unwrap();
    let columns = read.columns().len();
    read.map(Result::unwrap)
        .map(|row| {
            let cells = (0..columns).map(|at| row.text(at).unwrap_or_default().to_string());
            (row.number(), cells.collect())
        })
        .collect()
}

#[test]
fn a_sheet_of_many_rows_is_read_like_the_same_rows_of_text_each_time() {
    let folder = tempfile::tempdir().unwrap();
    let (sheet, text) = (folder.path().join("t.xlsx"), folder.path().join("t.csv"));
    let mut book = Workbook::new();
    let page = book.add_worksheet();
    let mut csv = String::from("gate,remark,flow\n");
    for (at, name) in ["gate", "remark", "flow"].into_iter().enumerate() {
        page.write(0, at as u16, name).unwrap();
    }
    // More than is held in memory.
    for row in 1..=50_000u32 {
        let (gate, remark) = (format!("G-{row:06}"), format!("{} Þ é {row}", "ab".repeat(40)));
        let flow = f64::from(row) / 8.0;
        page.write(row, 0, &gate).unwrap();
        page.write(row, 1, &remark).unwrap();
        page.write(row, 2, flow).unwrap();
        writeln!(csv, "{gate},{remark},{flow}").unwrap();
    }
    book.save(&sheet).unwrap();
    std::fs::write(&text, csv).unwrap();
    let table = TableFile::open(&sheet, &TableOptions::default()).unwrap();
    let wanted = rows(&text, &TableOptions::default());
    // Two readers at once, one of them ahead of the other.
    let (mut one, mut other) = (table.rows().unwrap(), table.rows().unwrap());
    for (number, cells) in &wanted {
        let row = one.next().unwrap().unwrap();
        assert_eq!(row.number(), *number);
        if number % 2 == 0 {
            let row = other.next().unwrap().unwrap();
            assert_eq!(
                row.text(0),
                wanted[(number / 2 - 1) as usize].1.first().map(String::as_str)
            );
        }
        for (at, cell) in cells.iter().enumerate() {
            assert_eq!(row.text(at), Some(cell.as_str()), "row {number}");
        }
    }
    assert!(one.next().is_none());
    // Its file goes with the last that reads it.
    let mine = |entry: &std::fs::DirEntry| {
        entry.path().join("rows").exists()
            && entry.file_name().to_string_lossy().starts_with(".vpeg-")
    };
    let kept = || {
        std::fs::read_dir(std::env::temp_dir())
            .unwrap()
            .flatten()
            .filter(mine)
            .map(|entry| entry.path())
            .collect::<BTreeSet<PathBuf>>()
    };
    let before = kept();
    assert!(!before.is_empty());
    drop((one, other, table));
    assert!(!before.is_subset(&kept()));
}

/// A sheet in rows of cells: `A:B` is merged over columns A and B, `v3` down three rows.
#[test]
fn merged_cells_repeat_their_value_in_every_row_and_column() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("merged.xlsx");
    let mut book = Workbook::new();
    let page = book.add_worksheet();
    for (at, name) in ["ditch", "gate", "flow", "note"].into_iter().enumerate() {
        page.write(0, at as u16, name).unwrap();
    }
    let plain = Format::new();
    page.merge_range(1, 0, 4, 0, "T-1", &plain).unwrap();
    for (row, gate) in [(1, "a"), (2, "b"), (4, "d")] {
        page.write(row, 1, gate).unwrap();
    }
    page.merge_range(5, 1, 6, 2, "e", &plain).unwrap();
    page.write(5, 0, "T-2").unwrap();
    // Below the rows that a header is looked for in, and over rows without cells of their own.
    page.merge_range(400, 3, 402, 3, "late", &plain).unwrap();
    page.write(404, 1, "z").unwrap();
    book.save(&path).unwrap();
    let found: Vec<String> = rows(&path, &TableOptions::default())
        .into_iter()
        .map(|(number, cells)| format!("{number}: {}", cells.join("|")))
        .collect();
    let wanted = [
        "2: T-1|a||",
        "3: T-1|b||",
        "4: T-1|||",
        "5: T-1|d||",
        "6: T-2|e|e|",
        "7: |e|e|",
        "401: |||late",
        "402: |||late",
        "403: |||late",
        "405: |z||",
    ];
    assert_eq!(found, wanted);
}

/// A workbook of one sheet with these rows of XML.
fn by_hand(path: &Path, rows: &str) {
    let mut archive = zip::ZipWriter::new(std::fs::File::create(path).unwrap());
    let spaces = "http://schemas.openxmlformats.org";
    for (name, text) in [
        (
            "[Content_Types].xml",
            format!(
                "<Types xmlns=\"{spaces}/package/2006/content-types\"><Default Extension=\"xml\" ContentType=\"application/xml\"/></Types>"
            ),
        ),
        (
            "_rels/.rels",
            format!(
                "<Relationships xmlns=\"{spaces}/package/2006/relationships\"><Relationship Id=\"r1\" Type=\"{spaces}/officeDocument/2006/relationships/officeDocument\" Target=\"xl/workbook.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/workbook.xml",
            format!(
                "<workbook xmlns=\"{spaces}/spreadsheetml/2006/main\" xmlns:r=\"{spaces}/officeDocument/2006/relationships\"><sheets><sheet name=\"S\" sheetId=\"1\" r:id=\"r1\"/></sheets></workbook>"
            ),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            format!(
                "<Relationships xmlns=\"{spaces}/package/2006/relationships\"><Relationship Id=\"r1\" Type=\"{spaces}/officeDocument/2006/relationships/worksheet\" Target=\"worksheets/sheet1.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/worksheets/sheet1.xml",
            format!(
                "<worksheet xmlns=\"{spaces}/spreadsheetml/2006/main\"><sheetData>{rows}</sheetData></worksheet>"
            ),
        ),
    ] {
        archive.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        archive.write_all(text.as_bytes()).unwrap();
    }
    archive.finish().unwrap();
}

#[test]
fn rows_out_of_order_formulas_and_cells_beside_the_table_are_read_or_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("s.xlsx");
    let text = |place: &str, text: &str| {
        format!("<c r=\"{place}\" t=\"inlineStr\"><is><t>{text}</t></is></c>")
    };
    let header = format!("<row r=\"1\">{}{}</row>", text("A1", "gate"), text("B1", "flow"));
    let row = |n: u32, cells: &str| {
        format!("<row r=\"{n}\">{}{cells}</row>", text(&format!("A{n}"), &format!("G-{n}")))
    };
    let value = |place: &str, inner: &str| format!("<c r=\"{place}\">{inner}</c>");
    for (name, body, found, told) in [
        (
            "out of order",
            [row(3, &value("B3", "<v>3</v>")), header.clone(), row(2, &value("B2", "<v>2</v>"))]
                .concat(),
            "2 G-2 2; 3 G-3 3",
            "",
        ),
        (
            "saved formula",
            [header.clone(), row(2, &value("B2", "<f>1+1</f><v>2</v>"))].concat(),
            "2 G-2 2",
            "",
        ),
        (
            "unsaved formula",
            [header.clone(), row(2, &value("B2", "<f>1+1</f>"))].concat(),
            "2 G-2 ",
            "formulas without a saved value: 1",
        ),
        (
            "beside, near",
            [header.clone(), row(2, &value("C2", "<v>9</v>"))].concat(),
            "2 G-2  9",
            "",
        ),
        (
            "beside, far",
            [
                header.clone(),
                row(2, &value("B2", "<v>2</v>")),
                row(900, &value("D900", "<v>9</v>")),
                row(901, &value("D901", "<v>9</v>")),
            ]
            .concat(),
            "2 G-2 2; 900 G-900 ; 901 G-901 ",
            "beside the columns of the table: 2, the first D900",
        ),
    ] {
        by_hand(&path, &body);
        let rows: Vec<String> = rows(&path, &TableOptions::default())
            .into_iter()
            .map(|(number, cells)| format!("{number} {}", cells.join(" ")))
            .collect();
        assert_eq!(rows.join("; "), found, "{name}");
        let table = TableFile::open(&path, &TableOptions::default()).unwrap();
        let notices: Vec<&str> = table.notices().iter().map(|n| n.text.as_str()).collect();
        match told {
            "" => assert!(notices.is_empty(), "{name}: {notices:?}"),
            told => assert!(notices.iter().any(|text| text.contains(told)), "{name}: {notices:?}"),
        }
    }
    // A header far below is found where it is said to be, with the rows below it.
    let late = [
        row(2, ""),
        header.replace("r=\"1\"", "r=\"700\"").replace("A1", "A700").replace("B1", "B700"),
        row(701, &value("B701", "<v>7</v>")),
    ]
    .concat();
    by_hand(&path, &late);
    let options = TableOptions { header_row: Some(700), ..TableOptions::default() };
    assert_eq!(rows(&path, &options), [(701, vec!["G-701".to_string(), "7".to_string()])]);
    // A sheet that is cut short is told, and no other is taken for it.
    by_hand(&path, "<row r=\"1\"><c r=\"A1\"><v>");
    let error = TableFile::open(&path, &TableOptions::default()).unwrap_err().to_string();
    assert!(error.contains("sheet S") && error.contains("cannot be read as a workbook"), "{error}");
}
