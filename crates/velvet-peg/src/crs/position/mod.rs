//! The position sheet of one place: every notation and every grid that covers it.

mod grid_text;

pub use grid_text::read_grid_position;

use crate::crs::zones::{systems_of, zones_of_place};
use crate::error::{Error, Result};
use crate::notice::Notice;
use crate::plausibility::{PositionSample, wrong_zone};
use velvet_peg_core::angle::{Axis, Style, format as angle_text};
use velvet_peg_core::geodesic::full_circle;
use velvet_peg_core::zones::{PolarGrid, UtmZone, ZoneSet, grid_reference, state_plane_zones_at};
use velvet_peg_core::{Bounds, Converter, Coordinate, Crs, Geographic, PlanOptions, geocentric};

/// One line of the sheet.
#[derive(Clone, Debug)]
pub struct SheetLine {
    /// Heading that it stands under.
    pub section: String,
    /// What it is.
    pub label: String,
    /// The figures with their units.
    pub text: String,
    /// The same for programs: name, value, unit (empty for plain numbers).
    pub figures: Vec<(&'static str, f64, String)>,
}

/// How latitudes and longitudes are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SheetNotation {
    /// Decimal degrees.
    Decimal,
    /// Degrees and decimal minutes.
    Minutes,
    /// Degrees, minutes and decimal seconds.
    Seconds,
    /// Degrees, minutes and seconds between blanks, without symbols and letters.
    Plain,
}

/// What a sheet tells of the place.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SheetOptions {
    /// Ellipsoidal height of the place, metres: gives elevation and combined factors.
    pub height_m: Option<f64>,
    /// Longitudes counted positive westward too.
    pub west_positive: bool,
    /// Longitudes from 0 to 360° too.
    pub full_circle: bool,
    /// How latitudes and longitudes are written; decimal, minutes and seconds if empty.
    pub notations: Vec<SheetNotation>,
    /// Systems to give the position in, in place of the zones of UTM and state plane that it falls in.
    pub systems: Vec<Crs>,
}

/// A place in all forms.
#[derive(Clone, Debug)]
pub struct PositionSheet {
    /// Geographic position in the system it was given in (or that its grid stands on).
    pub position: Geographic,
    /// That geographic system.
    pub system: Crs,
    /// The figures.
    pub lines: Vec<SheetLine>,
    /// What to know about them.
    pub notices: Vec<Notice>,
    options: SheetOptions,
}

/// Works out the sheet of a coordinate of a system.
///
/// ```
/// use velvet_peg::{Coordinate, Crs};
/// use velvet_peg::position::{position_sheet, SheetOptions};
/// let options = SheetOptions { height_m: Some(350.0), ..SheetOptions::default() };
/// let at = Coordinate::xy(-120.004, 47.408);
/// let sheet = position_sheet(&Crs::from_epsg(4326)?, at, &options)?;
/// assert!(sheet.lines.iter().any(|line| line.section.contains("UTM zone 10N")));
/// assert!(sheet.lines.iter().any(|line| line.label == "combined factor"));
/// assert!(sheet.notices[0].text.contains("from UTM zone 11N"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the coordinate is out of range for the system.
pub fn position_sheet(crs: &Crs, at: Coordinate, options: &SheetOptions) -> Result<PositionSheet> {
    let odd = PositionSample::of([(at.x, at.y)]).against(crs);
    match (sheet_of(crs, at, options), odd) {
        (Ok(mut sheet), odd) => {
            sheet.notices.splice(..0, odd);
            Ok(sheet)
        }
        // What lies elsewhere finds no way that is for its place.
        (Err(error), Some(odd)) => Err(Error::data(format!("{error}: {}", odd.text))),
        (Err(error), None) => Err(error),
    }
}

fn sheet_of(crs: &Crs, at: Coordinate, options: &SheetOptions) -> Result<PositionSheet> {
    let system = crs
        .in_degrees()
        .ok_or_else(|| Error::usage(format!("{} has no places on an ellipsoid", crs.label())))?;
    let found = Converter::new(crs, &system)?.convert(at)?;
    let position = Geographic { lat: found.y, lon: found.x };
    let mut sheet = PositionSheet {
        position,
        system: system.clone(),
        lines: Vec::new(),
        notices: Vec::new(),
        options: options.clone(),
    };
    sheet.notations();
    sheet.geocentric();
    if crs.is_projected() {
        sheet.grid(crs, &format!("As given: {}", crs.label()))?;
    }
    for system in &options.systems {
        sheet.carried(system)?;
    }
    if options.systems.is_empty() {
        sheet.utm()?;
        sheet.state_plane()?;
        let (_, notices) = zones_of_place(position);
        sheet.notices.extend(notices);
    }
    Ok(sheet)
}

