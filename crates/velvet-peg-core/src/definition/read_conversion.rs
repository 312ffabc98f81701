//! The map projection of a definition: its method, its parameters in degrees, metres and unity, and
//! what the words of one notation leave to be understood.

use super::names;
use super::node::Node;
use super::read::{Reader, tidy};
use super::two_points;
use crate::crs::{Axis, AxisUnit, Conversion};
use crate::ellipsoid::Ellipsoid;
use crate::error::Result;
use crate::projection::{ParameterKind, Parameters, kind_of_parameter, parameters_of};
use crate::unit::{AngleUnit, LengthUnit};

impl Reader<'_> {
    /// Reads the projection of a projected system; `angle` and `length` are the units of parameters
    /// that name none.
    pub(super) fn conversion(
        &self,
        node: &Node,
        angle: AngleUnit,
        axes: &[Axis],
        length: LengthUnit,
        ellipsoid: &Ellipsoid,
    ) -> Result<Conversion> {
        let inner = node.child(&["CONVERSION"]);
        let holder = inner.unwrap_or(node);
        let method_node = holder.child(&["PROJECTION", "METHOD"]).ok_or_else(|| {
            self.error(holder, "a projected system needs its PROJECTION (or METHOD)")
        })?;
        let given: Vec<&Node> = holder.children("PARAMETER").collect();
        let name = inner.map_or("", Node::name).to_string();
        if two_points::is_meant(method_node.name()) {
            let units = (angle.degrees(), length.metres());
            let found = two_points::by_azimuth(method_node.name(), &given, units, ellipsoid);
            let (method_code, parameters) = found.ok_or_else(|| {
                self.error(
                    method_node,
                    "its two points, of different latitudes and longitudes, and its centre's latitude make no \
                     line",
                )
            })?;
            return Ok(Conversion { code: None, name: name.into(), method_code, parameters });
        }
        let stated = method_node.epsg().filter(|code| parameters_of(*code).is_some());
        let named = || names::method(method_node.name()).or_else(|| polar(method_node, &given));
        let method = stated.or_else(named).ok_or_else(|| {
            let more = match names::squeezed(method_node.name()) == "stereographic" {
                true => {
                    " away from the poles: two formulas go by this name, of which Oblique_Stereographic is \
                     the one of EPSG method 9809"
                }
                false => "",
            };
            self.error(
                method_node,
                &format!(
                    "`{}` is not a method of projection that is known{more}",
                    method_node.name()
                ),
            )
        })?;
        let method = settle(method, method_node.name(), &given, axes);
        let expected = parameters_of(method).ok_or_else(|| {
            self.error(method_node, &format!("`{}` cannot be computed", method_node.name()))
        })?;
        let mut parameters = Parameters::new();
        for element in &given {
            let code = element.epsg().filter(|code| expected.contains(code));
            let Some(code) = code.or_else(|| names::parameter(element.name(), method, expected))
            else {
                if ignorable(element, &given) {
                    continue;
                }
                return Err(self.error(
                    element,
                    &format!("`{}` is not a parameter of {}", element.name(), method_node.name()),
                ));
            };
            if parameters.iter().any(|known| known.code == code) {
                continue;
            }
            let value = element.number(0).ok_or_else(|| {
                self.error(element, &format!("`{}` needs a number", element.name()))
            })?;
            let unit = match kind_of_parameter(code) {
                ParameterKind::Angle => self.unit_of(element, "ANGLEUNIT")?,
                ParameterKind::Length => self.unit_of(element, "LENGTHUNIT")?,
                ParameterKind::Scale => self.unit_of(element, "SCALEUNIT")?,
            };
            parameters = match (kind_of_parameter(code), unit) {
                (ParameterKind::Angle, Some(AxisUnit::Angle(unit))) => {
                    parameters.angle(code, tidy(value * unit.degrees()))
                }
                (ParameterKind::Angle, _) => parameters.angle(code, tidy(value * angle.degrees())),
                (ParameterKind::Length, Some(AxisUnit::Length(unit))) => {
                    parameters.length_in(code, value, unit)
                }
                (ParameterKind::Length, _) => parameters.length_in(code, value, length),
                (ParameterKind::Scale, _) => {
                    let factor = element
                        .child(&["SCALEUNIT", "UNIT"])
                        .and_then(|unit| unit.number(0))
                        .unwrap_or(1.0);
                    parameters.scale(code, value * factor)
                }
            };
        }
        let word = names::squeezed(method_node.name());
        let parameters = complete((method, &word), &given, expected, parameters);
        if let Some(missing) =
            expected.iter().find(|code| !parameters.iter().any(|p| p.code == **code))
        {
            return Err(self.error(
                method_node,
                &format!(
                    "{} lacks its parameter `{}`",
                    method_node.name(),
                    velvet_peg_epsg::parameter_name(*missing).unwrap_or("?")
                ),
            ));
        }
        Ok(Conversion { code: None, name: name.into(), method_code: method, parameters })
    }
}

