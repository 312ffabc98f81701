//! The report of layers that were checked.

use super::document::{Document, Standing};
use super::table::{Cell, Table};
use super::{ReportOptions, map};
use crate::check::{CheckReport, CheckedLayers, Finding, QualitySheet, names_of, verdict};
use crate::draw::{DrawOptions, InPage, MapLayers, MapMark};
use crate::error::Result;
use crate::layer_io::LayerReader;
use crate::notice::Severity;
use crate::plausibility::PositionSample;
use crate::progress::Progress;

/// The report of layers that were checked, as one HTML page: what was found, with links to where it is
/// on the maps; the facts of each layer, its fields, and histograms of its lengths and areas. `watch`
/// is told how far it has come.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// use velvet_peg::NoProgress;
/// use velvet_peg::check::{CheckOptions, CheckedLayers};
/// use velvet_peg::report::{ReportOptions, check_page};
/// let files = [folder.path().join("fields.geojson")];
/// let checked = CheckedLayers::of(&files, &CheckOptions::default(), &mut NoProgress)?;
/// let page = check_page(checked, &ReportOptions::default(), &mut NoProgress)?;
/// assert!(page.contains("<p class=\"verdict passes\"><span>Passes</span></p>"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If a layer cannot be read any more. A map that cannot be drawn is told in the report.
pub fn check_page(
    checked: CheckedLayers,
    options: &ReportOptions,
    watch: &mut dyn Progress,
) -> Result<String> {
    let CheckedLayers { report, layers } = checked;
    let names = names_of(&report.sheets);
    let title = options.title.as_ref().or(report.title.as_ref()).cloned();
    let mut page = Document::new("Quality report", &title.unwrap_or_else(|| names.join(", ")));
    result(&mut page, &report);
    let several = report.sheets.len() > 1;
    // Pictures of single layers come behind the one of all.
    let picture = |sheet: usize| if several { sheet + 1 } else { 0 };
    page.section("found", "What was found");
    found(&mut page, &report, &names, &picture);
    if several {
        page.section("layers", "Layers");
        list(&mut page, &report, &names);
    }
    page.section("map", "Map");
    let layers = together(&mut page, &report, layers, several, watch);
    for (at, (sheet, reader)) in report.sheets.iter().zip(layers).enumerate() {
        page.section(&format!("layer{}", at + 1), &names[at]);
        page.facts(&sheet.lines());
        let measured = map::figures(&reader);
        if several {
            let marks = marks(sheet, 0).collect();
            let map = MapLayers { layers: vec![reader], marks, ..MapLayers::default() };
            map::put(&mut page, &map, picture(at), DrawOptions::default(), watch);
        }
        if let Some(measures) = measured {
            map::histograms(&mut page, &measures);
        }
        fields(&mut page, sheet);
    }
    Ok(page.finish(options))
}

/// What it comes to.
fn result(page: &mut Document, report: &CheckReport) {
    let standing = match report.worst() {
        Some(Severity::Fault) => Standing::Fails,
        Some(Severity::Warning) => Standing::Warns,
        Some(Severity::Note) | None => Standing::Passes,
    };
    let words = verdict(report);
    let words = format!("{}{}", words[..1].to_uppercase(), &words[1..]);
    let sheets = &report.sheets;
    let between = report.agreement.iter().flat_map(|agreement| &agreement.findings);
    let all: Vec<&Finding> =
        sheets.iter().flat_map(|sheet| &sheet.findings).chain(between).collect();
    let count = |level: Severity| all.iter().filter(|finding| finding.level == level).count();
    let plural = |count: u64, one, many| (count.to_string(), if count == 1 { one } else { many });
    let features = sheets.iter().map(|sheet| sheet.features).sum();
    let unreadable: u64 = sheets.iter().map(|sheet| sheet.unreadable).sum();
    let mut figures = vec![
        plural(sheets.len() as u64, "layer", "layers"),
        plural(features, "feature", "features"),
        plural(count(Severity::Fault) as u64, "fault", "faults"),
        plural(count(Severity::Warning) as u64, "warning", "warnings"),
    ];
    if unreadable > 0 {
        figures.push(plural(unreadable, "record without a feature", "records without a feature"));
    }
    page.result(Some((standing, &words)), &figures);
}

/// All findings, the weightiest first, each with where it is on a map.
fn found(
    page: &mut Document,
    report: &CheckReport,
    names: &[String],
    picture: &dyn Fn(usize) -> usize,
) {
    let mut rows: Vec<(Severity, Vec<Cell>)> = Vec::new();
    let several = report.sheets.len() > 1;
    let mut row = |of: &str, finding: &Finding, links: Vec<(String, String)>| {
        let mut cells = vec![Cell::Level(finding.level)];
        if several {
            cells.push(Cell::text(of));
        }
        cells.push(Cell::text(finding.about));
        cells.push(Cell::text(finding.text.as_str()));
        cells.push(Cell::Links(links));
        rows.push((finding.level, cells));
    };
    for (at, sheet) in report.sheets.iter().enumerate() {
        let mut number = 0;
        let place = InPage { number: picture(at) };
        for finding in &sheet.findings {
            let links = finding.places.iter().map(|_| {
                number += 1;
                (number.to_string(), place.mark(number - 1))
            });
            row(&names[at], finding, links.collect());
        }
    }
    let place = InPage { number: 0 };
    if let Some(agreement) = &report.agreement {
        let mut elsewhere = agreement.elsewhere.iter().enumerate();
        for finding in &agreement.findings {
            // Each layer that lies elsewhere is a finding, in the same order.
            let link = (finding.about == "position").then(|| elsewhere.next()).flatten();
            let link = link.map(|(at, _)| ((at + 1).to_string(), place.mark(at)));
            row("the layers together", finding, link.into_iter().collect());
        }
    }
    if rows.is_empty() {
        return page.text("Nothing wrong was found.");
    }
    rows.sort_by_key(|(level, _)| std::cmp::Reverse(*level));
    let mut columns =
        vec![("level", false), ("subject", false), ("found", false), ("on the map", false)];
    if several {
        columns.insert(1, ("layer", false));
    }
    let mut table = Table::new(columns);
    rows.into_iter().for_each(|(_, cells)| table.row(cells));
    table.put(page, "What was found");
}

