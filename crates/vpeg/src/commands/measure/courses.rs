//! The courses of a feature, from vertex to vertex.

use crate::{Ending, show};
use velvet_peg::angle::{self, Axis, Style};
use velvet_peg::bearing::quadrant;
use velvet_peg::measure::{FeatureLeg, feature_legs};
use velvet_peg::{Crs, Error, LayerReader};

pub(super) fn show_courses(
    reader: &LayerReader,
    number: u64,
    grid: Option<&Crs>,
) -> Result<Ending, Error> {
    let legs = feature_legs(reader, number, grid)?;
    if show::wants_json() {
        let rows: Vec<serde_json::Value> = legs
            .iter()
            .map(|leg| {
                serde_json::json!({
                    "part": leg.place.0, "ring": leg.place.1, "vertex": leg.place.2,
                    "from": [leg.from.0, leg.from.1], "to": [leg.to.0, leg.to.1],
                    "distance_ellipsoid_m": leg.distance_m,
                    "azimuth_deg": leg.azimuth_deg,
                    "distance_grid_m": leg.grid_distance_m,
                    "grid_bearing_deg": leg.grid_bearing_deg,
                })
            })
            .collect();
        show::json(&rows.into())?;
        return Ok(Ending::Done);
    }
    let crs = reader.info().crs.as_ref();
    let own = crs.filter(|crs| crs.is_projected());
    let on = grid.or(own);
    show::answer(&format!(
        "{}: courses of feature {number}\n  coordinates: {}\n  distance, azimuth: geodesic, azimuth at the \
         beginning from true north{}",
        show::heading(&reader.info().name),
        crs.map_or(String::new(), Crs::label),
        on.map_or(String::new(), |grid| format!(
            "\n  grid distance, grid bearing: plane, on {}",
            grid.label()
        )),
    ))?;
    let decimals = if crs.is_some_and(Crs::is_geographic) { 7 } else { 3 };
    let mut header = vec!["part", "ring", "vertex", "from x", "from y", "to x", "to y"];
    header.extend(["distance m", "azimuth"]);
    if on.is_some() {
        header.extend(["grid distance m", "grid bearing"]);
    }
    let mut table = show::Table::with_header(header.into_iter().map(String::from).collect());
    let angle = |degrees: f64| angle::format(degrees, Axis::Free, Style::Seconds, 1);
    for leg in &legs {
        let mut row =
            vec![leg.place.0.to_string(), leg.place.1.to_string(), leg.place.2.to_string()];
        row.extend([leg.from.0, leg.from.1, leg.to.0, leg.to.1].map(|v| format!("{v:.decimals$}")));
        row.extend([format!("{:.3}", leg.distance_m), angle(leg.azimuth_deg)]);
        if let (Some(distance), Some(bearing)) = (leg.grid_distance_m, leg.grid_bearing_deg) {
            row.extend([format!("{distance:.3}"), quadrant(bearing, 1)]);
        }
        table.row(row);
    }
    show::answer(&format!("\n{}", table.text()))?;
    let sum = |of: fn(&FeatureLeg) -> Option<f64>| legs.iter().filter_map(of).sum::<f64>();
    let plane = match on {
        Some(_) => format!(", {:.3} m on the grid", sum(|leg| leg.grid_distance_m)),
        None => String::new(),
    };
    show::answer(&format!(
        "\n  {} courses, {:.3} m on the ellipsoid{plane}",
        legs.len(),
        sum(|leg| Some(leg.distance_m))
    ))?;
    Ok(Ending::Done)
}
