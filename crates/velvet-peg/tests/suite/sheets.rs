//! Features from several sheets of a workbook, and what is told of each.

use rust_xlsxwriter::Workbook;
use std::path::Path;
use velvet_peg::check::CheckOptions;
use velvet_peg::features::{BuildLines, BuildPolygons, VertexOptions};
use velvet_peg::job::{LoggedStep, RunOptions};
use velvet_peg::join::JoinTable;
use velvet_peg::table::TableOptions;
use velvet_peg::{Job, Layer, LayerReader, Value, check, demo};

/// A workbook of sheets, each with a header and rows of cells.
fn workbook(path: &Path, sheets: &[(&str, &[&[&str]])]) {
    let mut book = Workbook::new();
    for (name, rows) in sheets {
        let sheet = book.add_worksheet();
        sheet.set_name(*name).unwrap();
        for (r, row) in rows.iter().enumerate() {
            for (c, cell) in row.iter().enumerate() {
                let (r, c) = (r as u32, c as u16);
                match cell.parse::<f64>() {
                    Ok(number) if !cell.starts_with('0') => {
                        sheet.write_number(r, c, number).unwrap();
                    }
                    _ => {
                        sheet.write_string(r, c, *cell).unwrap();
                    }
                }
            }
        }
    }
    book.save(path).unwrap();
}

#[test]
fn rows_of_the_same_number_on_two_sheets_are_kept_apart() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let head: &[&str] = &["ditch", "no", "x", "y"];
    workbook(
        &at("book.xlsx"),
        &[
            (
                "North",
                &[
                    head,
                    &["T-1", "1", "10", "20"],
                    &["T-1", "2", "wet", "20"],
                    &["T-1", "3", "30", "20"],
                ],
            ),
            (
                "South",
                &[
                    head,
                    &["T-2", "1", "10", "90"],
                    &["T-2", "2", "20", "90"],
                    &["T-3", "1", "5", "5"],
                ],
            ),
        ],
    );
    let mut vertices = VertexOptions {
        group: vec!["ditch".into()],
        order: Some("no".into()),
        ..VertexOptions::default()
    };
    vertices.build.table = TableOptions { all_sheets: true, ..TableOptions::default() };
    let lines = BuildLines { vertices, repair: false };
    let outcome = lines.run(&at("book.xlsx"), &at("lines.gpkg")).unwrap();
    assert_eq!((outcome.rows_in, outcome.vertices, outcome.rejected.count), (6, Some(4), 2));
    assert_eq!(outcome.out, 2);
    let rejects = std::fs::read_to_string(at("lines.gpkg.rejects.csv")).unwrap();
    let rows: Vec<&str> = rejects.lines().skip(1).collect();
    assert!(rows[0].starts_with("3,sheet North: `wet` is not a number,"), "{rows:?}");
    assert!(
        rows[1].starts_with("4,\"`T-3`: a line needs two vertices, and there is one\","),
        "{rows:?}"
    );
    // The column that names the sheet agrees within every ditch, and is kept.
    let layer = Layer::read(at("lines.gpkg")).unwrap();
    let sheets: Vec<Value> = layer.features().map(|f| f.value("sheet").unwrap()).collect();
    assert_eq!(sheets, ["North".into(), Value::from("South")]);
}

#[test]
fn a_polygon_without_three_places_gives_back_every_row() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::write(at("p.csv"), "p,x,y\nA,0,0\nA,9,0\nA,9,9\nA,0,0\nB,0,0\nB,5,0\nB,0,0\nB,0,0\n")
        .unwrap();
    let vertices = VertexOptions { group: vec!["p".into()], ..VertexOptions::default() };
    let polygons = BuildPolygons { vertices, ..BuildPolygons::default() };
    let outcome = polygons.run(&at("p.csv"), &at("p.gpkg")).unwrap();
    assert_eq!((outcome.out, outcome.vertices, outcome.rejected.count), (1, Some(4), 4));
}

#[test]
fn numbers_kept_as_text_are_told_before_they_fail_to_meet() {
    let folder = tempfile::tempdir().unwrap();
    demo::lay_out(folder.path(), false).unwrap();
    let book = folder.path().join("register.xlsx");
    let sheet = |name: &str| TableOptions { sheets: vec![name.into()], ..TableOptions::default() };
    let fields = || LayerReader::open(&folder.path().join("fields.geojson"), None).unwrap();
    let out = |name: &str| folder.path().join(name);
    let shares = JoinTable { key: "field".into(), table: sheet("Shares"), ..JoinTable::default() };
    shares.run(fields(), &book, &out("shares.gpkg")).unwrap();
    let with_shares = || LayerReader::open(&out("shares.gpkg"), None).unwrap();
    let owners =
        JoinTable { key: "owner_id".into(), table: sheet("Owners"), ..JoinTable::default() };
    let report = owners.report(&with_shares(), &book).unwrap();
    assert_eq!(report.features_met, 0);
    assert_eq!(report.types, Some(("whole number", "text")));
    assert_eq!(report.near[0], ("7".into(), "007".into(), "leading zeros"));
    let loose = JoinTable { loose: true, ..owners };
    let (outcome, report) = loose.run(with_shares(), &book, &out("owners.gpkg")).unwrap();
    // F-13 has no shares, and so no owner.
    assert_eq!((outcome.out, report.features_met, report.features_blank), (16, 15, 1));
    let layer = Layer::read(out("owners.gpkg")).unwrap();
    let owner = |at: usize| layer.features().nth(at).unwrap().value("owner");
    assert_eq!(owner(0), Some("Quillback Orchards".into()));
    assert_eq!(owner(12), Some(Value::Null));
}

#[test]
fn every_layer_of_a_file_gets_its_sheet() {
    let folder = tempfile::tempdir().unwrap();
    demo::lay_out(folder.path(), false).unwrap();
    let file = folder.path().join("tumblewick.toml");
    let job = Job::read(&file).unwrap();
    let log = job.run(&file, &RunOptions::default()).unwrap();
    let district = folder.path().join("out/tumblewick.gpkg");
    let all = check(std::slice::from_ref(&district), &CheckOptions::default());
    let all = all.unwrap();
    let counts: Vec<(&str, u64)> =
        all.sheets.iter().map(|sheet| (sheet.layer.as_str(), sheet.features)).collect();
    assert_eq!(
        counts,
        [
            ("gates_final", 34),
            ("laterals", 9),
            ("beats_sp", 4),
            ("fields_final", 16),
            ("weirs", 16),
            ("turnouts_final", 14),
            ("tracts", 2),
        ]
    );
    assert!(all.passes() && all.agreement.unwrap().elsewhere.is_empty());
    let one = CheckOptions { layer: Some("laterals".into()), ..CheckOptions::default() };
    let one = check(&[district], &one).unwrap();
    assert!(one.sheets.len() == 1 && one.agreement.is_none() && one.sheets[0].has_z);
    // What the log says of a step is what came of it.
    let step =
        |name: &str| -> &LoggedStep { log.steps.iter().find(|step| step.name == name).unwrap() };
    assert_eq!(
        step("gates").line().split(" (").next(),
        Some("points → gates: 40 in, 34 out, 2 left out, 4 rejected")
    );
    assert_eq!(step("gates").rejects[0].row, 11);
    assert_eq!(step("fields-sp").route.as_ref().unwrap().accuracy_m, Some(4.0));
    assert!(step("laterals").warnings[0].contains("from 4 to 6"));
    assert!(log.to_text().contains("closes: Gravel lot misses by 0.126 US survey feet, 1 in 9717"));
}
