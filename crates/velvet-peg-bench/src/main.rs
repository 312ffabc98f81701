//! The table of ratios: what each kernel costs against a floor measured in the same run.
//!
//! ```text
//! cargo run --release -p velvet-peg-bench
//! ```
//!
//! The floor of a conversion is four `f64::sin_cos` a point, that of a geodesic one; that of a table is a
//! plain copy of the same records through the csv crate. Floor and kernel run by turns, a ratio is the
//! median of those of all turns, and time is that of the processor spent in this thread where the system
//! tells it: a machine that is busy otherwise changes little. Every result is checked, so that nothing is
//! optimised away.

use std::fs::File;
use std::hint::black_box;
use std::path::Path;
use std::time::{Duration, Instant};
use velvet_peg::table::AppendOptions;
use velvet_peg::table::CoordinateColumns;
use velvet_peg::{
    Bounds, ConvertTable, Converter, Coordinate, Crs, Geodesic, Geographic, PlanOptions, Result,
    registry,
};

mod clock;

use clock::{Spent, by_turns, by_turns_on_the_wall};

/// What fits the second cache: a kernel is measured, not the memory.
const POINTS: usize = 1 << 15;
const ROWS: usize = 500_000;

fn main() -> Result<()> {
    println!("floor of a conversion: four f64::sin_cos a point; columns of {POINTS} points\n");
    println!("{:<56} {:>10} {:>8}", "kernel", "ns a point", "ratio");
    for (name, from, to) in KERNELS {
        let spent = conversion(*from, *to)?;
        row(name, spent);
    }
    println!("\none position per call");
    for (name, from, to) in &KERNELS[..4] {
        row(name, singly(*from, *to)?);
    }
    println!("\nfloor of a geodesic: one f64::sin_cos");
    row("geodesic inverse, up to 60 km", geodesics(0.35));
    row("geodesic inverse, up to 60 km, columns", geodesic_columns(0.35));
    row("geodesic inverse, anywhere", geodesics(180.0));
    let lookup = best(|| {
        for _ in 0..1000 {
            assert!(black_box(Crs::from_epsg(black_box(2286))).is_ok());
        }
    });
    println!(
        "\nregistry lookup by code: {:.2} µs (embedded {} bytes)",
        lookup.as_secs_f64() * 1e3,
        registry::embedded_bytes()
    );
    let (geographic, grid) = (Crs::from_epsg(4269)?, Crs::from_epsg(2286)?);
    let planning = best(|| {
        for _ in 0..1000 {
            assert!(black_box(Converter::new(&geographic, &grid)).is_ok());
        }
    });
    println!("planning a converter on one datum: {:.2} µs", planning.as_secs_f64() * 1e3);
    let shifted = best(|| {
        for _ in 0..10 {
            assert!(
                black_box(Converter::new(&Crs::from_epsg(4326).expect("WGS 84"), &grid)).is_ok()
            );
        }
    });
    println!("planning with a change of datum: {:.0} µs", shifted.as_secs_f64() * 1e5);
    plans();
    table()
}

