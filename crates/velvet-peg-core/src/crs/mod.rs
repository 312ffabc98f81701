//! Coordinate reference systems, from the registry, from definition text or from parameters.
//!
//! A [`Crs`] is immutable, cheap to clone and shareable between threads. Whatever order the
//! registry lists the axes in, coordinates in this library are `x, y[, z]`: longitude or
//! easting first, in the units and the sense of the system's axes.

mod axis;
mod build;
mod datum;
mod find;
mod ground;
mod in_degrees;
mod reference;
mod vertical;

pub use axis::{Axis, AxisUnit};
pub(crate) use build::Custom;
pub(crate) use datum::Side;
pub use datum::{Datum, PrimeMeridian};
pub use find::{CrsMatch, CrsSearch, find, name_words, search};
pub use ground::Ground;
pub(crate) use ground::is_of_ground;
pub use vertical::{Height, VerticalCrs};

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use crate::extent::Extent;
use crate::projection::{Parameters, PlaneMove, Projection};
use crate::unit::{AngleUnit, LengthUnit};
use std::borrow::Cow;
use std::sync::Arc;
use velvet_peg_epsg::{CrsKind, CrsRow, crs_aliases, method_name};

/// A coordinate reference system.
#[derive(Clone, Debug)]
pub struct Crs(Arc<Inner>);

#[derive(Clone, Debug)]
struct Inner {
    code: Option<u32>,
    name: Cow<'static, str>,
    kind: CrsKind,
    deprecated: bool,
    replaced_by: Vec<u32>,
    datum: Option<Datum>,
    axes: Vec<Axis>,
    extent: Extent,
    conversion: Option<Conversion>,
    mapping: Result<Mapping>,
    height: Height,
    base: Parent,
    horizontal: Parent,
    derived: Option<Derived>,
}

/// How the plane of a system follows from that of another.
#[derive(Clone, Debug)]
pub struct Derived {
    /// The projected system that it follows from.
    pub from: Crs,
    /// What is done with its coordinates, in their unit.
    pub turn: PlaneMove,
}

/// Another system that this one is made of, looked up when it is asked for.
#[derive(Clone, Debug)]
enum Parent {
    None,
    Code(u32),
    Given(Crs),
}

impl Parent {
    fn get(&self) -> Option<Crs> {
        match self {
            Parent::None => None,
            Parent::Code(code) => Crs::from_epsg(*code).ok(),
            Parent::Given(crs) => Some(crs.clone()),
        }
    }
}

/// The defining conversion of a projected system.
#[derive(Clone, Debug)]
pub struct Conversion {
    /// EPSG code, if it comes from the registry.
    pub code: Option<u32>,
    /// Name.
    pub name: Cow<'static, str>,
    /// EPSG code of the method.
    pub method_code: u32,
    /// Parameters in the library's units, with the registry's print beside them.
    pub parameters: Parameters,
}

impl Conversion {
    /// Name of the method.
    pub fn method_name(&self) -> &'static str {
        method_name(self.method_code).unwrap_or("unknown")
    }

    /// True if both have the same method and parameters, in any order.
    pub(crate) fn is_same(&self, other: &Conversion) -> bool {
        let all_in = |a: &Conversion, b: &Conversion| {
            a.parameters.iter().all(|one| {
                b.parameters.iter().any(|o| o.code == one.code && o.quantity == one.quantity)
            })
        };
        self.method_code == other.method_code && all_in(self, other) && all_in(other, self)
    }
}

/// How coordinates of the system and positions on its datum belong together.
#[derive(Clone, Debug)]
pub(crate) enum Mapping {
    Geographic(AngleUnit),
    Projected {
        projection: Box<Projection>,
        unit: LengthUnit,
        /// −1 where the x axis counts westings and the method eastings, or the other way round.
        x_sense: f64,
        /// −1 where the y axis counts southings and the method northings, or the other way
        /// round.
        y_sense: f64,
    },
    Geocentric(LengthUnit),
}

impl Crs {
    /// EPSG code; none for systems given by definition or parameters.
    pub fn code(&self) -> Option<u32> {
        self.0.code
    }

    /// Name in the registry, or the one given.
    pub fn name(&self) -> &str {
        &self.0.name
    }

