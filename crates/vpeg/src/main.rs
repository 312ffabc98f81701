//! `vpeg`: look at survey data, build features, declare, convert, measure and draw.
//!
//! Each command turns its arguments into one library call and the answer into text, a table
//! or JSON. Answers go to standard output; messages, warnings and progress to standard error.

mod advice;
mod arguments;
mod ask;
mod commands;
mod drawn;
mod help;
mod progress;
mod project;
mod record;
mod reference;
mod report;
mod show;
mod words;

use clap::error::ErrorKind;
use clap::parser::ValueSource;
use clap::{ArgMatches, FromArgMatches};
use std::ffi::OsString;
use std::path::PathBuf;
use std::process::ExitCode;
use velvet_peg::Error;

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

/// True if the command writes its data to standard output.
fn to_standard_output(matches: &ArgMatches) -> bool {
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

fn main() -> ExitCode {
    // What the library turns into an error is told once, as one.
    let shown = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if !velvet_peg::panics_are_caught() {
            shown(panic);
        }
    }));
    // A second interrupt ends the program at once where the first could not be waited for.
    let _ = ctrlc::set_handler(|| {
        velvet_peg::output::remove_temporaries();
        show::interrupted();
        std::process::exit(INTERRUPTED);
    });
    let words = words::meant(std::env::args_os());
    let command = help::command::<commands::Arguments>();
    let applied = project::applied(words, command);
    match applied.and_then(|(words, said)| ended(words, said.as_deref())) {
        Ok(Ending::Done) if show::is_strict() && show::warned() => ExitCode::from(3),
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

/// The arguments that the words are. Wrong usage ends the program.
fn parsed(words: &[OsString]) -> ArgMatches {
    let parse =
        |words: &[OsString]| help::command::<commands::Arguments>().try_get_matches_from(words);
    parse(words).unwrap_or_else(|error| {
        // Help on a command that there is not: asked for itself, the one that is meant is named.
        let (_, inner) = words.split_at(words.len().min(1));
        if error.kind() == ErrorKind::InvalidSubcommand
            && inner.first().is_some_and(|word| word == "help")
            && inner.len() > 1
        {
            let mut plain = words.to_vec();
            plain.remove(1);
            if let Err(error) = parse(&plain) {
                error.exit();
            }
        }
        error.exit()
    })
}

/// Does what the words say, or what they say with the answers to questions. Wrong usage ends the
/// program.
fn ended(mut words: Vec<OsString>, of_project: Option<&str>) -> Result<Ending, Error> {
    loop {
        let matches = parsed(&words);
        let error = match run(&words, &matches, of_project) {
            Ok(ending) => return Ok(ending),
            Err(error) => error,
        };
        words = match ask::answered(&error, &words, &matches) {
            Some(more) => more,
            None => return Err(error),
        };
    }
}

fn run(
    words: &[OsString],
    matches: &ArgMatches,
    of_project: Option<&str>,
) -> Result<Ending, Error> {
    if to_standard_output(matches) {
        show::leave_standard_output();
    }
    let arguments = match commands::Arguments::from_arg_matches(matches) {
        Ok(arguments) => arguments,
        Err(error) => error.exit(),
    };
    show::set_quiet(arguments.quiet);
    show::set_json(arguments.json);
    show::set_strict(arguments.strict);
    velvet_peg::output::sync_outputs(!arguments.no_sync);
    velvet_peg::limit_threads(arguments.threads);
    velvet_peg::limit_memory(arguments.memory);
    arguments.take_grids()?;
    record::begin(arguments.log.as_deref(), words, matches)?;
    of_project.into_iter().for_each(show::remark);
    let map = drawn::asked(matches)?;
    let ending = arguments.run()?;
    if let Some(map) = map {
        drawn::draw(map)?;
    }
    record::save()?;
    Ok(ending)
}
