//! Drawing layers as a map: SVG, or PNG made from it.
//!
//! A map has a title, a frame with labelled ticks (a graticule in degrees or a grid in the
//! system's unit), the layers with a legend, a scale bar, a north arrow, and a line that says
//! which reference system it is drawn in.

mod marginalia;
mod raster;
mod svg;
mod ticks;

use crate::convert::carry;
use crate::error::{Error, Result};
use crate::layer::{Extender, GeometryKind, Layer, no_system};
use crate::notice::{Notice, NoticeKind};
use crate::output::{is_standard, refuse_existing, write_whole};
use crate::plausibility::Evidence;
use std::path::Path;
use svg::SvgMap;
use velvet_peg_core::{Bounds, Crs};

/// How to draw.
#[derive(Clone, Debug)]
pub struct DrawOptions {
    /// Title; the layers' names if none.
    pub title: Option<String>,
    /// Titles of layers, in place of their names: the name of each, and its title.
    pub titles: Vec<(String, String)>,
    /// Width of the picture in pixels.
    pub width: u32,
    /// Height of the picture in pixels.
    pub height: u32,
    /// Reference system to draw in; the first layer's if none.
    pub crs: Option<Crs>,
    /// Attribute to write beside features.
    pub label: Option<String>,
    /// Replace an existing file.
    pub overwrite: bool,
}

impl DrawOptions {
    /// What a layer is called on the map.
    fn title_of<'a>(&'a self, layer: &'a Layer) -> &'a str {
        let name = layer.info().name.as_str();
        self.titles.iter().find(|(of, _)| of == name).map_or(name, |(_, title)| title)
    }
}

impl Default for DrawOptions {
    fn default() -> DrawOptions {
        DrawOptions {
            title: None,
            titles: Vec::new(),
            width: 1280,
            height: 800,
            crs: None,
            label: None,
            overwrite: false,
        }
    }
}

/// Colours of layers in their order: line or outline, and fill. Told apart in print and by
/// eyes that do not see all colours.
const COLOURS: [(&str, &str); 6] = [
    ("#7a4b00", "#e9c46a"),
    ("#00508c", "#8ecae6"),
    ("#9b2226", "#f2a6a0"),
    ("#2d6a4f", "#b7d8b0"),
    ("#5a3d8a", "#cdb7e9"),
    ("#3c3c3c", "#c8c8c8"),
];

/// Draws layers one above the other, polygons lowest and points on top, and writes the
/// picture: SVG or PNG by the extension of `out`.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::{draw, Layer};
/// use velvet_peg::draw::DrawOptions;
/// let layers = [Layer::read(file("fields.geojson"))?, Layer::read(file("laterals.geojson"))?];
/// draw(&layers, &file("map.png"), &DrawOptions { label: Some("field".into()), ..DrawOptions::default() })?;
/// assert!(file("map.png").exists());
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If a layer has no reference system while another has, nothing is to be drawn, or the file
/// exists or cannot be written.
pub fn draw(layers: &[Layer], out: &Path, options: &DrawOptions) -> Result<Vec<Notice>> {
    let extension =
        out.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
    // What cannot be replaced is not drawn first.
    if !is_standard(out) {
        refuse_existing(out, options.overwrite)?;
    }
    if !matches!(extension.as_str(), "svg" | "png") {
        return Err(Error::usage("a map is written as .svg or .png").in_file(out));
    }
    let (svg, mut notices) = svg(layers, options)?;
    let bytes = match extension.as_str() {
        "svg" => svg.into_bytes(),
        _ => {
            let (bytes, lacks) = raster::png(&svg)?;
            notices.extend(lacks);
            bytes
        }
    };
    write_whole(out, &bytes, options.overwrite)?;
    Ok(notices)
}

