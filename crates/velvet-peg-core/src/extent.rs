//! Areas of use: boxes in longitude and latitude that may cross the 180° meridian.

use crate::position::Geographic;
use velvet_peg_epsg::{BoundingBox, ExtentRow, Region, region_at, words_admit};

/// A box in degrees; `west > east` where it crosses the 180° meridian.
pub type Bounds = BoundingBox;

/// How a box lies to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Coverage {
    /// All of it is inside.
    Whole,
    /// Some of it is inside.
    Part,
    /// None of it is inside.
    None,
}

/// An area of use: a name and the boxes that bound it.
#[derive(Clone, Debug, PartialEq)]
pub struct Extent {
    name: &'static str,
    description: &'static str,
    boxes: Vec<Bounds>,
    /// EPSG codes of the areas, whose words say more than their boxes.
    codes: Vec<u32>,
}

/// How much of an area boxes cover; without any all of it.
pub(crate) fn coverage_of(boxes: &[Bounds], wanted: &Bounds) -> Coverage {
    if boxes.is_empty() {
        return Coverage::Whole;
    }
    boxes.iter().map(|bounds| cover(bounds, wanted)).min().unwrap_or(Coverage::None)
}

impl Extent {
    /// The area of rows of the registry, by the codes that an operation or a system has.
    pub fn of_codes(codes: &[u32]) -> Extent {
        let rows: Vec<ExtentRow> = codes.iter().filter_map(|code| ExtentRow::find(*code)).collect();
        Extent {
            name: rows.first().map_or("not stated", |row| row.name),
            description: rows.first().map_or("", |row| row.description),
            boxes: rows.iter().filter_map(|row| row.bounds).collect(),
            codes: rows.iter().map(|row| row.code).collect(),
        }
    }

    /// An area that a definition states.
    pub(crate) fn stated(bounds: Bounds) -> Extent {
        Extent {
            name: "as stated",
            description: "As stated in the definition.",
            boxes: vec![bounds],
            codes: Vec::new(),
        }
    }

    pub(crate) fn not_stated() -> Extent {
        Extent {
            name: "not stated",
            description: "Not stated.",
            boxes: Vec::new(),
            codes: Vec::new(),
        }
    }

    pub(crate) fn world() -> Extent {
        Extent {
            name: "World",
            description: "World.",
            boxes: vec![Bounds { south: -90.0, west: -180.0, north: 90.0, east: 180.0 }],
            codes: Vec::new(),
        }
    }

    /// Short name, such as "United States (USA) - Washington - SPCS83 - S".
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// The registry's description; for state-plane zones the list of counties.
    pub fn description(&self) -> &'static str {
        self.description
    }

    /// The boxes, usually one.
    pub fn boxes(&self) -> &[Bounds] {
        &self.boxes
    }

    /// True if a position (longitude from Greenwich) lies inside, or if the registry states
    /// no box.
    pub fn contains(&self, at: Geographic) -> bool {
        self.boxes.is_empty() || self.boxes.iter().any(|bounds| holds(bounds, at))
    }

    /// True if a position lies inside or no more than so many degrees outside, or if the
    /// registry states no box.
    pub fn is_near(&self, at: Geographic, margin_deg: f64) -> bool {
        self.boxes.is_empty()
            || self.boxes.iter().any(|b| {
                let width =
                    if b.west <= b.east { b.east - b.west } else { b.east - b.west + 360.0 };
                // Eastward from the western side, round the globe.
                let along = (at.lon - (b.west - margin_deg)).rem_euclid(360.0);
                along <= width + 2.0 * margin_deg
                    && (b.south - margin_deg..=b.north + margin_deg).contains(&at.lat)
            })
    }

    /// True if the words of the area name countries, or states of the United States, and all of a box
    /// lies in others, whatever the boxes of the area hold: the box of Canada reaches to 40° N. Near
    /// borders, at sea and for areas whose words name no country it is false.
    ///
    /// ```
    /// use velvet_peg_core::{Bounds, Crs};
    /// let canada = Crs::from_epsg(4617)?; // NAD83(CSRS)
    /// let seattle = Bounds { south: 47.5, west: -121.5, north: 47.5, east: -121.5 };
    /// assert!(canada.extent().excludes(&seattle));
    /// # Ok::<(), velvet_peg_core::Error>(())
    /// ```
    pub fn excludes(&self, wanted: &Bounds) -> bool {
        self.excludes_regions(&Regions::of(wanted))
    }

    /// As [`Extent::excludes`] of a box whose regions are known.
    pub(crate) fn excludes_regions(&self, of: &Regions) -> bool {
        let out = |region: &Region| !self.codes.iter().any(|extent| words_admit(*extent, *region));
        !self.codes.is_empty() && of.0.as_ref().is_some_and(|regions| regions.iter().all(out))
    }

    /// How much of a box lies inside; an area without a box of its own covers all.
    pub fn coverage(&self, wanted: &Bounds) -> Coverage {
        coverage_of(&self.boxes, wanted)
    }

    /// Share of a box that lies inside, 0 to 1, by degrees.
    pub fn covered_fraction(&self, wanted: &Bounds) -> f64 {
        if self.boxes.is_empty() {
            return 1.0;
        }
        let size = |bounds: &Bounds| {
            let width: f64 = spans(bounds).map(|(west, east)| east - west).sum();
            // A point or a line still counts as something to cover.
            width.max(1e-9) * (bounds.north - bounds.south).max(1e-9)
        };
        let inside: f64 = self
            .boxes
            .iter()
            .filter_map(|bounds| intersection(bounds, wanted))
            .map(|shared| size(&shared))
            .sum();
        (inside / size(wanted)).min(1.0)
    }
}

