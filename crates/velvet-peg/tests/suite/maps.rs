//! Maps: where data lies, what its values and moves are, and what systems do to it.

use crate::pixels::Picture;
use std::collections::BTreeSet;
use velvet_peg::draw::{
    Classes, Coloring, DrawOptions, GridLines, LayerStyle, MapLayers, Theme, ZoneLines, characters,
    draw_layers, svg,
};
use velvet_peg::{Crs, Geometry, Layer, LayerReader, NoProgress, Value};

fn crs(code: u32) -> Crs {
    Crs::from_epsg(code).unwrap()
}

/// Points of a system, with the attributes `name` and `depth`.
fn points(code: u32, places: &[(f64, f64)]) -> Layer {
    let mut layer = Layer::new("stations", Some(crs(code)));
    for (at, place) in places.iter().enumerate() {
        let depth = Value::from(at as f64);
        layer.push(*place, [("name", format!("S-{at}").into()), ("depth", depth)]).unwrap();
    }
    layer
}

fn plain() -> DrawOptions {
    DrawOptions::default()
}

fn drawn(layer: &Layer, options: &DrawOptions) -> String {
    svg(std::slice::from_ref(layer), options).unwrap().0
}

/// All texts of a picture in their order.
fn texts(svg: &str) -> Vec<&str> {
    svg.split("<text ").skip(1).filter_map(|t| t.split('>').nth(1)?.split('<').next()).collect()
}

/// Numbers of all attributes of this name in a part of a picture.
fn numbers(svg: &str, name: &str) -> Vec<f64> {
    let name = format!(" {name}=\"");
    let parts = svg.split(name.as_str()).skip(1);
    parts.filter_map(|rest| rest.split('"').next()?.parse().ok()).collect()
}

/// The part of a picture that layers are drawn in.
fn layers_of(svg: &str, frame: usize) -> &str {
    let rest = svg.split(&format!("<g id=\"layers{frame}\"")).nth(1).unwrap();
    rest.split("<rect id=\"border").next().unwrap()
}

#[test]
fn it_stands_above_a_map_where_its_data_lies() {
    let cases = include_str!("../data/whereabouts.txt");
    let mut count = 0;
    for line in cases.lines().filter(|line| !line.starts_with('#')) {
        let (places, wanted) = line.split_once(" | ").unwrap();
        let places: Vec<(f64, f64)> = places
            .split("; ")
            .map(|place| {
                let (lon, lat) = place.split_once(' ').unwrap();
                (lon.parse().unwrap(), lat.parse().unwrap())
            })
            .collect();
        let text = drawn(&points(4326, &places), &plain());
        assert!(texts(&text).contains(&wanted), "{line}: {:?}", &texts(&text));
        let without = DrawOptions { backdrop: false, ..plain() };
        let text = drawn(&points(4326, &places), &without);
        assert!(!texts(&text).contains(&wanted), "{line}");
        count += 1;
    }
    assert!(count > 10);
}

#[test]
fn land_is_land_and_water_is_water() {
    // Degrees, a conic, a polar and a world system; land and water as everybody knows them.
    let corners = [(-169.0, 53.0), (-131.0, 71.0)];
    let land = [(-155.0, 63.0), (-147.7, 64.8), (-140.0, 66.0)];
    let water = [(-150.0, 56.0), (-168.0, 58.0), (-155.0, 72.0)];
    for code in [4326, 3338, 3413, 8857] {
        let layer = points(4326, &corners);
        let options = DrawOptions { crs: Some(crs(code)), grid: GridLines::None, ..plain() };
        let probes: Vec<(f64, f64)> = land.iter().chain(&water).copied().collect();
        let picture = Picture::of(&[layer, points(4326, &probes)], &options);
        // The second layer's points are found by their own colour; beside them is the ground.
        let marks = picture.circles(&[0, 80, 140]);
        assert_eq!(marks.len(), probes.len(), "{code}: {marks:?}");
        let [mut on_land, mut on_water] = [0, 0];
        for (x, y) in marks {
            match picture.at(x + 9.0, y) {
                [250, 248, 243] => on_land += 1,
                [224, 232, 238] => on_water += 1,
                other => panic!("{code}: {other:?} at {x}, {y}"),
            }
        }
        assert_eq!((on_land, on_water), (land.len(), water.len()), "{code}");
    }
}

