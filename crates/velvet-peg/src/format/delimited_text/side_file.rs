//! The file beside a table that tells its reference system, the types of its columns and how its
//! text is divided: `NAME-metadata.json` (W3C, Metadata Vocabulary for Tabular Data, 2015).
//!
//! The vocabulary has no word for the reference system: it is what the table conforms to
//! (`dc:conformsTo`, DCMI Metadata Terms), as the address of an EPSG code, or, of a system without a
//! code, as a standard whose description is its well-known text (ISO 19162).

use crate::error::{Error, Result};
use crate::format_support::crs_name::{address_of, crs_of_name};
use crate::format_support::{
    CellType, FeatureRows, Quoting, TableFacts, TableOptions, TextDialect, date_time, declared,
};
use crate::layer::LayerInfo;
use crate::notice::{Notice, NoticeKind};
use crate::output::{new_file, side_file};
use crate::small_file::read_small;
use arrow_schema::{DataType, Field};
use serde_json::{Value, json};
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use velvet_peg_core::{Crs, definition};

const VOCABULARY: &str = "http://www.w3.org/ns/csvw";
/// The spellings of the property that the system is the value of.
const CONFORMS: [&str; 4] = [
    "dc:conformsTo",
    "dcterms:conformsTo",
    "dct:conformsTo",
    "http://purl.org/dc/terms/conformsTo",
];

/// The file beside a table that is replaced, if the new one has none: it would tell of another.
pub(super) fn stale(table: &Path, made: &[PathBuf]) -> Vec<PathBuf> {
    let side_file = side_file(table);
    let written = made.iter().any(|file| file.file_name() == side_file.file_name());
    if written || !side_file.is_file() { Vec::new() } else { vec![side_file] }
}

/// What a column holds, as the file beside its table says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum ToldType {
    Text,
    YesNo,
    Date,
    DateTime,
    Time,
    /// Numbers, and what is not known here: the cells show it.
    Other,
}

impl ToldType {
    fn named(name: &str) -> ToldType {
        match name {
            "boolean" => ToldType::YesNo,
            "date" => ToldType::Date,
            "datetime" | "dateTime" | "dateTimeStamp" => ToldType::DateTime,
            "time" => ToldType::Time,
            "string" | "normalizedString" | "token" | "language" | "Name" | "NMTOKEN"
            | "anyURI" | "xml" | "html" | "json" | "hexBinary" | "base64Binary" => ToldType::Text,
            _ => ToldType::Other,
        }
    }

    /// The type of a cell: that of its column, where the cell is of it.
    pub(super) fn of(self, cell: &str) -> CellType {
        let if_so = |so: bool, is: CellType| if so { is } else { CellType::Untyped };
        match self {
            _ if cell.is_empty() => CellType::Blank,
            ToldType::Text => CellType::Text,
            ToldType::YesNo => if_so(matches!(cell, "true" | "false"), CellType::YesNo),
            ToldType::Date => if_so(date_time::day(cell).is_some(), CellType::Date),
            ToldType::DateTime => if_so(date_time::moment(cell).is_some(), CellType::DateTime),
            ToldType::Time => if_so(date_time::time_of_day(cell).is_some(), CellType::Time),
            ToldType::Other => CellType::Untyped,
        }
    }
}

/// What the file beside a table says.
#[derive(Debug, Default)]
pub(super) struct Told {
    name: String,
    crs: Option<Crs>,
    dialect: Value,
    /// Columns by their order: what they are called and what they hold.
    columns: Vec<(String, ToldType)>,
    wrong: Vec<String>,
}

/// Such a file has no more bytes.
const MOST_BYTES: u64 = 16 << 20;

impl Told {
    /// Reads what stands beside a table; nothing if there is nothing of the kind.
    pub(super) fn beside(real: &Path, shown: &Path) -> Told {
        let path = side_file(real);
        let read = read_small(&path, MOST_BYTES);
        let name = side_file(shown).display().to_string();
        let mut told = Told { name, ..Told::default() };
        let bytes = match read {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == ErrorKind::FileTooLarge => {
                told.wrong.push(error.to_string());
                return told;
            }
            Err(_) => return Told::default(),
        };
        let document: Value = match serde_json::from_slice(&bytes) {
            Ok(document) => document,
            Err(error) => {
                told.wrong.push(format!("is not JSON ({error})"));
                return told;
            }
        };
        if !mentions(&document["@context"], VOCABULARY) {
            told.wrong.push("is not in the vocabulary of W3C for tables".to_string());
            return told;
        }
        let file = real.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        let of_this = |table: &&Value| {
            let address = table["url"].as_str().unwrap_or_default();
            address.rsplit('/').next() == Some(file)
        };
        let tables = document["tables"].as_array();
        let table = match tables {
            Some(tables) => tables.iter().find(of_this),
            None => Some(&document).filter(of_this),
        };
        let Some(table) = table else {
            told.wrong.push(format!("tells of other tables than {file}"));
            return told;
        };
        told.read(table, &document);
        told
    }

