//! Coordinate reference systems, resolved from the registry.
//!
//! A [`Crs`] is immutable, cheap to clone and shareable between threads. Whatever order the
//! registry lists the axes in, coordinates in this library are `x, y[, z]`: longitude or
//! easting first, in the units and the sense of the system's axes.

mod datum;
mod find;
mod reference;

pub use datum::{Datum, PrimeMeridian};
pub use find::{Match, find};

use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Kind, Result};
use crate::extent::Extent;
use crate::projection::{Parameters, Projection};
use crate::unit::{AngleUnit, LengthUnit};
use std::sync::Arc;
use velvet_peg_epsg::{
    AxisRow, CoordinateSystemRow, CrsKind, CrsRow, OperationRow, crs_aliases, method_name,
};

/// A coordinate reference system.
#[derive(Clone, Debug)]
pub struct Crs(Arc<Inner>);

#[derive(Debug)]
struct Inner {
    row: CrsRow,
    datum: Option<Datum>,
    axes: Vec<AxisRow>,
    extent: Extent,
    conversion: Option<Conversion>,
    mapping: Result<Mapping>,
    vertical: Option<CrsRow>,
}

/// The defining conversion of a projected system.
#[derive(Clone, Debug)]
pub struct Conversion {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
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
    /// The system of an EPSG code. Systems whose projection cannot be computed yet are
    /// found too; a [`crate::Converter`] will refuse them and say why.
    ///
    /// ```
    /// # use velvet_peg_core::Crs;
    /// let crs = Crs::from_epsg(2286)?;
    /// assert_eq!(crs.name(), "NAD83 / Washington South (ftUS)");
    /// assert_eq!(crs.unit_name(), "US survey foot");
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the registry has no such system.
    pub fn from_epsg(code: u32) -> Result<Crs> {
        let row = CrsRow::find(code).ok_or_else(|| {
            Error::new(
                Kind::Unknown,
                format!(
                    "EPSG:{code} is not a reference system of the registry (version {}); search \
                     with words, for example `vpeg crs find washington south`",
                    velvet_peg_epsg::VERSION
                ),
            )
        })?;
        let horizontal = match row.horizontal {
            Some(code) => Some(Crs::from_epsg(code)?),
            None => None,
        };
        let mut inner = Inner {
            datum: None,
            axes: row
                .coordinate_system
                .and_then(CoordinateSystemRow::find)
                .map(|system| system.axes)
                .unwrap_or_default(),
            extent: Extent::of_codes(&row.extents),
            conversion: None,
            mapping: Err(no_position(&row)),
            vertical: row.vertical.and_then(CrsRow::find),
            row,
        };
        if let Some(Crs(part)) = horizontal {
            inner.datum = part.datum.clone();
            inner.axes = part.axes.clone();
            inner.conversion = part.conversion.clone();
            inner.mapping = part.mapping.clone();
            return Ok(Crs(Arc::new(inner)));
        }
        if matches!(
            inner.row.kind,
            CrsKind::Projected
                | CrsKind::Geographic2D
                | CrsKind::Geographic3D
                | CrsKind::Geocentric
        ) {
            inner.datum = Some(Datum::from_epsg(datum_code(&inner.row).ok_or_else(|| {
                Error::new(Kind::Unknown, format!("EPSG:{code} leads to no datum"))
            })?)?);
            if inner.row.kind == CrsKind::Projected {
                inner.conversion = inner.row.conversion.map(conversion).transpose()?;
            }
            inner.mapping = mapping(&inner);
        }
        Ok(Crs(Arc::new(inner)))
    }

    /// EPSG code.
    pub fn code(&self) -> u32 {
        self.0.row.code
    }

