//! How the bytes of a text table become fields: what was asked for, and for the rest what the
//! beginning of the text shows.

use super::detect;
use super::layout::{Laid, Layout};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format_support::first_row::{self, FirstRow};
use crate::format_support::{Quoting, TableFacts, TableOptions};
use crate::notice::{Notice, NoticeKind};
use csv::StringRecord;
use encoding_rs::Encoding;
use std::io::Read;

/// Rows of the beginning that are looked at.
const HEAD_ROWS: usize = 200;

/// How the bytes of a table become fields.
#[derive(Clone, Debug)]
pub(super) struct Dialect {
    pub(super) encoding: &'static Encoding,
    pub(super) delimiter: u8,
    pub(super) quote: Option<u8>,
    pub(super) comment: Option<u8>,
    pub(super) header: bool,
    pub(super) skip_lines: usize,
    pub(super) layout: Option<Layout>,
    /// What was noticed while telling it.
    notices: Vec<Notice>,
    /// Why it is not clear whether the first row is a header.
    doubt: Option<String>,
}

impl Dialect {
    /// What was asked for, and for the rest what the decoded sample shows.
    pub(super) fn tell(
        options: &TableOptions,
        encoding: &'static Encoding,
        sample: &str,
        whole: bool,
    ) -> Result<Dialect> {
        let byte = |c: char, what: &str| {
            u8::try_from(c)
                .map_err(|_| Error::usage(format!("the {what} `{c}` is not a single byte")))
        };
        let comment = options.comment.map(|mark| byte(mark, "comment mark")).transpose()?;
        let mut skip_lines = options.skip_lines;
        let mut named = options.delimiter;
        // Some spreadsheets write the delimiter into a line of its own: `sep=;`.
        let first = sample.lines().nth(skip_lines).unwrap_or_default();
        if let Some(mark) = first.trim_start_matches('\u{feff}').strip_prefix("sep=") {
            let mut marks = mark.chars();
            if let (Some(mark), None) = (marks.next(), marks.next()) {
                named = named.or(Some(mark));
                skip_lines += 1;
            }
        }
        let table: String = sample
            .split_inclusive('\n')
            .skip(skip_lines)
            .filter(|line| options.comment.is_none_or(|mark| !line.starts_with(mark)))
            .collect();
        let sample = table.as_str();
        let mut notices = Vec::new();
        let mut layout =
            (!options.widths.is_empty()).then(|| Layout::Widths(options.widths.clone()));
        let mut by_blanks = named == Some(' ') && layout.is_none();
        let delimiter = match named {
            _ if layout.is_some() || by_blanks => b',',
            Some(delimiter) => byte(delimiter, "delimiter")?,
            None => match detect::delimiter(sample, whole) {
                Some(found) => found,
                None => {
                    by_blanks = detect::is_blank_delimited(sample, whole);
                    if by_blanks {
                        notices.push(Notice::note(
                            NoticeKind::Assumed,
                            "the fields are divided by blanks",
                        ));
                    }
                    b','
                }
            },
        };
        let quote = match options.quoting {
            Some(Quoting::With(quote)) => Some(byte(quote, "quotation mark")?),
            Some(Quoting::None) => None,
            None => Some(detect::quote(sample, delimiter)),
        };
        // What the rows look like as they are.
        let asked = options.header || options.no_header;
        if by_blanks {
            let bare = Layout::Blanks(None);
            let rows = rows_of(sample, whole, b',', quote, Some(&bare));
            let header = match asked {
                true => options.header,
                false => first_row::judge(&rows) == FirstRow::Names || is_words(&rows),
            };
            layout = Some(Layout::of_blanks(sample, header));
        }
        let rows = rows_of(sample, whole, delimiter, quote, layout.as_ref());
        let mut header = !options.no_header;
        let mut doubt = None;
        if !asked {
            match first_row::judge(&rows) {
                FirstRow::Names => {}
                FirstRow::Values => {
                    header = false;
                    let go = match options.names.is_empty() {
                        true => "the columns go by their numbers (column_1, column_2 …)",
                        false => "the names given are its columns'",
                    };
                    let values = Notice::note(
                        NoticeKind::Assumed,
                        format!(
                            "the first row holds values like those below it, not names: it is a \
                             row like the others, and {go}"
                        ),
                    );
                    let unnamed = options.names.is_empty().then_some(Advice::NameTableColumns);
                    notices.push(values.advise_if(unnamed));
                }
                FirstRow::Doubtful(why) => {
                    header = false;
                    doubt = Some(why);
                }
            }
        }
        Ok(Dialect {
            encoding,
            delimiter,
            quote,
            comment,
            header,
            skip_lines,
            layout,
            notices,
            doubt,
        })
    }

    /// How many columns the table has, by the first row of a decoded sample of it.
    pub(super) fn columns(&self, sample: &str, whole: bool) -> usize {
        let mark = self.comment.map(char::from);
        let table: String = sample
            .split_inclusive('\n')
            .skip(self.skip_lines)
            .filter(|line| mark.is_none_or(|mark| !line.starts_with(mark)))
            .collect();
        let rows = rows_of(&table, whole, self.delimiter, self.quote, self.layout.as_ref());
        rows.first().map_or(0, StringRecord::len)
    }

    /// What is known of a table of so many bytes.
    pub(super) fn facts(&self, bytes: u64) -> TableFacts {
        TableFacts {
            encoding: self.encoding.name(),
            delimiter: Some(self.delimiter),
            layout: match &self.layout {
                None => "",
                Some(Layout::Blanks(_)) => "blanks",
                Some(Layout::Widths(_)) => "fixed widths",
            },
            header: self.header,
            doubt: self.doubt.clone(),
            bytes,
            notices: self.notices.clone(),
            ..TableFacts::default()
        }
    }
}

/// The first rows of a sample.
fn rows_of(
    sample: &str,
    whole: bool,
    delimiter: u8,
    quote: Option<u8>,
    layout: Option<&Layout>,
) -> Vec<StringRecord> {
    // The last line of a cut sample may be cut too.
    let text = match sample.rfind('\n') {
        Some(end) if !whole => &sample[..end],
        _ => sample,
    };
    let input: Box<dyn Read + '_> = match layout {
        Some(layout) => Box::new(Laid::new(text.as_bytes(), layout.clone(), None)),
        None => Box::new(text.as_bytes()),
    };
    csv::ReaderBuilder::new()
        .delimiter(delimiter)
        .quoting(quote.is_some())
        .quote(quote.unwrap_or(b'"'))
        .has_headers(false)
        .flexible(true)
        .from_reader(input)
        .records()
        .take(HEAD_ROWS)
        .filter_map(std::result::Result::ok)
        .collect()
}

/// True if the first row holds nothing but words.
fn is_words(rows: &[StringRecord]) -> bool {
    rows.first().is_some_and(|row| row.iter().all(|cell| !first_row::is_figure(cell)))
}
