//! Rows in = features out + rejects, whatever the table.

use proptest::prelude::*;
use velvet_peg::table::AppendOptions;
use velvet_peg::table::CoordinateColumns;
use velvet_peg::{BuildPoints, ConvertTable, Crs, Layer};

fn cell() -> impl Strategy<Value = String> {
    prop_oneof![
        5 => (-90.0..90.0f64).prop_map(|v| v.to_string()),
        1 => (-1e7..1e7f64).prop_map(|v| v.to_string()),
        1 => Just(String::new()),
        1 => Just("47°24'30\"N".to_string()),
        1 => Just("120 00 15 W".to_string()),
        1 => Just("n/a".to_string()),
        1 => Just("two, with\na \"break\"".to_string()),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, cases: 60, ..ProptestConfig::default() })]

    #[test]
    fn rows_in_are_features_out_plus_rejects(
        rows in prop::collection::vec((cell(), cell(), "\\PC{0,8}", any::<bool>()), 1..60),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let mut writer = csv::WriterBuilder::new().flexible(true).from_path(at("in.csv")).unwrap();
        writer.write_record(["lat", "lon", "note"]).unwrap();
        for (lat, lon, note, short) in &rows {
            match short {
                true if note.len() == 3 => writer.write_record([lat, lon]).unwrap(),
                _ => writer.write_record([lat, lon, note]).unwrap(),
            }
        }
        writer.flush().unwrap();
        drop(writer);

        let wgs84 = Crs::from_epsg(4326).unwrap();
        let build = BuildPoints::in_system(wgs84.clone());
        let rejects_in = |name: &str| -> usize {
            csv::ReaderBuilder::new().flexible(true).from_path(at(name)).map_or(0, |mut r| r.records().count())
        };
        match build.run(&at("in.csv"), &at("out.gpkg")) {
            Ok(outcome) => {
                prop_assert_eq!(outcome.rows_in, rows.len() as u64);
                prop_assert_eq!(outcome.out + outcome.rejected.count, outcome.rows_in);
                prop_assert_eq!(Layer::read(at("out.gpkg")).unwrap().len() as u64, outcome.out);
                prop_assert_eq!(rejects_in("out.gpkg.rejects.csv") as u64, outcome.rejected.count);
            }
            Err(error) => {
                prop_assert!(error.to_string().contains("none of the"), "{}", error);
                prop_assert!(!at("out.gpkg").exists());
            }
        }
        let convert = ConvertTable {
            columns: CoordinateColumns::default(),
            source: wgs84,
            target: Crs::from_epsg(32610).unwrap(),
            way: velvet_peg::convert::Way::default(),            decimals: None,
            packed: false,
            append: AppendOptions::default(),
        };
        match convert.run(&at("in.csv"), &at("out.csv")) {
            Ok((outcome, _)) => {
                prop_assert_eq!(outcome.rows_in, rows.len() as u64);
                prop_assert_eq!(outcome.out + outcome.rejected.count, outcome.rows_in);
                prop_assert_eq!(rejects_in("out.csv") as u64, outcome.out);
                prop_assert_eq!(rejects_in("out.csv.rejects.csv") as u64, outcome.rejected.count);
            }
            Err(error) => prop_assert!(error.to_string().contains("none of the"), "{}", error),
        }
    }
}