/// The countries and states that places of a box lie in; none where one lies in none, at sea or near a
/// border.
#[derive(Clone, Debug)]
pub(crate) struct Regions(Option<Vec<Region>>);

impl Regions {
    pub(crate) fn of(bounds: &Bounds) -> Regions {
        let mut all: Vec<Region> = Vec::new();
        for (lat, lon) in samples(bounds) {
            match region_at(lat, lon) {
                Some(region) if all.contains(&region) => {}
                Some(region) => all.push(region),
                None => return Regions(None),
            }
        }
        Regions(Some(all))
    }
}

/// Places of a box, five each way; of a point, the point.
fn samples(bounds: &Bounds) -> impl Iterator<Item = (f64, f64)> {
    let Bounds { south, west, north, east } = *bounds;
    let width = if west <= east { east - west } else { east - west + 360.0 };
    let steps = if width == 0.0 && south == north { 1 } else { 5 };
    let part = move |at: u32| f64::from(at) / f64::from(steps.max(2) - 1);
    (0..steps).flat_map(move |row| {
        (0..steps)
            .map(move |column| (south + part(row) * (north - south), west + part(column) * width))
    })
}

fn holds(bounds: &Bounds, at: Geographic) -> bool {
    let Geographic { lon, lat } = at;
    let in_longitude = if bounds.west <= bounds.east {
        (bounds.west..=bounds.east).contains(&lon)
    } else {
        lon >= bounds.west || lon <= bounds.east
    };
    in_longitude && (bounds.south..=bounds.north).contains(&lat)
}

/// Longitude span of a box as one or two intervals that do not cross 180°.
fn spans(bounds: &Bounds) -> impl Iterator<Item = (f64, f64)> + Clone + use<> {
    let Bounds { west, east, .. } = *bounds;
    let (first, second) = match west <= east {
        true => ((west, east), None),
        false => ((west, 180.0), Some((-180.0, east))),
    };
    std::iter::once(first).chain(second)
}

fn cover(outer: &Bounds, inner: &Bounds) -> Coverage {
    let (outer_spans, inner_spans) = (|| spans(outer), || spans(inner));
    let overlaps = outer.south <= inner.north
        && inner.south <= outer.north
        && outer_spans().any(|o| inner_spans().any(|i| o.0 <= i.1 && i.0 <= o.1));
    if !overlaps {
        return Coverage::None;
    }
    let whole = outer.south <= inner.south
        && inner.north <= outer.north
        && inner_spans().all(|i| outer_spans().any(|o| o.0 <= i.0 && i.1 <= o.1));
    if whole { Coverage::Whole } else { Coverage::Part }
}

/// The part that two boxes share, if any. Where both cross or split, the hull of the shared
/// part of the first box's own span is returned.
pub(crate) fn intersection(a: &Bounds, b: &Bounds) -> Option<Bounds> {
    let (south, north) = (a.south.max(b.south), a.north.min(b.north));
    let pieces: Vec<(f64, f64)> = spans(a)
        .flat_map(|x| spans(b).map(move |y| (x.0.max(y.0), x.1.min(y.1))))
        .filter(|(west, east)| west <= east)
        .collect();
    if south > north || pieces.is_empty() {
        return None;
    }
    // Pieces on both sides of 180° join across it.
    let (west, east) = match pieces.as_slice() {
        [only] => *only,
        many => {
            let positive = many.iter().find(|(_, east)| *east == 180.0).unwrap_or(&many[0]);
            let negative = many.iter().find(|(west, _)| *west == -180.0).unwrap_or(&many[1]);
            (positive.0, negative.1)
        }
    };
    Some(Bounds { south, west, north, east })
}
