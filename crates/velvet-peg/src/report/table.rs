//! Tables of a report.

use super::document::Document;
use crate::draw::grouped;
use crate::format_support::markup::escaped;
use crate::notice::Severity;
use std::fmt::Write;

/// Rows of a table that is not broken over pages.
const SHORT: usize = 14;

/// A cell.
pub(super) enum Cell {
    Text(String),
    /// As it is shown, with what it is sorted by.
    Number(String, f64),
    /// Texts that lead to elements of the page.
    Links(Vec<(String, String)>),
    Level(Severity),
}

impl Cell {
    pub(super) fn count(count: u64) -> Cell {
        Cell::Number(grouped(count as f64, 0), count as f64)
    }

    pub(super) fn text(text: impl Into<String>) -> Cell {
        Cell::Text(text.into())
    }
}

/// A table whose columns of numbers stand to the right.
pub(super) struct Table {
    columns: Vec<(String, bool)>,
    rows: Vec<Vec<Cell>>,
    /// Rows that stay below the others: sums and the like.
    foot: Vec<Vec<Cell>>,
}

impl Table {
    /// With these columns; true for those of numbers.
    pub(super) fn new<'a>(columns: impl IntoIterator<Item = (&'a str, bool)>) -> Table {
        let columns = columns.into_iter().map(|(name, number)| (name.to_string(), number));
        Table { columns: columns.collect(), rows: Vec::new(), foot: Vec::new() }
    }

    pub(super) fn row(&mut self, cells: Vec<Cell>) {
        self.rows.push(cells);
    }

    pub(super) fn foot(&mut self, cells: Vec<Cell>) {
        self.foot.push(cells);
    }

    pub(super) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// Writes it; tables of several rows sort.
    pub(super) fn put(self, document: &mut Document, label: &str) {
        let class = if self.rows.len() > 1 { " class=\"sorts\"" } else { "" };
        // Not broken over pages of paper.
        let short = if self.rows.len() + self.foot.len() <= SHORT { " short" } else { "" };
        let mut out = format!(
            "<div class=\"scroll{short}\" tabindex=\"0\" role=\"region\" aria-label=\"{0}\"><table{class} aria-label=\"{0}\"><thead><tr>",
            escaped(label)
        );
        for (name, number) in &self.columns {
            let class = if *number { " class=\"number\"" } else { "" };
            let _ = write!(out, "<th scope=\"col\"{class}>{}</th>", escaped(name));
        }
        out.push_str("</tr></thead>\n<tbody>\n");
        let rows = |out: &mut String, rows: &[Vec<Cell>]| {
            for cells in rows {
                out.push_str("<tr>");
                cells.iter().for_each(|cell| put_cell(out, cell));
                out.push_str("</tr>\n");
            }
        };
        rows(&mut out, &self.rows);
        out.push_str("</tbody>");
        if !self.foot.is_empty() {
            out.push_str("\n<tfoot>\n");
            rows(&mut out, &self.foot);
            out.push_str("</tfoot>");
        }
        out.push_str("</table></div>\n");
        document.put(&out);
    }
}

fn put_cell(out: &mut String, cell: &Cell) {
    let _ = match cell {
        Cell::Text(text) => write!(out, "<td>{}</td>", escaped(text)),
        Cell::Number(text, value) if value.is_finite() => {
            write!(out, "<td class=\"number\" data-value=\"{value}\">{}</td>", escaped(text))
        }
        Cell::Number(text, _) => write!(out, "<td class=\"number\">{}</td>", escaped(text)),
        // The weightiest first.
        Cell::Level(level) => write!(
            out,
            "<td class=\"{0}\" data-value=\"{1}\">{0}</td>",
            level.name(),
            Severity::Fault as u8 - *level as u8
        ),
        Cell::Links(links) => {
            let links: Vec<String> = links
                .iter()
                .map(|(text, to)| format!("<a href=\"#{}\">{}</a>", escaped(to), escaped(text)))
                .collect();
            write!(out, "<td>{}</td>", links.join(" "))
        }
    };
}