    /// EPSG codes of the horizontal and the vertical part of a compound system that has none itself.
    pub fn part_codes(&self) -> Option<(u32, u32)> {
        match (self.code(), &self.0.height) {
            (None, Height::GravityRelated(vertical)) => {
                Some((self.horizontal()?.code()?, vertical.code?))
            }
            _ => None,
        }
    }

    /// `EPSG:2286`, `EPSG:2286+EPSG:6360`, or the name of a system without a code.
    pub fn reference(&self) -> String {
        self.coded().unwrap_or_else(|| self.name().to_string())
    }

    /// `EPSG:2286 NAD83 / Washington South (ftUS)`: for messages.
    pub fn label(&self) -> String {
        match self.coded() {
            Some(code) => format!("{code} {}", self.name()),
            None => format!("{} (a system without a code)", self.name()),
        }
    }

    /// The code, or those of the parts.
    fn coded(&self) -> Option<String> {
        let parts = || self.part_codes().map(|(one, two)| format!("EPSG:{one}+EPSG:{two}"));
        self.code().map(|code| format!("EPSG:{code}")).or_else(parts)
    }

    /// Kind of system.
    pub fn kind(&self) -> CrsKind {
        self.0.kind
    }

    /// True if the registry has withdrawn the system.
    pub fn is_deprecated(&self) -> bool {
        self.0.deprecated
    }

    /// Codes that replace a withdrawn system.
    pub fn replaced_by(&self) -> &[u32] {
        &self.0.replaced_by
    }

    /// Other names of the system.
    pub fn aliases(&self) -> Vec<&'static str> {
        self.code().map(crs_aliases).unwrap_or_default()
    }

    /// Datum; none for vertical and engineering systems.
    pub fn datum(&self) -> Option<&Datum> {
        self.0.datum.as_ref()
    }

    /// Ellipsoid of the datum.
    pub fn ellipsoid(&self) -> Option<&Ellipsoid> {
        self.datum().map(Datum::ellipsoid)
    }

    /// Axes in the order of the registry; of a compound system those of both parts.
    pub fn axes(&self) -> &[Axis] {
        &self.0.axes
    }

    /// True if the registry gives the northing, southing or latitude first: then files that follow
    /// it have their numbers the other way round than x, y.
    ///
    /// ```
    /// # use velvet_peg_core::Crs;
    /// assert!(Crs::from_epsg(4326)?.is_northing_first());
    /// assert!(!Crs::from_epsg(2286)?.is_northing_first());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn is_northing_first(&self) -> bool {
        let Some(first) = self.horizontal().as_ref().unwrap_or(self).0.axes.first().cloned() else {
            return false;
        };
        // At the poles all axes run north or south, along a meridian: the name tells.
        match &*first.direction {
            direction if direction.contains("along") => first.name.ends_with("orthing"),
            direction => matches!(direction, "north" | "south"),
        }
    }

    /// Area of use.
    pub fn extent(&self) -> &Extent {
        &self.0.extent
    }

    /// The system that a projected one stands on.
    pub fn base(&self) -> Option<Crs> {
        match self.horizontal() {
            Some(part) => part.0.base.get(),
            None => self.0.base.get(),
        }
    }

    /// The horizontal part of a compound system.
    pub fn horizontal(&self) -> Option<Crs> {
        self.0.horizontal.get()
    }

    /// Defining conversion of a projected system.
    pub fn conversion(&self) -> Option<&Conversion> {
        self.0.conversion.as_ref()
    }

    /// The projected system that this one follows from by turning, scaling and shifting its plane, if it
    /// does.
    pub fn derived(&self) -> Option<&Derived> {
        self.0.derived.as_ref()
    }

    /// The map projection.
    ///
    /// # Errors
    /// If the system is not projected.
    pub fn projection(&self) -> Result<&Projection> {
        match self.mapping()? {
            Mapping::Projected { projection, .. } => Ok(projection),
            _ => Err(Error::unsupported(format!("{} is not projected", self.label()))),
        }
    }

    /// What the third coordinate stands for.
    pub fn height(&self) -> &Height {
        &self.0.height
    }

    /// Name of the vertical part of a compound system.
    pub fn vertical_name(&self) -> Option<&str> {
        match &self.0.height {
            Height::GravityRelated(vertical) => Some(&vertical.name),
            _ => None,
        }
    }

    /// True if coordinates are longitude and latitude.
    pub fn is_geographic(&self) -> bool {
        matches!(self.0.mapping, Ok(Mapping::Geographic(_)))
            || matches!(self.kind(), CrsKind::Geographic2D | CrsKind::Geographic3D)
    }

    /// True if coordinates are eastings and northings on a map projection.
    pub fn is_projected(&self) -> bool {
        self.0.conversion.is_some()
    }

    /// True if coordinates are geocentric X, Y, Z.
    pub fn is_geocentric(&self) -> bool {
        self.kind() == CrsKind::Geocentric
    }

    /// True if the third coordinate is an ellipsoidal height (or geocentric Z).
    pub fn has_ellipsoidal_height(&self) -> bool {
        matches!(self.0.height, Height::Ellipsoidal(_) | Height::Geocentric)
    }

    /// Unit of length of the horizontal axes of a projected or geocentric system.
    pub fn length_unit(&self) -> Option<LengthUnit> {
        match &self.0.mapping {
            Ok(Mapping::Projected { unit, .. } | Mapping::Geocentric(unit)) => Some(*unit),
            _ if self.is_geographic() => None,
            _ => self.0.axes.first().and_then(Axis::length),
        }
    }

    /// Unit of the horizontal axes.
    pub fn unit_name(&self) -> &'static str {
        match (self.length_unit(), &self.0.mapping) {
            (Some(unit), _) => unit.name(),
            (None, Ok(Mapping::Geographic(unit))) => unit.name(),
            _ => "unknown unit",
        }
    }

    /// Name of that unit for more than one: `US survey feet`.
    pub fn unit_plural(&self) -> String {
        match self.unit_name().strip_suffix("foot") {
            Some(kind) => format!("{kind}feet"),
            None => format!("{}s", self.unit_name()),
        }
    }

    /// Degrees in one unit of a geographic system's axes.
    pub fn degrees_per_unit(&self) -> Option<f64> {
        match &self.0.mapping {
            Ok(Mapping::Geographic(unit)) => Some(unit.degrees()),
            _ => None,
        }
    }

    pub(crate) fn mapping(&self) -> Result<&Mapping> {
        self.0.mapping.as_ref().map_err(Clone::clone)
    }
}

