//! Messages on standard error and tables on standard output.

use crate::{Ending, advice, record};
use anstyle::{AnsiColor, Style};
use console::{Alignment, pad_str};
use std::io::Write;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use velvet_peg::{Error, Notice, Severity, Summary};

static WARNED: AtomicBool = AtomicBool::new(false);
static JSON: AtomicBool = AtomicBool::new(false);
static STRICT: AtomicBool = AtomicBool::new(false);
static TAKEN: AtomicBool = AtomicBool::new(false);
static QUIET: AtomicBool = AtomicBool::new(false);

/// Warnings count as failures.
pub(crate) fn set_strict(strict: bool) {
    STRICT.store(strict, Ordering::Relaxed);
}

/// True if warnings count as failures.
pub(crate) fn is_strict() -> bool {
    STRICT.load(Ordering::Relaxed)
}

/// Leaves out remarks; warnings and errors stay.
pub(crate) fn set_quiet(quiet: bool) {
    QUIET.store(quiet, Ordering::Relaxed);
}

/// Answers are to be JSON.
pub(crate) fn set_json(json: bool) {
    JSON.store(json, Ordering::Relaxed);
}

/// True if answers are to be JSON.
pub(crate) fn wants_json() -> bool {
    JSON.load(Ordering::Relaxed)
}

/// Standard output belongs to the data: answers go to standard error.
pub(crate) fn leave_standard_output() {
    TAKEN.store(true, Ordering::Relaxed);
}

/// True if a warning was shown.
pub(crate) fn warned() -> bool {
    WARNED.load(Ordering::Relaxed)
}

fn message(word: &str, colour: AnsiColor, text: &str) {
    let style = Style::new().bold().fg_color(Some(colour.into()));
    let text = wrapped(&plain(text), word.len() + 1, &console::Term::stderr());
    // Nobody is left to tell if standard error is closed.
    let _ = writeln!(anstream::stderr(), "{style}{word}{style:#} {text}");
}

/// A text of at most so many characters, with a mark where it is cut.
pub(crate) fn shortened(text: &str, most: usize) -> String {
    match text.chars().count() > most {
        true => text.chars().take(most - 1).chain(['…']).collect(),
        false => text.to_string(),
    }
}

/// True for what has text run the other way (Unicode, UAX #9): the end of a name would stand at its
/// beginning.
fn turns(c: char) -> bool {
    matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

/// What ends a style in an answer, and what begins one. No text has these characters (Unicode 23.7, noncharacters);
/// of data they are shown as what they are, as all that a terminal would take for a command.
const PLAIN: char = '\u{fdd0}';
const BOLD: char = '\u{fdd1}';
const RED: char = '\u{fdd2}';
const YELLOW: char = '\u{fdd3}';
const CYAN: char = '\u{fdd4}';

/// The style that a character stands for.
fn style_of(c: char) -> Option<Style> {
    let bold = Style::new().bold();
    let coloured = |colour: AnsiColor| bold.fg_color(Some(colour.into()));
    match c {
        PLAIN => Some(Style::new()),
        BOLD => Some(bold),
        RED => Some(coloured(AnsiColor::Red)),
        YELLOW => Some(coloured(AnsiColor::Yellow)),
        CYAN => Some(coloured(AnsiColor::Cyan)),
        _ => None,
    }
}

/// Control characters of data as they are written in source texts: to a terminal they are commands.
pub(crate) fn plain(text: &str) -> std::borrow::Cow<'_, str> {
    let command =
        |c: char| (c.is_control() && c != '\n' && c != '\t') || turns(c) || style_of(c).is_some();
    if !text.contains(command) {
        return text.into();
    }
    let mut shown = String::with_capacity(text.len() + 8);
    for c in text.chars() {
        match command(c) {
            true => shown.extend(c.escape_default()),
            false => shown.push(c),
        }
    }
    shown.into()
}

/// As [`plain`], in one line.
fn plain_cell(text: &str) -> String {
    plain(text).replace('\n', "\\n").replace('\t', "\\t")
}

