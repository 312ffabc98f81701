//! Drawings of every form: text and binary, curves, hatches, blocks, sheets, units, encodings; and
//! what is written is whole.

use crate::collections::measure;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use velvet_peg::layer::{Feature, GeometryKind};
use velvet_peg::{Crs, Geometry, Layer, LayerReader, ReadOptions, Value};
use velvet_peg::{WriteOptions, declare};

/// A pair of a drawing.
type Pair = (i32, String);

fn table(name: &str) -> Vec<Vec<String>> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(name);
    let text = std::fs::read_to_string(path).unwrap();
    let rows = text.lines().filter(|line| !line.starts_with('#') && !line.is_empty());
    rows.map(|line| line.split(" | ").map(ToString::to_string).collect()).collect()
}

fn pairs(text: &str) -> Vec<Pair> {
    let pair = |pair: &str| {
        let (code, value) = pair.trim().split_once(' ').unwrap_or((pair.trim(), ""));
        (code.parse().unwrap(), value.to_string())
    };
    text.split(';').map(pair).collect()
}

/// A drawing of pairs in its sections.
fn drawing(sections: &[(&str, Vec<Pair>)]) -> Vec<Pair> {
    let mut all = Vec::new();
    for (name, inside) in sections {
        all.extend(pairs(&format!("0 SECTION; 2 {name}")));
        all.extend(inside.iter().cloned());
        all.extend(pairs("0 ENDSEC"));
    }
    all.extend(pairs("0 EOF"));
    all
}

