//! The commands, one file each.

mod build;
mod check;
mod convert;
mod course;
mod crs;
mod declare;
mod demo;
mod draw;
mod fields;
mod join;
mod look;
mod measure;
mod pack;
mod position;
mod run;
mod save;
mod tag;
mod zone;

use crate::Ending;
use clap::{Args, Parser, Subcommand};
use velvet_peg::job::JobSource;
use velvet_peg::table::{NumberFormat, Quoting, TableOptions};
use velvet_peg::{Error, ReadOptions, Selection, TextDialect, WriteOptions};

/// Coordinate tables become features with a known reference system: look, build, declare,
/// convert, shape, join, measure, check, draw, run again.
///
/// A reference system (REF) is a code (EPSG:2286), an OGC URN, plain words that match one
/// system ("nad83 washington south ftus"), like:FILE, file:DEFINITION, or, for layers, utm or
/// state-plane. `-` is standard
/// input or output. Exit status: 0 done, 1 failed, 2 wrong usage, 3 done with rejects.
#[derive(Debug, Parser)]
#[command(name = "vpeg", version, max_term_width = 100, disable_help_subcommand = true)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    command: Command,
    /// Leave out remarks; warnings and errors stay.
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Answer in JSON on standard output.
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Exit with 3 if there was a warning; refuse to write what a format cannot hold in full.
    #[arg(long, global = true)]
    pub(crate) strict: bool,
    /// Do not wait until outputs are on disk before they take their names: faster on slow disks,
    /// and after a power cut an output may be empty.
    #[arg(long, global = true)]
    pub(crate) no_sync: bool,
    /// Folder of grid files for changes of datum (NTv2 .gsb, NADCON .las/.los, NADCON5 .b).
    #[arg(long, global = true, env = "VELVET_PEG_GRIDS", value_name = "DIR")]
    grids: Option<std::path::PathBuf>,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// What is in a file, what looks wrong, and what to type next.
    Look(look::Look),
    /// Features from the coordinate rows of a table.
    #[command(subcommand)]
    Build(Box<build::Build>),
    /// Give data its missing or corrected reference system without moving a coordinate.
    Declare(declare::Declare),
    /// Carry data into another reference system.
    Convert(convert::Convert),
    /// Choose features, compute and shape columns.
    Fields(fields::Fields),
    /// Take over columns of a table by key, with a report on how the keys meet.
    Join(join::Join),
    /// Points take columns of the polygon that they fall in.
    Tag(tag::Tag),
    /// Lengths, perimeters and areas: on the ellipsoid, on the grid and on the ground.
    Measure(measure::Measure),
    /// The quality sheet of layers, and whether they agree.
    Check(check::Check),
    /// The position sheet of one place: every notation, UTM, state plane, geocentric.
    Position(position::Position),
    /// Which UTM and state-plane zones a place, a county or a data set falls in.
    Zone(zone::Zone),
    /// Distance and azimuths between two places, or the place at the end of a course.
    Course(course::Course),
    /// Search the registry of reference systems, or describe one.
    #[command(subcommand)]
    Crs(crs::Registry),
    /// A map of one or more layers.
    Draw(draw::Draw),
    /// Run a job file.
    Run(run::Run),
    /// Pack files into a deliverable with its manifest, or a job with its data.
    Pack(pack::Pack),
    /// Lay out the demo data and run the whole story on it.
    Demo(demo::Demo),
}

impl Arguments {
    /// Makes the grid files of the folder named known to every change of datum.
    pub(crate) fn take_grids(&self) -> Result<(), Error> {
        match &self.grids {
            Some(folder) if !folder.as_os_str().is_empty() => {
                velvet_peg::grid::use_grid_folder(folder)
            }
            _ => Ok(()),
        }
    }

    pub(crate) fn run(&self) -> Result<Ending, Error> {
        match &self.command {
            Command::Look(command) => command.run(),
            Command::Build(command) => command.run(),
            Command::Declare(command) => command.run(),
            Command::Convert(command) => command.run(),
            Command::Fields(command) => command.run(),
            Command::Join(command) => command.run(),
            Command::Tag(command) => command.run(),
            Command::Measure(command) => command.run(),
            Command::Check(command) => command.run(),
            Command::Position(command) => command.run(),
            Command::Zone(command) => command.run(),
            Command::Course(command) => command.run(),
            Command::Crs(command) => command.run(),
            Command::Draw(command) => command.run(),
            Command::Run(command) => command.run(),
            Command::Pack(command) => command.run(),
            Command::Demo(command) => command.run(),
        }
    }
}