/// As [`plain`], with the styles of headings and tables.
fn styled(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for piece in text.split_inclusive(|c| style_of(c).is_some()) {
        let style = piece.chars().next_back().and_then(style_of);
        let end = piece.len() - style.map_or(0, |_| PLAIN.len_utf8());
        shown.push_str(&plain(&piece[..end]));
        match style {
            Some(style) if style.is_plain() => shown.push_str(&anstyle::Reset.to_string()),
            Some(style) => shown.push_str(&style.to_string()),
            None => {}
        }
    }
    shown
}

/// An answer without styles.
pub(crate) fn unstyled(text: &str) -> String {
    plain(&text.replace(|c| style_of(c).is_some(), "")).into_owned()
}

/// On a terminal, lines broken between words and indented under their beginning.
fn wrapped(text: &str, indent: usize, terminal: &console::Term) -> String {
    let width = usize::from(terminal.size().1);
    if !terminal.is_term() || width < indent + 30 {
        return text.to_string();
    }
    let under = " ".repeat(indent);
    let options = textwrap::Options::new(width)
        .break_words(false)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    let lines = text.split('\n').enumerate().flat_map(|(number, line)| {
        // What the first line begins with stands there already; later ones have their own indent.
        let own = &line[..line.len() - line.trim_start().len()];
        let (first, rest) = match number {
            0 => (under.as_str(), under.clone()),
            _ => (own, format!("{under}{}", " ".repeat(own.len().saturating_sub(indent)))),
        };
        let options = options.clone().initial_indent(first).subsequent_indent(&rest);
        textwrap::wrap(line.trim_start(), options)
            .into_iter()
            .map(|line| line.into_owned())
            .collect::<Vec<_>>()
    });
    lines.collect::<Vec<_>>().join("\n").split_off(indent)
}

/// Shows what the library noticed.
pub(crate) fn notices(notices: &[Notice]) {
    for notice in notices {
        match notice.severity {
            Severity::Warning | Severity::Fault => {
                WARNED.store(true, Ordering::Relaxed);
                let (label, text) =
                    (format!("{}:", notice.severity.name()), advice::of_notice(notice));
                record::said(notice.severity, &text);
                message(&label, AnsiColor::Yellow, &text);
            }
            Severity::Note => remark(&advice::of_notice(notice)),
        }
    }
}

/// Notices for machines: text, kind, severity, figures with their units, and the place.
pub(crate) fn notices_as_json(notices: &[Notice]) -> serde_json::Value {
    let one = |notice: &Notice| {
        let mut json = serde_json::json!({
            "severity": notice.severity,
            "kind": notice.kind,
            "text": notice.text,
        });
        if !notice.figures.is_empty() {
            json["figures"] = serde_json::json!(notice.figures);
        }
        let at = &notice.location;
        let place = [
            ("file", at.file.as_ref().map(|file| file.display().to_string())),
            ("layer", at.layer.clone()),
            ("sheet", at.sheet.clone()),
            ("column", at.column.clone()),
        ];
        for (name, value) in place {
            if let Some(value) = value {
                json[name] = value.into();
            }
        }
        if let Some(row) = at.row {
            json["row"] = row.into();
        }
        json
    };
    notices.iter().map(one).collect()
}

/// Shows a warning.
pub(crate) fn warning(text: &str) {
    WARNED.store(true, Ordering::Relaxed);
    record::said(Severity::Warning, text);
    message("warning:", AnsiColor::Yellow, text);
}

/// Shows a row or feature that was rejected, and why.
pub(crate) fn rejected(text: &str) {
    message("rejected:", AnsiColor::Yellow, text);
}

/// Prints a finding of a check as part of the answer.
///
/// # Errors
/// If standard output is closed.
pub(crate) fn finding(level: Severity, text: &str) -> Result<(), Error> {
    let style = match level {
        Severity::Fault => RED,
        Severity::Warning => YELLOW,
        Severity::Note => CYAN,
    };
    let word = format!("{}:", level.name());
    let text = wrapped(&plain(text), word.len() + 3, &console::Term::stdout());
    answer(&format!("  {style}{word}{PLAIN} {text}"))
}

/// Shows a remark.
pub(crate) fn remark(text: &str) {
    record::said(Severity::Note, text);
    if !QUIET.load(Ordering::Relaxed) {
        message("note:", AnsiColor::Cyan, text);
    }
}

