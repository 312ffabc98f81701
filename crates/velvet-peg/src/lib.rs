//! Velvet Peg: coordinate tables become features with a known reference system.
//!
//! For people who turn tables of coordinates into points, lines and polygons, give data its
//! missing or wrong reference system, carry it between state plane, UTM and geographic
//! coordinates, and measure it. Three promises: every figure can be traced to its systems,
//! units and accuracy; rows in are features out plus rejects, always; and the trade's
//! everyday mistakes are told before they hurt.
//!
//! ```
//! use velvet_peg::{Crs, Geometry, Layer};
//! let mut gates = Layer::new("gates", Some(Crs::parse("EPSG:4326")?));
//! gates.push(Geometry::Point((-120.004, 47.412)), [("name", "Gate 7".into())])?;
//! let grid = gates.convert(&Crs::parse("nad83 washington south ftus")?)?;
//! let (easting, northing) = grid.features().next().unwrap().vertices()[0];
//! assert!(easting > 1.6e6 && northing > 7e5); // US survey feet
//! # Ok::<(), velvet_peg::Error>(())
//! ```
//!
//! The computing core is re-exported: reference systems, converters, geodesics and angles
//! come from here too. It works without files or threads and can be used alone as
//! `velvet-peg-core`.

mod added_columns;
mod attributes;
mod check;
mod convert;
mod course;
mod declare;
mod definition_file;
pub mod demo;
mod draw;
mod error;
mod features;
mod flaws;
mod format;
mod format_support;
mod grid_folder;
mod guard;
mod guess_data;
mod home_system;
mod input;
mod job;
mod join;
mod layer;
mod layer_io;
mod look;
mod measure;
mod notice;
mod output;
mod pack;
mod plausibility;
mod position;
mod progress;
mod reference;
mod rejects;
mod ruler;
mod select;
mod summary;
mod table;
mod tag;
mod zone;

/// The Arrow crates that batches are made of, at the versions in use here.
pub mod arrow {
    pub use arrow_array as array;
    pub use arrow_schema as schema;
}

pub use added_columns::AppendOptions;
pub use check::{
    Agreement, CheckOptions, CheckReport, Elsewhere, FieldSheet, Finding, QualitySheet, check,
    sheets_as_html, sheets_as_markdown,
};
pub use convert::{ConvertLayer, ConvertTable, rejects_beside, route_notices};
pub use course::{CourseColumns, CourseTable, GeodesicSolver};
pub use declare::declare;
pub use definition_file::definition_file;
pub use draw::{DrawOptions, draw, svg};
pub use error::{Error, Location, Result};
pub use features::{
    BuildCourses, BuildFeatures, BuildLines, BuildOptions, BuildPoints, BuildPolygons, Closure,
    ClosureLeg, CourseNames, VertexOptions,
};
pub use format::Format;
pub use format_support::{
    Appending, Attributes, Capability, CellType, Quoting, SheetShape, Systems, TableOptions, Texts,
    WriteOptions,
};
pub use grid_folder::{GridFolder, use_grid_folder};
pub use guard::panics_are_caught;
pub use guess_data::{GuessColumns, coordinates_of_layer, coordinates_of_table};
pub use input::format_of;
pub use job::{
    AreaUnitName, Column, ColumnOfWith, ConvertStep, CoordinatesText, CoursesStep, DeclareStep,
    Epoch, FeaturesStep, FieldsStep, JOB_VERSION, Job, JobCheck, JobLog, JobOutput, JobPack,
    JobPlan, JobProgress, JobSource, JobSpans, JoinStep, LengthUnitName, LinesStep, LoggedCheck,
    LoggedFile, LoggedStep, MeasureStep, NoJobProgress, PointsStep, PolygonsStep, RunOptions,
    STEP_KINDS, Step, StepKind, SystemText, TagStep, WORDS, steps_table,
};
pub use join::{Examples, JoinTable, MatchReport};
pub use layer::{
    AttributeColumn, Batch, CrsOrigin, Feature, Geometry, GeometryColumn, GeometryKind, Layer,
    LayerInfo, Unreadable, Value, ValueRef, type_name,
};
pub use layer_io::{Batches, LayerReader, LayerWriter, Written};
pub use look::{ColumnLook, Look, LookOptions, TableLook, TextLook, look};
pub use measure::{
    FeatureLeg, MeasureColumns, MeasureOptions, Measured, Measures, Statistics, feature_legs,
    measure,
};
pub use notice::{Notice, NoticeKind, Severity};
pub use output::{is_same_file, refuse_inputs, remove_temporaries, sync_outputs, write_whole};
pub use pack::{PackOptions, Packed, pack, pack_job};
pub use position::{PositionSheet, SheetLine, SheetOptions, position_sheet};
pub use progress::{NoProgress, Progress};
pub use reference::{depends_on_data, read_reference, read_reference_for};
pub use rejects::Rejected;
pub use select::{FUNCTIONS, FunctionHelp, NumberText, PlaceColumns, Selection};
pub use summary::Summary;
pub use table::{Cell, CoordinateColumns, NumberFormat, Row, TableFile, TableReader};
pub use tag::{TagPoints, TagReport};
pub use velvet_peg_core::*;
pub use zone::{
    ZoneAnswer, points_of_table, state_plane_of_layer, systems_of as zone_systems, utm_of_layer,
    zones_of_layer, zones_of_place,
};
