//! `vpeg crs find`: searching the registry.

use super::kind;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::collections::BTreeSet;
use velvet_peg::crs::{CrsMatch, find};
use velvet_peg::{Crs, Error, Geographic, registry};

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
    #[arg(long)]
    kind: Option<String>,
    /// Only in this unit, such as ftUS, ft, metre or degree.
    #[arg(long)]
    unit: Option<String>,
    /// Only systems whose area of use holds this place.
    #[arg(long, value_name = "PLACE")]
    at: Option<String>,
}

impl Find {
    pub(super) fn run(&self) -> Result<Ending, Error> {
        let text = self.words.join(" ");
        let place = self.at.as_deref().map(reference::place_text).transpose()?;
        let found: Vec<CrsMatch> = matching(&text)
            .into_iter()
            .filter(|found| self.deprecated || !found.deprecated)
            .filter(|found| {
                self.kind
                    .as_deref()
                    .is_none_or(|wanted| kind(found.kind).starts_with(&wanted.to_lowercase()))
            })
            .filter(|found| self.fits(found, place.as_ref().map(|(at, _)| *at)))
            .collect();
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
            show::json(
                &json!({ "matches": found.len(), "systems": list, "dataset": registry::VERSION }),
            )?;
            return Ok(Ending::Done);
        }
        if found.is_empty() {
            return Err(Error::usage(format!(
                "no current reference system matches all of `{text}`: use fewer words, or look among the \
                 withdrawn ones with --deprecated"
            )));
        }
        let mut table = show::Table::new(["code", "name", "kind", "unit", "area"]);
        for found in found.iter().take(self.limit) {
            let unit = Crs::from_epsg(found.code).map_or("", |crs| crs.unit_name());
            let area: String = match found.area.chars().count() {
                0..=50 => found.area.to_string(),
                _ => found.area.chars().take(49).chain(['…']).collect(),
            };
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

    /// Unit and place, which need the system itself.
    fn fits(&self, found: &CrsMatch, place: Option<Geographic>) -> bool {
        if self.unit.is_none() && place.is_none() {
            return true;
        }
        let Ok(crs) = Crs::from_epsg(found.code) else { return false };
        let in_unit = self.unit.as_deref().is_none_or(|wanted| {
            let symbol = crs.length_unit().map_or("", |unit| unit.symbol());
            wanted.eq_ignore_ascii_case(symbol) || wanted.eq_ignore_ascii_case(crs.unit_name())
        });
        let boxes = crs.extent().boxes();
        in_unit && place.is_none_or(|at| !boxes.is_empty() && crs.extent().contains(at))
    }
}

/// What the words match, or all systems where there are none.
fn matching(text: &str) -> Vec<CrsMatch> {
    if !text.trim().is_empty() {
        return find(text);
    }
    let rows = registry::CrsRow::all();
    rows.map(|row| CrsMatch {
        code: row.code,
        name: row.name,
        kind: row.kind,
        deprecated: row.deprecated,
        area: row
            .extents
            .first()
            .and_then(|code| registry::ExtentRow::find(*code))
            .map_or("", |extent| extent.name),
    })
    .collect()
}
