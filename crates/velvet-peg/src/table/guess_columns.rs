//! Finding the coordinate columns of a table by themselves: by their names, in several
//! languages, or by their values. Where two answers are plausible, none is given.

use super::number_format::NumberFormat;
use crate::layer::column_names::list;
use csv::StringRecord;
use velvet_peg_core::{Converter, Coordinate, Crs};

/// What a name says of a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Role {
    Longitude,
    Latitude,
    Easting,
    Northing,
    X,
    Y,
}

/// Names as they are written without blanks, marks and capitals.
const NAMES: [(Role, &[&str]); 6] = [
    (
        Role::Longitude,
        &[
            "lon",
            "long",
            "lng",
            "longitude",
            "londd",
            "longdd",
            "gpslongitude",
            "längengrad",
            "laengengrad",
            "länge",
            "laenge",
            "geolänge",
            "longitud",
            "longitudine",
            "lengdegrad",
            "længdegrad",
            "longitud",
            "lengtegraad",
            "długość",
            "délka",
            "hosszúság",
            "pituus",
            "долгота",
            "довгота",
            "경도",
            "経度",
            "经度",
            "經度",
        ],
    ),
    (
        Role::Latitude,
        &[
            "lat",
            "latitude",
            "latdd",
            "gpslatitude",
            "breitengrad",
            "breite",
            "geobreite",
            "latitud",
            "latitudine",
            "breddegrad",
            "breedtegraad",
            "szerokość",
            "šířka",
            "szélesség",
            "leveys",
            "широта",
            "위도",
            "緯度",
            "纬度",
        ],
    ),
    (
        Role::Easting,
        &[
            "e",
            "east",
            "easting",
            "eastings",
            "eastingm",
            "eastingft",
            "rechtswert",
            "ostwert",
            "este",
            "est",
            "utme",
            "utmx",
            "utmeasting",
            "coordenadax",
            "abscisse",
            "øst",
            "öst",
        ],
    ),
    (
        Role::Northing,
        &[
            "n",
            "north",
            "northing",
            "northings",
            "northingm",
            "northingft",
            "hochwert",
            "nordwert",
            "norte",
            "nord",
            "utmn",
            "utmy",
            "utmnorthing",
            "coordenaday",
            "ordonnée",
            "ordonnee",
        ],
    ),
    (Role::X, &["x", "xcoord", "coordx", "pointx", "xcoordinate", "xkoordinate"]),
    (Role::Y, &["y", "ycoord", "coordy", "pointy", "ycoordinate", "ykoordinate"]),
];

/// True if the names of two columns say that the first is the latitude or northing and the second the
/// longitude or easting.
pub(crate) fn are_reversed(first: &str, second: &str) -> bool {
    let is = |header: &str, roles: [Role; 2]| {
        NAMES.iter().any(|(role, names)| roles.contains(role) && fit(header, names) == 3)
    };
    is(first, [Role::Latitude, Role::Northing]) && is(second, [Role::Longitude, Role::Easting])
}

/// The columns that are named longitude and latitude, if one of each is.
pub(crate) fn degree_columns(headers: &[String]) -> Option<(usize, usize)> {
    let only = |wanted: Role| {
        let (_, names) = NAMES.iter().find(|(role, _)| *role == wanted)?;
        let mut found = (0..headers.len()).filter(|at| fit(&headers[*at], names) == 3);
        let first = found.next()?;
        found.next().is_none().then_some(first)
    };
    Some((only(Role::Longitude)?, only(Role::Latitude)?))
}

/// A pair of columns and why they were taken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Likely {
    pub(crate) x: usize,
    pub(crate) y: usize,
    pub(crate) why: String,
}

/// What is longer, in bytes, is a text and no name of a coordinate.
const LONGEST_NAME: usize = 200;

/// How well a name fits a role: 3 exactly, 2 by one of its words, 1 by its beginning.
fn fit(header: &str, names: &[&str]) -> u8 {
    if header.len() > LONGEST_NAME {
        return 0;
    }
    let plain: String =
        header.chars().filter(|c| c.is_alphanumeric()).collect::<String>().to_lowercase();
    if names.contains(&plain.as_str()) {
        return 3;
    }
    let mut words: Vec<String> = Vec::new();
    let mut before = ' ';
    for c in header.chars() {
        let begins = !c.is_alphanumeric() || (c.is_uppercase() && before.is_lowercase());
        if begins || words.is_empty() {
            words.push(String::new());
        }
        if let Some(word) = words.last_mut().filter(|_| c.is_alphanumeric()) {
            word.extend(c.to_lowercase());
        }
        before = c;
    }
    let long = |name: &str| name.chars().count() >= 3;
    if words.iter().any(|word| names.contains(&word.as_str()) && long(word)) {
        return 2;
    }
    u8::from(names.iter().any(|name| name.len() >= 5 && plain.starts_with(name)))
}