/// Shows why a command failed.
pub(crate) fn failure(error: &Error) {
    message("error:", AnsiColor::Red, &advice::of_error(error));
}

/// Says what an interrupt leaves.
pub(crate) fn interrupted() {
    let text = "every output is whole: as it was before, or new";
    message("interrupted:", AnsiColor::Red, text);
}

/// Shows the closing line of a command that writes features or rows, with what was rejected;
/// as JSON on standard output if that was asked for and is not taken by the data.
///
/// # Errors
/// If standard output is closed.
pub(crate) fn outcome(
    outcome: &Summary,
    unit_in: &str,
    unit_out: &str,
    out: &Path,
) -> Result<Ending, Error> {
    outcome_with(outcome, unit_in, unit_out, out, &[])
}

/// As [`outcome`], with more to say in JSON.
///
/// # Errors
/// If standard output is closed.
pub(crate) fn outcome_with(
    outcome: &Summary,
    unit_in: &str,
    unit_out: &str,
    out: &Path,
    extra: &[(&str, serde_json::Value)],
) -> Result<Ending, Error> {
    notices(&outcome.notices);
    record::done(outcome, out);
    let rejected = &outcome.rejected;
    let row = unit_in.trim_end_matches('s');
    // Without a file they stand on standard error already, every one.
    // What can be done is said once, with the first row that it is about.
    let mut advised = Vec::new();
    for (number, reason) in rejected.first.iter().filter(|_| rejected.path.is_some()) {
        let text = match &reason.advice {
            Some(advice) if !advised.contains(&advice) => {
                advised.push(advice);
                advice::of_reason(reason)
            }
            _ => reason.text.clone(),
        };
        message("rejected:", AnsiColor::Yellow, &format!("{row} {number}: {text}"));
    }
    let more = rejected.count - rejected.first.len() as u64;
    if more > 0 && rejected.path.is_some() {
        message("rejected:", AnsiColor::Yellow, &format!("and {more} more"));
    }
    let kept = match &rejected.path {
        Some(path) if path.is_file() => format!(" (kept in {})", path.display()),
        Some(path) => format!(" (written to {})", path.display()),
        None => String::new(),
    };
    let count = |number: u64, unit: &str| match number {
        1 => format!("1 {}", unit.trim_end_matches('s')),
        number => format!("{number} {unit}"),
    };
    let standard = velvet_peg::output::is_standard(out);
    let files = &outcome.files;
    let name = if standard {
        "standard output".to_string()
    } else {
        // Features that one file cannot hold together go to several.
        let main = files.iter().filter(|file| file.extension() == out.extension());
        let main: Vec<String> = main.map(|file| file.display().to_string()).collect();
        if main.is_empty() { out.display().to_string() } else { main.join(", ") }
    };
    let left = match outcome.left_out {
        0 => String::new(),
        number => format!("{number} left out by --where, "),
    };
    let vertices = match outcome.vertices {
        Some(used) => format!(" from {}", count(used, unit_in)),
        None => String::new(),
    };
    let verified = if outcome.verified { ", read again and compared" } else { "" };
    let text = format!(
        "{} in, {left}{} out{vertices}, {} rejected{kept}; wrote {name}{verified}",
        count(outcome.rows_in, unit_in),
        count(outcome.out, unit_out),
        rejected.count
    );
    message("done:", AnsiColor::Green, &text);
    if wants_json() && !standard {
        let mut answer = serde_json::json!({
            "rows_in": outcome.rows_in,
            "left_out": outcome.left_out,
            "out": outcome.out,
            "verified": outcome.verified,
            "rejected": rejected.count,
            "rejects_file": rejected.path,
            "output": out,
            "files": outcome.files,
            "notices": notices_as_json(&outcome.notices),
        });
        if let Some(used) = outcome.vertices {
            answer["rows_used"] = used.into();
        }
        for (key, value) in extra {
            answer[*key] = value.clone();
        }
        json(&answer)?;
    }
    Ok(if rejected.count > 0 { Ending::Rejects } else { Ending::Done })
}

/// Says that something is done.
pub(crate) fn done(text: &str) {
    message("done:", AnsiColor::Green, text);
}

