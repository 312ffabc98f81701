//! What a frame shows of a system's plane, and where its coordinates fall on the picture.

use super::ground::{Ground, within};
use velvet_peg_core::{Bounds, Crs, Geographic};

/// A frame on the picture and what it shows.
#[derive(Clone, Debug)]
pub(super) struct View {
    /// Left, top, right, bottom in pixels.
    pub(super) frame: [f64; 4],
    /// In the system's unit.
    pub(super) shown: Bounds,
    /// Pixels to a unit, along x and y.
    pub(super) scale: (f64, f64),
    /// The axes run west or south.
    flipped: (bool, bool),
    pub(super) crs: Option<Crs>,
    pub(super) ground: Option<Ground>,
    /// Which of the frames of a picture it is.
    pub(super) number: usize,
    /// In a geographic system: the longitude, in its unit, where the map is cut. Places west of it
    /// are drawn a circle farther east.
    cut: Option<f64>,
}

/// Longitudes and latitudes that a frame shows, degrees. West is below east, whatever the
/// circle.
#[derive(Clone, Copy, Debug)]
pub(super) struct Window {
    pub(super) west: f64,
    pub(super) south: f64,
    pub(super) east: f64,
    pub(super) north: f64,
}

#[cfg(feature = "backdrop")]
impl Window {
    /// The smallest around longitudes and latitudes.
    pub(super) fn around(places: &[(f64, f64)]) -> Window {
        let (low, high) = (f64::INFINITY, f64::NEG_INFINITY);
        let mut window = Window { west: low, south: low, east: high, north: high };
        for (lon, lat) in places {
            window.west = window.west.min(*lon);
            window.east = window.east.max(*lon);
            window.south = window.south.min(*lat);
            window.north = window.north.max(*lat);
        }
        window
    }

    pub(super) fn holds(&self, lon: f64, lat: f64) -> bool {
        (self.west..=self.east).contains(&lon) && (self.south..=self.north).contains(&lat)
    }
}

impl View {
    /// A frame that shows an extent as large as it can.
    pub(super) fn fitting(
        frame: [f64; 4],
        extent: &Bounds,
        crs: Option<&Crs>,
        ground: Option<&Ground>,
        cut: Option<f64>,
    ) -> View {
        let middle = (extent.south + extent.north) / 2.0;
        // Degrees of longitude are drawn as long as they are at the middle latitude.
        let squeeze = match ground.and_then(|ground| ground.degrees) {
            Some(degrees) => (middle * degrees).to_radians().cos().max(0.05),
            None => 1.0,
        };
        let (across, down) = (frame[2] - frame[0], frame[3] - frame[1]);
        let per_unit = (across / ((extent.east - extent.west) * squeeze))
            .min(down / (extent.north - extent.south));
        let centre = (extent.west + extent.east) / 2.0;
        View::around(frame, (centre, middle), (per_unit * squeeze, per_unit), crs, ground, cut)
    }

    /// The same middle at the same scale in another frame.
    pub(super) fn in_frame(&self, frame: [f64; 4]) -> View {
        let (crs, ground) = (self.crs.as_ref(), self.ground.as_ref());
        View::around(frame, self.middle(), self.scale, crs, ground, self.cut)
    }

    /// True for axes that run west, and south.
    pub(super) fn flipped(&self) -> (bool, bool) {
        self.flipped
    }

    /// An extent in another frame, as large as it can.
    pub(super) fn refitted(&self, frame: [f64; 4], extent: &Bounds) -> View {
        View::fitting(frame, extent, self.crs.as_ref(), self.ground.as_ref(), self.cut)
    }

