//! Integrals along a geodesic as Fourier series.
//!
//! On the auxiliary sphere, with arc σ from the node and k² = e′² cos²α₀, the line needs
//!
//! ```text
//! distance/b  I₁ = ∫ √(1 + k² sin²σ) dσ                        Karney (2013) eq. 7
//! longitude   I₃ = ∫ (2 − f)/(1 + (1 − f) √(1 + k² sin²σ)) dσ  eq. 8
//! J              = ∫ k² sin²σ / √(1 + k² sin²σ) dσ             eq. 40
//! ```
//!
//! Each integrand is even with period π, hence a cosine series in 2σ. Its values at M
//! midpoints of a quarter turn give the first M coefficients by a discrete cosine transform,
//! exact up to coefficients that fall off as εᴹ, ε ≈ k²/4: six points reach double precision
//! on the Earth's ellipsoids, fourteen for a flattening of 1/10.

use std::f64::consts::FRAC_PI_2;

/// Most points used; enough for double precision up to a flattening of about 0.3.
const MAX: usize = 32;

/// Sampling points, and the cosines that turn samples into coefficients.
#[derive(Clone, Debug)]
pub(crate) struct Nodes {
    pub(crate) count: usize,
    /// sin²σ at the points.
    pub(crate) sin2: Vec<f64>,
    /// sin σ at the points.
    pub(crate) sin: Vec<f64>,
    /// Row j: 2/M cos(2jσᵢ), the first row halved.
    cosines: Vec<f64>,
    /// Row l: 2/M sin((2l+1)σᵢ).
    sines: Vec<f64>,
}

impl Nodes {
    pub(crate) fn new(ep2: f64) -> Nodes {
        let root = (1.0 + ep2).sqrt();
        let epsilon = (root - 1.0) / (root + 1.0);
        let mut count = 2;
        while count < MAX && epsilon.powi(count as i32) > 2e-17 {
            count += 1;
        }
        let points: Vec<f64> =
            (0..count).map(|i| FRAC_PI_2 * (i as f64 + 0.5) / count as f64).collect();
        let scale = 2.0 / count as f64;
        let rows = |entry: &dyn Fn(usize, f64) -> f64| -> Vec<f64> {
            (0..count)
                .flat_map(|j| points.iter().map(move |sigma| (j, *sigma)))
                .map(|(j, sigma)| entry(j, sigma))
                .collect()
        };
        Nodes {
            count,
            sin2: points.iter().map(|sigma| sigma.sin().powi(2)).collect(),
            sin: points.iter().map(|sigma| sigma.sin()).collect(),
            cosines: rows(&|j, sigma| match j {
                0 => scale / 2.0,
                _ => scale * (2.0 * j as f64 * sigma).cos(),
            }),
            sines: rows(&|l, sigma| scale * ((2 * l + 1) as f64 * sigma).sin()),
        }
    }

    /// √(1 + k² sin²σ) − 1 at the points, without cancellation.
    pub(crate) fn roots(&self, k2: f64) -> [f64; MAX] {
        let mut roots = [0.0; MAX];
        for (root, sin2) in roots.iter_mut().zip(&self.sin2) {
            let x = k2 * sin2;
            *root = x / (1.0 + (1.0 + x).sqrt());
        }
        roots
    }

    /// The integral, from the node, of an even function of period π given at the points.
    pub(crate) fn integral(&self, samples: &[f64; MAX]) -> Integral {
        let mut coefficients = [0.0; MAX];
        let rows = self.cosines.chunks_exact(self.count);
        for ((j, coefficient), row) in coefficients.iter_mut().enumerate().zip(rows) {
            let sum: f64 = row.iter().zip(samples).map(|(c, s)| c * s).sum();
            *coefficient = if j == 0 { sum } else { sum / (2 * j) as f64 };
        }
        Integral { coefficients, count: self.count }
    }

    /// Coefficients d_l of an odd function Σ d_l sin((2l+1)σ) given at the points.
    pub(crate) fn odd_coefficients(&self, samples: &[f64; MAX]) -> [f64; MAX] {
        let mut coefficients = [0.0; MAX];
        let rows = self.sines.chunks_exact(self.count);
        for (coefficient, row) in coefficients.iter_mut().zip(rows) {
            *coefficient = row.iter().zip(samples).map(|(s, v)| s * v).sum();
        }
        coefficients
    }

    /// I₁ − σ: the distance integral without its leading term.
    pub(crate) fn distance(&self, roots: &[f64; MAX]) -> Integral {
        self.integral(roots)
    }

    /// I₃.
    pub(crate) fn longitude(&self, roots: &[f64; MAX], f: f64) -> Integral {
        let mut samples = [0.0; MAX];
        for (sample, root) in samples.iter_mut().zip(roots) {
            *sample = (2.0 - f) / (1.0 + (1.0 - f) * (1.0 + root));
        }
        self.integral(&samples)
    }

    /// J.
    pub(crate) fn reduced(&self, roots: &[f64; MAX], k2: f64) -> Integral {
        let mut samples = [0.0; MAX];
        for ((sample, root), sin2) in samples.iter_mut().zip(roots).zip(&self.sin2) {
            *sample = k2 * sin2 / (1.0 + root);
        }
        self.integral(&samples)
    }
}

/// c₀ σ + Σ c_j sin 2jσ.
pub(crate) struct Integral {
    coefficients: [f64; MAX],
    count: usize,
}

impl Integral {
    /// Value between two arcs, given σ₁₂ and the sines and cosines of both ends.
    pub(crate) fn between(&self, arc: f64, from: (f64, f64), to: (f64, f64)) -> f64 {
        self.coefficients[0] * arc + (self.periodic(to) - self.periodic(from))
    }

    fn periodic(&self, (sin, cos): (f64, f64)) -> f64 {
        let (sin2, cos2) = (2.0 * sin * cos, (cos - sin) * (cos + sin));
        let (mut next, mut after) = (0.0, 0.0);
        for coefficient in self.coefficients[1..self.count].iter().rev() {
            (next, after) = (coefficient + 2.0 * cos2 * next - after, next);
        }
        sin2 * next
    }
}

/// Values at the sampling points.
pub(crate) type Samples = [f64; MAX];
