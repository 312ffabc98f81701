//! Writing well-known text 1, OGC 01-009: as the standard has it, and as the files beside
//! Shapefiles spell it.

use super::names::{method_word, parameter_word};
use super::wkt2::{inverse_flattening, quoted, unit_name};
use crate::crs::{Axis, AxisUnit, Conversion, Crs, Datum, Height};
use crate::projection::Quantity;
use crate::unit::LengthUnit;
use velvet_peg_epsg::CrsKind;

/// How names and identifiers are spelt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Spelling {
    /// As OGC 01-009 has it, with axes and authority codes.
    Standard,
    /// As `.prj` files beside Shapefiles have it: `GCS_` and `D_` before names, underscores
    /// for spaces, no axes, no codes.
    SideFile,
}

/// The system as OGC 01-009 well-known text in a spelling; none for kinds that the standard
/// has no words for.
pub fn write(crs: &Crs, spelling: Spelling) -> Option<String> {
    match crs.kind() {
        CrsKind::Geographic2D | CrsKind::Geographic3D => geographic(crs, spelling),
        CrsKind::Geocentric => {
            let unit = crs.length_unit()?;
            Some(format!(
                "GEOCCS[{},{},{}{}{}]",
                name(crs.name(), spelling, ""),
                frame(crs.datum()?, spelling),
                length(&unit, spelling),
                axes(crs.axes(), spelling),
                authority(crs.code(), spelling)
            ))
        }
        // The standard has no words for a plane that is turned.
        CrsKind::Projected if crs.derived().is_some() => None,
        CrsKind::Projected => {
            let conversion = crs.conversion()?;
            let base = crs.base()?;
            let unit = crs.length_unit()?;
            let angle = base.degrees_per_unit()?;
            let (word, parameters) = projection(conversion, angle, &unit, spelling)?;
            Some(format!(
                "PROJCS[{},{},PROJECTION[\"{word}\"]{parameters},{}{}{}]",
                name(crs.name(), spelling, ""),
                geographic(&base, spelling)?,
                length(&unit, spelling),
                axes(crs.axes(), spelling),
                authority(crs.code(), spelling)
            ))
        }
        CrsKind::Vertical => {
            let Height::GravityRelated(vertical) = crs.height() else { return None };
            Some(format!(
                "VERT_CS[{},VERT_DATUM[{},2005{}],{}{}{}]",
                name(crs.name(), spelling, ""),
                name(&vertical.datum_name, spelling, ""),
                authority(vertical.datum_code, spelling),
                length(&vertical.unit, spelling),
                // Without its axis a depth would be taken for a height.
                axes(crs.axes(), if vertical.down { Spelling::Standard } else { spelling }),
                authority(crs.code(), spelling)
            ))
        }
        CrsKind::Compound => {
            let Height::GravityRelated(vertical) = crs.height() else { return None };
            let vertical = Crs::from_epsg(vertical.code?).ok()?;
            Some(format!(
                "COMPD_CS[{},{},{}{}]",
                name(crs.name(), spelling, ""),
                write(&crs.horizontal()?, spelling)?,
                write(&vertical, spelling)?,
                authority(crs.code(), spelling)
            ))
        }
        CrsKind::Engineering => {
            // Its name is all that tells it from another: not a letter is changed.
            let local = quoted(crs.name());
            let unit = crs.axes().first().and_then(Axis::length);
            let unit = unit.map_or(String::new(), |unit| format!(",{}", length(&unit, spelling)));
            // Type 0 is a datum of which nothing is known.
            Some(format!(
                "LOCAL_CS[{local},LOCAL_DATUM[{local},0]{unit}{}]",
                axes(crs.axes(), Spelling::Standard)
            ))
        }
        CrsKind::Derived => None,
    }
}

