//! The project file (`vpeg.toml`) in commands: what it says stands in for options that were not
//! given, as words of the command line, and every use is said.

mod file;
mod system;

pub(crate) use file::Project;

use crate::words::add_option;
use clap::parser::ValueSource;
use clap::{Arg, ArgMatches, Command};
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use velvet_peg::Error;
use velvet_peg::output::is_standard;

static PROJECT: OnceLock<Option<Project>> = OnceLock::new();

/// What stands for the project's system where a reference system is asked for.
pub(crate) const WORD: &str = "project";

/// Commands that have nothing to do with data.
const NONE: [&str; 5] = ["vpeg", "demo", "completions", "manual", "help"];

/// Commands that say all that they need themselves: only the grid files may lie elsewhere.
const APART: [&str; 2] = ["run", "pack"];

/// The project of the data, or of the working folder.
pub(crate) fn current() -> Option<&'static Project> {
    PROJECT.get().and_then(Option::as_ref)
}

/// The words with what the project file says, where that is for this command; and what was taken from
/// it, to be said.
///
/// # Errors
/// If the project file cannot be read, or is needed and not there.
pub(crate) fn applied(
    words: Vec<OsString>,
    mut command: Command,
) -> Result<(Vec<OsString>, Option<String>), Error> {
    command.build();
    // What is wrong with the words is for the real parsing to say, which may find them complete then.
    let lenient = lenient(command.clone());
    let Ok(matches) = lenient.try_get_matches_from(&words) else { return Ok((words, None)) };
    let (command, matches) = innermost(&command, &matches);
    let told = matches.try_get_one::<bool>("no_project").ok().flatten() == Some(&true);
    if told || NONE.contains(&command.get_name()) {
        return Ok((words, None));
    }
    let project = Project::above(&folder_of(matches))?;
    let project = PROJECT.get_or_init(|| project).as_ref();
    let mut use_of = Use { words, said: Vec::new(), command, matches };
    use_of.system_word(project)?;
    let Some(project) = project else { return Ok((use_of.words, None)) };
    let apart = APART.contains(&command.get_name());
    for (option, value) in &project.options {
        if !apart || *option == "grids" {
            use_of.option(option, value);
        }
    }
    if !apart {
        use_of.outputs(project)?;
        use_of.missing_system(project);
    }
    let Use { words, said, .. } = use_of;
    let told =
        (!said.is_empty()).then(|| format!("from {}: {}", project.file.display(), said.join("; ")));
    Ok((words, told))
}

/// A command that takes what it understands, and so do those in it.
fn lenient(command: Command) -> Command {
    command.ignore_errors(true).mut_subcommands(lenient)
}

/// The command that the words end in.
fn innermost<'a>(command: &'a Command, matches: &'a ArgMatches) -> (&'a Command, &'a ArgMatches) {
    match matches.subcommand() {
        Some((name, inner)) => match command.find_subcommand(name) {
            Some(command) => innermost(command, inner),
            None => (command, matches),
        },
        None => (command, matches),
    }
}

/// The files that a command reads, by its arguments that have no name.
fn files(matches: &ArgMatches) -> Vec<PathBuf> {
    let of = |id: &str| matches.try_get_many::<PathBuf>(id).ok().flatten();
    ["files", "file", "tables", "layer_file", "points", "job"]
        .iter()
        .filter_map(|id| of(id))
        .flatten()
        .cloned()
        .collect()
}

/// The folder of the data, or the working folder.
fn folder_of(matches: &ArgMatches) -> PathBuf {
    match files(matches).into_iter().find(|file| file.exists()) {
        Some(folder) if folder.is_dir() => folder,
        Some(file) => file.parent().unwrap_or(Path::new("")).to_path_buf(),
        None => PathBuf::new(),
    }
}

/// A command line that takes from a project.
struct Use<'a> {
    words: Vec<OsString>,
    said: Vec<String>,
    command: &'a Command,
    matches: &'a ArgMatches,
}

