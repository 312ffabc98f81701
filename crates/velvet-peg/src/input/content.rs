//! What a file is by its first bytes, where its name says something else.

#[cfg(feature = "rasters")]
use super::raster_format::RasterFormat;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::FileStart;
use std::path::Path;

/// Files that are known by their first bytes: where these stand, what the file is, the formats that
/// it may be, and what to do with it otherwise.
type Known = (usize, &'static [u8], &'static str, &'static [&'static str], &'static str);

const UNPACK: &str = "unpack it first";
const PICTURE: &str = "data cannot be read from it";

static KNOWN: &[Known] = &[
    (
        0,
        b"SQLite format 3\0",
        "a database (SQLite)",
        &["GeoPackage"],
        "call it .gpkg if it is a GeoPackage",
    ),
    (0, b"PAR1", "a Parquet file", &["GeoParquet"], "call it .parquet"),
    (0, b"fgb", "FlatGeobuf", &["FlatGeobuf"], "call it .fgb"),
    (
        0,
        b"PK\x03\x04",
        "a zip archive",
        &["workbook"],
        "call it .zip, or .xlsx if it is a workbook",
    ),
    (
        0,
        b"\xd0\xcf\x11\xe0",
        "an older office document",
        &["workbook"],
        "call it .xls if it is a workbook",
    ),
    (
        0,
        b"\0\0\x27\x0a",
        "the shapes of a Shapefile",
        &["Shapefile"],
        "call it .shp, with its .dbf beside it",
    ),
    (
        0,
        b"%PDF",
        "a PDF document",
        &[],
        "ask for the data that it was made from, or save its table as CSV",
    ),
    (0, b"AC10", "a drawing in a binary form without an open specification", &[], "save it as DXF"),
    (
        4,
        b"Standard Jet DB",
        "a desktop database without an open specification",
        &[],
        "save its tables as CSV",
    ),
    (
        4,
        b"Standard ACE DB",
        "a desktop database without an open specification",
        &[],
        "save its tables as CSV",
    ),
    (0, b"LASF", "a point cloud", &[], "save its points as CSV"),
    (0, b"ARROW1", "an Arrow file", &["Arrow"], "call it .arrow"),
    (0, b"7z\xbc\xaf", "an archive", &[], UNPACK),
    (0, b"Rar!", "an archive", &[], UNPACK),
    (0, b"BZh", "a packed file", &[], UNPACK),
    (0, b"\xfd7zXZ", "a packed file", &[], UNPACK),
    (257, b"ustar", "an archive", &[], UNPACK),
    (0, b"\x89PNG", "a picture", &[], PICTURE),
    (0, b"\xff\xd8\xff", "a picture", &[], PICTURE),
    (0, b"GIF8", "a picture", &[], PICTURE),
    (0, b"II*\0", "a picture", &[], PICTURE),
    (0, b"MM\0*", "a picture", &[], PICTURE),
];

/// The error of a folder.
pub(super) fn folder(path: &Path) -> Error {
    let database = std::fs::read_dir(path).is_ok_and(|mut files| {
        files.any(|file| {
            file.is_ok_and(|file| file.path().extension().is_some_and(|e| e == "gdbtable"))
        })
    });
    let what = match database {
        true => {
            "is a folder that holds a database in a form without an open specification: save its \
             layers as GeoPackage or Shapefiles"
        }
        false => "is a folder, not a file of data",
    };
    Error::data(what).in_file(path)
}

/// Refuses rasters, and what is called one and is none.
#[cfg(feature = "rasters")]
pub(super) fn refuse_raster(path: &Path, bytes: &[u8]) -> Result<()> {
    // A name that says a layer or a table is dealt with by what it says.
    if Format::of(path).is_ok() {
        return Ok(());
    }
    let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
    let text = match (RasterFormat::of_bytes(bytes), RasterFormat::of_extension(extension)) {
        (Some(raster), _) => {
            format!(
                "is a raster ({raster}): an image or a grid has pixels, and neither features nor rows"
            )
        }
        // Point files are called .asc, too.
        (None, Some(named)) if named != RasterFormat::AsciiGrid => {
            format!("is called a raster ({named}), and is none by its first bytes")
        }
        (None, _) => return Ok(()),
    };
    Err(Error::data(text).in_file(path))
}

