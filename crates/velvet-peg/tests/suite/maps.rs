//! Maps: where data lies, what moved, and what systems do to it.

use crate::map_parts::{crs, drawn, layers_of, numbers, plain, points, texts};
use crate::pixels::Picture;
use velvet_peg::draw::{
    Coloring, DrawOptions, GridLines, LayerStyle, MapLayers, MapMark, Theme, ZoneLines, characters,
    draw, draw_layers, svg,
};
use velvet_peg::{Geometry, Layer, LayerReader, NoProgress};

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
    // Two features of one key cannot be told apart.
    other.push(places[1], [("name", "S-2".into())]).unwrap();
    layers.before = Some(LayerReader::of_layer(&other, std::path::Path::new("before")));
    let error = to_file(&layers, &options).unwrap_err();
    assert!(error.to_string().contains("`S-2` more than once"), "{error}");
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
    let layers = MapLayers {
        layers: vec![reader(&layer)],
        context: vec![reader(&wide)],
        ..MapLayers::default()
    };
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

/// Lines of the list of what there is to look at.
fn to_look_at(text: &str) -> Vec<String> {
    let list = text.split(">To look at<").nth(1).unwrap_or_default();
    texts(list).into_iter().map(String::from).collect()
}

#[test]
fn layers_that_lie_elsewhere_or_beyond_their_area_are_flagged_once() {
    let grid = |x: f64, y: f64, step: f64| -> Vec<(f64, f64)> {
        (0..30).map(|at| (x + f64::from(at % 6) * step, y + f64::from(at / 6) * step)).collect()
    };
    let named = |name: &str, code: u32, places: &[(f64, f64)]| {
        let mut layer = Layer::new(name, Some(crs(code)));
        for at in places {
            layer.push(*at, [("id", 1.into())]).unwrap();
        }
        layer
    };
    let home = named("home", 4326, &grid(-120.0, 47.4, 0.01));
    let near = named("near", 32610, &grid(726_000.0, 5_255_000.0, 500.0));
    // The same numbers in the zone next door lie 450 km west of it.
    let away = named("away", 32609, &grid(726_000.0, 5_255_000.0, 500.0));
    // At 117.5° W: well outside of where zone 10 is used.
    let beyond = named("beyond", 32610, &grid(914_000.0, 5_255_000.0, 500.0));
    // A little beyond the edge of the zone is no mistake.
    let edge = named("edge", 32610, &grid(727_500.0, 5_255_000.0, 500.0));
    for (layers, wanted) in [
        (vec![&home, &near], &[][..]),
        (vec![&home, &edge], &[]),
        (vec![&home, &near, &away], &["away lies 4"]),
        (vec![&beyond], &["beyond: the layer lies outside"]),
        (vec![&home, &beyond], &["beyond: the layer lies", "beyond lies 1"]),
    ] {
        let names: Vec<&str> = layers.iter().map(|layer| layer.info().name.as_str()).collect();
        let layers: Vec<Layer> = layers.into_iter().cloned().collect();
        let options = DrawOptions { height: 1200, ..plain() };
        let told = to_look_at(&svg(&layers, &options).unwrap().0).join(" ");
        let numbers = wanted.iter().filter(|wanted| !told.contains(**wanted)).count();
        assert_eq!(numbers, 0, "{names:?}: {told}");
        assert_eq!(told.is_empty(), wanted.is_empty(), "{names:?}: {told}");
    }
}

