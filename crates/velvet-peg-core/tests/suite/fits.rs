//! Planes fitted to each other, against the normal equations solved in another way, and with points that
//! are wrong on purpose.

use velvet_peg_core::fit::{CommonPoint, FitKind, fit};

/// Numbers between −1 and 1 that are always the same.
fn scatter(seed: usize) -> f64 {
    let mixed = (seed as u64 + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    let mixed = (mixed ^ mixed >> 29).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    (mixed >> 11) as f64 / (1u64 << 52) as f64 - 1.0
}

type Plane = fn((f64, f64)) -> (f64, f64);

/// A mapping of each kind, plainly.
fn truth(kind: FitKind) -> Plane {
    match kind {
        FitKind::Similarity => |(x, y)| {
            let (sin, cos) = 37f64.to_radians().sin_cos();
            (1_840_000.0 + 3.28 * (cos * x - sin * y), 152_000.0 + 3.28 * (sin * x + cos * y))
        },
        FitKind::Affine => {
            |(x, y)| (1_840_000.0 + 2.1 * x - 0.4 * y, 152_000.0 + 0.3 * x + 1.9 * y)
        }
        FitKind::SecondOrder => |(x, y)| {
            (
                1_840_000.0 + 2.1 * x - 0.4 * y + 1e-5 * x * x - 2e-5 * x * y,
                152_000.0 + 0.3 * x + 1.9 * y + 3e-5 * y * y,
            )
        },
    }
}

fn points(kind: FitKind, count: usize, noise: f64) -> Vec<CommonPoint> {
    (0..count)
        .map(|at| {
            let from = (500.0 + 400.0 * scatter(4 * at), 300.0 + 250.0 * scatter(4 * at + 1));
            let (x, y) = truth(kind)(from);
            let to = (x + noise * scatter(4 * at + 2), y + noise * scatter(4 * at + 3));
            CommonPoint { from, to }
        })
        .collect()
}

#[test]
fn exact_points_give_back_the_mapping() {
    for kind in FitKind::ALL {
        for count in [kind.points_needed(), kind.points_needed() + 3, 50] {
            let found = fit(kind, &points(kind, count, 0.0), false).unwrap();
            assert_eq!(
                found.standard_error.is_some(),
                count > kind.points_needed(),
                "{kind} {count}"
            );
            assert!(
                found.standard_error.unwrap_or(0.0) < 1e-8,
                "{kind}: {:?}",
                found.standard_error
            );
            for at in [(0.0, 0.0), (900.0, 500.0), (-200.0, 700.0)] {
                let (x, y) = truth(kind)(at);
                let there = found.mapping.apply(at);
                // Beyond the points, too.
                assert!(
                    (there.0 - x).hypot(there.1 - y) < 1e-5,
                    "{kind} {count}: {there:?} for {:?}",
                    (x, y)
                );
                let back = found.mapping.apply_inverse((x, y)).unwrap();
                assert!(
                    (back.0 - at.0).hypot(back.1 - at.1) < 1e-5,
                    "{kind} {count}: {back:?} for {at:?}"
                );
            }
            assert!(found.residuals.iter().all(|residual| !residual.is_doubtful), "{kind} {count}");
        }
    }
}

/// Least squares another way: by descending along the gradient until nothing moves is too slow, so the
/// normal equations are solved by Gauss with whole pivots.
fn solved(rows: &[Vec<f64>], side: &[f64]) -> Vec<f64> {
    let width = rows[0].len();
    let mut normal = vec![vec![0.0; width + 1]; width];
    for (row, value) in rows.iter().zip(side) {
        for i in 0..width {
            for j in 0..width {
                normal[i][j] += row[i] * row[j];
            }
            normal[i][width] += row[i] * value;
        }
    }
    for at in 0..width {
        let pivot = (at..width)
            .max_by(|a, b| normal[*a][at].abs().total_cmp(&normal[*b][at].abs()))
            .unwrap();
        normal.swap(at, pivot);
        let head = normal[at].clone();
        for (other, row) in normal.iter_mut().enumerate() {
            if other != at {
                let factor = row[at] / head[at];
                row.iter_mut().zip(&head).for_each(|(value, own)| *value -= factor * own);
            }
        }
    }
    (0..width).map(|at| normal[at][width] / normal[at][at]).collect()
}

#[test]
fn residuals_are_those_of_the_normal_equations() {
    for kind in FitKind::ALL {
        let points = points(kind, 20, 0.5);
        let found = fit(kind, &points, false).unwrap();
        // The same about another middle, of other units.
        let place = |p: &CommonPoint| ((p.from.0 - 450.0) / 300.0, (p.from.1 - 280.0) / 300.0);
        let target = |p: &CommonPoint| (p.to.0 - 1_840_000.0, p.to.1 - 152_000.0);
        let mut offs = Vec::new();
        if kind == FitKind::Similarity {
            let (mut rows, mut side) = (Vec::new(), Vec::new());
            for p in &points {
                let ((u, v), (x, y)) = (place(p), target(p));
                rows.extend([vec![1.0, 0.0, u, -v], vec![0.0, 1.0, v, u]]);
                side.extend([x, y]);
            }
            let s = solved(&rows, &side);
            for p in &points {
                let ((u, v), (x, y)) = (place(p), target(p));
                offs.push((x - (s[0] + s[2] * u - s[3] * v), y - (s[1] + s[3] * u + s[2] * v)));
            }
        } else {
            let row = |p: &CommonPoint| {
                let (u, v) = place(p);
                match kind {
                    FitKind::Affine => vec![1.0, u, v],
                    _ => vec![1.0, u, v, u * u, u * v, v * v],
                }
            };
            let rows: Vec<Vec<f64>> = points.iter().map(row).collect();
            let x = solved(&rows, &points.iter().map(|p| target(p).0).collect::<Vec<_>>());
            let y = solved(&rows, &points.iter().map(|p| target(p).1).collect::<Vec<_>>());
            let sum = |c: &[f64], row: &[f64]| c.iter().zip(row).map(|(c, r)| c * r).sum::<f64>();
            for (p, row) in points.iter().zip(&rows) {
                offs.push((target(p).0 - sum(&x, row), target(p).1 - sum(&y, row)));
            }
        }
        let mut squares = 0.0;
        for (residual, off) in found.residuals.iter().zip(&offs) {
            assert!(
                (residual.off.0 - off.0).hypot(residual.off.1 - off.1) < 1e-6,
                "{kind}: {residual:?} {off:?}"
            );
            squares += off.0 * off.0 + off.1 * off.1;
        }
        let needed = 2 * kind.points_needed();
        let wanted = (squares / (40 - needed) as f64).sqrt();
        assert!((found.standard_error.unwrap() - wanted).abs() < 1e-7, "{kind}");
        assert_eq!(found.redundancy, 40 - needed);
        // Points left out, really left out.
        for at in [0, 7, 19] {
            let mut others = points.clone();
            let own = others.remove(at);
            let without = fit(kind, &others, false).unwrap().mapping.apply(own.from);
            let off = found.residuals[at].off_without.unwrap();
            let wanted = (own.to.0 - without.0, own.to.1 - without.1);
            assert!(
                (off.0 - wanted.0).hypot(off.1 - wanted.1) < 1e-6,
                "{kind} {at}: {off:?} {wanted:?}"
            );
        }
    }
}

#[test]
fn the_point_that_is_wrong_is_found_and_no_other() {
    for kind in FitKind::ALL {
        let mut alarms = 0;
        for trial in 0..40 {
            let mut points = points(kind, 12 + trial, 0.05);
            let wrong = trial % points.len();
            let clean = fit(kind, &points, false).unwrap();
            alarms += usize::from(clean.residuals.iter().any(|r| r.is_doubtful));
            points[wrong].to.0 += 3.0;
            let found = fit(kind, &points, false).unwrap();
            let doubtful: Vec<usize> =
                (0..points.len()).filter(|at| found.residuals[*at].is_doubtful).collect();
            assert_eq!(doubtful, [wrong], "{kind} {trial}");
            let off = found.residuals[wrong].off_without.unwrap();
            assert!((off.0 - 3.0).abs() < 0.5 && off.1.abs() < 0.5, "{kind} {trial}: {off:?}");
        }
        assert!(alarms <= 2, "{kind}: {alarms} of 40 without a wrong point");
    }
}

#[test]
fn mirrored_planes_and_figures() {
    // Pixels: rows downward. Half a metre a pixel, turned by 10° anticlockwise.
    let (sin, cos) = 10f64.to_radians().sin_cos();
    let truth = |(c, r): (f64, f64)| {
        (500_000.0 + 0.5 * (cos * c + sin * r), 5_250_000.0 + 0.5 * (sin * c - cos * r))
    };
    let points: Vec<CommonPoint> = [(0.0, 0.0), (4000.0, 100.0), (3900.0, 2900.0), (150.0, 3000.0)]
        .map(|from| CommonPoint { from, to: truth(from) })
        .to_vec();
    let found = fit(FitKind::Similarity, &points, true).unwrap();
    assert!(found.standard_error.unwrap() < 1e-8);
    assert!((found.figures[0].value - 0.5).abs() < 1e-12);
    assert!((found.figures[1].value - 10.0).abs() < 1e-9, "{:?}", found.figures);
    let [origin, column, row] = found.mapping.linear().unwrap();
    assert!((origin.0 - 500_000.0).abs() < 1e-6 && (origin.1 - 5_250_000.0).abs() < 1e-6);
    assert!((column.0 - 0.5 * cos).abs() < 1e-12 && (row.1 + 0.5 * cos).abs() < 1e-12);
    // Not turned over, they do not fit.
    assert!(fit(FitKind::Similarity, &points, false).unwrap().standard_error.unwrap() > 100.0);
}

#[test]
fn standard_errors_of_figures_are_those_of_many_trials() {
    let kind = FitKind::Similarity;
    let (mut scales, mut stated) = (Vec::new(), 0.0);
    for trial in 0..400 {
        let points: Vec<CommonPoint> = points(kind, 15, 0.0)
            .into_iter()
            .enumerate()
            .map(|(at, p)| {
                // The sum of several even scatters is nearly normal.
                let error = |of: usize| {
                    (0..6)
                        .map(|n| scatter(1000 + trial * 331 + at * 17 + of * 7 + n * 100_003))
                        .sum::<f64>()
                };
                CommonPoint { to: (p.to.0 + 0.1 * error(0), p.to.1 + 0.1 * error(1)), ..p }
            })
            .collect();
        let found = fit(kind, &points, false).unwrap();
        scales.push(found.figures[0].value);
        stated += found.figures[0].standard_error.unwrap() / 400.0;
    }
    let mean = scales.iter().sum::<f64>() / 400.0;
    let spread = (scales.iter().map(|s| (s - mean).powi(2)).sum::<f64>() / 399.0).sqrt();
    assert!((mean - 3.28).abs() < 3.0 * spread / 20.0, "{mean}");
    assert!((spread / stated - 1.0).abs() < 0.12, "{spread} {stated}");
}

#[test]
fn points_that_determine_nothing_are_refused() {
    let point = |from: (f64, f64), to: (f64, f64)| CommonPoint { from, to };
    let line: Vec<CommonPoint> = (0..8)
        .map(|at| point((f64::from(at), 2.0 * f64::from(at)), (f64::from(at), 5.0)))
        .collect();
    for kind in [FitKind::Affine, FitKind::SecondOrder] {
        let error = fit(kind, &line, false).unwrap_err();
        assert!(error.is_malformed() && error.to_string().contains("in one line"), "{error}");
    }
    // Two places are enough for a similarity, in a line or not.
    assert!(fit(FitKind::Similarity, &line, false).is_ok());
    let same = vec![point((1.0, 1.0), (2.0, 2.0)); 7];
    for kind in FitKind::ALL {
        assert!(fit(kind, &same, false).unwrap_err().to_string().contains("one place"));
        let few = &line[..kind.points_needed() - 1];
        assert!(fit(kind, few, false).unwrap_err().to_string().contains("at least"));
        let mut bad = line.clone();
        bad[3].to.1 = f64::NAN;
        assert!(fit(kind, &bad, false).unwrap_err().to_string().contains("point 4"));
    }
    assert_eq!(FitKind::named("affine"), Some(FitKind::Affine));
}
