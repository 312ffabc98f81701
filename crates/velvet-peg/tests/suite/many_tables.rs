//! Several tables of one shape, or a folder of them, as one.

use std::fs;
use std::path::{Path, PathBuf};
use velvet_peg::table::{TableFile, TableOptions};
use velvet_peg::{BuildPoints, Crs, Layer, Severity};

/// Files by name and content, laid out in a folder.
fn lay_out(folder: &Path, files: &[(&str, &str)]) -> Vec<PathBuf> {
    let lay = |(name, text): &(&str, &str)| {
        fs::write(folder.join(name), text).unwrap();
        folder.join(name)
    };
    files.iter().map(lay).collect()
}

fn same(pairs: &[(&str, &[&str])]) -> Vec<(String, Vec<String>)> {
    let texts = |words: &[&str]| words.iter().map(ToString::to_string).collect();
    pairs.iter().map(|(name, others)| (name.to_string(), texts(others))).collect()
}

const DAYS: [(&str, &str); 3] = [
    ("day10.csv", "pt,lon,lat\n9,-120.9,47.9\n"),
    ("day2.csv", "pt;Latitude;longitude;remark\n3;47.3;-120.3;ok\n4;north;-120.4;bad\n5;1;2;3;4\n"),
    ("day1.csv", "pt,lon,lat,z\n1,-120.1,47.1,5\n2,-120.2,47.2,6\n"),
];

#[test]
fn rows_of_all_files_become_features_or_rejects_with_their_file() {
    let folder = tempfile::tempdir().unwrap();
    let out = tempfile::tempdir().unwrap();
    lay_out(folder.path(), &DAYS);
    fs::write(folder.path().join("old.gpkg.rejects.csv"), "source_row,reason\n1,x\n").unwrap();
    fs::write(folder.path().join("readme.md"), "x").unwrap();
    let mut build = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
    build.build.table.same = same(&[("lon", &["longitude", "long"]), ("lat", &["latitude"])]);
    let path = out.path().join("all.gpkg");
    let summary = build.run(folder.path(), &path).unwrap();
    assert_eq!((summary.rows_in, summary.out, summary.rejected.count), (6, 4, 2));
    let said = summary.notices.iter().map(|n| n.text.clone()).collect::<Vec<_>>().join("\n");
    assert!(
        said.contains("3 files are read as one table: day1.csv, day2.csv, day10.csv"),
        "{said}"
    );
    for odd in ["only day1.csv has `z`: blank in", "only day2.csv has `remark`: blank in"] {
        assert!(said.contains(odd), "{said}");
    }
    let layer = Layer::read(&path).unwrap();
    let files: Vec<String> = layer.features().map(|f| f.value("file").unwrap().to_text()).collect();
    assert_eq!(files, ["day1.csv", "day1.csv", "day2.csv", "day10.csv"]);
    assert_eq!(layer.features().nth(2).unwrap().vertices(), [(-120.3, 47.3)]);
    let rejects = fs::read_to_string(summary.rejected.path.unwrap()).unwrap();
    let lines: Vec<&str> = rejects.lines().collect();
    assert_eq!(lines[0], "source_row,reason,pt,lon,lat,z,remark,file");
    assert!(lines[1].starts_with("3,file day2.csv: `north` cannot be read"), "{}", lines[1]);
    assert!(lines[2].starts_with("4,file day2.csv: the row has 5 fields where the header has 4"));
    assert!(lines[2].ends_with(",day2.csv,4"), "what does not fit is not lost: {}", lines[2]);
}

#[test]
fn files_that_are_named_are_read_in_that_order() {
    let folder = tempfile::tempdir().unwrap();
    let files = lay_out(folder.path(), &DAYS);
    let options = TableOptions { more: vec![files[2].clone()], ..TableOptions::default() };
    let table = TableFile::open(&files[0], &options).unwrap();
    assert_eq!(table.inputs(), [files[0].clone(), files[2].clone()]);
    let rows: Vec<_> = table.rows().unwrap().map(Result::unwrap).collect();
    let shown: Vec<(u64, &str, Option<&str>)> =
        rows.iter().map(|row| (row.number(), row.text(0).unwrap(), row.sheet())).collect();
    let (ten, one) = (Some("day10.csv"), Some("day1.csv"));
    assert_eq!(shown, [(2, "9", ten), (2, "1", one), (3, "2", one)]);
    // Both readings are alike.
    assert_eq!(table.rows().unwrap().count(), 3);
}

