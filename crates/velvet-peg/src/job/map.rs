//! How a map of a job looks.

use super::map_part::MapPart;
use crate::draw::{
    Classes, Coloring, DrawOptions, GridLines, LayerStyle, MapLayers, Theme, ZoneLines, color_of,
};
use crate::error::{Error, Result};
use crate::notice::Notice;
use indexmap::IndexMap;
use serde::{Deserialize, Serialize};
use std::path::Path;
use velvet_peg_core::Crs;

/// The look of a map.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub struct JobMap {
    /// Reference system to draw in; `utm` or `state-plane` for the zone of the first layer.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crs: Option<String>,
    /// Other systems to draw the same layers in, side by side.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub beside: Vec<String>,
    /// Sources or steps drawn in grey under the others.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub context: Vec<String>,
    /// The source or step that the first layer was before.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// Column by which features are found in it; by their order if none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub key: Option<String>,
    /// Column that gives features their colour.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub color: Option<String>,
    /// `values`, `quantiles:N`, `equal:N`, or limits with commas.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub classes: Option<String>,
    /// Column of numbers that gives points their size and lines their width.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub size: Option<String>,
    /// `grid`, `graticule`, `both` or `none`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub grid: Option<MapLines>,
    /// Show where most of the data is, without the positions that stand apart.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub without_strays: bool,
    /// `state-plane` or `utm`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub zones: Option<MapZones>,
    /// Pages: columns whose values are addresses or documents that features lead to.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub link: Vec<String>,
    /// Pages: folder or address that relative links start from.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub link_base: Option<String>,
    /// Pages: pixels around the pointer within which a feature is hit.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tolerance: Option<f64>,
    /// Draw on a dark ground.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub dark: bool,
    /// Leave out land, countries, states and counties.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub no_backdrop: bool,
    /// Date to write below it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub date: Option<String>,
    /// Width and height in pixels.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pixels: Option<[u32; 2]>,
    /// Titles of layers by their names.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub titles: IndexMap<String, String>,
    /// Colours of layers by their names, as `#1f6feb`.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub colors: IndexMap<String, String>,
    /// Widths of lines, or twice the radius of points, by the names of layers, pixels.
    #[serde(skip_serializing_if = "IndexMap::is_empty")]
    pub widths: IndexMap<String, f64>,
}

/// Which lines of round values cross a map.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum MapLines {
    Grid,
    Graticule,
    Both,
    None,
}

/// Zones whose lines are drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum MapZones {
    StatePlane,
    Utm,
}

impl JobMap {
    /// Sources and steps that it names.
    pub(super) fn names(&self) -> impl Iterator<Item = &String> {
        self.context.iter().chain(&self.before)
    }

    /// What is drawn of sources and steps, and how; `open` gives one by its name.
    pub(super) fn drawing(
        &self,
        names: &[String],
        open: impl Fn(&String) -> Result<MapPart>,
        folder: &Path,
    ) -> Result<(MapLayers, DrawOptions, Vec<Notice>)> {
        let mut notices = Vec::new();
        let mut drawn = MapLayers::default();
        for name in names {
            match open(name)? {
                MapPart::Layer(layer) => drawn.layers.push(*layer),
                MapPart::Raster(raster) => drawn.rasters.push(*raster),
            }
        }
        for name in &self.context {
            match open(name)? {
                MapPart::Layer(layer) => drawn.context.push(*layer),
                MapPart::Raster(raster) => drawn.rasters.push(raster.as_context()),
            }
        }
        if let Some(name) = &self.before
            && let MapPart::Layer(layer) = open(name)?
        {
            drawn.before = Some(*layer);
        }
        let mut system = |text: &String| -> Result<Crs> {
            let (crs, told) = drawn.system(text, folder)?;
            notices.extend(told);
            Ok(crs)
        };
        let options = DrawOptions {
            crs: self.crs.as_ref().map(&mut system).transpose()?,
            beside: self.beside.iter().map(&mut system).collect::<Result<_>>()?,
            styles: self.styles()?,
            date: self.date.clone(),
            color: match &self.color {
                Some(column) => Some(Coloring {
                    column: column.clone(),
                    classes: match &self.classes {
                        Some(text) => text.parse::<Classes>()?,
                        None => Classes::Auto,
                    },
                }),
                None => None,
            },
            size: self.size.clone(),
            without_strays: self.without_strays,
            key: self.key.clone(),
            link: self.link.clone(),
            link_base: self.link_base.clone(),
            tolerance: self.tolerance,
            theme: if self.dark { Theme::Dark } else { Theme::Light },
            grid: self.grid.map_or(GridLines::Auto, |lines| match lines {
                MapLines::Grid => GridLines::Grid,
                MapLines::Graticule => GridLines::Graticule,
                MapLines::Both => GridLines::Both,
                MapLines::None => GridLines::None,
            }),
            zones: self.zones.map(|zones| match zones {
                MapZones::StatePlane => ZoneLines::StatePlane,
                MapZones::Utm => ZoneLines::Utm,
            }),
            backdrop: !self.no_backdrop,
            width: self.pixels.map_or(1280, |[width, _]| width.clamp(320, 20_000)),
            height: self.pixels.map_or(800, |[_, height]| height.clamp(240, 20_000)),
            ..DrawOptions::default()
        };
        Ok((drawn, options, notices))
    }

    fn styles(&self) -> Result<Vec<LayerStyle>> {
        let names = self.titles.keys().chain(self.colors.keys()).chain(self.widths.keys());
        let mut styles: Vec<LayerStyle> = Vec::new();
        for name in names {
            if styles.iter().any(|style| style.layer == *name) {
                continue;
            }
            let color = self.colors.get(name).map(|text| {
                color_of(text).ok_or_else(|| {
                    Error::usage(format!("`{text}` is no colour: write it as #1f6feb"))
                })
            });
            styles.push(LayerStyle {
                layer: name.clone(),
                title: self.titles.get(name).cloned(),
                color: color.transpose()?,
                width: self.widths.get(name).copied(),
            });
        }
        Ok(styles)
    }
}