#[test]
fn both_sides_of_180_degrees_are_one_place() {
    let text = drawn(&points(4326, &[(179.5, -17.0), (-179.5, -17.0), (178.5, -18.0)]), &plain());
    let x = numbers(layers_of(&text, 0), "cx");
    assert!(x[1] > x[0] && x[0] > x[2], "{x:?}");
    // Two steps of one degree.
    assert!((x[1] - x[0] - (x[0] - x[2])).abs() < 0.3, "{x:?}");
    assert!(texts(&text).iter().any(|text| text.contains("180°")), "{:?}", texts(&text));
    // The land is there too where the middle lies beyond 180°: Fiji and Samoa around the points.
    let pacific = points(4326, &[(177.0, -18.5), (-160.0, -8.0), (-170.0, -22.0)]);
    let picture = Picture::of(&[pacific], &DrawOptions { grid: GridLines::None, ..plain() });
    let [mut land, mut water] = [0, 0];
    for x in (80..1040).step_by(2) {
        for y in (80..720).step_by(2) {
            land += u32::from(picture.at(x.into(), y.into()) == [250, 248, 243]);
            water += u32::from(picture.at(x.into(), y.into()) == [224, 232, 238]);
        }
    }
    assert!(land > 100 && water > 50 * land, "{land} of land, {water} of water");
    // Around the Earth, and from pole to pole: the frame is as high as half as wide.
    let mut around: Vec<(f64, f64)> =
        (0..8).map(|at| (-179.0 + 51.0 * f64::from(at), 5.0)).collect();
    around.extend([(0.0, -85.0), (10.0, 85.0)]);
    let text = drawn(&points(4326, &around), &plain());
    let frame = text.split("<clipPath id=\"frame0\"").nth(1).unwrap();
    let (wide, high) = (numbers(frame, "width")[0], numbers(frame, "height")[0]);
    assert!((wide / high - 2.0).abs() < 0.01, "{wide} by {high}");
}

#[test]
fn maps_of_axes_that_run_south_and_west_have_north_up() {
    // The South African grids count southings and westings.
    let gauteng = [(28.0, -26.0), (28.2, -25.8)];
    let text = drawn(&points(4148, &gauteng), &DrawOptions { crs: Some(crs(2053)), ..plain() });
    let marks = layers_of(&text, 0);
    let (x, y) = (numbers(marks, "cx"), numbers(marks, "cy"));
    assert!(x[1] > x[0] && y[1] < y[0], "{x:?} {y:?}");
    let texts = texts(&text);
    assert!(texts.contains(&"westing, m") && texts.contains(&"southing, m"), "{texts:?}");
}

#[test]
fn graticules_bend_and_are_labelled_where_they_cut_the_frame() {
    let layer = points(4326, &[(-169.0, 53.0), (-131.0, 71.0)]);
    let options = DrawOptions { crs: Some(crs(3338)), ..plain() };
    let text = drawn(&layer, &options);
    let texts = texts(&text);
    for wanted in ["60°N", "55°N", "150°W", "160°W", "140°W"] {
        assert!(texts.contains(&wanted), "{wanted}: {texts:?}");
    }
    assert!(!texts.iter().any(|text| text.contains("easting")), "wide maps have no grid");
    // The central meridian is upright, others lean towards it.
    let lean = |name: &str| -> f64 {
        let at = text.find(&format!(">{name}</text>")).unwrap();
        let label = &text[text[..at].rfind("<text").unwrap()..at];
        numbers(label, "x")[0]
    };
    assert!(lean("160°W") < lean("150°W") && lean("150°W") < lean("140°W"));
    let both = drawn(&layer, &DrawOptions { grid: GridLines::Both, ..options.clone() });
    assert!(both.contains("stroke-dasharray=\"5 3\"") && both.contains(">easting, m</text>"));
    let none = drawn(&layer, &DrawOptions { grid: GridLines::None, ..options });
    assert!(!none.contains("55°N") && !none.contains("easting"));
}

