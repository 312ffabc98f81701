//! Rasters in the frame of a map.

use super::canvas::Canvas;
use super::figures::{grouped, readable};
use super::map_raster::MapRaster;
use super::options::Theme;
use super::palette::{Paper, Rgb, mixed, ramp};
use super::plates::Plate;
use super::view::View;
use crate::error::Result;
use crate::progress::Progress;
use crate::raster::{Picture, Shown};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use velvet_peg_core::raster::PixelGrid;

/// Shades of numbers.
const SHADES: usize = 64;
/// How much of the colour of a number is left, so that layers can be told from what is under them.
const STRENGTH: f64 = 0.6;

/// A raster as it is on the map.
pub(super) struct RasterInk {
    /// Which of the plates it is.
    pub(super) plate: usize,
    /// Left upper corner of the frame's pixels, whole numbers.
    corner: (f64, f64),
    /// None if nothing of it is seen.
    pub(super) picture: Option<Picture>,
    /// What its numbers are, where it has no colours of its own.
    pub(super) values_of: String,
    /// Colours of numbers, from the lowest to the highest.
    pub(super) shades: Vec<Rgb>,
}

impl RasterInk {
    /// Left, top, width and height in the picture's pixels; none if nothing of it is seen.
    pub(super) fn place(&self) -> Option<[f64; 4]> {
        let picture = self.picture.as_ref()?;
        let (first, size) = (picture.first, picture.size);
        Some([
            self.corner.0 + first.0 as f64,
            self.corner.1 + first.1 as f64,
            size.0 as f64,
            size.1 as f64,
        ])
    }

    /// Lowest and highest of the numbers that are seen, as texts; none where it has colours of its own.
    pub(super) fn range(&self) -> Option<[String; 2]> {
        let Shown::Values(low, high) = self.picture.as_ref()?.shown else { return None };
        let text = |value: f64| {
            let (value, decimals) = readable(value, (high - low) / 100.0);
            grouped(value, decimals)
        };
        Some([text(low), text(high)])
    }

    /// The address of its pixels, which holds them.
    pub(super) fn address(&self) -> Result<Option<String>> {
        let Some(picture) = &self.picture else { return Ok(None) };
        Ok(Some(format!("data:image/png;base64,{}", STANDARD.encode(picture.png()?))))
    }
}

/// Colours of numbers, from the lowest to the highest.
fn shades(theme: Theme) -> Vec<Rgb> {
    let land = Paper::of(theme).land;
    ramp(SHADES, theme).into_iter().map(|color| mixed(land, color, STRENGTH)).collect()
}

/// Sees the rasters of a map in its frame.
pub(super) fn ink(
    plates: &[Plate<'_>],
    view: &View,
    theme: Theme,
    watch: &mut dyn Progress,
) -> Result<Vec<RasterInk>> {
    let rasters = plates.iter().enumerate().filter_map(|(at, plate)| Some((at, plate.raster?)));
    rasters.map(|(at, raster)| one(at, raster, view, theme, watch)).collect()
}

fn one(
    plate: usize,
    raster: &MapRaster,
    view: &View,
    theme: Theme,
    watch: &mut dyn Progress,
) -> Result<RasterInk> {
    let [left, top, right, bottom] = view.frame;
    let corner = (left.floor(), top.floor());
    let size = (right.ceil() - corner.0, bottom.ceil() - corner.1);
    let at = |right: f64, down: f64| view.coordinate((corner.0 + right, corner.1 + down));
    let (origin, beside, below) = (at(0.0, 0.0), at(1.0, 0.0), at(0.0, 1.0));
    let grid = PixelGrid::new(
        origin,
        (beside.0 - origin.0, beside.1 - origin.1),
        (below.0 - origin.0, below.1 - origin.1),
        size.0.max(1.0) as usize,
        size.1.max(1.0) as usize,
    )?;
    let shades = shades(theme);
    let ramp = |share: f64| shades[((share * SHADES as f64) as usize).min(SHADES - 1)];
    let picture = Picture::of(raster.reader(), grid, view.crs.as_ref(), &ramp, watch)?;
    let values_of = match &raster.reader().info().vertical {
        Some(vertical) => format!("{}, {}", vertical.name(), vertical.unit_plural()),
        None => "values, of a unit that the file does not say".to_string(),
    };
    Ok(RasterInk { plate, corner, picture, values_of, shades })
}

/// Draws them, the first one lowest.
pub(super) fn draw(canvas: &mut Canvas, view: &View, rasters: &[RasterInk]) -> Result<()> {
    for raster in rasters {
        let (Some([left, top, wide, high]), Some(address)) = (raster.place(), raster.address()?)
        else {
            continue;
        };
        canvas.put(format_args!(
            "<g {}><image x=\"{left}\" y=\"{top}\" width=\"{wide}\" height=\"{high}\" \
             preserveAspectRatio=\"none\" href=\"{address}\"/></g>",
            view.clip()
        ));
    }
    Ok(())
}
