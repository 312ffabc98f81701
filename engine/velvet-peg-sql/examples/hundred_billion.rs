//! What 100,000,000,000 points on 100 machines would take, by a simulation with costs of a row that were
//! measured (`docs/hundred-billion.md`): seconds, bytes between machines, what the skew of zones does, and what a machine that dies costs.
//!
//! ```text
//! cargo run --release --example hundred_billion [READ CONVERT TAG WRITE]
//! ```
//!
//! Costs are nanoseconds of one core for a row; those of `docs/hundred-billion.md` if none are given.

use std::collections::BinaryHeap;
use std::error::Error;

type Result<T> = std::result::Result<T, Box<dyn Error>>;

const ROWS: f64 = 1e11;
const MACHINES: usize = 100;
const CORES: usize = 16;
/// Rows of a task: ten row groups of a million.
const TASK_ROWS: f64 = 1e7;
/// Bytes of a row in Parquet, and between machines: a number and two coordinates.
const ROW_BYTES: f64 = 24.0;
/// Bytes a second that a machine reads from storage, and sends or receives.
const STORAGE: f64 = 1.0e9;
const NETWORK: f64 = 1.25e9;
/// Bytes of a group of a count by zone and field in one task, and such groups.
const GROUP_BYTES: f64 = 40.0;
const GROUPS: f64 = 4_000.0;
/// Seconds until the scheduler takes an executor that says nothing for dead.
const SILENCE: f64 = 60.0;

/// Nanoseconds of one core for a row, as `docs/hundred-billion.md` has them.
const COSTS: [f64; 4] = [5.0, 45.0, 170.0, 90.0];

/// Numbers that are the same in every run.
struct Random(u64);

impl Random {
    /// From 0 to 1.
    fn next(&mut self) -> f64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }

    /// Around 1: most tasks take their time, a few take several times as long.
    fn slowness(&mut self) -> f64 {
        let normal: f64 = (0..12).map(|_| self.next()).sum::<f64>() - 6.0;
        (0.25 * normal).exp()
    }
}

/// A moment at which a core is free again; the earliest is the greatest.
#[derive(PartialEq)]
struct Free(f64, usize);

impl Eq for Free {}