#[test]
fn values_become_classes_that_the_legend_tells() {
    let mut layer = Layer::new("wells", Some(crs(32610)));
    for at in 0..40 {
        let depth = if at == 39 { Value::Null } else { Value::from(f64::from(at) / 2.0) };
        let kind = ["bored", "dug", "driven"][at as usize % 3];
        let few = Value::from(i64::from(at % 4));
        let place = (700_000.0 + 90.0 * f64::from(at), 5_250_000.0 + f64::from(at % 7) * 50.0);
        layer.push(place, [("depth", depth), ("kind", kind.into()), ("few", few)]).unwrap();
    }
    let cases: [(&str, Classes, &[&str]); 7] = [
        ("kind", Classes::Auto, &["by kind", "bored (14)", "driven (13)", "dug (13)"]),
        ("few", Classes::Auto, &["by few", "0 (10)", "3 (10)"]),
        ("few", Classes::Quantiles(2), &["below 2 (20)", "2 and more (20)"]),
        (
            "depth",
            Classes::Auto,
            &["below 3.5 (7)", "3.5 to below 7.5 (8)", "15.5 and more (8)", "no value (1)"],
        ),
        ("depth", Classes::Equal(2), &["below 9.5 (19)", "9.5 and more (20)"]),
        (
            "depth",
            Classes::Limits(vec![5.0, 12.5]),
            &["below 5.0 (10)", "5.0 to below 12.5 (15)", "12.5 and more (14)"],
        ),
        ("depth", Classes::Values, &["32 other values (32)", "no value (1)"]),
    ];
    for (column, classes, wanted) in cases {
        let color = Some(Coloring { column: column.into(), classes: classes.clone() });
        let text = drawn(&layer, &DrawOptions { color, ..plain() });
        let texts = texts(&text);
        for line in wanted {
            assert!(texts.iter().any(|text| text.contains(line)), "{line}: {texts:?}");
        }
        // Every feature is in the class that the legend counts it in.
        let counted: u64 = texts
            .iter()
            .filter_map(|text| text.rsplit_once(" (")?.1.strip_suffix(')')?.parse::<u64>().ok())
            .sum();
        assert_eq!(counted, 40, "{column} {classes:?}: {texts:?}");
    }
    let refused = [
        ("kind", Classes::Quantiles(3), "holds texts"),
        ("depth", Classes::Limits(vec![5.0, 2.0]), "rising order"),
        ("depth", Classes::Equal(50), "2 to 12"),
        ("width", Classes::Auto, "there is depth, few, kind"),
    ];
    for (column, classes, says) in refused {
        let color = Some(Coloring { column: column.into(), classes });
        let error = svg(&[layer.clone()], &DrawOptions { color, ..plain() }).unwrap_err();
        assert!(error.to_string().contains(says), "{error}");
    }
}

/// To OKLab as seen by eyes of all cones, and by those that lack the long or the middle ones
/// (Viénot, Brettel and Mollon, 1999).
fn seen(color: &str) -> [[f64; 3]; 3] {
    let part = |at: usize| {
        let value = f64::from(u8::from_str_radix(&color[at..at + 2], 16).unwrap()) / 255.0;
        if value <= 0.04045 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
    };
    let all = [part(0), part(2), part(4)];
    let through = |rows: [[f64; 3]; 3]| -> [f64; 3] {
        std::array::from_fn(|row| {
            (0..3).map(|at| rows[row][at] * all[at]).sum::<f64>().clamp(0.0, 1.0)
        })
    };
    let long =
        through([[0.11238, 0.88762, 0.0], [0.11238, 0.88762, 0.0], [0.00401, -0.00401, 1.0]]);
    let middle =
        through([[0.29275, 0.70725, 0.0], [0.29275, 0.70725, 0.0], [-0.02234, 0.02234, 1.0]]);
    [all, long, middle].map(|[r, g, b]| {
        let l = (0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b).cbrt();
        let m = (0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b).cbrt();
        let s = (0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b).cbrt();
        [
            0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
            1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
            0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s,
        ]
    })
}

