//! `vpeg crs find`: searching the registry.

use super::kind;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use velvet_peg::crs::{CrsMatch, CrsSearch, find_systems};
use velvet_peg::{Crs, Error, Geographic, LengthUnit, registry};

#[derive(Debug, Args)]
pub(crate) struct Find {
    /// Words that the name, another name or the area must have.
    #[arg(required_unless_present_any = ["at", "kind", "unit"])]
    words: Vec<String>,
    /// Systems to list.
    #[arg(long, default_value_t = 20)]
    limit: usize,
    /// List withdrawn systems too.
    #[arg(long)]
    deprecated: bool,
    /// Only of this kind: projected, geographic, geocentric, vertical or compound.
    #[arg(long, value_parser = kind_named)]
    kind: Option<String>,
    /// Only in this unit, such as ftUS, ft-intl, metre or degree.
    #[arg(long, value_parser = unit_named)]
    unit: Option<String>,
    /// Only systems whose area of use holds this place.
    #[arg(long, value_name = "PLACE")]
    at: Option<String>,
}

impl Find {
    pub(super) fn run(&self) -> Result<Ending, Error> {
        let text = self.words.join(" ");
        let place = self.at.as_deref().map(reference::place_text).transpose()?;
        let CrsSearch { matches, taken_for, left_out } = matching(&text);
        let place = place.as_ref().map(|(at, _)| *at);
        let (found, filters) = self.filtered(matches, place);
        for (word, meant) in &taken_for {
            show::remark(&format!("nothing has the word `{word}`: taken for `{meant}`"));
        }
        for word in &left_out {
            show::remark(&format!("no system has the word `{word}` beside the others: left out"));
        }
        if show::wants_json() {
            let list: Vec<Json> = found
                .iter()
                .take(self.limit)
                .map(|found| {
                    json!({
                        "code": found.code, "name": found.name, "kind": kind(found.kind),
                        "area": found.area, "deprecated": found.deprecated,
                    })
                })
                .collect();
            show::json(&json!({
                "matches": found.len(), "systems": list, "dataset": registry::VERSION,
                "taken_for": taken_for.iter().map(|(word, meant)| json!({
                    "word": word, "meant": meant,
                })).collect::<Vec<_>>(),
                "left_out": left_out,
            }))?;
            return Ok(Ending::Done);
        }
        if found.is_empty() {
            return Err(Error::usage(match filters {
                Some(filter) => filter,
                None => format!(
                    "no reference system matches all of `{text}`: use fewer words, or other ones"
                ),
            }));
        }
        let mut table = show::Table::new(["code", "name", "kind", "unit", "area"]);
        for found in found.iter().take(self.limit) {
            let unit = Crs::from_epsg(found.code).map_or("", |crs| crs.unit_name());
            let area = show::shortened(found.area, 50);
            let mark = if found.deprecated { " (withdrawn)" } else { "" };
            table.row(vec![
                format!("EPSG:{}", found.code),
                format!("{}{mark}", found.name),
                kind(found.kind).to_string(),
                unit.to_string(),
                area,
            ]);
        }
        show::answer(&table.text())?;
        let realisations = found
            .iter()
            .take(self.limit)
            .filter(|found| found.name.starts_with("NAD83"))
            .filter_map(|found| found.name.split(" / ").next())
            .collect::<BTreeSet<_>>();
        if realisations.len() > 1 {
            let list: Vec<&str> = realisations.into_iter().collect();
            show::remark(&format!(
                "{} are realisations of one datum: the same grid figures, but positions on them differ by \
                 centimetres to about a metre. Take the one that the control of the data is on; \
                 NAD83(2011) is the current one",
                list.join(", ")
            ));
        }
        let more = found.len().saturating_sub(self.limit);
        if more > 0 {
            show::remark(&format!("and {more} more: add words, or raise --limit"));
        }
        Ok(Ending::Done)
    }

    /// The matches that every filter lets through; and if none is left, which filter took the last.
    fn filtered(
        &self,
        mut found: Vec<CrsMatch>,
        place: Option<Geographic>,
    ) -> (Vec<CrsMatch>, Option<String>) {
        type Filter<'a> = (String, Box<dyn Fn(&CrsMatch) -> bool + 'a>);
        let mut filters: Vec<Filter<'_>> = Vec::new();
        if !self.deprecated {
            let said = "is current: --deprecated lists withdrawn ones";
            filters.push((said.to_string(), Box::new(|found| !found.deprecated)));
        }
        if let Some(wanted) = &self.kind {
            let is = |found: &CrsMatch| kind(found.kind).starts_with(wanted.as_str());
            let said = format!("is {wanted} (--kind)");
            filters.push((said, Box::new(is)));
        }
        if let Some(wanted) = &self.unit {
            filters.push((
                format!("counts in {wanted} (--unit)"),
                Box::new(|found| counts_in(found, wanted)),
            ));
        }
        if let (Some(at), Some(text)) = (place, &self.at) {
            let holds = move |found: &CrsMatch| {
                Crs::from_epsg(found.code)
                    .is_ok_and(|crs| !crs.extent().boxes().is_empty() && crs.extent().contains(at))
            };
            filters.push((format!("is used at {text} (--at)"), Box::new(holds)));
        }
        for (said, lets_through) in filters {
            let before = found.len();
            found.retain(|one| lets_through(one));
            if found.is_empty() && before > 0 {
                let systems = if before == 1 { "system matches" } else { "systems match" };
                return (found, Some(format!("{before} {systems}, and none of them {said}")));
            }
        }
        (found, None)
    }
}

/// A kind of systems, or the beginning of its name.
fn kind_named(text: &str) -> Result<String, String> {
    const KINDS: [&str; 5] = ["projected", "geographic", "geocentric", "vertical", "compound"];
    let wanted = text.trim().to_lowercase();
    match !wanted.is_empty() && KINDS.iter().any(|kind| kind.starts_with(&wanted)) {
        true => Ok(wanted),
        false => Err(format!("the kinds are {}", KINDS.join(", "))),
    }
}

/// A unit that some system counts in.
fn unit_named(text: &str) -> Result<String, String> {
    let named = match LengthUnit::named(text) {
        Ok(_) => return Ok(text.to_string()),
        Err(error) => error,
    };
    // Angles, and what leaves open which foot is meant, are units of systems by their names.
    let all = registry::CrsRow::all();
    match all.map(CrsMatch::from).any(|found| counts_in(&found, text)) {
        true => Ok(text.to_string()),
        false => Err(named.to_string()),
    }
}

/// Whether a system counts in a unit, by its symbol, its name, or another name of the unit.
fn counts_in(found: &CrsMatch, wanted: &str) -> bool {
    let Ok(crs) = Crs::from_epsg(found.code) else { return false };
    let symbol = crs.length_unit().map_or("", |unit| unit.symbol());
    let named = LengthUnit::named(wanted).ok();
    wanted.eq_ignore_ascii_case(symbol)
        || wanted.eq_ignore_ascii_case(crs.unit_name())
        || named.is_some_and(|unit| crs.length_unit() == Some(unit))
}

/// What the words match, or all systems where there are none.
fn matching(text: &str) -> CrsSearch {
    match text.trim().is_empty() {
        true => CrsSearch {
            matches: registry::CrsRow::all().map(CrsMatch::from).collect(),
            ..CrsSearch::default()
        },
        false => find_systems(text),
    }
}
