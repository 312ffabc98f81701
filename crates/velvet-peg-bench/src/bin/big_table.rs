//! A table of millions of rows to a GeoPackage, filtered, cut and converted on the way: what it
//! takes in time (as a ratio to reading the table and doing nothing) and in memory (and how
//! much more ten times the rows take).
//!
//! ```text
//! cargo run --release -p velvet-peg-bench --bin big_table [ROWS]
//! ```
//!
//! 2,200,000 rows if not given. The table is made in the temporary folder, and removed. Peak
//! memory is that of a process of its own, as Linux counts it; elsewhere it is left out.

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::process::Command;
use std::time::Instant;
use velvet_peg::features::BuildOptions;
use velvet_peg::look::{Look, LookOptions};
use velvet_peg::table::{CoordinateColumns, TableOptions};
use velvet_peg::{BuildPoints, Crs, Result, Selection, look};

const HEADER: [&str; 19] = [
    "gate",
    "name",
    "district",
    "ditch",
    "section",
    "latitude",
    "longitude",
    "crest_ft",
    "cfs",
    "share",
    "owner",
    "rider",
    "opened",
    "closed",
    "state",
    "acres",
    "crop",
    "remark",
    "seal",
];

fn main() -> Result<()> {
    let arguments: Vec<String> = std::env::args().collect();
    if let [_, job, table, out] = arguments.as_slice() {
        return child(job, Path::new(table), Path::new(out));
    }
    let rows: u64 = arguments.get(1).and_then(|text| text.parse().ok()).unwrap_or(2_200_000);
    let folder = std::env::temp_dir().join(format!("velvet-peg-big-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let mut peaks = Vec::new();
    for rows in [rows / 10, rows] {
        let table = folder.join(format!("gates-{rows}.tsv"));
        make(&table, rows)?;
        let bytes = std::fs::metadata(&table)?.len();
        println!("{rows} rows of {} columns, {:.0} MB", HEADER.len(), bytes as f64 / 1e6);
        let floor = Instant::now();
        let read = read_only(&table)?;
        assert_eq!(read, rows + 1);
        let floor = floor.elapsed().as_secs_f64();
        println!("  read and nothing done      {floor:7.2} s");
        for (job, name) in [("look", "look, by parts"), ("look-all", "look, every row")] {
            let (seconds, peak) = timed(job, &table, &folder.join("none"))?;
            println!("  {name:<26} {seconds:7.2} s  {}", peak_text(peak));
        }
        let out = folder.join("gates.gpkg");
        let (seconds, peak) = timed("build", &table, &out)?;
        println!(
            "  filtered, cut, converted   {seconds:7.2} s  {}, {:.1} times the reading",
            peak_text(peak),
            seconds / floor
        );
        peaks.extend(peak);
        std::fs::remove_file(&out)?;
    }
    if let [small, large] = peaks.as_slice() {
        println!("ten times the rows: {:.2} times the memory", large / small);
    }
    std::fs::remove_dir_all(&folder)?;
    Ok(())
}

fn peak_text(peak: Option<f64>) -> String {
    peak.map_or("peak not known".to_string(), |mb| format!("{mb:.0} MB at the peak"))
}

/// Runs a job in a process of its own; its seconds and its peak in MB.
fn timed(job: &str, table: &Path, out: &Path) -> Result<(f64, Option<f64>)> {
    let start = Instant::now();
    let done = Command::new(std::env::current_exe()?).arg(job).arg(table).arg(out).output()?;
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let peak = String::from_utf8_lossy(&done.stdout).trim().parse().ok();
    Ok((start.elapsed().as_secs_f64(), peak))
}

fn child(job: &str, table: &Path, out: &Path) -> Result<()> {
    let reading = TableOptions::default();
    if job == "build" {
        let build = BuildPoints {
            columns: CoordinateColumns {
                x: Some("longitude".into()),
                y: Some("latitude".into()),
                ..CoordinateColumns::default()
            },
            packed: false,
            build: BuildOptions {
                crs: Some(Crs::from_epsg(4269)?),
                to: Some(Crs::from_epsg(2285)?),
                select: Selection {
                    condition: Some("cfs > 2 AND state = 'open' AND name NOT LIKE 'Fir%'".into()),
                    set: Vec::new(),
                    keep: ["gate", "name", "ditch", "cfs", "acres"].map(String::from).into(),
                    ..Selection::default()
                },
                ..BuildOptions::default()
            },
        };
        let outcome = build.run(table, out)?;
        assert_eq!(outcome.rows_in, outcome.out + outcome.left_out + outcome.rejected.count);
        assert!(outcome.out * 3 > outcome.rows_in, "{outcome:?}");
    } else {
        let options =
            LookOptions { table: reading, all: job == "look-all", ..LookOptions::default() };
        let Look::Table(found) = look(table, &options)? else {
            unreachable!("a text is a table");
        };
        assert_eq!(found.columns.len(), HEADER.len());
    }
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kilobytes = peak.and_then(|text| text.trim().strip_suffix(" kB")?.trim().parse().ok());
    if let Some(kilobytes) = kilobytes {
        let kilobytes: f64 = kilobytes;
        println!("{:.1}", kilobytes * 1024.0 / 1e6);
    }
    Ok(())
}

fn read_only(table: &Path) -> Result<u64> {
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(b'\t')
        .has_headers(false)
        .from_path(table)
        .map_err(|e| std::io::Error::other(e.to_string()))?;
    let mut record = csv::ByteRecord::new();
    let mut rows = 0;
    while reader.read_byte_record(&mut record).map_err(|e| std::io::Error::other(e.to_string()))? {
        rows += 1;
    }
    Ok(rows)
}

/// Invented gates along invented ditches.
fn make(path: &Path, rows: u64) -> Result<()> {
    let mut out = BufWriter::with_capacity(1 << 20, File::create(path)?);
    writeln!(out, "{}", HEADER.join("\t"))?;
    let names = ["Alder", "Birch", "Cedar", "Elder", "Fir", "Linden"];
    let crops = ["apples", "hay", "wheat", "hops", "corn"];
    let riders = ["Tobias Quill", "Mina Farrow", "Odell Brack"];
    let mut seed = 0x2545_f491_4f6c_dd1d_u64;
    for row in 0..rows {
        // Numbers that look random and are the same in every run (Marsaglia 2003).
        seed ^= seed << 13;
        seed ^= seed >> 7;
        seed ^= seed << 17;
        let part = |n: u64| (seed >> n) % 1000;
        let pick = |list: &[&'static str], n: u64| list[(seed >> n) as usize % list.len()];
        writeln!(
            out,
            "G-{row:07}\t{} {}\tTumblewick\tT-{}\t{}\t47.{:03}{:03}\t-119.{:03}{:03}\t{}.{}\t{}.{}\t\
             {}\tHolding {}\t{}\t2026-04-{:02}\t2026-09-{:02}\t{}\t{}.{:02}\t{}\tmade up\t{:08x}",
            pick(&names, 3),
            part(9),
            part(5) % 90,
            part(7) % 36 + 1,
            part(11),
            part(21),
            part(31),
            part(41),
            900 + part(2),
            part(3) % 10,
            part(13) % 12,
            part(17) % 10,
            part(19),
            part(23),
            pick(&riders, 29),
            part(1) % 28 + 1,
            part(4) % 28 + 1,
            if part(33) < 900 { "open" } else { "shut" },
            part(37) % 160,
            part(43) % 100,
            pick(&crops, 47),
            seed >> 32
        )?;
    }
    out.flush()?;
    Ok(())
}