#[test]
fn colours_differ_to_all_eyes() {
    let mut layer = Layer::new("crops", Some(crs(32610)));
    for at in 0..96 {
        let place = (700_000.0 + 100.0 * f64::from(at), 5_250_000.0 + 300.0 * f64::from(at % 5));
        let kind = format!("kind {}", at % 8);
        layer.push(place, [("kind", kind.into()), ("size", f64::from(at).into())]).unwrap();
    }
    for (column, classes, count, least) in [
        ("kind", Classes::Values, 8, 0.11),
        ("size", Classes::Equal(5), 5, 0.11),
        ("size", Classes::Equal(8), 8, 0.06),
    ] {
        for theme in [Theme::Light, Theme::Dark] {
            let color = Some(Coloring { column: column.into(), classes: classes.clone() });
            let text = drawn(&layer, &DrawOptions { color, theme, ..plain() });
            let fills: BTreeSet<&str> =
                layers_of(&text, 0).split("<g fill=\"#").skip(1).map(|group| &group[..6]).collect();
            assert_eq!(fills.len(), count, "{column}: {fills:?}");
            let fills: Vec<&str> = fills.into_iter().collect();
            for (at, one) in fills.iter().enumerate() {
                for other in &fills[..at] {
                    for (a, b) in seen(one).iter().zip(seen(other)) {
                        let apart = (0..3).map(|n| (a[n] - b[n]).powi(2)).sum::<f64>().sqrt();
                        assert!(apart > least, "{column}: #{one} and #{other} are {apart} apart");
                    }
                }
            }
        }
    }
}

#[test]
fn sizes_tell_numbers_by_area() {
    let layer = points(
        32610,
        &[(700_000.0, 5e6), (700_500.0, 5e6), (701_000.0, 5e6), (7e5, 5.001e6), (7.01e5, 5.001e6)],
    );
    let text = drawn(&layer, &DrawOptions { size: Some("depth".into()), ..plain() });
    let radii = numbers(layers_of(&text, 0), "r");
    // The largest first, so that the smaller ones lie on it.
    assert!(radii.windows(2).all(|pair| pair[0] > pair[1]), "{radii:?}");
    let area = |radius: f64| (radius - 1.5).powi(2);
    for (at, share) in [(1, 0.75), (2, 0.5), (3, 0.25)] {
        assert!((area(radii[at]) / area(radii[0]) - share).abs() < 0.02, "{radii:?}");
    }
    assert!(texts(&text).iter().any(|text| text.starts_with("size by depth")));
    let error = svg(&[layer], &DrawOptions { size: Some("name".into()), ..plain() }).unwrap_err();
    assert!(error.to_string().contains("no numbers"), "{error}");
}

#[test]
fn too_many_points_are_shaded_by_how_many_there_are() {
    let mut layer = Layer::new("fixes", Some(crs(32610)));
    // A lattice of places 5 m apart, one of which holds 5000 more.
    for at in 0..40_000 {
        let place =
            (700_000.0 + f64::from(at % 200) * 5.0, 5_250_000.0 + f64::from(at / 200) * 5.0);
        layer.push(place, [("no", i64::from(at).into())]).unwrap();
    }
    for at in 0..5_000 {
        layer.push((700_500.0, 5_250_500.0), [("no", i64::from(at).into())]).unwrap();
    }
    let text = drawn(&layer, &plain());
    assert!(!layers_of(&text, 0).contains("<circle"));
    let texts = texts(&text);
    assert!(
        texts.contains(&"45\u{2009}000 points") && texts.contains(&"1\u{2009}000+"),
        "{texts:?}"
    );
    assert!(texts.iter().any(|text| text.starts_with("too many to be told apart")), "{texts:?}");
    assert!(text.len() < 400_000, "{} bytes", text.len());
    // The fullest square is at the middle of the lattice, in the deepest shade.
    let shades: Vec<&str> =
        layers_of(&text, 0).split("crispEdges").nth(1).unwrap().split("<path").skip(1).collect();
    let deepest = shades.last().unwrap();
    assert_eq!(deepest.matches('M').count(), 1, "{deepest}");
    let at: Vec<f64> = deepest
        .split("d=\"M")
        .nth(1)
        .unwrap()
        .split(['h', ' '])
        .take(2)
        .map(|n| n.parse().unwrap())
        .collect();
    assert!((at[0] - 562.0).abs() < 6.0 && (at[1] - 400.0).abs() < 6.0, "{at:?}");
    // Points of one place are one mark, and are counted.
    let mut few = Layer::new("fixes", Some(crs(32610)));
    for at in 0..300 {
        few.push((7e5 + f64::from(at % 3) * 100.0, 5e6), [("no", 1.into())]).unwrap();
    }
    let text = drawn(&few, &plain());
    assert_eq!(layers_of(&text, 0).matches("<circle").count(), 3);
    assert!(text.contains(">300 points<"));
}

