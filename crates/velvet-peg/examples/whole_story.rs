//! The whole story: a table of headgates becomes measured features on a map.
use velvet_peg::*;

fn main() -> Result<()> {
    let folder = std::env::temp_dir().join(format!("tumblewick-{}", std::process::id()));
    demo::lay_out(&folder, false)?;
    let file = |name: &str| folder.join(name);
    let build = BuildPoints::in_system(Crs::parse("EPSG:4326")?);
    let built = build.run(&file("headgates.csv"), &file("gates.gpkg"))?;
    println!("{} rows in, {} gates, {} rejected", built.rows_in, built.out, built.rejected.count);
    built.notices.iter().for_each(|notice| println!("noticed: {notice}"));
    let grid = Crs::parse("nad83 washington north ftus")?;
    let fields = Layer::read(file("fields.geojson"))?.convert(&grid)?;
    fields.write(file("fields.gpkg"))?;
    let reader = LayerReader::open(&file("fields.gpkg"), None)?;
    let measures = measure(&reader, &measure::MeasureOptions::default())?;
    let square_metres = measures.total(|figures| Some(figures.area_m2)).unwrap_or(0.0);
    let acres = square_metres / AreaUnit::UsSurveyAcre.square_metres();
    println!("{} fields, {acres:.2} US survey acres on {}", fields.len(), measures.ellipsoid);
    let layers = [fields.into_layer(), Layer::read(file("laterals.geojson"))?];
    draw(&layers, &file("map.png"), &draw::DrawOptions::default())?;
    println!("map in {}", file("map.png").display());
    Ok(())
}