/// Refuses a file that is not what its name says, or of no kind that is read here.
///
/// # Errors
/// With what it is, and what to do.
pub(super) fn refuse_foreign(path: &Path, format: Format, start: &FileStart<'_>) -> Result<()> {
    let bytes = start.bytes;
    let refused = |what: &str, advice: &str| {
        // A name that says nothing is not contradicted.
        let not = match Format::of(path) {
            Ok(format) => format!(", not {}", with_article(format)),
            Err(_) => String::new(),
        };
        Err(Error::data(format!("is {what} by its first bytes{not}: {advice}")).in_file(path))
    };
    #[cfg(feature = "rasters")]
    refuse_raster(path, bytes)?;
    let is =
        |(at, magic, ..): &&Known| bytes.get(*at..).is_some_and(|from| from.starts_with(magic));
    if let Some((_, _, what, formats, advice)) = KNOWN.iter().find(is) {
        return match formats.contains(&format.name()) {
            true => Ok(()),
            false => refused(what, advice),
        };
    }
    let text = start.text;
    let begins =
        |word: &str| text.get(..word.len()).is_some_and(|start| start.eq_ignore_ascii_case(word));
    if begins("<!doctype html") || begins("<html") {
        let advice = "was a download refused, or is a login needed? Save the data file itself";
        return refused("a web page", advice);
    }
    if let Some(why) = refusal_of_service(text) {
        return Err(
            Error::data(format!("is the refusal of a service, not data: {why}")).in_file(path)
        );
    }
    // A name that many forms of XML have says as little as that of a text.
    let any_xml = format.is_any_xml();
    let itself = format.description().begins_like(start);
    if !format.is_text_table() && (!any_xml || itself) {
        return Ok(());
    }
    let found = Format::recognised(start);
    if found != format && !(any_xml && found.is_text_table()) {
        let advice = format!("call it .{}", found.capability().extensions[0]);
        return refused(&with_article(found), &advice);
    }
    if begins("<?xml") || (any_xml && begins("<")) {
        let root = root_of(text).unwrap_or("nothing");
        return refused(
            &format!("XML with the root element `{root}`"),
            "save it in a form that is read, such as .gpkg, .geojson or .csv",
        );
    }
    let control =
        |c: &char| c.is_control() && !matches!(c, '\t' | '\r' | '\n' | '\u{c}' | '\u{1a}');
    let controls = text.chars().filter(control).count();
    if controls > 2 && controls * 10 > text.chars().count() {
        return refused("a binary file", "save it as text, such as CSV");
    }
    Ok(())
}

/// The name of a format in a sentence.
fn with_article(format: Format) -> String {
    match format.name() {
        name @ ("Shapefile" | "GeoPackage" | "workbook" | "DBF table") => format!("a {name}"),
        name => name.to_string(),
    }
}

/// Why a service refused what was asked of it (OGC 06-121r9, OGC 01-068r3), if that is what a text
/// says.
fn refusal_of_service(text: &str) -> Option<String> {
    root_of(text).filter(|root| root.ends_with("ExceptionReport"))?;
    let from = text.find("ExceptionText").or_else(|| text.find("<ServiceException "))?;
    let inner = text[from..].split('>').nth(1)?.split('<').next()?;
    Some(inner.split_whitespace().collect::<Vec<_>>().join(" "))
}

/// The name of the outermost element, without that of its space.
fn root_of(text: &str) -> Option<&str> {
    let mut rest = text;
    loop {
        rest = &rest[rest.find('<')? + 1..];
        if rest.starts_with(['?', '!']) {
            continue;
        }
        let end = rest.find(|c: char| c.is_whitespace() || matches!(c, '>' | '/'))?;
        let name = &rest[..end];
        return Some(name.split_once(':').map_or(name, |(_, name)| name));
    }
}