#[test]
fn lines_are_no_finer_than_pixels() {
    let mut layer = Layer::new("river", Some(crs(32610)));
    let line: Vec<(f64, f64)> = (0..200_000)
        .map(|at| {
            let along = f64::from(at) / 200_000.0;
            (7e5 + 1e4 * along, 5e6 + 800.0 * (along * 12.0).sin())
        })
        .collect();
    layer.push(Geometry::LineString(line), [("name", "long".into())]).unwrap();
    let text = drawn(&layer, &plain());
    let path = layers_of(&text, 0).split("<path d=\"").nth(1).unwrap();
    let path = path.split('"').next().unwrap();
    let corners = path.matches('L').count();
    assert!((60..600).contains(&corners), "{corners} vertices");
    // The crests are where they were: 800 m above the middle.
    let y: Vec<f64> =
        path.split(['M', 'L']).filter_map(|at| at.split(' ').nth(1)?.parse().ok()).collect();
    let x: Vec<f64> =
        path.split(['M', 'L']).filter_map(|at| at.split(' ').next()?.parse().ok()).collect();
    let (high, low) =
        (y.iter().copied().fold(0.0, f64::max), y.iter().copied().fold(1e9, f64::min));
    let wide = x[x.len() - 1] - x[0];
    assert!(((high - low) / wide - 0.16).abs() < 0.001, "{high} {low} {wide}");
}

#[test]
fn labels_do_not_overlap_and_those_left_out_are_counted() {
    let places: Vec<(f64, f64)> = (0..600)
        .map(|at| (7e5 + f64::from(at % 30) * 40.0, 5e6 + f64::from(at / 30) * 25.0))
        .collect();
    let options = DrawOptions { label: Some("name".into()), ..plain() };
    let (text, notices) = svg(&[points(32610, &places)], &options).unwrap();
    let mut boxes = Vec::new();
    for label in text.split("<text ").filter(|label| label.contains(">S-")) {
        let (x, y) = (numbers(&format!(" {label}"), "x")[0], numbers(&format!(" {label}"), "y")[0]);
        let count = label.split('>').nth(1).unwrap().split('<').next().unwrap().len() as f64;
        boxes.push((x, y, x + count * 5.5, y - 8.0));
    }
    let told = notices.iter().find(|notice| notice.text.contains("labels")).unwrap();
    let wanted = format!("{} of 600 labels of `name` are left out", 600 - boxes.len());
    assert!(told.text.contains(&wanted), "{}", told.text);
    assert!(boxes.len() > 20);
    for (at, a) in boxes.iter().enumerate() {
        for b in &boxes[..at] {
            let apart = a.0 >= b.2 || b.0 >= a.2 || a.1 <= b.3 || b.1 <= a.3;
            assert!(apart, "{a:?} {b:?}");
        }
    }
    let (_, notices) = svg(&[points(32610, &places[..3])], &options).unwrap();
    assert!(notices.is_empty(), "{notices:?}");
}