/// How a text table is read, where detection is not wanted.
#[derive(Debug, Clone, Args)]
pub(crate) struct TableArguments {
    /// Delimiter of the table (a character, `tab`, or `blank` for runs of blanks); detected if not
    /// given.
    #[arg(long, value_parser = delimiter)]
    delimiter: Option<char>,
    /// Encoding of the table (or of a Shapefile's attributes), such as utf-8, windows-1252 or 850;
    /// detected if not given.
    #[arg(long)]
    encoding: Option<String>,
    /// Quotation mark of the table (a character, or `none`); detected if not given.
    #[arg(long)]
    quote: Option<Quoting>,
    /// Widths of the fields in characters, of a text in which they stand in columns.
    #[arg(long, value_name = "5,12,12", value_delimiter = ',', conflicts_with = "delimiter")]
    widths: Vec<usize>,
    /// The first row holds values, not names; columns go by their numbers from 1. Told by the rows
    /// below if not given.
    #[arg(long)]
    no_header: bool,
    /// The first row holds names, whatever it looks like.
    #[arg(long, conflicts_with = "no_header")]
    header: bool,
    /// Names of the columns, instead of those in the header.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    names: Vec<String>,
    /// What a column is called elsewhere, in other files or on other sheets: lon=longitude,long;
    /// several times for several.
    #[arg(long, value_name = "NAME=A,B", value_parser = same)]
    same: Vec<(String, Vec<String>)>,
    /// Lines in front of the table to pass over.
    #[arg(long, value_name = "N", default_value_t = 0)]
    skip_lines: usize,
    /// Lines that begin with this character are passed over.
    #[arg(long, value_name = "CHARACTER")]
    comment: Option<char>,
    /// Sheet of a workbook; several times for several, whose columns are matched by name.
    #[arg(long, value_name = "NAME")]
    sheet: Vec<String>,
    /// Every sheet of a workbook (hidden ones aside), with a column that names it.
    #[arg(long, conflicts_with = "sheet")]
    all_sheets: bool,
    /// Row of the sheet that the header is in; found if not given.
    #[arg(long, value_name = "N", conflicts_with = "no_header")]
    header_row: Option<u32>,
}

impl TableArguments {
    /// What was said of the rows and fields, as it would be typed again.
    pub(crate) fn typed(&self) -> String {
        let mut text = String::new();
        match self.delimiter {
            Some('\t') => text += " --delimiter tab",
            Some(' ') => text += " --delimiter blank",
            Some(mark) => text += &format!(" --delimiter '{mark}'"),
            None => {}
        }
        if !self.widths.is_empty() {
            let widths: Vec<String> = self.widths.iter().map(usize::to_string).collect();
            text += &format!(" --widths {}", widths.join(","));
        }
        if self.skip_lines > 0 {
            text += &format!(" --skip-lines {}", self.skip_lines);
        }
        text + if self.no_header { " --no-header" } else { "" }
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

/// How a file of layers is read, where it leaves a choice.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct ReadArguments {
    /// Curves become lines that are within this many metres of them; 0.001 if not given. In units of
    /// the coordinates where nothing says how long these are.
    #[arg(long, value_name = "METRES", value_parser = tolerance)]
    tolerance: Option<f64>,
    /// DXF: read what inserted blocks draw, too, not only the points where they are.
    #[arg(long)]
    blocks: bool,
    /// GeoJSON: keep members of features that the standard does not know, as columns.
    #[arg(long)]
    foreign_members: bool,
}

impl ReadArguments {
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

/// Which features and columns are kept, and what is computed.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct SelectArguments {
    /// Keep what this SQL condition is true for: "cfs > 5 AND name LIKE 'N%'"; geometries
    /// through ST_X(geometry), ST_Area(geometry) and the like (`vpeg fields --functions`).
    #[arg(long = "where", value_name = "SQL")]
    condition: Option<String>,
    /// Compute a column: "acres = Acres(ST_Area(geometry))"; several times for several.
    #[arg(long, value_name = "NAME=SQL")]
    set: Vec<String>,
    /// Columns to keep, in this order; all if not given.
    #[arg(long, value_name = "A,B,C", value_delimiter = ',')]
    keep: Vec<String>,
}

impl SelectArguments {
    pub(crate) fn selection(&self) -> Selection {
        Selection {
            condition: self.condition.clone(),
            set: self.set.clone(),
            keep: self.keep.clone(),
            ..Selection::default()
        }
    }
}

/// How an output is written.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct WriteArguments {
    /// Replace existing files; of a GeoPackage the layer of that name, and the rest of the file
    /// stays.
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Replace an existing GeoPackage as a whole, with every layer and table in it.
    #[arg(long)]
    pub(crate) replace_file: bool,
    /// Add to the layer of an existing file: its reference system and columns are taken over.
    #[arg(long, conflicts_with_all = ["overwrite", "replace_file"])]
    pub(crate) append: bool,
    /// Name of the layer in the file written.
    #[arg(long, value_name = "NAME")]
    output_layer: Option<String>,
    /// Digits behind the point of coordinates in text formats.
    #[arg(long)]
    pub(crate) decimals: Option<usize>,
    /// Tables: geometries as well-known text in one column, not as coordinates.
    #[arg(long)]
    wkt: bool,
    /// Tables: one row a feature, its attributes alone.
    #[arg(long, conflicts_with = "wkt")]
    no_geometry: bool,
    /// Delimited text: what stands between fields (comma, semicolon, tab, or a sign).
    #[arg(long, value_name = "SIGN", value_parser = delimiter)]
    out_delimiter: Option<char>,
    /// Delimited text: numbers with a decimal comma (and semicolons between fields).
    #[arg(long)]
    out_decimal_comma: bool,
    /// Delimited text: a byte-order mark in front, by which some spreadsheets know UTF-8.
    #[arg(long)]
    byte_order_mark: bool,
    /// Delimited text: lines end with carriage return and line feed.
    #[arg(long)]
    crlf: bool,
    /// Delimited text: beside it a file NAME-metadata.json with the reference system, the types of
    /// the columns and how the text is divided (W3C), which is read with the table again.
    #[arg(long)]
    metadata: bool,
    /// DXF: column whose values name the layers of the drawing.
    #[arg(long, value_name = "COLUMN")]
    layer_by: Option<String>,
    /// DXF: column whose values label the points; KML: column whose values name the placemarks.
    #[arg(long, value_name = "COLUMN")]
    label: Option<String>,
    /// KML: column whose values describe the placemarks.
    #[arg(long, value_name = "COLUMN")]
    description: Option<String>,
    /// KML: column whose values are addresses that the placemarks lead to.
    #[arg(long, value_name = "COLUMN")]
    link: Option<String>,
    /// Read the file again and compare, whatever its size (under a million features it is
    /// done anyway).
    #[arg(long, conflicts_with = "no_verify")]
    verify: bool,
    /// Do not read the file again.
    #[arg(long)]
    no_verify: bool,
}

