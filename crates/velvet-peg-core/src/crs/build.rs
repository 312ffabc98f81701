//! Making a system: from a row of the registry, or from its parts.

use super::{
    Axis, AxisUnit, Conversion, Crs, Datum, Derived, Height, Inner, Mapping, Parent, VerticalCrs,
    datum_code,
};
use crate::error::{Error, Kind, Result};
use crate::extent::{Bounds, Extent};
use crate::projection::{Parameters, PlaneMove, Projection};
use crate::unit::{AngleUnit, LengthUnit};
use std::borrow::Cow;
use std::sync::Arc;
use velvet_peg_epsg::{CoordinateSystemRow, CrsKind, CrsRow, OperationRow};

impl Crs {
    /// The system that the registry gives exactly this name and has not withdrawn; the first by its code,
    /// where there are several. Names that people write are for [`Crs::parse`].
    ///
    /// ```
    /// # use velvet_peg_core::Crs;
    /// assert_eq!(Crs::named("NAD83 / UTM zone 11N").and_then(|crs| crs.code()), Some(26911));
    /// assert!(Crs::named("nad83 utm 11n").is_none());
    /// ```
    pub fn named(name: &str) -> Option<Crs> {
        Crs::from_epsg(CrsRow::named(name)?.code).ok()
    }