#[test]
fn positions_that_stand_apart_are_numbered_and_told() {
    let mut places: Vec<(f64, f64)> = (0..30)
        .map(|at| (-120.0 + f64::from(at % 6) * 0.01, 47.4 + f64::from(at / 6) * 0.01))
        .collect();
    let sound = drawn(&points(4326, &places), &plain());
    assert!(!texts(&sound).contains(&"To look at"));
    places[7].0 = 120.0;
    places[20].1 = 74.4;
    let text = drawn(&points(4326, &places), &plain());
    let told = text.split(">To look at<").nth(1).unwrap();
    assert!(told.contains("feature 8: a sign turned?"), "{:?}", texts(told));
    assert!(told.contains("stations, feature 21:"), "{:?}", texts(told));
    assert_eq!(text.matches("r=\"9\" fill=\"none\"").count(), 2);
}

fn moved(code: u32, places: &[(f64, f64)], by: (f64, f64)) -> MapLayers {
    let to: Vec<(f64, f64)> = places.iter().map(|at| (at.0 + by.0, at.1 + by.1)).collect();
    let reader = |layer: &Layer| LayerReader::of_layer(layer, std::path::Path::new("stations"));
    MapLayers {
        layers: vec![reader(&points(code, &to))],
        before: Some(reader(&points(code, places))),
        ..MapLayers::default()
    }
}

fn to_file(layers: &MapLayers, options: &DrawOptions) -> velvet_peg::Result<(String, Vec<String>)> {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("map.svg");
    let notices = draw_layers(layers, &out, options, &mut NoProgress)?;
    let notices = notices.into_iter().map(|notice| notice.text).collect();
    Ok((std::fs::read_to_string(out).unwrap(), notices))
}

#[test]
fn what_moved_is_drawn_and_measured_on_the_ground() {
    let places = [(500_000.0, 5e6), (500_900.0, 5e6), (500_400.0, 5_000_700.0)];
    // On the central meridian of UTM a metre of the grid is 1/0.9996 on the ground.
    for (by, mean, times) in [
        ((3.0, 4.0), "5.00 m", Some("arrows drawn 10 times as long")),
        ((300.0, 400.0), "500 m", None),
        ((30_000.0, 40_000.0), "50.0 km", None),
    ] {
        let (text, notices) = to_file(&moved(32610, &places, by), &plain()).unwrap();
        let texts = texts(&text);
        assert!(texts.contains(&"before: stations"), "{texts:?}");
        assert!(texts.contains(&&*format!("mean {mean}")), "{mean}: {texts:?}");
        let told = texts.iter().find(|text| text.starts_with("arrows drawn"));
        assert_eq!(told.copied(), times, "{texts:?}");
        assert!(
            notices[0].contains(&format!("3 features moved by {mean} on average")),
            "{notices:?}"
        );
        // Arrows point to the north-east by 3 to 4.
        let shaft = text.split("<g id=\"moves\"").nth(1).unwrap().split("d=\"M").nth(1).unwrap();
        let ends: Vec<f64> =
            shaft.split(['M', 'L', ' ', '"']).take(4).map(|n| n.parse().unwrap()).collect();
        let lean = (ends[2] - ends[0]) / (ends[1] - ends[3]);
        assert!((lean - 0.75).abs() < 0.02, "{ends:?}");
    }
    let (text, _) = to_file(&moved(32610, &places, (0.0, 0.0)), &plain()).unwrap();
    assert!(texts(&text).contains(&"no feature moved") && !text.contains("<g id=\"moves\""));
    // Layers of other kinds are not one layer.
    let mut lines = Layer::new("ditches", Some(crs(32610)));
    for place in places {
        let line = Geometry::LineString(vec![place, (place.0 + 5.0, place.1)]);
        lines.push(line, [("name", "D".into())]).unwrap();
    }
    let mut layers = moved(32610, &places, (3.0, 4.0));
    layers.before = Some(LayerReader::of_layer(&lines, std::path::Path::new("before")));
    let error = to_file(&layers, &plain()).unwrap_err();
    assert!(error.to_string().contains("not one layer before and after"), "{error}");
    // Which is which is told by their order, or by a column.
    let mut layers = moved(32610, &places, (3.0, 4.0));
    let mut other = Layer::new("stations", Some(crs(32610)));
    for (name, place) in [("S-2", places[2]), ("S-0", places[0])] {
        other.push(place, [("name", name.into())]).unwrap();
    }
    layers.before = Some(LayerReader::of_layer(&other, std::path::Path::new("before")));
    let error = to_file(&layers, &plain()).unwrap_err();
    assert!(error.to_string().contains("name a column"), "{error}");
    let options = DrawOptions { key: Some("name".into()), ..plain() };
    let (text, notices) = to_file(&layers, &options).unwrap();
    assert!(texts(&text).contains(&"largest 5.00 m"), "{:?}", texts(&text));
    assert!(notices.iter().any(|text| text.contains("1 features are only in one")), "{notices:?}");
}

