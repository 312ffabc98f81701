//! A parcel's area three ways: on the ellipsoid, on the state-plane grid, on the ground.
use velvet_peg::{AreaUnit, Converter, Coordinate, Crs, Geodesic, Geographic, Result, planar};

fn main() -> Result<()> {
    let corners =
        [(47.4012, -120.0105), (47.4012, -120.0052), (47.4048, -120.0049), (47.4049, -120.0103)];
    let ring = corners.map(|(lat, lon)| Geographic { lat, lon });
    let nad83 = Crs::from_epsg(4269)?;
    let ellipsoid = nad83.ellipsoid().copied().expect("NAD83 has an ellipsoid");
    let true_area = Geodesic::new(&ellipsoid).polygon(&ring).area_m2.abs();

    let grid = Crs::parse("nad83 washington north ftus")?;
    let converter = Converter::new(&nad83, &grid)?;
    let mut on_grid = ring.map(|at| Coordinate::xy(at.lon, at.lat));
    converter.convert_slice(&mut on_grid)?;
    let (x, y) = (on_grid.map(|at| at.x), on_grid.map(|at| at.y));
    let foot = grid.length_unit().expect("a grid has a unit of length").metres();
    let grid_area = planar::ring_area(&x, &y).abs() * foot * foot;

    // 350 m above the ellipsoid everything is longer.
    let height_m = 350.0;
    let ground_area = true_area / ellipsoid.elevation_factor(47.403, height_m).powi(2);

    for (what, area) in [
        (format!("on the ellipsoid ({})", ellipsoid.name()), true_area),
        (format!("on the grid ({})", grid.name()), grid_area),
        (format!("on the ground at {height_m} m"), ground_area),
    ] {
        let acres = area / AreaUnit::UsSurveyAcre.square_metres();
        println!("{what:<52} {area:>12.3} m²  {acres:.5} {}", AreaUnit::UsSurveyAcre.name());
    }
    Ok(())
}
