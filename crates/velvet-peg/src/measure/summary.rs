//! What is said of a layer of any size: statistics of all features, and the figures of a few.

use super::gathering::Gathering;
use super::{Figure, MeasureOptions, Measured, Measures, Statistics, measure_each};
use crate::error::Result;
use crate::layer::GeometryKind;
use crate::layer_io::LayerReader;
use crate::progress::Progress;
use std::cmp::Ordering;
use std::collections::HashMap;

/// In which order features are listed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ListOrder {
    /// As in the file.
    #[default]
    File,
    /// By name.
    Name,
    /// By length or perimeter on the ellipsoid.
    Length,
    /// By area on the ellipsoid.
    Area,
    /// By the difference between grid and ellipsoid.
    Difference,
}

/// Which features are listed.
#[derive(Clone, Copy, Debug, Default)]
pub struct Listing {
    /// Their order; of equal ones that of the file.
    pub order: ListOrder,
    /// The other way round.
    pub descending: bool,
    /// How many, from the first.
    pub limit: usize,
}

impl Listing {
    /// Puts features in this order, and leaves out those beyond its limit.
    pub fn sort(&self, features: &mut Vec<Measured>) {
        features.sort_by(|a, b| {
            let order = self.order.of(a, b).then(a.number.cmp(&b.number));
            if self.descending { order.reverse() } else { order }
        });
        features.truncate(self.limit);
    }
}

/// Statistics of a group of features.
#[derive(Clone, Debug)]
pub struct GroupSummary {
    /// The value that they have in common; blank where no groups were asked for.
    pub name: String,
    /// How many features.
    pub features: u64,
    /// The largest difference between grid and ellipsoid, parts in a million.
    pub difference_ppm: f64,
    statistics: [Statistics; Figure::ALL.len()],
}

impl GroupSummary {
    /// The statistics of a figure; of none, all are zero.
    pub fn statistics(&self, figure: Figure) -> &Statistics {
        &self.statistics[figure as usize]
    }
}

/// Figures of a layer of any size.
#[derive(Clone, Debug)]
pub struct MeasureSummary {
    /// How they were taken, and what was noticed; its features are those that are listed.
    pub measures: Measures,
    /// How many features there are.
    pub features: u64,
    /// True if there are polygons.
    pub areal: bool,
    /// True if there are lines.
    pub linear: bool,
    /// Of each group, in the order asked for; one of all features where none were asked for.
    pub groups: Vec<GroupSummary>,
}

/// Measures every feature of a layer and keeps the figures of those that are to be listed: memory does not
/// grow with the layer.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::LayerReader;
/// use velvet_peg::measure::{Figure, ListOrder, Listing, MeasureOptions, measure_summary};
/// let reader = LayerReader::open(&file("fields.geojson"), None)?;
/// let largest = Listing { order: ListOrder::Area, descending: true, limit: 1 };
/// let options = MeasureOptions::default();
/// let summary = measure_summary(&reader, &options, &largest, &mut velvet_peg::NoProgress)?;
/// let area = summary.groups[0].statistics(Figure::Area);
/// assert_eq!(area.count as u64, summary.features);
/// assert_eq!(area.maximum, summary.measures.features[0].area_m2);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// As [`measure()`](super::measure()), and if the folder of temporary files is full.
pub fn measure_summary(
    reader: &LayerReader,
    options: &MeasureOptions,
    listing: &Listing,
    watch: &mut dyn Progress,
) -> Result<MeasureSummary> {
    let mut building = Building::new(*listing);
    let measures = measure_each(reader, options, watch, &mut |measured| {
        measured.iter().try_for_each(|one| building.push(one))
    })?;
    building.finish(measures)
}

impl MeasureSummary {
    /// Of a layer whose figures are all there.
    ///
    /// # Errors
    /// If the folder of temporary files is full.
    pub fn of(measures: &Measures, listing: &Listing) -> Result<MeasureSummary> {
        let mut building = Building::new(*listing);
        measures.features.iter().try_for_each(|one| building.push(one))?;
        building.finish(Measures { features: Vec::new(), ..measures.clone() })
    }
}