/// One line a layer.
fn list(page: &mut Document, report: &CheckReport, names: &[String]) {
    let mut table = Table::new([
        ("layer", false),
        ("features", true),
        ("reference system", false),
        ("faults", true),
        ("warnings", true),
    ]);
    for (at, sheet) in report.sheets.iter().enumerate() {
        let (faults, warnings) = sheet.counts();
        table.row(vec![
            Cell::Links(vec![(names[at].clone(), format!("layer{}", at + 1))]),
            Cell::count(sheet.features),
            Cell::text(sheet.crs.as_deref().unwrap_or("missing")),
            Cell::count(faults as u64),
            Cell::count(warnings as u64),
        ]);
    }
    table.put(page, "Layers");
    if let Some(agreement) = &report.agreement {
        let pairs: Vec<String> =
            agreement.overlapping.iter().map(|(a, b)| format!("{a} and {b}")).collect();
        page.text(&match pairs.as_slice() {
            [] => "No two of them overlap.".to_string(),
            pairs => format!("Overlapping: {}.", pairs.join("; ")),
        });
    }
}

/// The map of all layers, and the layers again. Where some have a system, those that have none are on
/// no map with them.
fn together(
    page: &mut Document,
    report: &CheckReport,
    layers: Vec<LayerReader>,
    several: bool,
    watch: &mut dyn Progress,
) -> Vec<LayerReader> {
    let has_system = |reader: &LayerReader| reader.info().crs.is_some();
    let some = layers.iter().any(has_system);
    let (on, off): (Vec<_>, Vec<_>) =
        layers.into_iter().enumerate().partition(|(_, reader)| !some || has_system(reader));
    let marks: Vec<MapMark> = match several {
        false => report.sheets.iter().flat_map(|sheet| marks(sheet, 0)).collect(),
        true => elsewhere(report, &on.iter().map(|(at, _)| *at).collect::<Vec<_>>()),
    };
    let (places, readers): (Vec<usize>, Vec<LayerReader>) = on.into_iter().unzip();
    let map = MapLayers { layers: readers, marks, ..MapLayers::default() };
    map::put(page, &map, 0, DrawOptions::default(), watch);
    for (_, reader) in &off {
        let name = &reader.info().name;
        page.aside(&format!(
            "{name} has no reference system, and is not on the map with the others."
        ));
    }
    let mut layers: Vec<(usize, LayerReader)> = places.into_iter().zip(map.layers).collect();
    layers.extend(off);
    layers.sort_by_key(|(at, _)| *at);
    layers.into_iter().map(|(_, reader)| reader).collect()
}

/// The places of the findings of a layer, in their order.
fn marks(sheet: &QualitySheet, layer: usize) -> impl Iterator<Item = MapMark> {
    let places = sheet
        .findings
        .iter()
        .flat_map(|finding| finding.places.iter().map(|place| (place, finding.text.as_str())));
    places.map(move |(place, text)| MapMark {
        layer,
        at: (place.x, place.y),
        crs: None,
        text: format!("feature {}: {text}", place.feature),
    })
}

/// The middles of the layers that lie elsewhere; `on` are the sheets of the layers on the map.
fn elsewhere(report: &CheckReport, on: &[usize]) -> Vec<MapMark> {
    let lost = report.agreement.iter().flat_map(|agreement| &agreement.elsewhere);
    lost.map(|lost| {
        let sample = PositionSample::of(report.sheets[lost.sheet].sample.iter().copied());
        let layer = on.iter().position(|sheet| *sheet == lost.sheet);
        MapMark {
            layer: layer.unwrap_or(usize::MAX),
            at: sample.centre().unwrap_or((f64::NAN, f64::NAN)),
            crs: None,
            text: format!("{} lies elsewhere", lost.layer),
        }
    })
    .collect()
}

fn fields(page: &mut Document, sheet: &QualitySheet) {
    if sheet.fields.is_empty() {
        return;
    }
    page.heading("Fields");
    let mut table = Table::new([
        ("field", false),
        ("type", false),
        ("filled", true),
        ("different", true),
        ("from", false),
        ("to", false),
    ]);
    for field in &sheet.fields {
        let [name, kind, filled, different, from, to] = field.cells();
        table.row(vec![
            Cell::Text(name),
            Cell::Text(kind),
            Cell::Number(filled, field.filled as f64),
            Cell::Number(different, field.different.map_or(f64::INFINITY, |count| count as f64)),
            Cell::Text(from),
            Cell::Text(to),
        ]);
    }
    table.put(page, &format!("Fields of {}", sheet.layer));
}