#[test]
fn marks_of_others_are_numbered_behind_and_strays_left_out_of_the_frame() {
    let mut places: Vec<(f64, f64)> = (0..30)
        .map(|at| (-120.0 + f64::from(at % 6) * 0.01, 47.4 + f64::from(at / 6) * 0.01))
        .collect();
    places[7].0 = 120.0;
    let layer = points(4326, &places);
    let mark = |at: (f64, f64), code: Option<u32>, text: &str| MapMark {
        layer: 0,
        at,
        crs: code.map(crs),
        text: text.to_string(),
    };
    let reader = LayerReader::of_layer(&layer, std::path::Path::new("stations"));
    let layers = MapLayers {
        layers: vec![reader],
        marks: vec![
            mark((-119.99, 47.41), None, "by its own system"),
            mark((726_000.0, 5_255_000.0), Some(32610), "by another"),
            mark((f64::NAN, 0.0), None, "nowhere"),
        ],
        ..MapLayers::default()
    };
    let (text, _) = to_file(&layers, &plain()).unwrap();
    let told = to_look_at(&text).join(" ");
    let order = ["feature 8: a sign turned?", "by its own system", "by another"];
    let at: Vec<usize> = order.iter().map(|text| told.find(text).unwrap()).collect();
    assert!(at.is_sorted() && !told.contains("nowhere"), "{told}");
    assert_eq!(text.matches("r=\"9\" fill=\"none\"").count(), 3);
    // Without what stands apart, the others fill the frame; it is told all the same.
    let spread = |text: &str| {
        let x = numbers(layers_of(text, 0), "cx");
        let inside: Vec<f64> = x.into_iter().filter(|x| (76.0..1048.0).contains(x)).collect();
        inside.iter().copied().fold(f64::MIN, f64::max)
            - inside.iter().copied().fold(f64::MAX, f64::min)
    };
    let bulk = DrawOptions { without_strays: true, ..plain() };
    let (close, _) = to_file(&layers, &bulk).unwrap();
    assert!(spread(&close) > 400.0, "{}", spread(&close));
    assert!(to_look_at(&close).join(" ").contains("feature 8: a sign turned?"));
    assert_eq!(close.matches("r=\"9\" fill=\"none\"").count(), 2, "the stray is not in the frame");
    // Of data without strays it changes nothing.
    places[7].0 = -119.99;
    let sound = points(4326, &places);
    assert_eq!(drawn(&sound, &bulk), drawn(&sound, &plain()));
}

/// A page holds all that it shows: one that is slow to open says so, one that no browser opens is not written.
#[test]
fn pages_say_when_they_are_large_and_are_refused_when_too_large() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("map.html");
    // Each character takes six in a page.
    let text = "\u{1}".repeat(90_000);
    // Tabs of other systems hold the attributes once.
    for (rows, beside, told) in [
        (10, vec![], None),
        (110, vec![crs(32611)], None),
        (210, vec![], Some("113 MB")),
        (950, vec![], Some("500 MB")),
    ] {
        let mut layer = Layer::new("gates", Some(crs(4326)));
        for row in 0..rows {
            let place = Geometry::Point((-120.0 + f64::from(row) / 1e4, 47.0));
            layer.push(place, [("remark", text.as_str().into())]).unwrap();
        }
        let options =
            DrawOptions { overwrite: true, backdrop: false, beside, ..DrawOptions::default() };
        let told_of = |text: &str| told.is_some_and(|told| text.contains(told));
        match draw(&[layer], &out, &options) {
            Ok(notices) => {
                assert!(rows < 900, "{rows}");
                let large: Vec<&str> = notices.iter().map(|n| n.text.as_str()).collect();
                let large: Vec<&&str> = large.iter().filter(|text| text.contains("MB")).collect();
                assert_eq!(large.len(), usize::from(told.is_some()), "{rows}: {large:?}");
                assert!(large.iter().all(|text| told_of(text)), "{rows}: {large:?}");
                let page = std::fs::read(&out).unwrap();
                assert!(page.len() > rows as usize * 6 * text.len(), "{rows}: {}", page.len());
                std::fs::write(&out, "as it was").unwrap();
            }
            Err(error) => {
                assert!(rows > 900 && told_of(&error.to_string()), "{rows}: {error}");
                assert_eq!(std::fs::read_to_string(&out).unwrap(), "as it was");
            }
        }
    }
}
