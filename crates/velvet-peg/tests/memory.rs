//! What work is said to hold in memory is what it takes: reckoned from the beginning of the input, and counted by the
//! allocator.

use std::fmt::Write;
use std::num::NonZeroU64;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use velvet_peg::check::{CheckOptions, check};
use velvet_peg::features::{BuildLines, BuildPolygons};
use velvet_peg::join::JoinTable;
use velvet_peg::measure::{MeasureColumns, MeasureOptions};
use velvet_peg::tag::TagPoints;
use velvet_peg::{
    Advice, ConvertLayer, Crs, Layer, LayerReader, Notice, NoticeKind, Progress, Result, Severity,
    WriteOptions, limit_memory, measure,
};

#[global_allocator]
static MEMORY: peak_alloc::PeakAlloc = peak_alloc::PeakAlloc;

/// The limit and the count are those of the process: tests take turns.
fn turn() -> MutexGuard<'static, ()> {
    static TURN: Mutex<()> = Mutex::new(());
    limit_memory(None);
    TURN.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Work on so many things, 0.7 of a power of two: there is as much room to grow as in the middle of all numbers. It
/// makes its inputs in a folder, and is done there.
struct Case {
    name: &'static str,
    count: usize,
    inputs: fn(&Path, usize),
    work: fn(&Path) -> Result<()>,
}

fn text(folder: &Path, name: &str, head: &str, count: usize, row: impl Fn(usize) -> String) {
    let mut text = format!("{head}\n");
    for at in 0..count {
        writeln!(text, "{}", row(at)).unwrap();
    }
    std::fs::write(folder.join(name), text).unwrap();
}

/// Features in one collection, one a line.
fn features(folder: &Path, name: &str, count: usize, feature: impl Fn(usize) -> (String, String)) {
    let mut text = r#"{"type":"FeatureCollection","features":["#.to_string();
    for at in 0..count {
        let comma = if at == 0 { "" } else { "," };
        let (properties, geometry) = feature(at);
        writeln!(
            text,
            r#"{comma}{{"type":"Feature","properties":{{{properties}}},"geometry":{geometry}}}"#
        )
        .unwrap();
    }
    text += "]}";
    std::fs::write(folder.join(name), text).unwrap();
}

/// A place of one of many.
fn place(at: usize) -> (f64, f64) {
    (-120.3 + 0.001 * (at % 500) as f64, 47.0 + 0.001 * (at / 500) as f64)
}

/// A ring of so many corners round a place.
fn ring((x, y): (f64, f64), radius: f64, corners: usize) -> String {
    let corner = |at: usize| {
        let turn = std::f64::consts::TAU * (at % corners) as f64 / corners as f64;
        format!("[{:.8},{:.8}]", x + radius * turn.cos(), y + radius * turn.sin())
    };
    format!("[{}]", (0..=corners).map(corner).collect::<Vec<_>>().join(","))
}

