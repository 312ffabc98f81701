//! What floods take: rows, vertices, rings, parts, columns and attributes without measure through every command
//! of `vpeg`, in time and in memory, and how both grow when there are ten times as many.
//!
//! ```text
//! cargo build --release -p vpeg && cargo run --release -p velvet-peg-bench --bin floods [ROWS [WORD]]
//! ```
//!
//! 1,000,000 rows, and a tenth of them, if not given; with a word only the floods whose line, or what it is of, has it. Files lie in
//! the temporary folder, and are removed. What a command says before its work that it will need stands beside what it
//! took. The program is the `vpeg` that lies beside this one. Peak memory is what
//! Linux counts of the process; elsewhere it is left out. What is refused is told with the reason.

use std::error::Error;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

type Result<T> = std::result::Result<T, Box<dyn Error>>;

/// What a flood is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Of {
    /// Rows of a table.
    Rows,
    /// Rows of a table that stand for the points of `Rows` by their key.
    Keys,
    /// Pairs of places.
    Pairs,
    /// Points of a layer.
    Points,
    /// Polygons of a layer, a third as many.
    Polygons,
    /// Features in one line of text.
    OneLine,
    /// Vertices of one ring.
    Vertices,
    /// Vertices of one ring that goes to and fro.
    Teeth,
    /// Holes of one polygon.
    Holes,
    /// Parts of one polygon.
    Parts,
    /// Long thin holes beside each other aslant, of one polygon.
    Bars,
    /// Parts of one polygon, each with a hole.
    Ponds,
    /// Rows of the vertices of one ring.
    Corners,
    /// Rows of four vertices of each of many rings of one polygon.
    Rings,
    /// Columns of a table of 200 rows.
    Columns,
    /// Attributes of one placemark.
    Attributes,
}

/// What a run is given, and the command; `IN`, `OTHER` and `OUT.` stand for files.
const FLOODS: [(Of, &str); 44] = [
    (Of::Rows, "look IN"),
    (Of::Rows, "build points IN --crs EPSG:4269 -o OUT.gpkg"),
    (Of::Rows, "build lines IN --crs EPSG:4269 --by rider -o OUT.gpkg"),
    (Of::Rows, "build points IN --crs EPSG:4269 --to EPSG:2285 -o OUT.csv"),
    (Of::Pairs, "course IN --from lon1,lat1 --to lon2,lat2 -o OUT.csv"),
    (Of::Points, "look IN"),
    (Of::Points, "declare IN --crs EPSG:4326 -o OUT.gpkg"),
    (Of::Points, "convert IN --to EPSG:2285 -o OUT.gpkg"),
    (Of::Points, "convert IN -o OUT.geojson"),
    (Of::Points, "convert IN -o OUT.parquet"),
    (Of::Points, "convert IN -o OUT.fgb"),
    (Of::Points, "convert IN -o OUT.shp"),
    (Of::Points, "convert IN -o OUT.kml"),
    (Of::Points, "convert IN -o OUT.dxf"),
    (Of::Points, "convert IN -o OUT.xlsx"),
    (Of::Points, "fields IN --where crest_ft>1000 -o OUT.gpkg"),
    (Of::Points, "join IN OTHER --on gate -o OUT.gpkg"),
    (Of::Points, "tag IN --from OTHER -o OUT.gpkg"),
    (Of::Points, "check IN"),
    (Of::Points, "zone IN"),
    (Of::Points, "draw IN -o OUT.png"),
    (Of::Points, "draw IN -o OUT.html"),
    (Of::Points, "pack IN -o OUT.zip"),
    (Of::Polygons, "convert IN --to EPSG:2285 -o OUT.gpkg"),
    (Of::Polygons, "measure IN -o OUT.gpkg"),
    (Of::Polygons, "check IN"),
    (Of::Polygons, "draw IN -o OUT.svg"),
    (Of::OneLine, "convert IN -o OUT.gpkg"),
    (Of::Vertices, "convert IN --to EPSG:2285 -o OUT.gpkg"),
    (Of::Vertices, "measure IN"),
    (Of::Vertices, "draw IN -o OUT.png"),
    (Of::Teeth, "measure IN"),
    (Of::Teeth, "draw IN -o OUT.png"),
    (Of::Holes, "measure IN"),
    (Of::Holes, "check IN"),
    (Of::Parts, "measure IN"),
    (Of::Parts, "convert IN -o OUT.shp"),
    (Of::Bars, "check IN"),
    (Of::Ponds, "convert IN -o OUT.shp"),
    (Of::Corners, "build polygons IN --crs EPSG:4269 --by field -o OUT.gpkg"),
    (Of::Rings, "build polygons IN --crs EPSG:4269 --by field --ring ring -o OUT.gpkg"),
    (Of::Columns, "build points IN --crs EPSG:4269 -o OUT.geojson"),
    (Of::Columns, "look IN"),
    (Of::Attributes, "convert IN -o OUT.geojson"),
];

