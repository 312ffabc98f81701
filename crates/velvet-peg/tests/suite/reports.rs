//! Reports by the library: histograms count every figure, places of findings are on the maps, and what
//! cannot be drawn is told.

use std::path::Path;
use velvet_peg::check::{CheckOptions, CheckedLayers};
use velvet_peg::features::BuildLines;
use velvet_peg::measure::{FigureUnits, MeasureOptions};
use velvet_peg::report::{MeasuredLayer, ReportOptions, check_page, measure_page};
use velvet_peg::{Crs, Geometry, Layer, LayerReader, NoProgress, measure};

/// Lines northward in UTM, so many metres long on the grid.
fn lines(lengths: &[f64]) -> Layer {
    let mut layer = Layer::new("ditches", Some(Crs::from_epsg(32610).unwrap()));
    for (at, length) in lengths.iter().enumerate() {
        let x = 500_000.0 + 10.0 * at as f64;
        let line = Geometry::LineString(vec![(x, 5_250_000.0), (x, 5_250_000.0 + length)]);
        layer.push(line, [("no", (at as i64).into())]).unwrap();
    }
    layer
}

fn page_of(layer: &Layer) -> String {
    let layer = LayerReader::of_layer(layer, Path::new("ditches"));
    let measures = measure(&layer, &MeasureOptions::default()).unwrap();
    let of = MeasuredLayer { layer, measures, units: FigureUnits::default(), by: None };
    measure_page(of, &ReportOptions::default(), &mut NoProgress)
}

/// A number of an element.
fn number(element: &str, name: &str) -> f64 {
    let value = element.split(&format!(" {name}=\"")).nth(1).unwrap();
    value.split('"').next().unwrap().parse().unwrap()
}

/// Heights of the bars of a histogram and the height that stands for one, and its texts.
fn bars(page: &str) -> Option<(Vec<f64>, f64, Vec<String>)> {
    let svg = page.split("<figure class=\"histogram\">").nth(1)?.split("</figure>").next()?;
    let bars = svg.lines().filter(|line| line.contains("fill=\"#0b5f73\""));
    let heights: Vec<f64> = bars.map(|line| number(line, "height")).collect();
    let texts: Vec<String> = svg
        .split("</text>")
        .filter_map(|part| Some(part.rsplit_once('>')?.1.replace('\u{2009}', "")))
        .collect();
    // The frame is 150 pixels high, and the topmost label of its counts says how many that is.
    let counts = svg.lines().filter(|line| line.contains("text-anchor=\"end\" fill=\"#5c6066\""));
    let count = |line: &str| -> f64 {
        let text = line.split('>').nth(1).unwrap().split('<').next().unwrap();
        text.parse().unwrap()
    };
    let most = counts.map(count).fold(0.0, f64::max);
    Some((heights, 150.0 / most, texts))
}

#[test]
fn histograms_count_every_figure_once() {
    let spread: Vec<f64> = (0..200).map(|at| 1000.0 + f64::from(at * at % 997)).collect();
    let skewed: Vec<f64> = (0..100).map(|at| 1.3_f64.powi(at % 30) * 3.0).collect();
    let round = [100.0, 200.0, 200.0, 300.0, 400.0, 400.0, 400.0, 500.0];
    let cases: [(&[f64], Option<bool>); 6] = [
        (&spread, Some(false)),
        (&skewed, Some(true)),
        (&round, Some(false)),
        (&[5.0, 6.0, 7.0], None),
        (&[5.0; 20], None),
        (&[1.0, 2.0, 3.0, 4.0, 50_000.0], Some(true)),
    ];
    for (lengths, wanted) in cases {
        let found = bars(&page_of(&lines(lengths)));
        let Some(grows) = wanted else {
            assert!(found.is_none(), "{lengths:?}");
            continue;
        };
        let (heights, one, texts) = found.unwrap();
        let counted: f64 = heights.iter().map(|height| (height / one).round()).sum();
        assert_eq!(counted, lengths.len() as f64, "{heights:?} {one} {texts:?}");
        assert_eq!(texts.iter().any(|text| text.contains("grow")), grows, "{texts:?}");
        assert!(texts.iter().any(|text| text.starts_with("median ")), "{texts:?}");
    }
}

#[test]
fn places_of_findings_are_on_the_map_of_their_layer() {
    let folder = tempfile::tempdir().unwrap();
    let mut layer = Layer::new("gates", Some(Crs::from_epsg(4326).unwrap()));
    for at in 0..20 {
        let place = (-120.0 + 0.001 * f64::from(at % 5), 47.4 + 0.001 * f64::from(at / 5));
        let name = if at == 12 { "G-4".to_string() } else { format!("G-{at}") };
        layer.push(place, [("name", name.into())]).unwrap();
    }
    let file = folder.path().join("gates.gpkg");
    layer.write(&file).unwrap();
    let options = CheckOptions { key: vec!["name".into()], ..CheckOptions::default() };
    let checked = CheckedLayers::of(&[file], &options, &mut NoProgress).unwrap();
    let sheet = &checked.report.sheets[0];
    let finding = sheet.findings.iter().find(|finding| finding.about == "key").unwrap();
    assert_eq!((finding.places.len(), finding.places[0].feature), (1, 13));
    assert_eq!((finding.places[0].x, finding.places[0].y), (-119.998, 47.402));
    let of = ReportOptions { title: None, date: Some("2026-11-29".into()) };
    let page = check_page(checked, &of, &mut NoProgress).unwrap();
    assert!(page.contains("2026-11-29</p>") && page.contains("<h1>gates</h1>"));
    // The ring of the mark is around the point itself.
    let centre = |element: &str| -> (f64, f64) { (number(element, "cx"), number(element, "cy")) };
    let mark = page.split("<g id=\"map0-mark1\" class=\"mark\">").nth(1).unwrap();
    let ring = centre(mark.split("/>").next().unwrap());
    let points = page.split("<g id=\"layers").nth(1).unwrap().split("</g>\n<rect").next().unwrap();
    let near = points.split("<circle").skip(1).map(|circle| {
        let at = centre(&format!(" {circle}"));
        (at.0 - ring.0).hypot(at.1 - ring.1)
    });
    let near: Vec<f64> = near.collect();
    assert_eq!(near.iter().filter(|distance| **distance < 0.2).count(), 1, "{near:?}");
}

#[test]
fn features_that_are_not_made_have_a_place() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("vertices.csv");
    let rows =
        "ditch,x,y\nA,600000,5250000\nA,600100,5250000\nB,600050,5250300\nA,600200,5250050\n";
    std::fs::write(&file, rows).unwrap();
    let lines = BuildLines::grouped_by("ditch", Crs::from_epsg(32610).unwrap());
    let made = lines.run(&file, &folder.path().join("lines.gpkg")).unwrap();
    assert_eq!((made.out, made.rejected.count), (1, 1));
    let place = &made.rejected.places[0];
    assert_eq!((made.rejected.places.len(), place.row, place.at), (1, 4, (600_050.0, 5_250_300.0)));
    assert_eq!(place.crs, Crs::from_epsg(32610).ok());
    assert!(place.reason.contains('B'), "{}", place.reason);
}
