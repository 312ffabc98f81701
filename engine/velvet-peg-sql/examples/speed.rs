//! How fast the engine is, as ratios measured in one run: conversion against the library's own columns and against
//! reading a Parquet file alone, tagging, and two executors against one.
//!
//! ```text
//! cargo build --release && cargo run --release --example speed [ROWS [CHART.svg]]
//! ```
//!
//! 10,000,000 rows if not given. Executors are processes of the `vpeg-sql` that lies beside this program.

use datafusion::arrow::array::{Array, ArrayRef, AsArray, Float64Array, RecordBatch};
use datafusion::arrow::datatypes::Float64Type;
use datafusion::datasource::MemTable;
use datafusion::prelude::SessionContext;
use std::error::Error;
use std::net::{TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};
use velvet_peg_core::{Converter, Crs};
use velvet_peg_sql::session::{Limits, clustered, embedded};

type Result<T> = std::result::Result<T, Box<dyn Error>>;

/// Rows of a batch, as the engine has them where nothing else is said.
const BATCH: usize = 8_192;

/// Runs of each, of which the fastest counts.
const RUNS: usize = 3;

/// A place of North America by its number.
fn place(at: usize) -> (f64, f64) {
    (-124.0 + (at % 1_000) as f64 * 0.007, 45.6 + (at % 997) as f64 * 0.003)
}

/// The fastest of some runs, in seconds.
fn fastest(mut run: impl FnMut() -> Result<()>) -> Result<f64> {
    let mut best = f64::INFINITY;
    for _ in 0..RUNS {
        let began = Instant::now();
        run()?;
        best = best.min(began.elapsed().as_secs_f64());
    }
    Ok(best)
}

/// Two columns of places in memory.
fn memory(rows: usize) -> Result<MemTable> {
    let batches = (0..rows.div_ceil(BATCH)).map(|batch| {
        let (x, y): (Vec<f64>, Vec<f64>) =
            (batch * BATCH..rows.min((batch + 1) * BATCH)).map(place).unzip();
        let column = |values: Vec<f64>| Arc::new(Float64Array::from(values)) as ArrayRef;
        Ok(RecordBatch::try_from_iter([("x", column(x)), ("y", column(y))])?)
    });
    let batches = batches.collect::<Result<Vec<_>>>()?;
    Ok(MemTable::try_new(batches[0].schema(), vec![batches])?)
}

/// The one number that a query gives.
async fn number(context: &SessionContext, sql: &str) -> Result<f64> {
    let rows = context.sql(sql).await?.collect().await?;
    let found = rows.iter().find(|batch| batch.num_rows() > 0).ok_or("no row")?;
    let column = found.column(0).as_primitive::<Float64Type>();
    Ok(if column.is_null(0) { f64::NAN } else { column.value(0) })
}

const CONVERTED: &str = "SELECT sum(st_x(p)) + sum(st_y(p)) FROM \
    (SELECT st_transform(st_point(x, y, 'EPSG:4269'), 'EPSG:2285') AS p FROM t)";
const READ: &str = "SELECT sum(x) + sum(y) FROM t";
const TAGGED: &str = "SELECT CAST(count(*) AS DOUBLE) FROM \
    (SELECT st_point(x, y, 'EPSG:4269') AS p FROM t) AS points \
    JOIN (SELECT declare_system(shape, 'EPSG:4269') AS boundary FROM f) AS fields ON falls_in(p, boundary)";

/// Fields beside each other over all places: squares of so many in a row.
fn fields(across: usize) -> Result<MemTable> {
    let (width, height) = (7.0 / across as f64, 3.0 / across as f64);
    let square = |at: usize| -> Vec<u8> {
        let (west, south) =
            (-124.0 + (at % across) as f64 * width, 45.6 + (at / across) as f64 * height);
        let (east, north) = (west + width, south + height);
        let mut bytes = vec![1];
        [3_u32, 1, 5].iter().for_each(|number| bytes.extend(number.to_le_bytes()));
        for number in [west, south, east, south, east, north, west, north, west, south] {
            bytes.extend(f64::to_le_bytes(number));
        }
        bytes
    };
    let shapes = (0..across * across).map(square);
    let shapes = datafusion::arrow::array::BinaryArray::from_iter_values(shapes);
    let batch = RecordBatch::try_from_iter([("shape", Arc::new(shapes) as ArrayRef)])?;
    Ok(MemTable::try_new(batch.schema(), vec![vec![batch]])?)
}