impl Of {
    fn name(self) -> &'static str {
        match self {
            Of::Rows => "rows",
            Of::Keys => "keys",
            Of::Pairs => "pairs",
            Of::Points => "points",
            Of::Polygons => "polygons",
            Of::OneLine => "features in a line",
            Of::Vertices => "vertices of a ring",
            Of::Teeth => "teeth of a ring",
            Of::Holes => "holes",
            Of::Parts => "parts",
            Of::Bars => "holes aslant",
            Of::Ponds => "parts with a hole",
            Of::Corners => "rows of a ring",
            Of::Rings => "rows of rings",
            Of::Columns => "columns",
            Of::Attributes => "attributes",
        }
    }

    /// How many there are, where there are so many rows.
    fn count(self, rows: usize) -> usize {
        match self {
            Of::Keys => 2 * rows,
            Of::Polygons => rows * 3 / 10,
            Of::Columns => rows / 200,
            Of::Attributes => rows / 20,
            Of::Ponds => rows / 2,
            _ => rows,
        }
    }

    fn file(self) -> &'static str {
        match self {
            Of::Rows | Of::Keys | Of::Pairs | Of::Columns | Of::Corners | Of::Rings => "csv",
            Of::Points => "gpkg",
            Of::Attributes => "kml",
            Of::Polygons | Of::OneLine | Of::Vertices | Of::Teeth => "geojson",
            Of::Holes | Of::Parts | Of::Bars | Of::Ponds => "geojson",
        }
    }
}

/// The place of one of many in the district, spread over it.
fn place(at: usize, count: usize) -> (f64, f64, f64) {
    let across = (count as f64).sqrt().ceil();
    let (column, row) = (at as f64 % across, (at as f64 / across).floor());
    (-120.3 + 0.6 * column / across, 47.0 + 0.5 * row / across, 0.4 / across)
}

fn square(at: usize, count: usize, clockwise: bool) -> String {
    let (x, y, side) = place(at, count);
    let (a, b) = if clockwise { ((0.0, side), (side, 0.0)) } else { ((side, 0.0), (0.0, side)) };
    format!(
        "[[{x:.9},{y:.9}],[{:.9},{:.9}],[{:.9},{:.9}],[{:.9},{:.9}],[{x:.9},{y:.9}]]",
        x + a.0,
        y + a.1,
        x + side,
        y + side,
        x + b.0,
        y + b.1
    )
}