    /// The system of an EPSG code.
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
                    "EPSG:{code} is not a reference system of the registry (version {}); words \
                     find it, such as \"washington south\"",
                    velvet_peg_epsg::VERSION
                ),
            )
        })?;
        let axes: Vec<Axis> = row
            .coordinate_system
            .and_then(CoordinateSystemRow::find)
            .map(|system| system.axes.iter().map(Axis::from_row).collect())
            .unwrap_or_default();
        let mut inner = Inner {
            code: Some(code),
            name: row.name.into(),
            kind: row.kind,
            deprecated: row.deprecated,
            datum: None,
            extent: Extent::of_codes(&row.extents),
            conversion: None,
            mapping: Err(no_position(code, row.name)),
            height: Height::None,
            base: row.base.map_or(Parent::None, Parent::Code),
            horizontal: row.horizontal.map_or(Parent::None, Parent::Code),
            derived: None,
            axes,
            replaced_by: row.replaced_by.clone(),
        };
        match row.kind {
            CrsKind::Compound => {
                if let Some(Crs(part)) = row.horizontal.map(Crs::from_epsg).transpose()? {
                    inner.take_horizontal(&part);
                }
                if let Some(part) = row.vertical.and_then(CrsRow::find) {
                    let system = part.coordinate_system.and_then(CoordinateSystemRow::find);
                    let axes = system.map(|system| system.axes).unwrap_or_default();
                    inner.axes.extend(axes.iter().map(Axis::from_row));
                    inner.height =
                        VerticalCrs::from_row(&part).map_or(Height::None, Height::GravityRelated);
                }
            }
            CrsKind::Vertical => {
                inner.height =
                    VerticalCrs::from_row(&row).map_or(Height::None, Height::GravityRelated);
            }
            CrsKind::Engineering | CrsKind::Derived => {}
            _ => {
                inner.datum = Some(Datum::from_epsg(datum_code(&row).ok_or_else(|| {
                    Error::new(Kind::Unknown, format!("EPSG:{code} leads to no datum"))
                })?)?);
                if row.kind == CrsKind::Projected {
                    inner.conversion = row.conversion.map(conversion).transpose()?;
                }
                inner.complete();
            }
        }
        Ok(Crs(Arc::new(inner)))
    }

    /// A geographic system on a datum of one's own: longitude and latitude in degrees.
    ///
    /// ```
    /// use velvet_peg_core::{Crs, Ellipsoid};
    /// use velvet_peg_core::crs::{Datum, PrimeMeridian};
    /// let airy = Ellipsoid::new(6_377_563.396, 299.324_964_6)?;
    /// let datum = Datum::custom("Tumblewick 1931", airy, "Airy", PrimeMeridian::greenwich());
    /// let crs = Crs::geographic("Tumblewick 1931", datum)?;
    /// assert!(crs.is_geographic() && crs.code().is_none());
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// None at present; kept for checks of the datum.
    pub fn geographic(name: &str, datum: Datum) -> Result<Crs> {
        let degree = AxisUnit::Angle(AngleUnit::DEGREE);
        let axes = vec![
            Axis::new("Geodetic latitude", "Lat", "north", degree),
            Axis::new("Geodetic longitude", "Lon", "east", degree),
        ];
        Custom { kind: CrsKind::Geographic2D, datum: Some(datum), axes, ..Custom::named(name) }
            .build()
    }

    /// A projected system from parameters: a county's low-distortion zone, an old survey's
    /// plane, anything of one of the [`crate::projection::method_codes`]. Coordinates are eastings and northings
    /// in `unit`; parameters carry EPSG codes, angles in degrees, lengths in metres.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Coordinate, Crs, LengthUnit};
    /// use velvet_peg_core::projection::Parameters;
    /// let base = Crs::from_epsg(6318)?; // NAD83(2011)
    /// let zone = Parameters::new()
    ///     .angle(8801, 47.0).angle(8802, -120.0).scale(8805, 1.000_04)
    ///     .length(8806, 50_000.0).length(8807, 10_000.0);
    /// let foot = LengthUnit::US_SURVEY_FOOT;
    /// let crs = Crs::projected("Tumblewick Low Distortion", &base, 9807, zone, foot)?;
    /// let at = Converter::new(&base, &crs)?.convert(Coordinate::xy(-120.0, 47.4))?;
    /// assert!((at.x * foot.metres() - 50_000.0).abs() < 1e-8);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the base is not geographic, or the parameters describe no projection.
    pub fn projected(
        name: &str,
        base: &Crs,
        method_code: u32,
        parameters: Parameters,
        unit: LengthUnit,
    ) -> Result<Crs> {
        let unit = AxisUnit::Length(unit);
        let axes = vec![
            Axis::new("Easting", "E", "east", unit),
            Axis::new("Northing", "N", "north", unit),
        ];
        let conversion =
            Conversion { code: None, name: name.to_string().into(), method_code, parameters };
        Custom {
            kind: CrsKind::Projected,
            datum: base.datum().cloned(),
            axes,
            conversion: Some(conversion),
            base: Some(base.clone()),
            ..Custom::named(name)
        }
        .build()
    }

    /// A projected system whose plane is turned, scaled and shifted, or stretched and skewed as well: a site's
    /// own grid. Its axes, their unit and its area are those of the system that it follows from.
    ///
    /// ```
    /// use velvet_peg_core::{Converter, Coordinate, Crs};
    /// use velvet_peg_core::projection::PlaneSimilarity;
    /// let zone = Crs::from_epsg(2285)?;
    /// let turn = PlaneSimilarity::about((1_850_000.0, 150_000.0), 1.0, -30.0, (-1_840_000.0, -140_000.0))?;
    /// let site = Crs::turned("Tumblewick site", &zone, turn)?;
    /// let at = Converter::new(&zone, &site)?.convert(Coordinate::xy(1_850_000.0, 150_000.0))?;
    /// assert!((at.x - 10_000.0).abs() < 1e-6 && (at.y - 10_000.0).abs() < 1e-6);
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the system is not projected, is turned itself, or counts westings or southings.
    pub fn turned(name: &str, from: &Crs, turn: impl Into<PlaneMove>) -> Result<Crs> {
        let refused = |why: &str| {
            Error::unsupported(format!("the plane of {} cannot be turned: {why}", from.label()))
        };
        let sound = match from.mapping()? {
            Mapping::Projected { projection, x_sense, y_sense, .. } => {
                projection.counts_west_south() == (false, false)
                    && (*x_sense, *y_sense) == (1.0, 1.0)
            }
            _ => return Err(refused("it is no plane")),
        };
        if !sound {
            return Err(refused("it counts westings or southings"));
        }
        if from.derived().is_some() {
            return Err(refused("it is turned itself: turn the one that it follows from"));
        }
        if from.horizontal().is_some() {
            return Err(refused("it has heights: turn its horizontal part"));
        }
        Custom {
            kind: CrsKind::Projected,
            datum: from.datum().cloned(),
            axes: {
                let unit = from.axes().first().map_or(AxisUnit::Other, |axis| axis.unit);
                vec![
                    Axis::new("Easting", "E", "east", unit),
                    Axis::new("Northing", "N", "north", unit),
                ]
            },
            conversion: from.conversion().cloned(),
            base: from.base(),
            derived: Some(Derived { from: from.clone(), turn: turn.into() }),
            ..Custom::named(name)
        }
        .build()
        .map(|crs| crs.with_extent(from.extent().clone()))
    }

    /// The same system with another area of use.
    pub(crate) fn with_extent(&self, area: Extent) -> Crs {
        let mut inner = (*self.0).clone();
        inner.extent = area;
        Crs(Arc::new(inner))
    }

    /// A horizontal and a vertical system taken together.
    ///
    /// ```
    /// use velvet_peg_core::Crs;
    /// use velvet_peg_core::crs::Height;
    /// let both = Crs::compound(&Crs::from_epsg(2286)?, &Crs::from_epsg(6360)?)?; // NAVD88, ftUS
    /// assert!(matches!(both.height(), Height::GravityRelated(_)));
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the first has no horizontal position, or the second no height.
    pub fn compound(horizontal: &Crs, vertical: &Crs) -> Result<Crs> {
        horizontal.mapping()?;
        let Height::GravityRelated(height) = vertical.height() else {
            return Err(Error::malformed(format!(
                "{} is not a vertical reference system",
                vertical.label()
            )));
        };
        let name = format!("{} + {}", horizontal.name(), vertical.name());
        Custom {
            kind: CrsKind::Compound,
            horizontal: Some(horizontal.clone()),
            axes: vertical.axes().to_vec(),
            height: Some(Height::GravityRelated(height.clone())),
            ..Custom::named(&name)
        }
        .build()
    }
}

