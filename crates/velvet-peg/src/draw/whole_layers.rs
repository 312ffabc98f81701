//! What is wrong with a layer as a whole: it lies away from the others, or outside of where its
//! system is used.

use super::flags::Flag;
use super::ground::Ground;
use super::layer_ink::Inked;
use super::plates::{Plate, Role};
use super::survey::{Survey, Surveyed};
use crate::check::{Placement, kilometres};
use velvet_peg_core::Geographic;

/// Degrees beyond the edge of an area that zones are carried on.
const MARGIN: f64 = 0.1;
/// Places of each layer that are compared.
const SOME: usize = 400;

/// Flags each such layer once, where one of its positions is.
pub(super) fn flag(
    plates: &[Plate<'_>],
    survey: &Survey,
    ground: Option<&Ground>,
    inked: &mut [Inked],
) {
    let Some(ground) = ground else { return };
    let subjects = || (0..plates.len()).filter(|at| plates[*at].role == Role::Subject);
    for at in subjects() {
        if let Some(flag) = outside(&plates[at], &survey.layers[at], ground) {
            inked[at].flags.push(flag);
        }
    }
    let places: Vec<Vec<Geographic>> = (0..plates.len())
        .map(|at| match plates[at].role {
            Role::Subject => places(&survey.layers[at], ground),
            Role::Context | Role::Before => Vec::new(),
        })
        .collect();
    if subjects().count() < 2 {
        return;
    }
    for (at, metres) in Placement::of(&places).iter().flat_map(Placement::away) {
        let Some(middle) = survey.layers[at].sample.centre() else { continue };
        let text = format!(
            "{} lies {} from the nearest feature of the other layers",
            plates[at].info().name,
            kilometres(metres)
        );
        inked[at].flags.push(Flag { at: middle, text });
    }
}

/// Positions of a layer outside of where its own system is used.
fn outside(plate: &Plate<'_>, layer: &Surveyed, ground: &Ground) -> Option<Flag> {
    let crs = plate.info().crs.as_ref()?;
    let area = crs.extent();
    // Zones are carried on a little beyond their edge as a matter of course.
    let margin = if crs.is_projected() { MARGIN } else { 0.0 };
    let (mut seen, mut out, mut first) = (0, 0, None);
    // What stands apart is flagged by itself.
    for (x, y) in layer.sample.kept().filter(|(x, y)| layer.sample.near(*x, *y)) {
        let Some(at) = ground.place(x, y) else { continue };
        seen += 1;
        if !area.is_near(at, margin) {
            out += 1;
            first.get_or_insert((x, y));
        }
    }
    let at = first?;
    let name = &plate.info().name;
    let what = match out * 2 > seen {
        true => "the layer lies",
        false => "this and other positions lie",
    };
    let what = if out == 1 { "this position lies" } else { what };
    let text =
        format!("{name}: {what} outside the area where {} is used ({})", crs.label(), area.name());
    Some(Flag { at, text })
}

fn places(layer: &Surveyed, ground: &Ground) -> Vec<Geographic> {
    let step = (layer.sample.kept().count() / SOME).max(1);
    layer.sample.kept().step_by(step).filter_map(|(x, y)| ground.place(x, y)).collect()
}
