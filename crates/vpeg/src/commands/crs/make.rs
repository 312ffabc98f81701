//! `vpeg crs make`: systems of one's own for a site, as definitions in files.

use crate::arguments::path_in_shell;
use crate::{Ending, reference, show};
use clap::{Args, Subcommand};
use serde_json::{Value as Json, json};
use std::path::PathBuf;
use velvet_peg::ground::{
    Distortion, Ground, GroundPlace, outside, places_of_box, places_of_layer, propose,
    usual_systems, write_definition,
};
use velvet_peg::{
    Bounds, Converter, Coordinate, Crs, Error, Geographic, LayerReader, LengthUnit, definition,
};

#[derive(Debug, Subcommand)]
pub(crate) enum Make {
    /// Scale a projected system to the ground of a site, and shift and turn it.
    Ground(GroundSystem),
    /// Propose a projection of which plane distances over an area are nearly those on the ground.
    LowDistortion(LowDistortion),
}

impl Make {
    pub(super) fn run(&self) -> Result<Ending, Error> {
        match self {
            Make::Ground(command) => command.run(),
            Make::LowDistortion(command) => command.run(),
        }
    }
}

/// Where the definition goes.
#[derive(Debug, Args)]
pub(super) struct Destination {
    /// File for the definition: .wkt (WKT 2), .prj (WKT 1, as beside Shapefiles) or .json.
    #[arg(short, long, value_name = "FILE")]
    pub(super) output: PathBuf,
    /// Replace the file.
    #[arg(long)]
    overwrite: bool,
    /// Name of the system; without it the name of the file.
    #[arg(long, value_name = "NAME")]
    name: Option<String>,
}

impl Destination {
    pub(super) fn name(&self) -> String {
        self.name.clone().unwrap_or_else(|| {
            self.output
                .file_stem()
                .map_or("site".into(), |stem| stem.to_string_lossy().into_owned())
        })
    }

    pub(super) fn write(&self, crs: &Crs) -> Result<(), Error> {
        write_definition(&self.output, crs, self.overwrite)
    }

    pub(super) fn next(&self) {
        let file = path_in_shell(&self.output);
        show::remark(&format!(
            "wrote {file}: `vpeg convert DATA --to file:{file} -o OUT` carries data to it, and --crs \
             file:{file} declares it"
        ));
    }
}

#[derive(Debug, Args)]
#[command(group = clap::ArgGroup::new("factor_of").required(true))]
pub(crate) struct GroundSystem {
    /// The projected system.
    #[arg(value_name = "REF", required = true, num_args = 1..)]
    system: Vec<String>,
    /// Scale, shift and turn about this place, such as "47.4, -120.0".
    #[arg(long, value_name = "PLACE")]
    at: String,
    /// Ellipsoidal height of the ground there in metres, from which the combined factor follows.
    #[arg(long, value_name = "METRES", group = "factor_of", allow_negative_numbers = true)]
    height: Option<f64>,
    /// Combined factor, such as 0.99994: grid distances divided by it are those on the ground.
    #[arg(long, value_name = "FACTOR", group = "factor_of")]
    combined_factor: Option<f64>,
    /// Keep the origin of the coordinates where it is, so that all of them are divided by the factor,
    /// instead of those of the place.
    #[arg(long, conflicts_with_all = ["rotate"])]
    from_origin: bool,
    /// Add this to eastings and northings, in the unit of the system, so that they are not taken for
    /// those of the grid.
    #[arg(long, value_name = "EASTING,NORTHING", allow_hyphen_values = true)]
    shift: Option<String>,
    /// Grid bearing of the new north, degrees clockwise.
    #[arg(long, value_name = "DEGREES", allow_negative_numbers = true)]
    rotate: Option<f64>,
    #[command(flatten)]
    destination: Destination,
}

