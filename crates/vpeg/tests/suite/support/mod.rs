//! Running the real binary in a folder of its own.

#![allow(dead_code)]

pub(crate) mod browser;

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use tempfile::TempDir;

/// A folder to run `vpeg` in.
pub struct Bench {
    folder: TempDir,
}

/// What a run left behind.
pub struct Run {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Run {
    /// The answer as JSON.
    pub fn json(&self) -> serde_json::Value {
        serde_json::from_str(&self.out).unwrap_or_else(|e| panic!("{e}: {}{}", self.out, self.err))
    }
}

impl Bench {
    pub fn new() -> Bench {
        Bench { folder: tempfile::tempdir().unwrap() }
    }

    /// A folder with the demo data laid out.
    pub fn with_demo() -> Bench {
        let bench = Bench::new();
        velvet_peg::demo::lay_out(bench.folder.path(), false).unwrap();
        bench
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub fn write(&self, name: &str, content: impl AsRef<[u8]>) {
        std::fs::write(self.path(name), content).unwrap();
    }

    pub fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap_or_else(|e| panic!("{name}: {e}"))
    }

    pub fn has(&self, name: &str) -> bool {
        self.path(name).exists()
    }

    /// Rows of a CSV file as (header, records).
    pub fn table(&self, name: &str) -> (Vec<String>, Vec<Vec<String>>) {
        let mut reader = csv::Reader::from_path(self.path(name)).unwrap();
        let header = reader.headers().unwrap().iter().map(String::from).collect();
        let rows =
            reader.records().map(|r| r.unwrap().iter().map(String::from).collect()).collect();
        (header, rows)
    }

    /// Runs `vpeg` with these arguments.
    pub fn run<S: AsRef<str>>(&self, arguments: &[S]) -> Run {
        self.run_with(arguments, "")
    }

    /// Runs `vpeg` with these arguments and standard input.
    pub fn run_with<S: AsRef<str>>(&self, arguments: &[S], input: impl AsRef<[u8]>) -> Run {
        use std::io::Write;
        let mut child = Command::new(env!("CARGO_BIN_EXE_vpeg"))
            .args(arguments.iter().map(AsRef::as_ref))
            .current_dir(self.folder.path())
            .env("NO_COLOR", "1")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut stdin = child.stdin.take().unwrap();
        let input = input.as_ref().to_vec();
        // A command that does not read its input closes it early; that is its right.
        let feeder = std::thread::spawn(move || drop(stdin.write_all(&input)));
        let output = child.wait_with_output().unwrap();
        feeder.join().unwrap();
        Run {
            code: output.status.code().unwrap(),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        }
    }

    /// Runs `vpeg` and expects it to end well.
    pub fn ok<S: AsRef<str>>(&self, arguments: &[S]) -> Run {
        let run = self.run(arguments);
        assert_eq!(run.code, 0, "{}\n{}", run.out, run.err);
        run
    }
}

/// The words of a command.
pub fn words(line: &str) -> Vec<&str> {
    line.split_whitespace().collect()
}

/// Rows of a file in the workspace's `testdata/truth`, by column name.
pub fn truth(file: &str) -> Vec<std::collections::HashMap<String, String>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../testdata/truth").join(file);
    csv::Reader::from_path(path).unwrap().deserialize().map(|row| row.unwrap()).collect()
}

/// A difference of angles brought to −180 … 180.
pub fn unwrapped(degrees: f64) -> f64 {
    (degrees + 180.0).rem_euclid(360.0) - 180.0
}
