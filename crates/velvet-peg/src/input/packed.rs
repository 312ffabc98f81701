//! Which file of a packed one is meant.

use crate::error::{Error, Result};
use crate::format::Format;
use crate::output::SIDE_FILE;
use crate::packing::members;
use std::path::Path;

fn format_of(name: &str) -> Option<Format> {
    Format::of(Path::new(name)).ok()
}

/// The file of an archive that is meant: the one that is named, or the only one that is read. Tables
/// beside layers, and the parts of a Shapefile, are not looked for.
///
/// # Errors
/// If there is none, or there are several.
pub(super) fn main_member(path: &Path, wanted: Option<&str>) -> Result<String> {
    let mut names = members(path)?;
    names.sort();
    // What tells of a table is none itself.
    let tells = |name: &str| {
        name.strip_suffix(SIDE_FILE).is_some_and(|table| names.iter().any(|other| other == table))
    };
    let names: Vec<String> = names.iter().filter(|name| !tells(name)).cloned().collect();
    if let Some(wanted) = wanted {
        let same = |name: &&String| name.eq_ignore_ascii_case(wanted);
        return names.iter().find(same).cloned().ok_or_else(|| {
            Error::usage(format!("has no file `{wanted}`: it holds {}", list(&names))).in_file(path)
        });
    }
    let stem = |name: &str| Path::new(name).with_extension("").to_string_lossy().to_lowercase();
    let shapes: Vec<String> = names
        .iter()
        .filter(|name| name.to_ascii_lowercase().ends_with(".shp"))
        .map(|name| stem(name))
        .collect();
    let part_of_shapes =
        |name: &str| name.to_ascii_lowercase().ends_with(".dbf") && shapes.contains(&stem(name));
    let readable: Vec<&String> =
        names.iter().filter(|name| format_of(name).is_some() && !part_of_shapes(name)).collect();
    let layers: Vec<&String> = readable
        .iter()
        .copied()
        .filter(|name| format_of(name).is_some_and(|format| !format.is_table()))
        .collect();
    let chosen = if layers.is_empty() { readable } else { layers };
    // The document of a packed KML is called so, or comes first.
    let kml = |name: &&&String| name.to_ascii_lowercase().ends_with(".kml");
    if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("kmz"))
        && let Some(document) = chosen
            .iter()
            .find(|name| name.eq_ignore_ascii_case("doc.kml"))
            .or(chosen.iter().find(kml))
    {
        return Ok((*document).clone());
    }
    match chosen.as_slice() {
        [only] => Ok((*only).clone()),
        [] => {
            Err(Error::data(format!("holds no file that is read here: it holds {}", list(&names)))
                .in_file(path))
        }
        [first, ..] => Err(Error::usage(format!(
            "holds {} files that are read: {}. Name one as if the archive were a folder: {}",
            chosen.len(),
            list(&chosen.iter().map(|name| (*name).clone()).collect::<Vec<_>>()),
            path.join(first).display()
        ))
        .in_file(path)),
    }
}

fn list(names: &[String]) -> String {
    const MOST: usize = 8;
    let mut shown: Vec<String> = names.iter().take(MOST).map(|name| format!("`{name}`")).collect();
    if names.len() > MOST {
        shown.push(format!("{} more", names.len() - MOST));
    }
    if shown.is_empty() { "nothing".to_string() } else { shown.join(", ") }
}
