//! Work that is watched does the same as work that is not, and tells how far it has come.

use std::path::{Path, PathBuf};
use velvet_peg::check::{CheckOptions, check_watched};
use velvet_peg::course::{CourseColumns, CourseTable};
use velvet_peg::features::{BuildFeatures, BuildLines, BuildPolygons};
use velvet_peg::job::{JobProgress, LoggedStep, RunOptions};
use velvet_peg::join::JoinTable;
use velvet_peg::look::{LookOptions, look_watched};
use velvet_peg::measure::{MeasureColumns, MeasureOptions, measure_watched};
use velvet_peg::table::{AppendOptions, CoordinateColumns};
use velvet_peg::tag::TagPoints;
use velvet_peg::{
    AreaUnit, BuildPoints, ConvertLayer, ConvertTable, Crs, Job, LayerReader, Progress, Result,
    WriteOptions, check, declare, declare_watched, demo, look, measure,
};

/// All that was told.
#[derive(Default)]
struct Heard(Vec<(u64, Option<u64>)>);

impl Progress for Heard {
    fn at(&mut self, done: u64, total: Option<u64>) {
        self.0.push((done, total));
    }
}

/// One kind of work: done into a file, or into a text that shows its result, with or without a
/// watcher.
type Work = fn(&Path, &Path, Option<&mut Heard>) -> Result<String>;

/// Calls the watched or the plain one of two functions with the same arguments.
macro_rules! either {
    ($heard:expr, $plain:expr, $watched:expr, ($($argument:expr),*)) => {
        match $heard {
            None => format!("{:?}", $plain($($argument),*)?),
            Some(heard) => format!("{:?}", $watched($($argument,)* heard)?),
        }
    };
}

fn layer(folder: &Path) -> Result<LayerReader> {
    LayerReader::open(&folder.join("fields.geojson"), None)
}

fn points() -> BuildPoints {
    BuildPoints::in_system(Crs::from_epsg(4326).unwrap())
}

/// Text of a result that does not name the file that it went to.
fn without(text: &str, out: &Path) -> String {
    text.replace(&out.display().to_string(), "OUT")
}

const WORKS: &[(&str, Work)] = &[
    ("points", |folder, out, heard| {
        let job = points();
        Ok(either!(
            heard,
            BuildPoints::run,
            BuildPoints::run_watched,
            (&job, &folder.join("headgates.csv"), out)
        ))
    }),
    ("lines", |folder, out, heard| {
        std::fs::write(folder.join("l.csv"), "ditch,e,n\nA,0,0\nA,3,4\nB,1,1\nB,2,2\n").unwrap();
        let job = BuildLines::grouped_by("ditch", Crs::from_epsg(32610)?);
        Ok(either!(
            heard,
            BuildLines::run,
            BuildLines::run_watched,
            (&job, &folder.join("l.csv"), out)
        ))
    }),
    ("polygons", |folder, out, heard| {
        std::fs::write(folder.join("p.csv"), "e,n\n0,0\n0,10\n10,10\n10,0\n").unwrap();
        let job = BuildPolygons::default();
        Ok(either!(
            heard,
            BuildPolygons::run,
            BuildPolygons::run_watched,
            (&job, &folder.join("p.csv"), out)
        ))
    }),
    ("features", |folder, out, heard| {
        std::fs::write(folder.join("f.csv"), "d,shape\nA,\"LINESTRING (0 0, 3 4)\"\n").unwrap();
        let job = BuildFeatures::default();
        Ok(either!(
            heard,
            BuildFeatures::run,
            BuildFeatures::run_watched,
            (&job, &folder.join("f.csv"), out)
        ))
    }),
    ("convert", |folder, out, heard| {
        let target = Some(Crs::from_epsg(2285)?);
        let job = ConvertLayer { target, ..ConvertLayer::default() };
        Ok(either!(
            heard,
            ConvertLayer::run,
            ConvertLayer::run_watched,
            (&job, &layer(folder)?, out)
        ))
    }),
    ("convert a table", |folder, out, heard| {
        let out = out.with_extension("csv");
        let job = ConvertTable {
            columns: CoordinateColumns::default(),
            source: Crs::from_epsg(4326)?,
            target: Crs::from_epsg(32610)?,
            way: velvet_peg::convert::Way::default(),
            decimals: None,
            packed: false,
            append: AppendOptions::default(),
        };
        let table = folder.join("t.csv");
        std::fs::write(&table, "lon,lat\n-120.1,47.4\n-120.2,47.5\n").unwrap();
        Ok(either!(heard, ConvertTable::run, ConvertTable::run_watched, (&job, &table, &out)))
    }),
    ("courses", |folder, out, heard| {
        let out = out.with_extension("csv");
        let table = folder.join("pairs.csv");
        std::fs::write(&table, "lat1,lon1,lat2,lon2\n47,-120,47.1,-120.1\n").unwrap();
        let pair = |x: &str, y: &str| (x.to_string(), y.to_string());
        let job = CourseTable {
            columns: CourseColumns::Between {
                from: pair("lon1", "lat1"),
                to: pair("lon2", "lat2"),
            },
            crs: Crs::from_epsg(4326)?,
            decimals: Some(3),
            append: AppendOptions::default(),
        };
        Ok(either!(heard, CourseTable::run, CourseTable::run_watched, (&job, &table, &out)))
    }),
    ("declare", |folder, out, heard| {
        let (reader, crs) = (layer(folder)?, Crs::from_epsg(4269)?);
        let options = WriteOptions::default();
        Ok(either!(heard, declare, declare_watched, (&reader, &crs, out, &options)))
    }),
    ("join", |folder, out, heard| {
        let table = folder.join("j.csv");
        std::fs::write(&table, "field,harvest\nF-01,oats\nF-02,rye\n").unwrap();
        let job = JoinTable { key: "field".into(), ..JoinTable::default() };
        Ok(either!(
            heard,
            JoinTable::run,
            JoinTable::run_watched,
            (&job, layer(folder)?, &table, out)
        ))
    }),
    ("tag", |folder, out, heard| {
        let gates = folder.join("gates.fgb");
        if !gates.exists() {
            points().run(&folder.join("headgates.csv"), &gates)?;
        }
        let gates = LayerReader::open(&gates, None)?;
        let job = TagPoints { columns: vec!["field".into()], ..TagPoints::default() };
        Ok(either!(
            heard,
            TagPoints::run,
            TagPoints::run_watched,
            (&job, gates, &layer(folder)?, out)
        ))
    }),
    ("measured columns", |folder, out, heard| {
        let job = MeasureColumns { areas: vec![AreaUnit::Hectare], ..MeasureColumns::default() };
        Ok(either!(
            heard,
            MeasureColumns::run,
            MeasureColumns::run_watched,
            (&job, layer(folder)?, out)
        ))
    }),
    ("measure", |folder, _, heard| {
        let options = MeasureOptions::default();
        Ok(either!(heard, measure, measure_watched, (&layer(folder)?, &options)))
    }),
    ("check", |folder, _, heard| {
        let files: [PathBuf; 1] = [folder.join("fields.geojson")];
        let options = CheckOptions::default();
        Ok(either!(heard, check, check_watched, (&files, &options)))
    }),
    ("look", |folder, _, heard| {
        let options = LookOptions { all: true, ..LookOptions::default() };
        Ok(either!(heard, look, look_watched, (&folder.join("headgates.csv"), &options)))
    }),
];

