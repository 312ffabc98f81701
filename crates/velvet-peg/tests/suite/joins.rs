//! How keys meet and what comes out, against a plain reckoning of the same rows.

use proptest::prelude::*;
use std::path::Path;
use velvet_peg::join::{JoinTable, MatchReport};
use velvet_peg::{Crs, Layer, LayerReader, Value, WriteOptions};

/// Keys with what keeps them apart: blanks, capitals, zeros in front, nothing.
const KEYS: [&str; 14] = [
    "F-1", "F-01", "f-1", " F-1", "F-2", "F-2 ", "G 3", "g  3", "", "  ", "7", "007", "7.0", "T-9",
];

fn layer(path: &Path, keys: &[usize]) {
    let mut layer = Layer::new("fields", Some(Crs::from_epsg(4326).unwrap()));
    for (number, key) in keys.iter().enumerate() {
        let at = (-120.0 + number as f64 / 1000.0, 47.4);
        layer.push(at, [("key", KEYS[*key].into()), ("number", (number as i64).into())]).unwrap();
    }
    layer.write_with(path, &WriteOptions { overwrite: true, ..WriteOptions::default() }).unwrap();
}

fn table(path: &Path, keys: &[usize]) {
    let rows = keys.iter().enumerate().map(|(row, key)| format!("\"{}\",{row}\n", KEYS[*key]));
    std::fs::write(path, format!("key,row\n{}", rows.collect::<String>())).unwrap();
}

/// What is compared: as written but for blanks at the ends, or loosely by hand for the keys above.
fn compared(key: usize, loose: bool) -> Option<&'static str> {
    let plain = match key {
        0..=3 => "f-1",
        4 | 5 => "f-2",
        6 | 7 => "g 3",
        8 | 9 => return None,
        10..=12 => "7",
        _ => "t-9",
    };
    Some(if loose { plain } else { KEYS[key].trim() })
}

/// The keys of a table as they are read: where all of them are numbers the column is one of numbers, and
/// 7.0 is 7.
fn as_read(table: &[usize]) -> Vec<usize> {
    let numbers = table.iter().all(|key| [8, 9, 10, 12].contains(key));
    table.iter().map(|key| if numbers && *key == 12 { 10 } else { *key }).collect()
}

/// Rows of the table for each feature, and the figures of the report.
fn reckoned(layer: &[usize], table: &[usize], loose: bool) -> (Vec<Vec<i64>>, [u64; 8]) {
    let rows_of = |key: usize| -> Vec<i64> {
        let meets =
            |row: &usize| compared(key, loose).is_some_and(|k| compared(*row, loose) == Some(k));
        (0..).zip(table).filter(|(_, row)| meets(row)).map(|(at, _)| at).collect()
    };
    let met: Vec<Vec<i64>> = layer.iter().map(|key| rows_of(*key)).collect();
    let distinct = |keys: &[usize]| {
        let mut found: Vec<&str> = keys.iter().filter_map(|key| compared(*key, loose)).collect();
        found.sort_unstable();
        found.dedup();
        found
    };
    let count = |keys: &[usize], key: &str| {
        keys.iter().filter(|other| compared(**other, loose) == Some(key)).count()
    };
    let (ours, theirs) = (distinct(layer), distinct(table));
    let figures = [
        met.iter().filter(|rows| !rows.is_empty()).count(),
        table
            .iter()
            .filter(|row| compared(**row, loose).is_some_and(|k| ours.contains(&k)))
            .count(),
        ours.iter().filter(|key| !theirs.contains(key)).count(),
        theirs.iter().filter(|key| !ours.contains(key)).count(),
        layer.iter().filter(|key| compared(**key, loose).is_none()).count(),
        table.iter().filter(|key| compared(**key, loose).is_none()).count(),
        ours.iter().filter(|key| count(layer, key) > 1).count(),
        theirs.iter().filter(|key| count(table, key) > 1).count(),
    ];
    (met, figures.map(|figure| figure as u64))
}

