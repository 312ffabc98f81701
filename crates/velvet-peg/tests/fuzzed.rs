//! The fuzz targets (`fuzz/`), run as tests: on all that was found once, and for a moment each on inputs
//! that are changed at random.
//!
//! The changes are the same in every run, so that a failure is that of a change in the code. For a longer
//! search without coverage: `VELVET_PEG_FUZZ_SECONDS=60 VELVET_PEG_FUZZ_SEED=7 cargo test -p velvet-peg
//! --test fuzzed`. What the search finds is kept, and its place is told.

#[path = "../../../fuzz/src/seeds.rs"]
mod seeds;
#[path = "../../../fuzz/src/targets/mod.rs"]
mod targets;

use mutatis::Session;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// What an input may take, where little is optimised and other tests run beside.
const SLOWEST: Duration = Duration::from_secs(20);
const MOST_MEMORY: usize = 512 << 20;
/// An input that takes this long never ends.
const ENDLESS: Duration = Duration::from_secs(60);
/// Inputs grow no longer than that.
const LONGEST: usize = 1 << 16;

#[global_allocator]
static MEMORY: peak_alloc::PeakAlloc = peak_alloc::PeakAlloc;

/// Panics that nothing catches, of any thread: those of threads that read ahead reach no other one.
static PANICS: Mutex<Vec<String>> = Mutex::new(Vec::new());

/// Time and memory are those of the process: tests take turns.
static TURN: Mutex<()> = Mutex::new(());

fn panics() -> Vec<String> {
    std::mem::take(&mut *PANICS.lock().unwrap_or_else(PoisonError::into_inner))
}

/// Runs inputs of one target, each within its limits.
struct Runner {
    inputs: Sender<Vec<u8>>,
    ends: Receiver<Result<(), String>>,
    /// The input that runs: it is there when the process ends with it.
    running: PathBuf,
}

impl Runner {
    fn of(name: &'static str) -> Runner {
        let target = targets::named(name).unwrap();
        let (inputs, to_run) = channel::<Vec<u8>>();
        let (ended, ends) = channel();
        std::thread::spawn(move || {
            for input in to_run {
                let run = std::panic::AssertUnwindSafe(|| target(&input));
                let end = std::panic::catch_unwind(run).map_err(|panic| {
                    let text = panic.downcast_ref::<String>().cloned();
                    text.or_else(|| panic.downcast_ref::<&str>().map(ToString::to_string))
                        .unwrap_or_default()
                });
                if ended.send(end).is_err() {
                    return;
                }
            }
        });
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("fuzzed");
        std::fs::create_dir_all(&folder).unwrap();
        let running = folder.join(format!("{name}-{}", std::process::id()));
        Runner { inputs, ends, running }
    }

    /// What is wrong with an input, if anything is.
    fn fault(&self, input: &[u8]) -> Option<String> {
        panics();
        MEMORY.reset_peak_usage();
        let before = MEMORY.current_usage();
        let start = Instant::now();
        self.inputs.send(input.to_vec()).unwrap();
        let end = match self.ends.recv_timeout(ENDLESS) {
            Ok(end) => end,
            Err(RecvTimeoutError::Timeout) => Err("it does not end".to_string()),
            Err(RecvTimeoutError::Disconnected) => Err("the thread is gone".to_string()),
        };
        let taken = MEMORY.peak_usage().saturating_sub(before);
        match end {
            Err(panic) => Some(format!("panics: {panic}")),
            Ok(()) if let [first, ..] = &panics()[..] => {
                Some(format!("has a thread panic: {first}"))
            }
            Ok(()) if start.elapsed() > SLOWEST => Some(format!("takes {:?}", start.elapsed())),
            Ok(()) if taken > MOST_MEMORY => Some(format!("takes {} MB", taken >> 20)),
            Ok(()) => panics().first().map(|panic| format!("has a thread panic: {panic}")),
        }
    }
}

impl Drop for Runner {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.running);
    }
}

/// The files of a folder, by their names; none if there is no such folder.
fn files(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let Ok(entries) = std::fs::read_dir(folder) else { return BTreeMap::new() };
    let read = entries.flatten().map(|entry| {
        (entry.file_name().into_string().unwrap(), std::fs::read(entry.path()).unwrap())
    });
    read.collect()
}

/// Panics of crates below that become errors are not shown.
fn quietly() {
    let ends = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if !velvet_peg::panics_are_caught() {
            PANICS.lock().unwrap_or_else(PoisonError::into_inner).push(panic.to_string());
            ends(panic);
        }
    }));
}

/// Each folder of `testdata/fuzz` has the name of a target; each file in it, of what was wrong with it.
#[test]
fn what_was_found_once_does_no_harm_again() {
    let _turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
    quietly();
    let found = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../testdata/fuzz");
    let mut faults = Vec::new();
    let mut count = 0;
    for entry in std::fs::read_dir(&found).unwrap().flatten() {
        if !entry.path().is_dir() {
            continue;
        }
        let folder = entry.file_name().into_string().unwrap();
        let name = targets::names().into_iter().find(|name| *name == folder);
        let runner = Runner::of(name.unwrap_or_else(|| panic!("{folder} is no target")));
        for (file, input) in files(&entry.path()) {
            count += 1;
            if let Some(fault) = runner.fault(&input) {
                faults.push(format!("{folder}/{file} {fault}"));
            }
        }
    }
    assert!(count > 0 && faults.is_empty(), "{count} inputs\n{}", faults.join("\n"));
}

/// Numbers that are chosen by a seed (a linear congruence; Knuth's constants).
struct Chance(u64);