    /// The same without what is no place on the Earth: beyond the poles, and more than a circle
    /// around it. The frame gets smaller; its left upper corner stays.
    pub(super) fn on_earth(self) -> View {
        let Some(degrees) = self.ground.as_ref().and_then(|ground| ground.degrees) else {
            return self;
        };
        let south = self.shown.south.max(-90.0 / degrees);
        let north = self.shown.north.min(90.0 / degrees);
        let half = 180.0 / degrees;
        let middle = self.middle().0;
        let west = self.shown.west.max(middle - half);
        let east = self.shown.east.min(middle + half);
        let [left, top, _, _] = self.frame;
        let right = left + (east - west) * self.scale.0;
        let bottom = top + (north - south) * self.scale.1;
        if north <= south || east <= west {
            return self;
        }
        let frame = [left, top, right, bottom];
        View { frame, shown: Bounds { west, east, south, north }, ..self }
    }

    /// The same middle in the same frame at another scale, as the frame of this number.
    pub(super) fn at_scale(&self, scale: (f64, f64), number: usize) -> View {
        let (crs, ground) = (self.crs.as_ref(), self.ground.as_ref());
        let view = View::around(self.frame, self.middle(), scale, crs, ground, self.cut);
        View { number, ..view }
    }

    /// A frame around a middle, at a scale.
    fn around(
        frame: [f64; 4],
        middle: (f64, f64),
        scale: (f64, f64),
        crs: Option<&Crs>,
        ground: Option<&Ground>,
        cut: Option<f64>,
    ) -> View {
        let (half_x, half_y) =
            ((frame[2] - frame[0]) / scale.0 / 2.0, (frame[3] - frame[1]) / scale.1 / 2.0);
        let runs = |direction: &str| {
            crs.is_some_and(|crs| {
                crs.axes().iter().any(|axis| axis.direction.eq_ignore_ascii_case(direction))
            })
        };
        View {
            frame,
            shown: Bounds {
                west: middle.0 - half_x,
                east: middle.0 + half_x,
                south: middle.1 - half_y,
                north: middle.1 + half_y,
            },
            scale,
            flipped: (runs("west"), runs("south")),
            crs: crs.cloned(),
            ground: ground.cloned(),
            number: 0,
            cut,
        }
    }

    /// What elements that are cut at the frame refer to.
    pub(super) fn clip(&self) -> String {
        format!("clip-path=\"url(#frame{})\"", self.number)
    }

    /// Pixels of a map coordinate, as it is on the map: see [`View::unrolled`].
    pub(super) fn pixel(&self, x: f64, y: f64) -> (f64, f64) {
        let across = if self.flipped.0 { self.shown.east - x } else { x - self.shown.west };
        let up = if self.flipped.1 { self.shown.north - y } else { y - self.shown.south };
        (self.frame[0] + across * self.scale.0, self.frame[3] - up * self.scale.1)
    }

    /// The map coordinate of a pixel.
    pub(super) fn coordinate(&self, (x, y): (f64, f64)) -> (f64, f64) {
        let across = (x - self.frame[0]) / self.scale.0;
        let up = (self.frame[3] - y) / self.scale.1;
        (
            if self.flipped.0 { self.shown.east - across } else { self.shown.west + across },
            if self.flipped.1 { self.shown.north - up } else { self.shown.south + up },
        )
    }

    /// A coordinate of data as it is on the map: beyond the cut a circle farther east.
    pub(super) fn unrolled(&self, x: f64) -> f64 {
        match (self.cut, self.ground.as_ref().and_then(|ground| ground.degrees)) {
            (Some(cut), Some(degrees)) if x < cut => x + 360.0 / degrees,
            _ => x,
        }
    }

    /// A coordinate of the map as data has it: not beyond 180°.
    pub(super) fn rolled(&self, x: f64) -> f64 {
        match (self.cut, self.ground.as_ref().and_then(|ground| ground.degrees)) {
            (Some(_), Some(degrees)) => within(x * degrees, 0.0) / degrees,
            _ => x,
        }
    }

    /// Middle of what is shown.
    pub(super) fn middle(&self) -> (f64, f64) {
        let shown = &self.shown;
        ((shown.west + shown.east) / 2.0, (shown.south + shown.north) / 2.0)
    }