fn of_entities(text: &str) -> Vec<Pair> {
    drawing(&[("ENTITIES", pairs(text))])
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Form {
    Text,
    Binary,
    /// Group codes of one byte.
    OldBinary,
}

const FORMS: [Form; 3] = [Form::Text, Form::Binary, Form::OldBinary];

/// The bytes of a drawing; types by the table of the DXF reference.
fn bytes(pairs: &[Pair], form: Form) -> Vec<u8> {
    if form == Form::Text {
        let lines = pairs.iter().map(|(code, value)| format!("{code:3}\r\n{value}\r\n"));
        return lines.collect::<String>().into_bytes();
    }
    let mut out = Vec::new();
    for hex in "4175746f4341442042696e617279204458460d0a1a00".as_bytes().chunks(2) {
        out.push(u8::from_str_radix(std::str::from_utf8(hex).unwrap(), 16).unwrap());
    }
    for (code, value) in pairs {
        match (form, u8::try_from(*code)) {
            (Form::Binary, _) => out.extend((*code as i16).to_le_bytes()),
            (_, Ok(byte)) if byte < 255 => out.push(byte),
            _ => {
                out.push(255);
                out.extend((*code as i16).to_le_bytes());
            }
        }
        let value = value.trim();
        match code {
            10..=59 | 210..=239 => out.extend(value.parse::<f64>().unwrap().to_le_bytes()),
            60..=79 | 370 | 1070 => out.extend(value.parse::<i16>().unwrap().to_le_bytes()),
            90..=99 => out.extend(value.parse::<i32>().unwrap().to_le_bytes()),
            310 => out.extend([2, 0xCA, 0xFE]),
            _ => out.extend(value.bytes().chain([0])),
        }
    }
    out
}

fn put(folder: &Path, pairs: &[Pair], form: Form) -> PathBuf {
    let path = folder.join("plan.dxf");
    std::fs::write(&path, bytes(pairs, form)).unwrap();
    path
}

fn fine() -> ReadOptions {
    let mut options = ReadOptions::default();
    options.tolerance = 1e-6;
    options
}

/// The only layer of a drawing, and what was told of it.
fn read(path: &Path, options: &ReadOptions) -> (Layer, String) {
    let reader = LayerReader::open_with(path, None, options).unwrap();
    let told: Vec<String> = reader.notices.iter().map(|notice| notice.text.clone()).collect();
    (reader.read().unwrap(), told.join("\n"))
}

/// The text of an attribute; blank if it has none.
fn text(feature: &Feature<'_>, name: &str) -> String {
    feature.value(name).map_or(String::new(), |value| value.to_text())
}

fn said(feature: &Feature<'_>, layer: &Layer) -> String {
    let names = layer.info().schema.fields().iter().map(|field| field.name().clone());
    let filled = names.filter_map(|name| match feature.value(&name) {
        None | Some(Value::Null) => None,
        Some(value) => Some(format!("{name}={}", value.to_text())),
    });
    filled.collect::<Vec<_>>().join(", ")
}

#[test]
fn entities_are_what_they_draw_in_every_form() {
    let folder = tempfile::tempdir().unwrap();
    for case in table("drawings.txt") {
        let [name, given, kind] = [0, 1, 2].map(|at| case[at].trim());
        // Behind it, bytes that are of no interest, and a group code beyond a byte.
        let given = format!("{given}; 0 SEQEND; 310 CAFE; 370 5");
        for form in FORMS {
            let path = put(folder.path(), &of_entities(&given), form);
            if case[3] == "-" {
                let reader = LayerReader::open(&path, None).unwrap();
                let told: String = reader.notices.iter().map(|n| n.text.clone()).collect();
                assert!(reader.info().count == Some(0) && told.contains(kind), "{name}: {told}");
                continue;
            }
            let (layer, told) = read(&path, &fine());
            let why = format!("{name}, {form:?}: {told}");
            // No vertex twice in a row.
            let places = layer.features().next().unwrap().vertices();
            let apart = |a: (f64, f64), b: (f64, f64)| (a.0 - b.0).hypot(a.1 - b.1) > 1e-9;
            let on_edge = name == "circle on edge";
            assert!(on_edge || places.windows(2).all(|two| apart(two[0], two[1])), "{why}");
            assert_eq!(layer.len(), 1, "{why}");
            let info = layer.info();
            let found = layer.batches().next().unwrap().geometry().kinds()[0].unwrap();
            let z = if info.has_z { " Z" } else { "" };
            assert_eq!(format!("{}{z}", found.name().to_uppercase()), kind, "{why}");
            let (length, area) = measure(&layer);
            let size = match found {
                GeometryKind::Polygon | GeometryKind::MultiPolygon => area,
                _ => length,
            };
            let expected: f64 = case[3].trim().parse().unwrap();
            assert!((size - expected).abs() <= 1e-6 * expected.max(1.0), "{why}: {size}");
            let sides: Vec<f64> =
                case[4].split_whitespace().map(|side| side.parse().unwrap()).collect();
            let bounds = layer.extent().unwrap();
            let of = [bounds.west, bounds.south, bounds.east, bounds.north];
            for (side, expected) in of.iter().zip(&sides) {
                assert!((side - expected).abs() < 2e-6, "{why}: {of:?}");
            }
            let feature = layer.features().next().unwrap();
            assert_eq!(said(&feature, &layer), case[5].trim(), "{why}");
        }
    }
}

#[test]
fn chords_keep_to_the_tolerance_in_the_unit_of_the_drawing() {
    let folder = tempfile::tempdir().unwrap();
    let circle = pairs("0 CIRCLE; 8 A; 10 0; 20 0; 40 100");
    // The unit (DXF reference, $INSUNITS), metres of it, and the words for the tolerance.
    for (unit, metres, words) in
        [(0, 1.0, "0.05 units"), (6, 1.0, "50 mm"), (2, 0.3048, "50 mm"), (7, 1000.0, "50 mm")]
    {
        let header = pairs(&format!("9 $ACADVER; 1 AC1015; 9 $INSUNITS; 70 {unit}"));
        let whole = drawing(&[("HEADER", header), ("ENTITIES", circle.clone())]);
        let path = put(folder.path(), &whole, Form::Text);
        let mut options = ReadOptions::default();
        options.tolerance = 0.05;
        let (layer, told) = read(&path, &options);
        assert!(told.contains(&format!("1 curve is read as chords that are within {words}")));
        let column = layer.batches().next().unwrap().geometry();
        let middle = |n: usize| {
            let (x, y) = (column.x[n] + column.x[n + 1], column.y[n] + column.y[n + 1]);
            100.0 - (x / 2.0).hypot(y / 2.0)
        };
        let most = (0..column.x.len() - 1).map(middle).fold(0.0, f64::max);
        let (ends, allowed) = (column.x.iter().zip(&column.y), 0.05 / metres);
        assert!(most <= allowed && most > allowed * 0.6, "unit {unit}: {most}");
        ends.for_each(|(x, y)| assert!((x.hypot(*y) - 100.0).abs() < 1e-12));
    }
}

#[test]
fn units_that_contradict_a_system_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let line = pairs("0 LINE; 8 A; 10 1830000; 20 150000; 11 1830100; 21 150000");
    for (unit, crs, told, warned) in [
        (6, 2285, "the drawing states its unit: metre", true),
        (2, 2285, "the drawing states its unit: international foot", true),
        (21, 2285, "the drawing states its unit: US survey foot", false),
        (21, 4269, "the drawing states its unit: US survey foot", true),
        (0, 2285, "", false),
        (1, 2285, "the drawing states the inch as its unit, as empty drawings often do", false),
    ] {
        let header = pairs(&format!("9 $INSUNITS; 70 {unit}"));
        let whole = drawing(&[("HEADER", header), ("ENTITIES", line.clone())]);
        let path = put(folder.path(), &whole, Form::Text);
        let crs = Crs::from_epsg(crs).unwrap();
        let (out, replace) = (folder.path().join("o.gpkg"), WriteOptions::default());
        let _ = std::fs::remove_file(&out);
        let mut reader = LayerReader::open(&path, None).unwrap();
        let at_opening: String = reader.notices.iter().map(|n| n.text.clone()).collect();
        assert!(at_opening.contains(told), "unit {unit}: {at_opening}");
        let outcome = declare(&reader, &crs, &out, &replace).unwrap();
        reader.assume(crs);
        for notices in [&outcome.notices, &reader.notices] {
            let contradicts = notices.iter().any(|n| n.text.contains("one of the two is wrong"));
            assert_eq!(contradicts, warned, "unit {unit}: {notices:?}");
        }
    }
    // Written, the unit is that of the system.
    for (crs, unit) in [(2285, "21"), (2256, "2"), (32610, "6"), (4269, "0")] {
        let mut layer = Layer::new("a", Some(Crs::from_epsg(crs).unwrap()));
        layer.push(Geometry::Point((1.0, 2.0)), []).unwrap();
        let out = folder.path().join(format!("{crs}.dxf"));
        layer.write(&out).unwrap();
        let text = std::fs::read_to_string(&out).unwrap();
        assert!(text.contains(&format!("$INSUNITS\n70\n{unit}\n")), "{crs}");
    }
}

