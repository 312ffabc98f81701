//! The rows of the dataset's tables, as plain facts.
//!
//! Each type has `find(code)`, which decodes that row alone. Texts borrow from the embedded
//! bytes. What a row means (units applied, parents resolved) is the computing crate's
//! business.

use crate::table::{Reader, Table};
use crate::{Decimal, data};

/// What kind of coordinate reference system a row describes (ISO 19111 terms).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum CrsKind {
    Projected,
    Geographic2D,
    Geographic3D,
    Geocentric,
    Vertical,
    Compound,
    Engineering,
    Derived,
}

/// What kind of coordinate operation a row describes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum OperationKind {
    Conversion,
    Transformation,
    Concatenated,
    PointMotion,
}

/// What kind of datum a row describes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub enum DatumKind {
    Geodetic,
    DynamicGeodetic,
    Vertical,
    Engineering,
    Ensemble,
}

/// A coordinate reference system.
#[derive(Clone, Debug)]
pub struct CrsRow {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// Kind of system.
    pub kind: CrsKind,
    /// True if the dataset has withdrawn the row.
    pub deprecated: bool,
    /// Coordinate system (axes and units); none for compound systems.
    pub coordinate_system: Option<u32>,
    /// Datum or datum ensemble, if the row names one of its own.
    pub datum: Option<u32>,
    /// Base system of a projected (or derived) one.
    pub base: Option<u32>,
    /// Defining conversion of a projected (or derived) system.
    pub conversion: Option<u32>,
    /// Horizontal part of a compound system.
    pub horizontal: Option<u32>,
    /// Vertical part of a compound system.
    pub vertical: Option<u32>,
    /// Areas of use.
    pub extents: Vec<u32>,
    /// Codes that replace this one, if deprecated.
    pub replaced_by: Vec<u32>,
}

/// The value of one parameter of an operation.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Value {
    /// A number in the unit of the given code; none where the dataset gives none.
    Number(Decimal, Option<u32>),
    /// The name of a file, such as a grid of shifts.
    File(&'static str),
}

/// A conversion, transformation or chain of them.
#[derive(Clone, Debug)]
pub struct OperationRow {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// Kind of operation.
    pub kind: OperationKind,
    /// True if the dataset has withdrawn the row.
    pub deprecated: bool,
    /// Method; none for concatenated operations.
    pub method: Option<u32>,
    /// Source system; none for conversions.
    pub source: Option<u32>,
    /// Target system; none for conversions.
    pub target: Option<u32>,
    /// Stated accuracy in metres.
    pub accuracy_m: Option<Decimal>,
    /// Variant number among operations between the same two systems.
    pub variant: u32,
    /// Areas of use.
    pub extents: Vec<u32>,
    /// Operations that supersede this one.
    pub superseded_by: Vec<u32>,
    /// Steps of a concatenated operation, in order.
    pub steps: Vec<u32>,
    /// Parameter codes with their values.
    pub parameters: Vec<(u32, Value)>,
}

/// A datum, reference frame or datum ensemble.
#[derive(Clone, Debug)]
pub struct DatumRow {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// Kind of datum.
    pub kind: DatumKind,
    /// True if the dataset has withdrawn the row.
    pub deprecated: bool,
    /// Ellipsoid (for an ensemble: that of its members).
    pub ellipsoid: Option<u32>,
    /// Prime meridian (for an ensemble: that of its members).
    pub prime_meridian: Option<u32>,
    /// Frame reference epoch of a dynamic frame, decimal years.
    pub frame_epoch: Option<Decimal>,
    /// Accuracy of an ensemble, metres.
    pub ensemble_accuracy_m: Option<Decimal>,
    /// Members of an ensemble, in its order.
    pub members: Vec<u32>,
}

/// An ellipsoid of revolution.
#[derive(Clone, Debug)]
pub struct EllipsoidRow {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// Semi-major axis in `unit`.
    pub semi_major: Decimal,
    /// Unit of the axes.
    pub unit: u32,
    /// Inverse flattening, where that is the defining parameter.
    pub inverse_flattening: Option<Decimal>,
    /// Semi-minor axis in `unit`, where that is the defining parameter.
    pub semi_minor: Option<Decimal>,
}

/// A prime meridian.
#[derive(Clone, Debug)]
pub struct PrimeMeridianRow {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// Longitude from Greenwich, east positive, in `unit`.
    pub longitude: Decimal,
    /// Unit of the longitude.
    pub unit: u32,
}

/// A unit of measure. One unit is `factor_b / factor_c` of its target unit.
#[derive(Clone, Debug)]
pub struct UnitRow {
    /// EPSG code.
    pub code: u32,
    /// Name.
    pub name: &'static str,
    /// `length`, `angle`, `scale` or `time`.
    pub kind: &'static str,
    /// Standard unit that the factors lead to.
    pub target: Option<u32>,
    /// Numerator of the factor; absent for packed representations.
    pub factor_b: Option<Decimal>,
    /// Denominator of the factor.
    pub factor_c: Option<Decimal>,
}

