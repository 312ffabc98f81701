//! Distributions of the kernels' timings, by Criterion: `cargo bench -p velvet-peg-bench`.
//!
//! The table of ratios is the binary of this crate.

use criterion::{Criterion, criterion_group, criterion_main};
use std::hint::black_box;
use velvet_peg::{Converter, Coordinate, Crs, Geodesic, Geographic};

fn conversions(criterion: &mut Criterion) {
    for (name, from, to, x, y) in [
        ("utm forward", 4326, 32610, -121.5, 47.4),
        ("utm inverse", 32610, 4326, 613_000.0, 5_250_000.0),
        ("lambert forward", 4269, 2286, -121.5, 46.4),
        ("lambert inverse", 2286, 4269, 1_390_000.0, 390_000.0),
    ] {
        let (source, target) = (Crs::from_epsg(from).unwrap(), Crs::from_epsg(to).unwrap());
        let converter = Converter::new(&source, &target).unwrap();
        let at = Coordinate::xy(x, y);
        assert!(converter.convert(at).is_ok());
        criterion.bench_function(name, |bench| bench.iter(|| converter.convert(black_box(at))));
    }
}

fn geodesics(criterion: &mut Criterion) {
    let wgs84 = Crs::from_epsg(4326).unwrap();
    let geodesic = Geodesic::new(wgs84.ellipsoid().unwrap());
    let from = Geographic { lat: 47.4, lon: -120.0 };
    for (name, to) in [
        ("geodesic 10 km", Geographic { lat: 47.45, lon: -119.9 }),
        ("geodesic 8000 km", Geographic { lat: 51.5, lon: 0.0 }),
        ("geodesic nearly antipodal", Geographic { lat: -47.3, lon: 60.1 }),
    ] {
        criterion.bench_function(name, |bench| {
            bench.iter(|| geodesic.inverse(black_box(from), black_box(to)))
        });
    }
}

criterion_group!(kernels, conversions, geodesics);
criterion_main!(kernels);
