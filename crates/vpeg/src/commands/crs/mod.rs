//! `vpeg crs`: the registry of reference systems.

mod find;
mod fit;
mod guess;
mod make;
mod sheet;
mod show;

use crate::Ending;
use clap::Subcommand;
use velvet_peg::{CrsKind, Error};

#[derive(Debug, Subcommand)]
pub(crate) enum Registry {
    /// Search by words or code.
    Find(find::Find),
    /// Fit a site's own coordinates to a known system by common points.
    Fit(Box<fit::FitSite>),
    /// Rank the systems in which coordinates land where they should be.
    Guess(Box<guess::Guess>),
    /// Make a system of one's own for a site, and write its definition.
    #[command(subcommand)]
    Make(make::Make),
    /// Describe one system, and the way to another.
    Show(show::Show),
}

impl Registry {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        match self {
            Registry::Find(command) => command.run(),
            Registry::Fit(command) => command.run(),
            Registry::Guess(command) => command.run(),
            Registry::Make(command) => command.run(),
            Registry::Show(command) => command.run(),
        }
    }
}

fn kind(kind: CrsKind) -> &'static str {
    match kind {
        CrsKind::Projected => "projected",
        CrsKind::Geographic2D => "geographic",
        CrsKind::Geographic3D => "geographic 3D",
        CrsKind::Geocentric => "geocentric",
        CrsKind::Vertical => "vertical",
        CrsKind::Compound => "compound",
        CrsKind::Engineering => "engineering",
        CrsKind::Derived => "derived",
    }
}