    /// Name in the registry.
    pub fn name(&self) -> &'static str {
        self.0.row.name
    }

    /// `EPSG:2286 NAD83 / Washington South (ftUS)`: for messages.
    pub fn label(&self) -> String {
        format!("EPSG:{} {}", self.code(), self.name())
    }

    /// Kind of system.
    pub fn kind(&self) -> CrsKind {
        self.0.row.kind
    }

    /// True if the registry has withdrawn the system.
    pub fn is_deprecated(&self) -> bool {
        self.0.row.deprecated
    }

    /// Codes that replace a withdrawn system.
    pub fn replaced_by(&self) -> &[u32] {
        &self.0.row.replaced_by
    }

    /// Other names of the system.
    pub fn aliases(&self) -> Vec<&'static str> {
        crs_aliases(self.code())
    }

    /// Datum; none for vertical and engineering systems.
    pub fn datum(&self) -> Option<&Datum> {
        self.0.datum.as_ref()
    }

    /// Ellipsoid of the datum.
    pub fn ellipsoid(&self) -> Option<&Ellipsoid> {
        self.datum().map(Datum::ellipsoid)
    }

    /// Axes in the order of the registry.
    pub fn axes(&self) -> &[AxisRow] {
        &self.0.axes
    }

    /// Area of use.
    pub fn extent(&self) -> &Extent {
        &self.0.extent
    }

    /// The system that a projected one stands on.
    pub fn base(&self) -> Option<Crs> {
        let row = match self.0.row.horizontal {
            Some(code) => CrsRow::find(code)?,
            None => self.0.row.clone(),
        };
        Crs::from_epsg(row.base?).ok()
    }

    /// Defining conversion of a projected system.
    pub fn conversion(&self) -> Option<&Conversion> {
        self.0.conversion.as_ref()
    }

    /// The map projection.
    ///
    /// # Errors
    /// If the system is not projected, or by a method that cannot be computed yet.
    pub fn projection(&self) -> Result<&Projection> {
        match self.mapping()? {
            Mapping::Projected { projection, .. } => Ok(projection),
            _ => Err(Error::unsupported(format!("{} is not projected", self.label()))),
        }
    }

    /// Name of the vertical part of a compound system.
    pub fn vertical_name(&self) -> Option<&'static str> {
        self.0.vertical.as_ref().map(|row| row.name)
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
        matches!(self.kind(), CrsKind::Geographic3D | CrsKind::Geocentric)
    }

    /// Unit of length of the horizontal axes of a projected or geocentric system.
    pub fn length_unit(&self) -> Option<LengthUnit> {
        match &self.0.mapping {
            Ok(Mapping::Projected { unit, .. } | Mapping::Geocentric(unit)) => Some(*unit),
            _ if self.is_geographic() => None,
            _ => self.0.axes.first().and_then(|axis| LengthUnit::from_epsg(axis.unit?).ok()),
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

    pub(crate) fn mapping(&self) -> Result<&Mapping> {
        self.0.mapping.as_ref().map_err(Clone::clone)
    }
}

impl PartialEq for Crs {
    /// Two systems are equal if they are the same row of the registry.
    fn eq(&self, other: &Crs) -> bool {
        self.code() == other.code()
    }
}

fn no_position(row: &CrsRow) -> Error {
    Error::unsupported(format!(
        "EPSG:{} {} has no horizontal position to compute with",
        row.code, row.name
    ))
}

/// The datum that a system stands on, through its base systems.
pub(crate) fn datum_code(row: &CrsRow) -> Option<u32> {
    let mut datum = row.datum;
    let mut base = row.base;
    while datum.is_none() {
        let parent = CrsRow::find(base?)?;
        (datum, base) = (parent.datum, parent.base);
    }
    datum
}

fn conversion(code: u32) -> Result<Conversion> {
    let row = OperationRow::find(code).ok_or_else(|| {
        Error::new(Kind::Unknown, format!("the registry has no conversion {code}"))
    })?;
    Ok(Conversion {
        code,
        name: row.name,
        method_code: row.method.unwrap_or(0),
        parameters: Parameters::from_registry(&row.parameters)?,
    })
}

fn mapping(inner: &Inner) -> Result<Mapping> {
    let axis_unit =
        inner.axes.first().and_then(|axis| axis.unit).ok_or_else(|| no_position(&inner.row))?;
    match inner.row.kind {
        CrsKind::Geographic2D | CrsKind::Geographic3D => {
            AngleUnit::from_epsg(axis_unit).map(Mapping::Geographic)
        }
        CrsKind::Geocentric => LengthUnit::from_epsg(axis_unit).map(Mapping::Geocentric),
        _ => {
            let (conversion, datum) = match (&inner.conversion, &inner.datum) {
                (Some(conversion), Some(datum)) => (conversion, datum),
                _ => return Err(no_position(&inner.row)),
            };
            let projection =
                Projection::new(conversion.method_code, &conversion.parameters, datum.ellipsoid())?;
            let (west, south) = projection.counts_west_south();
            let sense = |back: &str, method: bool| {
                let axis = inner.axes.iter().any(|axis| axis.orientation == back);
                if axis == method { 1.0 } else { -1.0 }
            };
            Ok(Mapping::Projected {
                projection: Box::new(projection),
                unit: LengthUnit::from_epsg(axis_unit)?,
                x_sense: sense("west", west),
                y_sense: sense("south", south),
            })
        }
    }
}
