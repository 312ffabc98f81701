//! `vpeg grids`: what a folder of grid files has, and which files two systems need.

use crate::arguments::path_in_shell;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::path::{Path, PathBuf};
use velvet_peg::grid::{GridFolder, GridUse, grids_between, grids_in};
use velvet_peg::{Bounds, Error};

#[derive(Debug, Args)]
pub(crate) struct GridList {
    /// Folder of grid files; without it the one of --grids.
    #[arg(value_name = "DIR")]
    folder: Option<PathBuf>,
    /// List the files of the operations between this system and --to instead, those that are missing
    /// included.
    #[arg(long, value_name = "REF", requires = "to")]
    from: Option<String>,
    /// The system to go to.
    #[arg(long, value_name = "REF", requires = "from")]
    to: Option<String>,
    /// Only operations that are meant for this place.
    #[arg(long, value_name = "PLACE", requires = "from")]
    at: Option<String>,
}

impl GridList {
    /// `usual` is the folder that other commands take grids from.
    pub(crate) fn run(&self, usual: Option<&Path>) -> Result<Ending, Error> {
        let folder = self.folder.as_deref().or(usual);
        match (&self.from, &self.to) {
            (Some(from), Some(to)) => self.between(from, to, folder),
            _ => {
                let folder = folder.ok_or_else(|| {
                    Error::usage(
                        "no folder of grid files is named: write it, or name it with --grids or in \
                         the variable VELVET_PEG_GRIDS; `vpeg grids --from REF --to REF` lists the \
                         files that two systems need",
                    )
                })?;
                inventory(folder)
            }
        }
    }

    fn between(&self, from: &str, to: &str, folder: Option<&Path>) -> Result<Ending, Error> {
        let (from, to) = (reference::system(from)?, reference::system(to)?);
        let area = self.at.as_deref().map(reference::point_area).transpose()?;
        let files = folder.map(GridFolder::open).transpose()?;
        let uses = grids_between(&from, &to, area.as_ref(), files.as_ref());
        if show::wants_json() {
            show::json(&json!({ "uses": uses.iter().map(as_json).collect::<Vec<_>>() }))?;
            return Ok(Ending::Done);
        }
        if uses.is_empty() {
            show::remark(&format!(
                "no operation by grid files that can be read leads directly between {} and {}{}: \
                 `vpeg crs show {} --to {}` lists the other ways",
                from.label(),
                to.label(),
                if area.is_some() { " at this place" } else { "" },
                from.reference(),
                to.reference(),
            ));
            return Ok(Ending::Done);
        }
        show::answer(&table(&uses).text())?;
        let missing = uses.iter().filter(|one| !one.missing.is_empty()).count();
        if missing > 0 {
            let which = match uses.len() {
                all if all == missing => "none of these operations has all its files".to_string(),
                all => format!("{missing} of these {all} operations lack files"),
            };
            show::remark(&format!(
                "{which}: get them from their publishers, put them into a folder under these names, and \
                 name the folder with --grids"
            ));
        }
        Ok(Ending::Done)
    }
}

fn inventory(folder: &Path) -> Result<Ending, Error> {
    let has = grids_in(folder)?;
    if show::wants_json() {
        show::json(&json!({
            "uses": has.uses.iter().map(as_json).collect::<Vec<_>>(), "others": has.others,
        }))?;
        return Ok(Ending::Done);
    }
    if has.uses.is_empty() {
        show::remark(&format!(
            "{} has no file of a name that the registry has for a layout that is read",
            path_in_shell(folder)
        ));
    } else {
        show::answer(&table(&has.uses).text())?;
    }
    if !has.others.is_empty() {
        const SHOWN: usize = 5;
        let more = match has.others.len().saturating_sub(SHOWN) {
            0 => String::new(),
            more => format!(", and {more} more"),
        };
        let names = has.others[..has.others.len().min(SHOWN)].join(", ");
        show::remark(&format!("not used, for the registry does not name them: {names}{more}"));
    }
    Ok(Ending::Done)
}

/// What several operations go by is told once. What files hold says more of where they serve than the
/// area of the operation.
fn table(uses: &[GridUse]) -> show::Table {
    let some_held = uses.iter().any(GridUse::is_ready);
    let place = if some_held { "holds" } else { "area" };
    let mut table = show::Table::new(["files", "state", place, "known to", "operation"]);
    for (at, one) in uses.iter().enumerate() {
        let (state, holds) = match &one.held {
            Some(Ok(content)) => {
                let first = content.boxes.first().map(in_words).unwrap_or_default();
                let more = match content.boxes.len() {
                    0 | 1 => String::new(),
                    grids => format!(" and {} more", grids - 1),
                };
                ("ready".to_string(), format!("{first}{more}, {} nodes", content.nodes))
            }
            Some(Err(why)) => (format!("not sound: {why}"), String::new()),
            None if one.missing.len() == one.files.len() => ("missing".to_string(), String::new()),
            None => (format!("{} is missing", one.missing.join(" and ")), String::new()),
        };
        let known = one.accuracy_m.map_or("not stated".to_string(), |metres| format!("{metres} m"));
        let operation = format!("{} [EPSG:{}]", one.name, one.operation);
        let again = at > 0 && uses[at - 1].files == one.files;
        let once = |text: String| if again { String::new() } else { text };
        let place = if some_held { once(holds) } else { one.area.to_string() };
        table.row(vec![once(one.files.join(", ")), once(state), place, known, operation]);
    }
    table
}

/// `47° to 49° N, 17° to 23° E`.
fn in_words(bounds: &Bounds) -> String {
    let side = |low: f64, high: f64, letters: [char; 2]| {
        let one = |degrees: f64| {
            let letter = if degrees < 0.0 { letters[0] } else { letters[1] };
            (format!("{}°", (degrees.abs() * 1e4).round() / 1e4), letter)
        };
        let ((low, a), (high, b)) = (one(low), one(high));
        if a == b { format!("{low} to {high} {b}") } else { format!("{low} {a} to {high} {b}") }
    };
    format!(
        "{}, {}",
        side(bounds.south, bounds.north, ['S', 'N']),
        side(bounds.west, bounds.east, ['W', 'E'])
    )
}

fn as_json(one: &GridUse) -> Json {
    let (ready, reason) = match &one.held {
        Some(Ok(_)) => (true, None),
        Some(Err(why)) => (false, Some(why.clone())),
        None => (false, None),
    };
    let boxes: Vec<Json> = match &one.held {
        Some(Ok(content)) => content
            .boxes
            .iter()
            .map(|b| json!({"south": b.south, "west": b.west, "north": b.north, "east": b.east}))
            .collect(),
        _ => Vec::new(),
    };
    json!({
        "operation": one.operation, "name": one.name, "method": one.method,
        "accuracy_m": one.accuracy_m, "area": one.area, "files": one.files,
        "missing": one.missing, "ready": ready, "reason": reason, "boxes": boxes,
    })
}
