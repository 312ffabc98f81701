//! How a map is drawn.

use super::map_raster::MapRaster;
use crate::error::{Error, Result};
use crate::layer_io::LayerReader;
use std::str::FromStr;
use velvet_peg_core::Crs;

/// Light paper with dark lines, or the other way round.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Theme {
    /// For paper and pages.
    #[default]
    Light,
    /// For screens in the dark.
    Dark,
}

/// Which lines of round values cross a map.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum GridLines {
    /// The system's own: eastings and northings, or degrees in a geographic system; the graticule
    /// where a projected map shows more than 1000 km.
    #[default]
    Auto,
    /// Eastings and northings in the system's unit.
    Grid,
    /// Meridians and parallels, labelled where they cut the frame.
    Graticule,
    /// Both; the graticule is labelled on the upper and the right edge.
    Both,
    /// None.
    None,
}

/// Zones whose lines are drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ZoneLines {
    /// State plane zones of 1983.
    StatePlane,
    /// UTM zones.
    Utm,
}

/// How values become classes.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Classes {
    /// Values where they are texts, booleans or at most eight numbers; five quantiles otherwise.
    #[default]
    Auto,
    /// Each value for itself; the rarer of more than eight together.
    Values,
    /// So many classes of numbers with as many features each.
    Quantiles(usize),
    /// So many classes of numbers of the same width.
    Equal(usize),
    /// Classes of numbers between these limits, in rising order; a limit belongs to the class
    /// above it.
    Limits(Vec<f64>),
}

impl FromStr for Classes {
    type Err = Error;

    /// `values`, `quantiles:5`, `equal:5`, or limits in rising order: `10,20,50`.
    fn from_str(text: &str) -> Result<Classes> {
        let wrong = || {
            Error::usage(format!(
                "`{text}` is none of values, quantiles:5, equal:5, or limits in rising order: 10,20,50"
            ))
        };
        let count = |text: &str| text.parse().map_err(|_| wrong());
        match text.split_once(':') {
            _ if text == "values" => Ok(Classes::Values),
            Some(("quantiles", number)) => Ok(Classes::Quantiles(count(number)?)),
            Some(("equal", number)) => Ok(Classes::Equal(count(number)?)),
            _ => {
                let limits = text.split(',').map(|limit| limit.trim().parse::<f64>());
                let limits = limits.collect::<std::result::Result<_, _>>().map_err(|_| wrong())?;
                Ok(Classes::Limits(limits))
            }
        }
    }
}

/// A colour as it is written in pages, `#1f6feb`: red, green and blue.
pub fn color_of(text: &str) -> Option<[u8; 3]> {
    let digits = text.strip_prefix('#').filter(|digits| digits.len() == 6 && digits.is_ascii())?;
    let part = |at: usize| u8::from_str_radix(&digits[at..at + 2], 16).ok();
    Some([part(0)?, part(2)?, part(4)?])
}

/// Colours by an attribute.
#[derive(Clone, Debug, PartialEq)]
pub struct Coloring {
    /// The attribute.
    pub column: String,
    /// How its values become classes.
    pub classes: Classes,
}

impl Coloring {
    /// By a column, in the classes that fit its values.
    pub fn by(column: impl Into<String>) -> Coloring {
        Coloring { column: column.into(), classes: Classes::Auto }
    }
}

/// What is chosen for one layer.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct LayerStyle {
    /// Name of the layer.
    pub layer: String,
    /// Title in the legend, in place of the name.
    pub title: Option<String>,
    /// Colour as red, green and blue.
    pub color: Option<[u8; 3]>,
    /// Width of lines and outlines in pixels; twice the radius of points.
    pub width: Option<f64>,
}

/// What is drawn.
#[derive(Debug, Default)]
pub struct MapLayers {
    /// The layers that the map is of.
    pub layers: Vec<LayerReader>,
    /// Rasters that are drawn under the layers, the first one lowest.
    pub rasters: Vec<MapRaster>,
    /// Layers drawn in grey under them, without a say in what the map shows.
    pub context: Vec<LayerReader>,
    /// The first layer as it was before: both positions of its features are drawn, with what lies
    /// between them.
    pub before: Option<LayerReader>,
    /// Positions to look at beyond those that the map finds itself.
    pub marks: Vec<MapMark>,
}

