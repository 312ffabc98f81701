//! Codes of the registry that stand in a text.

use crate::spelling::plain;
use velvet_peg_epsg::CrsRow;

/// The first number behind the name of the registry that is the code of a system: `EPSG:2286`,
/// `urn:ogc:def:crs:EPSG:9.8:2286`, `.../EPSG/0/2286`.
pub(super) fn code_in(text: &str) -> Option<u32> {
    const REACH: usize = 24;
    let text = plain(text);
    text.match_indices("epsg").find_map(|(at, name)| {
        let behind = text[at + name.len()..].chars().take(REACH).collect::<String>();
        // What stands between is no other word.
        let numbers = behind
            .split(|c: char| !c.is_ascii_alphanumeric())
            .filter(|part| !part.is_empty() && *part != "code")
            .map_while(|part| part.parse::<u32>().ok());
        numbers.into_iter().find(|code| *code > 1000 && CrsRow::find(*code).is_some())
    })
}