impl PositionSheet {
    fn add(
        &mut self,
        section: &str,
        label: &str,
        text: String,
        figures: &[(&'static str, f64, &str)],
    ) {
        let figures = figures.iter().map(|(name, value, unit)| (*name, *value, unit.to_string()));
        self.lines.push(SheetLine {
            section: section.to_string(),
            label: label.to_string(),
            text,
            figures: figures.collect(),
        });
    }

    fn notations(&mut self) {
        let section = format!("Geographic, {}", self.system.label());
        self.notations_of(&section, self.position);
    }

    fn notations_of(&mut self, section: &str, place: Geographic) {
        const USUAL: [SheetNotation; 3] =
            [SheetNotation::Decimal, SheetNotation::Minutes, SheetNotation::Seconds];
        let Geographic { lat, lon } = place;
        let figures = [("latitude", lat, "degree"), ("longitude", lon, "degree")];
        let wanted = match self.options.notations.is_empty() {
            true => USUAL.to_vec(),
            false => self.options.notations.clone(),
        };
        for notation in wanted {
            let (label, styled) = match notation {
                SheetNotation::Decimal => ("decimal degrees", Some((Style::Decimal, 9))),
                SheetNotation::Minutes => ("degrees, minutes", Some((Style::Minutes, 6))),
                SheetNotation::Seconds => ("degrees, minutes, seconds", Some((Style::Seconds, 5))),
                SheetNotation::Plain => ("degrees minutes seconds, plain", None),
            };
            let text = match styled {
                Some((style, decimals)) => format!(
                    "{}  {}",
                    angle_text(lat, Axis::Latitude, style, decimals),
                    angle_text(lon, Axis::Longitude, style, decimals)
                ),
                None => format!("{}  {}", spaced(lat), spaced(lon)),
            };
            self.add(section, label, text, &figures);
        }
        if self.options.west_positive {
            let west = [("longitude", -lon, "degree, west positive")];
            self.add(section, "longitude, west positive", format!("{:.9}", -lon), &west);
        }
        if self.options.full_circle {
            let turn = full_circle(lon);
            let figures = [("longitude", turn, "degree, 0 to 360")];
            self.add(section, "longitude, 0 to 360", format!("{turn:.9}"), &figures);
        }
    }

    /// The way between two systems that is best at the place.
    fn planned(&self, from: &Crs, to: &Crs) -> Result<Converter> {
        let at = self.system.from_greenwich(Coordinate::xy(self.position.lon, self.position.lat));
        let area = Bounds { south: at.lat, west: at.lon, north: at.lat, east: at.lon };
        let options = PlanOptions { area: Some(area), ..PlanOptions::default() };
        Ok(Converter::plan(from, to, &options)?)
    }

    fn converter(&self, system: &Crs) -> Result<Converter> {
        self.planned(&self.system, system)
    }

    /// The position in a system that was asked for.
    fn carried(&mut self, system: &Crs) -> Result<()> {
        let place = (self.position.lon, self.position.lat);
        self.notices.extend(wrong_zone(&self.system, system, "the place", place));
        let section = format!("As asked: {}", system.label());
        if system.is_projected() {
            return self.grid(system, &section);
        }
        let place = Coordinate {
            x: self.position.lon,
            y: self.position.lat,
            z: self.options.height_m.unwrap_or(0.0),
        };
        let converter = self.converter(system)?;
        let at = converter.convert(place)?;
        if system.is_geocentric() {
            let figures = [("X", at.x, "m"), ("Y", at.y, "m"), ("Z", at.z, "m")];
            let text = format!("{:.4} m, {:.4} m, {:.4} m", at.x, at.y, at.z);
            let label = format!("X, Y, Z at ellipsoidal height {} m", place.z);
            self.add(&section, &label, text, &figures);
        } else {
            let degree = system.degrees_per_unit().ok_or_else(|| {
                Error::usage(format!("{} has no latitudes and longitudes", system.label()))
            })?;
            let place = Geographic { lat: at.y * degree, lon: at.x * degree };
            self.notations_of(&section, place);
        }
        self.change_of_datum(&section, &converter);
        Ok(())
    }

    fn change_of_datum(&mut self, section: &str, converter: &Converter) {
        if converter.route().operations().next().is_some() {
            let figure = converter.route().accuracy_m().map(|metres| ("accuracy", metres, "m"));
            let summary = converter.route().summary();
            self.add(section, "change of datum", summary, figure.as_slice());
        }
    }

    fn geocentric(&mut self) {
        let (Some(ellipsoid), Some(datum)) =
            (self.system.ellipsoid().copied(), self.system.datum().cloned())
        else {
            return;
        };
        let lon = self.position.lon + datum.prime_meridian().longitude_deg;
        let h = self.options.height_m.unwrap_or(0.0);
        let [x, y, z] =
            geocentric::from_geographic(&ellipsoid, Geographic { lat: self.position.lat, lon }, h);
        let section = format!("Geocentric, ellipsoidal height {h} m on {}", datum.ellipsoid_name());
        let figures = [("X", x, "m"), ("Y", y, "m"), ("Z", z, "m")];
        self.add(&section, "X, Y, Z", format!("{x:.4} m, {y:.4} m, {z:.4} m"), &figures);
    }

    /// Coordinates, scale, convergence and the way back in a projected system.
    fn grid(&mut self, grid: &Crs, section: &str) -> Result<()> {
        let place = Coordinate::xy(self.position.lon, self.position.lat);
        let converter = self.converter(grid)?;
        let at = converter.convert(place)?;
        let unit = grid.length_unit().map_or("", |unit| unit.symbol());
        let text = format!("{:.4} {unit}, {:.4} {unit}", at.x, at.y);
        let figures = [("easting", at.x, unit), ("northing", at.y, unit)];
        self.add(section, "easting, northing", text, &figures);
        let Some(base) = grid.base() else { return Ok(()) };
        let on_base = self.converter(&base)?.convert(place)?;
        let degree = base.degrees_per_unit().unwrap_or(1.0);
        let on_base = Geographic { lat: on_base.y * degree, lon: on_base.x * degree };
        let projection = grid.projection()?;
        let factors = projection.factors(on_base)?;
        if projection.is_conformal() {
            let scale = factors.meridian_scale;
            let figures = [("scale_factor", scale, "")];
            self.add(section, "point scale factor", format!("{scale:.9}"), &figures);
        } else {
            let (h, k) = (factors.meridian_scale, factors.parallel_scale);
            let figures = [("scale_north", h, ""), ("scale_east", k, "")];
            let text = format!("{h:.9}, {k:.9} (not conformal)");
            self.add(section, "scale north, east", text, &figures);
        }
        let turn = angle_text(factors.convergence_deg, Axis::Free, Style::Seconds, 2);
        let figures = [("convergence", factors.convergence_deg, "degree")];
        self.add(section, "convergence", turn, &figures);
        if let (Some(height), Some(ellipsoid)) = (self.options.height_m, base.ellipsoid()) {
            let elevation = ellipsoid.elevation_factor(on_base.lat, height);
            let figures = [("elevation_factor", elevation, ""), ("height", height, "m")];
            let text = format!("{elevation:.9} (height {height} m)");
            self.add(section, "elevation factor", text, &figures);
            if projection.is_conformal() {
                let combined = elevation * factors.meridian_scale;
                let figures = [("combined_factor", combined, "")];
                self.add(section, "combined factor", format!("{combined:.9}"), &figures);
            }
        }
        let back = self.planned(grid, &self.system)?.convert(at)?;
        let off = (back.y - place.y).hypot((back.x - place.x) * place.y.to_radians().cos());
        let nanometres = off.to_radians() * 6.371e15;
        self.add(
            section,
            "there and back",
            format!("closes within {:.0} nm", nanometres.ceil().max(1.0)),
            &[("closure", nanometres, "nm")],
        );
        self.change_of_datum(section, &converter);
        Ok(())
    }

    fn utm(&mut self) -> Result<()> {
        let wgs84 = Crs::from_epsg(4326)?;
        let at = Converter::new(&self.system, &wgs84)?
            .convert(Coordinate::xy(self.position.lon, self.position.lat))?;
        let on_wgs84 = Geographic { lat: at.y, lon: at.x };
        let section = match UtmZone::of(self.position) {
            Some(zone) => {
                // The zone on the datum of the position, where the registry has one.
                let name = format!("{} / UTM zone {}", self.system.name(), zone.name());
                let crs = Crs::named(&name).map_or_else(|| zone.crs(), Ok)?;
                let band = UtmZone::band(on_wgs84).map_or(String::new(), |band| {
                    format!(" (band {band}: {}{band})", zone.number())
                });
                let section = format!("UTM zone {}{band}, {}", zone.name(), crs.label());
                self.grid(&crs, &section)?;
                section
            }
            None => {
                let Some(polar) = PolarGrid::of(self.position) else { return Ok(()) };
                let crs = polar.crs()?;
                let section = format!("{}, {}", polar.name(), crs.label());
                self.grid(&crs, &section)?;
                section
            }
        };
        if let Ok(text) = grid_reference(on_wgs84) {
            self.add(&section, "grid reference (WGS 84)", format!("{text} (1 m square)"), &[]);
        }
        Ok(())
    }

    /// The state-plane zones of the county, on the position's own realisation of NAD83 or NAD83
    /// itself, in metres and in the zone's legal foot.
    fn state_plane(&mut self) -> Result<()> {
        let Geographic { lat, lon } = self.position;
        let own = self.system.datum().and_then(|datum| datum.code());
        for hit in state_plane_zones_at(ZoneSet::Spcs83, Geographic { lat, lon }) {
            let mine = own.map(|datum| hit.zone.systems_on(datum));
            let systems: Vec<Crs> = match mine {
                Some((Some(metres), feet)) => [Some(metres), feet].into_iter().flatten().collect(),
                _ => systems_of(hit.zone),
            };
            for crs in systems {
                let section = format!("State plane, {} ({})", crs.label(), hit.county.described());
                self.grid(&crs, &section)?;
            }
        }
        Ok(())
    }
}

/// `47 24 30.00000` with a sign.
fn spaced(degrees: f64) -> String {
    let text = angle_text(degrees, Axis::Free, Style::Seconds, 5);
    let plain: String = text.chars().map(|c| if "°′″'\"".contains(c) { ' ' } else { c }).collect();
    plain.trim().replace('−', "-")
}
