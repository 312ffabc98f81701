//! Time by turns with a floor.

use std::time::{Duration, Instant};

/// What a kernel and its floor took, turn by turn.
pub struct Spent {
    points: usize,
    /// Seconds of the floor and of the kernel.
    turns: Vec<(f64, f64)>,
}

/// Runs floor and kernel by turns, each over so many points; time of the processor in this thread.
pub fn by_turns(points: usize, turns: usize, floor: impl FnMut(), kernel: impl FnMut()) -> Spent {
    by_turns_of(in_thread, points, turns, floor, kernel)
}

/// The same by the clock on the wall, for what runs in several threads.
pub fn by_turns_on_the_wall(
    points: usize,
    turns: usize,
    floor: impl FnMut(),
    kernel: impl FnMut(),
) -> Spent {
    by_turns_of(on_the_wall, points, turns, floor, kernel)
}

fn by_turns_of(
    now: fn() -> f64,
    points: usize,
    turns: usize,
    mut floor: impl FnMut(),
    mut kernel: impl FnMut(),
) -> Spent {
    let mut turn = || {
        let start = now();
        floor();
        let between = now();
        kernel();
        (between - start, now() - between)
    };
    // The first fills caches.
    turn();
    Spent { points, turns: (0..turns).map(|_| turn()).collect() }
}

impl Spent {
    /// Kernel over floor: the median of all turns.
    pub fn ratio(&self) -> f64 {
        median(self.turns.iter().map(|(floor, kernel)| kernel / floor).collect())
    }

    /// Nanoseconds of the kernel a point: the median of all turns.
    pub fn kernel_ns(&self) -> f64 {
        median(self.turns.iter().map(|(_, kernel)| kernel * 1e9 / self.points as f64).collect())
    }

    /// The least that the kernel took.
    pub fn least(&self) -> Duration {
        Duration::from_secs_f64(
            self.turns.iter().map(|(_, kernel)| *kernel).fold(f64::INFINITY, f64::min),
        )
    }
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Seconds of the processor in this thread.
#[cfg(unix)]
fn in_thread() -> f64 {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::ThreadCPUTime);
    time.tv_sec as f64 + time.tv_nsec as f64 * 1e-9
}

/// Where the system does not tell it.
#[cfg(not(unix))]
fn in_thread() -> f64 {
    on_the_wall()
}

/// Seconds.
fn on_the_wall() -> f64 {
    thread_local!(static START: Instant = Instant::now());
    START.with(|start| start.elapsed().as_secs_f64())
}