#[test]
fn texts_are_read_as_people_read_them() {
    let folder = tempfile::tempdir().unwrap();
    for case in table("drawing-texts.txt") {
        let expected = case[2].replace('⏎', "\n").replace('⇥', "\t").replace('␣', "\u{a0}");
        let mut one = pairs(&format!("0 {}; 8 A; 10 1; 20 2", case[0]));
        // In one chunk and, where it may be, in several.
        let mut ways = vec![vec![(1, case[1].clone())]];
        if case[0] == "MTEXT" {
            let cut = case[1].char_indices().nth(3).unwrap().0;
            let (front, back) = case[1].split_at(cut);
            ways.push(vec![(3, front.to_string()), (1, back.to_string())]);
        }
        for way in ways {
            one.truncate(4);
            one.extend(way);
            let path = put(folder.path(), &drawing(&[("ENTITIES", one.clone())]), Form::Text);
            let (layer, _) = read(&path, &ReadOptions::default());
            let feature = layer.features().next().unwrap();
            assert_eq!(text(&feature, "text"), expected, "{case:?}");
        }
    }
}

#[test]
fn texts_are_in_the_encoding_that_is_stated() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("plan.dxf");
    // Version, code page, the bytes of a text, what is asked for, what is read.
    for (version, page, text, asked, expected) in [
        ("AC1021", "ANSI_1252", "Séquoia".as_bytes(), None, "Séquoia"),
        ("AC1015", "ANSI_1252", b"S\xe9quoia", None, "Séquoia"),
        ("AC1015", "ANSI_1251", b"\xcf\xeb\xe0\xed", None, "План"),
        ("AC1009", "ansi_1250", b"\x8a\x9d", None, "Šť"),
        ("AC1015", "ANSI_932", b"\x82\xa0", None, "あ"),
        ("AC1015", "ANSI_1252", "Séquoia".as_bytes(), None, "Séquoia"),
        ("AC1015", "ANSI_1252", b"\xcf\xeb\xe0\xed", Some("windows-1251"), "План"),
        ("AC1021", "ANSI_1252", b"S\xe9quoia", None, "S\u{fffd}quoia"),
    ] {
        let header = format!("9; 1 {version}; 9; 3 {page}");
        let mut names = ["$ACADVER", "$DWGCODEPAGE"].iter();
        let mut header = pairs(&header);
        for pair in header.iter_mut().filter(|pair| pair.0 == 9) {
            pair.1 = (*names.next().unwrap()).to_string();
        }
        let entity = pairs("0 TEXT; 8 A; 10 1; 20 2; 1 @");
        let whole = drawing(&[("HEADER", header), ("ENTITIES", entity)]);
        for form in [Form::Text, Form::Binary] {
            if form == Form::Binary && text == "Séquoia".as_bytes() && version != "AC1021" {
                continue;
            }
            let mut file = bytes(&whole, form);
            let at = file.iter().rposition(|byte| *byte == b'@').unwrap();
            file.splice(at..=at, text.iter().copied());
            std::fs::write(&path, file).unwrap();
            let mut options = ReadOptions::default();
            options.encoding = asked.map(ToString::to_string);
            let (layer, told) = read(&path, &options);
            let read = super::drawings::text(&layer.features().next().unwrap(), "text");
            assert_eq!(read, expected, "{version} {page} {form:?}");
            assert_eq!(told.contains("no characters in UTF-8: 1"), read.contains('\u{fffd}'));
        }
    }
}

