//! The columns of figures of a measure: title with unit, how to get it, digits.

use super::Units;
use velvet_peg::measure::{Measured, Measures};
use velvet_peg::{AreaUnit, LengthUnit};

type Figure = Box<dyn Fn(&Measured) -> Option<f64>>;

/// A column of figures.
pub(super) struct Column {
    title: String,
    pub(super) figure: Figure,
    pub(super) decimals: usize,
    /// True if a sum of it means something.
    pub(super) sums: bool,
}

pub(super) struct Columns(pub(super) Vec<Column>);

/// Where figures are taken.
type Surface = (&'static str, fn(&Measured) -> Option<f64>, fn(&Measured) -> Option<f64>);

impl Columns {
    pub(super) fn new(measures: &Measures, areal: bool, units: &Units) -> Columns {
        let mut columns = Columns(Vec::new());
        let mut surfaces: Vec<Surface> =
            vec![("ellipsoid", |m| Some(m.length_m), |m| Some(m.area_m2))];
        if measures.grid.is_some() {
            surfaces.push(("grid", |m| m.grid_length_m, |m| m.grid_area_m2));
        }
        if measures.ground_height_m.is_some() || measures.combined_factor.is_some() {
            surfaces.push(("ground", |m| m.ground_length_m, |m| m.ground_area_m2));
        }
        if areal {
            let areas = match units.areas.as_slice() {
                [] => vec![AreaUnit::SquareMetre, AreaUnit::UsSurveyAcre],
                given => given.to_vec(),
            };
            let perimeter = units.lengths.first().copied().unwrap_or(LengthUnit::METRE);
            columns.length("perimeter", |m| Some(m.length_m), perimeter);
            for (surface, _, area) in &surfaces {
                for unit in &areas {
                    columns.area(surface, *area, *unit);
                }
            }
        } else {
            let lengths = match units.lengths.as_slice() {
                [] => vec![LengthUnit::METRE, LengthUnit::US_SURVEY_FOOT],
                given => given.to_vec(),
            };
            for (surface, length, _) in &surfaces {
                for unit in &lengths {
                    columns.length(surface, *length, *unit);
                }
            }
        }
        if measures.grid.is_some() {
            let difference: Figure = match areal {
                true => Box::new(Measured::area_ppm),
                false => Box::new(Measured::length_ppm),
            };
            columns.put("grid−ell. ppm".to_string(), 1, false, difference);
            columns.put("scale factor".to_string(), 7, false, Box::new(|m| m.scale_factor));
        }
        columns
    }

    fn put(&mut self, title: String, decimals: usize, sums: bool, figure: Figure) {
        self.0.push(Column { title, figure, decimals, sums });
    }

    fn length(&mut self, what: &str, of: fn(&Measured) -> Option<f64>, unit: LengthUnit) {
        let metres = unit.metres();
        // To the millimetre, or near it.
        let decimals = if metres < 0.1 { 2 } else { 3 + usize::from(metres > 50.0) * 3 };
        let figure = Box::new(move |m: &Measured| Some(of(m)? / metres));
        self.put(format!("{what} {}", unit.symbol()), decimals, true, figure);
    }

    fn area(&mut self, what: &str, of: fn(&Measured) -> Option<f64>, unit: AreaUnit) {
        let square = unit.square_metres();
        let decimals = match square {
            s if s < 0.5 => 1,
            s if s < 100.0 => 2,
            s if s < 100_000.0 => 4,
            _ => 6,
        };
        let figure = Box::new(move |m: &Measured| Some(of(m)? / square));
        self.put(format!("{what} {}", unit.symbol()), decimals, true, figure);
    }

    pub(super) fn titles(&self) -> impl Iterator<Item = String> + '_ {
        self.0.iter().map(|column| column.title.clone())
    }

    pub(super) fn cells(&self, measured: &Measured) -> Vec<String> {
        self.0.iter().map(|column| cell((column.figure)(measured), column.decimals)).collect()
    }

    /// What the symbols in the titles stand for, where they need a word.
    pub(super) fn legend(&self) -> String {
        let words = [
            ("perimeter", "perimeter: of all rings, holes included"),
            ("ftUS", "ftUS: US survey feet, 1200/3937 m"),
            ("ft-intl", "ft-intl: international feet, 0.3048 m"),
            ("acUS", "acUS: US survey acres, 43 560 square US survey feet"),
            ("ac-intl", "ac-intl: international acres, 4046.8564224 m²"),
            ("chUS", "chUS: US survey chains, 66 US survey feet"),
            (
                "ppm",
                "ppm: parts in a million that the grid's figure is larger than the ellipsoid's",
            ),
        ];
        let used = |symbol: &str| {
            self.0.iter().any(|column| column.title.split(' ').any(|word| word == symbol))
        };
        let lines: Vec<String> = words
            .iter()
            .filter(|(symbol, _)| used(symbol))
            .map(|(_, text)| format!("  {text}"))
            .collect();
        lines.join("\n")
    }
}

pub(super) fn cell(value: Option<f64>, decimals: usize) -> String {
    value.map_or(String::new(), |value| format!("{value:.decimals$}"))
}
