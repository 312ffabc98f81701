//! Why figures may not be what they seem: boundaries that cross, and grids that distort.

use super::Measured;
use crate::advice::Advice;
use crate::geometry::flaws_in;
use crate::layer::{GeometryColumn, GeometryKind};
use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::Crs;
use velvet_peg_core::planar::FlawKind;

/// What is gathered of the features that are measured.
#[derive(Debug, Default)]
pub(super) struct MeasureWarnings {
    /// Polygons whose boundaries cross, and what the first is known by.
    crossed: u64,
    first: String,
    /// The largest differences between grid and ellipsoid, parts in a million.
    length: f64,
    area: f64,
    /// Sum and number of the scale factors.
    factors: (f64, u64),
}

/// Differences that surveyors do not overlook, parts in a million: of lengths and of areas.
const LENGTH: f64 = 100.0;
const AREA: f64 = 200.0;

impl MeasureWarnings {
    /// Takes in features, and what was measured of them.
    pub(super) fn add(
        &mut self,
        crs: Option<&Crs>,
        geometry: &GeometryColumn,
        measured: &[Measured],
    ) {
        for (feature, m) in measured.iter().enumerate() {
            larger(&mut self.length, m.length_ppm());
            larger(&mut self.area, m.area_ppm());
            if let Some(factor) = m.scale_factor {
                self.factors.0 += factor;
                self.factors.1 += 1;
            }
            let is_polygon = m.kind.is_some_and(|kind| kind.single() == GeometryKind::Polygon);
            let crosses = |kind: FlawKind| {
                !matches!(
                    kind,
                    FlawKind::RepeatedVertex | FlawKind::Spike | FlawKind::TooFewVertices
                )
            };
            if is_polygon && flaws_in(crs, geometry, feature).iter().any(|(kind, _)| crosses(*kind))
            {
                if self.crossed == 0 {
                    self.first = match m.label.as_str() {
                        "" => format!("feature {}", m.number),
                        label => format!("feature {} (`{label}`)", m.number),
                    };
                }
                self.crossed += 1;
            }
        }
    }

    /// Takes in what was gathered of the features behind these.
    pub(super) fn join(&mut self, next: MeasureWarnings) {
        if self.crossed == 0 {
            self.first = next.first;
        }
        self.crossed += next.crossed;
        larger(&mut self.length, Some(next.length));
        larger(&mut self.area, Some(next.area));
        self.factors.0 += next.factors.0;
        self.factors.1 += next.factors.1;
    }

    /// Warnings, with the grid that was measured on.
    pub(super) fn notices(&self, grid: Option<&Crs>) -> Vec<Notice> {
        let mut notices = Vec::new();
        if self.crossed > 0 {
            let (count, of) = match self.crossed {
                1 => ("1 polygon".to_string(), "its area is"),
                count => (format!("{count} polygons"), "their areas are"),
            };
            notices.push(
                Notice::warning(
                    NoticeKind::Shape,
                    format!(
                        "{count} with boundaries that cross, touch or overlap: {of} not to be \
                         trusted; the first is {}",
                        self.first
                    ),
                )
                .count(self.crossed)
                .advise(Advice::Check),
            );
        }
        let small = self.length.abs() < LENGTH && self.area.abs() < AREA;
        if let Some(grid) = grid.filter(|_| !small) {
            let (what, off) = match self.area.abs() < AREA {
                true => ("length", self.length),
                false => ("area", self.area),
            };
            let percent = off.abs() / 1e4;
            let size = match percent {
                percent if percent < 10.0 => format!("{percent:.3} %"),
                percent => format!("{percent:.1} %"),
            };
            notices.push(
                Notice::warning(
                    NoticeKind::Scale,
                    format!(
                        "the grid of {} distorts: the worst {what} on it is {size} {} than on the \
                         ellipsoid (its mean scale factor here is {:.6}). Quote the ellipsoid's \
                         figures, or the ground's, where true size matters",
                        grid.label(),
                        if off > 0.0 { "larger" } else { "smaller" },
                        self.factors.0 / self.factors.1.max(1) as f64
                    ),
                )
                .with("scale_error", off, "ppm")
                .with("mean_scale_factor", self.factors.0 / self.factors.1.max(1) as f64, "")
                .advise(Advice::StateHeight),
            );
        }
        notices
    }
}

/// Puts a difference in place of a smaller one.
fn larger(worst: &mut f64, off: Option<f64>) {
    if let Some(off) = off.filter(|off| off.is_finite() && off.abs() > worst.abs()) {
        *worst = off;
    }
}