impl PartialEq for Crs {
    /// Two systems are equal if they are the same row of the registry; without codes, if their
    /// names, datums, conversions, heights, parts, and the directions and units of the axes are. Use
    /// [`crate::definition::identify`] to compare what definitions say.
    fn eq(&self, other: &Crs) -> bool {
        match (self.code(), other.code()) {
            (Some(a), Some(b)) => a == b,
            (None, None) => Arc::ptr_eq(&self.0, &other.0) || self.is_same_structure(other),
            _ => false,
        }
    }
}

impl Crs {
    fn is_same_structure(&self, other: &Crs) -> bool {
        let (a, b) = (&self.0, &other.0);
        let same_datum = match (&a.datum, &b.datum) {
            (Some(a), Some(b)) => a.is_same(b) && a.ellipsoid() == b.ellipsoid(),
            (None, None) => true,
            _ => false,
        };
        let same_conversion = match (&a.conversion, &b.conversion) {
            (Some(a), Some(b)) => a.is_same(b),
            (None, None) => true,
            _ => false,
        };
        a.name == b.name
            && a.kind == b.kind
            && same_datum
            && same_conversion
            && a.axes.len() == b.axes.len()
            && a.axes.iter().zip(&b.axes).all(|(a, b)| a.counts_like(b))
            && a.height == b.height
            && self.base() == other.base()
            && match (&a.derived, &b.derived) {
                (Some(a), Some(b)) => a.turn == b.turn && a.from == b.from,
                (None, None) => true,
                _ => false,
            }
            && self.horizontal() == other.horizontal()
    }
}

/// The datum that a system stands on, through its base systems.
pub(crate) fn datum_code(row: &CrsRow) -> Option<u32> {
    let mut datum = row.datum;
    let mut base = row.base.or(row.horizontal);
    while datum.is_none() {
        let parent = CrsRow::find(base?)?;
        (datum, base) = (parent.datum, parent.base);
    }
    datum
}