fn write(of: Of, count: usize, to: &Path) -> Result<()> {
    let mut out = BufWriter::new(File::create(to)?);
    let feature = |out: &mut BufWriter<File>, kind: &str| {
        let head = "{\"type\":\"FeatureCollection\",\"features\":[{\"type\":\"Feature\",\"properties\":{\"field\":\"F1\"}";
        write!(out, "{head},\"geometry\":{{\"type\":\"{kind}\",\"coordinates\":[")
    };
    match of {
        Of::Rows | Of::Points => {
            writeln!(out, "gate,latitude,longitude,crest_ft,rider")?;
            for at in 0..count {
                // Neighbours in the file are not neighbours on the ground.
                let (lon, lat, _) = place((at * 7_919) % count, count);
                let (crest, rider) = (900 + at % 400, at / 100);
                writeln!(out, "TG-{at},{lat:.7},{lon:.7},{crest},rider {rider}")?;
            }
        }
        Of::Keys => {
            writeln!(out, "gate,note,cfs")?;
            for at in 0..count {
                writeln!(out, "TG-{at},note {},{}", at * 7, at % 97)?;
            }
        }
        Of::Pairs => {
            writeln!(out, "pair,lat1,lon1,lat2,lon2")?;
            for at in 0..count {
                let ((a, b, _), (c, d, _)) = (place(at, count), place((at * 7_919) % count, count));
                writeln!(out, "{at},{b:.7},{a:.7},{d:.7},{c:.7}")?;
            }
        }
        Of::Polygons | Of::OneLine => {
            write!(out, "{{\"type\":\"FeatureCollection\",\"features\":[")?;
            let end = if of == Of::OneLine { "" } else { "\n" };
            for at in 0..count {
                let comma = if at == 0 { "" } else { "," };
                let ring = square(at, count, false);
                write!(
                    out,
                    "{comma}{end}{{\"type\":\"Feature\",\"properties\":{{\"field\":\"F{at}\"}},\
                     \"geometry\":{{\"type\":\"Polygon\",\"coordinates\":[{ring}]}}}}"
                )?;
            }
            write!(out, "]}}")?;
        }
        Of::Vertices => {
            feature(&mut out, "Polygon")?;
            let vertex = |at: usize| {
                let turn = std::f64::consts::TAU * at as f64 / count as f64;
                let radius = 0.2 * (1.0 + 0.05 * (97.0 * turn).sin());
                format!("[{:.9},{:.9}]", -120.0 + radius * turn.cos(), 47.3 + radius * turn.sin())
            };
            write!(out, "[")?;
            for at in 0..count {
                write!(out, "{},", vertex(at))?;
            }
            write!(out, "{}]]}}}}]}}", vertex(0))?;
        }
        Of::Teeth => {
            feature(&mut out, "Polygon")?;
            let vertex = |at: usize| {
                let turn = std::f64::consts::TAU * at as f64 / count as f64;
                let radius = 0.2 * (1.0 + 0.05 * (at % 2) as f64);
                format!("[{:.9},{:.9}]", -120.0 + radius * turn.cos(), 47.3 + radius * turn.sin())
            };
            write!(out, "[")?;
            for at in 0..count {
                write!(out, "{},", vertex(at))?;
            }
            write!(out, "{}]]}}}}]}}", vertex(0))?;
        }
        Of::Holes => {
            feature(&mut out, "Polygon")?;
            write!(out, "[[-121,46],[-119,46],[-119,48],[-121,48],[-121,46]]")?;
            for at in 0..count {
                write!(out, ",{}", square(at, count, true))?;
            }
            write!(out, "]}}}}]}}")?;
        }
        Of::Parts => {
            feature(&mut out, "MultiPolygon")?;
            for at in 0..count {
                let comma = if at == 0 { "" } else { "," };
                write!(out, "{comma}[{}]", square(at, count, false))?;
            }
            write!(out, "]}}}}]}}")?;
        }
        Of::Bars => {
            feature(&mut out, "Polygon")?;
            write!(out, "[[-130,40],[-110,40],[-110,56],[-130,56],[-130,40]]")?;
            for at in 0..count {
                // One beside the other, of different lengths.
                let (x, width) = (-121.0 + 2.0 * at as f64 / count as f64, 1.0 / count as f64);
                let long = 1.0 + ((at * 7_919) % count) as f64 / count as f64;
                let far = |x: f64| format!("[{:.9},{:.9}]", x + long, 46.0 + long);
                let near = |x: f64| format!("[{x:.9},46]");
                let (a, b) = (x, x + width);
                write!(out, ",[{},{},{},{},{}]", near(a), far(a), far(b), near(b), near(a))?;
            }
            write!(out, "]}}}}]}}")?;
        }
        Of::Ponds => {
            feature(&mut out, "MultiPolygon")?;
            for at in 0..count {
                let comma = if at == 0 { "" } else { "," };
                // The hole fills the middle quarter.
                let (x, y, side) = place(at, count);
                let (a, b) = (x + side / 4.0, y + side / 4.0);
                let (c, d) = (a + side / 2.0, b + side / 2.0);
                write!(
                    out,
                    "{comma}[{},[[{a:.9},{b:.9}],[{a:.9},{d:.9}],[{c:.9},{d:.9}],[{c:.9},{b:.9}],[{a:.9},{b:.9}]]]",
                    square(at, count, false)
                )?;
            }
            write!(out, "]}}}}]}}")?;
        }
        Of::Corners => {
            writeln!(out, "field,longitude,latitude")?;
            for at in 0..count {
                let turn = std::f64::consts::TAU * at as f64 / count as f64;
                writeln!(out, "F1,{:.9},{:.9}", -120.0 + turn.cos(), 47.3 + turn.sin())?;
            }
        }
        Of::Rings => {
            writeln!(out, "field,ring,longitude,latitude")?;
            for ring in 0..count / 4 {
                let (x, y, side) = place(ring, count / 4);
                for (dx, dy) in [(0.0, 0.0), (side, 0.0), (side, side), (0.0, side)] {
                    writeln!(out, "F1,{ring},{:.9},{:.9}", x + dx, y + dy)?;
                }
            }
        }
        Of::Columns => {
            let names: Vec<String> = (0..count).map(|at| format!("c{at}")).collect();
            writeln!(out, "latitude,longitude,{}", names.join(","))?;
            for row in 0..200 {
                let (lon, lat, _) = place(row, 200);
                let values: Vec<String> =
                    (0..count).map(|at| (at * row % 1000).to_string()).collect();
                writeln!(out, "{lat:.7},{lon:.7},{}", values.join(","))?;
            }
        }
        Of::Attributes => {
            write!(
                out,
                "<kml xmlns=\"http://www.opengis.net/kml/2.2\"><Document><Placemark><ExtendedData>"
            )?;
            for at in 0..count {
                write!(out, "<Data name=\"k{at}\"><value>{at}</value></Data>")?;
            }
            write!(
                out,
                "</ExtendedData><Point><coordinates>-120,47</coordinates></Point></Placemark>\
                 </Document></kml>"
            )?;
        }
    }
    Ok(out.flush()?)
}