impl Chance {
    /// One of the numbers below `limit`; 0 if there are none.
    fn below(&mut self, limit: usize) -> usize {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % limit.max(1)
    }
}

/// Numbers at which sizes and counts go wrong.
const EDGES: [u64; 12] = [
    0,
    1,
    0x7f,
    0x80,
    0xff,
    0x7fff,
    0xffff,
    0x7fff_ffff,
    0x8000_0000,
    0xffff_ffff,
    0x7fff_ffff_ffff_ffff,
    0xffff_ffff_ffff_ffff,
];

/// An input that differs from others in a few places.
fn changed(
    inputs: &[Vec<u8>],
    words: &[Vec<u8>],
    chance: &mut Chance,
    bytes: &mut Session,
) -> Vec<u8> {
    let mut input = inputs[chance.below(inputs.len())].clone();
    for _ in 0..=chance.below(4) {
        let at = chance.below(input.len() + 1);
        match chance.below(7) {
            0 => {
                let word = &words[chance.below(words.len())];
                input.splice(at..at, word.iter().copied());
            }
            1 => {
                let word = &words[chance.below(words.len())];
                let end = (at + word.len()).min(input.len());
                input.splice(at..end, word.iter().copied());
            }
            2 => {
                // A number of one to eight bytes, in either order.
                let width = 1 << chance.below(4);
                let mut number = EDGES[chance.below(EDGES.len())].to_le_bytes();
                if chance.below(2) == 1 {
                    number[..width].reverse();
                }
                let end = (at + width).min(input.len());
                input.splice(at..end, number[..width].iter().copied());
            }
            3 => {
                // The beginning of one and the end of another.
                let other = &inputs[chance.below(inputs.len())];
                let from = chance.below(other.len() + 1);
                input.truncate(at);
                input.extend_from_slice(&other[from..]);
            }
            4 => {
                // A part stands twice, or is gone.
                let end = (at + chance.below(64)).min(input.len());
                let part = input[at..end].to_vec();
                match chance.below(2) {
                    0 => input.splice(end..end, part),
                    _ => input.splice(at..end, Vec::new()),
                };
            }
            _ => {
                let _ = bytes.mutate(&mut input);
            }
        }
        input.truncate(LONGEST);
    }
    input
}

/// The words of a dictionary: one in quotes a line, bytes as `\xNN`.
fn words(text: &str) -> Vec<Vec<u8>> {
    let quoted = text.lines().filter_map(|line| line.strip_prefix('"')?.strip_suffix('"'));
    quoted
        .map(|word| {
            let mut bytes = Vec::new();
            let mut rest = word;
            while let Some(first) = rest.chars().next() {
                let escaped = rest.strip_prefix("\\x").and_then(|behind| behind.get(..2));
                match (escaped.and_then(|hex| u8::from_str_radix(hex, 16).ok()), first) {
                    (Some(byte), _) => {
                        bytes.push(byte);
                        rest = &rest[4..];
                    }
                    (None, '\\') => {
                        let next =
                            rest[1..].chars().next().map_or("", |c| &rest[1..][..c.len_utf8()]);
                        bytes.extend(next.bytes());
                        rest = &rest[1 + next.len()..];
                    }
                    (None, c) => {
                        bytes.extend(rest[..c.len_utf8()].bytes());
                        rest = &rest[c.len_utf8()..];
                    }
                }
            }
            bytes
        })
        .collect()
}

fn setting(name: &str, otherwise: f64) -> f64 {
    std::env::var(name).map_or(otherwise, |text| text.parse().expect("a number"))
}

#[test]
fn inputs_that_are_changed_at_random_end_in_results_or_errors() {
    let _turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
    quietly();
    let seconds = setting("VELVET_PEG_FUZZ_SECONDS", 1.0);
    let seed = setting("VELVET_PEG_FUZZ_SEED", 1.0) as u64;
    let only = std::env::var("VELVET_PEG_FUZZ_TARGET").ok();
    let fuzz = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz");
    let dictionaries = files(&fuzz.join("dictionaries"));
    let words: Vec<Vec<u8>> =
        dictionaries.values().flat_map(|text| words(std::str::from_utf8(text).unwrap())).collect();
    assert!(words.len() > 40 && words.contains(&b"II*\0".to_vec()), "{}", words.len());
    let laid_out = tempfile::tempdir().unwrap();
    seeds::lay_out(laid_out.path()).unwrap();
    let kept = Path::new(env!("CARGO_TARGET_TMPDIR")).join("found");
    let mut faults = Vec::new();
    for name in targets::names() {
        if only.as_ref().is_some_and(|only| only != name) {
            continue;
        }
        let found = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../testdata/fuzz").join(name);
        let mut inputs: Vec<Vec<u8>> = files(&laid_out.path().join(name)).into_values().collect();
        inputs.extend(files(&found).into_values());
        assert!(!inputs.is_empty(), "{name} has nothing to begin with");
        let (mut chance, mut bytes) = (Chance(seed), Session::new().seed(seed));
        let runner = Runner::of(name);
        let end = Instant::now() + Duration::from_secs_f64(seconds);
        let mut count = 0;
        while Instant::now() < end {
            let input = changed(&inputs, &words, &mut chance, &mut bytes);
            count += 1;
            std::fs::write(&runner.running, &input).unwrap();
            if let Some(fault) = runner.fault(&input) {
                std::fs::create_dir_all(&kept).unwrap();
                let place = kept.join(format!("{name}-{seed}-{count}"));
                std::fs::write(&place, &input).unwrap();
                faults.push(format!("{name} {fault} ({})", place.display()));
                break;
            }
        }
        println!("{name}: {count} inputs");
    }
    assert!(faults.is_empty(), "{}", faults.join("\n"));
}