const BLOCKS: &str = "0 BLOCK; 2 GATE; 10 1; 20 0; 30 0; 0 LINE; 8 0; 10 0; 20 0; 11 2; 21 0; \
    0 CIRCLE; 8 RIM; 10 1; 20 0; 40 1; 0 ATTDEF; 8 0; 10 0; 20 0; 2 NO; 1 ?; 0 ENDBLK; \
    0 BLOCK; 2 PAIR; 10 0; 20 0; 30 0; 0 INSERT; 8 0; 2 GATE; 10 0; 20 10; 0 ENDBLK; \
    0 BLOCK; 2 LOOP; 10 0; 20 0; 0 INSERT; 8 0; 2 LOOP; 10 0; 20 0; 0 ENDBLK";

#[test]
fn blocks_are_drawn_when_that_is_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    // What is inserted; the middle of the circle, its size along x and y, and the circles.
    for (insert, middle, size, circles) in [
        ("2 GATE; 10 50; 20 60", (50.0, 60.0), (2.0, 2.0), 1),
        ("2 GATE; 10 50; 20 60; 41 3; 42 2; 43 1", (50.0, 60.0), (6.0, 4.0), 1),
        ("2 GATE; 10 50; 20 60; 41 3; 50 90", (50.0, 60.0), (2.0, 6.0), 1),
        ("2 gate; 10 50; 20 60; 210 0; 220 0; 230 -1", (-50.0, 60.0), (2.0, 2.0), 1),
        ("2 PAIR; 10 50; 20 60; 41 2; 42 2; 50 90", (30.0, 60.0), (4.0, 4.0), 1),
        ("2 GATE; 10 50; 20 60; 70 3; 71 2; 44 10; 45 20", (60.0, 70.0), (22.0, 22.0), 6),
    ] {
        let entities = pairs(&format!(
            "0 INSERT; 8 SYMBOLS; 66 1; {insert}; 0 ATTRIB; 10 0; 20 0; 1 G-7; 2 NO; 0 SEQEND"
        ));
        let whole = drawing(&[("BLOCKS", pairs(BLOCKS)), ("ENTITIES", entities)]);
        let path = put(folder.path(), &whole, Form::Text);
        let (points, told) = read(&path, &fine());
        assert_eq!(points.len(), 1);
        assert!(told.contains("inserted blocks are points, without what the blocks draw"));
        let mut options = fine();
        options.blocks = true;
        let (layer, told) = read(&path, &options);
        assert!(!told.contains("inserted blocks"), "{told}");
        let mut found = Vec::new();
        for feature in layer.features() {
            assert_eq!(text(&feature, "NO"), "G-7", "{insert}");
            let on = text(&feature, "layer");
            match feature.kind() {
                Some(GeometryKind::Polygon) => {
                    assert_eq!(on, "RIM");
                    found.extend(feature.vertices());
                }
                _ => assert_eq!(on, "SYMBOLS"),
            }
        }
        let range = |of: &dyn Fn(&(f64, f64)) -> f64| {
            let values = found.iter().map(of);
            (values.clone().fold(f64::MAX, f64::min), values.fold(f64::MIN, f64::max))
        };
        let (x, y) = (range(&|place| place.0), range(&|place| place.1));
        let near = |a: f64, b: f64| assert!((a - b).abs() < 1e-5, "{insert}: {x:?} {y:?}");
        near((x.0 + x.1) / 2.0, middle.0);
        near((y.0 + y.1) / 2.0, middle.1);
        near(x.1 - x.0, size.0);
        near(y.1 - y.0, size.1);
        assert_eq!(layer.len(), 1 + 2 * circles, "{insert}");
    }
    for (insert, why) in [
        ("2 LOOP", "the block LOOP inserts itself"),
        ("2 NONE", "the drawing has no block NONE"),
        ("2 GATE; 70 3000; 71 3000", "it draws more than 1000000 things"),
    ] {
        let entities = pairs(&format!("0 INSERT; 8 A; {insert}; 10 0; 20 0"));
        let whole = drawing(&[("BLOCKS", pairs(BLOCKS)), ("ENTITIES", entities)]);
        let path = put(folder.path(), &whole, Form::Text);
        let mut options = ReadOptions::default();
        options.blocks = true;
        options.tolerance = 1.0;
        let reader = LayerReader::open_with(&path, None, &options).unwrap();
        let told: String = reader.notices.iter().map(|notice| notice.text.clone()).collect();
        assert!(told.contains(why), "{told}");
    }
}

