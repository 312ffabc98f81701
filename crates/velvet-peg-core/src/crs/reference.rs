//! Reading a reference to a system: a code, a URN, or plain words.

use super::Crs;
use super::find::{find, name_words, search};
use crate::error::{Error, Kind, Result};
use std::fmt;
use std::str::FromStr;
use velvet_peg_epsg::CrsKind;

impl Crs {
    /// The system that a text refers to: `EPSG:2286`, `2286`, `urn:ogc:def:crs:EPSG::2286`,
    /// `OGC:CRS84` (WGS 84, longitude first), definition text, or plain words that match one
    /// system, such as `nad83 washington south ftus`. Two references joined by `+` are taken
    /// as a horizontal and a vertical system: `EPSG:2286+EPSG:6360`.
    ///
    /// ```
    /// # use velvet_peg_core::Crs;
    /// assert_eq!(Crs::parse("nad83 washington south ftus")?.code(), Some(2286));
    /// assert_eq!(Crs::parse("urn:ogc:def:crs:EPSG::4326")?.code(), Some(4326));
    /// assert!(Crs::parse("washington south").unwrap_err().is_ambiguous());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If nothing matches, or several systems do; the message lists them.
    pub fn parse(text: &str) -> Result<Crs> {
        let text = text.trim();
        // Definition text says of itself what it is: it has brackets behind a keyword.
        if text.starts_with('{') || text.contains('[') {
            return crate::definition::resolve(text);
        }
        if let Some((first, second)) = text.split_once('+')
            && let (Some(first), Some(second)) = (code_of(first.trim()), code_of(second.trim()))
        {
            let (horizontal, vertical) = (Crs::from_epsg(first?)?, Crs::from_epsg(second?)?);
            return Crs::compound(&horizontal, &vertical);
        }
        match code_of(text) {
            Some(Ok(code)) => Crs::from_epsg(code),
            Some(Err(error)) => Err(error),
            None => by_words(text),
        }
    }
}

/// The code in a reference that is written as one; none if it must be words.
fn code_of(text: &str) -> Option<Result<u32>> {
    let lower = text.to_ascii_lowercase();
    if lower.ends_with("crs84") {
        return Some(Ok(4326));
    }
    if lower.ends_with("crs84h") {
        return Some(Ok(4979));
    }
    let digits = if lower.chars().all(|c| c.is_ascii_digit()) && !lower.is_empty() {
        lower.as_str()
    } else if let Some(rest) = lower.strip_prefix("epsg") {
        rest.trim_start_matches([':', ' ', '/', '_'])
    } else if lower.starts_with("urn:ogc:def:crs:epsg:") || lower.contains("/def/crs/epsg/") {
        lower.rsplit([':', '/']).next().unwrap_or_default()
    } else if lower.contains(':') && !lower.contains(' ') {
        return Some(Err(Error::malformed(format!(
            "`{text}` is not a reference that can be read: write a code (EPSG:2286) or words \
             (\"nad83 washington south ftus\")"
        ))));
    } else {
        return None;
    };
    Some(digits.parse().map_err(|_| {
        Error::malformed(format!(
            "`{text}`: what follows EPSG: must be a whole number, as in EPSG:2286"
        ))
    }))
}

fn by_words(text: &str) -> Result<Crs> {
    let mut wanted = name_words(text);
    wanted.sort();
    if wanted.is_empty() {
        return Err(Error::malformed("an empty text names no reference system"));
    }
    let matches = find(text);
    let mut current: Vec<_> = matches.iter().filter(|found| !found.deprecated).collect();
    // Compound systems have the words of their parts: these are meant where they have them all.
    if current.iter().any(|found| found.kind != CrsKind::Compound) {
        current.retain(|found| found.kind != CrsKind::Compound);
    }
    let exact: Vec<_> = current
        .iter()
        .filter(|found| {
            let mut words = name_words(found.name);
            words.sort();
            words == wanted
        })
        .collect();
    match (exact.as_slice(), current.as_slice()) {
        // The 2D form stands first where the 3D and geocentric forms share its name.
        ([first, ..], _) => Crs::from_epsg(first.code),
        ([], [only, others @ ..]) if others.iter().all(|other| other.name == only.name) => {
            Crs::from_epsg(only.code)
        }
        ([], []) => {
            // A word that nothing has is not put right without asking.
            let likely = search(text).matches.into_iter().find(|found| !found.deprecated);
            let hint = match likely {
                Some(found) => format!("did you mean EPSG:{} {}?", found.code, found.name),
                None => "use fewer words, or a code".to_string(),
            };
            Err(Error::new(
                Kind::Unknown,
                format!("no reference system of the registry matches `{text}`: {hint}"),
            ))
        }
        ([], several) => {
            let list: Vec<String> = several
                .iter()
                .take(8)
                .map(|found| format!("\n  EPSG:{} {}", found.code, found.name))
                .collect();
            let more = several.len().saturating_sub(8);
            let choices = several.iter().map(|found| format!("EPSG:{} {}", found.code, found.name));
            Err(Error::ambiguous(
                format!(
                    "`{text}` matches {} reference systems: choose one by its code{}{}",
                    several.len(),
                    list.concat(),
                    if more > 0 { format!("\n  and {more} more") } else { String::new() }
                ),
                text,
                choices.collect(),
            ))
        }
    }
}

/// As [`Crs::parse`].
impl FromStr for Crs {
    type Err = Error;

    fn from_str(text: &str) -> Result<Crs> {
        Crs::parse(text)
    }
}

/// The label: code and name.
impl fmt::Display for Crs {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.label())
    }
}
