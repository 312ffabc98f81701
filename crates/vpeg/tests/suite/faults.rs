//! What happens to the machine while a command runs: disks that are full at any byte, interrupts, pipes that
//! close, devices without an end, names that are no text.
#![cfg(unix)]

use crate::support::{Bench, words};
use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::fs;
use std::io::{BufRead, BufReader, Write};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

/// All files below a folder, with their bytes.
fn files(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut all = BTreeMap::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        match path.is_dir() {
            true => all.extend(files(&path).into_iter().map(|(n, b)| (format!("{name}/{n}"), b))),
            false => drop(all.insert(name, fs::read(path).unwrap())),
        }
    }
    all
}

fn shell(bench: &Bench, script: &str) -> Output {
    let mut command = Command::new("sh");
    command.args(["-c", script]).arg(env!("CARGO_BIN_EXE_vpeg")).current_dir(bench.path(""));
    command.env("NO_COLOR", "1").output().unwrap()
}

/// Commands that write, each with a file that it makes.
const WRITE: [&str; 24] = [
    "convert fields.geojson -o out.gpkg",
    "convert fields.geojson -o out.geojson",
    "convert fields.geojson -o out.geojsonl",
    "convert fields.geojson -o out.fgb",
    "convert fields.geojson -o out.parquet",
    "convert fields.geojson -o out.shp",
    "convert fields.geojson -o out.kml",
    "convert fields.geojson -o out.kmz",
    "convert fields.geojson -o out.dxf",
    "convert fields.geojson -o out.csv",
    "convert fields.geojson -o out.xlsx",
    "declare turnouts.shp --crs EPSG:32611 -o out.shp",
    "build points old-weirs.csv --crs EPSG:2285 -o out.gpkg",
    "fields fields.geojson --set big=right_acres+30 -o out.fgb",
    "measure fields.geojson -o out.gpkg",
    "draw fields.geojson -o out.png",
    "draw fields.geojson -o out.svg",
    "draw fields.geojson -o out.html",
    "check fields.geojson --report out.html",
    "convert heights.asc --to EPSG:32611 -o out.tif",
    "convert heights.asc -o out.asc",
    "pack fields.geojson turnouts.shp -o out.zip",
    "crs make ground EPSG:2285 --at 47.4,-120 --height 380 -o out.wkt",
    "convert fields.geojson -o out.geojson --save-job out.toml",
];

/// Wherever the disk is full, the command says so, every output is the old one or the new one, and nothing
/// else is there. Where it was not full, the outputs are those of a disk with room.
#[test]
fn a_disk_that_is_full_at_any_byte_leaves_old_or_new_files() {
    let bench = Bench::with_demo();
    let sources = files(&bench.path(""));
    for line in WRITE {
        let line = format!("{line} --overwrite");
        let remove = |but: &BTreeMap<String, Vec<u8>>| {
            for name in files(&bench.path("")).keys().filter(|name| !but.contains_key(*name)) {
                fs::remove_file(bench.path(name)).unwrap();
            }
        };
        remove(&sources);
        bench.ok(&words(&line));
        let made = files(&bench.path(""));
        let outputs: Vec<&String> =
            made.keys().filter(|name| !sources.contains_key(*name)).collect();
        assert!(!outputs.is_empty(), "{line}");
        let (mut failed, mut done) = (0, 0);
        // Definitions and jobs take the place of their own kind only.
        let old = |name: &String| match name.ends_with(".wkt") || name.ends_with(".toml") {
            true => [&made[name][..], b"\n\n"].concat(),
            false => b"old".to_vec(),
        };
        // The limit counts in blocks of 512 bytes.
        for blocks in [0, 1, 2, 5, 13, 40, 200, 2000] {
            for output in &outputs {
                bench.write(output, old(output));
            }
            let run = shell(&bench, &format!("trap '' XFSZ; ulimit -f {blocks}; \"$0\" {line}"));
            let told = String::from_utf8_lossy(&run.stderr).into_owned();
            assert!(!told.contains("panicked"), "{line} with {blocks}: {told}");
            let now = files(&bench.path(""));
            let names: Vec<&String> =
                now.keys().filter(|name| !sources.contains_key(*name)).collect();
            assert_eq!(names, outputs, "{line} with {blocks}: {told}");
            match run.status.code() {
                Some(0) => {
                    done += 1;
                    assert!(outputs.iter().all(|name| now[*name] != old(name)), "{line}: {told}");
                }
                Some(1) => {
                    failed += 1;
                    let says = ["cannot be written", "cannot be laid down in the temporary folder"];
                    let says = says.iter().any(|says| told.contains(says));
                    assert!(says, "{line} with {blocks}: {told}");
                    // A map or a report comes behind what it is of, which is whole.
                    for name in &outputs {
                        let whole =
                            now[*name] == old(name) || now[*name].len() == made[*name].len();
                        assert!(whole, "{line} with {blocks}: {name}");
                    }
                }
                code => panic!("{line} with {blocks}: {code:?} {told}"),
            }
            for (name, bytes) in &sources {
                assert!(&now[name] == bytes, "{line} with {blocks}: {name} changed");
            }
        }
        assert!(failed > 0 && done > 0, "{line}: {failed} {done}");
    }
}

