//! Drawing layers as a map: SVG, PNG made from it, or a page to look around in.
//!
//! A map answers where its layers lie: under them are land and water, countries, states and
//! counties, as far as its scale shows them; above it stands in words where the data is. It has a
//! frame with labelled lines (the system's grid or a graticule), a legend, a scale bar in two
//! units, an arrow to true north, a globe with its place on the Earth, and a line that says which
//! reference system it is drawn in. Positions that stand apart are numbered and told beside it.
//!
//! Layers are gone through twice: once for what is there, once to draw it. What is kept is no
//! larger for ten million features than for some ten thousand: where there are too many to be told
//! apart, the map is shaded by how many there are.
//!
//! The same layers and options give the same bytes.

mod backdrop;
mod backdrop_marks;
mod canvas;
mod characters;
mod chosen;
mod classes;
mod density;
mod displacement;
mod ellipses;
mod figures;
mod flags;
mod furniture;
#[cfg(feature = "backdrop")]
mod globe;
mod graticule;
mod ground;
mod histogram;
mod ink;
mod labels;
mod layer_ink;
mod legend;
mod lettering;
mod map_raster;
mod map_system;
mod marks;
mod north;
mod options;
mod page;
mod page_policy;
mod palette;
mod panel;
mod plates;
mod raster_ink;
mod rasterise;
mod scale_bar;
mod scene;
mod simplify;
mod survey;
mod ticks;
mod values;
mod view;
mod whole_layers;

pub use characters::characters;
pub(crate) use figures::grouped;
pub(crate) use histogram::Histogram;
pub use map_raster::MapRaster;
pub use options::{
    Classes, Coloring, DrawOptions, GridLines, LayerStyle, MapLayers, MapMark, Stage, Theme,
    ZoneLines, color_of,
};
pub(crate) use page_policy::page_policy;

use crate::error::{Error, Result};
use crate::layer::Layer;
use crate::layer_io::LayerReader;
use crate::notice::Notice;
use crate::output::{is_standard, refuse_existing, refuse_nowhere, write_whole, write_whole_with};
use crate::progress::{NoProgress, Progress};
use std::path::Path;

/// Draws layers one above the other, polygons lowest and points on top, and writes the
/// picture: SVG, PNG or a page (HTML) by the extension of `out`.
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
/// If a layer has no reference system while another has, a column or layer that is named is not
/// there, nothing is to be drawn, or the file exists or cannot be written.
pub fn draw(layers: &[Layer], out: &Path, options: &DrawOptions) -> Result<Vec<Notice>> {
    draw_layers(&readers(layers), out, options, &mut NoProgress)
}

