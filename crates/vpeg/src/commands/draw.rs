//! `vpeg draw`: a map of layers.

use crate::arguments::heading;
use crate::progress::TerminalProgress;
use crate::{Ending, reference, show};
use clap::{Args, ValueEnum};
use std::path::PathBuf;
use velvet_peg::draw::{
    Classes, Coloring, DrawOptions, GridLines, LayerStyle, MapLayers, MapRaster, Theme, ZoneLines,
    draw_layers, today,
};
use velvet_peg::raster::{RasterFormat, RasterReader};
use velvet_peg::{Error, LayerReader, draw};

#[derive(Debug, Args)]
pub(crate) struct Draw {
    /// Layer files, all of whose layers are drawn, and rasters, which are drawn under them.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Picture to write, .svg or .png, or a page to look around in, .html.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: PathBuf,
    /// Reference system to draw in, `utm` or `state-plane` for the zone that the first layer lies
    /// in; the first layer's own if not given.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// Layer file drawn in grey under the others, or a raster, without a say in what the map shows;
    /// several times for several.
    #[arg(long, value_name = "FILE")]
    context: Vec<PathBuf>,
    /// Column that gives features their colour.
    #[arg(long, value_name = "COLUMN")]
    color: Option<String>,
    /// Classes of the colours: values, quantiles:N, equal:N, or limits such as 10,20,50.
    #[arg(long, requires = "color")]
    classes: Option<Classes>,
    /// Column of numbers that gives points their size and lines their width.
    #[arg(long, value_name = "COLUMN")]
    size: Option<String>,
    /// Column to write beside the features.
    #[arg(long, value_name = "COLUMN")]
    label: Option<String>,
    /// Title; the layers' names if not given.
    #[arg(long)]
    title: Option<String>,
    /// Title of a layer in the legend, in place of its name; several times for several.
    #[arg(long, value_name = "LAYER=TITLE", value_parser = title_of)]
    title_of: Vec<LayerStyle>,
    /// Colour of a layer, as in gates=#1f6feb; several times for several.
    #[arg(long, value_name = "LAYER=#RRGGBB", value_parser = color_of, hide_short_help = true)]
    color_of: Vec<LayerStyle>,
    /// Width of a layer's lines, or twice the radius of its points, in pixels.
    #[arg(long, value_name = "LAYER=PIXELS", value_parser = width_of, hide_short_help = true)]
    width_of: Vec<LayerStyle>,
    /// Lines of round values: the system's own grid, the graticule of degrees, both or none; the
    /// graticule on projected maps of more than 1000 km if not given, the grid on others.
    #[arg(long, value_enum)]
    grid: Option<Lines>,
    /// Show where most of the data is, without the positions that stand apart.
    #[arg(long)]
    without_strays: bool,
    /// Lines and names of zones.
    #[arg(long, value_enum)]
    zones: Option<Zones>,
    /// Another system to draw the same layers in, side by side at one scale; up to three times.
    #[arg(long, value_name = "REF")]
    beside: Vec<String>,
    /// Draw circles on the ground as each system draws them.
    #[arg(long, hide_short_help = true)]
    ellipses: bool,
    /// Feature whose area is told in each system, as in field=F-07.
    #[arg(long, value_name = "COLUMN=VALUE", value_parser = column_value, hide_short_help = true)]
    area_of: Option<(String, String)>,
    /// The first layer as it was before: both positions are drawn, with how far each moved.
    #[arg(long, value_name = "FILE")]
    before: Option<PathBuf>,
    /// Column by which features are found in the layer of before; by their order if not given.
    #[arg(long, value_name = "COLUMN", requires = "before", hide_short_help = true)]
    key: Option<String>,
    /// Draw on a dark ground.
    #[arg(long, hide_short_help = true)]
    dark: bool,
    /// Leave out land, countries, states and counties.
    #[arg(long, hide_short_help = true)]
    no_backdrop: bool,
    /// Date to write below the map; today if not given, `none` for none.
    #[arg(long, value_name = "TEXT", hide_short_help = true)]
    date: Option<String>,
    /// Size in pixels, WIDTHxHEIGHT.
    #[arg(long, default_value = "1280x800", value_parser = pixels, value_name = "WIDTHxHEIGHT")]
    pixels: (u32, u32),
    /// Pages: column whose values are addresses or documents that features lead to; several times for
    /// several.
    #[arg(long, value_name = "COLUMN", hide_short_help = true)]
    link: Vec<String>,
    /// Pages: folder or address that relative links start from.
    #[arg(long, value_name = "FOLDER", requires = "link", hide_short_help = true)]
    link_base: Option<String>,
    /// Pages: pixels around the pointer within which a feature is hit.
    #[arg(long, value_name = "PIXELS", hide_short_help = true)]
    tolerance: Option<f64>,
    /// Replace an existing file.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
enum Lines {
    Grid,
    Graticule,
    Both,
    None,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
enum Zones {
    StatePlane,
    Utm,
}

fn of_layer<'a>(text: &'a str, what: &str) -> Result<(LayerStyle, &'a str), String> {
    match text.split_once('=') {
        Some((layer, value)) => {
            let style = LayerStyle { layer: layer.trim().to_string(), ..LayerStyle::default() };
            Ok((style, value.trim()))
        }
        None => Err(format!("`{text}` names no layer: write LAYER={what}")),
    }
}

fn column_value(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((column, value)) => Ok((column.trim().to_string(), value.trim().to_string())),
        None => Err(format!("`{text}` names no column: write COLUMN=VALUE")),
    }
}

