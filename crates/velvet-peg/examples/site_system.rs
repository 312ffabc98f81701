//! Systems of one's own for a site: a low-distortion projection, and state plane on the ground; and what each
//! makes of five kilometres there.
use velvet_peg::ground::{Ground, places_of_box, propose, usual_systems};
use velvet_peg::{Bounds, Converter, Coordinate, Crs, Geodesic, Geographic, LengthUnit, Result};

fn main() -> Result<()> {
    let height_m = 380.0;
    let area = Bounds { south: 47.3, west: -120.2, north: 47.5, east: -119.9 };
    let places = places_of_box(&area, &[height_m]);
    let base = Crs::from_epsg(6318)?; // NAD83(2011)
    let best = propose("Tumblewick LDP", &base, &places, LengthUnit::METRE)?.remove(0);

    // State plane, divided by its combined factor in the middle and moved out of the way.
    let middle = Geographic { lat: 47.4, lon: -120.05 };
    let grid = Crs::from_epsg(32148)?; // NAD83 / Washington North
    let there = Converter::new(&Crs::from_epsg(4269)?, &grid)?
        .convert(Coordinate::xy(middle.lon, middle.lat))?;
    let ground = Ground {
        scale: 1.0 / grid.combined_factor(middle, height_m)?,
        about: (there.x, there.y),
        shift: (-500_000.0, 0.0),
        rotation_deg: 0.0,
    };
    let site = grid.on_ground("Tumblewick ground", &ground)?;

    let ellipsoid = base.ellipsoid().copied().expect("NAD83 has an ellipsoid");
    let geodesic = Geodesic::new(&ellipsoid);
    let (far, _) = geodesic.direct(middle, 60.0, 5_000.0);
    let on_ground = 5_000.0 / ellipsoid.elevation_factor(middle.lat, height_m);
    println!("{:<40} {on_ground:>9.3} m", "on the ground");
    let usual = usual_systems(&places).into_iter().map(|(crs, _)| crs);
    for system in usual.chain([site, best.crs]) {
        let degrees = system.in_degrees().expect("they stand on a datum");
        let to_plane = Converter::new(&degrees, &system)?;
        let [a, b] = [middle, far].map(|at| to_plane.convert(Coordinate::xy(at.lon, at.lat)));
        let (a, b) = (a?, b?);
        let length = (a.x - b.x).hypot(a.y - b.y);
        let ppm = (length / on_ground - 1.0) * 1e6;
        println!("{:<40} {length:>9.3} m  {ppm:>+6.1} ppm", system.name());
    }
    Ok(())
}
