//! How a file of layers is read, where it leaves a choice.

use super::heading;
use super::typed::Typed;
use clap::Args;
use velvet_peg::ReadOptions;
use velvet_peg::job::JobSource;

/// How a file of layers is read, where it leaves a choice.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct ReadArguments {
    /// Curves become lines that are within this many metres of them; 0.001 if not given. In units of
    /// the coordinates where nothing says how long these are.
    #[arg(long, value_name = "METRES", value_parser = tolerance, help_heading = heading::READING, hide_short_help = true)]
    tolerance: Option<f64>,
    /// DXF: read what inserted blocks draw, too, not only the points where they are.
    #[arg(long, help_heading = heading::READING, hide_short_help = true)]
    blocks: bool,
    /// GeoJSON: keep members of features that the standard does not know, as columns.
    #[arg(long, help_heading = heading::READING, hide_short_help = true)]
    foreign_members: bool,
}

impl ReadArguments {
    /// What was said, as it would be typed again.
    pub(crate) fn typed(&self) -> String {
        Typed::default()
            .value("--tolerance", self.tolerance.map(|metres| metres.to_string()))
            .flag("--blocks", self.blocks)
            .flag("--foreign-members", self.foreign_members)
            .text()
    }

    pub(crate) fn options(&self) -> ReadOptions {
        let mut options = ReadOptions::default();
        if let Some(tolerance) = self.tolerance {
            options.tolerance = tolerance;
        }
        options.blocks = self.blocks;
        options.foreign_members = self.foreign_members;
        options
    }

    /// A source of a job that is read so.
    pub(crate) fn source(&self, source: JobSource, encoding: Option<String>) -> JobSource {
        JobSource {
            tolerance: self.tolerance,
            blocks: self.blocks,
            foreign_members: self.foreign_members,
            encoding,
            ..source
        }
    }

    /// The same with the encoding that was named for tables: it is that of other files, too.
    pub(crate) fn with_encoding(&self, encoding: Option<&String>) -> ReadOptions {
        let mut options = self.options();
        options.encoding = encoding.cloned();
        options
    }
}

fn tolerance(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(metres) if (1e-9..1e6).contains(&metres) => Ok(metres),
        _ => Err(format!("`{text}` is no tolerance: write a number of metres, such as 0.001")),
    }
}