/// Moments at which each command is killed; `VELVET_PEG_KILLS` says another number.
fn kills() -> u32 {
    std::env::var("VELVET_PEG_KILLS").map_or(6, |number| number.parse().unwrap())
}

/// Killed at any moment, a command leaves every output as it was or new and whole, and its sources as they
/// are. What it leaves beside them goes with the next run.
#[test]
fn a_command_that_is_killed_leaves_old_or_new_files() {
    let bench = Bench::with_demo();
    let sources = files(&bench.path(""));
    let (mut old_left, mut new_left) = (0, 0);
    // The demo's job has rejects.
    let done = |line: &str| {
        let run = bench.run(&words(line));
        assert!(matches!(run.code, 0 | 3), "{line}: {}", run.err);
    };
    let more =
        ["run tumblewick.toml", "build points old-weirs.csv --crs EPSG:2285 -o out.gpkg --append"];
    for line in WRITE.into_iter().chain(more) {
        for name in files(&bench.path("")).keys().filter(|name| !sources.contains_key(*name)) {
            fs::remove_file(bench.path(name)).unwrap();
        }
        let append = line.ends_with("--append");
        if append {
            bench.ok(&words("build points old-weirs.csv --crs EPSG:2285 -o out.gpkg"));
        }
        let before = append.then(|| files(&bench.path("")));
        let line = if append { line.to_string() } else { format!("{line} --overwrite") };
        let began = Instant::now();
        done(&line);
        let takes = began.elapsed();
        let made = files(&bench.path(""));
        let outputs: Vec<&String> =
            made.keys().filter(|name| !sources.contains_key(*name)).collect();
        assert!(!outputs.is_empty(), "{line}");
        let old = |name: &String| match &before {
            Some(before) => before[name].clone(),
            None if [".wkt", ".toml", ".log", ".log.json"]
                .iter()
                .any(|end| name.ends_with(end)) =>
            {
                [&made[name][..], b"\n\n"].concat()
            }
            None => b"old".to_vec(),
        };
        let kills = kills();
        for kill in 0..kills {
            for output in &outputs {
                bench.write(output, old(output));
            }
            let mut command = Command::new(env!("CARGO_BIN_EXE_vpeg"));
            command.args(line.split(' ')).current_dir(bench.path(""));
            let mut child = command.stderr(Stdio::null()).stdout(Stdio::null()).spawn().unwrap();
            std::thread::sleep(takes * (2 * kill + 1) / (2 * kills));
            child.kill().unwrap();
            child.wait().unwrap();
            let now = files(&bench.path(""));
            for (name, bytes) in &sources {
                assert!(now.get(name) == Some(bytes), "{line} at {kill} changed {name}");
            }
            // What is left is known by its lock for what nobody needs.
            for name in now.keys() {
                let Some((before, after)) = name.split_once(".vpeg-") else { continue };
                let (folder, _) = after.split_once('/').unwrap();
                let lock = format!("{before}.vpeg-{folder}/.lock");
                assert!(now.contains_key(&lock), "{line} at {kill}: {name} without a lock");
            }
            for name in &outputs {
                let Some(found) = now.get(*name) else {
                    // Of several files the main one goes first and comes last, so that old and new
                    // ones are never taken for one another: the new one waits for the next run.
                    let file = name.rsplit('/').next().unwrap();
                    let waits = |other: &String| {
                        other.contains(".vpeg-") && other.ends_with(&format!("/{file}"))
                    };
                    assert!(
                        outputs.len() > 1 && now.keys().any(waits),
                        "{line} at {kill}: {name} is gone"
                    );
                    continue;
                };
                if *found == old(name) {
                    old_left += 1;
                    continue;
                }
                new_left += 1;
                // Times are in some of them, which do not change their size by much.
                let (is, made) = (found.len() as f64, made[*name].len() as f64);
                assert!((is / made - 1.0).abs() < 0.05, "{line} at {kill}: {name} of {is} bytes");
                if ["gpkg", "geojson", "fgb", "parquet", "shp", "kml", "xlsx", "tif"]
                    .iter()
                    .any(|ending| name.ends_with(ending))
                {
                    bench.ok(&["look", name]);
                }
            }
        }
        for output in &outputs {
            bench.write(output, old(output));
        }
        done(&line);
        let left: Vec<String> = files(&bench.path("")).into_keys().collect();
        let known: Vec<String> = made.keys().cloned().collect();
        assert_eq!(left, known, "{line}: what is left after the next run");
    }
    assert!(old_left > 0 && new_left > 0, "{old_left} old, {new_left} new");
}