impl PartialOrd for Free {
    fn partial_cmp(&self, other: &Free) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Free {
    fn cmp(&self, other: &Free) -> std::cmp::Ordering {
        other.0.total_cmp(&self.0).then(other.1.cmp(&self.1))
    }
}

/// When the last of some tasks ends, each given to the core that is free first. With `dies`, the first machine dies
/// then: what ran on it is run again by others after the silence.
fn ends(tasks: &[f64], dies: Option<f64>) -> f64 {
    let mut cores: BinaryHeap<Free> = (0..MACHINES * CORES).map(|core| Free(0.0, core)).collect();
    let mut last: f64 = 0.0;
    let mut again: Vec<f64> = Vec::new();
    let mut waiting = tasks.iter().copied().collect::<std::collections::VecDeque<f64>>();
    while let Some(task) = waiting.pop_front() {
        let Some(Free(at, core)) = cores.pop() else { break };
        let of_dead = core < CORES;
        match dies {
            Some(death) if of_dead && at >= death => {
                // A core that is gone takes nothing.
                waiting.push_front(task);
                continue;
            }
            Some(death) if of_dead && at + task > death => again.push(task),
            _ => last = last.max(at + task),
        }
        cores.push(Free(at + task, core));
    }
    // Results of a dead machine that others have not fetched are gone too: all that it had done is done again.
    if let Some(death) = dies {
        let mean = tasks.iter().sum::<f64>() / tasks.len() as f64;
        let done = (death / mean) as usize * CORES;
        again.extend(std::iter::repeat_n(mean, done));
        let mut cores: BinaryHeap<Free> = (CORES..MACHINES * CORES)
            .map(|core| Free((death + SILENCE).max(last - mean), core))
            .collect();
        for task in again {
            let Some(Free(at, core)) = cores.pop() else { break };
            last = last.max(at + task);
            cores.push(Free(at + task, core));
        }
    }
    last
}

/// Tasks of so many rows, with so many nanoseconds of a core for each, or of storage where that is slower.
fn tasks(nanoseconds: f64, random: &mut Random) -> Vec<f64> {
    let storage = ROW_BYTES * CORES as f64 / STORAGE;
    let each = TASK_ROWS * (nanoseconds * 1e-9).max(storage);
    (0..(ROWS / TASK_ROWS) as usize).map(|_| each * random.slowness()).collect()
}

/// Shares of the points by zone of UTM, made up: most people live in few of them.
fn zones(random: &mut Random) -> Vec<f64> {
    let mut shares: Vec<f64> = (1..=120).map(|rank| random.next() / f64::from(rank)).collect();
    let sum: f64 = shares.iter().sum();
    shares.iter_mut().for_each(|share| *share /= sum);
    shares
}

fn main() -> Result<()> {
    let given = std::env::args()
        .skip(1)
        .map(|text| text.parse())
        .collect::<std::result::Result<Vec<f64>, _>>()?;
    let [read, convert, tag, write] = match given.as_slice() {
        [] => COSTS,
        [a, b, c, d] => [*a, *b, *c, *d],
        _ => return Err("give four costs, or none".into()),
    };
    let mut random = Random(20_261_201);
    let machine_hours = |seconds: f64| seconds * MACHINES as f64 / 3_600.0;
    let row = |what: &str, seconds: f64, bytes: f64| {
        println!(
            "| {what} | {:.0} | {:.1} | {:.1} |",
            seconds,
            machine_hours(seconds),
            bytes / 1e9
        );
    };
    println!(
        "{ROWS:.0e} points, {MACHINES} machines of {CORES} cores; a row costs {read} ns to read, {convert} to convert, {tag} to \
         tag, {write} to write\n"
    );
    println!("| | seconds | machine hours | GB between machines |\n| --- | ---: | ---: | ---: |");
    let scan = tasks(read + convert + tag, &mut random);
    let counted = scan.len() as f64 * GROUPS * GROUP_BYTES;
    let once = ends(&scan, None);
    row("convert, tag, count by zone and field", once, counted);
    row("the same, a machine dies in the middle", ends(&scan, Some(once / 2.0)), counted * 1.01);
    let written = tasks(read + convert + tag + write, &mut random);
    row("convert, tag, write in the order of the files", ends(&written, None), 0.0);
    // Every row goes to the machine of its zone: all but a hundredth leave their machine.
    let bytes = ROWS * ROW_BYTES * (1.0 - 1.0 / MACHINES as f64);
    let first = ends(&scan, None).max(bytes / MACHINES as f64 / NETWORK);
    let shares = zones(&mut random);
    let largest = shares.iter().copied().fold(0.0, f64::max);
    let by_zone: Vec<f64> = shares.iter().map(|share| share * ROWS * write * 1e-9).collect();
    let one_zone_arrives = largest * ROWS * ROW_BYTES / NETWORK;
    row(
        "convert, tag, one file for each zone",
        first + ends(&by_zone, None).max(one_zone_arrives),
        bytes,
    );
    // Zones divided by northing into parts of at most a task.
    let parts: Vec<f64> = shares
        .iter()
        .flat_map(|share| {
            let parts = (share * ROWS / TASK_ROWS).ceil().max(1.0);
            std::iter::repeat_n(share * ROWS / parts * write * 1e-9, parts as usize)
        })
        .map(|each| each * random.slowness())
        .collect();
    let arrives = bytes / MACHINES as f64 / NETWORK;
    row("convert, tag, zones divided by northing", first + ends(&parts, None).max(arrives), bytes);
    println!(
        "\nthe largest zone has {:.0} % of the points, made up; {} tasks",
        100.0 * largest,
        scan.len()
    );
    Ok(())
}
