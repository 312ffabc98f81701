//! Writing well-known text 2, ISO 19162:2019.

use super::node::VERTICAL_FRAME;
use crate::crs::{Axis, AxisUnit, Crs, Datum, Derived, Height};
use crate::projection::{Parameter, ParameterKind, PlaneNumber, Quantity, kind_of_parameter};
use crate::unit::{AngleUnit, LengthUnit};
use velvet_peg_epsg::{CrsKind, DatumRow, UnitRow, method_name, parameter_name};

/// The system as well-known text 2 (ISO 19162:2019); none for kinds without a position or a
/// height.
pub fn write(crs: &Crs) -> Option<String> {
    let body = match crs.kind() {
        CrsKind::Projected if crs.derived().is_some() => derived(crs, crs.derived()?)?,
        CrsKind::Projected => {
            let base = crs.base()?;
            let datum = base.datum()?;
            format!(
                "PROJCRS[{},BASEGEOGCRS[{},{}{}],{},{}",
                quoted(crs.name()),
                quoted(base.name()),
                frame(datum),
                id(base.code()),
                conversion(crs)?,
                coordinate_system(crs.axes(), "Cartesian")
            )
        }
        CrsKind::Geographic2D | CrsKind::Geographic3D => format!(
            "GEOGCRS[{},{},{}",
            quoted(crs.name()),
            frame(crs.datum()?),
            coordinate_system(crs.axes(), "ellipsoidal")
        ),
        CrsKind::Geocentric => format!(
            "GEODCRS[{},{},{}",
            quoted(crs.name()),
            frame(crs.datum()?),
            coordinate_system(crs.axes(), "Cartesian")
        ),
        CrsKind::Vertical => {
            let Height::GravityRelated(vertical) = crs.height() else { return None };
            format!(
                "VERTCRS[{},{VERTICAL_FRAME}[{}{}],{}",
                quoted(crs.name()),
                quoted(&vertical.datum_name),
                id(vertical.datum_code),
                coordinate_system(crs.axes(), "vertical")
            )
        }
        CrsKind::Compound => {
            let Height::GravityRelated(vertical) = crs.height() else { return None };
            let part = match vertical.code {
                Some(code) => write(&Crs::from_epsg(code).ok()?)?,
                None => format!(
                    "VERTCRS[{},{VERTICAL_FRAME}[{}{}],{}]",
                    quoted(&vertical.name),
                    quoted(&vertical.datum_name),
                    id(vertical.datum_code),
                    coordinate_system(crs.axes().get(2..)?, "vertical")
                ),
            };
            format!("COMPOUNDCRS[{},{},{part}", quoted(crs.name()), write(&crs.horizontal()?)?)
        }
        CrsKind::Engineering => format!(
            "ENGCRS[{0},EDATUM[{0}]{1}",
            quoted(crs.name()),
            match crs.axes() {
                [] => String::new(),
                axes => format!(",{}", coordinate_system(axes, "Cartesian")),
            }
        ),
        CrsKind::Derived => return None,
    };
    let text = format!("{body}{}{}]", usage(crs), id(crs.code()));
    // Of a compound system the horizontal part is bound.
    let shift = crs.datum().and_then(Datum::shift_to_wgs84);
    match shift.filter(|_| crs.kind() != CrsKind::Compound) {
        Some(shift) => {
            let name = format!("{} to WGS 84", crs.datum()?.name());
            let target = write(&Crs::from_epsg(4326).ok()?)?;
            Some(super::bound::wkt2(&text, &target, &name, &shift))
        }
        None => Some(text),
    }
}

/// A derived projected system, without its end.
fn derived(crs: &Crs, how: &Derived) -> Option<String> {
    let Derived { from, turn } = how;
    let base = from.base()?;
    let unit = from.length_unit()?;
    let code = from.code().filter(|_| !from.is_northing_first());
    let parameters: String = turn
        .parameters()
        .into_iter()
        .map(|(code, value, number)| {
            let name = parameter_name(code).unwrap_or("parameter");
            let unit = match number {
                PlaneNumber::Length => length_unit(&unit),
                PlaneNumber::Ratio => "SCALEUNIT[\"unity\",1]".to_string(),
                PlaneNumber::Degrees => angle_unit(&AngleUnit::DEGREE),
            };
            format!(",PARAMETER[{},{value},{unit}{}]", quoted(name), id(Some(code)))
        })
        .collect();
    let method = turn.method_code();
    Some(format!(
        "DERIVEDPROJCRS[{},BASEPROJCRS[{},BASEGEOGCRS[{},{}{}],{}{}],\
         DERIVINGCONVERSION[{0},METHOD[{},ID[\"EPSG\",{method}]]{parameters}],{}",
        quoted(crs.name()),
        quoted(from.name()),
        quoted(base.name()),
        frame(base.datum()?),
        id(base.code()),
        conversion(from)?,
        id(code),
        quoted(method_name(method)?),
        coordinate_system(crs.axes(), "Cartesian")
    ))
}

