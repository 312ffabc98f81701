//! `vpeg course`: geodesics between places, singly or for the rows of a table.

use super::position::place;
use crate::arguments::{TableArguments, heading};
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::json;
use std::path::PathBuf;
use velvet_peg::angle::{self, Axis, Style};
use velvet_peg::course::{CourseColumns, CourseTable, GeodesicSolver};
use velvet_peg::geodesic::full_circle;
use velvet_peg::table::AppendOptions;
use velvet_peg::{Crs, Error, Geographic, LengthUnit};

#[derive(Debug, Args)]
pub(crate) struct Course {
    /// Two places (latitude, longitude, or easting, northing), one place with --azimuth and
    /// --distance, or a table with --from and --to, or with --start.
    #[arg(required = true, num_args = 1..=2)]
    places: Vec<String>,
    /// Reference system of the places; WGS 84 if not given.
    #[arg(long, value_name = "REF", default_value = "EPSG:4326")]
    crs: String,
    /// Columns of the first places: longitude,latitude or easting,northing.
    #[arg(long, value_name = "X,Y", requires = "to")]
    from: Option<String>,
    /// Columns of the second places.
    #[arg(long, value_name = "X,Y", requires = "from")]
    to: Option<String>,
    /// Columns of the places to start from; --azimuth and --distance are columns then.
    #[arg(long, value_name = "X,Y", requires_all = ["azimuth", "distance"], conflicts_with = "from")]
    start: Option<String>,
    /// Azimuth in degrees clockwise from north, or its column.
    #[arg(long, allow_hyphen_values = true, requires = "distance")]
    azimuth: Option<String>,
    /// Distance in metres, or its column.
    #[arg(long, allow_hyphen_values = true, requires = "azimuth")]
    distance: Option<String>,
    /// Digits behind the point of degrees.
    #[arg(long)]
    decimals: Option<usize>,
    /// Table to write; `-` for standard output.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: Option<PathBuf>,
    /// Replace existing files.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
    /// An apostrophe in front of texts that a spreadsheet would take for formulas.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    formulas_as_text: bool,
    /// File for rejected rows; OUTPUT.rejects.csv if not given.
    #[arg(long, help_heading = heading::OUTPUT, hide_short_help = true)]
    rejects: Option<PathBuf>,
    #[command(flatten)]
    reading: TableArguments,
}

