//! The library's one error type: opaque, with predicates, a cause and, for data, the place.

use crate::advice::Advice;
use std::fmt;
use std::path::{Path, PathBuf};

/// Where in the data something went wrong.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Location {
    /// File; `-` for standard input.
    pub file: Option<PathBuf>,
    /// Layer.
    pub layer: Option<String>,
    /// Sheet of a workbook.
    pub sheet: Option<String>,
    /// Row as a spreadsheet counts it: the header is row 1.
    pub row: Option<u64>,
    /// Column name.
    pub column: Option<String>,
}

impl fmt::Display for Location {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut parts = Vec::new();
        if let Some(file) = &self.file {
            parts.push(file.display().to_string());
        }
        if let Some(layer) = &self.layer {
            parts.push(format!("layer {layer}"));
        }
        if let Some(sheet) = &self.sheet {
            parts.push(format!("sheet {sheet}"));
        }
        if let Some(row) = self.row {
            parts.push(format!("row {row}"));
        }
        if let Some(column) = &self.column {
            parts.push(format!("column {column}"));
        }
        f.write_str(&parts.join(", "))
    }
}

/// Anything that can go wrong in the library.
#[derive(Debug)]
pub struct Error(Box<Inner>);

#[derive(Debug)]
struct Inner {
    kind: Kind,
    message: String,
    location: Location,
    advice: Option<Advice>,
    choices: Vec<String>,
    source: Option<Box<dyn std::error::Error + Send + Sync>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Data,
    File,
    Exists,
    Usage,
    Compute,
    Memory,
}

impl Error {
    pub(crate) fn new(kind: Kind, message: impl Into<String>) -> Error {
        Error(Box::new(Inner {
            kind,
            message: message.into(),
            location: Location::default(),
            advice: None,
            choices: Vec::new(),
            source: None,
        }))
    }

    /// What was asked for makes no sense with this data: wrong column, missing system.
    pub fn usage(message: impl Into<String>) -> Error {
        Error::new(Kind::Usage, message)
    }

    /// The same error, told of a file if it is not of one already.
    pub fn with_path(self, path: &Path) -> Error {
        self.in_file(path)
    }

    /// More memory would be needed than there is.
    pub(crate) fn memory(message: impl Into<String>) -> Error {
        Error::new(Kind::Memory, message)
    }

    /// One of memory is told of what is worked on, not of where it goes.
    pub(crate) fn of_input(mut self, input: &Path) -> Error {
        if self.is_memory() {
            self.0.location.file = Some(input.to_path_buf());
        }
        self
    }

    /// One of memory too, with what allows more, if its cause is.
    #[cfg(feature = "jobs")]
    pub(crate) fn of_memory(mut self, cause: &Error) -> Error {
        if cause.is_memory() {
            self.0.kind = Kind::Memory;
            self.0.advice.clone_from(&cause.0.advice);
        }
        self
    }

    /// Adds what can be done about it, if nothing was said yet.
    pub(crate) fn advise(mut self, advice: Advice) -> Error {
        self.0.advice.get_or_insert(advice);
        self
    }

    /// Adds what can be done about it, if there is something.
    pub(crate) fn advise_if(self, advice: Option<Advice>) -> Error {
        match advice {
            Some(advice) => self.advise(advice),
            None => self,
        }
    }

    /// Adds what there is to choose from.
    pub(crate) fn among(mut self, choices: impl IntoIterator<Item = impl Into<String>>) -> Error {
        self.0.choices = choices.into_iter().map(Into::into).collect();
        self
    }

    /// What there is to choose from where something has to be named and nothing was: the layers,
    /// sheets or columns that the advice is about, likeliest first; of reference systems the labels.
    /// Empty where nothing is to be chosen.
    pub fn choices(&self) -> &[String] {
        &self.0.choices
    }

    /// What can be done about it, if something is known.
    pub fn advice(&self) -> Option<&Advice> {
        self.0.advice.as_ref()
    }

    pub(crate) fn data(message: impl Into<String>) -> Error {
        Error::new(Kind::Data, message)
    }

    pub(crate) fn file(
        path: &Path,
        doing: &str,
        source: impl std::error::Error + Send + Sync + 'static,
    ) -> Error {
        let mut error = Error::new(Kind::File, format!("{doing}: {source}"));
        error.0.source = Some(Box::new(source));
        error.in_file(path)
    }