pub(crate) fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

fn id(code: Option<u32>) -> String {
    code.map_or(String::new(), |code| format!(",ID[\"EPSG\",{code}]"))
}

fn frame(datum: &Datum) -> String {
    let ellipsoid = datum.ellipsoid();
    let shape = format!(
        "ELLIPSOID[{},{},{},LENGTHUNIT[\"metre\",1]{}]",
        quoted(datum.ellipsoid_name()),
        ellipsoid.semi_major_m(),
        inverse_flattening(ellipsoid),
        id(ellipsoid.code())
    );
    let meridian = datum.prime_meridian();
    let meridian = format!(
        "PRIMEM[{},{},{}{}]",
        quoted(&meridian.name),
        meridian.longitude_deg,
        angle_unit(&AngleUnit::DEGREE),
        id(meridian.code)
    );
    let name = quoted(datum.name());
    let code = id(datum.code());
    if let Some(accuracy) = datum.ensemble_accuracy_m() {
        let members: String = datum
            .members()
            .iter()
            .filter_map(|member| DatumRow::find(*member))
            .map(|row| format!("MEMBER[{},ID[\"EPSG\",{}]],", quoted(row.name), row.code))
            .collect();
        return format!(
            "ENSEMBLE[{name},{members}{shape},ENSEMBLEACCURACY[{accuracy}]{code}],{meridian}"
        );
    }
    let dynamic = match datum.frame_epoch() {
        Some(epoch) if datum.is_dynamic() => format!("DYNAMIC[FRAMEEPOCH[{epoch}]],"),
        _ => String::new(),
    };
    format!("{dynamic}DATUM[{name},{shape}{code}],{meridian}")
}

/// 1/f as the registry prints it, where it does; 0 for a sphere.
pub(crate) fn inverse_flattening(ellipsoid: &crate::Ellipsoid) -> f64 {
    let printed = ellipsoid
        .code()
        .and_then(velvet_peg_epsg::EllipsoidRow::find)
        .and_then(|row| row.inverse_flattening);
    match (printed, ellipsoid.flattening()) {
        (Some(printed), _) => printed.to_f64(),
        (None, 0.0) => 0.0,
        // Without the noise of having been turned over twice.
        (None, f) => {
            let inverse = 1.0 / f;
            let round = (inverse * 1e9).round() / 1e9;
            if 1.0 / round == f { round } else { inverse }
        }
    }
}

fn conversion(crs: &Crs) -> Option<String> {
    let conversion = crs.conversion()?;
    let name = if conversion.name.is_empty() { "unnamed" } else { &conversion.name };
    let parameters: String = conversion
        .parameters
        .iter()
        .filter_map(|parameter| {
            let (value, unit) = value_and_unit(parameter)?;
            let name = parameter_name(parameter.code).unwrap_or("parameter");
            Some(format!(",PARAMETER[{},{value},{unit}{}]", quoted(name), id(Some(parameter.code))))
        })
        .collect();
    Some(format!(
        "CONVERSION[{},METHOD[{}{}]{parameters}{}]",
        quoted(name),
        quoted(conversion.method_name()),
        id(Some(conversion.method_code)),
        id(conversion.code)
    ))
}