fn figures(report: &MatchReport) -> [u64; 8] {
    [
        report.features_met,
        report.rows_met,
        report.features_unmet.count,
        report.rows_unmet.count,
        report.features_blank,
        report.rows_blank,
        report.layer_duplicates.count,
        report.table_duplicates.count,
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn keys_meet_as_reckoned(
        ours in prop::collection::vec(0..KEYS.len(), 1..30),
        theirs in prop::collection::vec(0..KEYS.len(), 1..30),
        loose in any::<bool>(),
        matched_only in any::<bool>(),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let file = |name: &str| folder.path().join(name);
        layer(&file("fields.gpkg"), &ours);
        table(&file("table.csv"), &theirs);
        let join = JoinTable {
            key: "key".into(),
            many: true,
            loose,
            matched_only,
            ..JoinTable::default()
        };
        let (met, expected) = reckoned(&ours, &as_read(&theirs), loose);
        let open = || LayerReader::open(&file("fields.gpkg"), None).unwrap();
        let report = join.report(&open(), &file("table.csv")).unwrap();
        prop_assert_eq!(figures(&report), expected);
        let result = join.run(open(), &file("table.csv"), &file("joined.gpkg"));
        if report.features_met == 0 {
            prop_assert!(result.is_err());
            return Ok(());
        }
        let (outcome, _) = result.unwrap();
        let joined = Layer::read(file("joined.gpkg")).unwrap();
        let whole = |value: Option<Value>| match value {
            Some(Value::Integer(value)) => Some(value),
            _ => None,
        };
        let found: Vec<(Option<i64>, Option<i64>)> = joined
            .features()
            .map(|feature| (whole(feature.value("number")), whole(feature.value("row"))))
            .collect();
        let mut rows: Vec<(Option<i64>, Option<i64>)> = Vec::new();
        for (number, of_feature) in (0..).zip(&met) {
            rows.extend(of_feature.iter().map(|row| (Some(number), Some(*row))));
            if of_feature.is_empty() && !matched_only {
                rows.push((Some(number), None));
            }
        }
        prop_assert_eq!(found, rows);
        let left_out = if matched_only { met.iter().filter(|rows| rows.is_empty()).count() } else { 0 };
        prop_assert_eq!((outcome.rows_in, outcome.left_out), (ours.len() as u64, left_out as u64));
    }
}

/// What is told one by one comes in the order of the rows, as it is written there.
#[test]
fn examples_are_as_written_and_in_order() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    let open = || LayerReader::open(&file("fields.gpkg"), None).unwrap();
    // T-9, twice "F-01", "F-2 " with a blank, twice "G 3"; against f-1, F-2, "007".
    layer(&file("fields.gpkg"), &[13, 1, 6, 5, 1, 6]);
    table(&file("table.csv"), &[2, 11, 4, 4]);
    let join = JoinTable { key: "key".into(), ..JoinTable::default() };
    let report = join.report(&open(), &file("table.csv")).unwrap();
    assert_eq!(report.features_unmet.first, ["T-9", "F-01", "G 3"]);
    assert_eq!(report.rows_unmet.first, ["f-1", "007"]);
    assert_eq!(report.layer_duplicates.first, ["F-01", "G 3"]);
    assert_eq!(
        (report.table_duplicates.first, report.duplicates_met.count),
        (vec!["F-2".to_string()], 1)
    );
    assert_eq!(report.near, [("F-01".to_string(), "f-1".to_string(), "leading zeros")]);
    let loose = JoinTable { loose: true, ..join };
    let report = loose.report(&open(), &file("table.csv")).unwrap();
    assert_eq!(report.features_unmet.first, ["T-9", "G 3"]);
    assert_eq!(report.rows_unmet.first, ["007"]);
    // One that is asked for by two rows is refused, and named as it is written.
    let error = loose.run(open(), &file("table.csv"), &file("out.gpkg")).unwrap_err().to_string();
    assert!(error.contains("F-2"), "{error}");
}