/// A process that ends with its owner.
struct Process(Child);

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn port() -> Result<String> {
    Ok(TcpListener::bind("127.0.0.1:0")?.local_addr()?.port().to_string())
}

fn start(program: &Path, words: &[&str]) -> Result<Process> {
    let child =
        Command::new(program).args(words).stdout(Stdio::null()).stderr(Stdio::null()).spawn()?;
    Ok(Process(child))
}

/// Seconds of a conversion of the files of a folder by so many executors of one task each.
async fn by_executors(program: &Path, folder: &Path, executors: usize) -> Result<f64> {
    let at = port()?;
    let _scheduler = start(program, &["scheduler", "--port", &at])?;
    let began = Instant::now();
    while TcpStream::connect(format!("127.0.0.1:{at}")).is_err() {
        if began.elapsed() > Duration::from_secs(30) {
            return Err("the scheduler does not listen".into());
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let mut processes = Vec::new();
    for _ in 0..executors {
        let (own, control) = (port()?, port()?);
        let to = format!("127.0.0.1:{at}");
        let words = ["executor", "--scheduler", &to, "--port", &own, "--control-port", &control];
        processes.push(start(program, &words)?);
    }
    tokio::time::sleep(Duration::from_secs(3)).await;
    let context = clustered(&format!("http://127.0.0.1:{at}")).await?;
    let table =
        format!("CREATE EXTERNAL TABLE t STORED AS PARQUET LOCATION '{}/'", folder.display());
    context.sql(&table).await?.collect().await?;
    let mut best = f64::INFINITY;
    for _ in 0..RUNS {
        let began = Instant::now();
        number(&context, CONVERTED).await?;
        best = best.min(began.elapsed().as_secs_f64());
    }
    Ok(best)
}

/// A line of the table, and of the chart.
struct Figure {
    what: String,
    seconds: f64,
    ratio: String,
}

#[tokio::main]
async fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let rows: usize = arguments.next().map_or(Ok(10_000_000), |text| text.parse())?;
    let chart = arguments.next().map(PathBuf::from);
    let program = std::env::current_exe()?
        .parent()
        .and_then(Path::parent)
        .ok_or("no folder")?
        .join(format!("vpeg-sql{}", std::env::consts::EXE_SUFFIX));
    let (x, y): (Vec<f64>, Vec<f64>) = (0..rows).map(place).unzip();
    let way = Converter::new(&Crs::from_epsg(4269)?, &Crs::from_epsg(2285)?)?;
    let library = fastest(|| {
        let (mut x, mut y) = (x.clone(), y.clone());
        for (x, y) in x.chunks_mut(BATCH).zip(y.chunks_mut(BATCH)) {
            way.convert_columns(x, y, None);
        }
        std::hint::black_box((x.iter().sum::<f64>(), y.iter().sum::<f64>()));
        Ok(())
    })?;
    let limits = Limits { threads: Some(1), ..Limits::default() };
    let one = embedded(limits)?;
    one.register_table("t", Arc::new(memory(rows)?))?;
    one.register_table("f", Arc::new(fields(100)?))?;
    let timed = async |context: &SessionContext, sql: &str| -> Result<f64> {
        let mut best = f64::INFINITY;
        for _ in 0..RUNS {
            let began = Instant::now();
            number(context, sql).await?;
            best = best.min(began.elapsed().as_secs_f64());
        }
        Ok(best)
    };
    let engine = timed(&one, CONVERTED).await?;
    let tagged = timed(&one, TAGGED).await?;
    let folder = tempfile::tempdir()?;
    // Eight files, so that two executors have something to share.
    for part in 0..8 {
        let to = folder.path().join(format!("{part}.parquet"));
        let select = format!("SELECT * FROM t LIMIT {} OFFSET {}", rows / 8, rows / 8 * part);
        let copy = format!("COPY ({select}) TO '{}' STORED AS PARQUET", to.display());
        one.sql(&copy).await?.collect().await?;
    }
    let files = embedded(limits)?;
    let table = format!(
        "CREATE EXTERNAL TABLE t STORED AS PARQUET LOCATION '{}/'",
        folder.path().display()
    );
    files.sql(&table).await?.collect().await?;
    let (read, read_and_converted) = (timed(&files, READ).await?, timed(&files, CONVERTED).await?);
    let mut figures = vec![
        figure("the library, columns in memory", library, String::new()),
        figure(
            "the engine, columns in memory",
            engine,
            format!("{:.2} times the library", engine / library),
        ),
        figure(
            "tagged with 10,000 fields in memory",
            tagged,
            format!("{:.2} times converting", tagged / engine),
        ),
        figure("reading Parquet", read, String::new()),
        figure(
            "reading Parquet and converting",
            read_and_converted,
            format!("{:.2} times reading", read_and_converted / read),
        ),
    ];
    if program.exists() {
        let alone = by_executors(&program, folder.path(), 1).await?;
        let both = by_executors(&program, folder.path(), 2).await?;
        figures.push(figure(
            "a cluster of one executor",
            alone,
            format!("{:.2} times one process", alone / read_and_converted),
        ));
        figures.push(figure(
            "a cluster of two executors",
            both,
            format!("{:.2} times as fast as one", alone / both),
        ));
    } else {
        eprintln!("{} is not there: build it for the figures of a cluster", program.display());
    }
    println!("{rows} points, EPSG:4269 to EPSG:2285, one thread, the fastest of {RUNS} runs\n");
    println!("| | s | million points a second | |\n| --- | ---: | ---: | --- |");
    for Figure { what, seconds, ratio } in &figures {
        println!("| {what} | {seconds:.2} | {:.1} | {ratio} |", rows as f64 / seconds / 1e6);
    }
    if let Some(chart) = chart {
        std::fs::write(&chart, drawn(&figures, rows))?;
        println!("\nwrote {}", chart.display());
    }
    Ok(())
}

fn figure(what: &str, seconds: f64, ratio: String) -> Figure {
    Figure { what: what.to_string(), seconds, ratio }
}

/// Bars of seconds.
fn drawn(figures: &[Figure], rows: usize) -> String {
    let most = figures.iter().map(|figure| figure.seconds).fold(0.0, f64::max);
    let (left, width, row) = (340.0, 560.0, 44.0);
    let height = 96.0 + row * figures.len() as f64;
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 1180 {height}\" font-family=\"sans-serif\" font-size=\"16\">\n\
         <rect width=\"1180\" height=\"{height}\" fill=\"#fffdf7\"/>\n\
         <text x=\"24\" y=\"36\" font-size=\"20\">Seconds for {rows} points, EPSG:4269 to EPSG:2285 (shorter is faster)</text>\n"
    );
    for (at, figure) in figures.iter().enumerate() {
        let y = 64.0 + row * at as f64;
        let long = width * figure.seconds / most;
        let fill = if figure.what.contains("executor") { "#8a5a2b" } else { "#3f6f5e" };
        let ratio = match figure.ratio.as_str() {
            "" => String::new(),
            ratio => format!(" s, {ratio}"),
        };
        svg += &format!(
            "<text x=\"{}\" y=\"{}\" text-anchor=\"end\">{}</text>\n\
             <rect x=\"{left}\" y=\"{y}\" width=\"{long:.1}\" height=\"28\" fill=\"{fill}\"/>\n\
             <text x=\"{:.1}\" y=\"{}\">{:.2}{}</text>\n",
            left - 12.0,
            y + 20.0,
            figure.what,
            left + long + 8.0,
            y + 20.0,
            figure.seconds,
            if ratio.is_empty() { " s" } else { &ratio },
        );
    }
    svg + "</svg>\n"
}