#[test]
fn sheets_are_a_layer_aside() {
    let folder = tempfile::tempdir().unwrap();
    let blocks =
        "0 BLOCK; 2 *Paper_Space0; 10 0; 20 0; 0 TEXT; 8 T; 10 1; 20 1; 1 Sheet 2; 0 ENDBLK";
    let entities = "0 POINT; 8 A; 10 500000; 20 5000000; 0 TEXT; 67 1; 8 T; 10 2; 20 3; 1 Sheet 1; \
        0 VIEWPORT; 67 1; 8 T; 10 5; 20 5; 0 3DSOLID; 67 1; 8 T";
    let whole = drawing(&[("BLOCKS", pairs(blocks)), ("ENTITIES", pairs(entities))]);
    let path = put(folder.path(), &whole, Form::Text);
    let layers = LayerReader::open_all(&path).unwrap();
    let names: Vec<&str> = layers.iter().map(|layer| layer.info().name.as_str()).collect();
    assert_eq!(names, ["plan", "plan_sheets"]);
    let (model, told) = read(&path, &ReadOptions::default());
    assert_eq!(model.len(), 1);
    assert!(told.contains("which lie nowhere on the Earth: 3; they are the layer plan_sheets"));
    let sheets = LayerReader::open(&path, Some("plan_sheets")).unwrap();
    assert!(sheets.notices[0].text.contains("1 3DSOLID"), "{:?}", sheets.notices);
    let mut texts = Vec::new();
    let mut each = |batch: velvet_peg::layer::Batch| {
        texts.extend(batch.features().map(|feature| text(&feature, "text")));
        Ok(())
    };
    sheets.for_each_batch(&mut each).unwrap();
    assert_eq!(texts, ["Sheet 2", "Sheet 1"]);
    assert_eq!(LayerReader::open_spatial(&path).unwrap().len(), 1);
}

