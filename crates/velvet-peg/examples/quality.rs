//! The quality sheets of layers, and whether they belong together.
use velvet_peg::check::{CheckOptions, sheets_as_markdown};
use velvet_peg::{check, demo};

fn main() -> velvet_peg::Result<()> {
    let folder = tempfile::tempdir()?;
    demo::lay_out(folder.path(), false)?;
    let files =
        ["fields.geojson", "laterals.geojson", "turnouts.shp"].map(|n| folder.path().join(n));
    let report = check(&files, &CheckOptions::default())?;
    for stray in report.agreement.iter().flat_map(|agreement| &agreement.elsewhere) {
        println!(
            "{} lies {:.0} km away: {:?}",
            stray.layer,
            stray.distance_m / 1e3,
            stray.hypotheses
        );
    }
    println!("{}", sheets_as_markdown(&report));
    Ok(())
}
