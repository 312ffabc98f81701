//! The commands, one file each.

mod build;
mod check;
mod completions;
mod convert;
mod course;
mod crs;
mod declare;
mod demo;
mod draw;
mod fields;
mod fit_report;
mod grids;
mod join;
mod look;
mod manual;
mod measure;
mod pack;
mod position;
mod raster;
mod route;
mod run;
mod save;
mod tag;
mod zone;

use crate::Ending;
use crate::arguments::{heading, memory};
use clap::builder::FalseyValueParser;
use clap::{Parser, Subcommand};
use std::num::{NonZeroU64, NonZeroUsize};
use std::path::PathBuf;
use velvet_peg::Error;

/// Coordinate tables become features with a known reference system: look, build, declare,
/// convert, shape, join, measure, check, draw, run again.
///
/// A reference system (REF) is a code (EPSG:2286), an OGC URN, plain words that match one
/// system ("nad83 washington south ftus"), like:FILE, file:DEFINITION, or, for layers, utm or
/// state-plane. `-` is standard
/// input or output. Exit status: 0 done, 1 failed, 2 wrong usage, 3 done with rejects.
#[derive(Debug, Parser)]
#[command(name = "vpeg", version, max_term_width = 120)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    command: Command,
    /// Leave out remarks; warnings and errors stay.
    #[arg(long, short, global = true, help_heading = heading::GENERAL)]
    pub(crate) quiet: bool,
    /// Answer in JSON on standard output.
    #[arg(long, global = true, help_heading = heading::GENERAL)]
    pub(crate) json: bool,
    /// Exit with 3 if there was a warning; refuse to write what a format cannot hold in full.
    #[arg(long, global = true, help_heading = heading::GENERAL, hide_short_help = true)]
    pub(crate) strict: bool,
    /// Do not wait until outputs are on disk before they take their names: faster on slow disks,
    /// and after a power cut an output may be empty.
    #[arg(long, global = true, help_heading = heading::GENERAL, hide_short_help = true)]
    pub(crate) no_sync: bool,
    /// Work with no more than so many threads; as many as there are processors if it is left out. The
    /// outputs are the same.
    #[arg(long, global = true, help_heading = heading::GENERAL, value_name = "NUMBER", hide_short_help = true)]
    pub(crate) threads: Option<NonZeroUsize>,
    /// Memory that may be taken by what has to be held together, such as 8GB; as much as is free if it is left
    /// out. Work that needs more is refused at its beginning.
    #[arg(long, global = true, help_heading = heading::GENERAL, value_name = "SIZE", value_parser = memory, hide_short_help = true)]
    pub(crate) memory: Option<NonZeroU64>,
    /// Folder of grid files for changes of datum (NTv2 .gsb, NADCON .las/.los, NADCON5 .b) and of
    /// heights (geoid models); `vpeg grids` lists what it has.
    #[arg(long, global = true, help_heading = heading::GENERAL, env = "VELVET_PEG_GRIDS", value_name = "DIR", hide_short_help = true)]
    grids: Option<PathBuf>,
    /// Ask nothing, also on a terminal, where a sheet, a layer, coordinate columns or a system is left
    /// open: fail and list them instead, as is done without a terminal and where CI is set.
    #[arg(long, global = true, help_heading = heading::GENERAL, env = "VELVET_PEG_NO_QUESTIONS", value_parser = FalseyValueParser::new(), hide_short_help = true)]
    pub(crate) no_questions: bool,
    /// Leave out what vpeg.toml, beside the data or in a folder above, says is usual.
    #[arg(long, global = true, help_heading = heading::GENERAL, hide_short_help = true)]
    pub(crate) no_project: bool,
    /// Write down what was read, done, said and written, as `run` does: FILE for people, and
    /// FILE.json for machines.
    #[arg(long, global = true, help_heading = heading::GENERAL, value_name = "FILE", hide_short_help = true)]
    pub(crate) log: Option<PathBuf>,
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
    /// Which grid files a folder has, what they cover and serve for, and which two systems need.
    Grids(grids::GridList),
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
    /// What a shell needs to complete commands and options.
    Completions(completions::Completions),
    /// Write the man pages to a folder.
    Manual(manual::Manual),
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
            Command::Grids(command) => command.run(self.grids.as_deref()),
            Command::Course(command) => command.run(),
            Command::Crs(command) => command.run(),
            Command::Draw(command) => command.run(),
            Command::Run(command) => command.run(self.log.clone()),
            Command::Pack(command) => command.run(),
            Command::Demo(command) => command.run(),
            Command::Completions(command) => command.run(),
            Command::Manual(command) => command.run(),
        }
    }
}
