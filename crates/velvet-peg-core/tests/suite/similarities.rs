//! Every similarity of the registry against the formula of its method, which stands here once more,
//! written apart from the library: signs, pivots, rates, full matrices (EPSG Guidance Note 7-2,
//! section 4.3.3).

use std::collections::BTreeMap;
use velvet_peg_core::projection::{Parameters, Quantity};
use velvet_peg_core::registry::OperationRow;
use velvet_peg_core::{Crs, Ellipsoid, Geographic, Operation, geocentric};

/// Coordinates of this epoch; time-specific operations have their own.
const EPOCH: f64 = 2026.5;

type Matrix = [[f64; 3]; 3];

fn times(a: &Matrix, b: &Matrix) -> Matrix {
    std::array::from_fn(|i| std::array::from_fn(|j| (0..3).map(|k| a[i][k] * b[k][j]).sum()))
}

/// The numbers of an operation at an epoch: degrees, metres and ratios.
struct Numbers {
    values: BTreeMap<u32, f64>,
    years: f64,
}

impl Numbers {
    fn of(row: &OperationRow) -> Option<Numbers> {
        let parameters = Parameters::from_registry(&row.parameters).ok()?;
        let values: BTreeMap<u32, f64> = parameters
            .iter()
            .filter_map(|parameter| match parameter.quantity {
                Quantity::Angle(value)
                | Quantity::Length(value)
                | Quantity::Scale(value)
                | Quantity::Rate(value) => Some((parameter.code, value)),
                _ => None,
            })
            .collect();
        let years = values.get(&1047).map_or(0.0, |reference| EPOCH - reference);
        Some(Numbers { values, years })
    }

    fn get(&self, code: u32) -> f64 {
        self.values.get(&code).copied().unwrap_or(0.0)
    }

    /// The three numbers of the axes, with what their rates have made of them.
    fn axes(&self, first: u32, first_rate: u32) -> [f64; 3] {
        [0, 1, 2].map(|axis| self.get(first + axis) + self.years * self.get(first_rate + axis))
    }

    /// Geocentric coordinates as the method carries them.
    fn carry(&self, method: u32, x: [f64; 3]) -> [f64; 3] {
        let shift = self.axes(8605, 1040);
        let [rx, ry, rz] = self.axes(8608, 1043).map(f64::to_radians);
        let scale = 1.0 + self.get(8611) + self.years * self.get(1046);
        let pivot = [8617, 8618, 8667].map(|code| self.get(code));
        let frame: Matrix = [[1.0, rz, -ry], [-rz, 1.0, rx], [ry, -rx, 1.0]];
        let vector: Matrix = std::array::from_fn(|i| std::array::from_fn(|j| frame[j][i]));
        let rotation = match method {
            9603 | 1031 => [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]],
            9606 | 1033 | 1053 | 1061 | 1063 | 1065 => vector,
            1133 | 1140 => {
                let ((sx, cx), (sy, cy), (sz, cz)) = (rx.sin_cos(), ry.sin_cos(), rz.sin_cos());
                let about_x = [[1.0, 0.0, 0.0], [0.0, cx, sx], [0.0, -sx, cx]];
                let about_y = [[cy, 0.0, -sy], [0.0, 1.0, 0.0], [sy, 0.0, cy]];
                let about_z = [[cz, sz, 0.0], [-sz, cz, 0.0], [0.0, 0.0, 1.0]];
                times(&about_z, &times(&about_y, &about_x))
            }
            _ => frame,
        };
        std::array::from_fn(|i| {
            let turned: f64 = (0..3).map(|j| rotation[i][j] * (x[j] - pivot[j])).sum();
            scale * turned + pivot[i] + shift[i]
        })
    }
}

/// Methods that take the height as 0 and leave it as it was.
const FLAT: [u32; 6] = [9603, 9606, 9607, 9636, 1063, 1133];
/// All methods of this family that the registry has operations of.
const METHODS: [u32; 15] =
    [9603, 1031, 9606, 1033, 9607, 1032, 9636, 1061, 1063, 1053, 1056, 1065, 1066, 1133, 1140];

fn ellipsoid(code: Option<u32>) -> Option<Ellipsoid> {
    let crs = Crs::from_epsg(code?).ok()?;
    let datum = crs.datum()?;
    // The formulas are those of longitudes from Greenwich.
    (datum.prime_meridian().longitude_deg == 0.0).then(|| *datum.ellipsoid())
}

#[test]
fn every_similarity_is_the_formula_of_its_method() {
    let mut seen: BTreeMap<u32, u32> = BTreeMap::new();
    for row in OperationRow::all() {
        let Some(method) = row.method.filter(|method| METHODS.contains(method)) else { continue };
        let (Some(from), Some(to)) = (ellipsoid(row.source), ellipsoid(row.target)) else {
            continue;
        };
        let numbers = Numbers::of(&row);
        let specific = numbers.as_ref().and_then(|numbers| numbers.values.get(&1049)).copied();
        let epoch = Some(specific.unwrap_or(EPOCH));
        let Ok(operation) = Operation::at_epoch(row.code, epoch) else { continue };
        let numbers = numbers.unwrap();
        let [source, target] =
            [row.source, row.target].map(|code| Crs::from_epsg(code.unwrap()).unwrap());
        let flat = FLAT.contains(&method);
        for (lat, lon, h) in [(47.4, -120.0, 300.0), (-33.0, 151.0, 20.0), (5.0, 80.0, -10.0)] {
            let at = Geographic { lat, lon };
            let (found, found_h) = operation.apply(at, h, &source, &target).unwrap();
            let start = geocentric::from_geographic(&from, at, if flat { 0.0 } else { h });
            let [x, y, z] = numbers.carry(method, start);
            let (expected, expected_h) = geocentric::to_geographic(&to, [x, y, z]);
            // Where the height takes no part it stays.
            let expected_h = if flat { h } else { expected_h };
            let end = |at, h| geocentric::from_geographic(&to, at, h);
            let (a, b) = (end(found, found_h), end(expected, expected_h));
            let off = (0..3).map(|i| (a[i] - b[i]).powi(2)).sum::<f64>().sqrt();
            assert!(off < 2e-8, "EPSG:{} of method {method} at {lat}, {lon}: {off} m", row.code);
        }
        *seen.entry(method).or_default() += 1;
    }
    assert!(seen.values().sum::<u32>() > 1700 && seen.len() == METHODS.len(), "{seen:?}");
}