#[test]
fn systems_side_by_side_are_of_one_scale() {
    let (e, n) = (700_000.0, 5_250_000.0);
    let square = [(e, n), (e + 1000.0, n), (e + 1000.0, n + 1000.0), (e, n + 1000.0)];
    let mut layer = Layer::new("fields", Some(crs(32610)));
    layer.push(Geometry::polygon(square), [("field", "F-1".into())]).unwrap();
    let layers = MapLayers::from(vec![LayerReader::of_layer(&layer, std::path::Path::new("f"))]);
    let options = DrawOptions {
        // Web Mercator draws half as large again here.
        beside: vec![crs(3857), crs(4326)],
        area_of: Some(("field".into(), "F-1".into())),
        ellipses: true,
        ..plain()
    };
    let (text, _) = to_file(&layers, &options).unwrap();
    let mut sides = Vec::new();
    for frame in 0..3 {
        let path = layers_of(&text, frame).split("fill-rule=\"evenodd\"").nth(1).unwrap();
        let path = path.split("d=\"M").nth(1).unwrap().split('Z').next().unwrap();
        let corners: Vec<(f64, f64)> = path
            .split('L')
            .map(|at| at.split_once(' ').unwrap())
            .map(|(x, y)| (x.parse().unwrap(), y.parse().unwrap()))
            .collect();
        sides.push((corners[1].0 - corners[0].0).hypot(corners[1].1 - corners[0].1));
    }
    for side in &sides {
        assert!((side - sides[0]).abs() < 0.012 * sides[0], "{sides:?}");
    }
    let texts = texts(&text).join("\n");
    // The area on the grid of UTM is exact; on the other grids it is what the factor makes of it.
    for line in
        ["F-1: 100.000 ha on the grid", "EPSG:3857 WGS 84 / Pseudo-Mercator", "scale factor 1.4"]
    {
        assert!(texts.contains(line), "{line}: {texts}");
    }
    assert!(
        text.matches("<g id=\"ellipses\"").count() == 3 && texts.contains("radius on the ground")
    );
    let many = DrawOptions { beside: vec![crs(3857); 4], ..plain() };
    let error = to_file(&layers, &many).unwrap_err();
    assert!(error.to_string().contains("do not fit side by side"), "{error}");
    let nobody = DrawOptions { area_of: Some(("field".into(), "F-9".into())), ..options };
    assert!(to_file(&layers, &nobody).unwrap_err().to_string().contains("no feature has `F-9`"));
}

#[test]
fn zones_context_themes_and_styles_are_drawn() {
    let layer = points(4326, &[(-121.5, 46.4), (-118.5, 48.4)]);
    let zones = |zones| drawn(&layer, &DrawOptions { zones: Some(zones), ..plain() });
    let text = zones(ZoneLines::StatePlane);
    let named = texts(&text);
    assert!(
        named.contains(&"Washington North") && named.contains(&"Washington South"),
        "{named:?}"
    );
    let text = zones(ZoneLines::Utm);
    let named = texts(&text);
    assert!(named.contains(&"10N") && named.contains(&"11N"), "{named:?}");
    // Context has no say in what is shown, and is grey.
    let wide = points(4326, &[(-100.0, 30.0), (-70.0, 60.0)]);
    let reader = |layer: &Layer| LayerReader::of_layer(layer, std::path::Path::new("x"));
    let layers =
        MapLayers { layers: vec![reader(&layer)], context: vec![reader(&wide)], before: None };
    let (text, _) = to_file(&layers, &plain()).unwrap();
    assert_eq!(numbers(layers_of(&text, 0), "cx").len(), 2);
    let styles = vec![LayerStyle {
        layer: "stations".into(),
        title: Some("benches".into()),
        color: Some([200, 30, 60]),
        width: Some(20.0),
    }];
    let options =
        DrawOptions { styles, theme: Theme::Dark, date: Some("2026-11-29".into()), ..plain() };
    let text = drawn(&layer, &options);
    assert!(text.contains("fill=\"#16191d\"") && text.contains("#c81e3c"), "dark, in its colour");
    assert_eq!(numbers(layers_of(&text, 0), "r"), [10.0, 10.0]);
    let texts = texts(&text);
    assert!(texts.contains(&"benches") && texts.iter().any(|t| t.ends_with("· 2026-11-29")));
}