/// The parts of a system that has no row.
pub(crate) struct Custom {
    pub(crate) name: Cow<'static, str>,
    pub(crate) kind: CrsKind,
    pub(crate) datum: Option<Datum>,
    /// Of a compound system those of its vertical part only.
    pub(crate) axes: Vec<Axis>,
    pub(crate) conversion: Option<Conversion>,
    pub(crate) base: Option<Crs>,
    pub(crate) horizontal: Option<Crs>,
    /// Given for vertical and compound systems; otherwise it follows from the axes.
    pub(crate) height: Option<Height>,
    pub(crate) area: Option<Bounds>,
    pub(crate) derived: Option<Derived>,
}

impl Custom {
    pub(crate) fn named(name: &str) -> Custom {
        Custom {
            name: name.to_string().into(),
            kind: CrsKind::Engineering,
            datum: None,
            axes: Vec::new(),
            conversion: None,
            base: None,
            horizontal: None,
            height: None,
            area: None,
            derived: None,
        }
    }

    pub(crate) fn build(self) -> Result<Crs> {
        let given = |crs: Option<Crs>| crs.map_or(Parent::None, Parent::Given);
        let extent = match (self.area, &self.horizontal, &self.base) {
            (Some(bounds), _, _) => Extent::stated(bounds),
            (None, Some(part), _) => part.extent().clone(),
            _ => Extent::not_stated(),
        };
        let mut inner = Inner {
            code: None,
            mapping: Err(Error::unsupported(format!("{} has no horizontal position", self.name))),
            name: self.name,
            kind: self.kind,
            deprecated: false,
            replaced_by: Vec::new(),
            datum: self.datum,
            axes: self.axes,
            extent,
            conversion: self.conversion,
            height: self.height.clone().unwrap_or(Height::None),
            base: given(self.base),
            horizontal: given(self.horizontal.clone()),
            derived: self.derived,
        };
        match self.kind {
            CrsKind::Compound => {
                if let Some(Crs(part)) = &self.horizontal {
                    let vertical_axes = std::mem::take(&mut inner.axes);
                    inner.take_horizontal(part);
                    inner.axes.extend(vertical_axes);
                }
            }
            CrsKind::Vertical | CrsKind::Engineering | CrsKind::Derived => {}
            _ => {
                inner.complete();
                inner.mapping.as_ref().map_err(Clone::clone)?;
            }
        }
        Ok(Crs(Arc::new(inner)))
    }
}

impl Inner {
    fn take_horizontal(&mut self, part: &Inner) {
        self.datum = part.datum.clone();
        self.axes = part.axes.clone();
        self.conversion = part.conversion.clone();
        self.mapping = part.mapping.clone();
        self.derived = part.derived.clone();
    }

    /// What follows from datum, axes and conversion: the mapping and the kind of height.
    fn complete(&mut self) {
        self.mapping = mapping(self);
        self.height = match (self.kind, self.axes.get(2).and_then(Axis::length)) {
            (CrsKind::Geocentric, _) => Height::Geocentric,
            (_, Some(unit)) => Height::Ellipsoidal(unit),
            _ => Height::None,
        };
    }
}

fn no_position(code: u32, name: &str) -> Error {
    Error::unsupported(format!("EPSG:{code} {name} has no horizontal position to compute with"))
}

fn conversion(code: u32) -> Result<Conversion> {
    let row = OperationRow::find(code).ok_or_else(|| {
        Error::new(Kind::Unknown, format!("the registry has no conversion {code}"))
    })?;
    Ok(Conversion {
        code: Some(code),
        name: row.name.into(),
        method_code: row.method.unwrap_or(0),
        parameters: Parameters::from_registry(&row.parameters)?,
    })
}

fn mapping(inner: &Inner) -> Result<Mapping> {
    let lacks = |what: &str| Error::malformed(format!("{} lacks {what}", inner.name));
    let unit = inner.axes.first().map(|axis| axis.unit).ok_or_else(|| lacks("axes"))?;
    match (inner.kind, unit) {
        (CrsKind::Geographic2D | CrsKind::Geographic3D, AxisUnit::Angle(unit)) => {
            Ok(Mapping::Geographic(unit))
        }
        (CrsKind::Geocentric, AxisUnit::Length(unit)) => Ok(Mapping::Geocentric(unit)),
        (CrsKind::Projected, AxisUnit::Length(unit)) => {
            let conversion = inner.conversion.as_ref().ok_or_else(|| lacks("a conversion"))?;
            let datum = inner.datum.as_ref().ok_or_else(|| lacks("a datum"))?;
            let projection =
                Projection::new(conversion.method_code, &conversion.parameters, datum.ellipsoid())?;
            let projection = match &inner.derived {
                Some(derived) => projection.turned(derived.turn.in_metres(unit.metres())),
                None => projection,
            };
            let (west, south) = projection.counts_west_south();
            let sense = |back: &str, method: bool| {
                let axis = inner.axes.iter().any(|axis| axis.direction == back);
                if axis == method { 1.0 } else { -1.0 }
            };
            Ok(Mapping::Projected {
                unit,
                x_sense: sense("west", west),
                y_sense: sense("south", south),
                projection: Box::new(projection),
            })
        }
        _ => Err(lacks("axes in a unit that fits its kind")),
    }
}
