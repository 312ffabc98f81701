//! From elements of definition text to a reference system: ISO 19162:2019 and OGC 01-009 in
//! one, as they differ in keywords and in where units stand.

use super::bound;
use super::names;
use super::node::{Node, VERTICAL_FRAME, fault};
use crate::crs::{Axis, AxisUnit, Crs, Custom, Datum, Height, PrimeMeridian, VerticalCrs};
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::extent::Bounds;
use crate::unit::{AngleUnit, LengthUnit};
use velvet_peg_epsg::{CrsKind, CrsRow, DatumKind, DatumRow, crs_aliases, datum_aliases};

/// Reads elements, keeping the text they came from for messages.
pub(crate) struct Reader<'a> {
    pub(crate) text: &'a str,
    /// The shift to WGS 84 of the bound system that is being read.
    pub(super) shift: Option<bound::Shift>,
}

const GEOGRAPHIC: [&str; 7] =
    ["GEOGCS", "GEOGCRS", "GEOGRAPHICCRS", "BASEGEOGCRS", "BASEGEODCRS", "GEODCRS", "GEODETICCRS"];
const UNITS: [&str; 5] = ["UNIT", "LENGTHUNIT", "ANGLEUNIT", "SCALEUNIT", "PARAMETRICUNIT"];

impl Reader<'_> {
    pub(super) fn error(&self, node: &Node, message: &str) -> Error {
        fault(self.text, node.at, message)
    }

    /// The system that an element describes.
    pub(crate) fn system(&self, node: &Node) -> Result<Crs> {
        match node.keyword.as_str() {
            keyword if GEOGRAPHIC.contains(&keyword) => self.geodetic(node),
            "GEOCCS" => self.geodetic(node),
            "PROJCS" | "PROJCRS" | "PROJECTEDCRS" => self.projected(node),
            "DERIVEDPROJCRS" => self.derived(node),
            "VERT_CS" | "VERTCS" | "VERTCRS" | "VERTICALCRS" => self.vertical(node),
            "COMPD_CS" | "COMPOUNDCRS" => self.compound(node),
            "BOUNDCRS" => {
                let source = node.child(&["SOURCECRS"]).and_then(|source| source.nodes().next());
                let source = source.ok_or_else(|| self.error(node, "SOURCECRS is missing here"))?;
                Reader { text: self.text, shift: bound::of_bound(node) }.system(source)
            }
            "LOCAL_CS" | "ENGCRS" | "ENGINEERINGCRS" => Custom {
                kind: CrsKind::Engineering,
                axes: self.local_axes(node)?,
                ..Custom::named(node.name())
            }
            .build(),
            other => Err(self.error(
                node,
                &format!("{other} is not a kind of reference system that can be read"),
            )),
        }
    }

    fn geodetic(&self, node: &Node) -> Result<Crs> {
        let angle = self.unit_of(node, "ANGLEUNIT")?;
        let degrees = match angle {
            Some(AxisUnit::Angle(unit)) => unit,
            _ => AngleUnit::DEGREE,
        };
        let datum = self.datum(node, degrees)?;
        let cartesian = node.keyword == "GEOCCS"
            || node
                .child(&["CS"])
                .and_then(Node::word)
                .is_some_and(|kind| kind.eq_ignore_ascii_case("cartesian"));
        let default =
            if cartesian { AxisUnit::Length(LengthUnit::METRE) } else { AxisUnit::Angle(degrees) };
        let mut axes = self.axes(node, Some(default))?;
        if axes.is_empty() && cartesian {
            axes = ["X", "Y", "Z"]
                .map(|name| Axis {
                    name: format!("Geocentric {name}").into(),
                    abbreviation: name.into(),
                    direction: format!("geocentric{name}").into(),
                    unit: self.unit_of(node, "LENGTHUNIT").ok().flatten().unwrap_or(default),
                })
                .to_vec();
        } else if axes.is_empty() {
            axes = vec![
                Axis::new("Geodetic latitude", "Lat", "north", default),
                Axis::new("Geodetic longitude", "Lon", "east", default),
            ];
        }
        let kind = match (cartesian, axes.len()) {
            (true, _) => CrsKind::Geocentric,
            (false, 3) => CrsKind::Geographic3D,
            (false, _) => CrsKind::Geographic2D,
        };
        Custom { kind, datum: Some(datum), axes, area: area(node), ..Custom::named(node.name()) }
            .build()
            .map_err(|error| self.error(node, &error.to_string()))
    }

    fn datum(&self, node: &Node, degrees: AngleUnit) -> Result<Datum> {
        let keywords = ["DATUM", "GEODETICDATUM", "TRF", "ENSEMBLE"];
        let element = node
            .child(&keywords)
            .ok_or_else(|| self.error(node, &format!("{} has no DATUM", node.keyword)))?;
        let shape = element
            .child(&["ELLIPSOID", "SPHEROID"])
            .ok_or_else(|| self.error(element, "the datum has no ELLIPSOID (or SPHEROID)"))?;
        let unit = match self.unit_of(shape, "LENGTHUNIT")? {
            Some(AxisUnit::Length(unit)) => unit.metres(),
            _ => 1.0,
        };
        let (Some(a), Some(inverse)) = (shape.number(0), shape.number(1)) else {
            return Err(self.error(
                shape,
                "an ellipsoid needs its semi-major axis and its inverse flattening",
            ));
        };
        let ellipsoid = Ellipsoid::new(a * unit, inverse)
            .map_err(|error| self.error(shape, &error.to_string()))?
            .recognised();
        let meridian = match node.child(&["PRIMEM", "PRIMEMERIDIAN"]) {
            None => PrimeMeridian::greenwich(),
            Some(element) => {
                let value = element
                    .number(0)
                    .ok_or_else(|| self.error(element, "a prime meridian needs its longitude"))?;
                self.meridian(element, value, degrees)?
            }
        };
        Ok(match known_datum(element.name(), element.epsg(), node.name(), &ellipsoid, &meridian) {
            Some(code) => Datum::from_epsg(code)?,
            None => {
                let datum = Datum::custom(
                    &clean(element.name()),
                    ellipsoid,
                    &clean(shape.name()),
                    meridian,
                );
                let stated = match element.child(&["TOWGS84"]) {
                    Some(given) => Some(
                        bound::of_towgs84(given).map_err(|message| self.error(given, &message))?,
                    ),
                    None => self.shift,
                };
                match stated {
                    Some(shift) => datum.with_shift_to_wgs84(shift),
                    None => datum,
                }
            }
        })
    }

    /// OGC 01-009 gives the longitude in the unit of the system, many writers in degrees: the
    /// one that is a known meridian is meant.
    fn meridian(&self, element: &Node, value: f64, degrees: AngleUnit) -> Result<PrimeMeridian> {
        if let Some(AxisUnit::Angle(unit)) = self.unit_of(element, "ANGLEUNIT")? {
            return Ok(PrimeMeridian::at(value * unit.degrees(), element.name()));
        }
        let in_unit = PrimeMeridian::at(value * degrees.degrees(), element.name());
        let in_degrees = PrimeMeridian::at(value, element.name());
        Ok(if in_unit.code.is_none() && in_degrees.code.is_some() { in_degrees } else { in_unit })
    }

    fn projected(&self, node: &Node) -> Result<Crs> {
        self.projected_in(node, LengthUnit::METRE)
    }

    /// Reads a projected system; `silent` is its unit where the text states none.
    pub(super) fn projected_in(&self, node: &Node, silent: LengthUnit) -> Result<Crs> {
        let base = node
            .child(&GEOGRAPHIC)
            .ok_or_else(|| self.error(node, "a projected system needs its geographic one"))?;
        let angle = match self.unit_of(base, "ANGLEUNIT")? {
            Some(AxisUnit::Angle(unit)) => unit,
            _ => AngleUnit::DEGREE,
        };
        let base = self.geodetic(base)?;
        let unit = match self.unit_of(node, "LENGTHUNIT")? {
            Some(AxisUnit::Length(unit)) => unit,
            _ => silent,
        };
        let default = AxisUnit::Length(unit);
        let mut axes = self.axes(node, Some(default))?;
        let ellipsoid =
            base.ellipsoid().copied().ok_or_else(|| self.error(node, "it has no datum"))?;
        let conversion = self.conversion(node, angle, &axes, unit, &ellipsoid)?;
        if axes.is_empty() {
            axes = vec![
                Axis::new("Easting", "E", "east", default),
                Axis::new("Northing", "N", "north", default),
            ];
            // Where the text is silent, the method's own sense holds.
            if matches!(conversion.method_code, 9808 | 9828 | 9819 | 1042 | 9826) {
                axes[0] = Axis::new("Westing", "W", "west", default);
            }
            if matches!(conversion.method_code, 9808 | 9828 | 9819 | 1042) {
                axes[1] = Axis::new("Southing", "S", "south", default);
            }
        }
        Custom {
            kind: CrsKind::Projected,
            datum: base.datum().cloned(),
            axes,
            conversion: Some(conversion),
            base: Some(base),
            area: area(node),
            ..Custom::named(node.name())
        }
        .build()
        .map_err(|error| self.error(node, &error.to_string()))
    }

    fn vertical(&self, node: &Node) -> Result<Crs> {
        let datum = node.child(&[VERTICAL_FRAME, "ENSEMBLE"]).ok_or_else(|| {
            self.error(node, "a vertical system needs its datum (VERTICALDATUM or VERT_DATUM)")
        })?;
        let unit = match self.unit_of(node, "LENGTHUNIT")? {
            Some(AxisUnit::Length(unit)) => unit,
            _ => LengthUnit::METRE,
        };
        let mut axes = self.axes(node, Some(AxisUnit::Length(unit)))?;
        if axes.is_empty() {
            axes.push(Axis::new("Gravity-related height", "H", "up", AxisUnit::Length(unit)));
        }
        axes.truncate(1);
        // Side files have the sense as a parameter.
        let direction =
            node.children("PARAMETER").find(|p| names::squeezed(p.name()) == "direction");
        if direction.and_then(|p| p.number(0)).is_some_and(|sense| sense < 0.0) {
            axes[0].direction = "down".into();
        }
        let code = datum.epsg().filter(|code| DatumRow::find(*code).is_some()).or_else(|| {
            let wanted = names::folded(datum.name());
            DatumRow::all()
                .filter(|row| matches!(row.kind, DatumKind::Vertical | DatumKind::Ensemble))
                .filter(|row| {
                    names::folded(row.name) == wanted
                        || datum_aliases(row.code).iter().any(|name| names::folded(name) == wanted)
                })
                .min_by_key(|row| (row.deprecated, row.code))
                .map(|row| row.code)
        });
        let vertical = VerticalCrs {
            code: None,
            name: node.name().to_string().into(),
            datum_code: code,
            datum_name: code
                .and_then(DatumRow::find)
                .map_or_else(|| datum.name().to_string().into(), |row| row.name.into()),
            unit: axes[0].length().unwrap_or(unit),
            down: axes[0].direction == "down",
        };
        Custom {
            kind: CrsKind::Vertical,
            axes,
            height: Some(Height::GravityRelated(vertical)),
            area: area(node),
            ..Custom::named(node.name())
        }
        .build()
    }

    fn compound(&self, node: &Node) -> Result<Crs> {
        let mut parts = node.nodes().filter(|part| {
            !["ID", "AUTHORITY", "USAGE", "SCOPE", "AREA", "BBOX", "REMARK", "EXTENSION"]
                .contains(&part.keyword.as_str())
        });
        let (Some(first), Some(second)) = (parts.next(), parts.next()) else {
            return Err(
                self.error(node, "a compound system needs a horizontal and a vertical part")
            );
        };
        let (horizontal, vertical) = (self.system(first)?, self.system(second)?);
        let Height::GravityRelated(_) = vertical.height() else {
            return Err(
                self.error(second, "the second part of a compound system is its vertical one")
            );
        };
        Custom {
            kind: CrsKind::Compound,
            axes: vertical.axes().to_vec(),
            height: Some(vertical.height().clone()),
            horizontal: Some(horizontal),
            ..Custom::named(node.name())
        }
        .build()
    }

    pub(super) fn axes(&self, node: &Node, default: Option<AxisUnit>) -> Result<Vec<Axis>> {
        let shared = match default {
            Some(AxisUnit::Angle(_)) => self.unit_of(node, "ANGLEUNIT")?,
            _ => self.unit_of(node, "LENGTHUNIT")?,
        };
        let mut axes = Vec::new();
        for element in node.children("AXIS") {
            // OGC 01-009 says OTHER where ISO 19162 says unspecified.
            let word = element.word().filter(|word| !word.eq_ignore_ascii_case("OTHER"));
            let direction = word.unwrap_or("unspecified");
            let own = UNITS.iter().find_map(|keyword| element.child(&[keyword]));
            let unit = match own {
                Some(unit) => self.unit(unit)?,
                None => shared.or(default).unwrap_or(AxisUnit::Other),
            };
            let (name, abbreviation) = split_abbreviation(element.name());
            let direction = match element.child(&["MERIDIAN"]).and_then(|m| m.number(0)) {
                Some(meridian) => along(direction, meridian),
                None => lower_first(direction),
            };
            let order = element.child(&["ORDER"]).and_then(|order| order.number(0));
            axes.push((
                order.unwrap_or(axes.len() as f64 + 1.0),
                Axis {
                    name: name.into(),
                    abbreviation: abbreviation.into(),
                    direction: direction.into(),
                    unit,
                },
            ));
        }
        axes.sort_by(|a, b| a.0.total_cmp(&b.0));
        let count = node.child(&["CS"]).and_then(|cs| cs.number(0));
        if let Some(count) = count
            && !axes.is_empty()
            && axes.len() as f64 != count
        {
            return Err(self.error(
                node,
                &format!("its coordinate system has {count} axes, but {} are given", axes.len()),
            ));
        }
        Ok(axes.into_iter().map(|(_, axis)| axis).collect())
    }

    /// The axes of a local system. Where only its unit is stated they are two of that unit.
    fn local_axes(&self, node: &Node) -> Result<Vec<Axis>> {
        let axes = self.axes(node, None)?;
        match self.unit_of(node, "LENGTHUNIT")? {
            Some(unit) if axes.is_empty() => Ok(["x", "y"]
                .map(|name| Axis {
                    name: name.into(),
                    abbreviation: name.into(),
                    direction: "unspecified".into(),
                    unit,
                })
                .into()),
            _ => Ok(axes),
        }
    }

    /// The unit that stands directly in an element, of the kind asked for.
    pub(super) fn unit_of(&self, node: &Node, kind: &str) -> Result<Option<AxisUnit>> {
        let units = node.nodes().filter(|part| part.keyword == "UNIT" || part.keyword == kind);
        for part in units {
            let unit = self.unit(part)?;
            let fits = match kind {
                "ANGLEUNIT" => matches!(unit, AxisUnit::Angle(_)),
                "LENGTHUNIT" => matches!(unit, AxisUnit::Length(_)),
                _ => false,
            };
            if fits {
                return Ok(Some(unit));
            }
        }
        Ok(None)
    }

    fn unit(&self, node: &Node) -> Result<AxisUnit> {
        let factor = node
            .number(0)
            .ok_or_else(|| self.error(node, "a unit needs its size in metres or radians"))?;
        let name = names::squeezed(node.name());
        let angular = node.keyword == "ANGLEUNIT"
            || node.keyword == "UNIT"
                && ["degree", "radian", "grad", "gon", "minute", "second", "microradian"]
                    .iter()
                    .any(|word| name.contains(word));
        let unit = match node.keyword.as_str() {
            "SCALEUNIT" | "PARAMETRICUNIT" => return Ok(AxisUnit::Other),
            _ if angular => AngleUnit::of_radians(factor).map(AxisUnit::Angle),
            _ => LengthUnit::of_metres(factor).map(AxisUnit::Length),
        };
        unit.map_err(|error| self.error(node, &error.to_string()))
    }
}

