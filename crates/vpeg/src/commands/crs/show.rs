//! `vpeg crs show`: one reference system, and the ways to another.

use super::kind;
use super::sheet::{replacements, sheet};
use crate::arguments::WayArguments;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use velvet_peg::convert::route_notices;
use velvet_peg::definition::{self, Spelling};
use velvet_peg::{CandidateRoute, Converter, Crs, Error, Geographic, Operation, registry};

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
    #[command(flatten)]
    way: WayArguments,
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
        let at = area.map(|area| Geographic {
            lat: (area.south + area.north) / 2.0,
            lon: (area.west + area.east) / 2.0,
        });
        let options = self.way.plan(area);
        let converter = to.as_ref().map(|to| Converter::plan(&crs, to, &options)).transpose()?;
        if show::wants_json() {
            show::json(&as_json(&crs, converter.as_ref(), at))?;
        } else {
            show::answer(&format!(
                "{}\n{}",
                show::heading(&crs.label()),
                show::pairs(&sheet(&crs))
            ))?;
            if let Some(converter) = &converter {
                ways(converter, at)?;
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
}

/// The way that is taken and the others; at a place as a table with what each does there.
fn ways(converter: &Converter, at: Option<Geographic>) -> Result<(), Error> {
    let route = converter.route();
    let taken = if route.is_named { "taken, as it was named" } else { "taken" };
    let mut lines =
        vec![String::new(), show::heading(&format!("To {}", converter.target().label()))];
    lines.push(format!("  {taken}: {}", route.summary()));
    for operation in route.operations() {
        lines.push(format!(
            "    step: {} by {}, {}, area {}",
            operation.name(),
            operation.method_name(),
            metres(operation.accuracy_m()),
            operation.extent().name()
        ));
    }
    match at {
        Some(at) if route.operations().next().is_some() => table(converter, at, &mut lines),
        Some(_) | None => {
            for other in &route.alternatives {
                let areas: Vec<&str> = other.operations.iter().map(|o| o.extent().name()).collect();
                lines.push(format!("  also: {}, area {}", other.summary(), areas.join(" and ")));
            }
        }
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

/// What each way does at a place: whether it matters which one is taken.
fn table(converter: &Converter, at: Geographic, lines: &mut Vec<String>) {
    let known = |accuracy: Option<f64>| accuracy.map_or("not stated".into(), |m| format!("{m} m"));
    let far = |metres: Option<f64>| metres.map_or("no answer".into(), |m| format!("{m:.3} m"));
    let area = |operations: &[Operation]| -> String {
        let mut areas: Vec<&str> = operations.iter().map(|o| o.extent().name()).collect();
        areas.dedup();
        show::shortened(&areas.join("; "), 60)
    };
    let codes = |operations: &[Operation]| -> String {
        let code = |operation: &Operation| match (operation.code(), operation.is_reversed()) {
            (Some(code), false) => format!("EPSG:{code}"),
            (Some(code), true) => format!("EPSG:{code} reversed"),
            (None, _) => "ensemble".to_string(),
        };
        operations.iter().map(code).collect::<Vec<_>>().join(", ")
    };
    let route = converter.route();
    let mut table = show::Table::new(["operations", "known to", "moves", "from taken", "area"]);
    let taken: Vec<Operation> = route.operations().cloned().collect();
    table.row(vec![
        codes(&taken),
        known(route.accuracy_m()),
        far(converter.displacement_m(at)),
        "taken".to_string(),
        area(&taken),
    ]);
    for way in &route.alternatives {
        let other = converter.by(way);
        table.row(vec![
            codes(&way.operations),
            known(way.accuracy_m()),
            far(other.displacement_m(at)),
            far(converter.apart_m(&other, at)),
            area(&way.operations),
        ]);
    }
    let (lat, lon) = (at.lat, at.lon);
    lines.push(format!(
        "\n  at latitude {lat:.4}°, longitude {lon:.4}°: how far each way moves the coordinates, and how \
         far from the one taken it puts them"
    ));
    lines.extend(table.text().lines().map(|line| format!("  {line}")));
    let named = |way: &&CandidateRoute| way.operations.iter().all(|o| o.code().is_some());
    if let Some(other) = route.alternatives.iter().find(named) {
        let codes = other.operations.iter().filter_map(Operation::code);
        let codes: Vec<String> = codes.map(|code| format!("EPSG:{code}")).collect();
        lines.push(format!(
            "  to take another: vpeg convert FILE --to {} --operation {} -o OUT",
            converter.target().reference(),
            codes.join(",")
        ));
    }
}

fn metres(accuracy: Option<f64>) -> String {
    accuracy.map_or("accuracy not stated".to_string(), |metres| format!("{metres} m"))
}

fn as_json(crs: &Crs, converter: Option<&Converter>, at: Option<Geographic>) -> Json {
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
            "named": route.is_named,
            "moves_m": at.and_then(|at| converter.displacement_m(at)),
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
                "moves_m": at.and_then(|at| converter.by(way).displacement_m(at)),
                "apart_m": at.and_then(|at| converter.apart_m(&converter.by(way), at)),
            })).collect::<Vec<_>>(),
            "unavailable": route.unavailable.iter().map(|lacking| json!({
                "code": lacking.code, "name": lacking.name, "accuracy_m": lacking.accuracy_m, "needs": lacking.needs,
            })).collect::<Vec<_>>(),
        });
    }
    answer
}