/// A summary before the last feature has come.
struct Building {
    listing: Listing,
    listed: Vec<Measured>,
    features: u64,
    areal: bool,
    linear: bool,
    groups: Vec<(String, u64, f64)>,
    by_name: HashMap<String, usize>,
    gathering: Gathering,
}

impl Building {
    fn new(listing: Listing) -> Building {
        Building {
            listing,
            listed: Vec::new(),
            features: 0,
            areal: false,
            linear: false,
            groups: Vec::new(),
            by_name: HashMap::new(),
            gathering: Gathering::default(),
        }
    }

    fn push(&mut self, one: &Measured) -> Result<()> {
        self.features += 1;
        match one.kind.map(GeometryKind::single) {
            Some(GeometryKind::Polygon) => self.areal = true,
            Some(GeometryKind::LineString) => self.linear = true,
            _ => {}
        }
        let group = match self.by_name.get(&one.group) {
            Some(group) => *group,
            None => {
                self.groups.push((one.group.clone(), 0, f64::NEG_INFINITY));
                self.by_name.insert(one.group.clone(), self.groups.len() - 1);
                self.groups.len() - 1
            }
        };
        let (_, members, worst) = &mut self.groups[group];
        *members += 1;
        *worst = worst.max(one.difference_ppm());
        for figure in Figure::ALL {
            if let Some(value) = figure.of(one) {
                self.gathering.push(group, figure, value)?;
            }
        }
        self.list(one);
        Ok(())
    }

    /// Keeps a feature if it may be among those that are listed.
    fn list(&mut self, one: &Measured) {
        let Listing { order, descending, limit } = self.listing;
        if order == ListOrder::File && !descending {
            if self.listed.len() < limit {
                self.listed.push(one.clone());
            }
            return;
        }
        self.listed.push(one.clone());
        if self.listed.len() >= limit.saturating_mul(2).saturating_add(SPARE) {
            self.listing.sort(&mut self.listed);
        }
    }

    fn finish(mut self, measures: Measures) -> Result<MeasureSummary> {
        self.listing.sort(&mut self.listed);
        let Building { listing, listed, features, areal, linear, groups, gathering, .. } = self;
        let of_groups = groups.into_iter().zip(gathering.finish()?);
        let group = |((name, features, difference_ppm), statistics)| GroupSummary {
            name,
            features,
            difference_ppm,
            statistics,
        };
        let mut groups: Vec<GroupSummary> = of_groups.map(group).collect();
        let sum = |group: &GroupSummary, figure| group.statistics(figure).sum;
        groups.sort_by(|a, b| match listing.order {
            ListOrder::File => Ordering::Equal,
            ListOrder::Name => a.name.cmp(&b.name),
            ListOrder::Length => sum(a, Figure::Length).total_cmp(&sum(b, Figure::Length)),
            ListOrder::Area => sum(a, Figure::Area).total_cmp(&sum(b, Figure::Area)),
            ListOrder::Difference => a.difference_ppm.total_cmp(&b.difference_ppm),
        });
        if listing.descending && listing.order != ListOrder::File {
            groups.reverse();
        }
        let measures = Measures { features: listed, ..measures };
        Ok(MeasureSummary { measures, features, areal, linear, groups })
    }
}

/// Features that are kept beyond those that are listed before they are put in order.
const SPARE: usize = 1024;

impl ListOrder {
    fn of(self, a: &Measured, b: &Measured) -> Ordering {
        match self {
            ListOrder::File => Ordering::Equal,
            ListOrder::Name => a.label.cmp(&b.label),
            ListOrder::Length => a.length_m.total_cmp(&b.length_m),
            ListOrder::Area => a.area_m2.total_cmp(&b.area_m2),
            ListOrder::Difference => a.difference_ppm().total_cmp(&b.difference_ppm()),
        }
    }
}
