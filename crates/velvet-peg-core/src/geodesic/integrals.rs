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
//!
//! Where few coefficients do, each is a polynomial in k², which is found once for an ellipsoid by
//! interpolation of what the transform gives.

use std::f64::consts::FRAC_PI_2;

/// Most points used; enough for double precision up to a flattening of about 0.3.
const MAX: usize = 32;

/// Coefficients of an integral where few will do, and terms of their polynomials in k².
const FEW: usize = 8;

/// The coefficients of an integral as polynomials in k²/e′²: row d has the factors of the power d.
type Polynomials = [[f64; FEW]; FEW];

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
    /// Flattening, and second eccentricity squared.
    f: f64,
    ep2: f64,
    /// Distance, longitude and J, where few coefficients will do.
    polynomials: Option<Box<[Polynomials; 3]>>,
}

impl Nodes {
    pub(crate) fn new(ep2: f64, f: f64) -> Nodes {
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
        let mut nodes = Nodes {
            count,
            sin2: points.iter().map(|sigma| sigma.sin().powi(2)).collect(),
            sin: points.iter().map(|sigma| sigma.sin()).collect(),
            cosines: rows(&|j, sigma| match j {
                0 => scale / 2.0,
                _ => scale * (2.0 * j as f64 * sigma).cos(),
            }),
            sines: rows(&|l, sigma| scale * ((2 * l + 1) as f64 * sigma).sin()),
            f,
            ep2,
            polynomials: None,
        };
        if count < FEW && ep2 > 0.0 {
            let of = [Nodes::distance, Nodes::longitude, Nodes::reduced];
            nodes.polynomials = Some(Box::new(of.map(|integral| nodes.interpolated(integral))));
        }
        nodes
    }

    /// The polynomials through what an integral's coefficients are at the Chebyshev points of k²:
    /// Newton's divided differences, made powers.
    fn interpolated(&self, integral: fn(&Nodes, f64) -> Integral) -> Polynomials {
        let points: [f64; FEW] = std::array::from_fn(|i| {
            0.5 - 0.5 * (std::f64::consts::PI * (i as f64 + 0.5) / FEW as f64).cos()
        });
        let values = points.map(|t| integral(self, t * self.ep2).coefficients());
        let mut polynomials = [[0.0; FEW]; FEW];
        for j in 0..FEW {
            let mut differences: [f64; FEW] = std::array::from_fn(|i| values[i][j]);
            for k in 1..FEW {
                for i in (k..FEW).rev() {
                    differences[i] =
                        (differences[i] - differences[i - 1]) / (points[i] - points[i - k]);
                }
            }
            let mut powers = [0.0; FEW];
            for i in (0..FEW).rev() {
                for k in (1..FEW).rev() {
                    powers[k] = powers[k - 1] - powers[k] * points[i];
                }
                powers[0] = differences[i] - powers[0] * points[i];
            }
            for (row, power) in polynomials.iter_mut().zip(powers) {
                row[j] = power;
            }
        }
        polynomials
    }

    /// The coefficients of an integral, where there are polynomials for them.
    fn by_polynomials(&self, which: usize, k2: f64) -> Option<[f64; FEW]> {
        let rows = &self.polynomials.as_ref()?[which];
        let t = k2 / self.ep2;
        let mut sum = rows[FEW - 1];
        for row in rows[..FEW - 1].iter().rev() {
            for (sum, factor) in sum.iter_mut().zip(row) {
                *sum = *sum * t + factor;
            }
        }
        Some(sum)
    }

    /// √(1 + k² sin²σ) − 1 at the points, without cancellation.
    pub(crate) fn roots(&self, k2: f64) -> Samples {
        let mut roots = [0.0; MAX];
        for (root, sin2) in roots.iter_mut().zip(&self.sin2) {
            let x = k2 * sin2;
            *root = x / (1.0 + (1.0 + x).sqrt());
        }
        roots
    }

    /// The integral, from the node, of an even function of period π given at the points.
    fn integral(&self, samples: &Samples) -> Integral {
        let mut coefficients = [0.0; MAX];
        let rows = self.cosines.chunks_exact(self.count);
        for ((j, coefficient), row) in coefficients.iter_mut().enumerate().zip(rows) {
            let sum: f64 = row.iter().zip(samples).map(|(c, s)| c * s).sum();
            *coefficient = if j == 0 { sum } else { sum / (2 * j) as f64 };
        }
        Integral::Many { coefficients, count: self.count }
    }