const KERNELS: &[(&str, u32, u32)] = &[
    ("Transverse Mercator forward (UTM 10N)", 4326, 32610),
    ("Transverse Mercator inverse (UTM 10N)", 32610, 4326),
    ("Lambert Conic Conformal 2SP forward (EPSG:2286)", 4269, 2286),
    ("Lambert Conic Conformal 2SP inverse (EPSG:2286)", 2286, 4269),
    ("Lambert Conic Conformal 1SP forward (EPSG:24200)", 4242, 24200),
    ("Lambert Conic Conformal 1SP inverse (EPSG:24200)", 24200, 4242),
    ("Albers Equal Area forward (EPSG:5070)", 4269, 5070),
    ("Albers Equal Area inverse (EPSG:5070)", 5070, 4269),
    ("Mercator forward (EPSG:3395)", 4326, 3395),
    ("Mercator inverse (EPSG:3395)", 3395, 4326),
    ("Pseudo-Mercator forward (EPSG:3857)", 4326, 3857),
    ("Polar Stereographic forward (EPSG:3031)", 4326, 3031),
    ("Polar Stereographic inverse (EPSG:3031)", 3031, 4326),
    ("Oblique Stereographic forward (EPSG:28992)", 4289, 28992),
    ("Oblique Stereographic inverse (EPSG:28992)", 28992, 4289),
    ("Hotine Oblique Mercator forward (EPSG:26931)", 4269, 26931),
    ("Hotine Oblique Mercator inverse (EPSG:26931)", 26931, 4269),
    ("Lambert Azimuthal Equal Area forward (EPSG:3035)", 4258, 3035),
    ("Lambert Azimuthal Equal Area inverse (EPSG:3035)", 3035, 4258),
    ("Krovak forward (EPSG:5514)", 4156, 5514),
    ("Krovak inverse (EPSG:5514)", 5514, 4156),
    ("Cassini-Soldner forward (EPSG:30200)", 4302, 30200),
    ("Cassini-Soldner inverse, by iteration (EPSG:30200)", 30200, 4302),
    ("Polyconic forward (EPSG:5880)", 4674, 5880),
    ("Polyconic inverse, by iteration (EPSG:5880)", 5880, 4674),
    ("New Zealand Map Grid forward (EPSG:27200)", 4272, 27200),
    ("New Zealand Map Grid inverse, by iteration (EPSG:27200)", 27200, 4272),
    ("Laborde forward (EPSG:29702)", 4810, 29702),
    ("Laborde inverse, by iteration (EPSG:29702)", 29702, 4810),
    ("Equal Earth forward (EPSG:8857)", 4326, 8857),
    ("Equal Earth inverse (EPSG:8857)", 8857, 4326),
    ("Azimuthal Equidistant forward, one by one (EPSG:27704)", 4326, 27704),
    ("Azimuthal Equidistant inverse, one by one (EPSG:27704)", 27704, 4326),
    ("geographic to geocentric (EPSG:4979 to 4978)", 4979, 4978),
    ("geocentric to geographic (EPSG:4978 to 4979)", 4978, 4979),
    ("datum shift, 3 parameters (NAD27 to WGS 84)", 4267, 4326),
    ("datum shift, 3 parameters, back", 4326, 4267),
    ("datum shift, 7 parameters (OSGB36 to WGS 84)", 4277, 4326),
    ("state plane to UTM (EPSG:2286 to 32610)", 2286, 32610),
];

fn row(name: &str, spent: Spent) {
    println!("{name:<56} {:>10.1} {:>8.2}", spent.kernel_ns(), spent.ratio());
}

/// So many `sin_cos` a point.
fn floor(points: usize, each: u32) {
    let sum: f64 = (0..points)
        .map(|i| {
            let angle = i as f64 * 1e-6;
            (0..each).map(|k| (angle + f64::from(k)).sin_cos()).map(|(s, c)| s + c).sum::<f64>()
        })
        .sum();
    assert!(black_box(sum).is_finite());
}

fn best(run: impl FnMut()) -> Duration {
    let spent = by_turns(1, 5, || (), run);
    spent.least()
}

/// Positions in the middle of the target's (or source's) area of use.
fn positions(from: u32, to: u32) -> Result<(Converter, [Vec<f64>; 3])> {
    let (source, target) = (Crs::from_epsg(from)?, Crs::from_epsg(to)?);
    let converter = Converter::new(&source, &target)?;
    let back = Converter::new(&target, &source)?;
    // The smaller of the two; over the antimeridian the east is less than the west.
    let size = |area: &Bounds| {
        let wide = if area.east < area.west { 360.0 } else { 0.0 };
        (area.north - area.south) * (area.east - area.west + wide)
    };
    let area = [&source, &target]
        .iter()
        .filter_map(|crs| crs.extent().boxes().first().copied())
        .min_by(|a, b| size(a).total_cmp(&size(b)))
        .expect("an area of use");
    let middle = (area.south + area.north) / 2.0;
    let reach = ((area.north - area.south) / 4.0).min(5.0);
    let lon0 = (area.west + area.east) / 2.0;
    let share = |i: usize, step: f64| (i as f64 * step).fract() - 0.5;
    let mut x: Vec<f64> = (0..POINTS).map(|i| lon0 + reach * share(i, 0.618_033_988_75)).collect();
    let mut y: Vec<f64> =
        (0..POINTS).map(|i| middle + reach * share(i, 0.754_877_666_25)).collect();
    let mut z = vec![100.0; POINTS];
    if !source.is_geographic() {
        let place = if target.is_geographic() {
            back
        } else {
            Converter::new(&source.base().expect("a base"), &source)?
        };
        assert_eq!(place.convert_columns(&mut x, &mut y, Some(&mut z)), 0);
    }
    Ok((converter, [x, y, z]))
}