    fn read(&mut self, table: &Value, group: &Value) {
        // What is not said of the table is said of its group.
        let of = |name: &str| if table[name].is_null() { &group[name] } else { &table[name] };
        self.dialect = of("dialect").clone();
        let stated = CONFORMS.iter().map(|name| of(name)).find(|value| !value.is_null());
        match stated.and_then(system) {
            Some(Ok(crs)) => self.crs = Some(crs),
            Some(Err(why)) => self.wrong.push(why),
            None => {}
        }
        let columns = of("tableSchema")["columns"].as_array();
        for column in columns.into_iter().flatten().filter(|column| column["virtual"] != true) {
            let datatype = &column["datatype"];
            let told = match (datatype.as_str(), datatype["format"].is_null()) {
                (Some(name), _) => ToldType::named(name),
                (None, true) => ToldType::named(datatype["base"].as_str().unwrap_or_default()),
                // Dates and words of other forms stay what they look like.
                (None, false) => ToldType::Other,
            };
            self.columns.push((title(column), told));
        }
    }

    /// The options of a reader, completed by what is said here.
    pub(super) fn complete(&self, options: &TableOptions) -> TableOptions {
        let mut options = options.clone();
        let dialect = &self.dialect;
        let text = |name: &str| dialect[name].as_str();
        let mark = |name: &str| text(name).and_then(|text| text.chars().next());
        let own_layout = !options.widths.is_empty();
        if options.delimiter.is_none() && !own_layout {
            options.delimiter = mark("delimiter");
        }
        if options.encoding.is_none() {
            options.encoding = text("encoding").map(str::to_string);
        }
        if options.quoting.is_none() && dialect.get("quoteChar").is_some() {
            options.quoting = Some(mark("quoteChar").map_or(Quoting::None, Quoting::With));
        }
        if options.comment.is_none() {
            options.comment = mark("commentPrefix");
        }
        if options.skip_lines == 0 {
            let lines = dialect["skipRows"].as_u64().and_then(|lines| usize::try_from(lines).ok());
            options.skip_lines = lines.unwrap_or(0);
        }
        if !options.header && !options.no_header {
            let none = dialect["header"] == false || dialect["headerRowCount"] == 0;
            options.no_header = none;
            options.header = !none && (dialect["header"] == true || dialect["headerRowCount"] == 1);
            if none && options.names.is_empty() {
                options.names = self.columns.iter().map(|(name, _)| name.clone()).collect();
            }
        }
        options
    }

    /// A warning where the fields look divided by something else than is said here.
    pub(super) fn other_delimiter(&self, looks: Option<u8>) -> Option<Notice> {
        let said = self.dialect["delimiter"].as_str().and_then(|text| text.chars().next())?;
        let looks = looks.map(char::from).filter(|looks| *looks != said)?;
        let text = format!(
            "{} says that the fields are divided by `{said}`; the text looks as if by `{looks}`",
            self.name
        );
        Some(Notice::warning(NoticeKind::OtherFiles, text))
    }

    /// Says in the facts what was found, and gives the types of so many columns.
    pub(super) fn settle(self, facts: &mut TableFacts, columns: usize) -> Arc<[ToldType]> {
        let Told { name, crs, columns: told, mut wrong, .. } = self;
        if !facts.header && told.len() == columns {
            facts.names = told.iter().map(|(name, _)| name.clone()).collect();
        }
        let mut types: Vec<ToldType> = told.iter().map(|(_, told)| *told).collect();
        if !types.is_empty() && types.len() != columns {
            wrong.push(format!(
                "tells of another number of columns ({}) than the table has ({columns})",
                types.len()
            ));
            types.clear();
        }
        if types.iter().all(|told| *told == ToldType::Other) {
            types.clear();
        }
        if let Some(crs) = &crs {
            let text = format!("{name} says that the coordinates are in {}", crs.label());
            facts.notices.push(Notice::note(NoticeKind::System, text));
        }
        for why in wrong {
            let text = format!("{name} {why}: that is not used");
            facts.notices.push(Notice::warning(NoticeKind::OtherFiles, text));
        }
        facts.crs = crs;
        types.into()
    }
}

