//! Maps: what is on them, where, and at which scale.

use velvet_peg::draw::{DrawOptions, svg};
use velvet_peg::{Crs, Geometry, Layer};

fn crs(code: u32) -> Crs {
    Crs::from_epsg(code).unwrap()
}

/// A square field of 1000 m and a gate at its middle, in UTM.
fn field() -> Layer {
    let mut layer = Layer::new("fields", Some(crs(32610)));
    let (e, n) = (700_000.0, 5_250_000.0);
    let ring = |at: f64, size: f64| {
        vec![
            (e + at, n + at),
            (e + at + size, n + at),
            (e + at + size, n + at + size),
            (e + at, n + at + size),
        ]
    };
    layer
        .push(
            Geometry::Polygon(vec![ring(0.0, 1000.0), ring(400.0, 200.0)]),
            [("name", "F-1".into())],
        )
        .unwrap();
    layer
}

fn gate() -> Layer {
    let mut layer = Layer::new("gates", Some(crs(32610)));
    layer.push(Geometry::Point((700_500.0, 5_250_500.0)), [("name", "Gate <7>".into())]).unwrap();
    layer
}

fn draw(layers: &[Layer], options: &DrawOptions) -> String {
    svg(layers, options).unwrap().0
}

/// Numbers of all attributes of this name, in the order they are drawn.
fn attributes(svg: &str, name: &str) -> Vec<f64> {
    svg.split(&format!("{name}=\""))
        .skip(1)
        .filter_map(|rest| rest.split('"').next()?.parse().ok())
        .collect()
}

#[test]
fn a_map_is_drawn_to_scale() {
    let text = draw(&[field(), gate()], &DrawOptions::default());
    let path = text.split("<path d=\"M").nth(1).unwrap().split('Z').next().unwrap();
    let corners: Vec<(f64, f64)> = path
        .split('L')
        .map(|pair| {
            let (x, y) = pair.split_once(' ').unwrap();
            (x.parse().unwrap(), y.parse().unwrap())
        })
        .collect();
    let (wide, high) = (corners[1].0 - corners[0].0, corners[1].1 - corners[2].1);
    assert!((wide - high).abs() < 0.11, "a square is square: {wide} by {high}");
    assert!(corners[2].1 < corners[1].1, "north is up");
    // The gate is at the middle of the field.
    let (cx, cy) = (attributes(&text, "cx")[0], attributes(&text, "cy")[0]);
    assert!(
        (cx - (corners[0].0 + wide / 2.0)).abs() < 0.11
            && (cy - (corners[0].1 - high / 2.0)).abs() < 0.11
    );
    // The scale bars: two halves of a round length on the ground that agree with the square, whose
    // sides are 1000 m on the grid, of which there are 1.00009 to a metre of the ground there.
    let halves: Vec<f64> = text
        .split("<rect ")
        .filter(|rect| rect.contains("height=\"7\""))
        .map(|rect| attributes(rect, "width")[0])
        .collect();
    assert_eq!(halves.len(), 4, "two bars of two halves");
    let length = |at: usize| (halves[at] + halves[at + 1]) * 1000.0 / wide;
    assert!(
        text.contains(">500 ft-intl</text>") && (length(0) - 152.4).abs() < 0.5,
        "{}",
        length(0)
    );
    assert!(text.contains(">200 m</text>") && (length(2) - 200.0).abs() < 0.5, "{}", length(2));
}

#[test]
fn ticks_are_round_and_labelled_in_the_systems_unit() {
    let text = draw(&[field()], &DrawOptions::default());
    assert!(text.contains(">easting, m</text>") && text.contains(">northing, m</text>"));
    assert!(
        text.contains(">700\u{2009}000</text>") && text.contains(">5\u{2009}250\u{2009}000</text>"),
        "{text}"
    );
    let degrees = draw(&[field()], &DrawOptions { crs: Some(crs(4326)), ..DrawOptions::default() });
    assert!(
        degrees.contains(">longitude</text>")
            && degrees.contains("″W</text>")
            && degrees.contains("″N</text>")
    );
    assert!(degrees.contains("true to scale at the middle latitude"));
    let feet = draw(&[field()], &DrawOptions { crs: Some(crs(2285)), ..DrawOptions::default() });
    assert!(
        feet.contains("easting, ftUS")
            && feet.contains(" ftUS</text>")
            && feet.contains(" m</text>"),
        "two bars"
    );
    assert!(feet.contains("convergence"));
}

