//! `vpeg completions`: what a shell needs to complete commands and options.

use crate::{Ending, help, show};
use clap::Args;
use clap_complete::Shell;
use velvet_peg::Error;

#[derive(Debug, Args)]
pub(crate) struct Completions {
    /// The shell.
    #[arg(value_enum)]
    shell: Shell,
}

impl Completions {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut text = Vec::new();
        clap_complete::generate(
            self.shell,
            &mut help::command::<super::Arguments>(),
            "vpeg",
            &mut text,
        );
        show::answer(String::from_utf8_lossy(&text).trim_end())?;
        Ok(Ending::Done)
    }
}