/// One axis of a coordinate system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AxisRow {
    /// Name.
    pub name: &'static str,
    /// Abbreviation.
    pub abbreviation: &'static str,
    /// Direction, in the dataset's words: `east`, `north`, `South along 90°E` ...
    pub orientation: &'static str,
    /// Unit.
    pub unit: Option<u32>,
}

/// A coordinate system: its axes in registry order.
#[derive(Clone, Debug)]
pub struct CoordinateSystemRow {
    /// EPSG code.
    pub code: u32,
    /// `Cartesian`, `ellipsoidal`, `vertical` ...
    pub kind: &'static str,
    /// Axes in the order that the registry gives them.
    pub axes: Vec<AxisRow>,
}

/// Limits of an area in degrees: latitudes on, longitudes from Greenwich. `west > east`
/// where the box crosses the 180° meridian.
#[derive(Clone, Copy, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct BoundingBox {
    pub south: f64,
    pub west: f64,
    pub north: f64,
    pub east: f64,
}

/// An area of use.
#[derive(Clone, Debug)]
pub struct ExtentRow {
    /// EPSG code.
    pub code: u32,
    /// Short name.
    pub name: &'static str,
    /// Description; for state-plane zones the list of counties.
    pub description: &'static str,
    /// Bounding box, if the dataset gives one.
    pub bounds: Option<BoundingBox>,
}

/// Kinds in the order of their numbers.
const CRS_KINDS: [CrsKind; 8] = [
    CrsKind::Projected,
    CrsKind::Geographic2D,
    CrsKind::Geographic3D,
    CrsKind::Geocentric,
    CrsKind::Vertical,
    CrsKind::Compound,
    CrsKind::Engineering,
    CrsKind::Derived,
];

impl CrsRow {
    /// The first system of exactly this name that is not withdrawn. Nothing else is decoded.
    pub fn named(name: &str) -> Option<CrsRow> {
        let is_named = |mut row: Reader| row.byte() & 1 == 0 && row.text_bytes() == name.as_bytes();
        let at = (0..Self::TABLE.len()).find(|at| is_named(Self::TABLE.row_at(*at)))?;
        Some(decode_crs(Self::TABLE.code_at(at), Self::TABLE.row_at(at)))
    }

    /// The systems of a kind that are not withdrawn, in rising order of code. No others are decoded.
    pub fn current(kind: CrsKind) -> impl Iterator<Item = CrsRow> {
        let is_wanted = move |mut row: Reader| {
            let flags = row.byte();
            flags & 1 == 0 && CRS_KINDS.get(usize::from(flags >> 1)) == Some(&kind)
        };
        (0..Self::TABLE.len())
            .filter(move |at| is_wanted(Self::TABLE.row_at(*at)))
            .map(|at| decode_crs(Self::TABLE.code_at(at), Self::TABLE.row_at(at)))
    }
}

fn decode_crs(code: u32, mut row: Reader) -> CrsRow {
    let flags = row.byte();
    CrsRow {
        code,
        kind: CRS_KINDS.get(usize::from(flags >> 1)).copied().unwrap_or(CrsKind::Derived),
        deprecated: flags & 1 == 1,
        name: row.text(),
        coordinate_system: row.optional_code(),
        datum: row.optional_code(),
        base: row.optional_code(),
        conversion: row.optional_code(),
        horizontal: row.optional_code(),
        vertical: row.optional_code(),
        extents: row.codes(),
        replaced_by: row.codes(),
    }
}

fn decode_operation(code: u32, mut row: Reader) -> OperationRow {
    let flags = row.byte();
    OperationRow {
        code,
        kind: match flags >> 1 {
            0 => OperationKind::Conversion,
            1 => OperationKind::Transformation,
            2 => OperationKind::Concatenated,
            _ => OperationKind::PointMotion,
        },
        deprecated: flags & 1 == 1,
        name: row.text(),
        method: row.optional_code(),
        source: row.optional_code(),
        target: row.optional_code(),
        accuracy_m: row.optional_decimal(),
        variant: row.code(),
        extents: row.codes(),
        superseded_by: row.codes(),
        steps: row.codes(),
        parameters: (0..row.number())
            .map(|_| {
                let parameter = row.code();
                let value = match row.byte() {
                    0 => Value::Number(row.decimal(), row.optional_code()),
                    _ => Value::File(row.text()),
                };
                (parameter, value)
            })
            .collect(),
    }
}

fn decode_datum(code: u32, mut row: Reader) -> DatumRow {
    let flags = row.byte();
    DatumRow {
        code,
        kind: match flags >> 1 {
            0 => DatumKind::Geodetic,
            1 => DatumKind::DynamicGeodetic,
            2 => DatumKind::Vertical,
            3 => DatumKind::Engineering,
            _ => DatumKind::Ensemble,
        },
        deprecated: flags & 1 == 1,
        name: row.text(),
        ellipsoid: row.optional_code(),
        prime_meridian: row.optional_code(),
        frame_epoch: row.optional_decimal(),
        ensemble_accuracy_m: row.optional_decimal(),
        members: row.codes(),
    }
}