/// In columns.
fn conversion(from: u32, to: u32) -> Result<Spent> {
    let (converter, [x, y, z]) = positions(from, to)?;
    let (mut to_x, mut to_y, mut to_z) = (x.clone(), y.clone(), z.clone());
    Ok(by_turns(
        POINTS,
        31,
        || floor(black_box(POINTS), 4),
        || {
            to_x.copy_from_slice(&x);
            to_y.copy_from_slice(&y);
            to_z.copy_from_slice(&z);
            assert_eq!(converter.convert_columns(&mut to_x, &mut to_y, Some(&mut to_z)), 0);
            black_box((&to_x, &to_y, &to_z));
        },
    ))
}

/// One by one.
fn singly(from: u32, to: u32) -> Result<Spent> {
    let (converter, [x, y, z]) = positions(from, to)?;
    Ok(by_turns(
        POINTS,
        31,
        || floor(black_box(POINTS), 4),
        || {
            for ((x, y), z) in x.iter().zip(&y).zip(&z) {
                let at = Coordinate { x: *x, y: *y, z: *z };
                assert!(black_box(converter.convert(black_box(at))).is_ok());
            }
        },
    ))
}

const LINES: usize = 20_000;

/// What each of the frozen routes takes to plan, again and for the first time in the process: rows of the
/// registry that are read for one plan are at hand for the next.
fn plans() {
    let routes = include_str!("../../velvet-peg-core/tests/data/frozen-routes.csv");
    let plan = |line: &str| {
        let number = |at: usize| line.split(',').nth(at).and_then(|cell| cell.parse::<f64>().ok());
        let (from, to) = (number(0)? as u32, number(1)? as u32);
        let (lat, lon) = (number(2)?, number(3)?);
        let area = Some(Bounds { south: lat, west: lon, north: lat, east: lon });
        let options = PlanOptions { area, ..PlanOptions::default() };
        let [from, to] = [from, to].map(|code| Crs::from_epsg(code).expect("a frozen route"));
        let start = Instant::now();
        let planned = Converter::plan(&from, &to, &options);
        let spent = start.elapsed();
        black_box(planned).ok()?;
        Some(spent.as_secs_f64() * 1e6)
    };
    let all = || -> Vec<f64> { routes.lines().filter_map(plan).collect() };
    let first = all();
    let again: Vec<Vec<f64>> = (0..5).map(|_| all()).collect();
    let least = |at: usize| again.iter().map(|turn| turn[at]).fold(f64::INFINITY, f64::min);
    for (what, mut times) in
        [("first", first.clone()), ("again, least of five", (0..first.len()).map(least).collect())]
    {
        times.sort_by(f64::total_cmp);
        let (median, most) = (times[times.len() / 2], times[times.len() - 1]);
        let many = times.len() * 99 / 100;
        println!(
            "planning {} changes of datum, {what}: median {median:.0} µs, 99 % below {:.0} µs, worst \
             {most:.0} µs",
            times.len(),
            times[many]
        );
    }
}

fn wgs84() -> Geodesic {
    Geodesic::new(Crs::from_epsg(4326).expect("WGS 84").ellipsoid().expect("an ellipsoid"))
}