    /// Coefficients d_l of an odd function Σ d_l sin((2l+1)σ) given at the points.
    pub(crate) fn odd_coefficients(&self, samples: &Samples) -> Samples {
        let mut coefficients = [0.0; MAX];
        let rows = self.sines.chunks_exact(self.count);
        for (coefficient, row) in coefficients.iter_mut().zip(rows) {
            *coefficient = row.iter().zip(samples).map(|(s, v)| s * v).sum();
        }
        coefficients
    }

    /// An integral over an arc.
    pub(crate) fn over(&self, which: Which, k2: f64, span: &Span) -> f64 {
        if let Some(c) = self.by_polynomials(which as usize, k2) {
            let sum: f64 = c[1..].iter().zip(&span.sines).map(|(c, sine)| c * sine).sum();
            return c[0] * span.arc + sum;
        }
        let integral = match which {
            Which::Distance => self.distance(k2),
            Which::Longitude => self.longitude(k2),
            Which::Reduced => self.reduced(k2),
        };
        integral.between(span.arc, span.from, span.to)
    }

    /// I₁ − σ: the distance integral without its leading term.
    pub(crate) fn distance(&self, k2: f64) -> Integral {
        self.by_polynomials(0, k2).map_or_else(|| self.integral(&self.roots(k2)), Integral::Few)
    }

    /// I₃.
    pub(crate) fn longitude(&self, k2: f64) -> Integral {
        let exact = || {
            let share = |root: f64| (2.0 - self.f) / (1.0 + (1.0 - self.f) * (1.0 + root));
            self.integral(&self.roots(k2).map(share))
        };
        self.by_polynomials(1, k2).map_or_else(exact, Integral::Few)
    }

    /// J.
    pub(crate) fn reduced(&self, k2: f64) -> Integral {
        let exact = || {
            let mut samples = self.roots(k2);
            for (sample, sin2) in samples.iter_mut().zip(&self.sin2) {
                *sample = k2 * sin2 / (1.0 + *sample);
            }
            self.integral(&samples)
        };
        self.by_polynomials(2, k2).map_or_else(exact, Integral::Few)
    }
}

/// An arc between two points of the auxiliary sphere, for several integrals over it.
pub(crate) struct Span {
    arc: f64,
    from: (f64, f64),
    to: (f64, f64),
    /// sin 2jσ₂ − sin 2jσ₁.
    sines: [f64; FEW - 1],
}

impl Span {
    /// Given σ₁₂ and the sines and cosines of both ends.
    pub(crate) fn new(arc: f64, from: (f64, f64), to: (f64, f64)) -> Span {
        let twice = |(sin, cos): (f64, f64)| (2.0 * sin * cos, 2.0 * (cos - sin) * (cos + sin));
        let (a, b) = (twice(from), twice(to));
        let mut last = [(0.0, 0.0), (a.0, b.0)];
        let sines = std::array::from_fn(|_| {
            let [before, now] = last;
            last = [now, (a.1 * now.0 - before.0, b.1 * now.1 - before.1)];
            now.1 - now.0
        });
        Span { arc, from, to, sines }
    }
}

/// Which of the integrals.
#[derive(Clone, Copy)]
pub(crate) enum Which {
    Distance,
    Longitude,
    Reduced,
}

/// c₀ σ + Σ c_j sin 2jσ.
#[allow(clippy::large_enum_variant)]
pub(crate) enum Integral {
    Few([f64; FEW]),
    Many { coefficients: [f64; MAX], count: usize },
}

impl Integral {
    /// Value between two arcs, given σ₁₂ and the sines and cosines of both ends.
    pub(crate) fn between(&self, arc: f64, from: (f64, f64), to: (f64, f64)) -> f64 {
        match self {
            Integral::Few(c) => c[0] * arc + (periodic(&c[1..], to) - periodic(&c[1..], from)),
            Integral::Many { coefficients, count } => {
                let c = &coefficients[1..*count];
                coefficients[0] * arc + (periodic(c, to) - periodic(c, from))
            }
        }
    }

    /// The first coefficients.
    fn coefficients(&self) -> [f64; FEW] {
        match self {
            Integral::Few(coefficients) => *coefficients,
            Integral::Many { coefficients, .. } => std::array::from_fn(|at| coefficients[at]),
        }
    }
}

fn periodic(coefficients: &[f64], (sin, cos): (f64, f64)) -> f64 {
    let (sin2, cos2) = (2.0 * sin * cos, (cos - sin) * (cos + sin));
    let twice = 2.0 * cos2;
    let (mut next, mut after) = (0.0, 0.0);
    for coefficient in coefficients.iter().rev() {
        (next, after) = (coefficient + twice * next - after, next);
    }
    sin2 * next
}

/// Values at the sampling points.
pub(crate) type Samples = [f64; MAX];
