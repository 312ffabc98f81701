//! What can be done about an error or a notice, as data: the library says what is wrong, and
//! whoever shows it adds how to put it right in the words of their own interface.

use std::path::PathBuf;

/// What to do: change a setting of the work, or do other work first.
///
/// ```
/// use velvet_peg::{Advice, LayerReader, Layer, Crs, Geometry};
/// # let folder = tempfile::tempdir()?;
/// let file = folder.path().join("two.gpkg");
/// for name in ["gates", "weirs"] {
///     let mut layer = Layer::new(name, Some(Crs::from_epsg(4326)?));
///     layer.push(Geometry::Point((-120.0, 47.4)), [("no", 1.into())])?;
///     let options = velvet_peg::WriteOptions { overwrite: true, ..Default::default() };
///     layer.write_with(&file, &options)?;
/// }
/// let error = LayerReader::open(&file, None).unwrap_err();
/// assert_eq!(error.advice(), Some(&Advice::NameLayer));
/// assert_eq!(error.choices(), ["gates", "weirs"]);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Advice {
    /// Allow the work to take more memory than is free or was allowed; so many bytes do.
    AllowMemory(u64),
    /// Make features of the table first.
    BuildFirst,
    /// Check the layer: that says where its flaws are.
    Check,
    /// Convert, which carries coordinates from one system to another.
    Convert,
    /// Name another system to carry the result to; this one, as a reference.
    ConvertTo(String),
    /// Declare the reference system of a layer that has none, or a wrong one; its file, where one
    /// is known.
    Declare(Option<PathBuf>),
    /// State the epoch of the coordinates, in decimal years.
    StateEpoch,
    /// State the reference system now, or declare that of the output later; the output.
    DeclareLater(PathBuf),
    /// Have texts marked that a spreadsheet would take for formulas.
    FormulasAsText,
    /// Search the registry for the system, with words.
    FindSystem,
    /// Leave columns out.
    KeepColumns,
    /// Put one of the systems that these words match in their place.
    ChooseSystem(String),
    /// Compare keys without regard to capitals, blanks and leading zeros.
    LooseKeys,
    /// Allow several rows for one feature.
    ManyRows,
    /// Name the columns of the bearings and distances.
    NameCourseColumns,
    /// Name the columns of the coordinates.
    NameCoordinateColumns,
    /// Name the column of the heights.
    NameHeightColumn,
    /// Name the encoding of the text.
    NameEncoding,
    /// Name the column of the geometries as text.
    NameGeometryColumn,
    /// Name a grid to measure on.
    NameGrid,
    /// Name the columns that tell features apart.
    NameGroupColumn,
    /// Name the column that tells the rings of a polygon apart; this one, by its name.
    NameRingColumn(String),
    /// Name the row of the header.
    NameHeaderRow,
    /// Name one of the tables of attributes.
    NameTable,
    /// Name one of the layers.
    NameLayer,
    /// Name the columns of a table without a header.
    NameTableColumns,
    /// Name the layer of the output, one of those that are there or a new one.
    NameOutputLayer,
    /// Name one of the sheets, or take all of them.
    NameSheet,
    /// Look at what a job will do; if that is meant, allow it to write outside of its folder.
    Outside,
    /// Allow the output to replace what is there.
    Overwrite,
    /// Put something in front of the names of the table's columns.
    PrefixColumns,
    /// Read quotation marks as ordinary characters.
    QuotesAsText,
    /// Have the flaws repaired.
    Repair,
    /// Say which columns are the same under different names.
    SameColumns,
    /// Say that the first row is the header, or that it is not.
    StateHeader,
    /// Give the height of the ground.
    StateHeight,
    /// Say how numbers are written.
    StateNumberFormat,
    /// Say where the first course begins, or name the columns that do.
    StateStart,
    /// State the reference system of the data.
    StateSystem,
    /// State the reference system or the unit.
    StateSystemOrUnit,
    /// The columns that are found by their names hold the starts: do not give one start for all.
    StartsFromColumns,
    /// Name the columns that hold the starts.
    NameStartColumns,
    /// Choose features by a condition.
    UseCondition,
    /// Work on the layer as such: it holds features already.
    UseLayer,
    /// Let the zones of the data, a place or a county be shown.
    ZonesOf(Option<PathBuf>),
}
