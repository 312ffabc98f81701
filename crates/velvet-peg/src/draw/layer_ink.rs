//! Drawing a layer into ink: every feature once, in its class and size.

use super::flags::Flag;
use super::ink::Ink;
use super::labels::Labels;
use super::marks::Look;
use super::options::DrawOptions;
use super::plates::{Carried, Plate};
use super::survey::{Surveyed, is_lost};
use super::values::number_of;
use super::view::View;
use crate::error::Result;
use crate::plausibility::Suspect;
use crate::progress::Progress;

/// A layer as it is on the map.
pub(super) struct Inked {
    pub(super) look: Look,
    pub(super) ink: Ink,
    /// Features that are on the map, and of each class.
    pub(super) count: u64,
    pub(super) classes: Vec<u64>,
    pub(super) flags: Vec<Flag>,
}

/// Goes through a layer a second time, and draws it.
pub(super) fn inked(
    plate: &Plate<'_>,
    view: &View,
    look: Look,
    surveyed: &mut Surveyed,
    options: &DrawOptions,
    mut labels: Option<&mut Labels>,
    watch: &mut dyn Progress,
) -> Result<Inked> {
    let schema = &plate.info().schema;
    let index = |name: Option<&str>| name.and_then(|name| schema.index_of(name).ok());
    let color_at = index(look.classing.as_ref().map(|classing| classing.column.as_str()));
    let size_at = index(options.size.as_deref()).filter(|_| look.sized());
    let label_at = index(options.label.as_deref());
    let mut ink = Ink::new(look.classes(), look.sized());
    let mut classes = vec![0; look.classes()];
    let mut count = 0;
    let radius = look.radius(surveyed.features as usize);
    plate.each(watch, |Carried { batch, geometry }| {
        let color = color_at.and_then(|at| batch.column(at));
        let size = size_at.and_then(|at| batch.column(at));
        let label = label_at.and_then(|at| batch.column(at));
        for feature in 0..geometry.len() {
            let vertices = geometry.vertices(feature);
            if geometry.kinds()[feature].is_none() || vertices.is_empty() {
                continue;
            }
            if is_lost(geometry, feature) {
                continue;
            }
            let class = match (&look.classing, color) {
                (Some(classing), Some(column)) => classing.class_of(column.value(feature)),
                (Some(classing), None) => classing.classes.len() - 1,
                _ => 0,
            };
            let share = look.share(size.and_then(|column| number_of(column.value(feature))));
            ink.feature(view, geometry, feature, class, share as f32);
            count += 1;
            classes[class] += 1;
            let number = batch.first + feature as u64;
            surveyed.sample.judge_feature(
                number,
                &geometry.x[vertices.clone()],
                &geometry.y[vertices],
            );
            if let (Some(labels), Some(column)) = (&mut labels, label) {
                let text = column.value(feature).to_string();
                let radius = if look.sized() { Look::sized_radius(share) } else { radius };
                labels.add(view, geometry, feature, &text, radius);
            }
        }
        Ok(())
    })?;
    let name = &plate.info().name;
    let flag = |suspect: Suspect| Flag {
        at: (suspect.x, suspect.y),
        text: format!("{name}, feature {}: {}", suspect.number, suspect.what),
    };
    let flags = surveyed.sample.suspects().into_iter().map(flag).collect();
    Ok(Inked { look, ink, count, classes, flags })
}
