//! Numbers as coordinates, in any two systems of a choice.

use velvet_peg::{Converter, Coordinate, Crs};

const CODES: [u32; 16] = [
    4326, 4267, 4258, 32611, 32761, 2285, 3857, 3031, 27700, 2056, 5514, 29902, 31370, 3034, 2193,
    28992,
];

/// Two bytes choose the systems, the rest are pairs of doubles: columns carry what single positions carry, to
/// the same place.
pub fn columns(data: &[u8]) {
    let Some((systems, rest)) = data.split_first_chunk::<2>() else { return };
    let crs = systems
        .map(|at| Crs::from_epsg(CODES[usize::from(at) % CODES.len()]).expect("it is there"));
    let Ok(there) = Converter::new(&crs[0], &crs[1]) else { return };
    for pair in rest.chunks_exact(16).take(8) {
        let number =
            |at: usize| f64::from_le_bytes(pair[at..at + 8].try_into().expect("eight bytes"));
        let at = Coordinate::xy(number(0), number(8));
        let single = there.convert(at);
        let (mut x, mut y) = (vec![at.x], vec![at.y]);
        there.convert_columns(&mut x, &mut y, None);
        match single {
            // Columns and single positions agree on what can be carried.
            Ok(to) => {
                assert!(to.x.is_finite() && to.y.is_finite(), "{at:?}: {to:?}");
                for (one, column) in [(to.x, x[0]), (to.y, y[0])] {
                    let apart = (one - column).abs();
                    assert!(
                        apart <= 1e-8 * one.abs().max(1.0),
                        "{at:?}: {one}, in columns {column}"
                    );
                }
            }
            Err(_) => assert!(!(x[0].is_finite() && y[0].is_finite()), "{at:?} is refused alone"),
        }
    }
}