fn title_of(text: &str) -> Result<LayerStyle, String> {
    let (style, title) = of_layer(text, "TITLE")?;
    Ok(LayerStyle { title: Some(title.to_string()), ..style })
}

fn color_of(text: &str) -> Result<LayerStyle, String> {
    let (style, color) = of_layer(text, "#RRGGBB")?;
    match draw::color_of(color) {
        Some(color) => Ok(LayerStyle { color: Some(color), ..style }),
        None => Err(format!("`{color}` is no colour: write it as #1f6feb, red, green and blue")),
    }
}

fn width_of(text: &str) -> Result<LayerStyle, String> {
    let (style, width) = of_layer(text, "PIXELS")?;
    match width.parse::<f64>() {
        Ok(width) if (0.1..=50.0).contains(&width) => {
            Ok(LayerStyle { width: Some(width), ..style })
        }
        _ => Err(format!("`{width}` is no width: a number of pixels from 0.1 to 50")),
    }
}

fn pixels(text: &str) -> Result<(u32, u32), String> {
    let wrong = || "a size is WIDTHxHEIGHT in pixels, 320x240 to 20000x20000".to_string();
    let (width, height) = text.split_once(['x', 'X', '×']).ok_or_else(wrong)?;
    let sides = (width.parse().map_err(|_| wrong())?, height.parse().map_err(|_| wrong())?);
    match (320..=20_000).contains(&sides.0) && (240..=20_000).contains(&sides.1) {
        true => Ok(sides),
        false => Err(wrong()),
    }
}

