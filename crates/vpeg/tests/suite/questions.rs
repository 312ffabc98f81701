//! Questions on a terminal, where something is left open: a short list, the first choice ready, and
//! the command that needs no question; never a question where nobody sits.

use crate::support::{Bench, words};
use rexpect::session::{PtySession, spawn_command};
use std::process::Command;

const DOWN: &str = "\u{1b}[B";
const ENTER: &str = "\r";
const ESCAPE: &str = "\u{1b}";

/// Runs a command on a terminal of its own.
fn at_terminal(bench: &Bench, line: &str, settings: &[(&str, &str)]) -> PtySession {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vpeg"));
    command.args(words(line)).current_dir(bench.path(""));
    command.env_remove("CI").env("TERM", "xterm").env("NO_COLOR", "1");
    command.envs(settings.iter().copied());
    spawn_command(command, Some(20_000)).unwrap()
}

fn bench() -> Bench {
    let bench = Bench::with_demo();
    bench.write("abc.csv", "label,a,b\nx,1642000.5,5254000.25\ny,1643000.5,5255000.75\n");
    bench.ok(&words("convert fields.geojson laterals.geojson -o two.gpkg"));
    bench.ok(&words("convert laterals.geojson -o three.gpkg"));
    bench.ok(&words("convert fields.geojson --append --output-layer plots -o three.gpkg"));
    bench
}

/// A command, what is asked with the keys of each answer, and the command that asks nothing.
type Case = (&'static str, &'static [(&'static str, &'static [&'static str])], &'static str);

const CASES: &[Case] = &[
    (
        "join fields.geojson register.xlsx --on field",
        &[("which sheet of register.xlsx", &[DOWN, ENTER])],
        "join fields.geojson register.xlsx --on field --sheet=Shares",
    ),
    (
        "measure two.gpkg",
        &[("which layer of two.gpkg", &[ENTER])],
        "measure two.gpkg --layer=fields",
    ),
    (
        "build points abc.csv --crs EPSG:32610 -o abc.gpkg",
        &[
            ("longitude or easting of abc.csv", &[ENTER]),
            ("latitude or northing of abc.csv", &[ENTER]),
        ],
        "build points abc.csv --crs EPSG:32610 -o abc.gpkg --x=a --y=b",
    ),
    (
        "convert fields.geojson --to washington -o sp.gpkg",
        &[("which system is meant by `washington`", &[DOWN, ENTER])],
        "convert fields.geojson --to EPSG:6598 -o sp.gpkg",
    ),
    (
        "convert fields.geojson --append -o three.gpkg",
        &[("which layer of three.gpkg", &[DOWN, ENTER])],
        "convert fields.geojson --append -o three.gpkg --output-layer=plots",
    ),
    (
        "crs show utm 10",
        &[("which system is meant by `utm 10`", &[DOWN, ENTER])],
        "crs show EPSG:26910",
    ),
];

#[test]
fn what_is_left_open_is_asked_on_a_terminal_and_the_answer_is_said_as_an_option() {
    let bench = bench();
    for (line, questions, typed) in CASES {
        let mut session = at_terminal(&bench, line, &[]);
        for (question, keys) in *questions {
            session.exp_string(question).unwrap_or_else(|e| panic!("{line}: {question}: {e}"));
            for key in *keys {
                session.send(key).unwrap();
            }
            session.flush().unwrap();
        }
        let rest = session.exp_eof().unwrap_or_else(|e| panic!("{line}: {e}"));
        let flat = rest.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(&format!("without the question: vpeg {typed}")), "{line}: {flat}");
        assert!(!flat.contains("error:"), "{line}: {flat}");
        // What is said asks no more.
        let mut again = words(typed);
        again.extend(typed.contains(" -o ").then_some("--overwrite"));
        again.retain(|word| *word != "--append");
        bench.ok(&again);
    }
    assert!(bench.has("abc.gpkg") && bench.has("sp.gpkg"));
    let (header, rows) = {
        bench.ok(&words("convert abc.gpkg -o abc-again.csv"));
        bench.table("abc-again.csv")
    };
    assert!(header.contains(&"label".to_string()) && rows.len() == 2, "{header:?}");
}

#[test]
fn a_question_that_is_turned_down_is_the_error_that_it_would_have_been() {
    let bench = bench();
    let mut session = at_terminal(&bench, "measure two.gpkg", &[]);
    session.exp_string("which layer of two.gpkg").unwrap();
    session.send(ESCAPE).unwrap();
    session.flush().unwrap();
    session.exp_string("has 2 layers: fields, laterals").unwrap();
}

#[test]
fn names_that_are_asked_for_are_no_commands_to_the_terminal() {
    let bench = bench();
    bench.write(
        "evil.csv",
        "label,a\u{1b}]0;title\u{7},b\nx,1642000.5,5254000.25\ny,1643000.5,5255000.75\n",
    );
    let line = "build points evil.csv --crs EPSG:32610 -o evil.gpkg";
    let mut session = at_terminal(&bench, line, &[]);
    let before = session.exp_string("]0;title").unwrap();
    assert!(before.contains("a\\u{1b}") && !before.contains("\u{1b}]"), "{before:?}");
    session.send(ESCAPE).unwrap();
    session.flush().unwrap();
    session.exp_eof().unwrap();
}

#[test]
fn nobody_is_asked_where_nobody_sits() {
    let bench = bench();
    for (line, settings) in [
        ("measure two.gpkg", &[("CI", "true")][..]),
        ("measure two.gpkg", &[("VELVET_PEG_NO_QUESTIONS", "1")]),
        ("measure two.gpkg", &[("TERM", "dumb")]),
        ("measure two.gpkg --json", &[]),
        ("measure two.gpkg --no-questions", &[]),
        // A layer that a system is taken from has no option of its own.
        ("convert fields.geojson --to like:two.gpkg -o x.gpkg", &[]),
    ] {
        let mut session = at_terminal(&bench, line, settings);
        let said = session.exp_eof().unwrap_or_else(|e| panic!("{line} {settings:?}: {e}"));
        assert!(said.contains("has 2 layers") && !said.contains("which layer"), "{line}: {said}");
    }
    // A pipe behind the command, typed at a terminal.
    let mut piped = Command::new("sh");
    let vpeg = env!("CARGO_BIN_EXE_vpeg");
    piped.args(["-c", &format!("'{vpeg}' measure two.gpkg | cat")]).current_dir(bench.path(""));
    piped.env_remove("CI").env("TERM", "xterm");
    let said = spawn_command(piped, Some(20_000)).unwrap().exp_eof().unwrap();
    assert!(said.contains("has 2 layers") && !said.contains("which layer"), "{said}");
    // Without a terminal, which is how all other tests run.
    let run = bench.run(&words("measure two.gpkg"));
    assert!(run.code == 1 && run.err.contains("name one with --layer"), "{}", run.err);
}
