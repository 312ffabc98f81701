//! Work that several threads share gives the same, byte for byte, as work of one, and fails as it.

use std::fs;
use std::num::NonZeroUsize;
use std::path::Path;
use velvet_peg::convert::Way;
use velvet_peg::features::BuildOptions;
use velvet_peg::join::JoinTable;
use velvet_peg::layer::{Batch, GeometryColumn};
use velvet_peg::measure::MeasureColumns;
use velvet_peg::table::{AppendOptions, CoordinateColumns};
use velvet_peg::tag::TagPoints;
use velvet_peg::{
    BuildPoints, ConvertLayer, ConvertTable, Crs, Layer, LayerReader, LayerWriter, Result,
    Selection, WriteOptions, demo, limit_threads,
};

/// Rows of the district, some of which cannot be used: two blocks and a half.
fn table(rows: usize) -> String {
    let mut text = String::from("gate,east,north,crest,opened\n");
    for row in 0..rows {
        let part = |step: f64| (row as f64 * step).fract();
        let (east, north) = (1.84e6 + 4e4 * part(0.618), 2.2e5 + 4e4 * part(0.7548));
        text += &match row % 500 {
            0 => format!("G-{row},,{north:.2},310,2026-05-01\n"),
            1 => format!("G-{row},{east:.2},9e15,310,2026-05-01\n"),
            2 => format!("G-{row},{east:.2}\n"),
            _ => format!("G-{row},{east:.2},{north:.2},{:.1},2026-05-01\n", 300.0 + part(0.3)),
        };
    }
    text
}

fn system(code: u32) -> Crs {
    Crs::from_epsg(code).expect("a system")
}

fn write() -> WriteOptions {
    WriteOptions { stamp: Some("2026-11-29T00:00:00.000Z".to_string()), ..WriteOptions::default() }
}

/// What is said of what was done.
fn works(folder: &Path, out: &Path) -> Result<Vec<String>> {
    let (rows, out) = (folder.join("rows.csv"), |name: &str| out.join(name));
    let columns = CoordinateColumns {
        x: Some("east".into()),
        y: Some("north".into()),
        ..CoordinateColumns::default()
    };
    let build = BuildOptions {
        crs: Some(system(2285)),
        to: Some(system(6318)),
        select: Selection {
            condition: Some("crest > 300.2".to_string()),
            set: vec!["high = crest * 2".to_string()],
            ..Selection::default()
        },
        write: write(),
        ..BuildOptions::default()
    };
    let points = BuildPoints { columns: columns.clone(), packed: false, build };
    let mut said = Vec::new();
    for end in ["gpkg", "parquet", "shp", "fgb", "geojson", "csv", "dxf", "kml"] {
        let done = points.run(&rows, &out(&format!("points.{end}")))?;
        said.push(format!(
            "{:?} {:?} {:?}",
            done.rejected,
            done.notices,
            (done.out, done.left_out)
        ));
    }
    let convert = ConvertTable {
        columns,
        source: system(2285),
        target: system(32610),
        way: Way::default(),
        decimals: None,
        packed: false,
        append: AppendOptions::default(),
    };
    said.push(format!("{:?}", convert.run(&rows, &out("rows.csv"))?.0));
    let gates = || LayerReader::open(&out("points.gpkg"), None);
    let carry =
        ConvertLayer { target: Some(system(32610)), write: write(), ..ConvertLayer::default() };
    said.push(format!("{:?}", carry.run(&gates()?, &out("carried.gpkg"))?));
    let fields = LayerReader::open(&folder.join("fields.geojson"), None)?;
    let tag = TagPoints { within_m: Some(500.0), write: write(), ..TagPoints::default() };
    said.push(format!("{:?}", tag.run(gates()?, &fields, &out("tagged.gpkg"))?));
    let figures = MeasureColumns { write: write(), ..MeasureColumns::default() };
    said.push(format!("{:?}", figures.run(fields, &out("measured.gpkg"))?));
    Ok(said)
}

#[test]
fn one_thread_and_several_give_the_same_bytes() {
    let folder = tempfile::tempdir().expect("a folder");
    demo::lay_out(folder.path(), false).expect("the demo");
    fs::write(folder.path().join("rows.csv"), table(6000)).expect("a table");
    let mut all = Vec::new();
    for threads in [1, 2, 5] {
        limit_threads(NonZeroUsize::new(threads));
        let out = folder.path().join(format!("out-{threads}"));
        fs::create_dir(&out).expect("a folder");
        let said = works(folder.path(), &out).expect("it is done");
        let mut files: Vec<(String, Vec<u8>)> = fs::read_dir(&out)
            .expect("a folder")
            .map(|file| file.expect("a file"))
            .map(|file| {
                (file.file_name().to_string_lossy().into(), fs::read(file.path()).expect("bytes"))
            })
            .collect();
        files.sort();
        let shown = out.display().to_string();
        let said: Vec<String> = said.iter().map(|text| text.replace(&shown, "OUT")).collect();
        all.push((threads, said, files));
    }
    limit_threads(None);
    let (_, said, files) = &all[0];
    assert!(files.len() > 15, "{}", files.len());
    for (threads, other, bytes) in &all[1..] {
        assert_eq!(said, other, "{threads}");
        for ((name, one), (_, several)) in files.iter().zip(bytes) {
            assert!(one == several, "{name} with {threads} threads");
        }
    }
}