fn polygons(folder: &Path, count: usize, corners: usize) {
    features(folder, "fields.geojson", count, |at| {
        (
            format!(r#""field":"F-{at}","crop":"timothy hay""#),
            format!(r#"{{"type":"Polygon","coordinates":[{}]}}"#, ring(place(at), 0.0004, corners)),
        )
    });
    // One gate in one of them, and one in none: of that the nearest is told.
    features(folder, "gates.geojson", 2, |at| {
        let (x, y) = if at == 0 { place(0) } else { (-119.5, 46.0) };
        (format!(r#""gate":"TG-{at}""#), format!(r#"{{"type":"Point","coordinates":[{x},{y}]}}"#))
    });
}

fn points(folder: &Path, count: usize) {
    features(folder, "gates.geojson", count, |at| {
        let (x, y) = place(at);
        (format!(r#""gate":"TG-{at}""#), format!(r#"{{"type":"Point","coordinates":[{x},{y}]}}"#))
    });
}

fn rows(folder: &Path, count: usize, per_feature: usize) {
    text(folder, "vertices.csv", "field,ring,no,lon,lat,crop", count, |at| {
        let (feature, corner) = (at / per_feature, at % per_feature);
        let (x, y) = place(feature);
        let turn = std::f64::consts::TAU * corner as f64 / per_feature as f64;
        let (x, y) = (x + 0.0004 * turn.cos(), y + 0.0004 * turn.sin());
        format!("F-{feature},{feature},{corner},{x:.8},{y:.8},timothy hay")
    });
}

fn open(folder: &Path, name: &str) -> Result<LayerReader> {
    LayerReader::open(&folder.join(name), None)
}

fn wgs84() -> Crs {
    Crs::from_epsg(4326).unwrap()
}

fn write() -> WriteOptions {
    WriteOptions { overwrite: true, verify: Some(false), ..WriteOptions::default() }
}

fn lines(folder: &Path, order: Option<&str>) -> Result<()> {
    let mut lines = BuildLines::grouped_by("field", wgs84());
    lines.vertices.order = order.map(str::to_string);
    lines.vertices.build.write = write();
    lines.run(&folder.join("vertices.csv"), &folder.join("out.fgb")).map(drop)
}

fn built(folder: &Path, ring: Option<&str>) -> Result<()> {
    let lines = BuildLines::grouped_by(if ring.is_some() { "crop" } else { "field" }, wgs84());
    let mut vertices = lines.vertices;
    vertices.build.write = write();
    let polygons =
        BuildPolygons { vertices, ring: ring.map(str::to_string), ..BuildPolygons::default() };
    polygons.run(&folder.join("vertices.csv"), &folder.join("out.fgb")).map(drop)
}

fn tag(folder: &Path) -> Result<()> {
    let tag = TagPoints { write: write(), ..TagPoints::default() };
    let (points, fields) = (open(folder, "gates.geojson")?, open(folder, "fields.geojson")?);
    tag.run(points, &fields, &folder.join("out.fgb")).map(drop)
}

fn join(folder: &Path, table: &str) -> Result<()> {
    let join = JoinTable { key: "gate".into(), write: write(), ..JoinTable::default() };
    let points = open(folder, "gates.geojson")?;
    join.run(points, &folder.join(table), &folder.join("out.fgb")).map(drop)
}

const CASES: [Case; 13] = [
    Case {
        name: "rows that are no vertices",
        count: 23_000,
        inputs: |folder, count| {
            text(folder, "vertices.csv", "field,lon,lat", count, |at| match at % 1_000 {
                0 => format!("F-{},-120.{},47", at / 2_000, at % 9_999 / 1_000),
                _ => "F-1,,47".to_string(),
            });
        },
        work: |folder| lines(folder, None),
    },
    Case {
        name: "keys that are not in the table",
        count: 23_000,
        inputs: |folder, count| {
            points(folder, count);
            std::fs::write(folder.join("few.csv"), "gate,cfs\nTG-7,2.5\n").unwrap();
        },
        // What is written of so many features takes memory too, which ends where it goes to the disk.
        work: |folder| {
            let join = JoinTable { key: "gate".into(), ..JoinTable::default() };
            join.report(&open(folder, "gates.geojson")?, &folder.join("few.csv")).map(drop)
        },
    },
    Case {
        name: "a layer of code",
        count: 11_500,
        inputs: |folder, count| polygons(folder, count, 4),
        work: |folder| open(folder, "fields.geojson")?.read().map(drop),
    },
    Case {
        name: "one line",
        count: 23_000,
        inputs: |folder, count| rows(folder, count, count),
        work: |folder| lines(folder, None),
    },
    Case {
        name: "lines of many vertices",
        count: 23_000,
        inputs: |folder, count| rows(folder, count, 100),
        work: |folder| lines(folder, None),
    },
    Case {
        name: "lines of many vertices in order",
        count: 23_000,
        inputs: |folder, count| rows(folder, count, 100),
        work: |folder| lines(folder, Some("no")),
    },
    Case {
        name: "lines of two vertices",
        count: 11_500,
        inputs: |folder, count| rows(folder, count, 2),
        work: |folder| lines(folder, None),
    },
    Case {
        name: "polygons of four vertices",
        count: 11_500,
        inputs: |folder, count| rows(folder, count, 4),
        work: |folder| built(folder, None),
    },
    Case {
        name: "rings of one feature",
        count: 11_500,
        inputs: |folder, count| rows(folder, count, 5),
        work: |folder| built(folder, Some("ring")),
    },
    Case {
        name: "squares that points are tagged from",
        count: 11_500,
        inputs: |folder, count| polygons(folder, count, 4),
        work: tag,
    },
    Case {
        name: "polygons of many corners that points are tagged from",
        count: 11_500,
        inputs: |folder, count| polygons(folder, count, 20),
        work: tag,
    },
    Case {
        name: "a table that is joined",
        count: 23_000,
        inputs: |folder, count| {
            points(folder, 3);
            text(folder, "readings.csv", "gate,note,cfs", count, |at| {
                format!("TG-{at},read by the ditch rider,{}", at % 97)
            });
        },
        work: |folder| join(folder, "readings.csv"),
    },
    Case {
        name: "a layer that is joined",
        count: 23_000,
        inputs: |folder, count| {
            points(folder, 3);
            features(folder, "more.geojson", count, |at| {
                (format!(r#""gate":"TG-{at}","cfs":{at}"#), "null".to_string())
            });
        },
        work: |folder| join(folder, "more.geojson"),
    },
];

/// What work is said to need, bytes: it is refused while less is allowed, and tells how much more it needs.
fn said(work: &dyn Fn() -> Result<()>) -> u64 {
    let mut said = 1_000_000;
    loop {
        limit_memory(NonZeroU64::new(said));
        let done = work();
        limit_memory(None);
        let Err(refused) = done else { return said };
        assert!(refused.is_memory(), "{refused}");
        match refused.advice() {
            Some(Advice::AllowMemory(bytes)) if *bytes > said => said = *bytes,
            other => panic!("{other:?} where {said} are allowed"),
        }
        // It grows a little with every part that is read.
        said += said / 20;
    }
}

/// What work takes, bytes, over what is there before.
fn taken(work: &dyn Fn() -> Result<()>) -> u64 {
    let before = MEMORY.current_usage();
    MEMORY.reset_peak_usage();
    work().unwrap();
    (MEMORY.peak_usage() - before) as u64
}

/// Hears what is told before the work, and ends it then.
#[derive(Default)]
struct Heard(Vec<Notice>);

impl Progress for Heard {
    fn at(&mut self, _done: u64, _total: Option<u64>) {
        if !self.0.is_empty() {
            std::panic::resume_unwind(Box::new("heard"));
        }
    }

    fn notice(&mut self, notice: &Notice) {
        self.0.push(notice.clone());
    }
}

#[test]
fn a_great_need_is_told_once_before_the_work() {
    let _turn = turn();
    // A gigabyte: many short rows, two of each line.
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    text(folder.path(), "vertices.csv", "field,lon,lat", 1_800_000, |at| {
        format!("{},{},{}", at / 2, -120 - (at % 2) as i32, 47)
    });
    let lines = BuildLines::grouped_by("field", wgs84());
    let mut heard = Heard::default();
    let ended = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
        lines.run_watched(&file("vertices.csv"), &file("out.fgb"), &mut heard).map(drop)
    }));
    assert!(ended.is_err());
    let [notice] = heard.0.as_slice() else { panic!("{:?}", heard.0) };
    assert_eq!(notice.kind, NoticeKind::Memory);
    assert_eq!(notice.severity, Severity::Note);
    let needed = notice.figure("needed").unwrap();
    assert!((1e9..2e9).contains(&needed), "{needed}");
    assert!(
        notice.text.contains(" rows of vertices have to be held in memory together"),
        "{notice}"
    );
    assert!(notice.text.contains(&format!("needs about {:.1} GB", needed / 1e9)), "{notice}");
    // Where even the first rows are too much, the whole is told all the same.
    limit_memory(NonZeroU64::new(1_000_000));
    let refused = lines.run(&file("vertices.csv"), &file("out.fgb")).unwrap_err();
    limit_memory(None);
    let Some(Advice::AllowMemory(bytes)) = refused.advice() else { panic!("{refused}") };
    assert!((0.6..2.0).contains(&(*bytes as f64 / needed)), "{refused}");
    // What is free, which this machine has: else it would have been refused.
    let available = notice.figure("available").unwrap();
    assert!(available > needed && available < 1e14, "{available}");
    assert!(!file("out.fgb").exists());
}

#[test]
fn a_topology_is_read_where_there_is_memory() {
    let _turn = turn();
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("ditches.topojson");
    let arc = |at: usize| format!("[[{},47],[{},47.1]]", at % 90, at % 90 + 1);
    let arcs = (0..50_000).map(arc).collect::<Vec<_>>().join(",");
    let line = r#"{"type":"LineString","arcs":[7],"properties":{"ditch":"T-1"}}"#;
    std::fs::write(
        &file,
        format!(r#"{{"type":"Topology","objects":{{"ditches":{line}}},"arcs":[{arcs}]}}"#),
    )
    .unwrap();
    let work = || LayerReader::open(&file, None).map(drop);
    let size = file.metadata().unwrap().len();
    limit_memory(NonZeroU64::new(size * 25 - 1));
    let refused = work().unwrap_err();
    limit_memory(None);
    assert!(refused.is_memory(), "{refused}");
    assert!(refused.to_string().contains(&format!("{size} bytes of a topology have")), "{refused}");
    // Arcs take less than features do.
    let ratio = (size * 25) as f64 / taken(&work) as f64;
    assert!((1.0..4.0).contains(&ratio), "{ratio}");
}

#[test]
fn too_little_leaves_nothing_behind() {
    let _turn = turn();
    for case in CASES {
        let folder = tempfile::tempdir().unwrap();
        (case.inputs)(folder.path(), case.count);
        let names = || {
            let files = std::fs::read_dir(folder.path()).unwrap();
            let mut names: Vec<_> = files.map(|file| file.unwrap().file_name()).collect();
            names.sort();
            names
        };
        let before = names();
        limit_memory(NonZeroU64::new(1_000_000));
        let refused = (case.work)(folder.path()).unwrap_err();
        limit_memory(None);
        assert_eq!(names(), before, "{}", case.name);
        let text = refused.to_string();
        for part in ["have to be held in memory together, which needs ", "; 1.0 MB are allowed"] {
            assert!(text.contains(part), "{}: {text}", case.name);
        }
        let file = refused.location().file.as_deref().unwrap();
        assert!(before.iter().any(|name| file.ends_with(name)), "{}: {text}", case.name);
    }
}

/// Work on the features of a folder.
type FolderWork = fn(&Path) -> Result<()>;

/// Work on the features of `fields.geojson`, and what a vertex of its largest ring takes at most, bytes.
const LARGE: [(&str, u64, FolderWork); 5] = [
    ("convert", 130, |folder| {
        let convert = ConvertLayer { write: write(), ..ConvertLayer::default() };
        convert.run(&open(folder, "fields.geojson")?, &folder.join("out.fgb")).map(drop)
    }),
    ("a layer of code", 130, |folder| {
        let layer = Layer::read(folder.join("fields.geojson"))?;
        layer.write_with(folder.join("out.fgb"), &write()).map(drop)
    }),
    ("measure", 290, |folder| {
        measure(&open(folder, "fields.geojson")?, &MeasureOptions::default()).map(drop)
    }),
    ("measure into columns", 290, |folder| {
        let columns = MeasureColumns { write: write(), ..MeasureColumns::default() };
        columns.run(open(folder, "fields.geojson")?, &folder.join("out.fgb")).map(drop)
    }),
    ("check", 290, |folder| {
        check(&[folder.join("fields.geojson")], &CheckOptions::default()).map(drop)
    }),
];

#[test]
fn features_of_many_vertices_are_worked_on_where_there_is_memory() {
    let _turn = turn();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path();
    features(path, "fields.geojson", 3, |at| {
        let corners = if at == 1 { 120_000 } else { 90_000 };
        let ring = ring(place(at), 0.0004, corners);
        (format!(r#""field":"F-{at}""#), format!(r#"{{"type":"Polygon","coordinates":[{ring}]}}"#))
    });
    for (name, bytes, work) in LARGE {
        let needed = 120_001 * bytes;
        limit_memory(NonZeroU64::new(needed - 1));
        let refused = work(path).unwrap_err();
        assert!(refused.is_memory(), "{name}: {refused}");
        assert_eq!(refused.advice(), Some(&Advice::AllowMemory(needed)), "{name}");
        // Of features that are counted from 1, those of fewer vertices aside.
        let which = if bytes == 130 { "one feature" } else { "feature 2" };
        let text = refused.to_string();
        assert!(text.contains(&format!("120001 vertices of {which} have")), "{name}: {text}");
        assert!(!path.join("out.fgb").exists(), "{name}");
        limit_memory(NonZeroU64::new(needed));
        work(path).unwrap();
        limit_memory(None);
        let _ = std::fs::remove_file(path.join("out.fgb"));
    }
}

#[test]
fn features_of_many_vertices_take_no_more_than_is_said() {
    let _turn = turn();
    // One ring that goes to and fro, of which all vertices are of the largest; many rings, of which none is.
    type Geometry = fn(usize) -> String;
    let shapes: [(&str, u64, Geometry); 2] = [
        ("teeth", 100, |count| {
            let corner = |at: usize| {
                let turn = std::f64::consts::TAU * (at % count) as f64 / count as f64;
                let radius = 0.2 * (1.0 + 0.05 * (at % 2) as f64);
                format!("[{:.9},{:.9}]", -120.0 + radius * turn.cos(), 47.3 + radius * turn.sin())
            };
            let corners = (0..=count).map(corner).collect::<Vec<_>>().join(",");
            format!(r#"{{"type":"Polygon","coordinates":[[{corners}]]}}"#)
        }),
        ("parts", 0, |count| {
            let parts = (0..count / 5).map(|at| format!("[{}]", ring(place(at), 0.0004, 4)));
            let parts = parts.collect::<Vec<_>>().join(",");
            format!(r#"{{"type":"MultiPolygon","coordinates":[{parts}]}}"#)
        }),
    ];
    let mut wrong = Vec::new();
    for (shape, longest, geometry) in shapes {
        let sizes = [57_500, 230_000].map(|count| {
            let folder = tempfile::tempdir().unwrap();
            features(folder.path(), "fields.geojson", 1, |_| {
                (r#""field":"F-1""#.to_string(), geometry(count))
            });
            folder
        });
        for (name, bytes, work) in LARGE {
            let [small, large] = sizes.each_ref().map(|folder| taken(&|| work(folder.path())));
            let each = (large as f64 - small as f64) / 172_500.0;
            let most = if bytes == 130 { bytes } else { bytes - 100 + longest };
            let line =
                format!("{name}, {shape}: {each:.0} bytes a vertex, said to be up to {most}");
            println!("{line}");
            if !(most as f64 / 3.0..=most as f64 * 1.1).contains(&each) {
                wrong.push(line);
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn what_work_needs_is_what_it_takes() {
    let _turn = turn();
    let mut wrong = Vec::new();
    for case in CASES {
        // What does not grow is the same in both, and so is the share of room that is left to grow.
        let [small, large] = [1, 4].map(|times| {
            let folder = tempfile::tempdir().unwrap();
            (case.inputs)(folder.path(), case.count * times);
            let work = || (case.work)(folder.path());
            (said(&work), taken(&work))
        });
        let ratio = (large.0 as f64 - small.0 as f64) / (large.1 as f64 - small.1 as f64);
        let each = (large.1 as f64 - small.1 as f64) / (3 * case.count) as f64;
        let line = format!(
            "{}: said to be {ratio:.2} times what is taken, {each:.0} bytes each",
            case.name
        );
        println!("{line}");
        // Lists that grow have more or less room left, which makes a third of it.
        if !(0.75..=1.4).contains(&ratio) {
            wrong.push(line);
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}
