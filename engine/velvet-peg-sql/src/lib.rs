//! Reference systems, conversions and measures of Velvet Peg as functions of an SQL engine: Apache Arrow DataFusion,
//! on all cores of a machine, and Ballista, its distributed form.
//!
//! ```
//! # #[tokio::main(flavor = "current_thread")]
//! # async fn main() -> datafusion::error::Result<()> {
//! use datafusion::prelude::SessionContext;
//! let context = SessionContext::new();
//! velvet_peg_sql::register(&context);
//! let rows = context
//!     .sql("SELECT st_x(st_transform(st_point(-123.0, 47.0, 'EPSG:4326'), 'EPSG:32610')) AS easting")
//!     .await?
//!     .collect()
//!     .await?;
//! assert_eq!(rows[0].num_rows(), 1);
//! # Ok(())
//! # }
//! ```
//!
//! **Geometries.** Points are structures of the columns `x` and `y` (GeoArrow, separated coordinates); lines and
//! polygons are well-known binary (ISO 19125-1). Longitude or easting comes first, whatever order the registry
//! gives the axes. The reference system is metadata of the field (`geoarrow.point`, `geoarrow.wkb`), so that it goes
//! with the column. Before a query runs, each function is given the systems as arguments: `EXPLAIN` shows them, with
//! the route between them and what it is known to.
//!
//! **Units.** Lengths and distances are metres on the ellipsoid, areas square metres, angles degrees, azimuths
//! clockwise from true north.
//!
//! **Rows.** What cannot be computed of a row is NULL, or ends the query: [`Settings`].

pub mod cluster;
mod constant;
mod counts;
mod error;
mod functions;
mod geometry;
pub mod grid_folder;
mod plan_codec;
mod planner;
mod plans;
mod rejects;
pub mod session;
mod settings;
mod system;
mod tables;
mod tagging;

pub use counts::Count;
pub use functions::functions;
pub use geometry::readable;
pub use settings::Settings;

use datafusion::prelude::SessionContext;

/// Adds the functions to a session, the rule by which points and polygons are joined with an index, and GeoParquet.
pub fn register(context: &SessionContext) {
    for function in functions() {
        context.register_udf(function.as_ref().clone());
    }
    let state = context.state_ref();
    let mut state = state.write();
    *state = session::completed(&state);
}
