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
    /// Polygons whose boundaries cross.
    crossed: Counted,
    /// Features with an edge round the whole Earth.
    round: Counted,
    /// The largest differences between grid and ellipsoid, parts in a million.
    length: f64,
    area: f64,
    /// Sum and number of the scale factors.
    factors: (f64, u64),
}

/// Features, and what the first of them is known by.
#[derive(Debug, Default)]
struct Counted {
    count: u64,
    first: String,
}

impl Counted {
    fn add(&mut self, measured: &Measured) {
        if self.count == 0 {
            self.first = match measured.label.as_str() {
                "" => format!("feature {}", measured.number),
                label => format!("feature {} (`{label}`)", measured.number),
            };
        }
        self.count += 1;
    }

    fn join(&mut self, next: Counted) {
        if self.count == 0 {
            self.first = next.first;
        }
        self.count += next.count;
    }
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
        let degrees = crs.filter(|crs| crs.is_geographic()).and_then(Crs::degrees_per_unit);
        for (feature, m) in measured.iter().enumerate() {
            if degrees.is_some_and(|degrees| has_edge_round(geometry, feature, degrees)) {
                self.round.add(m);
            }
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
                self.crossed.add(m);
            }
        }
    }

    /// Takes in what was gathered of the features behind these.
    pub(super) fn join(&mut self, next: MeasureWarnings) {
        self.crossed.join(next.crossed);
        self.round.join(next.round);
        larger(&mut self.length, Some(next.length));
        larger(&mut self.area, Some(next.area));
        self.factors.0 += next.factors.0;
        self.factors.1 += next.factors.1;
    }

    /// Warnings, with the grid that was measured on.
    pub(super) fn notices(&self, grid: Option<&Crs>) -> Vec<Notice> {
        let mut notices = Vec::new();
        if self.round.count > 0 {
            let features = if self.round.count == 1 { "feature" } else { "features" };
            notices.push(
                Notice::warning(
                    NoticeKind::Shape,
                    format!(
                        "{} {features} with an edge of 360° of longitude: edges go the shorter way round the \
                         Earth, so it has no length, and figures are too small. Put vertices between its ends; the \
                         first is {}",
                        self.round.count, self.round.first
                    ),
                )
                .count(self.round.count),
            );
        }
        if self.crossed.count > 0 {
            let (count, of) = match self.crossed.count {
                1 => ("1 polygon".to_string(), "its area is"),
                count => (format!("{count} polygons"), "their areas are"),
            };
            notices.push(
                Notice::warning(
                    NoticeKind::Shape,
                    format!(
                        "{count} with boundaries that cross, touch or overlap: {of} not to be \
                         trusted; the first is {}",
                        self.crossed.first
                    ),
                )
                .count(self.crossed.count)
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

/// True for a line or polygon of which an edge goes along a parallel from a meridian to the same one.
fn has_edge_round(geometry: &GeometryColumn, feature: usize, degrees: f64) -> bool {
    let kind = geometry.kinds()[feature].map(GeometryKind::single);
    if !matches!(kind, Some(GeometryKind::LineString | GeometryKind::Polygon)) {
        return false;
    }
    geometry.parts(feature).flat_map(|part| geometry.rings(part)).any(|ring| {
        let range = geometry.ring(ring);
        let (x, y) = (&geometry.x[range.clone()], &geometry.y[range]);
        let round = |at: usize| {
            let step = ((x[at] - x[at - 1]) * degrees).abs();
            // At a pole all longitudes are one place.
            y[at] == y[at - 1] && (y[at] * degrees).abs() < 90.0 && (step - 360.0).abs() < 1e-9
        };
        (1..x.len()).any(round)
    })
}

/// Puts a difference in place of a smaller one.
fn larger(worst: &mut f64, off: Option<f64>) {
    if let Some(off) = off.filter(|off| off.is_finite() && off.abs() > worst.abs()) {
        *worst = off;
    }
}
