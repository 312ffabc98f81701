//! Attributes by key, and from the polygon a point falls in.
use velvet_peg::features::{BuildOptions, BuildPolygons, VertexOptions};
use velvet_peg::join::JoinTable;
use velvet_peg::tag::TagPoints;
use velvet_peg::{BuildPoints, Crs, LayerReader, demo};

fn main() -> velvet_peg::Result<()> {
    let folder = tempfile::tempdir()?;
    demo::lay_out(folder.path(), false)?;
    let file = |name: &str| folder.path().join(name);
    let open = |name: &str| LayerReader::open(&file(name), None);

    let join = JoinTable { key: "field".into(), ..JoinTable::default() };
    let mut shares = join.clone();
    shares.table.sheets = vec!["Shares".into()];
    let report = shares.report(&open("fields.geojson")?, &file("register.xlsx"))?;
    println!("{} of {} fields have shares", report.features_met, report.features);
    shares.run(open("fields.geojson")?, &file("register.xlsx"), &file("f.gpkg"))?;

    let gates = BuildPoints::in_system(Crs::parse("EPSG:4326")?);
    gates.run(&file("headgates.csv"), &file("gates.gpkg"))?;
    let build = BuildOptions { crs: Some(Crs::parse("EPSG:2285")?), ..BuildOptions::default() };
    let vertices =
        VertexOptions { group: vec!["beat".into(), "rider".into()], build, ..Default::default() };
    let beats = BuildPolygons { vertices, ..BuildPolygons::default() };
    beats.run(&file("beats.csv"), &file("beats.gpkg"))?;
    let tag = TagPoints { columns: vec!["beat".into()], ..TagPoints::default() };
    let (outcome, report) = tag.run(open("gates.gpkg")?, &open("beats.gpkg")?, &file("t.gpkg"))?;
    println!("{} of {} gates are in a beat", report.inside, outcome.rows_in);
    Ok(())
}
