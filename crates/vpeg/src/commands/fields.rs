//! `vpeg fields`: choose features, compute and shape columns.

use super::save::{SaveArguments, layer_source};
use crate::arguments::{ReadArguments, TableArguments, WriteArguments, heading};
use crate::progress::TerminalProgress;
use crate::{Ending, show};
use clap::Args;
use std::path::{Path, PathBuf};
use velvet_peg::job::FieldsStep;
use velvet_peg::select::FUNCTIONS;
use velvet_peg::table::TableFile;
use velvet_peg::{ConvertLayer, Error, LayerReader, format_of};

#[derive(Debug, Args)]
pub(crate) struct Fields {
    /// Layer file or table, whose rows stay rows; `-` for layers on standard input.
    #[arg(required_unless_present = "functions", default_value = "-", hide_default_value = true)]
    file: PathBuf,
    /// File to write; its extension says the format.
    #[arg(
        long,
        short,
        required_unless_present = "functions",
        default_value = "-",
        hide_default_value = true
    )]
    output: PathBuf,
    /// List what expressions can call: what it takes and gives, in which unit, and an example.
    #[arg(long)]
    functions: bool,
    /// Layer to take, if the file has several.
    #[arg(long, help_heading = heading::READING)]
    layer: Option<String>,
    /// Keep the features for which this SQL condition is true.
    #[arg(long = "where", value_name = "SQL")]
    condition: Option<String>,
    /// Compute a column: "acres = Acres(ST_Area(geometry))"; several times for several.
    #[arg(long, value_name = "NAME=SQL")]
    set: Vec<String>,
    /// A column of one value throughout; several times for several.
    #[arg(long, value_name = "NAME=VALUE", value_parser = pair)]
    constant: Vec<(String, String)>,
    /// Coordinates as columns, in any reference system, with so many decimals:
    /// EPSG:32611:utm_e,utm_n:2; of lines the middle, of polygons the centroid.
    #[arg(long, value_name = "REF:X,Y:DECIMALS")]
    coords: Vec<String>,
    /// Columns to keep, in this order.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    keep: Vec<String>,
    /// Columns to leave out.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',', conflicts_with = "keep")]
    drop: Vec<String>,
    /// Columns that come first, in this order.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    first: Vec<String>,
    /// New names for columns: old=new.
    #[arg(long, value_name = "OLD=NEW", value_delimiter = ',', value_parser = pair)]
    rename: Vec<(String, String)>,
    /// Round a column to so many decimals: acres=2; 0 makes whole numbers.
    #[arg(long, value_name = "COLUMN=DECIMALS", value_delimiter = ',', value_parser = decimals)]
    round: Vec<(String, usize)>,
    /// Write the numbers of a column as text: acres=2, or acres=,2 with commas between
    /// thousands.
    #[arg(long, value_name = "COLUMN=FORMAT", value_parser = pair)]
    format: Vec<(String, String)>,
    #[command(flatten)]
    read: ReadArguments,
    #[command(flatten)]
    table: TableArguments,
    #[command(flatten)]
    write: WriteArguments,
    #[command(flatten)]
    save: SaveArguments,
    /// File for rejected features; OUTPUT.rejects.csv if not given.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    rejects: Option<PathBuf>,
}

fn pair(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((name, value)) if !name.trim().is_empty() => {
            Ok((name.trim().to_string(), value.trim().to_string()))
        }
        _ => Err(format!("`{text}` is no pair: write NAME=VALUE")),
    }
}

fn decimals(text: &str) -> Result<(String, usize), String> {
    let (name, decimals) = pair(text)?;
    let count = decimals.parse();
    count.map(|count| (name, count)).map_err(|_| format!("`{decimals}` is no number of decimals"))
}

impl Fields {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        if self.functions {
            return functions();
        }
        let is_table = format_of(&self.file)?.is_table();
        let mut reader = match is_table {
            true => LayerReader::of_table(TableFile::open(&self.file, &self.table.options())?)?,
            false => LayerReader::open_with(
                &self.file,
                self.layer.as_deref(),
                &self.read.with_encoding(self.table.encoding.as_ref()),
            )?,
        };
        let step = self.step();
        let (select, notices) = step.selection(Path::new("")).map_err(|(_, error)| error)?;
        show::notices(&notices);
        reader.reveal_key(&select.words());
        let source = match is_table {
            true => self.table.source(&self.file),
            false => {
                let source = layer_source(&self.file, self.layer.as_ref(), None);
                self.read.source(source, self.table.encoding.clone())
            }
        };
        let output = self.write.output(&self.output);
        self.save.save(source, None, step, output, &self.write)?;
        let job = ConvertLayer {
            select,
            write: self.write.options(),
            rejects: self.rejects.clone(),
            ..ConvertLayer::default()
        };
        if is_table && !velvet_peg::Format::of(&self.output).is_ok_and(|format| format.is_table()) {
            show::remark(
                "the rows of a table stay rows without a geometry: `vpeg build` makes features of \
                 them",
            );
        }
        let mut progress = TerminalProgress::new("writing");
        let outcome = job.run_watched(&reader, &self.output, &mut progress)?;
        drop(progress);
        let what = if is_table { "rows" } else { "features" };
        show::outcome(&outcome, what, what, &self.output)
    }

    fn step(&self) -> FieldsStep {
        FieldsStep {
            condition: self.condition.clone(),
            set: self.set.clone(),
            keep: self.keep.clone(),
            drop: self.drop.clone(),
            first: self.first.clone(),
            rename: self.rename.iter().cloned().collect(),
            constant: self.constant.iter().cloned().collect(),
            round: self.round.iter().cloned().collect(),
            format: self.format.iter().cloned().collect(),
            coords: self.coords.iter().map(|text| text.as_str().into()).collect(),
            ..FieldsStep::default()
        }
    }
}

fn functions() -> Result<Ending, Error> {
    if show::wants_json() {
        let list: Vec<_> = FUNCTIONS
            .iter()
            .map(|f| {
                serde_json::json!({
                    "name": f.name, "takes": f.takes, "gives": f.gives, "unit": f.unit,
                    "example": f.example,
                })
            })
            .collect();
        show::json(&serde_json::json!(list))?;
        return Ok(Ending::Done);
    }
    let mut table = show::Table::new(["function", "takes", "gives", "unit"]);
    for f in FUNCTIONS {
        table.row([f.name, f.takes, f.gives, f.unit].map(String::from).to_vec());
    }
    show::answer(&table.text())?;
    show::answer("\nexamples")?;
    for f in FUNCTIONS.iter().filter(|f| f.takes.contains("geometry") || f.takes.contains("metres"))
    {
        show::answer(&format!("  --set \"{}\"", f.example))?;
    }
    Ok(Ending::Done)
}