impl GroundSystem {
    fn run(&self) -> Result<Ending, Error> {
        let grid = reference::system(&self.system.join(" "))?;
        let (place, remark) = reference::place_text(&self.at)?;
        remark.iter().for_each(|remark| show::remark(remark));
        let base = grid.in_degrees().ok_or_else(|| {
            Error::usage(format!("{} is no system of places on the Earth", grid.label()))
        })?;
        let area = reference::point_area(&self.at)?;
        let options = velvet_peg::PlanOptions { area: Some(area), ..Default::default() };
        let to_base = Converter::plan(&Crs::from_epsg(4326)?, &base, &options)?;
        let on_base = to_base.convert(Coordinate::xy(place.lon, place.lat))?;
        let at = Geographic { lat: on_base.y, lon: on_base.x };
        let there = Converter::new(&base, &grid)?.convert(on_base)?;
        let factor = match (self.combined_factor, self.height) {
            (Some(factor), _) if (0.9..1.1).contains(&factor) => factor,
            (Some(factor), _) => {
                return Err(Error::usage(format!(
                    "a combined factor of {factor} is none: it is near 1, such as 0.99994"
                )));
            }
            (None, Some(height)) => grid.combined_factor(at, height)?,
            (None, None) => return Err(Error::usage("give --height or --combined-factor")),
        };
        let shift = self.shift.as_deref().map(pair).transpose()?.unwrap_or((0.0, 0.0));
        let about = if self.from_origin { (0.0, 0.0) } else { (there.x, there.y) };
        let ground =
            Ground { scale: 1.0 / factor, about, shift, rotation_deg: -self.rotate.unwrap_or(0.0) };
        let crs = grid.on_ground(&self.destination.name(), &ground)?;
        self.destination.write(&crs)?;
        let here = Converter::new(&grid, &crs)?.convert(there)?;
        show::notices(outside(&grid, (there.x, there.y)).as_slice());
        if show::wants_json() {
            show::json(&json!({
                "name": crs.name(),
                "file": self.destination.output.display().to_string(),
                "definition": definition::wkt2(&crs),
                "combined_factor": factor,
                "grid": [there.x, there.y],
                "ground": [here.x, here.y],
                "unit": grid.unit_name(),
            }))?;
            return Ok(Ending::Done);
        }
        let unit = grid.unit_plural();
        let mut pairs = vec![
            ("made from".to_string(), grid.label()),
            (
                "combined factor".into(),
                format!(
                    "{factor:.9} (ground lengths are {:.1} ppm {})",
                    ((1.0 / factor - 1.0) * 1e6).abs(),
                    if factor > 1.0 { "shorter" } else { "longer" }
                ),
            ),
            ("the place in the grid".into(), format!("{:.3}, {:.3} ({unit})", there.x, there.y)),
            ("the place in the system".into(), format!("{:.3}, {:.3} ({unit})", here.x, here.y)),
        ];
        if let Some(bearing) = self.rotate {
            pairs.push(("north".into(), format!("at grid bearing {bearing}°")));
        }
        let kind = match crs.derived() {
            Some(_) => "derived projected system: .wkt and .json say it, .prj cannot",
            None => "projected system: .wkt, .prj and .json say it",
        };
        pairs.push(("kind".into(), kind.to_string()));
        show::answer(&format!("{}\n{}", show::heading(crs.name()), show::pairs(&pairs)))?;
        if self.shift.is_none() && !self.from_origin && self.rotate.is_none() {
            show::warning(&format!(
                "coordinates of this system look like those of {}: --shift EASTING,NORTHING tells them \
                 apart",
                grid.reference()
            ));
        }
        self.destination.next();
        Ok(Ending::Done)
    }
}

/// A number, also with the sign that words on the command line get instead of a hyphen.
fn number(text: &str) -> Option<f64> {
    text.trim().replace('−', "-").parse::<f64>().ok().filter(|number| number.is_finite())
}