#[test]
fn an_interrupt_is_told_and_leaves_nothing() {
    let bench = Bench::with_demo();
    let before = files(&bench.path(""));
    for (line, start) in [
        ("convert - -o out.gpkg", "fields.geojson"),
        ("build points - --crs EPSG:4326 -o out.fgb", "headgates.csv"),
    ] {
        for signal in ["-INT", "-TERM"] {
            let mut child = Command::new(env!("CARGO_BIN_EXE_vpeg"))
                .args(words(line))
                .current_dir(bench.path(""))
                .stdin(Stdio::piped())
                .stdout(Stdio::piped())
                .stderr(Stdio::piped())
                .spawn()
                .unwrap();
            // The rest of the input never comes.
            let bytes = fs::read(bench.path(start)).unwrap();
            let input = child.stdin.as_mut().unwrap();
            input.write_all(&bytes[..bytes.len() / 2]).unwrap();
            std::thread::sleep(Duration::from_millis(700));
            Command::new("kill").args([signal, &child.id().to_string()]).status().unwrap();
            let began = Instant::now();
            let _held = child.stdin.take();
            let run = child.wait_with_output().unwrap();
            assert!(began.elapsed() < Duration::from_secs(10), "{line} {signal}");
            let told = String::from_utf8_lossy(&run.stderr);
            assert_eq!(run.status.code(), Some(130), "{line} {signal}: {told}");
            assert!(told.contains("interrupted: every output is whole"), "{line} {signal}: {told}");
            assert!(files(&bench.path("")) == before, "{line} {signal}");
        }
    }
}

#[test]
fn a_pipe_that_closes_ends_the_command_without_a_word() {
    let bench = Bench::with_demo();
    for line in ["crs find nad83 --limit 2000", "look fields.geojson --json", "--help"] {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vpeg"))
            .args(words(line))
            .current_dir(bench.path(""))
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut first = String::new();
        BufReader::with_capacity(16, child.stdout.take().unwrap()).read_line(&mut first).unwrap();
        let run = child.wait_with_output().unwrap();
        let told = String::from_utf8_lossy(&run.stderr);
        assert!(!first.is_empty() && run.status.code().is_some(), "{line}: {told}");
        assert!(!told.contains("panicked") && !told.contains("error"), "{line}: {told}");
    }
    // A device that is full is no pipe that closed.
    for line in ["look fields.geojson", "crs find nad83", "convert fields.geojson -o -"] {
        let run = shell(&bench, &format!("\"$0\" {line} > /dev/full"));
        let told = String::from_utf8_lossy(&run.stderr);
        assert_eq!(run.status.code(), Some(1), "{line}: {told}");
        assert!(told.contains("No space left"), "{line}: {told}");
    }
}

/// A device that gives bytes without end is refused, wherever a file is named.
#[test]
fn devices_without_an_end_are_refused() {
    let bench = Bench::with_demo();
    for line in [
        "look FILE",
        "check FILE",
        "convert FILE -o out.gpkg",
        "convert heights.asc --align FILE -o out.tif",
        "build points FILE -o out.gpkg --crs EPSG:4326",
        "draw FILE -o out.png",
        "run FILE",
        "crs show file:FILE",
        "crs fit FILE --to EPSG:2285 -o out.wkt",
        "join fields.geojson FILE --on field -o out.gpkg",
        "tag turnouts.shp --from FILE -o out.gpkg",
    ] {
        for device in ["/dev/zero", "/dev/urandom", "/dev/null"] {
            let line = line.replace("FILE", device);
            let run = shell(&bench, &format!("timeout 20 \"$0\" {line} < /dev/null"));
            let told = String::from_utf8_lossy(&run.stderr);
            assert!(matches!(run.status.code(), Some(1 | 2)), "{line}: {:?} {told}", run.status);
            assert!(told.starts_with("error: "), "{line}: {told}");
            assert!(!["out.gpkg", "out.tif", "out.png"].iter().any(|f| bench.has(f)), "{line}");
        }
    }
}

#[test]
fn names_that_are_no_text_or_too_long_are_files_or_errors() {
    let bench = Bench::with_demo();
    let name = |bytes: &[u8]| OsStr::from_bytes(bytes).to_os_string();
    let odd = name(b"f\xff.geojson");
    fs::copy(bench.path("fields.geojson"), bench.path("").join(&odd)).unwrap();
    let vpeg = || {
        let mut command = Command::new(env!("CARGO_BIN_EXE_vpeg"));
        command.current_dir(bench.path(""));
        command
    };
    for out in [&b"g\xfe.gpkg"[..], b"g\xfe.shp", b"g\xfe.geojson", b"g\xfe.csv", b"g\xfe.xlsx"] {
        let run = vpeg().arg("convert").arg(&odd).arg("-o").arg(name(out)).output().unwrap();
        let told = String::from_utf8_lossy(&run.stderr);
        assert_eq!(run.status.code(), Some(0), "{told}");
        assert!(bench.path("").join(name(out)).is_file(), "{told}");
    }
    let long = "a".repeat(4000);
    for line in [
        format!("look {long}.csv"),
        format!("convert fields.geojson -o {long}.gpkg"),
        format!("convert fields.geojson -o {}/x.gpkg", "b/".repeat(2000)),
        format!("crs show file:{long}"),
        format!("run {long}.toml"),
    ] {
        let run = bench.run(&words(&line));
        let start: String = line.chars().take(40).collect();
        assert!(run.code == 1 && run.err.starts_with("error: "), "{start}: {}", run.err);
    }
}