/// A position to look at: numbered on the map, and told beside it.
#[derive(Clone, Debug, PartialEq)]
pub struct MapMark {
    /// Which of the layers that the map is of it belongs to, from 0.
    pub layer: usize,
    /// First and second coordinate.
    pub at: (f64, f64),
    /// The system of the coordinates; the layer's own if none.
    pub crs: Option<Crs>,
    /// What there is to look at.
    pub text: String,
}

impl From<Vec<LayerReader>> for MapLayers {
    fn from(layers: Vec<LayerReader>) -> MapLayers {
        MapLayers { layers, ..MapLayers::default() }
    }
}

/// A state of data on its way, such as what a step of a job made: a tab of a page.
#[derive(Debug, Default)]
pub struct Stage {
    /// What it is called.
    pub name: String,
    /// What there is to know of it: labels and texts.
    pub facts: Vec<(String, String)>,
    /// Its layers; none where it has no shapes.
    pub layers: MapLayers,
}

/// How to draw.
#[derive(Clone, Debug)]
pub struct DrawOptions {
    /// Title; the layers' names if none.
    pub title: Option<String>,
    /// What is chosen for single layers.
    pub styles: Vec<LayerStyle>,
    /// Date to write below the map; none if none. The picture depends on it, so it is not taken
    /// from the clock.
    pub date: Option<String>,
    /// Width of the picture in pixels.
    pub width: u32,
    /// Height of the picture in pixels.
    pub height: u32,
    /// Reference system to draw in; the first layer's if none.
    pub crs: Option<Crs>,
    /// Attribute to write beside features.
    pub label: Option<String>,
    /// Attribute that gives features their colour.
    pub color: Option<Coloring>,
    /// Attribute of numbers that gives points their size and lines their width.
    pub size: Option<String>,
    /// Light or dark.
    pub theme: Theme,
    /// Which lines of round values cross it.
    pub grid: GridLines,
    /// Land, countries, states and counties under the layers, and where the map lies.
    pub backdrop: bool,
    /// Show where most of the data is, without the positions that stand apart.
    pub without_strays: bool,
    /// Zones whose lines are drawn.
    pub zones: Option<ZoneLines>,
    /// Other systems to draw the same layers in, side by side at one scale; up to three.
    pub beside: Vec<Crs>,
    /// Circles on the ground as each system draws them, of systems side by side or of one.
    pub ellipses: bool,
    /// The features whose areas are told under each of the systems side by side: a column and its
    /// value.
    pub area_of: Option<(String, String)>,
    /// Column by which features are found in the layer of before; by their order if none.
    pub key: Option<String>,
    /// Pages: columns whose values are addresses or documents that features lead to.
    pub link: Vec<String>,
    /// Pages: folder or address that relative links start from.
    pub link_base: Option<String>,
    /// Pages: pixels around the pointer within which a feature is hit; fit for a mouse and for
    /// fingers if none.
    pub tolerance: Option<f64>,
    /// Replace an existing file.
    pub overwrite: bool,
}

impl DrawOptions {
    pub(super) fn style_of(&self, layer: &str) -> Option<&LayerStyle> {
        self.styles.iter().find(|style| style.layer == layer)
    }

    /// What a layer is called on the map.
    pub(super) fn title_of<'a>(&'a self, layer: &'a str) -> &'a str {
        self.style_of(layer).and_then(|style| style.title.as_deref()).unwrap_or(layer)
    }
}

impl Default for DrawOptions {
    fn default() -> DrawOptions {
        DrawOptions {
            title: None,
            styles: Vec::new(),
            date: None,
            width: 1280,
            height: 800,
            crs: None,
            label: None,
            color: None,
            size: None,
            theme: Theme::Light,
            grid: GridLines::Auto,
            backdrop: true,
            without_strays: false,
            zones: None,
            beside: Vec::new(),
            ellipses: false,
            area_of: None,
            key: None,
            link: Vec::new(),
            link_base: None,
            tolerance: None,
            overwrite: false,
        }
    }
}
