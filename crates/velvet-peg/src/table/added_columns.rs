//! Adding computed columns to a text table, block by block, in bounded memory.
//!
//! Every column stays as it was; rows that cannot be computed go to the rejects. `-` reads
//! standard input and writes standard output.

use super::added_cells::{AddedCells, Lines, TextLines};
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{Formulas, SourceRow, TableOptions, replaced};
use crate::layer::column_names::distinct;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::outcome::{Rejects, RejectsTo};
use crate::output::{Output, is_standard, refuse_existing, refuse_inputs};
use crate::packing::Packing;
use crate::progress::Progress;
use crate::table::{RowBlock, RowShape, TableFile, TableReader, standard_input};
use csv::StringRecord;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Where the table goes and how.
#[derive(Clone, Debug, Default)]
pub struct AppendOptions {
    /// How the table is read.
    pub table: TableOptions,
    /// Replace existing outputs.
    pub overwrite: bool,
    /// Where rejects go; `OUT.rejects.csv` if none, standard error when writing to standard
    /// output.
    pub rejects: Option<PathBuf>,
    /// Texts that a spreadsheet would take for formulas have an apostrophe in front. Without it they are
    /// written as they are, and told.
    pub formulas_as_text: bool,
}

/// A table opened for adding columns.
pub(crate) struct Session {
    reader: TableReader,
    /// Column names.
    pub(crate) headers: Vec<String>,
    /// The first rows, to plan from.
    head: RowBlock,
    delimiter: Option<u8>,
    input: PathBuf,
    bytes: Option<u64>,
    options: AppendOptions,
    notices: Vec<Notice>,
    /// Keeps what was laid down.
    _kept: Option<TableFile>,
}

impl Session {
    pub(crate) fn open(input: &Path, options: &AppendOptions) -> Result<Session> {
        let mut notices = Vec::new();
        let mut kept = None;
        let streamed = match input == Path::new("-") {
            true => standard_input(input, &options.table)?,
            false => None,
        };
        let (mut reader, delimiter, bytes) = match streamed {
            Some((reader, facts)) => {
                notices.extend(facts.notices);
                (reader, facts.delimiter, None)
            }
            None => {
                let file = TableFile::open(input, &options.table)?;
                notices.extend_from_slice(file.notices());
                let opened = (file.rows()?, file.facts().delimiter, Some(file.bytes()));
                kept = Some(file);
                opened
            }
        };
        let mut head = RowBlock::default();
        reader.read_block(&mut head)?;
        Ok(Session {
            headers: reader.columns().to_vec(),
            reader,
            head,
            delimiter,
            input: input.to_path_buf(),
            bytes,
            options: options.clone(),
            notices,
            _kept: kept,
        })
    }

    /// True if the first rows are all there are.
    pub(crate) fn is_short(&self) -> bool {
        !self.head.is_full()
    }

    /// The first rows of the table that fit its header.
    pub(crate) fn head(&self) -> impl Iterator<Item = &StringRecord> {
        let fits = |row: &&SourceRow| self.reader.shape().misfit_of(row).is_none();
        self.head.rows().iter().filter(fits).map(|row| &row.texts)
    }

    /// The delimiter of an output: that of its extension, or that of the input.
    fn delimiter_of(&self, out: &Path) -> u8 {
        let tabs = out.extension().is_some_and(|e| e == "tsv" || e == "tab");
        match out.extension() {
            Some(_) if tabs => b'\t',
            Some(e) if e == "csv" => b',',
            // What is no text has no delimiter of its own.
            _ => self.delimiter.unwrap_or(b','),
        }
    }

    /// # Errors
    /// If what is read or written is of a kind that columns are not added to.
    fn refuse_places(&self, out: &Path) -> Result<()> {
        let standard = is_standard(out);
        if self.input.is_dir() {
            return Err(
                Error::usage("is a folder: columns are added to one table").in_file(&self.input)
            );
        }
        if !standard {
            refuse_existing(out, self.options.overwrite)?;
            if Packing::of_path(out).is_some() {
                return Err(Error::usage(
                    "would be packed, and a table with columns added to it is written as it is \
                     read: name a .csv",
                )
                .in_file(out));
            }
        }
        Ok(())
    }