    pub(crate) fn in_file(mut self, path: &Path) -> Error {
        self.0.location.file.get_or_insert_with(|| path.to_path_buf());
        self
    }

    /// Of a layer in memory, which has no file: its name stands where a file would.
    pub(crate) fn without_file(mut self) -> Error {
        if let Some(name) = self.0.location.file.take() {
            let name = name.display().to_string();
            self.0.location.layer.get_or_insert(name);
        }
        self
    }

    pub(crate) fn in_row(mut self, row: u64) -> Error {
        self.0.location.row.get_or_insert(row);
        self
    }

    pub(crate) fn in_layer(mut self, layer: &str) -> Error {
        self.0.location.layer.get_or_insert_with(|| layer.to_string());
        self
    }

    pub(crate) fn in_sheet(mut self, sheet: &str) -> Error {
        self.0.location.sheet.get_or_insert_with(|| sheet.to_string());
        self
    }

    /// Tells of an input as it was given, in place of where it was laid down.
    pub(crate) fn shown_as(mut self, real: &Path, shown: &Path) -> Error {
        match &mut self.0.location.file {
            Some(file) if file == real => *file = shown.to_path_buf(),
            _ => {}
        }
        self.in_file(shown)
    }

    /// Tells of a file as it will be, in place of where it waits: `real` waits for `shown`, and its
    /// side files beside it.
    pub(crate) fn moved(mut self, real: &Path, shown: &Path) -> Error {
        if let Some(file) = &mut self.0.location.file
            && file.parent() == real.parent()
            && let Some(name) = file.file_name()
        {
            *file = shown.with_file_name(name);
        }
        self.shown_as(real, shown)
    }

    /// Where in the data it happened, as far as known.
    pub fn location(&self) -> &Location {
        &self.0.location
    }

    /// The data itself is wrong.
    pub fn is_data(&self) -> bool {
        self.0.kind == Kind::Data
    }

    /// A file cannot be read or written.
    pub fn is_file(&self) -> bool {
        self.0.kind == Kind::File
    }

    /// An output exists and was not to be overwritten.
    pub fn is_exists(&self) -> bool {
        self.0.kind == Kind::Exists
    }

    /// True if writing failed only because the reader of a pipe has gone.
    pub fn is_broken_pipe(&self) -> bool {
        let broken = |error: &std::io::Error| error.kind() == std::io::ErrorKind::BrokenPipe;
        let Some(source) = &self.0.source else {
            return false;
        };
        match source.downcast_ref::<csv::Error>().map(csv::Error::kind) {
            Some(csv::ErrorKind::Io(error)) => broken(error),
            _ => source.downcast_ref().is_some_and(broken),
        }
    }

    /// What was asked for does not fit the data: a column that is not there, a reference
    /// system that is missing.
    pub fn is_usage(&self) -> bool {
        self.0.kind == Kind::Usage
    }

    /// The work would have to hold more in memory than is free, or was allowed
    /// ([`limit_memory`](crate::limit_memory)).
    pub fn is_memory(&self) -> bool {
        self.0.kind == Kind::Memory
    }

    /// The computing core refused: unknown code, no route, out of domain.
    pub fn is_compute(&self) -> bool {
        self.0.kind == Kind::Compute
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0.location == Location::default() {
            f.write_str(&self.0.message)
        } else {
            write!(f, "{}: {}", self.0.location, self.0.message)
        }
    }
}

impl std::error::Error for Error {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        // The message has the words of the cause already: the chain goes on behind it.
        self.0.source.as_deref().and_then(std::error::Error::source)
    }
}

impl From<velvet_peg_core::Error> for Error {
    fn from(error: velvet_peg_core::Error) -> Error {
        let mut wrapped = Error::new(Kind::Compute, error.to_string());
        if error.is_epoch_missing() {
            wrapped = wrapped.advise(Advice::StateEpoch);
        }
        wrapped.0.source = Some(Box::new(error));
        wrapped
    }
}

impl From<std::io::Error> for Error {
    fn from(error: std::io::Error) -> Error {
        let mut wrapped = Error::new(Kind::File, error.to_string());
        wrapped.0.source = Some(Box::new(error));
        wrapped
    }
}

impl From<arrow_schema::ArrowError> for Error {
    fn from(error: arrow_schema::ArrowError) -> Error {
        Error::data(error.to_string())
    }
}

/// Result of the library.
pub type Result<T, E = Error> = std::result::Result<T, E>;