impl Course {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let crs = reference::system(&self.crs)?;
        if self.from.is_some() || self.start.is_some() {
            return self.table(&crs);
        }
        let maker = GeodesicSolver::new(&crs)?;
        let first = place(&self.places[0], &crs)?;
        match (self.places.get(1), &self.azimuth, &self.distance) {
            (Some(second), None, None) => self.between(&maker, first, place(second, &crs)?),
            (None, Some(azimuth), Some(distance)) => {
                let azimuth = angle::parse(azimuth, Axis::Free)?;
                let distance: f64 = distance.trim().parse().map_err(|_| {
                    Error::usage(format!("the distance `{distance}` is not a number of metres"))
                })?;
                self.along(&maker, &crs, first, azimuth, distance)
            }
            _ => Err(Error::usage(
                "a course is two places (`vpeg course PLACE PLACE`), one place with --azimuth and \
                 --distance, or a table with --from X,Y --to X,Y",
            )),
        }
    }

    fn between(
        &self,
        maker: &GeodesicSolver,
        from: Geographic,
        to: Geographic,
    ) -> Result<Ending, Error> {
        let course = maker.geodesic().inverse(from, to);
        let (there, onward, back) = (
            full_circle(course.azimuth_from_deg),
            full_circle(course.azimuth_to_deg),
            course.azimuth_back_deg(),
        );
        let ellipsoid = maker.geodesic().ellipsoid().name();
        if show::wants_json() {
            show::json(&json!({
                "distance_m": course.distance_m,
                "azimuth_from": there,
                "azimuth_to": onward,
                "azimuth_back": back,
                "ellipsoid": ellipsoid,
            }))?;
            return Ok(Ending::Done);
        }
        let foot = LengthUnit::US_SURVEY_FOOT.metres();
        show::answer(&format!(
            "{}\n{}",
            show::heading(&format!("Geodesic on {ellipsoid}")),
            show::pairs(&[
                ("from".into(), position(from)),
                ("to".into(), position(to)),
                (
                    "distance".into(),
                    format!("{:.4} m = {:.4} ftUS", course.distance_m, course.distance_m / foot)
                ),
                ("azimuth at the first place".into(), azimuth(there)),
                ("azimuth at the second, onward".into(), azimuth(onward)),
                ("azimuth at the second, back".into(), azimuth(back)),
            ])
        ))?;
        Ok(Ending::Done)
    }

    fn along(
        &self,
        maker: &GeodesicSolver,
        crs: &Crs,
        from: Geographic,
        bearing: f64,
        distance: f64,
    ) -> Result<Ending, Error> {
        let (end, onward) = maker.geodesic().direct(from, bearing, distance);
        let onward = full_circle(onward);
        let at = maker.coordinate(end)?;
        let ellipsoid = maker.geodesic().ellipsoid().name();
        if show::wants_json() {
            show::json(&json!({
                "latitude": end.lat, "longitude": end.lon, "x": at.x, "y": at.y,
                "azimuth_to": onward, "azimuth_back": full_circle(onward + 180.0), "ellipsoid": ellipsoid,
            }))?;
            return Ok(Ending::Done);
        }
        let mut pairs = vec![
            ("from".to_string(), position(from)),
            ("azimuth".to_string(), azimuth(full_circle(bearing))),
            ("distance".to_string(), format!("{distance} m")),
            ("end".to_string(), position(end)),
        ];
        if crs.is_projected() {
            pairs.push((
                "end on the grid".to_string(),
                format!("{:.4}, {:.4} {} ({})", at.x, at.y, crs.unit_plural(), crs.label()),
            ));
        }
        pairs.push(("azimuth at the end, onward".to_string(), azimuth(onward)));
        pairs.push(("azimuth at the end, back".to_string(), azimuth(full_circle(onward + 180.0))));
        show::answer(&format!(
            "{}\n{}",
            show::heading(&format!("Geodesic on {ellipsoid}")),
            show::pairs(&pairs)
        ))?;
        Ok(Ending::Done)
    }

    fn table(&self, crs: &Crs) -> Result<Ending, Error> {
        let output = self.output.as_ref().ok_or_else(|| {
            Error::usage(
                "courses of a table need an output: add -o OUT.csv, or -o - for standard output",
            )
        })?;
        let pair = |text: &str| -> Result<(String, String), Error> {
            text.split_once(',')
                .map(|(x, y)| (x.trim().to_string(), y.trim().to_string()))
                .ok_or_else(|| {
                    Error::usage(format!(
                        "`{text}`: name two columns with a comma, longitude first: --from lon1,lat1"
                    ))
                })
        };
        let columns = match (&self.from, &self.to, &self.start, &self.azimuth, &self.distance) {
            (Some(from), Some(to), ..) => {
                CourseColumns::Between { from: pair(from)?, to: pair(to)? }
            }
            (_, _, Some(start), Some(azimuth), Some(distance)) => CourseColumns::Along {
                start: pair(start)?,
                azimuth: azimuth.clone(),
                distance: distance.clone(),
            },
            _ => {
                return Err(Error::usage(
                    "--start needs --azimuth and --distance, the names of their columns",
                ));
            }
        };
        let job = CourseTable {
            columns,
            crs: crs.clone(),
            decimals: self.decimals,
            append: AppendOptions {
                table: self.reading.options(),
                overwrite: self.overwrite,
                rejects: self.rejects.clone(),
                formulas_as_text: self.formulas_as_text,
            },
        };
        let mut progress = TerminalProgress::new("measuring courses");
        let outcome = job.run_watched(&PathBuf::from(&self.places[0]), output, &mut progress)?;
        drop(progress);
        show::remark(&format!(
            "geodesics on {} of {}; metres, azimuths in degrees clockwise from north in the direction of travel",
            crs.ellipsoid().map_or("", |ellipsoid| ellipsoid.name()),
            crs.label()
        ));
        show::outcome(&outcome, "rows", "rows", output)
    }
}

fn position(at: Geographic) -> String {
    format!(
        "{}  {}   ({:.9}, {:.9})",
        angle::format(at.lat, Axis::Latitude, Style::Seconds, 5),
        angle::format(at.lon, Axis::Longitude, Style::Seconds, 5),
        at.lat,
        at.lon
    )
}

fn azimuth(degrees: f64) -> String {
    format!("{:.9}°  =  {}", degrees, angle::format(degrees, Axis::Free, Style::Seconds, 3))
}
