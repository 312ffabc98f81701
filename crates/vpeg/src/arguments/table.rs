//! How a table is read, where detection is not wanted.

use super::heading;
use super::typed::Typed;
use clap::Args;
use velvet_peg::table::{Quoting, TableOptions};

/// How a text table is read, where detection is not wanted.
#[derive(Debug, Clone, Args)]
pub(crate) struct TableArguments {
    /// Delimiter of the table (a character, `tab`, or `blank` for runs of blanks); detected if not
    /// given.
    #[arg(long, value_parser = delimiter, help_heading = heading::READING, hide_short_help = true)]
    delimiter: Option<char>,
    /// Encoding of the table (or of a Shapefile's attributes), such as utf-8, windows-1252 or 850;
    /// detected if not given.
    #[arg(long, help_heading = heading::READING, hide_short_help = true)]
    pub(crate) encoding: Option<String>,
    /// Quotation mark of the table (a character, or `none`); detected if not given.
    #[arg(long, help_heading = heading::READING, hide_short_help = true)]
    quote: Option<Quoting>,
    /// Widths of the fields in characters, of a text in which they stand in columns.
    #[arg(long, value_name = "5,12,12", value_delimiter = ',', conflicts_with = "delimiter", help_heading = heading::READING, hide_short_help = true)]
    widths: Vec<usize>,
    /// The first row holds values, not names; columns go by their numbers from 1. Told by the rows
    /// below if not given.
    #[arg(long, help_heading = heading::READING, hide_short_help = true)]
    no_header: bool,
    /// The first row holds names, whatever it looks like.
    #[arg(long, conflicts_with = "no_header", help_heading = heading::READING, hide_short_help = true)]
    header: bool,
    /// Names of the columns, instead of those in the header.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',', help_heading = heading::READING, hide_short_help = true)]
    names: Vec<String>,
    /// What a column is called elsewhere, in other files or on other sheets: lon=longitude,long;
    /// several times for several.
    #[arg(long, value_name = "NAME=A,B", value_parser = same, help_heading = heading::READING, hide_short_help = true)]
    same: Vec<(String, Vec<String>)>,
    /// Lines in front of the table to pass over.
    #[arg(long, value_name = "N", default_value_t = 0, help_heading = heading::READING, hide_short_help = true)]
    skip_lines: usize,
    /// Lines that begin with this character are passed over.
    #[arg(long, value_name = "CHARACTER", help_heading = heading::READING, hide_short_help = true)]
    comment: Option<char>,
    /// Sheet of a workbook; several times for several, whose columns are matched by name.
    #[arg(long, value_name = "NAME", help_heading = heading::READING)]
    sheet: Vec<String>,
    /// Every sheet of a workbook (hidden ones aside), with a column that names it.
    #[arg(long, conflicts_with = "sheet", help_heading = heading::READING, hide_short_help = true)]
    all_sheets: bool,
    /// Row of the sheet that the header is in; found if not given.
    #[arg(long, value_name = "N", conflicts_with = "no_header", help_heading = heading::READING, hide_short_help = true)]
    header_row: Option<u32>,
}

impl TableArguments {
    /// What was said, as it would be typed again.
    pub(crate) fn typed(&self) -> String {
        let delimiter = self.delimiter.map(|sign| match sign {
            '\t' => "tab".to_string(),
            ' ' => "blank".to_string(),
            sign => sign.to_string(),
        });
        let quote = self.quote.map(|quote| match quote {
            Quoting::None => "none".to_string(),
            Quoting::With(mark) => mark.to_string(),
        });
        let list = |parts: &[String]| (!parts.is_empty()).then(|| parts.join(","));
        let widths: Vec<String> = self.widths.iter().map(usize::to_string).collect();
        let mut typed = Typed::default()
            .value("--delimiter", delimiter)
            .value("--encoding", self.encoding.as_ref())
            .value("--quote", quote)
            .value("--widths", list(&widths))
            .flag("--no-header", self.no_header)
            .flag("--header", self.header)
            .value("--names", list(&self.names));
        for (name, others) in &self.same {
            typed = typed.value("--same", Some(format!("{name}={}", others.join(","))));
        }
        let lines = (self.skip_lines > 0).then(|| self.skip_lines.to_string());
        typed = typed
            .value("--skip-lines", lines)
            .value("--comment", self.comment.map(|sign| sign.to_string()));
        for sheet in &self.sheet {
            typed = typed.value("--sheet", Some(sheet));
        }
        typed
            .flag("--all-sheets", self.all_sheets)
            .value("--header-row", self.header_row.map(|row| row.to_string()))
            .text()
    }

    /// True if it was said which sheets are read.
    pub(crate) fn names_sheets(&self) -> bool {
        self.all_sheets || !self.sheet.is_empty()
    }

    pub(crate) fn options(&self) -> TableOptions {
        TableOptions {
            delimiter: self.delimiter,
            encoding: self.encoding.clone(),
            quoting: self.quote,
            no_header: self.no_header,
            header: self.header,
            widths: self.widths.clone(),
            names: self.names.clone(),
            skip_lines: self.skip_lines,
            comment: self.comment,
            sheets: self.sheet.clone(),
            all_sheets: self.all_sheets,
            header_row: self.header_row,
            same: self.same.clone(),
            ..TableOptions::default()
        }
    }
}

fn same(text: &str) -> Result<(String, Vec<String>), String> {
    let wrong = || format!("`{text}` is not NAME=A,B: write lon=longitude,long");
    let (name, others) = text.split_once('=').ok_or_else(wrong)?;
    let others: Vec<String> = others.split(',').map(|other| other.trim().to_string()).collect();
    match !name.trim().is_empty() && others.iter().all(|other| !other.is_empty()) {
        true => Ok((name.trim().to_string(), others)),
        false => Err(wrong()),
    }
}

pub(super) fn delimiter(text: &str) -> Result<char, String> {
    let mut chars = text.chars();
    match (text.to_ascii_lowercase().as_str(), chars.next(), chars.next()) {
        ("tab" | "\\t", _, _) => Ok('\t'),
        ("comma", _, _) => Ok(','),
        ("semicolon", _, _) => Ok(';'),
        ("blank" | "space", _, _) => Ok(' '),
        (_, Some(only), None) => Ok(only),
        _ => Err("a delimiter is one character, `tab`, or `blank`".to_string()),
    }
}
