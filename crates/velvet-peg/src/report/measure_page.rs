//! The report of a layer that was measured.

use super::document::Document;
use super::table::{Cell, Table};
use super::{ReportOptions, map};
use crate::draw::{Classes, Coloring, DrawOptions, MapLayers, grouped};
use crate::layer::GeometryKind;
use crate::layer_io::LayerReader;
use crate::measure::{
    FigureColumn, FigureColumns, FigureUnits, Measured, Measures, Statistic, Surface,
};
use crate::progress::Progress;

/// A layer with its figures.
#[derive(Debug)]
pub struct MeasuredLayer {
    /// The layer.
    pub layer: LayerReader,
    /// Its figures, in the order in which they are to be listed.
    pub measures: Measures,
    /// The units of the tables.
    pub units: FigureUnits,
    /// The column whose values group the statistics, if one does.
    pub by: Option<String>,
}

/// Features that are listed; of more it is told how many.
const LISTED: usize = 5_000;

/// The report of a layer that was measured, as one HTML page: sums, a map, histograms, statistics and the
/// figures of each feature. `watch` is told how far it has come.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// use velvet_peg::measure::{FigureUnits, MeasureOptions};
/// use velvet_peg::report::{MeasuredLayer, ReportOptions, measure_page};
/// use velvet_peg::{LayerReader, NoProgress, measure};
/// let layer = LayerReader::open(&folder.path().join("fields.geojson"), None)?;
/// let measures = measure(&layer, &MeasureOptions::default())?;
/// let measured = MeasuredLayer { layer, measures, units: FigureUnits::default(), by: None };
/// let page = measure_page(measured, &ReportOptions::default(), &mut NoProgress);
/// assert!(page.contains("Histogram: area of 16 polygons"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn measure_page(
    measured: MeasuredLayer,
    options: &ReportOptions,
    watch: &mut dyn Progress,
) -> String {
    let MeasuredLayer { layer, measures, units, by } = measured;
    let name = layer.info().name.clone();
    let mut page = Document::new("Lengths and areas", options.title.as_ref().unwrap_or(&name));
    let has = |kind| measures.features.iter().any(|of| single(of) == Some(kind));
    let (areal, linear) = (has(GeometryKind::Polygon), has(GeometryKind::LineString));
    let columns = FigureColumns::new(&measures, areal, &units);
    let count = measures.features.len();
    let s = if count == 1 { "feature" } else { "features" };
    let mut figures = vec![(grouped(count as f64, 0), s)];
    let sums: Vec<(String, String)> = match areal || linear {
        true => columns
            .0
            .iter()
            .filter(|column| column.sums && column.surface == Surface::Ellipsoid)
            .map(|column| {
                let sum = column.statistics(&measures.features).sum;
                (grouped(sum, column.decimals), format!("{}, sum", column.title))
            })
            .collect(),
        false => Vec::new(),
    };
    figures.extend(sums.iter().map(|(sum, title)| (sum.clone(), title.as_str())));
    page.result(None, &figures);
    page.section("how", "How it was measured");
    let mut facts = vec![
        ("layer", format!("{} ({}), {}", layer.path().display(), layer.format().name(), name)),
        ("reference system", measures.crs.label()),
        ("ellipsoid", format!("geodesic, on {}", measures.ellipsoid)),
    ];
    facts.extend(measures.grid.iter().map(|grid| ("grid", format!("plane, on {}", grid.label()))));
    facts.extend(
        measures
            .ground_height_m
            .map(|height| ("ground", format!("at an ellipsoidal height of {height} m"))),
    );
    facts.extend(
        measures
            .combined_factor
            .map(|factor| ("ground", format!("grid divided by the combined factor {factor}"))),
    );
    page.facts(&facts);
    for notice in &measures.notices {
        page.text(&format!("{}: {}", capital(notice.severity.name()), notice.text));
    }
    page.section("map", "Map");
    let color = by.as_ref().map(|by| Coloring { column: by.clone(), classes: Classes::Auto });
    let map = MapLayers::from(vec![layer]);
    map::put(&mut page, &map, 0, DrawOptions { color, ..DrawOptions::default() }, watch);
    if !areal && !linear {
        page.text("Points have neither length nor area.");
        return page.finish(options);
    }
    page.section("spread", "How the figures are spread");
    map::histograms(&mut page, &measures);
    let all: Vec<&Measured> = measures.features.iter().collect();
    statistics(&mut page, &columns, by.as_deref(), &measures, &all);
    page.section("features", "Features");
    for line in columns.legend() {
        page.aside(line);
    }
    features(&mut page, &columns, &all);
    page.finish(options)
}

fn single(measured: &Measured) -> Option<GeometryKind> {
    measured.kind.map(GeometryKind::single)
}

fn capital(word: &str) -> String {
    word[..1].to_uppercase() + &word[1..]
}

fn titled<'a>(first: &[&'a str], columns: &'a FigureColumns) -> Table {
    let first = first.iter().map(|name| (*name, *name == "number"));
    Table::new(first.chain(columns.0.iter().map(|column| (column.title.as_str(), true))))
}

fn number(column: &FigureColumn, figure: Option<f64>) -> Cell {
    let text = figure.map_or(String::new(), |figure| grouped(figure, column.decimals));
    Cell::Number(text, figure.unwrap_or(f64::NAN))
}

/// Sums, means, medians, extremes and standard deviations of all features; sums or means of each group.
fn statistics(
    page: &mut Document,
    columns: &FigureColumns,
    by: Option<&str>,
    measures: &Measures,
    all: &[&Measured],
) {
    if let Some(by) = by {
        let mut table = titled(&[by, "number"], columns);
        for group in measures.groups() {
            let members: Vec<&Measured> =
                all.iter().copied().filter(|of| of.group == group).collect();
            let name = if group.is_empty() { "(blank)" } else { group };
            let mut row = vec![Cell::text(name), Cell::count(members.len() as u64)];
            // Where a sum means something, it is what a group comes to.
            row.extend(columns.0.iter().map(|column| {
                let of = if column.sums { Statistic::Sum } else { Statistic::Mean };
                number(column, column.statistic(of, members.iter().copied()))
            }));
            table.row(row);
        }
        page.heading(&format!("By {by}"));
        table.put(page, &format!("Figures by {by}"));
        page.aside("Lengths and areas are sums of each group; differences and factors are means.");
    }
    page.heading("All features");
    let mut table = titled(&[""], columns);
    for of in Statistic::ALL {
        let mut row = vec![Cell::text(of.name())];
        row.extend(
            columns
                .0
                .iter()
                .map(|column| number(column, column.statistic(of, all.iter().copied()))),
        );
        table.foot(row);
    }
    table.put(page, "Statistics of all features");
}

fn features(page: &mut Document, columns: &FigureColumns, all: &[&Measured]) {
    let mut table = titled(&["number", "name"], columns);
    for measured in all.iter().take(LISTED) {
        let mut row = vec![Cell::count(measured.number), Cell::text(measured.label.as_str())];
        row.extend(columns.0.iter().map(|column| number(column, column.figure(measured))));
        table.row(row);
    }
    if table.is_empty() {
        return page.text("There are no features to measure.");
    }
    if all.len() > LISTED {
        page.text(&format!(
            "The first {LISTED} of {} features are listed; the statistics are of all.",
            all.len()
        ));
    }
    table.put(page, "Figures of each feature");
}
