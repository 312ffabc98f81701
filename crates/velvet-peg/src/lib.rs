//! Velvet Peg: coordinate tables become features with a known reference system.
//!
//! For people who turn tables of coordinates into points, lines and polygons, give data its
//! missing or wrong reference system, carry it between state plane, UTM and geographic
//! coordinates, and measure it. Three promises: every figure can be traced to its systems,
//! units and accuracy; rows in are features out plus rejects, always; and the trade's
//! everyday mistakes are told before they hurt.
//!
//! ```
//! use velvet_peg::{Crs, Layer};
//! let mut gates = Layer::new("gates", Some(Crs::parse("EPSG:4326")?));
//! gates.push((-120.004, 47.412), [("name", "Gate 7".into())])?; // longitude first, always
//! let grid = gates.convert(&Crs::parse("nad83 washington south ftus")?)?;
//! let (easting, northing) = grid.features().next().unwrap().vertices()[0];
//! assert!(easting > 1.6e6 && northing > 7e5); // US survey feet
//! assert_eq!(grid.accuracy_m(), Some(4.0)); // of the change of datum
//! # Ok::<(), velvet_peg::Error>(())
//! ```
//!
//! # Where to begin
//!
//! [`prelude`] holds the few types that most programs need; what is used seldom lies in the module of
//! its subject.
//!
//! | to | use |
//! | --- | --- |
//! | convert single coordinates | [`Crs`], [`Converter`], [`Coordinate`] |
//! | read a table row by row | [`table::TableFile`] |
//! | make features of a table | [`BuildPoints`] and its kin in [`features`] |
//! | make features in code | [`Layer::push`]: tuples are points, arrays lines; [`Geometry`] has the rest |
//! | carry, measure, check or draw a layer in memory | [`Layer::convert`], [`Layer::measure`], [`Layer::check`], [`Layer::draw`] |
//! | read or write a layer | [`Layer`] in memory; [`LayerReader`] and [`LayerWriter`] batch by batch |
//! | carry a layer or a table into another system | [`ConvertLayer`], [`ConvertTable`] |
//! | state a missing or wrong system | [`declare()`]; candidates: [`guess::guess`] |
//! | choose features, compute columns | [`Selection`] |
//! | join a table, tag points from polygons | [`join::JoinTable`], [`tag::TagPoints`] |
//! | measure | [`measure()`] on the ellipsoid, the grid and the ground; [`Geodesic`] for single lines |
//! | see what is in a file, or wrong with it | [`look()`], [`check()`] |
//! | carry an image or a grid into another system, sample it | `raster` (feature `rasters`) |
//! | fit one plane to another by common points | [`fit`] |
//! | draw | [`draw()`] |
//! | write down what is done, and do it again | [`Job`] |
//!
//! A walk through the library, recipes and the reasons of its design are in [`guide`].
//!
//! # Features
//!
//! All but `http` are on by default; with `default-features = false` a build has what it names, and
//! delimited text. What was left out is refused by name. The last column counts the crates that a
//! feature adds to the 88 of a build with none (those that are on by default together: 217).
//!
//! | feature | what | crates |
//! | --- | --- | --- |
//! | `archives` | files in zip archives and packed by gzip or zstd, in and out (a C compiler builds zstd) | 16 |
//! | `backdrop` | land and countries under the layers of maps; takes `drawing` along | 48 |
//! | `drawing` | maps as SVG, PNG and pages, on states and counties | 48 |
//! | `dxf` | DXF drawings, in and out | 0 |
//! | `expressions` | conditions and computed columns | 18 |
//! | `flatgeobuf` | FlatGeobuf, in and out | 12 |
//! | `geojson` | GeoJSON, in and out; TopoJSON, in | 0 |
//! | `geopackage` | GeoPackage, in and out (a C compiler builds the database) | 10 |
//! | `geoparquet` | GeoParquet, in and out; Arrow files, in | 23 |
//! | `geotiff` | grid files of heights as GeoTIFF | 8 |
//! | `gml` | GML, in | 1 |
//! | `gpx` | GPX, in and out | 1 |
//! | `http` | files from `http(s)` addresses | 24 |
//! | `jobs` | job files and deliverables; takes `drawing`, `expressions` and `geopackage` along | 83 |
//! | `kml` | KML, in and out | 1 |
//! | `landxml` | LandXML, in and out | 1 |
//! | `nmea` | NMEA 0183 logs, in | 0 |
//! | `rasters` | images and grids with a place on the Earth: GeoTIFF, PNG, ASCII grids, in and out; JPEG, in | 23 |
//! | `shapefile` | Shapefiles and `.dbf`, in and out | 3 |
//! | `workbooks` | workbooks, in and out | 19 |
//!
//! The modules hold what belongs to each of these. The computing core is re-exported: reference
//! systems, converters, geodesics and angles come from here too. It works without files or threads
//! and can be used alone as `velvet-peg-core`.

