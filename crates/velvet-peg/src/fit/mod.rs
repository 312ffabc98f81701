//! Common points: places that are known in two planes, read from a table, and one plane fitted to the
//! other by them.

mod site;

pub use site::site_system;
pub use velvet_peg_core::fit::{CommonPoint, Fit, FitFigure, FitKind, Mapping, Residual, fit};

use crate::error::{Error, Result};
use crate::layer::column_names::{list, position};
use crate::table::{Found, Notation, NumberFormat, TableFile, read_pair};
use csv::StringRecord;
use velvet_peg_core::Crs;

/// A common point and what it is called.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedPoint {
    /// Its name, or the number of its row.
    pub name: String,
    /// Row of the table, the header being row 1.
    pub row: u64,
    /// Where it is in both planes.
    pub point: CommonPoint,
}

/// The columns of common points: of each plane two, by name; found by their usual names where none are
/// given.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CommonColumns {
    /// Columns of the plane that is carried.
    pub from: Option<(String, String)>,
    /// Columns of the other: easting and northing, or longitude and latitude.
    pub to: Option<(String, String)>,
}

/// Usual names of columns of pixels.
pub const PIXEL_NAMES: &[(&str, &str)] = &[
    ("column", "row"),
    ("col", "row"),
    ("pixel", "line"),
    ("sample", "line"),
    ("px", "py"),
    ("pixel_x", "pixel_y"),
    ("image_x", "image_y"),
];

/// Usual names of columns of a site's own coordinates.
pub const SITE_NAMES: &[(&str, &str)] = &[
    ("site_x", "site_y"),
    ("local_x", "local_y"),
    ("site_e", "site_n"),
    ("local_e", "local_n"),
    ("x", "y"),
];

/// Usual names of columns of known coordinates.
const KNOWN_NAMES: &[(&str, &str)] = &[
    ("easting", "northing"),
    ("east", "north"),
    ("e", "n"),
    ("known_x", "known_y"),
    ("longitude", "latitude"),
    ("lon", "lat"),
    ("x", "y"),
];

/// Reads common points. `names` are the usual ones of the plane that is carried; `crs` is the system of
/// the other.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("control.csv");
/// use velvet_peg::fit::{CommonColumns, PIXEL_NAMES, common_points};
/// use velvet_peg::table::{TableFile, TableOptions};
/// std::fs::write(&path, "point,pixel,line,easting,northing\nA,10.5,20.5,500000,5250000\n")?;
/// let table = TableFile::open(&path, &TableOptions::default())?;
/// let crs = velvet_peg::Crs::from_epsg(32611)?;
/// let points = common_points(&table, &CommonColumns::default(), PIXEL_NAMES, &crs)?;
/// assert_eq!((points[0].name.as_str(), points[0].point.from), ("A", (10.5, 20.5)));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If columns are missing or not found by their names, or a row cannot be read: a fit takes all points or
/// none.
pub fn common_points(
    table: &TableFile,
    columns: &CommonColumns,
    names: &[(&str, &str)],
    crs: &Crs,
) -> Result<Vec<NamedPoint>> {
    let mut reader = table.rows()?;
    let headers = reader.columns().to_vec();
    let here = |error: Error| error.in_file(table.path());
    let from = pair(&headers, columns.from.as_ref(), names, &[]).map_err(here)?;
    let to = pair(&headers, columns.to.as_ref(), KNOWN_NAMES, &[from.0, from.1]).map_err(here)?;
    let numbers = NumberFormat::default();
    let found = |(x, y): (usize, usize)| Found { x, y, z: None, numbers };
    let label = (0..headers.len()).find(|at| ![from.0, from.1, to.0, to.1].contains(at));
    let mut points: Vec<NamedPoint> = Vec::new();
    let mut record = StringRecord::new();
    while reader.read(&mut record)? {
        let row = reader.row();
        let failed = |text: String| here(Error::data(text).in_row(row));
        if let Some(why) = reader.misfit(&record) {
            return Err(failed(why.text));
        }
        let plane = |at, crs| {
            read_pair(&record, &found(at), crs, Notation::Detected)
                .map(|(x, y, _)| (x, y))
                .map_err(|why| failed(why.text))
        };
        let point = CommonPoint { from: plane(from, None)?, to: plane(to, Some(crs))? };
        let name =
            label.and_then(|at| record.get(at)).map(str::trim).filter(|name| !name.is_empty());
        let name = name.map_or_else(|| row.to_string(), str::to_string);
        points.push(NamedPoint { name, row, point });
    }
    Ok(points)
}

/// Fits a mapping to points of a table; see [`fit()`].
///
/// # Errors
/// As [`fit()`], in the file of the table.
pub fn fit_points(
    table: &TableFile,
    points: &[NamedPoint],
    kind: FitKind,
    mirrored: bool,
) -> Result<Fit> {
    let pairs: Vec<CommonPoint> = points.iter().map(|named| named.point).collect();
    fit(kind, &pairs, mirrored).map_err(|error| Error::from(error).in_file(table.path()))
}

/// The columns of a plane: those named, or those with usual names.
fn pair(
    headers: &[String],
    named: Option<&(String, String)>,
    usual: &[(&str, &str)],
    taken: &[usize],
) -> Result<(usize, usize)> {
    if let Some((x, y)) = named {
        return Ok((position(headers, x, None)?, position(headers, y, None)?));
    }
    let place =
        |name: &str| headers.iter().position(|header| header.trim().eq_ignore_ascii_case(name));
    let found = usual.iter().find_map(|(x, y)| {
        let pair = (place(x)?, place(y)?);
        (!taken.contains(&pair.0) && !taken.contains(&pair.1)).then_some(pair)
    });
    found.ok_or_else(|| {
        let usual: Vec<String> = usual.iter().map(|(x, y)| format!("{x} and {y}")).collect();
        Error::usage(format!(
            "no columns have usual names ({}): name them; the columns are {}",
            usual.join(", "),
            list(headers)
        ))
    })
}
