//! `vpeg crs show`: one reference system, and the ways to another.

use super::kind;
use super::sheet::{replacements, sheet};
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use velvet_peg::convert::route_notices;
use velvet_peg::definition::{self, Spelling};
use velvet_peg::{Converter, Crs, Error, PlanOptions, registry};

#[derive(Debug, Args)]
pub(crate) struct Show {
    /// The system.
    #[arg(value_name = "REF", required = true, num_args = 1..)]
    system: Vec<String>,
    /// Describe the operation to this system too.
    #[arg(long, value_name = "REF")]
    to: Option<String>,
    /// Plan the way for this place, such as "47.4, -120.0".
    #[arg(long, value_name = "PLACE", requires = "to")]
    at: Option<String>,
    /// Epoch of the coordinates in decimal years, such as 2026.9.
    #[arg(long, value_name = "YEAR", requires = "to", value_parser = reference::year)]
    epoch: Option<f64>,
    /// Print the definition text instead: WKT 2 (ISO 19162), WKT 1 (OGC 01-009), WKT 1 as files
    /// beside Shapefiles spell it, or the JSON encoding of GeoParquet.
    #[arg(long = "as", value_name = "NOTATION", conflicts_with = "to")]
    notation: Option<Notation>,
}

#[derive(Clone, Copy, Debug, clap::ValueEnum)]
enum Notation {
    Wkt2,
    Wkt1,
    Prj,
    Json,
}

impl Notation {
    fn write(self, crs: &Crs) -> Result<String, Error> {
        let text = match self {
            Notation::Wkt2 => definition::wkt2(crs),
            Notation::Wkt1 => definition::wkt1(crs),
            Notation::Prj => definition::wkt1_spelled(crs, Spelling::SideFile),
            Notation::Json => definition::json(crs),
        };
        text.ok_or_else(|| {
            Error::usage(format!("{} cannot be written in this notation", crs.label()))
        })
    }
}

impl Show {
    pub(super) fn run(&self) -> Result<Ending, Error> {
        let crs = reference::system(&self.system.join(" "))?;
        if let Some(notation) = self.notation {
            show::answer(&notation.write(&crs)?)?;
            return Ok(Ending::Done);
        }
        let to = self.to.as_deref().map(reference::system).transpose()?;
        let area = self.at.as_deref().map(reference::point_area).transpose()?;
        let options = PlanOptions { area, epoch: self.epoch, ..PlanOptions::default() };
        let converter = to.as_ref().map(|to| Converter::plan(&crs, to, &options)).transpose()?;
        if show::wants_json() {
            show::json(&as_json(&crs, converter.as_ref()))?;
        } else {
            show::answer(&format!(
                "{}\n{}",
                show::heading(&crs.label()),
                show::pairs(&sheet(&crs))
            ))?;
            if let Some(converter) = &converter {
                self.way(converter)?;
            }
        }
        if crs.is_deprecated() {
            show::remark(&format!("{} is withdrawn{}", crs.reference(), replacements(&crs)));
        }
        if let Some(converter) = &converter {
            show::notices(&route_notices(converter));
        }
        Ok(Ending::Done)
    }

    fn way(&self, converter: &Converter) -> Result<(), Error> {
        let route = converter.route();
        let mut lines =
            vec![String::new(), show::heading(&format!("To {}", converter.target().label()))];
        lines.push(format!("  taken: {}", route.summary()));
        for operation in route.operations() {
            lines.push(format!(
                "    step: {} by {}, {}, area {}",
                operation.name(),
                operation.method_name(),
                metres(operation.accuracy_m()),
                operation.extent().name()
            ));
        }
        for other in &route.alternatives {
            let areas: Vec<&str> = other.operations.iter().map(|o| o.extent().name()).collect();
            lines.push(format!("  also: {}, area {}", other.summary(), areas.join(" and ")));
        }
        for lacking in &route.unavailable {
            lines.push(format!(
                "  not usable: {} [EPSG:{}], {}, needs {}",
                lacking.name,
                lacking.code,
                metres(lacking.accuracy_m),
                lacking.needs
            ));
        }
        show::answer(&lines.join("\n"))
    }
}

fn metres(accuracy: Option<f64>) -> String {
    accuracy.map_or("accuracy not stated".to_string(), |metres| format!("{metres} m"))
}

fn as_json(crs: &Crs, converter: Option<&Converter>) -> Json {
    let sheet: serde_json::Map<String, Json> = sheet(crs)
        .into_iter()
        .map(|(label, text)| (label.trim().to_string(), Json::String(text)))
        .collect();
    let mut answer = json!({
        "code": crs.code(),
        "name": crs.name(),
        "kind": kind(crs.kind()),
        "deprecated": crs.is_deprecated(),
        "replaced_by": crs.replaced_by(),
        "dataset": registry::VERSION,
        "sheet": sheet,
    });
    if let Some(converter) = converter {
        let route = converter.route();
        answer["route"] = json!({
            "to": converter.target().code(),
            "accuracy_m": route.accuracy_m(),
            "covers_area": route.covers_area,
            "operations": route.operations().map(|operation| json!({
                "code": operation.code(), "name": operation.name(), "method": operation.method_name(),
                "reversed": operation.is_reversed(), "accuracy_m": operation.accuracy_m(),
                "area": operation.extent().name(),
                "changes_nothing": operation.is_null(),
            })).collect::<Vec<_>>(),
            "alternatives": route.alternatives.iter().map(|way| json!({
                "operations": way.operations.iter().map(|o| o.name()).collect::<Vec<_>>(),
                "codes": way.operations.iter().map(|o| o.code()).collect::<Vec<_>>(),
                "accuracy_m": way.accuracy_m(), "share_of_area": way.share,
            })).collect::<Vec<_>>(),
            "unavailable": route.unavailable.iter().map(|lacking| json!({
                "code": lacking.code, "name": lacking.name, "accuracy_m": lacking.accuracy_m, "needs": lacking.needs,
            })).collect::<Vec<_>>(),
        });
    }
    answer
}
