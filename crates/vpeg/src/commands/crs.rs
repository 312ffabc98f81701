//! `vpeg crs`: the registry of reference systems.

use crate::{Ending, reference, show};
use clap::{Args, Subcommand};
use serde_json::{Value as Json, json};
use velvet_peg::{Converter, Crs, CrsKind, Error, Quantity, find, registry, route_notices};

#[derive(Debug, Subcommand)]
pub(crate) enum Registry {
    /// Search by words or code.
    Find(Find),
    /// Describe one system, and the way to another.
    Show(Show),
}

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

#[derive(Debug, Args)]
pub(crate) struct Show {
    /// The system.
    #[arg(value_name = "REF", required = true, num_args = 1..)]
    system: Vec<String>,
    /// Describe the operation to this system too.
    #[arg(long, value_name = "REF")]
    to: Option<String>,
}

impl Registry {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        match self {
            Registry::Find(command) => command.run(),
            Registry::Show(command) => command.run(),
        }
    }
}

fn kind(kind: CrsKind) -> &'static str {
    match kind {
        CrsKind::Projected => "projected",
        CrsKind::Geographic2D => "geographic",
        CrsKind::Geographic3D => "geographic 3D",
        CrsKind::Geocentric => "geocentric",
        CrsKind::Vertical => "vertical",
        CrsKind::Compound => "compound",
        CrsKind::Engineering => "engineering",
        CrsKind::Derived => "derived",
    }
}

impl Find {
    fn run(&self) -> Result<Ending, Error> {
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

impl Show {
    fn run(&self) -> Result<Ending, Error> {
        let crs = reference::system(&self.system.join(" "))?;
        let to = self.to.as_deref().map(reference::system).transpose()?;
        let converter = to.as_ref().map(|to| Converter::new(&crs, to)).transpose()?;
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
            show::remark(&format!("EPSG:{} is withdrawn{}", crs.code(), replacements(&crs)));
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
        lines.push(format!("  {}", route.summary()));
        for operation in route.operations() {
            lines.push(format!(
                "  step: {} by {}, area {}",
                operation.name(),
                operation.method_name(),
                operation.extent().name()
            ));
        }
        for other in route.turned_down.iter().take(5) {
            lines.push(format!(
                "  also: {} [EPSG:{}], {}, area {}",
                other.name(),
                other.code().unwrap_or(0),
                metres(other.accuracy_m()),
                other.extent().name()
            ));
        }
        for lacking in route.not_available.iter().take(5) {
            lines.push(format!(
                "  not usable here: {} [EPSG:{}], {}, needs {}",
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

fn replacements(crs: &Crs) -> String {
    let codes: Vec<String> = crs.replaced_by().iter().map(|code| format!("EPSG:{code}")).collect();
    match codes.is_empty() {
        true => String::new(),
        false => format!(", replaced by {}", codes.join(", ")),
    }
}

/// The plain-words sheet of a system.
fn sheet(crs: &Crs) -> Vec<(String, String)> {
    let mut pairs: Vec<(String, String)> = Vec::new();
    let mut add = |label: &str, text: String| pairs.push((label.to_string(), text));
    add("kind", kind(crs.kind()).to_string());
    let axes: Vec<String> = crs
        .axes()
        .iter()
        .map(|axis| {
            format!("{} ({}, {})", axis.name.to_lowercase(), axis.abbreviation, axis.orientation)
        })
        .collect();
    add("axes in the registry's order", axes.join(", "));
    add("unit", crs.unit_name().to_string());
    if let Some(datum) = crs.datum() {
        let ensemble = datum.ensemble_accuracy_m().map_or(String::new(), |metres| {
            format!(" (an ensemble: its realisations agree to {metres} m)")
        });
        let epoch = match (datum.is_dynamic(), datum.frame_epoch()) {
            (true, Some(epoch)) => format!(" (dynamic, epoch {epoch})"),
            (true, None) => " (dynamic)".to_string(),
            _ => String::new(),
        };
        add("datum", format!("{}{ensemble}{epoch} [EPSG:{}]", datum.name(), datum.code()));
        let ellipsoid = datum.ellipsoid();
        add(
            "ellipsoid",
            format!(
                "{}, a = {} m, 1/f = {}",
                ellipsoid.name(),
                ellipsoid.semi_major_m(),
                significant(1.0 / ellipsoid.flattening())
            ),
        );
        let meridian = datum.prime_meridian();
        if meridian.longitude_deg != 0.0 {
            add(
                "prime meridian",
                format!("{}, {}° from Greenwich", meridian.name, meridian.longitude_deg),
            );
        }
    }
    if let Some(conversion) = crs.conversion() {
        add(
            "projection",
            format!("{} [EPSG:{}]", conversion.method_name(), conversion.method_code),
        );
        for parameter in conversion.parameters.iter() {
            let unit = parameter.printed.and_then(|(_, code)| registry::UnitRow::find(code));
            let unit_name = unit.map_or("", |unit| unit.name);
            let text = match (&parameter.quantity, parameter.printed) {
                (Quantity::Angle(degrees), _) => format!(
                    "{} = {}°",
                    velvet_peg::angle::format(
                        *degrees,
                        velvet_peg::angle::Axis::Free,
                        velvet_peg::angle::Style::Seconds,
                        5
                    ),
                    significant(*degrees)
                ),
                (_, Some((printed, _))) if unit_name == "unity" => format!("{}", printed.to_f64()),
                (_, Some((printed, _))) => format!("{} {unit_name}", printed.to_f64()),
                (quantity, None) => format!("{quantity:?}"),
            };
            add(&format!("  {}", parameter.name().to_lowercase()), text);
        }
        if let Err(error) = crs.projection() {
            add("computing", error.to_string());
        }
    }
    if let Some(vertical) = crs.vertical_name() {
        add("vertical part", vertical.to_string());
    }
    add("area of use", crs.extent().description().to_string());
    for bounds in crs.extent().boxes() {
        add(
            "  its box",
            format!(
                "{}° to {}° latitude, {}° to {}° longitude",
                bounds.south, bounds.north, bounds.west, bounds.east
            ),
        );
    }
    if crs.is_deprecated() {
        add("withdrawn", format!("yes{}", replacements(crs)));
    }
    let aliases = crs.aliases();
    if !aliases.is_empty() {
        add("other names", aliases.join("; "));
    }
    add("source", format!("EPSG Dataset {}, owned by {}", registry::VERSION, registry::OWNER));
    pairs
}

/// A number to twelve significant digits.
fn significant(value: f64) -> f64 {
    format!("{value:.11e}").parse().unwrap_or(value)
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
                "changes_nothing": operation.is_null(),
            })).collect::<Vec<_>>(),
            "not_available": route.not_available.iter().map(|lacking| json!({
                "code": lacking.code, "name": lacking.name, "accuracy_m": lacking.accuracy_m, "needs": lacking.needs,
            })).collect::<Vec<_>>(),
        });
    }
    answer
}