/// True for a header that names a longitude or a latitude.
pub(crate) fn is_named_angle(header: &str) -> bool {
    let most = |angular: bool| {
        let roles = NAMES
            .iter()
            .filter(|(role, _)| matches!(role, Role::Longitude | Role::Latitude) == angular);
        roles.map(|(_, names)| fit(header, names)).max().unwrap_or(0)
    };
    most(true) > most(false)
}

/// The coordinate columns of a table. `degrees` says whether the system counts degrees, and `crs`
/// which it is, if that is known.
///
/// The error says what is in the way, and lists the columns.
pub(crate) fn likely(
    headers: &[String],
    rows: &[StringRecord],
    numbers: &NumberFormat,
    degrees: Option<bool>,
    crs: Option<&Crs>,
) -> Result<Likely, String> {
    let best = |role: Role| -> Vec<usize> {
        let names = NAMES.iter().find(|(of, _)| *of == role).map_or(&[][..], |(_, names)| names);
        let fits: Vec<u8> = headers.iter().map(|header| fit(header, names)).collect();
        let most = fits.iter().copied().max().unwrap_or(0);
        (0..headers.len()).filter(|at| most > 0 && fits[*at] == most).collect()
    };
    let ask = |what: String| Err(what);
    let show = |at: usize| format!("`{}`", headers[at]);
    let mut pairs: Vec<(usize, usize, bool)> = Vec::new();
    // A column that lacks its partner.
    let mut half = None;
    for (x_role, y_role, angular) in [
        (Role::Longitude, Role::Latitude, true),
        (Role::Easting, Role::Northing, false),
        (Role::X, Role::Y, false),
    ] {
        let (xs, ys) = (best(x_role), best(y_role));
        match (xs.as_slice(), ys.as_slice()) {
            ([], []) => {}
            ([], [one, ..]) | ([one, ..], []) => half = half.or(Some(*one)),
            // One column whose name holds both.
            ([x], [y]) if x == y => {}
            ([x], [y]) => pairs.push((*x, *y, angular)),
            (xs, ys) => {
                let all: Vec<String> = xs.iter().chain(ys).map(|at| show(*at)).collect();
                if pairs.is_empty() {
                    return ask(format!(
                        "several columns are named like coordinates ({})",
                        all.join(", ")
                    ));
                }
            }
        }
    }
    // A pair of the right sort outdoes the others.
    if let Some(degrees) = degrees
        && pairs.len() > 1
    {
        pairs.sort_by_key(|(.., angular)| *angular != degrees);
        let sort = pairs[0].2;
        if sort == degrees {
            pairs.retain(|(.., angular)| *angular == sort);
        }
    }
    match pairs.as_slice() {
        [(x, y, _)] => Ok(Likely { x: *x, y: *y, why: "by their names".to_string() }),
        [] => by_values(headers, rows, numbers, degrees, crs).map_err(|why| match half {
            Some(at) => {
                format!("{} is named like a coordinate, but none like its partner; {why}", show(at))
            }
            None => why,
        }),
        several => {
            let texts: Vec<String> =
                several.iter().map(|(x, y, _)| format!("{} and {}", show(*x), show(*y))).collect();
            ask(format!("there are coordinates in {}", texts.join(", and in ")))
        }
    }
}

/// Rows that are enough to judge values by.
const ENOUGH: usize = 3;

/// What the values of one column are like.
struct Figures {
    at: usize,
    low: f64,
    high: f64,
    /// Some have at least three digits behind the point.
    fine: bool,
}

