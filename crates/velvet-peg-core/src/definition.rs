//! Definition text of a reference system, in the well-known text of OGC 01-009 that
//! GeoPackage and older files ask for.
//!
//! Written for geographic and projected systems whose method has a name in that standard's
//! tables; other systems have none. Reading definition text is not done here.

use crate::crs::Crs;
use crate::projection::Quantity;
use crate::unit::LengthUnit;

/// The system as OGC 01-009 well-known text; none for systems that the standard has no
/// words for.
///
/// ```
/// use velvet_peg_core::{definition, Crs};
/// let text = definition::ogc_01_009(&Crs::from_epsg(4326)?).unwrap();
/// assert!(text.starts_with("GEOGCS[\"WGS 84\",DATUM["));
/// # Ok::<(), velvet_peg_core::Error>(())
/// ```
pub fn ogc_01_009(crs: &Crs) -> Option<String> {
    match crs.conversion() {
        None if crs.is_geographic() => geographic(crs, crs.name(), Some(crs.code())),
        None => None,
        Some(conversion) => {
            let method = method_word(conversion.method_code)?;
            let base = crs.base()?;
            let unit = crs.length_unit()?;
            let mut text = format!(
                "PROJCS[\"{}\",{},PROJECTION[\"{method}\"]",
                crs.name(),
                geographic(&base, base.name(), Some(base.code()))?
            );
            for parameter in conversion.parameters.iter() {
                let value = match parameter.quantity {
                    Quantity::Angle(degrees) => degrees,
                    // Lengths are in the unit of the axes; kept as printed where that is it.
                    Quantity::Length(metres) => match parameter.printed {
                        Some((printed, code)) if code == unit.code() => printed.to_f64(),
                        _ => metres / unit.metres(),
                    },
                    Quantity::Scale(ratio) => ratio,
                    Quantity::Rate(_) | Quantity::File(_) => return None,
                };
                let word = parameter_word(parameter.code)?;
                text += &format!(",PARAMETER[\"{word}\",{value}]");
            }
            text += &format!(
                ",UNIT[\"{}\",{}]{},AUTHORITY[\"EPSG\",\"{}\"]]",
                unit_word(&unit),
                unit.metres(),
                axes(crs),
                crs.code()
            );
            Some(text)
        }
    }
}

fn geographic(crs: &Crs, name: &str, code: Option<u32>) -> Option<String> {
    let datum = crs.datum()?;
    let ellipsoid = datum.ellipsoid();
    let inverse = match ellipsoid.flattening() {
        0.0 => 0.0,
        f => 1.0 / f,
    };
    let meridian = datum.prime_meridian();
    let authority = code.map_or(String::new(), |code| format!(",AUTHORITY[\"EPSG\",\"{code}\"]"));
    let spheroid_code =
        ellipsoid.code().map_or(String::new(), |code| format!(",AUTHORITY[\"EPSG\",\"{code}\"]"));
    Some(format!(
        "GEOGCS[\"{name}\",DATUM[\"{}\",SPHEROID[\"{}\",{},{}{spheroid_code}],AUTHORITY[\"EPSG\",\"{}\"]],\
         PRIMEM[\"{}\",{}],UNIT[\"degree\",0.0174532925199433]{}{authority}]",
        datum.name(),
        ellipsoid.name(),
        ellipsoid.semi_major_m(),
        rounded(inverse),
        datum.code(),
        meridian.name,
        meridian.longitude_deg,
        axes(crs),
    ))
}

/// An inverse flattening without the noise of having been turned over twice.
fn rounded(value: f64) -> f64 {
    (value * 1e9).round() / 1e9
}

fn axes(crs: &Crs) -> String {
    crs.axes()
        .iter()
        .take(2)
        .filter_map(|axis| {
            let direction = match axis.orientation {
                "east" => "EAST",
                "north" => "NORTH",
                "west" => "WEST",
                "south" => "SOUTH",
                _ => return None,
            };
            Some(format!(",AXIS[\"{}\",{direction}]", axis.name))
        })
        .collect()
}

fn unit_word(unit: &LengthUnit) -> &'static str {
    match unit.code() {
        9002 => "foot",
        _ => unit.name(),
    }
}

fn method_word(method: u32) -> Option<&'static str> {
    Some(match method {
        9807 => "Transverse_Mercator",
        9801 => "Lambert_Conformal_Conic_1SP",
        9802 => "Lambert_Conformal_Conic_2SP",
        _ => return None,
    })
}

fn parameter_word(parameter: u32) -> Option<&'static str> {
    Some(match parameter {
        8801 | 8821 => "latitude_of_origin",
        8802 | 8822 => "central_meridian",
        8805 => "scale_factor",
        8806 | 8826 => "false_easting",
        8807 | 8827 => "false_northing",
        8823 => "standard_parallel_1",
        8824 => "standard_parallel_2",
        _ => return None,
    })
}