/// Steps of ticks are 1, 2 or 5 and noughts, from a few metres to a country; some of them stand
/// along every edge.
#[test]
fn steps_of_ticks_are_one_two_or_five_and_noughts() {
    let mut leading = std::collections::BTreeSet::new();
    for exponent in 0..19 {
        let size = 8.0 * 1.8_f64.powi(exponent);
        let mut layer = Layer::new("field", Some(crs(32610)));
        let (x, y) = (300_000.0, 5_000_000.0);
        let ring = Geometry::polygon([(x, y), (x + size, y), (x + size, y + size), (x, y + size)]);
        layer.push(ring, [("no", 1.into())]).unwrap();
        let text = draw(&[layer], &DrawOptions::default());
        let labels: Vec<f64> = text
            .split("text-anchor=\"middle\"")
            .filter_map(|part| part.split('>').nth(1)?.split('<').next())
            .filter_map(|label| label.replace('\u{2009}', "").parse().ok())
            .collect();
        let eastings: Vec<f64> = labels.iter().copied().filter(|at| *at < 1e6).collect();
        assert!(eastings.len() >= 2, "{size}: {labels:?}");
        let step = eastings[1] - eastings[0];
        for pair in eastings.windows(2) {
            assert!((pair[1] - pair[0] - step).abs() < 1e-6 * step, "{size}: {eastings:?}");
        }
        let digit = step / 10f64.powf((step * 1.000_001).log10().floor());
        assert!([1.0, 2.0, 5.0].iter().any(|d| (digit - d).abs() < 1e-6), "{size}: {step}");
        leading.insert(digit.round() as u32);
        assert!((eastings[0] / step - (eastings[0] / step).round()).abs() < 1e-6, "{eastings:?}");
    }
    assert_eq!(leading.into_iter().collect::<Vec<_>>(), [1, 2, 5]);
}

#[test]
fn polygons_lie_under_points_whatever_the_order() {
    for layers in [[field(), gate()], [gate(), field()]] {
        let text = draw(&layers, &DrawOptions::default());
        assert!(text.find("fill-rule=\"evenodd\"").unwrap() < text.find("<circle").unwrap());
        // The legend keeps the order given.
        let legend = text.split(">Legend<").nth(1).unwrap();
        let first = layers[0].info().name.clone();
        let second = layers[1].info().name.clone();
        assert!(legend.find(&first).unwrap() < legend.find(&second).unwrap());
        assert!(legend.contains("1 polygon<") && legend.contains("1 point<"));
    }
}

#[test]
fn texts_are_escaped_and_long_names_cut() {
    let mut named = gate();
    named.declare(crs(32610));
    let options = DrawOptions {
        title: Some("Ditches & <gates> \"7\"".into()),
        label: Some("name".into()),
        ..DrawOptions::default()
    };
    let text = draw(&[named], &options);
    assert!(text.contains("Ditches &amp; &lt;gates&gt; &quot;7&quot;"));
    assert!(text.contains("Gate &lt;7&gt;</text>") && !text.contains("<7>"));
    let mut long = Layer::new("a layer whose name goes on and on", Some(crs(32610)));
    long.push(Geometry::Point((700_000.0, 5_250_000.0)), [("a", 1.into())]).unwrap();
    assert!(draw(&[long], &DrawOptions::default()).contains(">a layer whose name goe…</text>"));
}

#[test]
fn sizes_are_kept_and_nothing_is_refused() {
    let options = DrawOptions { width: 640, height: 480, ..DrawOptions::default() };
    let text = draw(&[field()], &options);
    assert!(
        text.contains("width=\"640\" height=\"480\" viewBox=\"0 0 640 480\""),
        "{}",
        &text[..200]
    );
    let empty = Layer::new("empty", Some(crs(4326)));
    let error = svg(&[empty], &DrawOptions::default()).unwrap_err();
    assert!(error.is_data() && error.to_string().contains("nothing to draw"), "{error}");
    assert!(svg(&[], &DrawOptions::default()).is_err());
    // Systems are brought together, and that is said.
    let mut weirs = Layer::new("weirs", Some(crs(4326)));
    weirs.push(Geometry::Point((-120.36, 47.37)), [("name", "W-1".into())]).unwrap();
    let (text, notices) = svg(&[field(), weirs], &DrawOptions::default()).unwrap();
    assert!(notices[0].text.contains("layer weirs was carried from EPSG:4326"), "{notices:?}");
    assert!(text.contains("EPSG:32610"));
}
