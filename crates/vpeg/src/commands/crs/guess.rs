//! `vpeg crs guess`: the systems in which coordinates without one land where they should be.

use crate::arguments::{ColumnArguments, TableArguments, path_in_shell};
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::path::{Path, PathBuf};
use velvet_peg::guess::{
    Expected, Guess as Answer, Hypothesis, Surroundings, coordinates_of_layer,
    coordinates_of_table, guess,
};
use velvet_peg::raster::RasterReader;
use velvet_peg::{Crs, Error, Geographic, LayerReader, format_of};

#[derive(Debug, Args)]
#[command(group = clap::ArgGroup::new("expectation").required(true))]
pub(crate) struct Guess {
    /// Table or layer with the coordinates.
    file: PathBuf,
    /// They should be near this place, such as "47.4, -120.0".
    #[arg(long, value_name = "PLACE", group = "expectation")]
    near: Option<String>,
    /// They should be where the data of this file are.
    #[arg(long, value_name = "FILE", group = "expectation")]
    like: Option<PathBuf>,
    /// They should be in this state, such as Washington.
    #[arg(long, value_name = "STATE", group = "expectation")]
    zone: Option<String>,
    /// Columns of the same table that hold longitude and latitude.
    #[arg(long, value_name = "LON,LAT", group = "expectation")]
    known: Option<String>,
    /// Answers to list.
    #[arg(long, default_value_t = 5)]
    limit: usize,
    #[command(flatten)]
    columns: ColumnArguments,
    #[command(flatten)]
    reading: TableArguments,
}

impl Guess {
    pub(super) fn run(&self) -> Result<Ending, Error> {
        let known = match &self.known {
            None => None,
            Some(text) => Some(text.split_once(',').ok_or_else(|| {
                Error::usage(format!("--known `{text}`: name two columns, as in lon,lat"))
            })?),
        };
        let outline = RasterReader::outline_of(&self.file)?;
        let table = outline.is_none() && format_of(&self.file)?.is_table();
        let (points, places) = if let Some(outline) = &outline {
            (coordinates_of_layer(outline)?, Vec::new())
        } else if table {
            let columns = self.columns.columns();
            let options = self.reading.options();
            let found = coordinates_of_table(&self.file, &columns, known, &options)?;
            (found.points, found.known)
        } else {
            (coordinates_of_layer(&LayerReader::open(&self.file, None)?)?, Vec::new())
        };
        let expected = self.expected(places)?;
        let guesses = guess(&points, &expected, self.limit)?;
        if show::wants_json() {
            show::json(&as_json(&guesses, points.len(), &expected))?;
        } else if !guesses.is_empty() {
            show::answer(&as_text(&guesses, &self.from()))?;
        }
        match guesses.first() {
            Some(best) if best.distance_m <= expected.limit_m() => {
                if !show::wants_json() {
                    show::answer(&format!("\n{}", self.next(best, table)))?;
                }
                Ok(Ending::Done)
            }
            // The place is as likely wrong as the systems.
            _ => Err(Error::usage(format!(
                "no system of the registry brings these coordinates {}: is the place right, and are \
                 the columns those of the coordinates?",
                match &expected {
                    Expected::State(state) => format!("into {state}"),
                    other => format!("within {} of {}", distance(other.limit_m()), self.from()),
                }
            ))),
        }
    }

    /// What the distances are from.
    fn from(&self) -> String {
        match (&self.near, &self.like, &self.zone) {
            (Some(place), _, _) => place.clone(),
            (_, Some(file), _) => format!("the nearest feature of {}", file.display()),
            (_, _, Some(state)) => format!("the middle of {state}"),
            _ => "the known positions".to_string(),
        }
    }

    /// The command that makes use of the best answer, or what has to be done to the numbers before.
    fn next(&self, best: &Answer, table: bool) -> String {
        let crs = &best.crs;
        let columns = match best.hypothesis {
            Hypothesis::AsWritten => Some(self.columns.typed()),
            Hypothesis::Swapped if table => self.columns.typed_exchanged(),
            _ => None,
        };
        let Some(columns) = columns else {
            return format!(
                "the numbers fit {} only if they are read otherwise ({}): correct them first",
                crs.reference(),
                read(best)
            );
        };
        let stem = self.file.with_extension("");
        let out = path_in_shell(Path::new(&format!("{}.gpkg", stem.display())));
        let (file, crs) = (path_in_shell(&self.file), crs.reference());
        match table {
            true => {
                let typed = columns + &self.reading.typed();
                format!("next: vpeg build points {file}{typed} --crs {crs} -o {out}")
            }
            false => {
                let out = path_in_shell(Path::new(&format!("{}-declared.gpkg", stem.display())));
                format!("next: vpeg declare {file} --crs {crs} -o {out}")
            }
        }
    }

