//! Maps and histograms of a report.

use super::document::Document;
use crate::draw::{DrawOptions, Histogram, InPage, MapLayers, svg_in_page};
use crate::layer::GeometryKind;
use crate::layer_io::LayerReader;
use crate::measure::{MeasureOptions, Measures, measure};
use crate::progress::Progress;
use velvet_peg_core::{AreaUnit, Crs, LengthUnit};

/// Pixels of a map of a report.
const SIZE: (u32, u32) = (1000, 560);

/// What is added to the number of a picture for one of most of the same data.
const BULK: usize = 10_000;

/// Draws layers into a report. What cannot be drawn is told: it is no reason to have no report.
pub(super) fn put(
    document: &mut Document,
    layers: &MapLayers,
    number: usize,
    options: DrawOptions,
    watch: &mut dyn Progress,
) {
    let options = DrawOptions { width: SIZE.0, height: SIZE.1, ..options };
    let drawn = match svg_in_page(layers, &options, InPage { number }, watch) {
        Ok(drawn) => drawn,
        Err(error) => return document.aside(&format!("There is no map: {error}")),
    };
    document.figure(&drawn.svg, "map", None);
    for notice in drawn.notices {
        document.aside(&notice.text);
    }
    if !drawn.apart {
        return;
    }
    // Its marks are those of the first.
    let unmarked = InPage { number: number + BULK };
    let bulk = DrawOptions { without_strays: true, ..options };
    if let Ok(drawn) = svg_in_page(layers, &bulk, unmarked, watch) {
        let caption = "The same without the positions that stand apart";
        document.figure(&drawn.svg, "map", Some(caption));
    }
}

/// The figures of a layer for its histograms; none of points, which have none, and of what cannot be
/// measured.
pub(super) fn figures(reader: &LayerReader) -> Option<Measures> {
    let points = reader.info().kind.map(GeometryKind::single) == Some(GeometryKind::Point);
    (!points).then(|| measure(reader, &MeasureOptions::default()).ok()).flatten()
}

/// Histograms of the lengths of lines, and of the areas and perimeters of polygons, on the ellipsoid.
/// In feet and acres where the layer's system counts feet.
pub(super) fn histograms(document: &mut Document, measures: &Measures) {
    let of_kind = |kind: GeometryKind| {
        measures.features.iter().filter(move |of| of.kind.map(GeometryKind::single) == Some(kind))
    };
    let lines: Vec<f64> = of_kind(GeometryKind::LineString).map(|of| of.length_m).collect();
    let areas: Vec<f64> = of_kind(GeometryKind::Polygon).map(|of| of.area_m2).collect();
    let around: Vec<f64> = of_kind(GeometryKind::Polygon).map(|of| of.length_m).collect();
    let mut drawn = Vec::new();
    for (of, what, metres) in [("lines", "length", lines), ("polygons", "perimeter", around)] {
        let (unit, symbol) = length_unit(&measures.crs, &metres);
        let figures: Vec<f64> = metres.iter().map(|metres| metres / unit).collect();
        drawn.extend(Histogram { of, what, unit: symbol, figures: &figures }.svg());
    }
    let unit = area_unit(&measures.crs, &areas);
    let figures: Vec<f64> = areas.iter().map(|area| area / unit.square_metres()).collect();
    let symbol = unit.symbol();
    drawn.extend(Histogram { of: "polygons", what: "area", unit: symbol, figures: &figures }.svg());
    if drawn.is_empty() {
        return;
    }
    document.put("<div class=\"histograms\">\n");
    drawn.iter().for_each(|svg| document.figure(svg, "histogram", None));
    document.put("</div>\n");
    document.aside(&format!(
        "Lengths and areas are geodesic, on the ellipsoid {}.",
        measures.ellipsoid
    ));
}

fn foot_of(crs: &Crs) -> Option<LengthUnit> {
    let unit = crs.length_unit().filter(|_| crs.is_projected())?;
    [LengthUnit::US_SURVEY_FOOT, LengthUnit::FOOT].into_iter().find(|foot| *foot == unit)
}

fn middle(figures: &[f64]) -> f64 {
    crate::measure::Statistics::of(figures.iter().copied()).median
}

/// Metres in the unit that fits, and its symbol.
fn length_unit(crs: &Crs, metres: &[f64]) -> (f64, &'static str) {
    match foot_of(crs) {
        Some(foot) => (foot.metres(), foot.symbol()),
        None if middle(metres) >= 20_000.0 => (1000.0, "km"),
        None => (1.0, "m"),
    }
}

fn area_unit(crs: &Crs, square_metres: &[f64]) -> AreaUnit {
    let middle = middle(square_metres);
    match foot_of(crs) {
        Some(LengthUnit::US_SURVEY_FOOT) if middle < 2_000.0 => AreaUnit::SquareUsSurveyFoot,
        Some(LengthUnit::US_SURVEY_FOOT) => AreaUnit::UsSurveyAcre,
        Some(_) if middle < 2_000.0 => AreaUnit::SquareFoot,
        Some(_) => AreaUnit::Acre,
        None if middle < 5_000.0 => AreaUnit::SquareMetre,
        None if middle < 5e7 => AreaUnit::Hectare,
        None => AreaUnit::SquareKilometre,
    }
}
