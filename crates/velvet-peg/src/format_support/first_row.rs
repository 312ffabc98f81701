//! Whether the first row of a table holds the names of its columns, or values like the rows below.
//!
//! Point files begin with their first point: taken for a header, it would be lost without a word.
//! The first row is values if every column that holds figures below has one in it, too, of the same
//! size; it is names if one of these columns begins with a word. Where neither can be said, whoever
//! reads the table is asked.

use csv::StringRecord;

/// What the first row holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum FirstRow {
    /// The names of the columns.
    Names,
    /// Values like those below.
    Values,
    /// Either, and why.
    Doubtful(String),
}

/// Rows below that the first is compared with.
const COMPARED: usize = 100;

/// Of the cells of a column, nine in ten are figures where it holds figures.
const MOSTLY: f64 = 0.9;

/// Judges the first of these rows by the others.
pub(crate) fn judge(rows: &[StringRecord]) -> FirstRow {
    let Some((first, below)) = rows.split_first() else { return FirstRow::Names };
    let figures = first.iter().filter(|cell| is_figure(cell)).count();
    if figures == 0 {
        return FirstRow::Names;
    }
    let below: Vec<&StringRecord> =
        below.iter().filter(|row| row.len() == first.len()).take(COMPARED).collect();
    if below.is_empty() {
        // A single row: names of columns are not mostly figures.
        return match figures * 2 > first.len() {
            true => FirstRow::Values,
            false => FirstRow::Doubtful("it is the only row that there is".to_string()),
        };
    }
    let mut alike = 0;
    let mut odd = None;
    for (at, cell) in first.iter().enumerate() {
        let cells: Vec<&str> =
            below.iter().map(|row| row[at].trim()).filter(|cell| !cell.is_empty()).collect();
        let known = cells.iter().filter(|cell| is_figure(cell)).count();
        let holds_figures = !cells.is_empty() && known as f64 >= MOSTLY * cells.len() as f64;
        match (holds_figures, is_figure(cell), cell.trim().is_empty()) {
            // A word above figures names them.
            (true, false, false) => return FirstRow::Names,
            (true, true, _) if is_of_their_size(cell, &cells) => alike += 1,
            (true, true, _) => odd = odd.or(Some((at, cell))),
            _ => {}
        }
    }
    match (alike, odd) {
        (0, None) => FirstRow::Names,
        (_, None) => FirstRow::Values,
        // Years and other numbers head columns, too.
        (0, Some(_)) => FirstRow::Names,
        (_, Some((at, cell))) => FirstRow::Doubtful(format!(
            "`{}` in column {} is a number, but not like those below it",
            cell.trim(),
            at + 1
        )),
    }
}

/// True for numbers, angles, dates and times: texts that begin like a number and are mostly digits.
pub(crate) fn is_figure(cell: &str) -> bool {
    let cell = cell.trim();
    let begins = cell.trim_start_matches(['+', '-', '−', '.', '(']).chars().next();
    if !begins.is_some_and(|c| c.is_ascii_digit()) {
        return false;
    }
    if cell.parse::<f64>().is_ok() {
        return true;
    }
    let digits = cell.chars().filter(char::is_ascii_digit).count();
    let letters: Vec<char> = cell.chars().filter(|c| c.is_alphabetic()).collect();
    // The side of an angle (47°24'30"N), or the letters in a time (2026-05-01T09:05Z).
    let known = letters.iter().all(|c| "NSEWOTZ".contains(c.to_ascii_uppercase()));
    digits > 2 * letters.len() && letters.len() <= 2 && known
}

/// True if a number could be one of these, or none of them is a plain number.
fn is_of_their_size(cell: &str, cells: &[&str]) -> bool {
    let Ok(value) = cell.trim().parse::<f64>() else { return true };
    let numbers: Vec<f64> = cells.iter().filter_map(|cell| cell.parse().ok()).collect();
    let low = numbers.iter().copied().fold(f64::INFINITY, f64::min);
    let high = numbers.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    if low > high {
        return true;
    }
    // A few rows do not show how far a column reaches.
    let room = (high - low).max(0.2 * low.abs().max(high.abs())).max(10.0);
    (low - room..=high + room).contains(&value)
}