/// Two numbers, parted by a comma.
fn pair(text: &str) -> Result<(f64, f64), Error> {
    text.split_once(',').and_then(|(a, b)| Some((number(a)?, number(b)?))).ok_or_else(|| {
        Error::usage(format!("`{text}` is no easting and northing, such as 50000,-20000"))
    })
}

#[derive(Debug, Args)]
#[command(group = clap::ArgGroup::new("area_of").required(true))]
pub(crate) struct LowDistortion {
    /// The area is where the data of this layer are.
    #[arg(long, value_name = "FILE", group = "area_of")]
    like: Option<PathBuf>,
    /// The area, in degrees, such as 47.3,-120.2,47.5,-119.9.
    #[arg(
        long,
        value_name = "SOUTH,WEST,NORTH,EAST",
        group = "area_of",
        allow_hyphen_values = true
    )]
    area: Option<String>,
    /// Ellipsoidal height of the ground in metres, or its lowest and highest, such as 350..480.
    #[arg(long, value_name = "METRES", allow_hyphen_values = true)]
    height: String,
    /// Geographic system to stand on; without it that of the data, and NAD83(2011) with --area.
    #[arg(long, value_name = "REF")]
    base: Option<String>,
    /// Unit of the coordinates: m, ftUS, ft-intl, …
    #[arg(long, value_name = "UNIT", default_value = "m")]
    unit: String,
    #[command(flatten)]
    destination: Destination,
}

/// NAD83(2011).
const USUAL_BASE: u32 = 6318;

impl LowDistortion {
    fn run(&self) -> Result<Ending, Error> {
        let heights = heights(&self.height)?;
        let unit = LengthUnit::named(&self.unit)?;
        let (base, places) = match (&self.like, &self.area) {
            (Some(file), _) => places_of_layer(&LayerReader::open(file, None)?, &heights)?,
            (None, Some(area)) => {
                (Crs::from_epsg(USUAL_BASE)?, places_of_box(&bounds(area)?, &heights))
            }
            (None, None) => return Err(Error::usage("give --like or --area")),
        };
        let base = match &self.base {
            Some(text) => reference::system(text)?,
            None => base,
        };
        if base.datum().is_some_and(|datum| datum.ensemble_accuracy_m().is_some()) {
            show::warning(&format!(
                "{} is known to metres only: a system for surveys stands on a datum of its country, such \
                 as --base EPSG:{USUAL_BASE} (NAD83(2011)) in the United States",
                base.label()
            ));
        }
        let proposals = propose(&self.destination.name(), &base, &places, unit)?;
        let best = &proposals[0];
        self.destination.write(&best.crs)?;
        let usual = usual_systems(&places);
        if show::wants_json() {
            let system = |name: String, distortion: &Distortion| {
                json!({
                    "name": name,
                    "least_ppm": distortion.least_ppm,
                    "most_ppm": distortion.most_ppm,
                    "mean_ppm": distortion.mean_ppm,
                })
            };
            let before: Vec<Json> = usual.iter().map(|(crs, d)| system(crs.label(), d)).collect();
            let after: Vec<Json> =
                proposals.iter().map(|p| system(line(&p.crs), &p.distortion)).collect();
            show::json(&json!({
                "name": best.crs.name(),
                "file": self.destination.output.display().to_string(),
                "definition": definition::wkt2(&best.crs),
                "places": places.len(),
                "before": before,
                "after": after,
            }))?;
            return Ok(Ending::Done);
        }
        let mut table =
            show::Table::new(["system", "least ppm", "most ppm", "mean ppm", "1 km is off by"]);
        for (crs, distortion) in &usual {
            table.row(row(crs.label(), distortion));
        }
        table.rule();
        for proposal in &proposals {
            let chosen = if std::ptr::eq(proposal, best) { "written: " } else { "instead: " };
            table.row(row(format!("{chosen}{}", line(&proposal.crs)), &proposal.distortion));
        }
        show::answer(&format!(
            "{}\n{}\n\n{}",
            show::heading(&format!("Plane against ground, at {}", over(&heights, &places))),
            table.text(),
            show::pairs(&parameters(&best.crs))
        ))?;
        self.destination.next();
        Ok(Ending::Done)
    }
}

