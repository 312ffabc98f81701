//! `vpeg position`: the position sheet of one place.

use crate::{Ending, reference, show};
use clap::{Args, ValueEnum};
use serde_json::{Value as Json, json};
use std::path::Path;
use velvet_peg::course::GeodesicSolver;
use velvet_peg::position::{SheetNotation, SheetOptions, position_sheet, read_grid_position};
use velvet_peg::{Converter, Coordinate, Crs, Error, Geographic, Layer, LayerReader};

#[derive(Debug, Args)]
pub(crate) struct Position {
    /// The place: latitude and longitude in any notation, a grid reference, a UTM position
    /// (10T 705000 5254000), or easting and northing of a projected --crs, in either order with
    /// letters (N 155850.12 E 1832900.45).
    text: String,
    /// Reference system of the place; WGS 84 if not given.
    #[arg(long, value_name = "REF", default_value = "EPSG:4326")]
    crs: String,
    /// Give the position in this system, in place of the zones that it falls in; several times for
    /// several.
    #[arg(long, value_name = "REF")]
    to: Vec<String>,
    /// How latitudes and longitudes are written; decimal, minutes and seconds if not given.
    #[arg(long, value_name = "NOTATION", value_enum, value_delimiter = ',')]
    notation: Vec<Written>,
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

/// How latitudes and longitudes are written.
#[derive(Clone, Copy, Debug, ValueEnum)]
enum Written {
    /// 47.408333333  -120.004166667
    Decimal,
    /// 47°24.500000′N  120°00.250000′W
    Minutes,
    /// 47°24′30.00000″N  120°00′15.00000″W
    Seconds,
    /// 47 24 30.00000  -120 00 15.00000
    Plain,
}

impl Written {
    fn meant(self) -> SheetNotation {
        match self {
            Written::Decimal => SheetNotation::Decimal,
            Written::Minutes => SheetNotation::Minutes,
            Written::Seconds => SheetNotation::Seconds,
            Written::Plain => SheetNotation::Plain,
        }
    }
}

impl Position {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let crs = reference::system(&self.crs)?;
        let at = coordinate(&self.text, &crs)?;
        let mut notations: Vec<SheetNotation> = self.notation.iter().map(|n| n.meant()).collect();
        if self.plain && notations.is_empty() {
            notations =
                [Written::Decimal, Written::Minutes, Written::Seconds].map(Written::meant).into();
        }
        if self.plain && !notations.contains(&SheetNotation::Plain) {
            notations.push(SheetNotation::Plain);
        }
        let options = SheetOptions {
            height_m: self.height,
            west_positive: self.west_positive,
            full_circle: self.full_circle,
            notations,
            systems: self.systems(&crs, at)?,
        };
        let sheet = position_sheet(&crs, at, &options)?;
        if show::wants_json() {
            let mut sections: Vec<(String, Vec<Json>)> = Vec::new();
            for line in &sheet.lines {
                let figure = |(name, value, unit): &(&str, f64, String)| {
                    json!({
                        "name": name, "value": value, "unit": unit,
                    })
                };
                let figures: Vec<Json> = line.figures.iter().map(figure).collect();
                let line_json =
                    json!({ "label": line.label, "text": line.text, "figures": figures });
                match sections.last_mut().filter(|(name, _)| *name == line.section) {
                    Some((_, lines)) => lines.push(line_json),
                    None => sections.push((line.section.clone(), vec![line_json])),
                }
            }
            let sections: Vec<Json> = sections
                .into_iter()
                .map(|(name, lines)| json!({ "name": name, "lines": lines }))
                .collect();
            show::json(&json!({
                "latitude": sheet.position.lat,
                "longitude": sheet.position.lon,
                "crs": sheet.system.reference(),
                "crs_name": sheet.system.name(),
                "sections": sections,
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

impl Position {
    /// The systems asked for; `utm` and `state-plane` are the zones that the place lies in.
    fn systems(&self, crs: &Crs, at: Coordinate) -> Result<Vec<Crs>, Error> {
        let mut place = Layer::new("place", Some(crs.clone()));
        place.push((at.x, at.y), [])?;
        let reader = LayerReader::of_layer(&place, Path::new("place"));
        self.to.iter().map(|text| reference::system_for(text, &reader)).collect()
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
    read_grid_position(text, crs)
}

/// Reads a place in a system as a geographic position.
pub(crate) fn place(text: &str, crs: &Crs) -> Result<Geographic, Error> {
    let at = coordinate(text, crs)?;
    GeodesicSolver::new(crs)?.place(at.x, at.y)
}
