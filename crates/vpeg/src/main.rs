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
fn plain_place(word: std::ffi::OsString) -> std::ffi::OsString {
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

fn main() -> ExitCode {
    let words = std::env::args_os().map(plain_place);
    let matches = help::command().get_matches_from(words);
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