/// The registry's datum of a name, if ellipsoid and meridian agree with it: by code, by any of
/// its names, or by the name of the geographic system on it.
fn known_datum(
    name: &str,
    code: Option<u32>,
    system: &str,
    ellipsoid: &Ellipsoid,
    meridian: &PrimeMeridian,
) -> Option<u32> {
    let fits = |code: u32| {
        Datum::from_epsg(code).is_ok_and(|datum| {
            let known = datum.ellipsoid();
            (known.semi_major_m() - ellipsoid.semi_major_m()).abs() < 1e-3
                && (known.flattening() - ellipsoid.flattening()).abs() < 1e-10
                && (datum.prime_meridian().longitude_deg - meridian.longitude_deg).abs() < 3e-7
        })
    };
    if let Some(code) = code.filter(|code| fits(*code)) {
        return Some(code);
    }
    let wanted = names::folded(name);
    let system = names::folded(system);
    let letters = names::squeezed(name.trim_start_matches("D_"));
    let mut by_name: Vec<(bool, bool, bool, bool, u32)> = DatumRow::all()
        .filter(|row| !matches!(row.kind, DatumKind::Vertical | DatumKind::Engineering))
        .filter_map(|row| {
            let own = names::folded(row.name) == wanted;
            let other = || datum_aliases(row.code).iter().any(|name| names::folded(name) == wanted);
            let loose = names::squeezed(row.name) != letters;
            let single = row.members.is_empty();
            (own || other()).then_some((row.deprecated, loose, !own, single, row.code))
        })
        .collect();
    // Current ones first, the name to the letter before a looser one or an alias, an ensemble
    // before a member.
    by_name.sort_unstable();
    if let Some((.., code)) = by_name.into_iter().find(|(.., code)| fits(*code)) {
        return Some(code);
    }
    CrsRow::current(CrsKind::Geographic2D)
        .filter(|row| {
            let own = names::folded(row.name);
            own == system
                || own == wanted
                || crs_aliases(row.code).iter().any(|name| names::folded(name) == wanted)
        })
        .filter_map(|row| row.datum)
        .find(|code| fits(*code))
}

