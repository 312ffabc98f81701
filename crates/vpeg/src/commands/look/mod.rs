//! `vpeg look`: what is in a file.

mod next_step;

use super::raster;
use crate::arguments::{ReadArguments, TableArguments, map_file};
use crate::progress::TerminalProgress;
use crate::{Ending, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::path::PathBuf;
use velvet_peg::arrow::schema::FieldRef;
use velvet_peg::layer::{COLUMN_DESCRIPTION, COLUMN_NAME, COLUMN_TITLE, CrsOrigin, LayerInfo};
use velvet_peg::look::look_watched;
use velvet_peg::look::{Look as Found, LookOptions, TableLook};
use velvet_peg::{Bounds, Error, Notice};

#[derive(Debug, Args)]
pub(crate) struct Look {
    /// Table, layer file or raster; `-` for a table on standard input.
    file: PathBuf,
    /// Read every row of a large table, not parts of it.
    #[arg(long)]
    all: bool,
    /// Draw a map of the layers: .svg, .png or .html; in characters if no FILE is given.
    #[arg(long, value_name = "FILE", num_args = 0..=1, default_missing_value = "-", value_parser = map_file)]
    map: Option<PathBuf>,
    #[command(flatten)]
    table: TableArguments,
    #[command(flatten)]
    read: ReadArguments,
}

impl Look {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut progress = TerminalProgress::new("looking");
        let options = LookOptions {
            table: self.table.options(),
            read: self.read.with_encoding(self.table.encoding.as_ref()),
            all: self.all,
        };
        let found = look_watched(&self.file, &options, &mut progress)?;
        drop(progress);
        if show::wants_json() {
            show::json(&as_json(&found))?;
        } else {
            match &found {
                Found::Table(table) => self.table(table)?,
                Found::Raster(info) => raster::look(&self.file, info)?,
                Found::Layers { format, layers } => {
                    show::answer(&format!(
                        "{}: {}, {} layer{}",
                        show::heading(&self.file.display().to_string()),
                        format.name(),
                        layers.len(),
                        if layers.len() == 1 { "" } else { "s" }
                    ))?;
                    for (info, notices) in layers {
                        self.layer(info, notices)?;
                    }
                }
            }
        }
        match &found {
            Found::Table(table) => show::notices(&table.notices),
            Found::Raster(info) => show::notices(&info.notices),
            Found::Layers { layers, .. } => layers.iter().for_each(|(_, n)| show::notices(n)),
        }
        if !show::wants_json() {
            let next = next_step::next(&found, &self.file, &self.table, &self.read);
            show::answer(&format!("\n{}", next.text()))?;
        }
        Ok(Ending::Done)
    }

    fn table(&self, look: &TableLook) -> Result<(), Error> {
        let name = show::heading(&self.file.display().to_string());
        let about = if look.sampled.is_some() { "about " } else { "" };
        let many = |count: u64, what: &str| match count {
            1 => format!("1 {what}"),
            count => format!("{count} {what}s"),
        };
        let columns = many(look.columns.len() as u64, "column");
        let shape = format!("{about}{}, {columns}", many(look.rows, "row"));
        let kind = match (look.text, &look.sheet) {
            (Some(text), _) => {
                format!("table, {shape}, delimiter {}, encoding {}", text.delimiter, text.encoding)
            }
            (None, Some(sheet)) => format!("{}, sheet {sheet}: {shape}", look.format),
            (None, None) => format!("{}, {shape}", look.format),
        };
        show::answer(&format!("{name}: {kind}"))?;
        if look.sheets.len() > 1 {
            let mut sheets = show::Table::new(["sheet", "rows with header", "columns", ""]);
            for sheet in &look.sheets {
                let note = match (sheet.hidden, Some(&sheet.name) == look.sheet.as_ref()) {
                    (true, _) => "hidden",
                    (false, true) => "shown below",
                    (false, false) => "",
                };
                sheets.row(vec![
                    sheet.name.clone(),
                    sheet.rows.to_string(),
                    sheet.columns.to_string(),
                    note.to_string(),
                ]);
            }
            show::answer(&format!("\n{}", sheets.text()))?;
        }
        if let Some(read) = look.sampled {
            show::answer(&format!(
                "{read} of them were read, spread over the file; the figures below are theirs \
                 (--all reads every row)"
            ))?;
        }
        show::answer("")?;
        let read = look.sampled.unwrap_or(look.rows);
        let mut table = show::Table::new(["column", "type", "filled", "sample", "likely"]);
        for column in &look.columns {
            let name = Some(&column.name);
            let role = match (look.degrees, name == look.x.as_ref(), name == look.y.as_ref()) {
                (Some(true), true, _) => "longitude",
                (Some(true), _, true) => "latitude",
                (Some(false), true, _) => "easting",
                (Some(false), _, true) => "northing",
                _ if name == look.geometry.as_ref() => "geometry",
                _ => "",
            };
            let sample: String = column.sample.chars().take(40).collect();
            table.row(vec![
                column.name.clone(),
                column.kind.to_string(),
                share(column.filled, read),
                sample,
                role.to_string(),
            ]);
        }
        show::answer(&table.text())?;
        match (&look.x, &look.y) {
            (Some(x), Some(y)) => show::answer(&format!(
                "\nlikely coordinates: {x} and {y}, {}; reference system: {}",
                look.why,
                match &look.crs {
                    Some(crs) => format!("{}, by the file beside the table", crs.label()),
                    None => "missing (a table does not state one)".to_string(),
                }
            ))?,
            _ if look.geometry.is_some() => {}
            _ => show::answer(&format!("\ncoordinates: {}", look.why))?,
        }
        if let Some(extent) = &look.extent {
            show::answer(&format!(
                "coordinates span {}",
                span(extent, look.degrees == Some(true))
            ))?;
        }
        let (count, reasons) = &look.unreadable;
        if *count > 0 {
            show::answer(&format!(
                "{count} row{} with coordinates that cannot be used:\n  {}",
                if *count == 1 { "" } else { "s" },
                reasons.join("\n  ")
            ))?;
        }
        Ok(())
    }

    fn layer(&self, info: &LayerInfo, _notices: &[Notice]) -> Result<(), Error> {
        let system = match (&info.crs, info.crs_origin) {
            (None, _) => "missing: it has to be declared".to_string(),
            (Some(crs), CrsOrigin::Given) => format!("{} ({})", crs.label(), crs.unit_plural()),
            (Some(crs), origin) => {
                format!("{} ({}), {}", crs.label(), crs.unit_plural(), origin.name())
            }
        };
        let degrees = info.crs.as_ref().is_some_and(|crs| crs.is_geographic());
        let columns: Vec<String> = info
            .schema
            .fields()
            .iter()
            .map(|field| format!("{} ({})", field.name(), velvet_peg::layer::type_name(field)))
            .collect();
        let kind = info.kind.map_or("mixed", |kind| kind.name());
        let count = info.count.unwrap_or(0);
        let mut pairs = match info.bare {
            true => vec![("rows".to_string(), format!("{count}, attributes alone"))],
            false => vec![
                ("features".to_string(), format!("{count} {kind}")),
                ("reference system".to_string(), system),
            ],
        };
        if let Some(extent) = &info.extent {
            pairs.push(("coordinates".to_string(), span(extent, degrees)));
        }
        pairs.extend(info.lineage().map(|line| ("lineage".to_string(), line.to_string())));
        pairs.extend(info.said().map(|line| ("description".to_string(), line.to_string())));
        let columns = if columns.is_empty() { "none".to_string() } else { columns.join(", ") };
        pairs.push(("columns".to_string(), columns));
        let titles: Vec<String> = info.schema.fields().iter().filter_map(title).collect();
        if !titles.is_empty() {
            pairs.push(("titles".to_string(), titles.join("; ")));
        }
        show::answer(&format!("\n{}\n{}", show::heading(&info.name), show::pairs(&pairs)))
    }
}

