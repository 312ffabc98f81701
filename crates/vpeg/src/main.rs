//! `vpeg`: look at survey data, build features, declare, convert, measure and draw.
//!
//! Each command turns its arguments into one library call and the answer into text, a table
//! or JSON. Answers go to standard output; messages, warnings and progress to standard error.

mod advice;
mod arguments;
mod commands;
mod help;
mod progress;
mod reference;
mod show;

use clap::FromArgMatches;
use clap::parser::ValueSource;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// How a command ended, if not with an error.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Ending {
    /// All went well.
    Done,
    /// Done, but something was rejected (or, under `--strict`, warned about).
    Rejects,
}

/// Exit status of a run that was interrupted.
const INTERRUPTED: i32 = 130;

/// A place south of the equator begins with a minus, which would read as an option: such a
/// word gets the minus sign of typography, which angles are read with as well.
fn plain_place(word: OsString) -> OsString {
    let is_place = word.to_str().is_some_and(|text| {
        text.strip_prefix('-').is_some_and(|rest| {
            rest.starts_with(|c: char| c.is_ascii_digit()) && rest.contains([',', ' ', ';'])
        })
    });
    match word.to_str() {
        Some(text) if is_place => format!("−{}", &text[1..]).into(),
        _ => word,
    }
}

/// True if the command writes its data to standard output.
fn to_standard_output(matches: &clap::ArgMatches) -> bool {
    match matches.subcommand() {
        Some((_, inner)) => to_standard_output(inner),
        None => match matches.try_get_one::<PathBuf>("output") {
            Ok(Some(path)) => {
                // What stands there by default is not asked for.
                matches.value_source("output") == Some(ValueSource::CommandLine)
                    && velvet_peg::output::is_standard(path)
            }
            _ => false,
        },
    }
}

/// The words of the command line as they are meant: places with their minus, and standard output in
/// a format (`-o -.csv`), which would read as options, tied to the option in front.
fn meant(words: impl Iterator<Item = OsString>) -> Vec<OsString> {
    let mut out: Vec<OsString> = Vec::new();
    for word in words.map(plain_place) {
        let is_output = word != "-" && velvet_peg::output::is_standard(Path::new(&word));
        match out.last_mut().filter(|_| is_output) {
            Some(option) if *option == "-o" => option.push(word),
            Some(option) if *option == "--output" => {
                option.push("=");
                option.push(word);
            }
            _ => out.push(word),
        }
    }
    out
}

fn main() -> ExitCode {
    let matches =
        help::command::<commands::Arguments>().get_matches_from(meant(std::env::args_os()));
    if to_standard_output(&matches) {
        show::leave_standard_output();
    }
    let arguments = match commands::Arguments::from_arg_matches(&matches) {
        Ok(arguments) => arguments,
        Err(error) => error.exit(),
    };
    show::set_quiet(arguments.quiet);
    show::set_json(arguments.json);
    show::set_strict(arguments.strict);
    // What the library turns into an error is told once, as one.
    let shown = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if !velvet_peg::panics_are_caught() {
            shown(panic);
        }
    }));
    velvet_peg::output::sync_outputs(!arguments.no_sync);
    // A second interrupt ends the program at once where the first could not be waited for.
    let _ = ctrlc::set_handler(|| {
        velvet_peg::output::remove_temporaries();
        std::process::exit(INTERRUPTED);
    });
    let ending = arguments.take_grids().and_then(|()| arguments.run());
    match ending {
        Ok(Ending::Done) if arguments.strict && show::warned() => ExitCode::from(3),
        Ok(Ending::Done) => ExitCode::SUCCESS,
        Ok(Ending::Rejects) => ExitCode::from(3),
        // Whoever reads the answer has seen enough of it.
        Err(error) if error.is_broken_pipe() => ExitCode::SUCCESS,
        Err(error) => {
            show::failure(&error);
            ExitCode::from(1)
        }
    }
}
