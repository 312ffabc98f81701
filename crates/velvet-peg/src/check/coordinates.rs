//! The coordinates of a layer: where they lie, how precisely they are written, and the everyday
//! mistakes that they show.

use super::cases::{Cases, Place};
use super::sexagesimal::evidence;
use super::{Finding, QualitySheet, Severity, in_degrees};
use crate::error::Result;
use crate::layer::{Extender, GeometryColumn};
use crate::layer_io::LayerReader;
use crate::plausibility::{CoordinateRange, OwnColumns, PositionSample, Suspect, short};
use velvet_peg_core::{Crs, LengthUnit};

/// Positions kept to compare layers by.
const SAMPLE: usize = 2000;
/// Positions that stand apart whose places are told.
const TOLD: usize = 9;

/// Gathers coordinates.
pub(super) struct Coordinates {
    cloud: PositionSample,
    extent: Extender,
    decimals: [u64; 11],
    zeros: Cases,
    heights: (u64, u64),
    sample: Vec<(f64, f64)>,
    stride: u64,
    seen: u64,
    judge: Option<CoordinateRange>,
    outside: Cases,
    nowhere: Cases,
}

impl Coordinates {
    pub(super) fn new(crs: Option<&Crs>) -> Coordinates {
        let mut cloud = PositionSample::of_features();
        cloud.set_system(crs);
        Coordinates {
            cloud,
            extent: Extender::default(),
            decimals: [0; 11],
            zeros: Cases::default(),
            heights: (0, 0),
            sample: Vec::new(),
            stride: 1,
            seen: 0,
            judge: CoordinateRange::new(crs).ok(),
            outside: Cases::default(),
            nowhere: Cases::default(),
        }
    }

    pub(super) fn add(&mut self, column: &GeometryColumn, feature: usize, number: u64) {
        for v in column.vertices(feature) {
            let (x, y) = (column.x[v], column.y[v]);
            self.cloud.gather(x, y);
            self.extent.point(x, y);
            self.decimals[decimals(x).max(decimals(y))] += 1;
            if x == 0.0 || y == 0.0 {
                let case = || format!("feature {number} at {}, {}", short(x), short(y));
                self.zeros.add(number, Some((x, y)), case);
            }
            if let Some(z) = column.z.get(v).filter(|z| !z.is_nan()) {
                self.heights.0 += 1;
                self.heights.1 += u64::from(*z == 0.0);
            }
            if let Some(judge) = &self.judge {
                let case = || format!("feature {number} at {}, {}", short(x), short(y));
                if judge.check(x, y).is_err() {
                    self.nowhere.add(number, None, case);
                } else if judge.is_outside(x, y) {
                    self.outside.add(number, Some((x, y)), case);
                }
            }
            self.seen += 1;
            if self.seen.is_multiple_of(self.stride) {
                self.sample.push((x, y));
                if self.sample.len() == 2 * SAMPLE {
                    let mut at = 0;
                    self.sample.retain(|_| {
                        at += 1;
                        at % 2 == 1
                    });
                    self.stride *= 2;
                }
            }
        }
    }