/// A row that cannot be read ends the work with its number, wherever it stands, and nothing is left.
#[test]
fn a_failure_in_a_later_block_is_the_same_with_several_threads() {
    let folder = tempfile::tempdir().expect("a folder");
    let rows = folder.path().join("rows.csv");
    let mut text = table(5000);
    // A quotation mark that is not closed.
    text.push_str(&format!("\"G-x,1,2,3,4\n{}", table(100)));
    fs::write(&rows, text).expect("a table");
    let points = BuildPoints::in_system(system(2285));
    let mut failures = Vec::new();
    for threads in [1, 4] {
        limit_threads(NonZeroUsize::new(threads));
        let out = folder.path().join("out.gpkg");
        let error = points.run(&rows, &out).expect_err("it cannot be read");
        failures.push(error.to_string());
        assert!(!out.exists());
    }
    limit_threads(None);
    assert_eq!(failures[0], failures[1]);
    assert!(failures[0].contains("row 5002"), "{}", failures[0]);
    let left = fs::read_dir(folder.path()).expect("a folder").count();
    assert_eq!(left, 1, "something is left");
}

/// What a format refuses in a later batch is told at the latest when the file is to be complete, though
/// another thread writes it, and nothing of the file is left.
#[test]
fn a_feature_that_cannot_be_written_is_told() {
    let folder = tempfile::tempdir().expect("a folder");
    let mut layer = Layer::new("gates", Some(system(32610)));
    for at in 0..20_000_u32 {
        layer.push((6e5 + f64::from(at), 5.25e6), [("gate", at.into())]).expect("it fits");
    }
    let (file, again) = (folder.path().join("gates.gpkg"), folder.path().join("again.gpkg"));
    layer.write(&file).expect("it is written");
    let mut reader = LayerReader::open(&file, None).expect("a layer");
    assert!(reader.reveal_key(&["fid"]));
    let info = reader.info().clone();
    let batches: Vec<_> = reader.batches().map(|batch| batch.expect("a batch")).collect();
    assert!(batches.len() > 2);
    // Without places there is no index, which would refuse them too.
    let bare = |batch: &Batch| {
        let mut places = GeometryColumn::new();
        (0..batch.len()).for_each(|_| places.end_feature(None));
        Batch::try_new(places, batch.attributes().clone(), 1).expect("a batch")
    };
    let bare: Vec<Batch> = batches.iter().map(bare).collect();
    for batches in [batches, bare] {
        let mut writer = LayerWriter::create(&again, &info, &write()).expect("a file");
        // A number that features are known by cannot be there twice.
        let twice = batches.iter().chain(&batches[..1]);
        let done = twice.clone().chain(twice).try_for_each(|batch| writer.write(batch));
        let error = match done {
            Ok(()) => writer.finish().expect_err("a number is there twice"),
            Err(error) => {
                assert!(writer.finish().is_err());
                error
            }
        };
        assert!(error.to_string().contains("again.gpkg"), "{error}");
        assert!(error.to_string().contains("UNIQUE"), "{error}");
        assert_eq!(fs::read_dir(folder.path()).expect("a folder").count(), 1, "something is left");
    }
}

#[test]
fn joining_keeps_the_order() {
    let folder = tempfile::tempdir().expect("a folder");
    let mut layer = Layer::new("gates", Some(system(32610)));
    let mut text = String::from("gate,share\n");
    for at in 0..20_000_u32 {
        layer.push((6e5 + f64::from(at), 5.25e6), [("gate", at.into())]).expect("it fits");
        text += &format!("{at},{}\n", at * 3);
    }
    let (file, shares) = (folder.path().join("gates.gpkg"), folder.path().join("shares.csv"));
    layer.write(&file).expect("it is written");
    fs::write(&shares, text).expect("a table");
    let join = JoinTable { key: "gate".into(), ..JoinTable::default() };
    let out = folder.path().join("joined.gpkg");
    join.run(LayerReader::open(&file, None).expect("a layer"), &shares, &out).expect("joined");
    let joined = Layer::read(&out).expect("it is read");
    let mut next = 0;
    for batch in joined.batches() {
        for feature in 0..batch.len() {
            assert_eq!(batch.values(feature)[..2], [next.into(), (next * 3).into()]);
            next += 1;
        }
    }
    assert_eq!(next, 20_000);
}
