//! The layers of a map, in its system, batch by batch.

use super::map_raster::MapRaster;
use super::options::MapLayers;
use crate::error::{Error, Result};
use crate::layer::{Batch, GeometryColumn, LayerInfo, no_system};
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::plausibility::no_way;
use crate::progress::Progress;
use crate::reproject::area_of;
use velvet_peg_core::{Converter, Coordinate, Crs, PlanOptions};

/// What a layer is on a map.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Role {
    /// The map is of it.
    Subject,
    /// It is drawn in grey, without a say in what the map shows.
    Context,
    /// It is the first layer as it was before.
    Before,
}

/// A layer of a map.
#[derive(Debug)]
pub(super) struct Plate<'a> {
    pub(super) role: Role,
    /// Of a raster, whose outline it is.
    pub(super) raster: Option<&'a MapRaster>,
    reader: &'a LayerReader,
    converter: Option<Converter>,
}

/// Features of a layer as they are on the map. Vertices that cannot be carried there are not
/// numbers.
pub(super) struct Carried<'a> {
    pub(super) batch: &'a Batch,
    pub(super) geometry: &'a GeometryColumn,
}

impl<'a> Plate<'a> {
    pub(super) fn info(&self) -> &'a LayerInfo {
        self.reader.info()
    }

    /// A coordinate of the layer on the map; none if it cannot be carried there.
    pub(super) fn carry(&self, (x, y): (f64, f64)) -> Option<(f64, f64)> {
        let at = match &self.converter {
            None => (x, y),
            Some(converter) => {
                let at = converter.convert(Coordinate::xy(x, y)).ok()?;
                (at.x, at.y)
            }
        };
        (at.0.is_finite() && at.1.is_finite()).then_some(at)
    }

    /// True if the map is of it, and it has features.
    pub(super) fn has_features(&self) -> bool {
        self.role == Role::Subject && self.raster.is_none()
    }

    pub(super) fn is_carried(&self) -> bool {
        self.converter.is_some()
    }

    /// Goes through the layer once.
    pub(super) fn each(
        &self,
        watch: &mut dyn Progress,
        mut see: impl FnMut(Carried<'_>) -> Result<()>,
    ) -> Result<()> {
        self.reader.for_each_watched(watch, &mut |batch| match &self.converter {
            None => see(Carried { batch: &batch, geometry: &batch.geometry }),
            Some(converter) => {
                let mut geometry = batch.geometry.clone();
                geometry.z.clear();
                geometry.convert(converter);
                see(Carried { batch: &batch, geometry: &geometry })
            }
        })
    }
}

/// The system of a map, its layers on their way to it, and what is to be known of that.
pub(super) fn plates<'a>(
    layers: &'a MapLayers,
    system: Option<&Crs>,
) -> Result<(Vec<Plate<'a>>, Option<Crs>, Vec<Notice>)> {
    let mut notices = Vec::new();
    let readers = || {
        let layer = |role: Role| move |reader: &'a LayerReader| (role, None, reader);
        let subjects = layers.layers.iter().map(layer(Role::Subject));
        let context = layers.context.iter().map(layer(Role::Context));
        let before = layers.before.iter().map(layer(Role::Before));
        let rasters = layers.rasters.iter().map(|raster| {
            let role = if raster.context { Role::Context } else { Role::Subject };
            (role, Some(raster), raster.outline())
        });
        subjects.chain(context).chain(before).chain(rasters)
    };
    let first = || readers().find_map(|(_, _, reader)| reader.info().crs.clone());
    let Some(crs) = system.cloned().or_else(first) else {
        notices.push(Notice::warning(
            NoticeKind::Drawing,
            "the layers have no reference system: drawn by their bare numbers, without scale",
        ));
        let bare = readers()
            .map(|(role, raster, reader)| Plate { role, raster, reader, converter: None })
            .collect();
        return Ok((bare, None, notices));
    };
    if crs.is_geocentric() || !(crs.is_geographic() || crs.is_projected()) {
        return Err(Error::usage(format!(
            "{} has no plane to draw on: name a projected or a geographic system for the map",
            crs.label()
        )));
    }
    let mut plates = Vec::new();
    for (role, raster, reader) in readers() {
        let info = reader.info();
        let own = info.crs.as_ref().ok_or_else(|| no_system(info))?;
        if *own == crs {
            plates.push(Plate { role, raster, reader, converter: None });
            continue;
        }
        let area = info.extent.as_ref().and_then(|extent| area_of(own, extent));
        let options = PlanOptions { area, ..PlanOptions::default() };
        let converter = Converter::plan(own, &crs, &options)
            .map_err(|error| no_way(error, own, info.extent.as_ref()))?;
        notices.push(Notice::note(
            NoticeKind::Drawing,
            format!(
                "{} {} was carried from {} to {} for the drawing{}",
                if raster.is_some() { "raster" } else { "layer" },
                info.name,
                own.label(),
                crs.label(),
                known_to(&converter)
            ),
        ));
        plates.push(Plate { role, raster, reader, converter: Some(converter) });
    }
    Ok((plates, Some(crs), notices))
}

/// What the change of datum is known to, where there is one.
fn known_to(converter: &Converter) -> String {
    match converter.route().accuracy_m() {
        Some(metres) if metres > 0.0 => format!(", known to some {metres} m"),
        _ => String::new(),
    }
}