/// The box that a definition states.
pub(super) fn area(node: &Node) -> Option<Bounds> {
    let holder = node.child(&["USAGE"]).unwrap_or(node);
    let bbox = holder.child(&["BBOX"])?;
    Some(Bounds {
        south: bbox.number(0)?,
        west: bbox.number(1)?,
        north: bbox.number(2)?,
        east: bbox.number(3)?,
    })
}

/// `easting (E)` as name and abbreviation; `(E)` and plain names too.
fn split_abbreviation(text: &str) -> (String, String) {
    match text.rsplit_once('(') {
        Some((name, rest)) => {
            let abbreviation = rest.trim_end_matches(')').trim().to_string();
            let name = name.trim();
            let name = if name.is_empty() { abbreviation.clone() } else { name.to_string() };
            (name, abbreviation)
        }
        None => {
            let first: String = text.chars().take(1).collect();
            (text.to_string(), if text.len() <= 3 { text.to_string() } else { first })
        }
    }
}

/// A polar axis in the registry's words.
fn along(direction: &str, meridian: f64) -> String {
    let lower = direction.to_lowercase();
    let mut letters = lower.chars();
    let first = letters.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default();
    let word = format!("{first}{}", letters.as_str());
    let side = if meridian < 0.0 { "W" } else { "E" };
    match meridian.abs() {
        m if m == 0.0 || m == 180.0 => format!("{word} along {m}°"),
        m => format!("{word} along {m}°{side}"),
    }
}

fn lower_first(word: &str) -> String {
    match word.to_lowercase() {
        lower if lower.starts_with("geocentric") => word.to_string(),
        lower => lower,
    }
}

/// A name without the prefix and the underscores of a side file.
fn clean(name: &str) -> String {
    name.trim_start_matches("D_").replace('_', " ")
}

/// Angles written with fifteen digits come back to the round value that they stand for.
pub(super) fn tidy(degrees: f64) -> f64 {
    let seconds = degrees * 3600.0;
    let rounded = (seconds * 1e5).round() / 1e5 / 3600.0;
    if (rounded - degrees).abs() < 1e-14 * degrees.abs().max(1.0) { rounded } else { degrees }
}