#[test]
fn watched_or_not_the_result_is_the_same() {
    for (name, work) in WORKS {
        let folder = tempfile::tempdir().unwrap();
        demo::lay_out(folder.path(), false).unwrap();
        let (plain, watched) = (folder.path().join("one.gpkg"), folder.path().join("two.gpkg"));
        let mut heard = Heard::default();
        let first = work(folder.path(), &plain, None).unwrap_or_else(|e| panic!("{name}: {e}"));
        let second = work(folder.path(), &watched, Some(&mut heard)).unwrap();
        assert_eq!(
            without(&first, &plain.with_extension("")),
            without(&second, &watched.with_extension("")),
            "{name}"
        );
        let wrote = |out: &Path| {
            ["gpkg", "csv"].map(|e| out.with_extension(e)).iter().any(|file| file.exists())
        };
        assert_eq!(wrote(&plain), wrote(&watched), "{name}");
        assert!(!heard.0.is_empty(), "{name}: nothing was told");
        for (done, total) in &heard.0 {
            assert!(total.is_none_or(|total| *done <= total), "{name}: {done} of {total:?}");
        }
        // The last word is the end of a reading: as much as there is, where that is known.
        let (done, total) = heard.0[heard.0.len() - 1];
        assert!(done > 0 && total.is_none_or(|total| done == total), "{name}: {:?}", heard.0);
    }
}

/// The steps of a job as they begin and end.
#[derive(Default)]
struct Steps {
    told: Vec<String>,
    step: Heard,
}

impl JobProgress for Steps {
    fn begins(&mut self, number: usize, of: usize, kind: &str, name: &str) {
        self.told.push(format!("{number} of {of}: {kind} {name}"));
    }
    fn ended(&mut self, step: &LoggedStep) {
        self.told.push(format!("{} in, {} out", step.rows_in, step.out));
    }
    fn step(&mut self) -> &mut dyn Progress {
        &mut self.step
    }
}

#[test]
fn a_job_tells_its_steps_as_they_begin_and_end() {
    let folder = tempfile::tempdir().unwrap();
    demo::lay_out(folder.path(), false).unwrap();
    let job = Job::parse(
        r#"
        job = 1
        [sources.fields]
        file = "fields.geojson"
        [[steps]]
        do = "convert"
        from = "fields"
        to = "EPSG:2285"
        as = "plane"
        [[steps]]
        do = "declare"
        from = "plane"
        crs = "EPSG:2286"
        as = "south"
        [[outputs]]
        file = "south.gpkg"
        from = ["south"]
        "#,
    )
    .unwrap();
    let mut steps = Steps::default();
    let file = folder.path().join("job.toml");
    let log = job.run_watched(&file, &RunOptions::default(), &mut steps).unwrap();
    assert_eq!(log.steps.len(), 2);
    assert_eq!(
        steps.told,
        ["1 of 2: convert plane", "16 in, 16 out", "2 of 2: declare south", "16 in, 16 out"]
    );
    assert!(!steps.step.0.is_empty());
    let again = RunOptions { overwrite: true, ..RunOptions::default() };
    assert_eq!(job.run(&file, &again).unwrap().steps.len(), 2);
}