fn share(part: u64, whole: u64) -> String {
    if whole == 0 {
        return String::new();
    }
    // A column with gaps never shows as full.
    let percent = (part as f64 / whole as f64 * 100.0).floor();
    format!("{percent:.0}%")
}

fn span(extent: &Bounds, degrees: bool) -> String {
    let Bounds { south, west, north, east } = extent;
    match degrees {
        true => format!("longitude {west:.6}° to {east:.6}°, latitude {south:.6}° to {north:.6}°"),
        false => format!("x {west:.2} to {east:.2}, y {south:.2} to {north:.2}"),
    }
}

fn bounds_json(extent: Option<Bounds>) -> Json {
    extent.map_or(
        Json::Null,
        |b| json!({"x_min": b.west, "y_min": b.south, "x_max": b.east, "y_max": b.north}),
    )
}

fn as_json(found: &Found) -> Json {
    match found {
        Found::Table(look) => json!({
            "kind": "table",
            "format": look.format.name(),
            "sheet": look.sheet,
            "sheets": look.sheets.iter().map(|sheet| json!({
                "name": sheet.name, "rows": sheet.rows, "columns": sheet.columns,
                "hidden": sheet.hidden,
            })).collect::<Vec<_>>(),
            "crs": look.crs.as_ref().map(velvet_peg::Crs::reference),
            "rows": look.rows,
            "rows_read": look.sampled.unwrap_or(look.rows),
            "exact": look.sampled.is_none(),
            "geometry_column": look.geometry,
            "why": look.why,
            "header": look.header,
            "point_file_columns": look.point_file,
            "delimiter": look.text.map(|text| text.delimiter),
            "encoding": look.text.map(|text| text.encoding),
            "columns": look.columns.iter().map(|column| json!({
                "name": column.name, "type": column.kind, "filled": column.filled, "sample": column.sample,
            })).collect::<Vec<_>>(),
            "x_column": look.x,
            "y_column": look.y,
            "degrees": look.degrees,
            "unusable_rows": look.unreadable.0,
            "unusable_examples": look.unreadable.1,
            "extent": bounds_json(look.extent),
            "notices": show::notices_as_json(&look.notices),
        }),
        Found::Raster(info) => raster::as_json(info),
        Found::Layers { format, layers } => json!({
            "kind": "layers",
            "format": format.name(),
            "layers": layers.iter().map(|(info, notices)| json!({
                "name": info.name,
                "features": info.count,
                "description": info.said().collect::<Vec<_>>(),
                "lineage": info.lineage().collect::<Vec<_>>(),
                "geometry": info.kind.map(|kind| kind.name()),
                "attributes_alone": info.bare,
                "crs": info.crs.as_ref().map(|crs| crs.reference()),
                "crs_origin": info.crs.as_ref().map(|_| info.crs_origin.name()),
                "crs_name": info.crs.as_ref().map(|crs| crs.name()),
                "extent": bounds_json(info.extent),
                "columns": info.schema.fields().iter().map(|field| json!({
                    "name": field.name(), "type": velvet_peg::layer::type_name(field),
                    "title": field.metadata().get(COLUMN_TITLE),
                    "description": field.metadata().get(COLUMN_DESCRIPTION),
                })).collect::<Vec<_>>(),
                "notices": show::notices_as_json(notices),
            })).collect::<Vec<_>>(),
        }),
    }
}

/// What a column is, where the file says it beside its name.
fn title(field: &FieldRef) -> Option<String> {
    let metadata = field.metadata();
    let said = metadata.get(COLUMN_TITLE).or(metadata.get(COLUMN_NAME));
    let text = match (said, metadata.get(COLUMN_DESCRIPTION)) {
        (Some(title), Some(description)) => format!("{title} ({description})"),
        (Some(text), None) | (None, Some(text)) => text.clone(),
        (None, None) => return None,
    };
    Some(format!("{}: {text}", field.name()))
}
