//! Maps: colours, sizes, labels and shades of what the values of features are and how many there are.

use crate::map_parts::{crs, drawn, layers_of, numbers, plain, points, texts};
use std::collections::BTreeSet;
use velvet_peg::draw::{Classes, Coloring, DrawOptions, Theme, svg};
use velvet_peg::{Geometry, Layer, Value};

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