/// The value as the registry prints it with its unit, packed angles in degrees.
fn value_and_unit(parameter: &Parameter) -> Option<(f64, String)> {
    let printed = parameter.printed.map(|(value, unit)| (value.to_f64(), unit));
    Some(match (&parameter.quantity, printed) {
        (Quantity::Length(_), Some((value, code))) => {
            (value, length_unit(&LengthUnit::from_epsg(code).ok()?))
        }
        (Quantity::Length(metres), None) => (*metres, length_unit(&LengthUnit::METRE)),
        (Quantity::Angle(_), Some((value, code))) if !matches!(code, 9102 | 9110 | 9107 | 9108) => {
            (value, angle_unit(&AngleUnit::from_epsg(code).ok()?))
        }
        (Quantity::Angle(degrees), _) => (*degrees, angle_unit(&AngleUnit::DEGREE)),
        (Quantity::Scale(value), printed) => {
            let scaled = printed.filter(|(_, code)| {
                *code != 9201
                    && kind_of_parameter(parameter.code) == ParameterKind::Scale
                    && *code != 0
            });
            match scaled.and_then(|(value, code)| Some((value, UnitRow::find(code)?))) {
                Some((printed, row)) if row.kind == "scale" => {
                    let factor = row.factor_b?.to_f64() / row.factor_c?.to_f64();
                    // A few withdrawn rows give a ratio near one in parts per million.
                    match (printed * factor - value).abs() < 1e-15 {
                        true => (printed, format!("SCALEUNIT[{},{factor}]", quoted(row.name))),
                        false => (*value, "SCALEUNIT[\"unity\",1]".to_string()),
                    }
                }
                _ => (*value, "SCALEUNIT[\"unity\",1]".to_string()),
            }
        }
        (Quantity::Rate(_) | Quantity::File(_), _) => return None,
    })
}

pub(crate) fn angle_unit(unit: &AngleUnit) -> String {
    let radians = match unit.code() {
        9102 => 0.0174532925199433,
        9105 => 0.015707963267949,
        _ => unit.degrees().to_radians(),
    };
    format!("ANGLEUNIT[{},{radians}]", quoted(unit.name()))
}

pub(crate) fn length_unit(unit: &LengthUnit) -> String {
    format!("LENGTHUNIT[{},{}]", quoted(unit_name(unit)), unit.metres())
}

/// The registry's own name: "foot" for the international foot.
pub(crate) fn unit_name(unit: &LengthUnit) -> &'static str {
    match unit.code() {
        9002 => "foot",
        _ => unit.name(),
    }
}

fn coordinate_system(axes: &[Axis], kind: &str) -> String {
    let list: String = axes
        .iter()
        .enumerate()
        .map(|(at, axis)| {
            let unit = match &axis.unit {
                AxisUnit::Length(unit) => format!(",{}", length_unit(unit)),
                AxisUnit::Angle(unit) => format!(",{}", angle_unit(unit)),
                AxisUnit::Other => String::new(),
            };
            let name = format!("{} ({})", axis.name.to_lowercase(), axis.abbreviation);
            format!(",AXIS[{},{},ORDER[{}]{unit}]", quoted(&name), direction(axis), at + 1)
        })
        .collect();
    format!("CS[{kind},{}]{list}", axes.len())
}

/// The standard's word for a direction, with the meridian of a polar axis.
fn direction(axis: &Axis) -> String {
    let words = axis.direction.to_lowercase();
    if let Some((word, meridian)) = words.split_once(" along ") {
        let number: String =
            meridian.chars().take_while(|c| c.is_ascii_digit() || *c == '.').collect();
        let sign = if meridian.ends_with('w') { "-" } else { "" };
        return format!("{word},MERIDIAN[{sign}{number},{}]", angle_unit(&AngleUnit::DEGREE));
    }
    direction_word(axis)
}

/// The standard's word for a direction.
pub(crate) fn direction_word(axis: &Axis) -> String {
    let words = axis.direction.to_lowercase();
    match words.as_str() {
        "east" | "north" | "west" | "south" | "up" | "down" => words,
        _ if words.starts_with("geocent") => format!("geocentric{}", axis.abbreviation),
        _ => match words.split_once(" along ") {
            Some((word, _)) => word.to_string(),
            None => "unspecified".to_string(),
        },
    }
}

fn usage(crs: &Crs) -> String {
    match crs.extent().boxes().first() {
        Some(b) => format!(
            ",USAGE[SCOPE[\"unknown\"],AREA[{}],BBOX[{},{},{},{}]]",
            quoted(crs.extent().name()),
            b.south,
            b.west,
            b.north,
            b.east
        ),
        None => String::new(),
    }
}