impl WriteArguments {
    pub(crate) fn options(&self) -> WriteOptions {
        WriteOptions {
            overwrite: self.overwrite,
            replace_file: self.replace_file,
            decimals: self.decimals,
            append: self.append,
            layer: self.output_layer.clone(),
            strict: crate::show::is_strict(),
            wkt: self.wkt,
            no_geometry: self.no_geometry,
            text: TextDialect {
                delimiter: self.out_delimiter,
                byte_order_mark: self.byte_order_mark,
                crlf: self.crlf,
                decimal_comma: self.out_decimal_comma,
                metadata: self.metadata,
            },
            layer_by: self.layer_by.clone(),
            label: self.label.clone(),
            description: self.description.clone(),
            link: self.link.clone(),
            verify: (self.verify || self.no_verify).then_some(self.verify),
            ..WriteOptions::default()
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

fn delimiter(text: &str) -> Result<char, String> {
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

/// Coordinate columns of a table, under every name that people use.
#[derive(Debug, Clone, Args)]
pub(crate) struct ColumnArguments {
    /// Column of longitudes or eastings [also --lon, --e]; guessed from the header if not given.
    #[arg(long, visible_aliases = ["lon", "e"], value_name = "COLUMN")]
    x: Option<String>,
    /// Column of latitudes or northings [also --lat, --n]; guessed from the header if not given.
    #[arg(long, visible_aliases = ["lat", "n"], value_name = "COLUMN")]
    y: Option<String>,
    /// Column of heights.
    #[arg(long, value_name = "COLUMN")]
    z: Option<String>,
    /// Angles are packed as DDDMMSS.s.
    #[arg(long)]
    pub(crate) packed: bool,
    /// Coordinates have a comma for the decimal point.
    #[arg(long)]
    decimal_comma: bool,
    /// What groups thousands in coordinates (a character; a blank for all kinds of blanks).
    #[arg(long, value_name = "CHARACTER")]
    thousands: Option<char>,
}

impl ColumnArguments {
    /// The columns named, as they would be typed again.
    pub(crate) fn typed(&self) -> String {
        [("--x", &self.x), ("--y", &self.y), ("--z", &self.z)]
            .into_iter()
            .filter_map(|(option, name)| Some(format!("{option} {} ", name.as_ref()?)))
            .collect()
    }

    pub(crate) fn columns(&self) -> velvet_peg::table::CoordinateColumns {
        velvet_peg::table::CoordinateColumns {
            x: self.x.clone(),
            y: self.y.clone(),
            z: self.z.clone(),
            numbers: NumberFormat { decimal_comma: self.decimal_comma, thousands: self.thousands },
        }
    }
}