    /// The place of a pixel.
    pub(super) fn place_at(&self, pixel: (f64, f64)) -> Option<Geographic> {
        let (x, y) = self.coordinate(pixel);
        self.ground.as_ref()?.place(x, y)
    }

    /// Pixels of a place.
    pub(super) fn pixel_of(&self, at: Geographic) -> Option<(f64, f64)> {
        let (x, y) = self.ground.as_ref()?.coordinate(at, self.middle().0)?;
        Some(self.pixel(x, y))
    }

    /// Middle of the frame in pixels.
    pub(super) fn centre(&self) -> (f64, f64) {
        let [left, top, right, bottom] = self.frame;
        ((left + right) / 2.0, (top + bottom) / 2.0)
    }

    pub(super) fn holds(&self, (x, y): (f64, f64), beyond: f64) -> bool {
        let [left, top, right, bottom] = self.frame;
        (left - beyond..=right + beyond).contains(&x)
            && (top - beyond..=bottom + beyond).contains(&y)
    }

    /// Metres on the ground to a pixel along x at a pixel, from a line of some pixels around it.
    pub(super) fn metres_per_pixel_at(&self, (x, y): (f64, f64)) -> Option<f64> {
        const REACH: f64 = 8.0;
        let ground = self.ground.as_ref()?;
        let (a, b) = (self.place_at((x - REACH, y))?, self.place_at((x + REACH, y))?);
        let metres = ground.metres(a, b) / (2.0 * REACH);
        (metres > 0.0).then_some(metres)
    }

    /// Metres on the ground to a pixel at the middle of the frame; by the unit alone where the
    /// system is not on the Earth.
    pub(super) fn metres_per_pixel(&self) -> Option<f64> {
        self.metres_per_pixel_at(self.centre())
            .or_else(|| Some(self.crs.as_ref()?.length_unit()?.metres() / self.scale.0))
    }

    /// Metres on the ground from side to side at the middle.
    pub(super) fn metres_across(&self) -> Option<f64> {
        Some(self.metres_per_pixel()? * (self.frame[2] - self.frame[0]))
    }

    /// The longitudes and latitudes that are shown; the whole circle where a pole is.
    pub(super) fn window(&self) -> Option<Window> {
        const STEPS: usize = 24;
        let middle = self.place_at(self.centre())?;
        let ground = self.ground.as_ref()?;
        let anchor = ground.anchor(self.middle().0).unwrap_or(middle.lon);
        let lon = within(middle.lon, anchor);
        let mut window = Window { west: lon, east: lon, south: middle.lat, north: middle.lat };
        let [left, top, right, bottom] = self.frame;
        for i in 0..=STEPS {
            for j in 0..=STEPS {
                let share = |at: usize| at as f64 / STEPS as f64;
                let pixel = (left + (right - left) * share(i), top + (bottom - top) * share(j));
                let Some(at) = self.place_at(pixel) else { continue };
                let lon = within(at.lon, anchor);
                window.west = window.west.min(lon);
                window.east = window.east.max(lon);
                window.south = window.south.min(at.lat);
                window.north = window.north.max(at.lat);
            }
        }
        let reach = (window.east - window.west).max(window.north - window.south) * 0.06;
        window.south = (window.south - reach).max(-90.0);
        window.north = (window.north + reach).min(90.0);
        for pole in [-90.0, 90.0] {
            let at = self.pixel_of(Geographic { lat: pole, lon: middle.lon });
            if ground.degrees.is_none() && at.is_some_and(|at| self.holds(at, 0.0)) {
                (window.west, window.east) = (anchor - 180.0, anchor + 180.0);
                match pole < 0.0 {
                    true => window.south = pole,
                    false => window.north = pole,
                }
            }
        }
        window.west = (window.west - reach).max(anchor - 180.0);
        window.east = (window.east + reach).min(anchor + 180.0);
        Some(window)
    }
}
