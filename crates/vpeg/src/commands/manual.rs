//! `vpeg manual`: the man pages.

use crate::arguments::heading;
use crate::{Ending, help, show};
use clap::{Args, Command};
use std::path::{Path, PathBuf};
use velvet_peg::Error;

#[derive(Debug, Args)]
pub(crate) struct Manual {
    /// Folder to write the pages to; it is made if it is not there.
    folder: PathBuf,
    /// Replace pages that are there.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
}

impl Manual {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        std::fs::create_dir_all(&self.folder).map_err(Error::from)?;
        let mut whole = whole(help::command::<super::Arguments>());
        whole.build();
        let count = pages(&whole, "", &self.folder, self.overwrite)?;
        show::remark(&format!("wrote {count} pages to {}", self.folder.display()));
        Ok(Ending::Done)
    }
}

/// A command with every option shown: pages are long by right.
fn whole(command: Command) -> Command {
    command.mut_args(|option| option.hide_short_help(false)).mut_subcommands(whole)
}

/// A page for a command and for each of its own.
fn pages(command: &Command, before: &str, folder: &Path, overwrite: bool) -> Result<usize, Error> {
    let name = format!("{before}{}", command.get_name());
    // The version stands in all of them.
    let named = command.clone().version(env!("CARGO_PKG_VERSION"));
    let mut page = Vec::new();
    clap_mangen::Man::new(named).render(&mut page).map_err(Error::from)?;
    velvet_peg::output::write_whole(&folder.join(format!("{name}.1")), &page, overwrite)?;
    let mut count = 1;
    for inner in command.get_subcommands().filter(|inner| inner.get_name() != "help") {
        count += pages(inner, &format!("{name}-"), folder, overwrite)?;
    }
    Ok(count)
}