    fn expected(&self, places: Vec<Geographic>) -> Result<Expected, Error> {
        if let Some(text) = &self.near {
            return Ok(Expected::Near(reference::place_text(text)?.0));
        }
        if let Some(path) = &self.like {
            return Ok(Expected::Among(Box::new(surroundings(path)?)));
        }
        match &self.zone {
            Some(state) => Ok(Expected::State(state.clone())),
            None => Ok(Expected::Known(places)),
        }
    }
}

/// Where the vertices of a layer lie on WGS 84.
fn surroundings(path: &Path) -> Result<Surroundings, Error> {
    let layer = LayerReader::open(path, None)?.read()?.convert(&Crs::from_epsg(4326)?)?;
    let vertices = layer.batches().flat_map(|batch| {
        let geometry = batch.geometry();
        geometry.x.iter().zip(&geometry.y).map(|(x, y)| Geographic { lat: *y, lon: *x })
    });
    Surroundings::new(vertices)
        .map_err(|_| Error::usage(format!("{} has no features to be like", path.display())))
}

fn distance(metres: f64) -> String {
    match metres {
        m if m >= 10_000.0 => format!("{:.0} km", m / 1000.0),
        m if m >= 1_000.0 => format!("{:.1} km", m / 1000.0),
        m if m >= 10.0 => format!("{m:.0} m"),
        m if m >= 1.0 => format!("{m:.1} m"),
        m => format!("{:.1} cm", m * 100.0),
    }
}

/// How the numbers are read, and how they might be as well.
fn read(guess: &Answer) -> String {
    let also: Vec<&str> = guess.also_read.iter().map(|reading| reading.text()).collect();
    match also.as_slice() {
        [] => guess.hypothesis.text().to_string(),
        also => format!("{}; or {}", guess.hypothesis.text(), also.join("; or ")),
    }
}

/// The table of answers, with their distances from what is named.
fn as_text(guesses: &[Answer], from: &str) -> String {
    let mut table =
        show::Table::new(["system", "read", "distance", "lands at (latitude, longitude)"]);
    for guess in guesses {
        table.row(vec![
            guess.crs.label(),
            read(guess),
            match (guess.inside, guess.distance_m) {
                (Some(true), 0.0) => "inside".to_string(),
                (Some(true), m) => format!("inside; {}", distance(m)),
                (_, m) => distance(m),
            },
            format!("{:.5}, {:.5}", guess.lands.lat, guess.lands.lon),
        ]);
    }
    let note = format!("\ndistance: median of the coordinates, from {from}");
    let mut text = table.text() + &note;
    for guess in guesses.iter().filter(|guess| !guess.alike.is_empty()).take(2) {
        let list: Vec<String> = guess
            .alike
            .iter()
            .take(6)
            .map(|alike| {
                let known = alike.known_m.filter(|metres| *metres > 0.0);
                let known = known.map_or(String::new(), |metres| {
                    format!(", by a change of datum known to {metres} m")
                });
                let label = alike.crs.label();
                let apart = match alike.apart_m {
                    m if m < 5e-4 => "the same place".to_string(),
                    m => format!("{} away", distance(m)),
                };
                format!("\n    {label} ({apart}{known})")
            })
            .collect();
        let more = guess.alike.len().saturating_sub(6);
        let more = if more > 0 { format!("\n    and {more} more") } else { String::new() };
        text += &format!(
            "\n\nCannot be told apart from {} by this:{}{more}",
            guess.crs.reference(),
            list.concat()
        );
    }
    text
}

fn as_json(guesses: &[Answer], points: usize, expected: &Expected) -> Json {
    let list: Vec<Json> = guesses
        .iter()
        .map(|guess| {
            json!({
                "crs": guess.crs.reference(), "name": guess.crs.name(),
                "reading": guess.hypothesis.text(),
                "also_read": guess.also_read.iter().map(|reading| reading.text()).collect::<Vec<_>>(),
                "distance_m": guess.distance_m, "inside": guess.inside,
                "latitude": guess.lands.lat, "longitude": guess.lands.lon,
                "alike": guess.alike.iter().map(|alike| json!({
                    "crs": alike.crs.reference(), "name": alike.crs.name(),
                    "apart_m": alike.apart_m, "known_m": alike.known_m,
                })).collect::<Vec<_>>(),
            })
        })
        .collect();
    json!({ "coordinates": points, "limit_m": expected.limit_m(), "guesses": list })
}
