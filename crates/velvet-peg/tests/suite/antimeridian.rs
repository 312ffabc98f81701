//! Features that cross the antimeridian are cut in formats whose standard asks for it, and said.

use std::path::Path;
use velvet_peg::features::BuildFeatures;
use velvet_peg::layer::GeometryKind;
use velvet_peg::{ConvertLayer, Crs, Geometry, Layer, LayerReader, Summary};

fn texts(layer: &Layer) -> Vec<String> {
    let batches = layer.batches();
    batches
        .flat_map(|b| (0..b.len()).map(|at| b.geometry().text_of(at)).collect::<Vec<_>>())
        .collect()
}

fn write(layer: &Layer, path: &Path, strict: bool) -> Summary {
    let mut convert = ConvertLayer::default();
    (convert.write.overwrite, convert.write.strict) = (true, strict);
    convert.run(&LayerReader::of_layer(layer, Path::new("code")), path).unwrap()
}

fn said(summary: &Summary) -> String {
    let shapes = summary.notices.iter().filter(|n| n.kind == velvet_peg::NoticeKind::Shape);
    shapes.map(|notice| notice.text.clone()).collect::<Vec<_>>().join("\n")
}

#[test]
fn features_are_cut_where_the_standard_asks_for_it() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name);
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/antimeridian.csv");
    for case in csv::Reader::from_path(data).unwrap().records() {
        let case = case.unwrap();
        std::fs::write(file("t.csv"), format!("id,shape\n7,\"{}\"\n", &case[1])).unwrap();
        let mut build = BuildFeatures::default();
        build.build.write.overwrite = true;
        build.run(&file("t.csv"), &file("t.fgb")).unwrap();
        let mut layer = Layer::read(file("t.fgb")).unwrap();
        assert_eq!(texts(&layer).len(), 1);
        layer.declare(Crs::from_epsg(4326).unwrap());
        for name in ["t.geojson", "t.kml", "t.geojsonl"] {
            let summary = write(&layer, &file(name), true);
            assert!(summary.verified, "{case:?}");
            assert_eq!(texts(&Layer::read(file(name)).unwrap()), [&case[2]], "{name} {case:?}");
            match &case[3] {
                "" => assert_eq!(said(&summary), "", "{case:?}"),
                wanted => assert!(said(&summary).contains(wanted), "{case:?}: {summary:?}"),
            }
        }
        // Other formats keep them as they are.
        let summary = write(&layer, &file("t.gpkg"), false);
        assert_eq!(texts(&Layer::read(file("t.gpkg")).unwrap()), texts(&layer), "{case:?}");
        assert_eq!(said(&summary), "");
    }
}

/// Rings of many corners, with holes on and beside the cut: nothing is gained or lost, and no part
/// lies outside the bounds.
#[test]
fn areas_stay_what_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.geojson");
    let star = |x: f64, y: f64, large: f64, small: f64, corners: usize| -> Vec<(f64, f64)> {
        let at = |n: usize| {
            let radius = if n.is_multiple_of(2) { large } else { small };
            let (sin, cos) = (n as f64 * std::f64::consts::PI / corners as f64).sin_cos();
            (x + radius * cos, y + radius * sin)
        };
        (0..2 * corners).chain([0]).map(at).collect()
    };
    let area = |ring: &[(f64, f64)]| -> f64 {
        ring.windows(2).map(|p| p[0].0 * p[1].1 - p[1].0 * p[0].1).sum::<f64>() / 2.0
    };
    for (x, hole_x) in
        [(180.0, 180.0), (178.5, 176.0), (-179.0, -181.5), (181.3, 179.9), (-183.7, -185.0)]
    {
        for corners in [3, 5, 8, 13] {
            let rings = [star(x, 10.0, 12.0, 5.0, corners), star(hole_x, 10.0, 1.5, 0.7, 4)];
            let wanted = area(&rings[0]).abs() - area(&rings[1]).abs();
            let mut layer = Layer::new("stars", Some(Crs::from_epsg(4326).unwrap()));
            layer.push(Geometry::Polygon(rings.to_vec()), [("n", 1.into())]).unwrap();
            write(&layer, &path, false);
            let read = Layer::read(&path).unwrap();
            let batch = read.batches().next().unwrap();
            let column = batch.geometry();
            assert_eq!(column.kinds(), [Some(GeometryKind::MultiPolygon)]);
            let mut found = 0.0;
            for part in column.parts(0) {
                for ring in column.rings(part) {
                    let ring: Vec<(f64, f64)> =
                        column.ring(ring).map(|at| (column.x[at], column.y[at])).collect();
                    assert!(ring.iter().all(|(x, _)| x.abs() <= 180.0));
                    assert_eq!(ring.first(), ring.last());
                    // Outer rings are counter-clockwise, holes clockwise (RFC 7946 section 3.1.6).
                    found += area(&ring);
                }
            }
            assert!((found - wanted).abs() < 1e-6, "{x} {hole_x} {corners}: {found} {wanted}");
        }
    }
}

/// A layer of a grid across the antimeridian comes out in degrees on both sides.
#[test]
fn what_was_converted_is_cut_too() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pacific.kml");
    let mut layer = Layer::new("sea", Some(Crs::from_epsg(3832).unwrap()));
    let middle = 3_339_584.7;
    let line = vec![(middle - 100_000.0, 0.0), (middle + 100_000.0, 0.0)];
    layer.push(Geometry::LineString(line), [("n", 1.into())]).unwrap();
    let summary = write(&layer, &path, false);
    assert!(said(&summary).contains("1 feature crosses the antimeridian"), "{summary:?}");
    let read = Layer::read(&path).unwrap();
    let vertices = read.features().next().unwrap().vertices();
    assert_eq!(vertices.len(), 4);
    assert!((vertices[0].0 - 179.1).abs() < 0.01 && vertices[1].0 == 180.0);
    assert!(vertices[2].0 == -180.0 && (vertices[3].0 + 179.1).abs() < 0.01);
}

#[test]
fn gpx_has_no_longitude_of_180() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("edge.gpx");
    let mut layer = Layer::new("edge", Some(Crs::from_epsg(4326).unwrap()));
    for x in [180.0, -180.0, 179.5] {
        layer.push(Geometry::Point((x, 1.0)), [("n", 1.into())]).unwrap();
    }
    let summary = write(&layer, &path, false);
    assert!(
        summary.verified && said(&summary).contains("places of longitude 180°: 1"),
        "{summary:?}"
    );
    let text = std::fs::read_to_string(&path).unwrap();
    assert!(!text.contains("lon=\"180"), "{text}");
    let read = Layer::read(&path).unwrap();
    let places: Vec<f64> = read.features().map(|f| f.vertices()[0].0).collect();
    assert_eq!(places, [-180.0, -180.0, 179.5]);
}
