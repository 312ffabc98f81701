//! The position sheet of one place: every notation and every grid that covers it.

use crate::checks::home_system;
use crate::error::{Error, Result};
use crate::notice::Notice;
use velvet_peg_core::angle::{Axis, Style, format as angle_text};
use velvet_peg_core::{
    Converter, Coordinate, Crs, Geographic, UtmZone, geocentric, grid_reference, registry,
};

/// One line of the sheet.
#[derive(Clone, Debug)]
pub struct SheetLine {
    /// Heading that it stands under.
    pub section: String,
    /// What it is.
    pub label: String,
    /// The figure with its unit.
    pub text: String,
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
}

/// Works out the sheet of a coordinate of a system.
///
/// ```
/// use velvet_peg::{position_sheet, Coordinate, Crs};
/// let sheet = position_sheet(&Crs::from_epsg(4326)?, Coordinate::xy(-120.004, 47.408))?;
/// assert!(sheet.lines.iter().any(|line| line.section.contains("UTM zone 10N")));
/// assert!(sheet.notices[0].text.contains("from the edge of UTM zone 10N"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the coordinate is out of range for the system.
pub fn position_sheet(crs: &Crs, at: Coordinate) -> Result<PositionSheet> {
    let system = home_system(crs)
        .ok_or_else(|| Error::usage(format!("{} has no places on an ellipsoid", crs.label())))?;
    let found = Converter::new(crs, &system)?.convert(at)?;
    let position = Geographic { lat: found.y, lon: found.x };
    let mut sheet =
        PositionSheet { position, system: system.clone(), lines: Vec::new(), notices: Vec::new() };
    sheet.notations();
    sheet.geocentric();
    if crs.is_projected() {
        sheet.grid(crs, &format!("As given: {}", crs.label()))?;
    }
    sheet.utm()?;
    sheet.state_plane();
    Ok(sheet)
}

impl PositionSheet {
    fn add(&mut self, section: &str, label: &str, text: String) {
        self.lines.push(SheetLine { section: section.to_string(), label: label.to_string(), text });
    }

    fn notations(&mut self) {
        let Geographic { lat, lon } = self.position;
        let section = format!("Geographic, {}", self.system.label());
        for (label, style, decimals) in [
            ("decimal degrees", Style::Decimal, 9),
            ("degrees, minutes", Style::Minutes, 6),
            ("degrees, minutes, seconds", Style::Seconds, 5),
        ] {
            let text = format!(
                "{}  {}",
                angle_text(lat, Axis::Latitude, style, decimals),
                angle_text(lon, Axis::Longitude, style, decimals)
            );
            self.add(&section, label, text);
        }
    }

    fn geocentric(&mut self) {
        let (Some(ellipsoid), Some(datum)) = (self.system.ellipsoid(), self.system.datum()) else {
            return;
        };
        let lon = self.position.lon + datum.prime_meridian().longitude_deg;
        let [x, y, z] = geocentric::from_geographic(ellipsoid, lon, self.position.lat, 0.0);
        let section = format!("Geocentric, height 0 on {}", ellipsoid.name());
        self.add(&section, "X, Y, Z", format!("{x:.4} m, {y:.4} m, {z:.4} m"));
    }

    /// Coordinates, scale and convergence in a projected system.
    fn grid(&mut self, grid: &Crs, section: &str) -> Result<()> {
        let converter = Converter::new(&self.system, grid)?;
        let at = converter.convert(Coordinate::xy(self.position.lon, self.position.lat))?;
        let unit = grid.length_unit().map_or("", |unit| unit.symbol());
        self.add(section, "easting, northing", format!("{:.4} {unit}, {:.4} {unit}", at.x, at.y));
        let Some(base) = grid.base() else {
            return Ok(());
        };
        let on_base = Converter::new(&self.system, &base)?
            .convert(Coordinate::xy(self.position.lon, self.position.lat))?;
        let factors = grid.projection()?.factors(Geographic { lat: on_base.y, lon: on_base.x })?;
        self.add(section, "point scale factor", format!("{:.9}", factors.meridian_scale));
        self.add(
            section,
            "convergence",
            angle_text(factors.convergence_deg, Axis::Free, Style::Seconds, 2),
        );
        if converter.route().operations().next().is_some() {
            self.add(section, "change of datum", converter.route().summary());
        }
        Ok(())
    }

    fn utm(&mut self) -> Result<()> {
        let Some(zone) = UtmZone::of(self.position) else {
            return Ok(());
        };
        // The zone on the datum of the position, where the registry has one.
        let name = format!("{} / UTM zone {}", self.system.name(), zone.name());
        let own = registry::CrsRow::all().find(|row| row.name == name && !row.deprecated);
        let crs = match own {
            Some(row) => Crs::from_epsg(row.code)?,
            None => zone.crs()?,
        };
        let section = format!("UTM zone {}, {}", zone.name(), crs.label());
        self.grid(&crs, &section)?;
        let wgs84 = Crs::from_epsg(4326)?;
        let converter = Converter::new(&self.system, &wgs84)?;
        let at = converter.convert(Coordinate::xy(self.position.lon, self.position.lat))?;
        if let Ok(text) = grid_reference(Geographic { lat: at.y, lon: at.x }) {
            self.add(&section, "grid reference (WGS 84)", format!("{text} (1 m square)"));
        }
        let off = 3.0 - (self.position.lon - zone.central_meridian_deg()).abs();
        let km = off.to_radians() * 6378.0 * self.position.lat.to_radians().cos();
        if off >= 0.0 && km < 10.0 {
            self.notices.push(Notice::warning(format!(
                "the place is {km:.1} km from the edge of UTM zone {}: neighbouring data may be in \
                 the next zone",
                zone.name()
            )));
        }
        Ok(())
    }

    /// State-plane zones of NAD83 whose area's box holds the place, in metres and in feet.
    fn state_plane(&mut self) {
        let Geographic { lat, lon } = self.position;
        let mut zones: Vec<(String, Crs)> = Vec::new();
        let rows = registry::CrsRow::all().filter(|row| {
            !row.deprecated
                && row.kind == registry::CrsKind::Projected
                && row.base == Some(4269)
                && row.name.starts_with("NAD83 / ")
        });
        for row in rows {
            let Some(extent) =
                row.extents.first().and_then(|code| registry::ExtentRow::find(*code))
            else {
                continue;
            };
            if !extent.name.contains("SPCS") {
                continue;
            }
            if let Ok(crs) = Crs::from_epsg(row.code)
                && crs.extent().contains(lon, lat)
            {
                zones.push((extent.name.to_string(), crs));
            }
        }
        let mut names: Vec<String> = zones.iter().map(|(name, _)| name.clone()).collect();
        names.dedup();
        names.sort();
        names.dedup();
        for (_, crs) in &zones {
            let section = format!("State plane, {}", crs.label());
            // A zone whose projection cannot be computed yet is named, not left out.
            if let Err(error) = self.grid(crs, &section) {
                self.add(&section, "not computed", error.to_string());
            }
        }
        if names.len() > 1 {
            self.notices.push(Notice::warning(format!(
                "the boxes of {} state-plane zones hold this place: which one applies is decided by \
                 its county",
                names.len()
            )));
        }
    }
}
