//! The courses of a deed: how well do they close, and what do they enclose?
use velvet_peg::bearing::parse_bearing;
use velvet_peg::traverse::{Leg, Traverse, Turn};

fn main() -> velvet_peg::Result<()> {
    let line = |bearing: &str, length| -> velvet_peg::Result<Leg> {
        Ok(Leg::Line { azimuth_deg: parse_bearing(bearing)?, length })
    };
    let legs = [
        line("N 12°30'00\" E", 310.00)?,
        Leg::Curve { radius: 180.0, delta_deg: 62.25, turn: Turn::Right, chord_deg: None },
        line("N 74°45'00\" E", 205.40)?,
        line("S 8°20'00\" E", 402.75)?,
        line("S 71°10'00\" W", 140.00)?,
        line("S 81°29'57\" W", 323.02)?,
    ];
    let deed = Traverse::run((1_832_900.0, 155_850.0), &legs)?;
    let miss = deed.misclosure();
    println!("misses by {:.3} in {:.2}: 1 in {:?}", miss.length, miss.perimeter, miss.ratio());
    let adjusted = deed.adjusted(); // by the compass rule
    println!("encloses {:.2} square feet", adjusted.area());
    println!("{} vertices, curves within 0.01", adjusted.vertices(0.01).len());
    Ok(())
}
