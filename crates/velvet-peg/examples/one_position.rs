//! One position in all forms: notations, geocentric, UTM, state plane, grid reference.
//!
//! ```text
//! cargo run --example one_position -- "47°24'30\"N 120°00'15\"W"
//! ```
use velvet_peg::position::{SheetOptions, position_sheet};
use velvet_peg::{Coordinate, Crs, Result, angle};

fn main() -> Result<()> {
    let text = std::env::args().nth(1).unwrap_or_else(|| "47°24'30\"N 120°00'15\"W".to_string());
    let at = angle::parse_position(&text)?;
    let options = SheetOptions { height_m: Some(350.0), ..SheetOptions::default() };
    let sheet = position_sheet(&Crs::from_epsg(4326)?, Coordinate::xy(at.lon, at.lat), &options)?;
    let mut section = "";
    for line in &sheet.lines {
        if line.section != section {
            println!("{}", line.section);
        }
        section = &line.section;
        println!("    {:<27}{}", line.label, line.text);
    }
    sheet.notices.iter().for_each(|notice| println!("note: {notice}"));
    Ok(())
}