fn decode_ellipsoid(code: u32, mut row: Reader) -> EllipsoidRow {
    EllipsoidRow {
        code,
        name: row.text(),
        semi_major: row.decimal(),
        unit: row.code(),
        inverse_flattening: row.optional_decimal(),
        semi_minor: row.optional_decimal(),
    }
}

fn decode_prime_meridian(code: u32, mut row: Reader) -> PrimeMeridianRow {
    PrimeMeridianRow { code, name: row.text(), longitude: row.decimal(), unit: row.code() }
}

fn decode_unit(code: u32, mut row: Reader) -> UnitRow {
    UnitRow {
        code,
        name: row.text(),
        kind: row.text(),
        target: row.optional_code(),
        factor_b: row.optional_decimal(),
        factor_c: row.optional_decimal(),
    }
}

fn decode_coordinate_system(code: u32, mut row: Reader) -> CoordinateSystemRow {
    CoordinateSystemRow {
        code,
        kind: row.text(),
        axes: (0..row.number())
            .map(|_| AxisRow {
                name: row.text(),
                abbreviation: row.text(),
                orientation: row.text(),
                unit: row.optional_code(),
            })
            .collect(),
    }
}

fn decode_extent(code: u32, mut row: Reader) -> ExtentRow {
    ExtentRow { code, name: row.text(), description: row.text(), bounds: row.bounds() }
}

/// Gives a row type its `find`, `all` and `count` over its embedded table.
macro_rules! rows {
    ($($row:ty, $table:ident, $decode:ident, $what:literal;)*) => {$(
        impl $row {
            const TABLE: Table = Table::new(data::$table);

            #[doc = concat!("The ", $what, " with this EPSG code. Decodes that row and no other.")]
            pub fn find(code: u32) -> Option<Self> {
                Self::TABLE.find(code).map(|row| $decode(code, row))
            }

            #[doc = concat!("Every ", $what, ", in rising order of code.")]
            pub fn all() -> impl ExactSizeIterator<Item = Self> {
                (0..Self::TABLE.len())
                    .map(|at| $decode(Self::TABLE.code_at(at), Self::TABLE.row_at(at)))
            }
        }
    )*};
}

rows! {
    CrsRow, CRS, decode_crs, "coordinate reference system";
    OperationRow, OPERATIONS, decode_operation, "coordinate operation";
    DatumRow, DATUMS, decode_datum, "datum";
    EllipsoidRow, ELLIPSOIDS, decode_ellipsoid, "ellipsoid";
    PrimeMeridianRow, PRIME_MERIDIANS, decode_prime_meridian, "prime meridian";
    UnitRow, UNITS, decode_unit, "unit of measure";
    CoordinateSystemRow, COORDINATE_SYSTEMS, decode_coordinate_system, "coordinate system";
    ExtentRow, EXTENTS, decode_extent, "area of use";
}

fn name_in(bytes: &'static [u8], code: u32) -> Option<&'static str> {
    Table::new(bytes).find(code).map(|mut row| row.text())
}

/// The name of a coordinate operation method, such as 9807 "Transverse Mercator".
pub fn method_name(code: u32) -> Option<&'static str> {
    name_in(data::METHODS, code)
}

/// The name of a coordinate operation, without the rest of it.
pub fn operation_name(code: u32) -> Option<&'static str> {
    OperationRow::TABLE.find(code).map(|mut row| {
        row.byte();
        row.text()
    })
}

/// The name of an operation parameter, such as 8801 "Latitude of natural origin".
pub fn parameter_name(code: u32) -> Option<&'static str> {
    name_in(data::PARAMETERS, code)
}

/// Every coordinate operation method: its code and name.
pub fn methods() -> impl Iterator<Item = (u32, &'static str)> {
    names(data::METHODS)
}

/// Every operation parameter: its code and name.
pub fn parameters() -> impl Iterator<Item = (u32, &'static str)> {
    names(data::PARAMETERS)
}

fn names(bytes: &'static [u8]) -> impl Iterator<Item = (u32, &'static str)> {
    let table = Table::new(bytes);
    (0..table.len()).map(move |at| (table.code_at(at), table.row_at(at).text()))
}

/// Other names of a coordinate reference system.
pub fn crs_aliases(code: u32) -> Vec<&'static str> {
    aliases_in(data::CRS_ALIASES, code)
}

/// Other names of a datum.
pub fn datum_aliases(code: u32) -> Vec<&'static str> {
    aliases_in(data::DATUM_ALIASES, code)
}

fn aliases_in(bytes: &'static [u8], code: u32) -> Vec<&'static str> {
    Table::new(bytes)
        .find(code)
        .map(|mut row| (0..row.number()).map(|_| row.text()).collect())
        .unwrap_or_default()
}

/// Codes of the transformations that lead from or to a system of this datum.
pub fn operations_of_datum(datum: u32) -> Vec<u32> {
    Table::new(data::DATUM_OPERATIONS).find(datum).map(|mut row| row.codes()).unwrap_or_default()
}
