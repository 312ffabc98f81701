//! Courses of a table: the inverse and the direct geodesic problem, row by row.

use crate::error::{Error, Result};
use crate::format_support::{coordinate_names, push_fixed};
use crate::layer::column_names::position;
use crate::outcome::Reason;
use crate::outcome::Summary;
use crate::progress::{NoProgress, Progress};
use crate::table::{AppendOptions, Session};
use crate::table::{Found, Notation, NumberFormat, read_pair};
use csv::StringRecord;
use std::path::Path;
use velvet_peg_core::geodesic::full_circle;
use velvet_peg_core::{Converter, Coordinate, Crs, Geodesic, Geographic, angle};

/// The columns that a course is computed from.
#[derive(Clone, Debug)]
pub enum CourseColumns {
    /// Two places, each as a pair of columns: longitude or easting, latitude or northing.
    Between {
        /// The first place.
        from: (String, String),
        /// The second place.
        to: (String, String),
    },
    /// A place, an azimuth (degrees clockwise from north) and a distance in metres.
    Along {
        /// The place.
        start: (String, String),
        /// Azimuth column.
        azimuth: String,
        /// Distance column.
        distance: String,
    },
}

/// Computes courses for the rows of a table.
#[derive(Clone, Debug)]
pub struct CourseTable {
    /// What is computed from what.
    pub columns: CourseColumns,
    /// Reference system of the places.
    pub crs: Crs,
    /// Digits behind the point of azimuths and positions in degrees; none for 9. Metres get
    /// at least 6.
    pub decimals: Option<usize>,
    /// Where the table goes and how.
    pub append: AppendOptions,
}

/// Works courses out in one reference system: places are carried to its geographic
/// coordinates, lines run on its ellipsoid.
pub struct GeodesicSolver {
    geodesic: Geodesic,
    to_degrees: Converter,
    from_degrees: Converter,
}

impl GeodesicSolver {
    /// Prepares a system.
    ///
    /// ```
    /// use velvet_peg::Crs;
    /// use velvet_peg::course::GeodesicSolver;
    /// let maker = GeodesicSolver::new(&Crs::from_epsg(2285)?)?; // US survey feet in, geodesics on GRS 1980
    /// let (from, to) = (maker.place(1_840_000.0, 150_000.0)?, maker.place(1_841_000.0, 150_000.0)?);
    /// let course = maker.geodesic().inverse(from, to);
    /// assert!((course.distance_m - 304.795).abs() < 1e-3);
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the system has no positions on an ellipsoid.
    pub fn new(crs: &Crs) -> Result<GeodesicSolver> {
        let home = crs.in_degrees().ok_or_else(|| {
            Error::usage(format!("{} has no places on an ellipsoid", crs.label()))
        })?;
        let ellipsoid = home
            .ellipsoid()
            .ok_or_else(|| Error::usage(format!("{} has no ellipsoid", crs.label())))?;
        Ok(GeodesicSolver {
            geodesic: Geodesic::new(ellipsoid),
            to_degrees: Converter::new(crs, &home)?,
            from_degrees: Converter::new(&home, crs)?,
        })
    }

    /// The geodesic solver.
    pub fn geodesic(&self) -> &Geodesic {
        &self.geodesic
    }

    /// A place of the system as a position in degrees.
    ///
    /// # Errors
    /// If the coordinates are out of range.
    pub fn place(&self, x: f64, y: f64) -> Result<Geographic> {
        let at = self.to_degrees.convert(Coordinate::xy(x, y))?;
        Ok(Geographic { lat: at.y, lon: at.x })
    }

    /// A position in degrees as coordinates of the system.
    ///
    /// # Errors
    /// If the system cannot show the position.
    pub fn coordinate(&self, at: Geographic) -> Result<Coordinate> {
        Ok(self.from_degrees.convert(Coordinate::xy(at.lon, at.lat))?)
    }
}