/// The objects of a written drawing: kind and pairs.
fn objects(path: &Path) -> Vec<(String, Vec<Pair>)> {
    let text = std::fs::read_to_string(path).unwrap();
    let lines: Vec<&str> = text.lines().collect();
    let mut objects: Vec<(String, Vec<Pair>)> = Vec::new();
    for pair in lines.chunks(2) {
        let code: i32 = pair[0].parse().unwrap();
        match code {
            0 => objects.push((pair[1].to_string(), Vec::new())),
            _ => objects.last_mut().unwrap().1.push((code, pair[1].to_string())),
        }
    }
    objects
}

#[test]
fn what_is_written_is_a_whole_drawing_and_keeps_every_text() {
    let folder = tempfile::tempdir().unwrap();
    let mut layer = Layer::new("Ditches & gates", Some(Crs::from_epsg(32610).unwrap()));
    let texts = [
        "two\nlines\tand a tab".to_string(),
        "été 水 🌊 \u{7f}".to_string(),
        "\\U+00E9 is no code, nor \\M+182A0, a\\b".to_string(),
        " blanks at both ends ".to_string(),
        "ä".repeat(3000),
        "a=b=c 50%%d ^J".to_string(),
    ];
    let ring = vec![(0.0, 0.0), (9.0, 0.0), (9.0, 9.0), (0.0, 0.0)];
    for (at, text) in texts.iter().enumerate() {
        let geometry = match at % 3 {
            0 => Geometry::Point((1.5, 2.5)),
            1 => Geometry::LineString(vec![(0.0, 0.0), (1.0, 1.0)]),
            _ => Geometry::Polygon(vec![ring.clone()]),
        };
        let values =
            [("note=1", text.as_str().into()), ("kind", format!("Kind {at} é/").as_str().into())];
        layer.push(geometry, values).unwrap();
    }
    let out = folder.path().join("o.dxf");
    let options = WriteOptions {
        layer_by: Some("kind".into()),
        label: Some("kind".into()),
        ..WriteOptions::default()
    };
    layer.write_with(&out, &options).unwrap();
    let again = LayerReader::open(&out, None).unwrap().read().unwrap();
    for (feature, text) in again.features().zip(&texts) {
        assert_eq!(&super::drawings::text(&feature, "note=1"), text);
    }
    assert_eq!(again.len(), texts.len());

    // Every handle once, every owner there, every layer and application in its table.
    let objects = objects(&out);
    let mut handles = HashSet::new();
    let mut tables: HashMap<String, HashSet<String>> = HashMap::new();
    for (kind, pairs) in &objects {
        let of = |code: i32| pairs.iter().find(|pair| pair.0 == code).map(|pair| pair.1.as_str());
        if let Some(handle) = of(if kind == "DIMSTYLE" { 105 } else { 5 })
            && kind != "SECTION"
        {
            let number = u64::from_str_radix(handle, 16).unwrap();
            assert!(handles.insert(number), "{kind} {handle}");
        }
        if let (true, Some(name)) = (["LAYER", "APPID"].contains(&kind.as_str()), of(2)) {
            tables.entry(kind.clone()).or_default().insert(name.to_string());
        }
    }
    let mut sections = Vec::new();
    for (kind, pairs) in &objects {
        for (code, value) in pairs {
            match code {
                2 if kind == "SECTION" => sections.push(value.as_str()),
                330 if value != "0" => {
                    let owner = u64::from_str_radix(value, 16).unwrap();
                    assert!(handles.contains(&owner), "{kind}: owner {value}");
                }
                8 if kind != "TABLE" => assert!(tables["LAYER"].contains(value), "{kind} {value}"),
                1001 => assert!(tables["APPID"].contains(value)),
                1000 => assert!(value.len() <= 255),
                _ => {}
            }
        }
    }
    assert_eq!(sections, ["HEADER", "CLASSES", "TABLES", "BLOCKS", "ENTITIES", "OBJECTS"]);
    let head = std::fs::read_to_string(&out).unwrap();
    let seed = head.split("$HANDSEED\n5\n").nth(1).unwrap().lines().next().unwrap();
    let seed = u64::from_str_radix(seed, 16).unwrap();
    assert!(handles.iter().all(|handle| *handle < seed));
    assert!(head.contains("Kind 0 é_") && head.starts_with("0\nSECTION\n2\nHEADER\n9\n$ACADVER"));
}