/// Time and peak memory, in MB where it is known.
struct Took {
    time: Duration,
    memory: Option<f64>,
    /// What it was said to need before the work, where that was much.
    told: Option<String>,
}

fn run(program: &Path, folder: &Path, line: &str) -> Result<Took> {
    let said = folder.join("said.txt");
    let began = Instant::now();
    let mut child = Command::new(program)
        .args(line.split(' '))
        .args(["--overwrite", "--no-questions"].iter().skip(usize::from(!line.contains(" -o "))))
        .current_dir(folder)
        .stdout(Stdio::null())
        .stderr(File::create(&said)?)
        .spawn()?;
    let status = format!("/proc/{}/status", child.id());
    let mut memory = None;
    loop {
        if let Ok(text) = std::fs::read_to_string(&status) {
            let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
            let kilobytes = line.and_then(|line| line.split_whitespace().next()?.parse().ok());
            memory = kilobytes.map(|kb: f64| kb / 1e3).or(memory);
        }
        if let Some(end) = child.try_wait()? {
            if !end.success() {
                let said = std::fs::read_to_string(&said)?;
                return Err(format!("vpeg {line}: {}", said.trim_end()).into());
            }
            let said = std::fs::read_to_string(&said)?;
            let told = said.lines().find_map(|line| line.split_once("which needs "));
            let told = told.and_then(|(_, rest)| rest.split(';').next()).map(String::from);
            return Ok(Took { time: began.elapsed(), memory, told });
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}

/// The files of a flood, made once.
fn made(program: &Path, folder: &Path, of: Of, count: usize) -> Result<PathBuf> {
    let path = folder.join(format!("{of:?}-{count}.{}", of.file()));
    if !path.exists() && of == Of::Points {
        let table = made(program, folder, Of::Rows, count)?;
        let line =
            format!("build points {} --crs EPSG:4269 -o {}", table.display(), path.display());
        run(program, folder, &line)?;
    } else if !path.exists() {
        write(of, count, &path)?;
    }
    Ok(path)
}

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let rows: usize = arguments.next().map_or(Ok(1_000_000), |text| text.parse())?;
    let word = arguments.next().unwrap_or_default();
    let program =
        std::env::current_exe()?.with_file_name(format!("vpeg{}", std::env::consts::EXE_SUFFIX));
    if !program.exists() {
        return Err(format!("{} is not there: build vpeg first", program.display()).into());
    }
    let folder = tempfile::tempdir()?;
    println!("| of | how many | command | s | MB | a tenth takes: time | memory |");
    println!("| --- | ---: | --- | ---: | ---: | ---: | ---: |");
    for (of, line) in
        FLOODS.iter().filter(|(of, line)| line.contains(&word) || of.name().contains(&word))
    {
        let took = [rows / 10, rows].map(|rows| -> Result<Took> {
            let made = |of: Of| made(&program, folder.path(), of, of.count(rows));
            let path = made(*of)?;
            let name = |path: &Path| path.display().to_string();
            let mut filled = line.replace("IN", &name(&path));
            if line.contains("OTHER") {
                let other = if line.starts_with("join") { Of::Keys } else { Of::Polygons };
                let other = made(other)?;
                filled = filled.replace("OTHER", &name(&other));
            }
            run(&program, folder.path(), &filled.replace("OUT", "out"))
        });
        for entry in std::fs::read_dir(folder.path())? {
            let entry = entry?;
            if entry.file_name().to_string_lossy().starts_with("out.") {
                std::fs::remove_file(entry.path())?;
            }
        }
        let (tenth, whole) = match took {
            [Ok(tenth), Ok(whole)] => (tenth, whole),
            [Err(error), _] | [_, Err(error)] => {
                let text = error.to_string();
                let words: Vec<&str> = text.lines().filter(|line| line.contains("error")).collect();
                let (name, count) = (of.name(), of.count(rows));
                println!("| {name} | {count} | `{line}` | refused: {} | | | |", words.join(" "));
                continue;
            }
        };
        let share = |a: f64, b: f64| format!("1/{:.1}", b / a);
        let memory = whole.memory.map_or(String::new(), |mb| format!("{mb:.0}"));
        let memory = match &whole.told {
            Some(told) => format!("{memory} (told before: {told})"),
            None => memory,
        };
        println!(
            "| {} | {} | `{line}` | {:.1} | {memory} | {} | {} |",
            of.name(),
            of.count(rows),
            whole.time.as_secs_f64(),
            share(tenth.time.as_secs_f64(), whole.time.as_secs_f64()),
            tenth.memory.zip(whole.memory).map_or(String::new(), |(a, b)| share(a, b)),
        );
    }
    Ok(())
}