impl CourseTable {
    /// Keeps every column and appends `distance_m, azimuth_from, azimuth_to` (both in the
    /// direction of travel, 0 to 360°), or the end place and `azimuth_to`.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::Crs;
    /// use velvet_peg::table::AppendOptions;
    /// use velvet_peg::course::{CourseColumns, CourseTable};
    /// std::fs::write(file("pairs.csv"), "lon1,lat1,lon2,lat2\n-120.01,47.40,-119.99,47.41\n")?;
    /// let pair = |x: &str, y: &str| (x.to_string(), y.to_string());
    /// let courses = CourseTable {
    ///     columns: CourseColumns::Between { from: pair("lon1", "lat1"), to: pair("lon2", "lat2") },
    ///     crs: Crs::from_epsg(4326)?,
    ///     decimals: Some(3),
    ///     append: AppendOptions::default(),
    /// };
    /// courses.run(&file("pairs.csv"), &file("courses.csv"))?;
    /// assert!(std::fs::read_to_string(file("courses.csv"))?.contains(",1874.813"));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing or an output exists.
    pub fn run(&self, input: &Path, out: &Path) -> Result<Summary> {
        self.run_watched(input, out, &mut NoProgress)
    }

    /// As [`CourseTable::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`CourseTable::run`].
    pub fn run_watched(
        &self,
        input: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let session = Session::open(input, &self.append)?;
        let headers = session.headers.clone();
        let column = |name: &String| position(&headers, name, None).map_err(|e| e.in_file(input));
        let pair = |names: &(String, String)| -> Result<Found> {
            Ok(Found {
                x: column(&names.0)?,
                y: column(&names.1)?,
                z: None,
                numbers: NumberFormat::default(),
            })
        };
        let maker = GeodesicSolver::new(&self.crs)?;
        let decimals = self.decimals.unwrap_or(9);
        let metres = decimals.max(6);
        let place =
            |record: &StringRecord, found: &Found| -> std::result::Result<Geographic, Reason> {
                let (x, y, _) = read_pair(record, found, Some(&self.crs), Notation::Detected)?;
                Ok(maker.place(x, y).map_err(|error| error.to_string())?)
            };
        match &self.columns {
            CourseColumns::Between { from, to } => {
                let (from, to) = (pair(from)?, pair(to)?);
                session.run(
                    out,
                    &["distance_m", "azimuth_from", "azimuth_to"],
                    |rows, added| {
                        for row in rows {
                            added.row(|cells| {
                                let ends = (place(&row.texts, &from)?, place(&row.texts, &to)?);
                                let course = maker.geodesic.inverse(ends.0, ends.1);
                                cells.cell(|text| push_fixed(text, course.distance_m, metres));
                                for azimuth in [course.azimuth_from_deg, course.azimuth_to_deg] {
                                    let azimuth = full_circle(azimuth);
                                    cells.cell(|text| push_fixed(text, azimuth, decimals));
                                }
                                Ok(())
                            });
                        }
                    },
                    |()| (),
                    watch,
                )
            }
            CourseColumns::Along { start, azimuth, distance } => {
                let (start, azimuth, distance) =
                    (pair(start)?, column(azimuth)?, column(distance)?);
                let [x_name, y_name] =
                    coordinate_names(Some(&self.crs)).map(|name| format!("{name}_end"));
                let number = |record: &StringRecord, at: usize, is_angle: bool| {
                    let text = record.get(at).unwrap_or("").trim();
                    match is_angle {
                        true => {
                            let read = angle::parse(text, angle::Axis::Free);
                            read.map_err(|e| Reason::from(e.to_string()))
                        }
                        false => {
                            let read = text.parse().ok().filter(|value: &f64| value.is_finite());
                            let why = || format!("the distance `{text}` is not a number").into();
                            read.ok_or_else(why)
                        }
                    }
                };
                session.run(
                    out,
                    &[&x_name, &y_name, "azimuth_to"],
                    |rows, added| {
                        for row in rows {
                            added.row(|cells| {
                                let azimuth = number(&row.texts, azimuth, true)?;
                                let distance = number(&row.texts, distance, false)?;
                                let from = place(&row.texts, &start)?;
                                let (end, onward) = maker.geodesic.direct(from, azimuth, distance);
                                let end = maker.coordinate(end).map_err(|e| e.to_string())?;
                                for value in [end.x, end.y, full_circle(onward)] {
                                    cells.cell(|text| push_fixed(text, value, decimals));
                                }
                                Ok(())
                            });
                        }
                    },
                    |()| (),
                    watch,
                )
            }
        }
    }
}