/// A stereographic projection of a pole, whichever way it is called.
fn polar(method: &Node, given: &[&Node]) -> Option<u32> {
    let lat =
        value_of(given, "latitude_of_origin").or_else(|| value_of(given, "latitude_of_center"));
    let at_pole = lat.is_some_and(|lat| lat.abs() == 90.0);
    (names::squeezed(method.name()) == "stereographic" && at_pole).then_some(9810)
}

/// Some words stand for several methods; the parameters beside them tell which.
fn settle(method: u32, word: &str, given: &[&Node], axes: &[Axis]) -> u32 {
    let value = |name: &str| value_of(given, name);
    let has = |name: &str| value(name).is_some();
    let word = names::squeezed(word);
    match (method, word.as_str()) {
        (9802, "lambertconformalconic") if !has("standard_parallel_2") => {
            match (value("standard_parallel_1"), value("latitude_of_origin")) {
                (Some(parallel), Some(origin)) if parallel != origin => 1102,
                _ => 9801,
            }
        }
        (9805, "mercator") if !has("standard_parallel_1") => 9804,
        (9810, "polarstereographic")
            if value("latitude_of_origin").is_some_and(|lat| lat.abs() != 90.0) =>
        {
            9829
        }
        // Two pairs of methods share a name.
        (1029, _) if has("latitude_of_origin") || has("Latitude of natural origin") => 9823,
        (1028, _) if !has("standard_parallel_1") && has("latitude_of_origin") => 9842,
        (1028, _) if has("Longitude of false origin") => 9842,
        (9819, "krovak")
            if value("x_scale") == Some(-1.0)
                || axes.iter().any(|axis| axis.direction == "east") =>
        {
            1041
        }
        (other, _) => other,
    }
}

/// The number of the parameter of a name, however it is spelled.
fn value_of(given: &[&Node], name: &str) -> Option<f64> {
    let wanted = names::squeezed(name);
    let named = given.iter().find(|node| names::squeezed(node.name()) == wanted);
    named.and_then(|node| node.number(0))
}

/// Parameters that side files carry and that say nothing more, or only what their method's
/// form says already.
fn ignorable(element: &Node, given: &[&Node]) -> bool {
    let value = element.number(0).unwrap_or(f64::NAN);
    match names::squeezed(element.name()).as_str() {
        "auxiliaryspheretype" | "option" => value == 0.0,
        "xscale" | "yscale" => value.abs() == 1.0,
        "xyplanerotation" => value == 90.0 || value == 0.0,
        "scalefactor" => value == 1.0,
        // The equator, the pole, or what another parameter says: nothing else is passed over.
        "standardparallel1" | "latitudeoforigin" | "centralparallel" => {
            let again = |other: &&Node| {
                !std::ptr::eq(*other, element) && other.number(0) == element.number(0)
            };
            value == 0.0 || value.abs() == 90.0 || given.iter().any(again)
        }
        _ => false,
    }
}

/// Parameters that a word leaves to be understood.
fn complete(
    (method, word): (u32, &str),
    given: &[&Node],
    expected: &[u32],
    mut parameters: Parameters,
) -> Parameters {
    let value = |name: &str| value_of(given, name);
    for code in expected {
        if parameters.iter().any(|known| known.code == *code) {
            continue;
        }
        let known = |code: u32| parameters.iter().find(|p| p.code == code).and_then(|p| p.value());
        let filled = match (method, code) {
            // Two words stand for a method with its parallel.
            (_, 8823) if word == "platecarree" => Some(0.0),
            (_, 8823) if word == "behrmann" => Some(30.0),
            // The one parallel is the origin; or named apart from it.
            (9801, 8801) => value("standard_parallel_1"),
            (1102, 8801) => value("standard_parallel_1"),
            (1102, 8821) => value("latitude_of_origin"),
            // The Swiss names leave the line of projection, due east, to be understood.
            (9815, 8813) => Some(90.0),
            // The skew is the azimuth unless said otherwise.
            (9812 | 9815, 8814) => known(8813).or(Some(90.0)),
            (9829, 8832) => value("latitude_of_origin"),
            (_, 8801 | 8821) => Some(0.0),
            (9819 | 1041, 8811) => Some(49.5),
            (_, 8805 | 8815) => Some(1.0),
            (_, 8806 | 8807 | 8816 | 8817 | 8826 | 8827) => Some(0.0),
            _ => None,
        };
        if let Some(filled) = filled {
            parameters = match kind_of_parameter(*code) {
                ParameterKind::Angle => parameters.angle(*code, filled),
                ParameterKind::Length => parameters.length(*code, filled),
                ParameterKind::Scale => parameters.scale(*code, filled),
            };
        }
    }
    parameters
}
