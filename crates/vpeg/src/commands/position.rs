//! `vpeg position`: the position sheet of one place.

use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Map, Value as Json, json};
use velvet_peg::course::GeodesicSolver;
use velvet_peg::position::{SheetOptions, position_sheet};
use velvet_peg::{Converter, Coordinate, Crs, Error, Geographic};

#[derive(Debug, Args)]
pub(crate) struct Position {
    /// The place: latitude and longitude in any notation, a grid reference, a UTM position
    /// (10T 705000 5254000), or easting and northing of a projected --crs.
    text: String,
    /// Reference system of the place; WGS 84 if not given.
    #[arg(long, value_name = "REF", default_value = "EPSG:4326")]
    crs: String,
    /// Ellipsoidal height in metres: gives elevation and combined factors.
    #[arg(long, value_name = "METRES", allow_hyphen_values = true)]
    height: Option<f64>,
    /// Longitude counted positive westward too.
    #[arg(long)]
    west_positive: bool,
    /// Longitude from 0 to 360 degrees too.
    #[arg(long)]
    full_circle: bool,
    /// Degrees, minutes, seconds between blanks, without symbols, too.
    #[arg(long)]
    plain: bool,
}

impl Position {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let crs = reference::system(&self.crs)?;
        let at = coordinate(&self.text, &crs)?;
        let options = SheetOptions {
            height_m: self.height,
            west_positive: self.west_positive,
            full_circle: self.full_circle,
            plain: self.plain,
        };
        let sheet = position_sheet(&crs, at, &options)?;
        if show::wants_json() {
            let mut sections = Map::new();
            for line in &sheet.lines {
                let section = sections.entry(line.section.clone()).or_insert_with(|| json!({}));
                section[line.label.as_str()] = Json::String(line.text.clone());
            }
            show::json(&json!({
                "latitude": sheet.position.lat,
                "longitude": sheet.position.lon,
                "crs": sheet.system.reference(),
                "crs_name": sheet.system.name(),
                "forms": sections,
                "notices": show::notices_as_json(&sheet.notices),
            }))?;
        } else {
            let mut sections: Vec<(String, Vec<(String, String)>)> = Vec::new();
            for line in &sheet.lines {
                let pair = (line.label.clone(), line.text.clone());
                match sections.last_mut().filter(|(name, _)| *name == line.section) {
                    Some((_, pairs)) => pairs.push(pair),
                    None => sections.push((line.section.clone(), vec![pair])),
                }
            }
            let texts: Vec<String> = sections
                .iter()
                .map(|(name, pairs)| format!("{}\n{}", show::heading(name), show::pairs(pairs)))
                .collect();
            show::answer(&texts.join("\n\n"))?;
        }
        show::notices(&sheet.notices);
        Ok(Ending::Done)
    }
}

/// Reads a place in a system: latitude first if it is geographic, easting first if it is
/// projected.
pub(crate) fn coordinate(text: &str, crs: &Crs) -> Result<Coordinate, Error> {
    if crs.is_geographic() {
        let (at, remark) = reference::place_text(text)?;
        let Some(remark) = remark else { return Ok(Coordinate::xy(at.lon, at.lat)) };
        show::remark(&remark);
        // Grid references and UTM positions are on WGS 84, whatever the system wanted.
        let converter = Converter::new(&Crs::from_epsg(4326)?, crs)?;
        return Ok(converter.convert(Coordinate::xy(at.lon, at.lat))?);
    }
    let numbers: Vec<f64> = text
        .split([',', ';', ' ', '\t'])
        .filter(|part| !part.is_empty())
        .map(|part| part.replace('−', "-").parse())
        .collect::<Result<_, _>>()
        .map_err(|_| unreadable(text, crs))?;
    match numbers.as_slice() {
        [x, y] => Ok(Coordinate::xy(*x, *y)),
        [x, y, z] => Ok(Coordinate { x: *x, y: *y, z: *z }),
        _ => Err(unreadable(text, crs)),
    }
}

fn unreadable(text: &str, crs: &Crs) -> Error {
    Error::usage(format!(
        "`{text}` cannot be read as a place of {}: write its easting and northing in {}, as in \
         `1640416.7, 250000`",
        crs.label(),
        crs.unit_plural()
    ))
}

/// Reads a place in a system as a geographic position.
pub(crate) fn place(text: &str, crs: &Crs) -> Result<Geographic, Error> {
    let at = coordinate(text, crs)?;
    GeodesicSolver::new(crs)?.place(at.x, at.y)
}
