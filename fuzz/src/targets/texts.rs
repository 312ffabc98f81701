//! Texts: angles, reference systems, positions, geometries, conditions.

use super::bench;
use velvet_peg::angle::{self, Axis, Style};
use velvet_peg::{ConvertLayer, Crs, Geometry, Layer, LayerReader, Selection, definition, zones};

fn text(data: &[u8]) -> Option<&str> {
    std::str::from_utf8(data).ok()
}

/// An angle, and what is written of it.
pub fn angle(data: &[u8]) {
    let Some(text) = text(data) else { return };
    for axis in [Axis::Latitude, Axis::Longitude, Axis::Free] {
        let Ok(degrees) = angle::parse(text, axis) else { continue };
        assert!(degrees.is_finite(), "{text:?} is {degrees}");
        let written = angle::format(degrees, axis, Style::Seconds, 6);
        let again = angle::parse(&written, axis)
            .unwrap_or_else(|error| panic!("{text:?} is {degrees}, written as {written}: {error}"));
        assert!(
            (again - degrees).abs() < 1e-9 * degrees.abs().max(1.0),
            "{degrees} {written} {again}"
        );
    }
}

/// A reference system by code or words.
pub fn reference(data: &[u8]) {
    let Some(text) = text(data) else { return };
    if let Ok(crs) = Crs::parse(text) {
        assert!(!crs.name().is_empty());
        if let Some(code) = crs.code() {
            assert_eq!(Crs::from_epsg(code).expect("a code that is told is there"), crs);
        }
    }
}

/// A definition in any notation, and what is written of it.
pub fn definition(data: &[u8]) {
    let Some(text) = text(data) else { return };
    let Ok(crs) = definition::parse(text) else { return };
    let _ = definition::identify(&crs).summary();
    let written = [definition::wkt2(&crs), definition::json(&crs).map(|json| json.to_string())];
    for text in written.into_iter().flatten() {
        if let Err(error) = definition::parse(&text) {
            panic!("what is written is not read: {error}\n{text}");
        }
    }
}

/// A position in any notation.
pub fn coordinates(data: &[u8]) {
    let Some(text) = text(data) else { return };
    if let Ok(at) = angle::parse_position(text) {
        assert!(at.lat.abs() <= 90.0 && at.lon.abs() <= 360.0, "{text:?}: {at:?}");
    }
    if let Ok(utm) = zones::utm_text(text) {
        assert!(utm.easting_m.is_finite() && utm.northing_m.is_finite(), "{text:?}");
    }
}

/// A grid reference, there and back.
pub fn grid_reference(data: &[u8]) {
    let Some(text) = text(data) else { return };
    let Ok(square) = zones::parse_grid_reference(text) else { return };
    assert!(square.side_m > 0.0 && square.middle.lat.abs() <= 90.0, "{text:?}");
    let again = zones::grid_reference(square.middle).expect("a middle has a reference");
    zones::parse_grid_reference(&again).expect("what is written is read");
}

/// Rows of texts as a table with a column of geometries, and the features of it.
pub fn wkt(data: &[u8]) {
    let Some(text) = text(data) else { return };
    bench::with_folder(|folder| {
        let mut table = "id,shape\n".to_string();
        let mut rows = 0;
        for line in text.lines().take(20) {
            table += &format!("{rows},\"{}\"\n", line.replace('"', "\"\""));
            rows += 1;
        }
        let path = bench::file(folder, "shapes.csv", table.as_bytes());
        super::files::built(&path, folder, rows);
    });
}

/// Well-known binary as hexadecimal digits in a table.
pub fn wkb(data: &[u8]) {
    bench::with_folder(|folder| {
        let digits: String = data.iter().map(|byte| format!("{byte:02x}")).collect();
        let path = bench::file(folder, "shapes.csv", format!("id,shape\n1,{digits}\n").as_bytes());
        super::files::built(&path, folder, 1);
    });
}

/// A condition and a computed column on features that are there.
pub fn sql(data: &[u8]) {
    let Some(text) = text(data) else { return };
    let (condition, set) = text.split_once('\n').unwrap_or((text, ""));
    let mut layer = Layer::new("gates", Crs::from_epsg(32611).ok());
    for at in 0..3 {
        let values = [("gate", format!("G-{at}").into()), ("cfs", (f64::from(at) * 1.5).into())];
        layer
            .push(Geometry::Point((280_000.0 + f64::from(at), 5_250_000.0)), values)
            .expect("it fits");
    }
    let selection = Selection {
        condition: (!condition.is_empty()).then(|| condition.to_string()),
        set: set.lines().map(str::to_string).collect(),
        ..Selection::default()
    };
    let reader = LayerReader::of_layer(&layer, std::path::Path::new("gates"));
    bench::with_folder(|folder| {
        let convert = ConvertLayer { select: selection, ..ConvertLayer::default() };
        if let Ok(summary) = convert.run(&reader, &folder.join("chosen.geojsonl")) {
            let out = summary.out + summary.left_out + summary.rejected.count;
            assert_eq!((summary.rows_in, out), (3, 3), "every feature is judged");
        }
    });
}
