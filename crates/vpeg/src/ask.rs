//! Questions to whoever sits at a terminal, where a command leaves open which of several things is
//! meant: the answer becomes a word of the command line, as it would have been typed.

use crate::arguments::in_shell;
use crate::show::{self, plain};
use crate::words::add_option;
use clap::ArgMatches;
use dialoguer::Select;
use std::ffi::OsString;
use std::io::IsTerminal;
use velvet_peg::{Advice, Error};

/// The longest list that is shown whole.
const LINES: usize = 12;

/// True if somebody can be asked: all ends are a terminal, and nothing says that the command runs by
/// itself.
fn somebody_is_there() -> bool {
    let alone = |name: &str| std::env::var_os(name).is_some_and(|value| !value.is_empty());
    std::io::stdin().is_terminal()
        && std::io::stdout().is_terminal()
        && std::io::stderr().is_terminal()
        && !show::wants_json()
        && !alone("CI")
        && std::env::var_os("TERM").is_none_or(|term| term != "dumb")
}

/// The command line with the answer in it, where the error leaves something to choose; none if there
/// is nothing, nobody to ask, or no answer.
pub(crate) fn answered(
    error: &Error,
    words: &[OsString],
    matches: &ArgMatches,
) -> Option<Vec<OsString>> {
    let choices = error.choices();
    let told = matches.get_flag("no_questions");
    let advice = error.advice().filter(|_| choices.len() > 1 && !told && somebody_is_there())?;
    let of = match &error.location().file {
        Some(file) => format!(" of {}", file.display()),
        None => String::new(),
    };
    let one = |option: &str, what: &str| {
        if !can_take(matches, option, error) {
            return None;
        }
        let at = choose(&format!("which {what}{of}"), choices, 0)?;
        Some(with(words, &[(option, &choices[at])]))
    };
    let words = match advice {
        Advice::NameLayer => one("layer", "layer"),
        Advice::NameOutputLayer => one("output-layer", "layer"),
        Advice::NameSheet => one("sheet", "sheet"),
        Advice::NameTable => one("sheet", "table"),
        Advice::NameCoordinateColumns => {
            if !can_take(matches, "x", error) {
                return None;
            }
            let x = choose(&format!("longitude or easting{of}"), choices, 0)?;
            let next = (x + 1) % choices.len();
            let y = choose(&format!("latitude or northing{of}"), choices, next)?;
            Some(with(words, &[("x", &choices[x]), ("y", &choices[y])]))
        }
        Advice::ChooseSystem(text) => {
            let at = choose(&format!("which system is meant by `{text}`"), choices, 0)?;
            let code = choices[at].split(' ').next().unwrap_or_default();
            replaced(words, text, code)
        }
        _ => None,
    }?;
    let typed: Vec<String> = words.iter().skip(1).map(in_shell).collect();
    show::remark(&format!("without the question: vpeg {}", typed.join(" ")));
    Some(words)
}

/// True if the command has an option that has not been given, and the error is about one of the files
/// that the option is for: not about one that a reference system is taken from.
fn can_take(matches: &ArgMatches, option: &str, error: &Error) -> bool {
    let inner = match matches.subcommand() {
        Some((_, inner)) => return can_take(inner, option, error),
        None => matches,
    };
    let id = option.replace('-', "_");
    let free = inner.try_contains_id(&id).is_ok_and(|given| !given);
    let borrowed = inner.ids().any(|id| {
        let texts = inner.try_get_many::<String>(id.as_str()).ok().flatten().into_iter().flatten();
        texts.filter_map(|text| text.strip_prefix("like:")).any(|path| {
            error.location().file.as_ref().is_some_and(|file| file == std::path::Path::new(path))
        })
    });
    free && !borrowed
}

/// Asks; the first choice stands ready. None if the question was turned down.
fn choose(question: &str, choices: &[String], ready: usize) -> Option<usize> {
    // Names come from data.
    let shown: Vec<String> = choices.iter().map(|choice| plain(choice).into_owned()).collect();
    Select::new()
        .with_prompt(format!("{} (arrow keys and Enter; Esc leaves)", plain(question)))
        .items(&shown)
        .default(ready)
        .max_length(LINES)
        .interact_opt()
        .ok()
        .flatten()
}

/// The words with options behind them.
fn with(words: &[OsString], options: &[(&str, &String)]) -> Vec<OsString> {
    let mut out = words.to_vec();
    for (option, value) in options {
        add_option(&mut out, option, value);
    }
    out
}

/// The words with a text in them put right.
fn replaced(words: &[OsString], text: &str, code: &str) -> Option<Vec<OsString>> {
    let mut out = words.to_vec();
    for word in out.iter_mut().skip(1) {
        let typed = word.to_str().unwrap_or_default();
        let behind = typed.split_once('=').filter(|(option, _)| option.starts_with('-'));
        if typed.trim() == text.trim() {
            *word = code.into();
        } else if let Some((option, _)) = behind.filter(|(_, value)| value.trim() == text.trim()) {
            *word = format!("{option}={code}").into();
        } else {
            continue;
        }
        return Some(out);
    }
    // Words of their own, as `crs show washington north` takes them.
    let parts: Vec<&str> = text.split_whitespace().collect();
    let at = out.windows(parts.len()).position(|window| {
        parts.len() > 1 && window.iter().zip(&parts).all(|(word, part)| word.to_str() == Some(part))
    })?;
    out.splice(at..at + parts.len(), [OsString::from(code)]);
    Some(out)
}