// What serves some features only is not marked one by one.
#![cfg_attr(
    not(all(
        feature = "dxf",
        feature = "flatgeobuf",
        feature = "geojson",
        feature = "geoparquet",
        feature = "gml",
        feature = "gpx",
        feature = "jobs",
        feature = "kml",
        feature = "landxml",
        feature = "nmea",
        feature = "shapefile",
        feature = "workbooks"
    )),
    allow(dead_code, unused_imports)
)]

mod advice;
pub mod check;
pub mod convert;
pub mod course;
pub mod crs;
#[cfg(all(
    feature = "geojson",
    feature = "geopackage",
    feature = "shapefile",
    feature = "workbooks"
))]
pub mod demo;
#[cfg(feature = "drawing")]
pub mod draw;
mod error;
mod examples;
pub mod features;
pub mod fit;
pub mod format;
mod format_support;
mod geometry;
#[cfg(any(doc, doctest))]
pub mod guide;
mod input;
#[cfg(feature = "jobs")]
pub mod job;
pub mod join;
pub mod layer;
mod layer_io;
pub mod look;
pub mod measure;
mod memory;
mod notice;
mod outcome;
pub mod output;
mod packing;
mod parallel;
mod plausibility;
mod progress;
#[cfg(feature = "rasters")]
pub mod raster;
#[cfg(feature = "drawing")]
pub mod report;
mod reproject;
pub mod select;
mod small_file;
pub mod table;
pub mod tag;

/// What most programs need: `use velvet_peg::prelude::*;`.
///
/// ```
/// use velvet_peg::prelude::*;
/// let mut weirs = Layer::new("weirs", Some(Crs::parse("EPSG:4269")?));
/// weirs.push((-120.004, 47.412), [("crest_ft", 1.5.into())])?;
/// let utm = Converter::new(&Crs::parse("EPSG:4269")?, &Crs::parse("EPSG:26910")?)?;
/// let at = utm.convert(Coordinate::xy(-123.0, 47.412))?; // on the central meridian
/// assert!((at.x - 500_000.0).abs() < 1e-6); // metres
/// # Ok::<(), Error>(())
/// ```
pub mod prelude {
    pub use crate::{
        BuildPoints, ConvertLayer, Converter, Coordinate, Crs, Error, Geodesic, Geographic,
        Geometry, Layer, LayerReader, Selection, Value,
    };
}

/// The Arrow crates that batches are made of, at the versions in use here.
pub mod arrow {
    pub use arrow_array as array;
    pub use arrow_schema as schema;
}

pub use advice::Advice;
pub use check::check;
pub use convert::{ConvertLayer, ConvertLayers, ConvertTable};
pub use crs::{declare, declare_watched, grid, ground, guess, position, reference, zones};
#[cfg(feature = "drawing")]
pub use draw::draw;
pub use error::{Error, Location, Result};
pub use examples::Examples;
pub use features::BuildPoints;
pub use format::Format;
pub use format_support::guard::panics_are_caught;
pub use format_support::{ReadOptions, TextDialect, WriteOptions};
pub use input::format_of;
#[cfg(feature = "jobs")]
pub use job::{Job, pack};
pub use layer::{Geometry, Layer, Value};
pub use layer_io::{Batches, LayerReader, LayerWriter, Written, layer_files};
pub use look::look;
pub use measure::measure;
pub use memory::limit_memory;
pub use notice::{Figure, Notice, NoticeKind, Severity};
pub use outcome::{Reason, Rejected, RejectedPlace, Summary};
pub use parallel::limit_threads;
pub use progress::{NoProgress, Progress};
pub use select::Selection;
pub use velvet_peg_core::*;
