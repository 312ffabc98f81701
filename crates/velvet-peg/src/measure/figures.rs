//! The columns of figures of a measure: title with unit, how to get it, digits.

use super::{Figure, GroupSummary, Measured, Measures, Statistic, Statistics};
use velvet_peg_core::{AreaUnit, LengthUnit};

/// Units that figures are given in; those of the surface if none are named.
#[derive(Clone, Debug, Default)]
pub struct FigureUnits {
    /// Of lengths; metres and US survey feet if none.
    pub lengths: Vec<LengthUnit>,
    /// Of areas; square metres and US survey acres if none.
    pub areas: Vec<AreaUnit>,
}

/// Where a figure is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Surface {
    /// Along geodesics.
    Ellipsoid,
    /// In the plane of a projected system.
    Grid,
    /// At the height of the ground.
    Ground,
}

impl Surface {
    fn name(self) -> &'static str {
        match self {
            Surface::Ellipsoid => "ellipsoid",
            Surface::Grid => "grid",
            Surface::Ground => "ground",
        }
    }
}

/// A column of figures.
#[derive(Clone, Debug)]
pub struct FigureColumn {
    /// Where its figures are taken.
    pub surface: Surface,
    /// Surface and unit, as in `ellipsoid m²`.
    pub title: String,
    /// The kind of its figures.
    kind: Figure,
    /// What figures of its kind are divided by: metres or square metres of the unit.
    divisor: f64,
    /// Digits behind the point.
    pub decimals: usize,
    /// True if a sum of it means something.
    pub sums: bool,
}

/// The columns in which the figures of a layer are told.
#[derive(Debug)]
pub struct FigureColumns(pub Vec<FigureColumn>);

/// A surface, with the length and the area on it.
type Figures = (Surface, Figure, Figure);

impl FigureColumns {
    /// Those that fit what was measured: areas and perimeters of polygons, or lengths of lines.
    pub fn new(measures: &Measures, areal: bool, units: &FigureUnits) -> FigureColumns {
        let mut columns = FigureColumns(Vec::new());
        let mut surfaces: Vec<Figures> = vec![(Surface::Ellipsoid, Figure::Length, Figure::Area)];
        if measures.grid.is_some() {
            surfaces.push((Surface::Grid, Figure::GridLength, Figure::GridArea));
        }
        if measures.ground_height_m.is_some() || measures.combined_factor.is_some() {
            surfaces.push((Surface::Ground, Figure::GroundLength, Figure::GroundArea));
        }
        if areal {
            let areas = match units.areas.as_slice() {
                [] => vec![AreaUnit::SquareMetre, AreaUnit::UsSurveyAcre],
                given => given.to_vec(),
            };
            let perimeter = units.lengths.first().copied().unwrap_or(LengthUnit::METRE);
            columns.length((Surface::Ellipsoid, "perimeter"), Figure::Length, perimeter);
            for (surface, _, area) in &surfaces {
                for unit in &areas {
                    columns.area(*surface, *area, *unit);
                }
            }
        } else {
            let lengths = match units.lengths.as_slice() {
                [] => vec![LengthUnit::METRE, LengthUnit::US_SURVEY_FOOT],
                given => given.to_vec(),
            };
            for (surface, length, _) in &surfaces {
                for unit in &lengths {
                    columns.length((*surface, surface.name()), *length, *unit);
                }
            }
        }
        if measures.grid.is_some() {
            let difference = if areal { Figure::AreaPpm } else { Figure::LengthPpm };
            let mut put = |title: &str, decimals, kind| {
                columns.0.push(FigureColumn {
                    title: title.to_string(),
                    surface: Surface::Grid,
                    kind,
                    divisor: 1.0,
                    decimals,
                    sums: false,
                });
            };
            put("grid−ell. ppm", 1, difference);
            put("scale factor", 7, Figure::ScaleFactor);
        }
        columns
    }

    fn length(&mut self, (surface, what): (Surface, &str), kind: Figure, unit: LengthUnit) {
        let metres = unit.metres();
        // To the millimetre, or near it.
        let decimals = if metres < 0.1 { 2 } else { 3 + usize::from(metres > 50.0) * 3 };
        let title = format!("{what} {}", unit.symbol());
        let divisor = metres;
        self.0.push(FigureColumn { title, surface, kind, divisor, decimals, sums: true });
    }

    fn area(&mut self, surface: Surface, kind: Figure, unit: AreaUnit) {
        let divisor = unit.square_metres();
        let decimals = match divisor {
            s if s < 0.5 => 1,
            s if s < 100.0 => 2,
            s if s < 100_000.0 => 4,
            _ => 6,
        };
        let title = format!("{} {}", surface.name(), unit.symbol());
        self.0.push(FigureColumn { title, surface, kind, divisor, decimals, sums: true });
    }

    /// The titles.
    pub fn titles(&self) -> impl Iterator<Item = String> + '_ {
        self.0.iter().map(|column| column.title.clone())
    }

    /// The figures of a feature as they are written.
    pub fn cells(&self, measured: &Measured) -> Vec<String> {
        self.0.iter().map(|column| column.text(column.figure(measured))).collect()
    }

    /// What the symbols in the titles stand for, where they need a word.
    pub fn legend(&self) -> Vec<&'static str> {
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
        words.iter().filter(|(symbol, _)| used(symbol)).map(|(_, text)| *text).collect()
    }
}

impl FigureColumn {
    /// The figure of a feature, in the column's unit.
    pub fn figure(&self, measured: &Measured) -> Option<f64> {
        Some(self.kind.of(measured)? / self.divisor)
    }

    /// A figure as it is written; blank if there is none.
    pub fn text(&self, figure: Option<f64>) -> String {
        figure.map_or(String::new(), |figure| format!("{figure:.0$}", self.decimals))
    }

    /// The figures of features that have one.
    pub fn statistics<'a>(&self, features: impl IntoIterator<Item = &'a Measured>) -> Statistics {
        Statistics::of(features.into_iter().filter_map(|measured| self.figure(measured)))
    }

    /// One statistic of this column over features; none without figures, and no sum of figures that
    /// cannot be summed: differences and factors.
    pub fn statistic<'a>(
        &self,
        of: Statistic,
        features: impl IntoIterator<Item = &'a Measured>,
    ) -> Option<f64> {
        self.told(of, &self.statistics(features))
    }

    /// One statistic of this column over a group, as [`FigureColumn::statistic`].
    pub fn statistic_of(&self, of: Statistic, group: &GroupSummary) -> Option<f64> {
        Some(self.told(of, group.statistics(self.kind))? / self.divisor)
    }

    fn told(&self, of: Statistic, found: &Statistics) -> Option<f64> {
        let fits = found.count > 0 && (self.sums || of != Statistic::Sum);
        fits.then(|| found.figure(of))
    }
}