impl Use<'_> {
    fn argument(&self, option: &str) -> Option<&Arg> {
        self.command.get_arguments().find(|argument| argument.get_long() == Some(option))
    }

    /// True if an argument stands in the words or the environment.
    fn is_given(&self, argument: &Arg) -> bool {
        let source = self.matches.value_source(argument.get_id().as_str());
        source.is_some_and(|source| source != ValueSource::DefaultValue)
    }

    /// True if the command takes the option, and neither it nor one that excludes it is given.
    fn is_open(&self, option: &str) -> bool {
        let Some(argument) = self.argument(option) else { return false };
        // One of two that exclude each other says so.
        let of = |one: &Arg, other: &Arg| {
            let conflicts = self.command.get_arg_conflicts_with(one);
            conflicts.iter().any(|conflict| conflict.get_id() == other.get_id())
        };
        let excluded = self
            .command
            .get_arguments()
            .filter(|other| self.is_given(other))
            .any(|other| of(argument, other) || of(other, argument));
        // Of a group one is enough.
        let settled = self.command.get_groups().any(|group| {
            let members: Vec<_> = group.get_args().collect();
            // Others are only what belongs together.
            !group.clone().is_multiple()
                && members.contains(&argument.get_id())
                && self
                    .command
                    .get_arguments()
                    .any(|other| members.contains(&other.get_id()) && self.is_given(other))
        });
        !self.is_given(argument) && !excluded && !settled
    }

    fn option(&mut self, option: &str, value: &str) {
        if self.is_open(option) {
            add_option(&mut self.words, option, value);
            self.said.push(format!("--{option} {value}"));
        }
    }

    /// Puts the project's system where the word for it stands.
    fn system_word(&mut self, project: Option<&Project>) -> Result<(), Error> {
        let is_reference = |argument: &&Arg| {
            argument.get_value_names().is_some_and(|names| names.iter().any(|name| *name == "REF"))
        };
        for argument in self.command.get_arguments().filter(is_reference) {
            let id = argument.get_id().as_str();
            let values = self.matches.try_get_many::<String>(id).ok().flatten();
            if !values.is_some_and(|values| values.into_iter().eq([WORD])) {
                continue;
            }
            let system = project.and_then(|project| project.crs.as_ref()).ok_or_else(|| {
                Error::usage(match project {
                    Some(project) => format!(
                        "`{WORD}` is the reference system of the project, and {} has no `crs`",
                        project.file.display()
                    ),
                    None => format!(
                        "`{WORD}` is the reference system that a file {} names beside the data or \
                         in a folder above, and there is none",
                        file::NAME
                    ),
                })
            })?;
            let option = argument.get_long().map(|long| format!("--{long}"));
            for at in 1..self.words.len() {
                let (before, word) = (self.words[at - 1].clone(), self.words[at].clone());
                let put = match &option {
                    Some(option) if word == format!("{option}={WORD}").as_str() => {
                        format!("{option}={}", system.text)
                    }
                    Some(option) if word == WORD && before == option.as_str() => {
                        system.text.clone()
                    }
                    None if word == WORD => system.text.clone(),
                    _ => continue,
                };
                self.words[at] = put.into();
            }
            let label = system.crs.label();
            self.said.push(match option {
                Some(option) => format!("{option} {label}"),
                None => label,
            });
        }
        Ok(())
    }

    /// Has an output that is named without a folder go to that of the project.
    fn outputs(&mut self, project: &Project) -> Result<(), Error> {
        // Names without a folder are of the working folder: another project's data do not move them.
        let Some(folder) = project.outputs.as_ref().filter(|_| project.is_above_here()) else {
            return Ok(());
        };
        let Some(output) = self.matches.try_get_one::<PathBuf>("output").ok().flatten() else {
            return Ok(());
        };
        let bare = output.parent() == Some(Path::new("")) && !is_standard(output);
        if !bare || self.matches.value_source("output") != Some(ValueSource::CommandLine) {
            return Ok(());
        }
        std::fs::create_dir_all(folder)
            .map_err(|error| Error::usage(format!("cannot be made: {error}")).with_path(folder))?;
        let moved = folder.join(output).into_os_string();
        let name = output.as_os_str();
        for at in 1..self.words.len() {
            let before = self.words[at - 1].clone();
            let word = self.words[at].clone();
            let tied = word.to_str().and_then(|word| {
                ["--output=", "-o=", "-o"].iter().find(|start| {
                    word.strip_prefix(**start).is_some_and(|rest| name.to_str() == Some(rest))
                })
            });
            if word == name && (before == "-o" || before == "--output") {
                self.words[at] = moved.clone();
            } else if let Some(start) = tied {
                let mut whole = OsString::from(*start);
                whole.push(&moved);
                self.words[at] = whole;
            } else {
                continue;
            }
            self.said.push(format!("-o {}", Path::new(&moved).display()));
            break;
        }
        Ok(())
    }

    /// Names the project's system for data that state none.
    fn missing_system(&mut self, project: &Project) {
        let reads_tables = ["tables", "files"]
            .iter()
            .any(|id| self.matches.try_get_many::<PathBuf>(id).ok().flatten().is_some());
        // The system that a map is drawn in is that of its layers.
        if !reads_tables || self.command.get_name() == "draw" || !self.is_open("crs") {
            return;
        }
        let all = self.command.get_name() != "check";
        let Some(missing) = system::missing(&files(self.matches), self.matches, all) else {
            return;
        };
        match project.system(missing.degrees) {
            Some(system) => {
                add_option(&mut self.words, "crs", &system.text);
                self.said.push(format!(
                    "--crs {}, because {} states no system",
                    system.crs.label(),
                    missing.file.display()
                ));
            }
            None => {
                let kind = if missing.degrees { "degrees" } else { "no degrees" };
                if let Some(other) = project.crs.as_ref().or(project.geographic.as_ref()) {
                    self.said.push(format!(
                        "nothing for {}, which states no system: its coordinates read as {kind}, and \
                         {} counts {}",
                        missing.file.display(),
                        other.crs.label(),
                        other.crs.unit_plural()
                    ));
                }
            }
        }
    }
}