/// Which of two columns holds the easting: the one with which nearly every row lies in the area of
/// the system, if with the other nearly none does.
fn by_area(
    rows: &[StringRecord],
    numbers: &NumberFormat,
    crs: Option<&Crs>,
    columns: (usize, usize),
) -> Option<(usize, usize)> {
    let home = crs?.in_degrees()?;
    let converter = Converter::new(crs?, &home).ok()?;
    let lies = |x: f64, y: f64| {
        converter.convert(Coordinate::xy(x, y)).is_ok_and(|at| {
            let at = home.from_greenwich(at);
            crs.is_some_and(|crs| crs.extent().contains(at))
        })
    };
    let inside = |x: usize, y: usize| {
        let value = |row: &StringRecord, at| -> Option<f64> {
            row.get(at).and_then(|cell| numbers.plain(cell.trim()).parse().ok())
        };
        let places: Vec<(f64, f64)> =
            rows.iter().filter_map(|row| Some((value(row, x)?, value(row, y)?))).collect();
        let within = places.iter().filter(|(x, y)| lies(*x, *y)).count();
        within as f64 / places.len().max(1) as f64
    };
    let (a, b) = columns;
    match (inside(a, b), inside(b, a)) {
        (one, other) if one >= 0.9 && other <= 0.1 => Some((a, b)),
        (one, other) if one <= 0.1 && other >= 0.9 => Some((b, a)),
        _ => None,
    }
}

fn by_values(
    headers: &[String],
    rows: &[StringRecord],
    numbers: &NumberFormat,
    degrees: Option<bool>,
    crs: Option<&Crs>,
) -> Result<Likely, String> {
    let none =
        || Err(format!("no column is named like a coordinate; the columns are {}", list(headers)));
    if rows.len() < ENOUGH {
        return none();
    }
    let figures: Vec<Figures> = (0..headers.len())
        .filter_map(|at| {
            let cells: Vec<&str> = rows
                .iter()
                .filter_map(|row| row.get(at))
                .map(str::trim)
                .filter(|cell| !cell.is_empty())
                .collect();
            let values: Vec<f64> =
                cells.iter().filter_map(|cell| numbers.plain(cell).parse().ok()).collect();
            if cells.len() * 2 < rows.len() || values.len() * 10 < cells.len() * 9 {
                return None;
            }
            let fine = cells.iter().any(|cell| {
                let plain = numbers.plain(cell).into_owned();
                plain.split_once('.').is_some_and(|(_, digits)| digits.len() >= 3)
            });
            let low = values.iter().copied().fold(f64::INFINITY, f64::min);
            let high = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            Some(Figures { at, low, high, fine })
        })
        .collect();
    let within = |f: &Figures, low: f64, high: f64| f.low >= low && f.high <= high;
    let mut found: Option<Likely> = None;
    if degrees != Some(false) {
        let angles: Vec<&Figures> =
            figures.iter().filter(|f| f.fine && within(f, -180.0, 180.0)).collect();
        if let [a, b] = angles.as_slice() {
            let latitude = |f: &Figures| within(f, -90.0, 90.0);
            let (x, y) = match (latitude(a), latitude(b)) {
                (false, true) => (a, b),
                (true, false) => (b, a),
                (false, false) => return none(),
                (true, true) => {
                    return Err(format!(
                        "`{}` and `{}` look like degrees, but either could be the latitude",
                        headers[a.at], headers[b.at]
                    ));
                }
            };
            let why = format!(
                "by their values: `{}` from {} to {} can only be longitude, `{}` from {} to {} \
                 latitude",
                headers[x.at], x.low, x.high, headers[y.at], y.low, y.high
            );
            found = Some(Likely { x: x.at, y: y.at, why });
        }
    }
    if found.is_none() && degrees != Some(true) {
        let grid: Vec<&Figures> =
            figures.iter().filter(|f| f.low >= 1e5 && f.high <= 1.1e7).collect();
        if let [a, b] = grid.as_slice() {
            // In a zone eastings have six digits, most northings have seven.
            let easting = |f: &Figures| within(f, 1e5, 1e6);
            if let Some((x, y)) = by_area(rows, numbers, crs, (a.at, b.at)) {
                let why = format!(
                    "because only so they lie where {} is used",
                    crs.map_or(String::new(), Crs::label)
                );
                return Ok(Likely { x, y, why });
            }
            let known = crs.is_some();
            // Of columns without names the first is a northing in most point files, whose grids in
            // feet have six digits northward and seven eastward: digits do not outweigh that.
            let unnamed = headers[a.at] == format!("column_{}", a.at + 1);
            let (x, y) = match (easting(a) && !known, easting(b) && !known) {
                (true, false) if !unnamed => (a, b),
                (false, true) => (b, a),
                _ => {
                    return Err(format!(
                        "`{}` and `{}` look like grid coordinates, but either could be the \
                         easting",
                        headers[a.at], headers[b.at]
                    ));
                }
            };
            let why = format!(
                "by their values: `{}` has the six digits of an easting, `{}` the seven of a \
                 northing",
                headers[x.at], headers[y.at]
            );
            found = Some(Likely { x: x.at, y: y.at, why });
        }
    }
    found.map_or_else(none, Ok)
}