#[test]
fn one_table_and_the_sheets_of_a_workbook_take_other_names_too() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("sheets.xlsx");
    let mut book = rust_xlsxwriter::Workbook::new();
    for (name, heads) in [("North", ["pt", "lon", "lat"]), ("South", ["pt", "Long", "Breite"])] {
        let sheet = book.add_worksheet().set_name(name).unwrap();
        for (column, head) in (0u16..).zip(heads) {
            sheet.write_string(0, column, head).unwrap();
            sheet.write_number(1, column, f64::from(column) + 0.5).unwrap();
        }
    }
    book.save(&path).unwrap();
    let names = same(&[("lon", &["long"]), ("lat", &["breite"])]);
    let options = TableOptions { all_sheets: true, same: names.clone(), ..TableOptions::default() };
    let table = TableFile::open(&path, &options).unwrap();
    assert_eq!(table.rows().unwrap().columns(), ["pt", "lon", "lat", "sheet"]);
    assert!(table.notices().iter().all(|notice| !notice.text.contains("blank in")));
    let plain = lay_out(folder.path(), &[("plain.csv", "pt,LONG,breite\n1,2,3\n")]);
    let options = TableOptions { same: names, ..TableOptions::default() };
    let table = TableFile::open(&plain[0], &options).unwrap();
    assert_eq!(table.rows().unwrap().columns(), ["pt", "lon", "lat"]);
}

#[test]
fn what_cannot_be_one_table_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let files = lay_out(folder.path(), &DAYS[..1]);
    let empty = folder.path().join("empty");
    fs::create_dir(&empty).unwrap();
    let error = TableFile::open(&empty, &TableOptions::default()).unwrap_err().to_string();
    assert!(error.contains("is a folder without a table"), "{error}");
    let gone = folder.path().join("gone.csv");
    let options = TableOptions { more: vec![gone], ..TableOptions::default() };
    let error = TableFile::open(&files[0], &options).unwrap_err().to_string();
    assert!(error.contains("gone.csv: there is no such file"), "{error}");
    // None of the tables is written over.
    let more = lay_out(folder.path(), &[("other.csv", "pt,lon,lat\n1,2,3\n")]);
    let mut build = BuildPoints::in_system(Crs::from_epsg(4326).unwrap());
    build.build.table.more.clone_from(&more);
    build.build.write.overwrite = true;
    let error = build.run(&files[0], &more[0]).unwrap_err().to_string();
    assert!(error.contains("is what is read"), "{error}");
    assert_eq!(fs::read_to_string(&more[0]).unwrap(), "pt,lon,lat\n1,2,3\n");
}

/// Of tables that are read as one the odd one is named, not the many that agree.
#[test]
fn the_odd_table_is_told_and_not_the_others() {
    let folder = tempfile::tempdir().unwrap();
    let told = |headers: &[&str]| -> Vec<String> {
        for entry in fs::read_dir(folder.path()).unwrap() {
            fs::remove_file(entry.unwrap().path()).unwrap();
        }
        for (number, header) in headers.iter().enumerate() {
            let values = vec!["1"; header.split(',').count()].join(",");
            let file = folder.path().join(format!("d{}.csv", number + 1));
            fs::write(file, format!("{header}\n{values}\n")).unwrap();
        }
        let file = TableFile::open(folder.path(), &TableOptions::default()).unwrap();
        let gaps = file.notices().iter().filter(|n| n.severity == Severity::Warning);
        gaps.map(|notice| notice.text.clone()).collect()
    };
    let usual = "gate,easting,northing";
    for (headers, wanted) in [
        (vec![usual; 4], vec![]),
        (
            vec!["gate,east,north", usual, usual, usual, usual, usual],
            vec![
                "d1.csv has `east`, `north` where the others have `easting`, `northing`: each is \
                 blank in the rows of the other",
            ],
        ),
        (
            vec![usual, usual, "gate,easting"],
            vec!["d3.csv has no column `northing`: blank in its rows"],
        ),
        (
            vec![usual, "gate,easting,northing,z", usual],
            vec!["only d2.csv has `z`: blank in the rows of the others"],
        ),
        (
            vec![usual, "gate,easting,northing,z", usual, usual, "gate,easting,northing,z"],
            vec!["only d2.csv, d5.csv have `z`: blank in the rows of the others"],
        ),
        (
            vec!["gate,x", "gate,y"],
            vec![
                "d1.csv has no column `y`: blank in its rows",
                "d2.csv has no column `x`: blank in its rows",
            ],
        ),
    ] {
        assert_eq!(told(&headers), wanted, "{headers:?}");
    }
}