/// Prints an answer.
///
/// # Errors
/// If standard output is closed.
pub(crate) fn answer(text: &str) -> Result<(), Error> {
    record::answered(text);
    if TAKEN.load(Ordering::Relaxed) {
        return anstream::stderr()
            .write_all(format!("{}\n", styled(text)).as_bytes())
            .map_err(Error::from);
    }
    let mut out = anstream::stdout().lock();
    out.write_all(styled(text).as_bytes())
        .and_then(|()| out.write_all(b"\n"))
        .and_then(|()| out.flush())
        .map_err(Error::from)
}

/// Prints JSON.
///
/// # Errors
/// If standard output is closed.
pub(crate) fn json(value: &serde_json::Value) -> Result<(), Error> {
    answer(&serde_json::to_string_pretty(value).unwrap_or_default())
}

/// A table of text: columns padded, numbers to the right.
pub(crate) struct Table {
    header: Vec<String>,
    rows: Vec<Vec<String>>,
    /// A column of numbers some of which have a word in front.
    noted: Option<usize>,
}

impl Table {
    pub(crate) fn new<const N: usize>(header: [&str; N]) -> Table {
        Table::with_header(header.map(String::from).to_vec())
    }

    pub(crate) fn with_header(header: Vec<String>) -> Table {
        let header = header.iter().map(|cell| plain_cell(cell)).collect();
        Table { header, rows: Vec::new(), noted: None }
    }

    /// Sets the column of these numbers to the right: a word in front of one does not count.
    pub(crate) fn noted(&mut self, column: usize) {
        self.noted = Some(column);
    }

    pub(crate) fn row(&mut self, cells: Vec<String>) {
        self.rows.push(cells.iter().map(|cell| plain_cell(cell)).collect());
    }

    /// Parts what follows from what went before.
    pub(crate) fn rule(&mut self) {
        self.rows.push(vec!["─".to_string(); self.header.len()]);
    }

    pub(crate) fn text(&self) -> String {
        let is_rule = |row: &Vec<String>| row.iter().all(|cell| cell == "─");
        let columns = self.header.len();
        let width = |column: usize| {
            self.rows
                .iter()
                .chain([&self.header])
                .map(|row| console::measure_text_width(&row[column]))
                .max()
                .unwrap_or(0)
        };
        let widths: Vec<usize> = (0..columns).map(width).collect();
        let numeric = |column: usize| {
            let mut cells = self
                .rows
                .iter()
                .map(|row| row[column].as_str())
                .filter(|c| !c.is_empty() && *c != "─")
                .peekable();
            cells.peek().is_some()
                && cells.all(|cell| {
                    cell.replace(['\u{2009}', ',', '%'], "").trim().parse::<f64>().is_ok()
                })
        };
        let right: Vec<bool> =
            (0..columns).map(|at| self.noted == Some(at) || numeric(at)).collect();
        let line = |row: &Vec<String>| {
            let cells: Vec<String> = (0..columns)
                .map(|at| {
                    if is_rule(row) {
                        return "─".repeat(widths[at]);
                    }
                    let side = if right[at] { Alignment::Right } else { Alignment::Left };
                    pad_str(&row[at], widths[at], side, None).into_owned()
                })
                .collect();
            cells.join("  ").trim_end().to_string()
        };
        let mut lines = vec![format!("{BOLD}{}{PLAIN}", line(&self.header))];
        lines.extend(self.rows.iter().map(line));
        lines.join("\n")
    }
}

/// Pairs of a label and a text, labels padded.
pub(crate) fn pairs(pairs: &[(String, String)]) -> String {
    let width =
        pairs.iter().map(|(label, _)| console::measure_text_width(label)).max().unwrap_or(0);
    let terminal = console::Term::stdout();
    let lines: Vec<String> = pairs
        .iter()
        .map(|(label, text)| {
            let label = pad_str(label, width, Alignment::Left, None);
            format!("  {label}  {}", wrapped(&plain(text), width + 4, &terminal))
        })
        .collect();
    lines.join("\n")
}

/// A heading.
pub(crate) fn heading(text: &str) -> String {
    format!("{BOLD}{}{PLAIN}", plain(text))
}