fn geographic(crs: &Crs, spelling: Spelling) -> Option<String> {
    let unit = match crs.axes().first()?.unit {
        AxisUnit::Angle(unit) => unit,
        _ => return None,
    };
    let radians = match unit.code() {
        9102 | 9122 => 0.0174532925199433,
        _ => unit.degrees().to_radians(),
    };
    let word = match (unit.code(), spelling) {
        (9102 | 9122, Spelling::SideFile) => "Degree",
        (9102 | 9122, Spelling::Standard) => "degree",
        (9105, Spelling::SideFile) => "Grad",
        _ => unit.name(),
    };
    let datum = crs.datum()?;
    Some(format!(
        "GEOGCS[{},{},UNIT[\"{word}\",{radians}]{}{}]",
        match (spelling, crs.code().and_then(side_file_words)) {
            (Spelling::SideFile, Some(system)) => format!("\"{system}\""),
            _ => name(crs.name(), spelling, "GCS_"),
        },
        frame_in(datum, spelling, unit.degrees()),
        axes(crs.axes().get(..2)?, spelling),
        authority(crs.code(), spelling)
    ))
}

fn frame(datum: &Datum, spelling: Spelling) -> String {
    frame_in(datum, spelling, 1.0)
}

/// How a datum of one's own lies to WGS 84; the files beside Shapefiles have no word for it.
fn towgs84(datum: &Datum, spelling: Spelling) -> String {
    match (datum.shift_to_wgs84(), spelling) {
        (Some(shift), Spelling::Standard) => {
            format!(",TOWGS84[{}]", shift.map(|value| value.to_string()).join(","))
        }
        _ => String::new(),
    }
}

/// Datum and prime meridian; the meridian's longitude in the unit of the system.
fn frame_in(datum: &Datum, spelling: Spelling, degrees: f64) -> String {
    let ellipsoid = datum.ellipsoid();
    let meridian = datum.prime_meridian();
    // Readers of OGC 01-009 know no ensembles: their name is that of the datum.
    let datum_name = datum.name().trim_end_matches(" ensemble");
    format!(
        "DATUM[{},SPHEROID[{},{},{}{}]{}{}],PRIMEM[{},{}{}]",
        match (spelling, datum.code().and_then(side_file_datum)) {
            (Spelling::SideFile, Some(word)) => format!("\"{word}\""),
            _ => name(datum_name, spelling, "D_"),
        },
        name(datum.ellipsoid_name(), spelling, ""),
        ellipsoid.semi_major_m(),
        inverse_flattening(ellipsoid),
        authority(ellipsoid.code(), spelling),
        towgs84(datum, spelling),
        authority(datum.code(), spelling),
        name(&meridian.name, spelling, ""),
        meridian.longitude_deg / degrees,
        authority(meridian.code, spelling)
    )
}

/// The word of the method and the list of parameters: angles in the unit of the geographic
/// system, lengths in that of the projected one.
fn projection(
    conversion: &Conversion,
    angle: f64,
    unit: &LengthUnit,
    spelling: Spelling,
) -> Option<(String, String)> {
    let mut word = method_word(conversion.method_code)?;
    let side_file = spelling == Spelling::SideFile;
    let mut list = Vec::new();
    for parameter in conversion.parameters.iter() {
        let value = match parameter.quantity {
            Quantity::Angle(degrees) => degrees / angle,
            // Lengths are in the unit of the axes; kept as printed where that is it.
            Quantity::Length(metres) => match parameter.printed {
                Some((printed, code)) if code == unit.code() => printed.to_f64(),
                _ => metres / unit.metres(),
            },
            Quantity::Scale(ratio) => ratio,
            Quantity::Rate(_) | Quantity::File(_) => return None,
        };
        list.push((parameter_word(parameter.code)?, value));
    }
    let value = |list: &[(String, f64)], wanted: &str| {
        list.iter().find(|(word, _)| word == wanted).map(|(_, value)| *value)
    };
    match conversion.method_code {
        // The standard has one word for both variants: the latitude of origin is then the
        // parallel of true scale.
        9829 => {
            word = "Polar_Stereographic".into();
            for (name, _) in &mut list {
                if name == "standard_parallel_1" {
                    *name = "latitude_of_origin".into();
                } else if name == "longitude_of_center" {
                    *name = "central_meridian".into();
                }
            }
            list.push(("scale_factor".into(), 1.0));
        }
        9801 if side_file => {
            word = "Lambert_Conformal_Conic".into();
            let origin = value(&list, "latitude_of_origin")?;
            list.push(("standard_parallel_1".into(), origin));
        }
        // No word of the standard has two latitudes; the side files' does.
        1102 => {
            word = "Lambert_Conformal_Conic".into();
            for ((name, _), parameter) in list.iter_mut().zip(conversion.parameters.iter()) {
                if parameter.code == 8801 {
                    *name = "standard_parallel_1".into();
                }
            }
        }
        9802 if side_file => word = "Lambert_Conformal_Conic".into(),
        9804 | 9805 if side_file => {
            word = "Mercator".into();
            if conversion.method_code == 9804 {
                list.retain(|(name, _)| name != "latitude_of_origin");
            }
        }
        9822 if side_file => word = "Albers".into(),
        9809 if side_file => word = "Double_Stereographic".into(),
        9806 if side_file => word = "Cassini".into(),
        9812 if side_file => word = "Hotine_Oblique_Mercator_Azimuth_Natural_Origin".into(),
        9815 if side_file => word = "Hotine_Oblique_Mercator_Azimuth_Center".into(),
        _ => {}
    }
    let parameters = list
        .into_iter()
        .map(|(word, value)| {
            let word = if side_file { capitalised(&word) } else { word };
            format!(",PARAMETER[\"{word}\",{value}]")
        })
        .collect();
    Some((word, parameters))
}