impl Draw {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        if let Some(size) = self.size.as_deref().filter(|size| pixels(size).is_ok()) {
            return Err(Error::usage(format!(
                "--size takes a column: for a picture of {size} pixels add --pixels {size}"
            )));
        }
        let (layers, mut rasters) = open(&self.files)?;
        let (context, under) = open(&self.context)?;
        rasters.extend(under.into_iter().map(MapRaster::as_context));
        let layers = MapLayers {
            layers,
            rasters,
            context,
            before: match &self.before {
                Some(file) => Some(LayerReader::open(file, None)?),
                None => None,
            },
            marks: Vec::new(),
        };
        let readers = &layers.layers;
        let crs = match &self.crs {
            Some(text) => Some(reference::system_for_map(text, &layers)?),
            None => None,
        };
        let options = DrawOptions {
            title: self.title.clone(),
            styles: self.styles(),
            date: match self.date.as_deref() {
                Some("none") => None,
                Some(date) => Some(date.to_string()),
                None => Some(today()),
            },
            width: self.pixels.0,
            height: self.pixels.1,
            crs,
            label: self.label.clone(),
            color: self.color.clone().map(|column| Coloring {
                column,
                classes: self.classes.clone().unwrap_or_default(),
            }),
            size: self.size.clone(),
            theme: if self.dark { Theme::Dark } else { Theme::Light },
            grid: self.grid.map_or(GridLines::Auto, |lines| match lines {
                Lines::Grid => GridLines::Grid,
                Lines::Graticule => GridLines::Graticule,
                Lines::Both => GridLines::Both,
                Lines::None => GridLines::None,
            }),
            without_strays: self.without_strays,
            backdrop: !self.no_backdrop,
            zones: self.zones.map(|zones| match zones {
                Zones::StatePlane => ZoneLines::StatePlane,
                Zones::Utm => ZoneLines::Utm,
            }),
            beside: self
                .beside
                .iter()
                .map(|text| reference::system_for_map(text, &layers))
                .collect::<Result<_, _>>()?,
            ellipses: self.ellipses,
            area_of: self.area_of.clone(),
            key: self.key.clone(),
            link: self.link.clone(),
            link_base: self.link_base.clone(),
            tolerance: self.tolerance,
            overwrite: self.overwrite,
        };
        let mut watch = TerminalProgress::new("drawing");
        let notices = draw_layers(&layers, &self.output, &options, &mut watch)?;
        drop(watch);
        if show::wants_json() {
            let names: Vec<&str> =
                readers.iter().map(|reader| reader.info().name.as_str()).collect();
            let rasters: Vec<&str> =
                layers.rasters.iter().map(|raster| raster.reader().info().name.as_str()).collect();
            show::json(&serde_json::json!({
                "layers": names,
                "rasters": rasters,
                "output": self.output,
                "notices": show::notices_as_json(&notices),
            }))?;
        }
        show::notices(&notices);
        let counted = |count: usize, what: &str| {
            let s = if count == 1 { "" } else { "s" };
            (count > 0).then(|| format!("{count} {what}{s}"))
        };
        let drawn: Vec<String> =
            [counted(readers.len(), "layer"), counted(layers.rasters.len(), "raster")]
                .into_iter()
                .flatten()
                .collect();
        show::remark(&format!("drew {} to {}", drawn.join(" and "), self.output.display()));
        Ok(Ending::Done)
    }

    /// What is chosen for single layers, one style a layer.
    fn styles(&self) -> Vec<LayerStyle> {
        let mut styles: Vec<LayerStyle> = Vec::new();
        for style in self.title_of.iter().chain(&self.color_of).chain(&self.width_of) {
            match styles.iter_mut().find(|known| known.layer == style.layer) {
                Some(known) => {
                    known.title = style.title.clone().or_else(|| known.title.take());
                    known.color = style.color.or(known.color);
                    known.width = style.width.or(known.width);
                }
                None => styles.push(style.clone()),
            }
        }
        styles
    }
}

fn open(files: &[PathBuf]) -> Result<(Vec<LayerReader>, Vec<MapRaster>), Error> {
    let (mut readers, mut rasters) = (Vec::new(), Vec::new());
    for file in files {
        if RasterFormat::of_file(file).is_some() {
            let raster = RasterReader::open(file)?;
            show::notices(&raster.info().notices);
            rasters.push(MapRaster::new(raster)?);
            continue;
        }
        for reader in LayerReader::open_spatial(file)? {
            show::notices(&reader.notices);
            readers.push(reader);
        }
    }
    Ok((readers, rasters))
}