/// As [`draw`], batch by batch from files: layers of any size are drawn in bounded memory. `watch`
/// is told how far each pass has come.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::{LayerReader, NoProgress};
/// use velvet_peg::draw::{draw_layers, Coloring, DrawOptions, MapLayers};
/// let fields = MapLayers::from(vec![LayerReader::open(&file("fields.geojson"), None)?]);
/// let options = DrawOptions { color: Some(Coloring::by("crop")), ..DrawOptions::default() };
/// draw_layers(&fields, &file("crops.svg"), &options, &mut NoProgress)?;
/// assert!(std::fs::read_to_string(file("crops.svg"))?.contains("by crop"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// As [`draw`], and if a file cannot be read.
pub fn draw_layers(
    layers: &MapLayers,
    out: &Path,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<Vec<Notice>> {
    // What cannot be written is not drawn first.
    check_picture(out, options.overwrite)?;
    if extension_of(out) == "html" {
        let (page, notices) = page::html(layers, options, watch)?;
        write_whole_with(out, options.overwrite, |file| page.write(file))?;
        return Ok(notices);
    }
    let (svg, mut notices) = scene::svg(layers, options, watch)?;
    let bytes = match extension_of(out).as_str() {
        "svg" => svg.into_bytes(),
        _ => {
            let (bytes, lacks) = rasterise::png(&svg)?;
            notices.extend(lacks);
            bytes
        }
    };
    write_whole(out, &bytes, options.overwrite)?;
    Ok(notices)
}

/// Writes a page whose tabs are the stages of data on its way, each with its layers, its table and what
/// is to be known of it. `watch` is told how far each pass has come.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::draw::{DrawOptions, MapLayers, Stage, draw_stages};
/// use velvet_peg::{LayerReader, NoProgress};
/// let stage = |name: &str| -> velvet_peg::Result<Stage> {
///     let reader = LayerReader::open(&file(&format!("{name}.geojson")), None)?;
///     let facts = vec![("from".to_string(), "the demo".to_string())];
///     Ok(Stage { name: name.to_string(), facts, layers: MapLayers::from(vec![reader]) })
/// };
/// let stages = [stage("fields")?, stage("laterals")?];
/// draw_stages(&stages, &file("stages.html"), &DrawOptions::default(), &mut NoProgress)?;
/// assert!(std::fs::read_to_string(file("stages.html"))?.contains("\"tab\":\"laterals\""));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// If the page is not `.html`, exists or cannot be written. A stage that cannot be drawn says so.
pub fn draw_stages(
    stages: &[Stage],
    out: &Path,
    options: &DrawOptions,
    watch: &mut dyn Progress,
) -> Result<Vec<Notice>> {
    check_picture(out, options.overwrite)?;
    if extension_of(out) != "html" {
        return Err(Error::usage("stages are tabs of a page: name one, .html").in_file(out));
    }
    let (page, notices) = page::stages_html(stages, options, watch)?;
    write_whole_with(out, options.overwrite, |file| page.write(file))?;
    Ok(notices)
}

/// Whether a picture can be written there, before anything is drawn.
///
/// # Errors
/// If it is none of `.svg`, `.png` and `.html`, or is there already and is not to be replaced.
pub fn check_picture(out: &Path, overwrite: bool) -> Result<()> {
    // A file that is no picture is not to be replaced by one, whatever is asked for. A folder says
    // below that it is one.
    if !is_picture(out) && !out.is_dir() {
        return Err(
            Error::usage("a map is written as .svg or .png, or as a page, .html").in_file(out)
        );
    }
    if !is_standard(out) {
        refuse_existing(out, overwrite)?;
        refuse_nowhere(out)?;
    }
    Ok(())
}

/// Whether a file is called as maps are: `.svg`, `.png` or `.html`.
pub fn is_picture(file: &Path) -> bool {
    matches!(extension_of(file).as_str(), "svg" | "png" | "html")
}

fn extension_of(out: &Path) -> String {
    out.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase()
}

/// The map as SVG text.
///
/// ```
/// use velvet_peg::{Crs, Geometry, Layer};
/// use velvet_peg::draw::{svg, DrawOptions};
/// let mut gates = Layer::new("gates", Some(Crs::from_epsg(4326)?));
/// gates.push(Geometry::Point((-120.0, 47.4)), [("name", "Gate 7".into())])?;
/// let (text, _) = svg(&[gates], &DrawOptions::default())?;
/// assert!(text.starts_with("<svg") && text.contains("county, Washington"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// As [`draw`], but for the file.
pub fn svg(layers: &[Layer], options: &DrawOptions) -> Result<(String, Vec<Notice>)> {
    scene::svg(&readers(layers), options, &mut NoProgress)
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

/// Today's date (UTC), as [`DrawOptions::date`] takes it.
pub fn today() -> String {
    time::OffsetDateTime::now_utc().date().to_string()
}

/// A picture that stands in a page which tells the rest: without a title, its elements named apart
/// from those of other pictures, with the marks that it is given and no others, each an element
/// that a link can lead to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct InPage {
    /// Which of the pictures of the page it is.
    pub(crate) number: usize,
}

impl InPage {
    /// The element of a mark, by its place in the list of marks.
    pub(crate) fn mark(self, at: usize) -> String {
        format!("map{}-mark{}", self.number, at + 1)
    }
}

/// A map as SVG text for a page.
pub(crate) fn svg_in_page(
    layers: &MapLayers,
    options: &DrawOptions,
    place: InPage,
    watch: &mut dyn Progress,
) -> Result<scene::Drawn> {
    scene::draw(layers, options, Some(place), watch)
}

fn readers(layers: &[Layer]) -> MapLayers {
    let reader = |layer: &Layer| LayerReader::of_layer(layer, Path::new(&layer.info().name));
    MapLayers::from(layers.iter().map(reader).collect::<Vec<_>>())
}