    /// Writes every row with what `fill` adds to it, or rejects it for the reason that `fill` gives;
    /// `fill` runs in several threads, and what else it gives goes to `see`, in order.
    pub(crate) fn run<S: Send>(
        self,
        out: &Path,
        columns: &[&str],
        fill: impl Fn(&[&SourceRow], &mut AddedCells) -> S + Sync,
        mut see: impl FnMut(S),
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let standard = is_standard(out);
        self.refuse_places(out)?;
        let mut outcome = Summary { notices: self.notices.clone(), ..Summary::default() };
        outcome.notices.extend(self.reader.renamed());
        let mut header = self.headers.clone();
        for column in columns {
            let name = distinct(&header, column);
            if name != *column {
                outcome.notices.push(Notice::note(
                    NoticeKind::ColumnChange,
                    format!(
                        "the table has a column `{column}` already: the new one is called `{name}`"
                    ),
                ).in_column(column));
            }
            header.push(name);
        }
        if !standard {
            refuse_inputs(out, [self.input.as_path()])?;
        }
        let to = RejectsTo {
            named: self.options.rejects.as_deref(),
            overwrite: self.options.overwrite,
            append: false,
        };
        let mut rejects = Rejects::new(to, &[self.input.as_path()], out, &self.headers)?;
        let output =
            if standard { None } else { Some(Output::create(out, self.options.overwrite)?) };
        let mut sink: Box<dyn Write> = match &output {
            Some(output) => Box::new(output.reopen()?),
            None => Box::new(std::io::stdout()),
        };
        let delimiter = self.delimiter_of(out);
        let unwritten = |e| Error::file(out, "cannot be written", e);
        let mark = self.options.formulas_as_text;
        let mut formulas = Formulas::new(mark);
        let mut first = TextLines::new(delimiter);
        for name in &header {
            let marked = formulas.marked(name, || "the header".to_string());
            first.field(marked.as_ref().unwrap_or(name))?;
        }
        first.end_line()?;
        let mut changed = first.replaced;
        sink.write_all(&first.end()?).map_err(unwritten)?;

        let names = (&header[..], mark);
        let make =
            |shape: &RowShape, block: &RowBlock| Lines::of(shape, block, delimiter, names, &fill);
        let total = self.bytes;
        let mut take = |made: Lines<S>, block: &RowBlock| -> Result<()> {
            outcome.rows_in += block.rows().len() as u64;
            outcome.out += (block.rows().len() - made.rejected.len()) as u64;
            sink.write_all(&made.text).map_err(unwritten)?;
            formulas.then(made.formulas);
            changed += made.replaced;
            for (row, reason) in made.rejected {
                let row = &block.rows()[row];
                rejects.add(row.number, reason, row.texts.iter())?;
            }
            see(made.seen);
            watch.at(block.bytes_read, total);
            Ok(())
        };
        take(make(self.reader.shape(), &self.head)?, &self.head)?;
        self.reader.in_blocks(make, |made, _, block| take(made, block))?;
        sink.flush().map_err(unwritten)?;
        drop(sink);
        outcome.notices.extend(formulas.notice());
        if changed > 0 {
            let text = replaced(changed, "delimited text");
            outcome.notices.push(Notice::warning(NoticeKind::FormatLimit, text));
        }
        if outcome.rows_in == 0 {
            return Err(Error::data(
                "has a header but no rows: nothing to do. Is this the right file?",
            )
            .in_file(&self.input));
        }
        if outcome.out == 0 {
            let first: Vec<String> = rejects
                .first()
                .iter()
                .take(3)
                .map(|(row, why)| format!("row {row}: {why}"))
                .collect();
            return Err(Error::data(format!(
                "none of the {} rows can be used. The first: {}",
                outcome.rows_in,
                first.join("; ")
            ))
            .in_file(&self.input));
        }
        if let Some(output) = output {
            let format = Format::of(out).ok().filter(|_| self.options.overwrite);
            let made = [out.to_path_buf()];
            let stale = format.map(|format| format.description().stale_parts(out, &made));
            let stale = stale.unwrap_or_default();
            outcome.notices.extend(Notice::of_removed(&stale));
            output.finish_without(&stale)?;
        }
        outcome.rejected = rejects.finish()?;
        Ok(outcome)
    }
}