fn capitalised(word: &str) -> String {
    word.split('_')
        .map(|part| {
            let mut characters = part.chars();
            let first = characters.next().map(|c| c.to_uppercase().to_string());
            first.unwrap_or_default() + characters.as_str()
        })
        .collect::<Vec<_>>()
        .join("_")
}

fn length(unit: &LengthUnit, spelling: Spelling) -> String {
    let word = match (unit.code(), spelling) {
        (9001, Spelling::SideFile) => "Meter",
        (9002, Spelling::SideFile) => "Foot",
        (9003, Spelling::SideFile) => "Foot_US",
        _ => unit_name(unit),
    };
    format!("UNIT[\"{word}\",{}{}]", unit.metres(), {
        let code = Some(unit.code()).filter(|code| *code != 0);
        authority(code, spelling)
    })
}

/// Words that readers of side files look for, of the systems met most.
const SIDE_FILE_WORDS: &[(u32, u32, &str, &str)] = &[
    (4326, 6326, "GCS_WGS_1984", "D_WGS_1984"),
    (4269, 6269, "GCS_North_American_1983", "D_North_American_1983"),
    (4267, 6267, "GCS_North_American_1927", "D_North_American_1927"),
    (6318, 1116, "GCS_NAD_1983_2011", "D_NAD_1983_2011"),
    (4152, 6152, "GCS_North_American_1983_HARN", "D_North_American_1983_HARN"),
    (4759, 6759, "GCS_NAD_1983_NSRS2007", "D_NAD_1983_NSRS2007"),
    (4258, 6258, "GCS_ETRS_1989", "D_ETRS_1989"),
    (4277, 6277, "GCS_OSGB_1936", "D_OSGB_1936"),
];

fn side_file_words(crs: u32) -> Option<&'static str> {
    SIDE_FILE_WORDS.iter().find(|row| row.0 == crs).map(|row| row.2)
}

fn side_file_datum(datum: u32) -> Option<&'static str> {
    SIDE_FILE_WORDS.iter().find(|row| row.1 == datum).map(|row| row.3)
}

fn name(text: &str, spelling: Spelling, prefix: &str) -> String {
    match spelling {
        Spelling::Standard => quoted(text),
        Spelling::SideFile => {
            let mut plain: String = text
                .chars()
                .map(|c| if c.is_alphanumeric() || c == '+' { c } else { '_' })
                .collect();
            while plain.contains("__") {
                plain = plain.replace("__", "_");
            }
            format!("\"{prefix}{}\"", plain.trim_matches('_'))
        }
    }
}

fn authority(code: Option<u32>, spelling: Spelling) -> String {
    match (code, spelling) {
        (Some(code), Spelling::Standard) => format!(",AUTHORITY[\"EPSG\",\"{code}\"]"),
        _ => String::new(),
    }
}

fn axes(axes: &[Axis], spelling: Spelling) -> String {
    if spelling == Spelling::SideFile {
        return String::new();
    }
    let word = |axis: &Axis| match &*axis.direction {
        "east" => "EAST",
        "north" => "NORTH",
        "west" => "WEST",
        "south" => "SOUTH",
        "up" => "UP",
        "down" => "DOWN",
        _ => "OTHER",
    };
    axes.iter().map(|axis| format!(",AXIS[{},{}]", quoted(&axis.name), word(axis))).collect()
}