#[test]
fn the_same_input_gives_the_same_bytes() {
    let layer = points(4326, &[(-121.5, 46.4), (-118.5, 48.4), (-119.0, 47.0)]);
    let options = DrawOptions {
        color: Some(Coloring::by("name")),
        label: Some("name".into()),
        zones: Some(ZoneLines::StatePlane),
        ..plain()
    };
    let first = Picture::bytes(std::slice::from_ref(&layer), &options);
    assert_eq!(first, Picture::bytes(&[layer], &options));
}

/// The map in characters: the rows within its border, and the lines below.
fn in_characters(layers: Vec<LayerReader>, size: (usize, usize)) -> (Vec<Vec<char>>, String) {
    let (text, _) = characters(&layers.into(), size, &plain(), &mut NoProgress).unwrap();
    let rows = text.lines().filter(|line| line.starts_with('│'));
    let rows = rows.map(|line| line.trim_matches('│').chars().collect()).collect();
    (rows, text)
}

#[test]
fn maps_in_characters_have_land_signs_and_numbers() {
    let reader = |layer: &Layer| LayerReader::of_layer(layer, std::path::Path::new("stations"));
    let corners = points(4326, &[(-169.0, 53.0), (-131.0, 71.0)]);
    let mut ditch = Layer::new("ditch", Some(crs(4326)));
    let line = Geometry::LineString(vec![(-160.0, 60.0), (-140.0, 60.0)]);
    ditch.push(line, [("name", "long".into())]).unwrap();
    let (rows, text) = in_characters(vec![reader(&corners), reader(&ditch)], (70, 24));
    assert!(rows.len() == 24 && rows.iter().all(|row| row.len() == 70), "{text}");
    let places = |sign: char| -> Vec<(usize, usize)> {
        let cells = rows.iter().enumerate().flat_map(|(y, row)| {
            row.iter().enumerate().filter(move |(_, c)| **c == sign).map(move |(x, _)| (x, y))
        });
        cells.collect()
    };
    let dots = places('●');
    assert!(dots.len() == 2 && dots[0].0 > dots[1].0 && dots[0].1 < dots[1].1, "north-east first");
    let line = places('▪');
    assert!(line.iter().all(|at| at.1 == line[0].1), "a parallel is level: {line:?}");
    // Nearly half of 38 degrees, by the shape of the frame.
    assert!((15..40).contains(&line.len()), "{line:?}");
    let coast = rows.iter().flatten().filter(|c| ('\u{2800}'..='\u{28ff}').contains(c)).count();
    assert!(coast > 100, "{coast} characters of coast");
    assert!(text.contains("Alaska") && text.contains("● stations (2 points)   ▪ ditch (1 line)"));
    assert!(text.contains("a character is ") && text.contains(" km wide"), "{text}");
    // Layers of one kind have signs of their own; what stands apart has a number.
    let mut places: Vec<(f64, f64)> = (0..30)
        .map(|at| (-120.0 + f64::from(at % 6) * 0.01, 47.4 + f64::from(at / 6) * 0.01))
        .collect();
    places[7].0 = 120.0;
    let (rows, text) =
        in_characters(vec![reader(&points(4326, &places)), reader(&corners)], (70, 24));
    assert_eq!(rows.iter().flatten().filter(|c| **c == '1').count(), 1, "{text}");
    assert!(text.contains("1 stations, feature 8: a sign turned?") && text.contains("◆ stations"));
}