/// The ends of lines that reach so many degrees.
fn ends(reach: f64) -> Vec<(Geographic, Geographic)> {
    let share = |i: usize, step: f64| (i as f64 * step).fract() - 0.5;
    let line = |i| {
        let from = Geographic { lat: 80.0 * share(i, 0.618_033_988_75), lon: 0.0 };
        let lat = (from.lat + reach * share(i, 0.754_877_666_25)).clamp(-90.0, 90.0);
        (from, Geographic { lat, lon: 2.0 * reach * share(i, 0.569_840_290_998) })
    };
    (0..LINES).map(line).collect()
}

fn geodesics(reach: f64) -> Spent {
    let (geodesic, ends) = (wgs84(), ends(reach));
    by_turns(
        LINES,
        15,
        || floor(black_box(LINES), 1),
        || {
            let sum: f64 =
                ends.iter().map(|(from, to)| geodesic.inverse(*from, *to).distance_m).sum();
            assert!(black_box(sum).is_finite());
        },
    )
}

fn geodesic_columns(reach: f64) -> Spent {
    let (geodesic, ends) = (wgs84(), ends(reach));
    let column = |of: fn(&(Geographic, Geographic)) -> f64| ends.iter().map(of).collect();
    let columns: [Vec<f64>; 4] = [
        column(|(from, _)| from.lon),
        column(|(from, _)| from.lat),
        column(|(_, to)| to.lon),
        column(|(_, to)| to.lat),
    ];
    let [lon1, lat1, lon2, lat2] = &columns;
    by_turns(
        LINES,
        15,
        || floor(black_box(LINES), 1),
        || {
            let lines = geodesic.inverse_columns([lon1, lat1], [lon2, lat2]);
            assert_eq!(black_box(lines).distance_m.len(), LINES);
        },
    )
}

/// CSV to CSV against a plain copy of the same records.
fn table() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let (input, output) = (folder.path().join("in.csv"), folder.path().join("out.csv"));
    let failed = |error: csv::Error| velvet_peg::Error::usage(error.to_string());
    let mut writer = csv::Writer::from_path(&input).map_err(failed)?;
    writer
        .write_record(["id", "name", "easting", "northing", "elevation", "code"])
        .map_err(failed)?;
    for i in 0..ROWS {
        let share = |step: f64| (i as f64 * step).fract();
        let (e, n) = (
            450_000.0 + 1e5 * share(0.618_033_988_75),
            5_200_000.0 + 1e5 * share(0.754_877_666_25),
        );
        let record = [
            i.to_string(),
            format!("Station {}", i % 977),
            format!("{e:.4}"),
            format!("{n:.4}"),
            format!("{:.3}", 300.0 + share(0.3)),
            "EP".to_string(),
        ];
        writer.write_record(record).map_err(failed)?;
    }
    writer.flush()?;
    let job = ConvertTable {
        columns: CoordinateColumns {
            x: Some("easting".into()),
            y: Some("northing".into()),
            ..CoordinateColumns::default()
        },
        source: Crs::from_epsg(32610)?,
        target: Crs::from_epsg(4326)?,
        way: velvet_peg::convert::Way::default(),
        decimals: Some(9),
        packed: false,
        append: AppendOptions { overwrite: true, ..AppendOptions::default() },
    };
    let spent = by_turns_on_the_wall(
        ROWS,
        5,
        || copy(&input, &output).expect("the copy works"),
        || {
            let (outcome, _) = job.run(&input, &output).expect("the conversion works");
            assert_eq!(outcome.out, ROWS as u64);
        },
    );
    println!("\nfloor of a table: plain copy through the csv crate, time as on a wall");
    println!(
        "CSV to CSV, UTM to geographic, 9 decimals: {:.0} ns a row, ratio {:.2}",
        spent.kernel_ns(),
        spent.ratio()
    );
    Ok(())
}

fn copy(input: &Path, output: &Path) -> csv::Result<()> {
    let mut reader = csv::Reader::from_path(input)?;
    let mut writer = csv::Writer::from_writer(File::create(output)?);
    writer.write_byte_record(reader.byte_headers()?)?;
    let mut record = csv::ByteRecord::new();
    while reader.read_byte_record(&mut record)? {
        writer.write_byte_record(&record)?;
    }
    writer.flush()?;
    Ok(())
}
