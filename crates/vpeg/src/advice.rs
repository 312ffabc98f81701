//! What can be done about an error or a notice, in the words of the command line.

use crate::arguments::{in_shell, memory_for, path_in_shell};
use std::path::Path;
use velvet_peg::{Advice, Error, Notice, Reason};

/// The text of an error, with what to do.
pub(crate) fn of_error(error: &Error) -> String {
    let file = error.location().file.as_deref();
    match error.advice() {
        Some(advice) => joined(&error.to_string(), &words(advice, file)),
        None => error.to_string(),
    }
}

/// The text of a notice, with what to do.
pub(crate) fn of_notice(notice: &Notice) -> String {
    let file = notice.location.file.as_deref();
    match &notice.advice {
        Some(advice) => joined(&notice.text, &words(advice, file)),
        None => notice.text.clone(),
    }
}

/// The text of a reason to reject a row, with what to do.
pub(crate) fn of_reason(reason: &Reason) -> String {
    match &reason.advice {
        Some(advice) => joined(&reason.text, &words(advice, None)),
        None => reason.text.clone(),
    }
}

/// A sentence goes on with what to do; what ended before it is followed by a sentence of its own.
fn joined(text: &str, advice: &str) -> String {
    if advice.is_empty() {
        text.to_string()
    } else if advice.starts_with("or ") {
        format!("{text}, {advice}")
    } else if text.ends_with(['.', '?', '!']) {
        let mut letters = advice.chars();
        let first = letters.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
        format!("{text} {first}{}", letters.as_str())
    } else {
        format!("{text}: {advice}")
    }
}

fn words(advice: &Advice, file: Option<&Path>) -> String {
    let file = |known: Option<&Path>| known.or(file).map_or("FILE".to_string(), path_in_shell);
    let fixed = match advice {
        Advice::BuildFirst => {
            "do so with `vpeg build points` (or `vpeg build features` where a column holds \
             geometries as text)"
        }
        Advice::AllowMemory(bytes) => {
            return format!(
                "divide the data or free memory; --memory {} goes on all the same",
                memory_for(*bytes)
            );
        }
        // The message lists them with their codes.
        Advice::ChooseSystem(_) => return String::new(),
        Advice::Check => "`vpeg check` says where",
        Advice::Convert => "to carry them from one to the other use `vpeg convert`",
        Advice::ConvertTo(reference) => return format!("add --to {}", in_shell(reference)),
        Advice::Declare(known) => {
            return format!(
                "declare it with `vpeg declare {} --crs REF -o OUT` (`vpeg crs find` searches for \
                 REF, `vpeg crs guess` ranks candidates)",
                file(known.as_deref())
            );
        }
        Advice::DeclareLater(out) => {
            return format!(
                "add --crs REF here, or later `vpeg declare {} --crs REF -o OUT`",
                path_in_shell(out)
            );
        }
        Advice::FormulasAsText => "--formulas-as-text marks them as text",
        Advice::FindSystem => "search with `vpeg crs find`",
        Advice::KeepColumns => "name the columns to keep with --keep",
        Advice::LooseKeys => "--loose has them meet",
        Advice::ManyRows => "or add --many to get the feature once for each row",
        Advice::NameCourseColumns => "name it with --bearing or --distance",
        Advice::NameCoordinateColumns => {
            "say which they are with --x (longitude or easting) and --y (latitude or northing)"
        }
        Advice::NameHeightColumn => "name it with --z",
        Advice::NameEncoding => "or name the encoding with --encoding",
        Advice::NameGeometryColumn => "name it with --geometry",
        Advice::NameGrid => "or name a grid with --grid (utm, state-plane, or a projected system)",
        Advice::NameGroupColumn => "name the column that tells them apart with --by",
        Advice::NameRingColumn(name) => {
            return format!("or tell rings apart with --ring {}", in_shell(name));
        }
        Advice::NameHeaderRow => "name the row with --header-row",
        Advice::NameLayer => "name one with --layer",
        Advice::NameOutputLayer => "name one with --output-layer",
        Advice::NameTableColumns => "--names gives them names",
        Advice::NameTable => "name one with --sheet",
        Advice::NameSheet => "name one with --sheet, or take all with --all-sheets",
        Advice::Outside => "look at it with --plan; if that is meant, add --outside",
        Advice::Overwrite => "or add --overwrite to replace it",
        Advice::PrefixColumns => "--prefix sets them apart",
        Advice::QuotesAsText => "or read marks as ordinary characters with --quote none",
        Advice::Repair => "--repair mends them",
        Advice::SameColumns => {
            "if they are the same, say --same NAME=OTHER (several times for several)"
        }
        Advice::StateEpoch => {
            "add --epoch with the year of the coordinates, such as --epoch 2026.9"
        }
        Advice::StateHeader => "say which with --header or --no-header",
        Advice::StateHeight => "--height gives the ground's",
        Advice::StateNumberFormat => {
            "say --decimal-comma if it is a decimal point, --thousands ',' if it groups thousands"
        }
        Advice::StateStart => {
            "add --start EASTING,NORTHING, or name the columns that hold it with --x and --y"
        }
        Advice::StateSystem => "add --crs REF",
        Advice::StateSystemOrUnit => "add --crs REF or --unit UNIT",
        Advice::StartsFromColumns => "leave out --start",
        Advice::NameStartColumns => "name them with --x and --y",
        Advice::UseCondition => "conditions go to --where",
        Advice::UseLayer => "use `vpeg convert`, `vpeg declare` or `vpeg measure` on it",
        Advice::ZonesOf(known) => {
            return format!("`vpeg zone {}` names the zones it lies in", file(known.as_deref()));
        }
        // Advice of a later library: its text has to do alone.
        _ => "see `vpeg help`",
    };
    fixed.to_string()
}