    /// Fills the sheet, and tells what was found.
    pub(super) fn finish(
        mut self,
        reader: &LayerReader,
        sheet: &mut QualitySheet,
        add: &mut dyn FnMut(Finding),
    ) -> Result<()> {
        let finding = |level, text| Finding::new(level, "position", text);
        let crs = reader.info().crs.as_ref();
        sheet.extent = self.extent.bounds().map(|b| [b.west, b.south, b.east, b.north]);
        sheet.outside_area_of_use = self.outside.count();
        sheet.decimals = self
            .decimals
            .iter()
            .enumerate()
            .filter(|(_, count)| **count > 0)
            .map(|(decimals, count)| (decimals, *count))
            .collect();
        if let (Some(crs), Some([west, south, east, north])) = (crs, sheet.extent) {
            let corners: Vec<(f64, f64)> = (0..25)
                .map(|n| {
                    let (i, j) = (f64::from(n % 5) / 4.0, f64::from(n / 5) / 4.0);
                    (west + (east - west) * i, south + (north - south) * j)
                })
                .collect();
            let mut box_ = Extender::default();
            in_degrees(crs, &corners).iter().for_each(|at| box_.point(at.lon, at.lat));
            sheet.extent_degrees = box_.bounds().map(|b| [b.west, b.south, b.east, b.north]);
        }
        self.cloud.settle();
        if self.zeros.count() > 0 {
            let text = format!(
                "{} {} exactly 0: zeros for missing values? {}",
                self.zeros.count(),
                if self.zeros.count() == 1 { "coordinate is" } else { "coordinates are" },
                self.zeros.listed()
            );
            add(finding(Severity::Warning, text).at(self.zeros.places()));
        }
        let (heights, flat) = self.heights;
        if flat > 0 && flat < heights {
            let text =
                format!("{flat} of {heights} heights are exactly 0: zeros for missing values?");
            add(finding(Severity::Warning, text));
        }
        let mut own = OwnColumns::new(&reader.info().schema, crs);
        // A second reading, now that the bulk is known.
        reader.for_each_batch(&mut |batch| {
            for feature in 0..batch.geometry.len() {
                let v = batch.geometry.vertices(feature);
                let (x, y) = (&batch.geometry.x[v.clone()], &batch.geometry.y[v]);
                self.cloud.judge_feature(batch.first + feature as u64, x, y);
            }
            if let Some(own) = &mut own {
                own.add(&batch.columns(), &batch.geometry);
            }
            Ok(())
        })?;
        for (notice, suspects) in self.cloud.told() {
            let place = |at: &Suspect| Place { feature: at.number, x: at.x, y: at.y };
            let places = suspects.iter().take(TOLD).map(place).collect();
            add(finding(Severity::Warning, notice.text).at(places));
        }
        self.precision(add);
        if let Some(crs) = crs {
            let astray = self.cloud.against(crs);
            if let Some(own) = own.and_then(|own| own.notice()).filter(|_| astray.is_none()) {
                add(finding(Severity::Warning, own.text));
            }
            if self.nowhere.count() > 0 {
                let text = format!(
                    "{} vertices are out of range for {}: no place on earth has these coordinates \
                     in it: {}",
                    self.nowhere.count(),
                    crs.label(),
                    self.nowhere.listed()
                );
                add(finding(Severity::Fault, text));
            }
            match astray {
                Some(notice) => add(finding(Severity::Fault, notice.text)),
                None if self.outside.count() > 0 => {
                    let text = format!(
                        "{} vertices lie outside the area where {} is used ({}): {}",
                        self.outside.count(),
                        crs.label(),
                        crs.extent().name(),
                        self.outside.listed()
                    );
                    add(finding(Severity::Warning, text).at(self.outside.places()));
                }
                None => {}
            }
            if crs.is_geographic()
                && let Some((misread, chance)) = evidence(&self.sample)
            {
                let text = format!(
                    "the digits behind the point never go beyond 59 where minutes and seconds would \
                     stand (by chance 1 in {:.0}): {}?",
                    1.0 / chance,
                    misread.text()
                );
                add(finding(Severity::Warning, text));
            }
            sheet.other_foot = other_foot(crs, sheet.extent);
        }
        sheet.sample = self.sample;
        Ok(())
    }

    /// Vertices written with far fewer digits than the others.
    fn precision(&self, add: &mut dyn FnMut(Finding)) {
        let total: u64 = self.decimals.iter().sum();
        let Some(usual) = (0..=10).max_by_key(|d| self.decimals[*d]) else { return };
        // All the digits that a double has are a sign of computing, not of writing.
        let largest = self.extent.bounds().map_or(1.0, |b| {
            [b.west, b.south, b.east, b.north].map(f64::abs).into_iter().fold(1.0, f64::max)
        });
        let all = 14usize.saturating_sub(largest.log10().floor() as usize).min(10);
        if total < 8 || !(3..all).contains(&usual) {
            return;
        }
        let coarse: u64 = self.decimals[..=usual - 3].iter().sum();
        // Where zeros at the end are not written, some have fewer by right: as many as the numbers with one
        // and two decimals less let expect.
        let (below, next) = (self.decimals[usual - 1] as f64, self.decimals[usual - 2] as f64);
        let share = ((next + 1.0) / (below + 1.0)).min(0.2);
        let by_chance = next * share / (1.0 - share);
        // One may be a round number by right.
        if coarse > 1 && coarse as f64 > 3.0 * by_chance {
            let least = self.decimals.iter().position(|count| *count > 0).unwrap_or(0);
            let text = format!(
                "mixed precision: {coarse} of {total} vertices have {least} to {} decimals where \
                 most have {usual}",
                usual - 3
            );
            add(Finding::new(Severity::Warning, "position", text));
        }
    }
}

/// How far coordinates in feet would move if the other foot were meant.
fn other_foot(crs: &Crs, extent: Option<[f64; 4]>) -> Option<String> {
    let unit = crs.length_unit().filter(|_| crs.is_projected())?;
    let [west, south, east, north] = extent?;
    let other = match unit {
        LengthUnit::US_SURVEY_FOOT => LengthUnit::FOOT,
        LengthUnit::FOOT => LengthUnit::US_SURVEY_FOOT,
        _ => return None,
    };
    let (x, y) = ((west + east) / 2.0, (south + north) / 2.0);
    let moved = x.hypot(y) * (unit.metres() - other.metres()).abs();
    Some(format!("as {} they would lie {moved:.2} m away", other.plural()))
}

/// Decimals that a number is written with, up to 10.
fn decimals(value: f64) -> usize {
    let mut scale = 1.0;
    for decimals in 0..10 {
        let scaled = value * scale;
        // Less than what rounding to a double leaves.
        if (scaled - scaled.round()).abs() <= scaled.abs() * 4.0 * f64::EPSILON {
            return decimals;
        }
        scale *= 10.0;
    }
    10
}