fn over(heights: &[f64], places: &[GroundPlace]) -> String {
    let count = places.len() / heights.len().max(1);
    match heights {
        [one] => format!("{count} places, {one} m above the ellipsoid"),
        [low, .., high] => format!("{count} places, {low} m to {high} m above the ellipsoid"),
        [] => String::new(),
    }
}

fn row(name: String, distortion: &Distortion) -> Vec<String> {
    let ppm = |value: f64| format!("{value:+.1}");
    vec![
        name,
        ppm(distortion.least_ppm),
        ppm(distortion.most_ppm),
        ppm(distortion.mean_ppm),
        format!("{:.1} mm at most", distortion.worst_ppm()),
    ]
}

/// Method and line of a proposal.
fn line(crs: &Crs) -> String {
    let value = |code: u32| {
        let conversion = crs.conversion()?;
        conversion.parameters.iter().find(|p| p.code == code)?.value()
    };
    match crs.conversion().map(|conversion| conversion.method_code) {
        Some(9807) => format!(
            "Transverse Mercator, meridian {}",
            minutes(value(8802).unwrap_or(f64::NAN), ('E', 'W'))
        ),
        _ => format!(
            "Lambert Conformal Conic, parallel {}",
            minutes(value(8801).unwrap_or(f64::NAN), ('N', 'S'))
        ),
    }
}

fn minutes(degrees: f64, (positive, negative): (char, char)) -> String {
    let all = (degrees.abs() * 60.0).round();
    let letter = if degrees < 0.0 { negative } else { positive };
    format!("{}°{:02}′ {letter}", (all / 60.0).floor(), all % 60.0)
}

/// The parameters as they would be typed elsewhere.
fn parameters(crs: &Crs) -> Vec<(String, String)> {
    let Some((conversion, unit)) = crs.conversion().zip(crs.length_unit()) else {
        return Vec::new();
    };
    let base = crs.base().map_or(String::new(), |base| base.label());
    let mut pairs = vec![
        ("geographic system".to_string(), base),
        ("method".into(), conversion.method_name().to_string()),
    ];
    for parameter in conversion.parameters.iter() {
        let Some(value) = parameter.value() else { continue };
        let text = match parameter.code {
            8801 => minutes(value, ('N', 'S')),
            8802 => minutes(value, ('E', 'W')),
            8806 | 8807 => format!("{:.0} {}", value / unit.metres(), crs.unit_plural()),
            _ => format!("{value}"),
        };
        pairs.push((parameter.name().to_lowercase(), text));
    }
    pairs
}

/// One height, or the lowest and the highest with the middle between them.
fn heights(text: &str) -> Result<Vec<f64>, Error> {
    let unread = || {
        Error::usage(format!(
            "`{text}` is no height in metres, such as 380, nor a lowest and a highest, such as 350..480"
        ))
    };
    let number = |text: &str| number(text).filter(|h| h.abs() < 20_000.0);
    match text.split_once("..") {
        None => Ok(vec![number(text).ok_or_else(unread)?]),
        Some((low, high)) => match (number(low), number(high)) {
            (Some(low), Some(high)) if low <= high => Ok(vec![low, high]),
            _ => Err(unread()),
        },
    }
}

fn bounds(text: &str) -> Result<Bounds, Error> {
    let sides: Vec<f64> = text.split(',').map_while(number).collect();
    match sides[..] {
        [south, west, north, east]
            if south < north
                && south >= -90.0
                && north <= 90.0
                && west.abs() <= 180.0
                && east.abs() <= 180.0 =>
        {
            Ok(Bounds { south, west, north, east })
        }
        _ => Err(Error::usage(format!(
            "`{text}` is no area: write south, west, north, east in degrees, such as \
             47.3,-120.2,47.5,-119.9"
        ))),
    }
}
