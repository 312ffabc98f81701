//! A million positions converted in place, column by column, without a copy.
use std::time::Instant;
use velvet_peg::{Converter, Crs, Result};

fn main() -> Result<()> {
    let count = 1_000_000;
    // Spread over the Tumblewick district by the golden ratio.
    let spread = |i: usize, step: f64| (i as f64 * step).fract() * 0.1;
    let mut x: Vec<f64> = (0..count).map(|i| -120.05 + spread(i, 0.618_033_988_75)).collect();
    let mut y: Vec<f64> = (0..count).map(|i| 47.35 + spread(i, 0.754_877_666_25)).collect();
    let converter = Converter::new(&Crs::parse("EPSG:4269")?, &Crs::parse("EPSG:2285")?)?;
    let start = Instant::now();
    let failed = converter.convert_columns(&mut x, &mut y, None);
    let taken = start.elapsed();
    println!("{} -> {}", converter.source().label(), converter.target().label());
    println!("by {}", converter.route().summary());
    println!("{count} positions in {taken:.2?}, {failed} could not be converted");
    println!("the first: {:.4}, {:.4} {}", x[0], y[0], converter.target().unit_plural());
    Ok(())
}