/// The map as SVG text.
///
/// ```
/// use velvet_peg::{Crs, Geometry, Layer};
/// use velvet_peg::draw::{svg, DrawOptions};
/// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
/// gates.push(Geometry::Point((-120.0, 47.4)), [("name", "Gate 7".into())])?;
/// let (text, _) = svg(&[gates], &DrawOptions::default())?;
/// assert!(text.starts_with("<svg") && text.contains("<circle"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// As [`draw`], but for the file.
pub fn svg(layers: &[Layer], options: &DrawOptions) -> Result<(String, Vec<Notice>)> {
    let (layers, crs, notices) = in_one_system(layers, options)?;
    let mut extender = Extender::default();
    for layer in &layers {
        layer.batches().for_each(|batch| extender.add(&batch.geometry));
    }
    let extent = extender
        .bounds()
        .ok_or_else(|| Error::data("there is nothing to draw: the layers have no geometry"))?;
    let mut picture = SvgMap::new(options, crs.as_ref(), &roomy(&extent, crs.as_ref()));
    let mut order: Vec<usize> = (0..layers.len()).collect();
    order.sort_by_key(|at| match layers[*at].info().kind.map(GeometryKind::single) {
        Some(GeometryKind::Polygon) | None => 0,
        Some(GeometryKind::LineString) => 1,
        _ => 2,
    });
    picture.paper();
    ticks::grid(&mut picture);
    picture.open_frame();
    for at in &order {
        picture.layer(&layers[*at], COLOURS[at % COLOURS.len()]);
    }
    if let Some(label) = &options.label {
        layers.iter().for_each(|layer| picture.labels(layer, label));
    }
    picture.close_frame();
    marginalia::all(&mut picture, &layers, options);
    Ok((picture.finish(), notices))
}

impl Layer {
    /// A map of it as SVG text, with what is to be known of the picture.
    ///
    /// ```
    /// use velvet_peg::{Crs, Layer};
    /// use velvet_peg::draw::DrawOptions;
    /// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
    /// gates.push((-120.0, 47.4), [("name", "Gate 7".into())])?;
    /// let (svg, notices) = gates.draw(&DrawOptions::default())?;
    /// assert!(svg.contains("<circle") && notices.is_empty());
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// As [`svg`].
    pub fn draw(&self, options: &DrawOptions) -> Result<(String, Vec<Notice>)> {
        svg(std::slice::from_ref(self), options)
    }
}

/// All layers in one system: the one asked for, or the first layer's.
fn in_one_system(
    layers: &[Layer],
    options: &DrawOptions,
) -> Result<(Vec<Layer>, Option<Crs>, Vec<Notice>)> {
    let mut notices = Vec::new();
    let crs = options.crs.clone().or_else(|| layers.iter().find_map(|layer| layer.crs().cloned()));
    let Some(crs) = crs else {
        notices.push(Notice::warning(
            NoticeKind::Drawing,
            "the layers have no reference system: drawn by their bare numbers, without scale",
        ));
        return Ok((layers.to_vec(), None, notices));
    };
    let mut carried = Vec::new();
    for layer in layers {
        notices.extend(Evidence::of_layer(layer).map(|mut notice| {
            let name = &layer.info().name;
            notice.text = format!("layer {name}: {}", notice.text);
            notice.in_layer(name)
        }));
        let own = layer.crs().ok_or_else(|| no_system(layer.info()))?;
        if *own == crs {
            carried.push(layer.clone());
        } else {
            notices.push(Notice::note(
                NoticeKind::Drawing,
                format!(
                    "layer {} was carried from {} to {} for the drawing",
                    layer.info().name,
                    own.label(),
                    crs.label()
                ),
            ));
            carried.push(carry(layer, &crs)?.0);
        }
    }
    Ok((carried, Some(crs), notices))
}

/// The extent with a margin, never without width or height: a single point gets some
/// hundred metres around it.
fn roomy(extent: &Bounds, crs: Option<&Crs>) -> Bounds {
    let least = match crs {
        Some(crs) if crs.is_geographic() => 0.002,
        Some(crs) => 200.0 / crs.length_unit().map_or(1.0, |unit| unit.metres()),
        None => 1.0,
    };
    let (width, height) = (extent.east - extent.west, extent.north - extent.south);
    let margin = (0.04 * width.max(height)).max(if width.max(height) > 0.0 { 0.0 } else { least });
    Bounds {
        west: extent.west - margin,
        east: extent.east + margin,
        south: extent.south - margin,
        north: extent.north + margin,
    }
}
