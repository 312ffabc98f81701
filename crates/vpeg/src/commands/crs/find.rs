//! `vpeg crs find`: searching the registry.

use super::kind;
use crate::{Ending, show};
use clap::Args;
use serde_json::{Value as Json, json};
use velvet_peg::{Crs, Error, find, registry};

#[derive(Debug, Args)]
pub(crate) struct Find {
    /// Words that the name, another name or the area must have.
    #[arg(required = true)]
    words: Vec<String>,
    /// Systems to list.
    #[arg(long, default_value_t = 20)]
    limit: usize,
    /// List withdrawn systems too.
    #[arg(long)]
    deprecated: bool,
}

impl Find {
    pub(super) fn run(&self) -> Result<Ending, Error> {
        let text = self.words.join(" ");
        let found: Vec<_> =
            find(&text).into_iter().filter(|found| self.deprecated || !found.deprecated).collect();
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
            return Err(Error::from_usage(format!(
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
        let more = found.len().saturating_sub(self.limit);
        if more > 0 {
            show::remark(&format!("and {more} more: add words, or raise --limit"));
        }
        Ok(Ending::Done)
    }
}