/// True if a value is a text, or a list in which there is one.
fn mentions(value: &Value, text: &str) -> bool {
    value.as_str() == Some(text)
        || value.as_array().is_some_and(|list| list.iter().any(|one| one.as_str() == Some(text)))
}

/// The system that a table conforms to; none if it conforms to something else.
fn system(stated: &Value) -> Option<Result<Crs, String>> {
    if let Some(list) = stated.as_array() {
        return list.iter().find_map(system);
    }
    if let Some(text) = stated["dc:description"].as_str().or(stated["dcterms:description"].as_str())
    {
        return Some(definition::resolve(text).map_err(|error| {
            format!("has a definition of the reference system that cannot be read ({error})")
        }));
    }
    let name = stated.as_str().or(stated["@id"].as_str())?;
    (name.contains("/def/crs") || name.contains(":def:crs")).then(|| {
        crs_of_name(name)
            .map_err(|why| format!("names a reference system that cannot be used, `{name}`: {why}"))
    })
}

/// What a column is called: its title, in any language, or its name.
fn title(column: &Value) -> String {
    let titles = &column["titles"];
    let first = |value: &Value| match value.as_array() {
        Some(list) => list.first().and_then(Value::as_str).map(str::to_string),
        None => value.as_str().map(str::to_string),
    };
    let in_language = titles.as_object().and_then(|map| map.values().find_map(first));
    first(titles)
        .or(in_language)
        .or_else(|| column["name"].as_str().map(str::to_string))
        .unwrap_or_default()
}

/// What the file beside a new table tells.
pub(super) struct SideFile(Value);

impl SideFile {
    /// # Errors
    /// If its system has neither a code nor a definition.
    pub(super) fn of(
        info: &LayerInfo,
        rows: &FeatureRows,
        dialect: &TextDialect,
        delimiter: u8,
    ) -> Result<SideFile> {
        let fields = info.schema.fields();
        let columns: Vec<Value> = rows
            .header
            .iter()
            .enumerate()
            .map(|(at, title)| {
                let datatype = match fields.get(at) {
                    Some(field) => datatype(field),
                    None => of_type(&rows.data_type(at - fields.len())),
                };
                let mut column = json!({ "titles": title, "datatype": datatype });
                if dialect.decimal_comma && matches!(datatype, "double" | "decimal") {
                    column["datatype"] =
                        json!({ "base": datatype, "format": { "decimalChar": "," } });
                }
                column
            })
            .collect();
        let mut document = json!({
            "@context": VOCABULARY,
            "url": "",
            "dialect": {
                "delimiter": char::from(delimiter).to_string(),
                "encoding": "utf-8",
                "header": true,
                "quoteChar": "\"",
            },
            "tableSchema": { "columns": columns },
        });
        if let Some(crs) = &info.crs {
            document["dc:conformsTo"] = conforms(crs)?;
        }
        Ok(SideFile(document))
    }

    /// Writes it beside its table.
    pub(super) fn write(&self, table: &Path) -> Result<PathBuf> {
        let path = side_file(table);
        let mut document = self.0.clone();
        let name = table.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        document["url"] = name.into();
        let mut text = serde_json::to_string_pretty(&document).unwrap_or_default();
        text.push('\n');
        let written = new_file(&path)?.write_all(text.as_bytes());
        written.map_err(|e| Error::file(&path, "cannot be written", e))?;
        Ok(path)
    }
}

fn conforms(crs: &Crs) -> Result<Value> {
    if let Some(code) = crs.code() {
        return Ok(json!({ "@id": address_of(code) }));
    }
    let text = definition::wkt2(crs).ok_or_else(|| {
        Error::usage(format!(
            "{} has no definition that the file beside the table could hold: write it without one",
            crs.label()
        ))
    })?;
    Ok(json!({ "@type": "dc:Standard", "dc:title": crs.name(), "dc:description": text }))
}

fn datatype(field: &Field) -> &'static str {
    match (declared(field), field.data_type()) {
        ("DATE", DataType::Utf8) => "date",
        ("DATETIME", DataType::Utf8) => "dateTime",
        ("TIME", DataType::Utf8) => "time",
        (_, kind) => of_type(kind),
    }
}

fn of_type(kind: &DataType) -> &'static str {
    match kind {
        DataType::Boolean => "boolean",
        kind if kind.is_integer() => "integer",
        kind if kind.is_floating() => "double",
        DataType::Date32 | DataType::Date64 => "date",
        DataType::Timestamp(..) => "dateTime",
        DataType::Time32(_) | DataType::Time64(_) => "time",
        DataType::Binary | DataType::LargeBinary => "hexBinary",
        _ => "string",
    }
}
