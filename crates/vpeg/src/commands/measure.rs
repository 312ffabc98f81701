//! `vpeg measure`: lengths, perimeters and areas of a layer.

use crate::progress::Progress;
use crate::{Ending, reference, show};
use clap::Args;
use serde_json::{Value as Json, json};
use std::path::PathBuf;
use velvet_peg::{
    AreaUnit, Error, GeometryKind, LayerReader, LengthUnit, MeasureOptions, Measured, Measures,
    measure,
};

#[derive(Debug, Args)]
pub(crate) struct Measure {
    /// Layer file.
    file: PathBuf,
    /// Grid for plane figures; the layer's own system if it is projected.
    #[arg(long, value_name = "REF")]
    grid: Option<String>,
    /// Ellipsoidal height of the ground in metres, for figures on the ground.
    #[arg(long, value_name = "METRES", allow_negative_numbers = true)]
    height: Option<f64>,
    /// Layer to take, if the file has several.
    #[arg(long)]
    layer: Option<String>,
    /// Features to list; totals always count all.
    #[arg(long, default_value_t = 50)]
    limit: usize,
}

impl Measure {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let reader = LayerReader::open(&self.file, self.layer.as_deref())?;
        let options = MeasureOptions {
            grid: self.grid.as_deref().map(reference::system).transpose()?,
            ground_height_m: self.height,
        };
        let mut progress = Progress::new("measuring");
        let measures = measure(&reader, &options, &mut progress)?;
        drop(progress);
        if show::wants_json() {
            show::json(&as_json(&measures, &reader.info().name))?;
        } else {
            self.text(&measures, &reader.info().name)?;
        }
        show::notices(&measures.notices);
        Ok(Ending::Done)
    }

    fn text(&self, measures: &Measures, name: &str) -> Result<(), Error> {
        show::answer(&format!(
            "{}: {} features in {}\n  ellipsoid figures: geodesic, on {}{}{}",
            show::heading(name),
            measures.features.len(),
            measures.crs.label(),
            measures.ellipsoid,
            measures.grid.as_ref().map_or(String::new(), |grid| format!(
                "\n  grid figures: plane, on {}, turned into metres",
                grid.label()
            )),
            measures.ground_height_m.map_or(String::new(), |h| format!(
                "\n  ground figures: at an ellipsoidal height of {h} m"
            )),
        ))?;
        if measures.features.is_empty() {
            return show::answer("  no features to measure");
        }
        let areal = measures.features.iter().any(|m| single(m) == Some(GeometryKind::Polygon));
        let linear = measures.features.iter().any(|m| single(m) == Some(GeometryKind::Line));
        if !areal && !linear {
            return show::answer(
                "\n  points have neither length nor area; distances between them: vpeg course",
            );
        }
        if areal {
            show::answer("  acres: US survey, 43 560 square US survey feet")?;
        }
        let mut header = vec!["feature".to_string(), "name".to_string(), "kind".to_string()];
        let columns = Columns::new(measures, areal);
        header.extend(columns.0.iter().map(|(title, _, _)| title.clone()));
        let mut table = show::Table::with_header(header);
        for measured in measures.features.iter().take(self.limit) {
            let mut row = vec![
                measured.number.to_string(),
                measured.label.chars().take(24).collect(),
                measured.kind.map_or("none", GeometryKind::name).to_string(),
            ];
            row.extend(
                columns.0.iter().map(|(_, figure, decimals)| cell(figure(measured), *decimals)),
            );
            table.row(row);
        }
        let statistic = |label: &str, of: &dyn Fn(&[f64]) -> f64, table: &mut show::Table| {
            let mut row = vec![String::new(), label.to_string(), String::new()];
            row.extend(columns.0.iter().map(|(title, figure, decimals)| {
                let values: Vec<f64> = measures.features.iter().filter_map(figure).collect();
                // Shares cannot be summed.
                let summed = title.contains('%') && label == "total";
                cell((!values.is_empty() && !summed).then(|| of(&values)), *decimals)
            }));
            table.row(row);
        };
        if measures.features.len() > 1 {
            table.rule();
            statistic("total", &|v| v.iter().sum(), &mut table);
            statistic("mean", &|v| v.iter().sum::<f64>() / v.len() as f64, &mut table);
            statistic("smallest", &|v| v.iter().copied().fold(f64::INFINITY, f64::min), &mut table);
            statistic(
                "largest",
                &|v| v.iter().copied().fold(f64::NEG_INFINITY, f64::max),
                &mut table,
            );
        }
        show::answer(&format!("\n{}", table.text()))?;
        if measures.features.len() > self.limit {
            show::remark(&format!(
                "{} of {} features listed: raise --limit, or use --json for all",
                self.limit,
                measures.features.len()
            ));
        }
        Ok(())
    }
}

fn single(measured: &Measured) -> Option<GeometryKind> {
    measured.kind.map(GeometryKind::single)
}

fn cell(value: Option<f64>, decimals: usize) -> String {
    value.map_or(String::new(), |value| format!("{value:.decimals$}"))
}

type Figure = Box<dyn Fn(&Measured) -> Option<f64>>;

/// Columns of figures: title with unit, how to get it, digits behind the point.
struct Columns(Vec<(String, Figure, usize)>);

impl Columns {
    fn new(measures: &Measures, areal: bool) -> Columns {
        let mut columns: Vec<(String, Figure, usize)> = Vec::new();
        let mut add = |title: &str, decimals: usize, figure: Figure| {
            columns.push((title.to_string(), figure, decimals))
        };
        let acre = AreaUnit::UsSurveyAcre.square_metres();
        let foot = LengthUnit::US_SURVEY_FOOT.metres();
        if areal {
            add("perimeter m", 2, Box::new(|m| Some(m.length_m)));
            add("ellipsoid m²", 2, Box::new(|m| Some(m.area_m2)));
            add("ellipsoid acres", 4, Box::new(move |m| Some(m.area_m2 / acre)));
        } else {
            add("ellipsoid m", 3, Box::new(|m| Some(m.length_m)));
            add("ellipsoid ftUS", 3, Box::new(move |m| Some(m.length_m / foot)));
        }
        if measures.grid.is_some() {
            if areal {
                add("grid m²", 2, Box::new(|m| m.grid_area_m2));
                add(
                    "grid off by %",
                    4,
                    Box::new(|m| Some((m.grid_area_m2? / m.area_m2 - 1.0) * 100.0)),
                );
            } else {
                add("grid m", 3, Box::new(|m| m.grid_length_m));
                add(
                    "grid off by %",
                    4,
                    Box::new(|m| Some((m.grid_length_m? / m.length_m - 1.0) * 100.0)),
                );
            }
        }
        if measures.ground_height_m.is_some() {
            if areal {
                add("ground m²", 2, Box::new(|m| m.ground_area_m2));
                add("ground acres", 4, Box::new(move |m| Some(m.ground_area_m2? / acre)));
            } else {
                add("ground m", 3, Box::new(|m| m.ground_length_m));
            }
        }
        Columns(columns)
    }
}

fn as_json(measures: &Measures, name: &str) -> Json {
    let acre = AreaUnit::UsSurveyAcre.square_metres();
    let features: Vec<Json> = measures
        .features
        .iter()
        .map(|m| {
            let mut entry = json!({
                "feature": m.number,
                "name": m.label,
                "kind": m.kind.map(GeometryKind::name),
                "vertices": m.vertices,
            });
            let mut put = |key: &str, value: Option<f64>| {
                if let Some(value) = value {
                    entry[key] = json!(value);
                }
            };
            let polygon = single(m) == Some(GeometryKind::Polygon);
            let length = if polygon { "perimeter" } else { "length" };
            if polygon || single(m) == Some(GeometryKind::Line) {
                put(&format!("{length}_ellipsoid_m"), Some(m.length_m));
                put(&format!("{length}_grid_m"), m.grid_length_m);
                put(&format!("{length}_ground_m"), m.ground_length_m);
            }
            if polygon {
                put("area_ellipsoid_m2", Some(m.area_m2));
                put("area_ellipsoid_acres_us_survey", Some(m.area_m2 / acre));
                put("area_grid_m2", m.grid_area_m2);
                put("area_ground_m2", m.ground_area_m2);
            }
            entry
        })
        .collect();
    json!({
        "layer": name,
        "crs": measures.crs.reference(),
        "crs_name": measures.crs.name(),
        "ellipsoid": measures.ellipsoid,
        "grid": measures.grid.as_ref().map(|grid| grid.reference()),
        "ground_height_m": measures.ground_height_m,
        "features": features,
        "totals": {
            "features": measures.features.len(),
            "length_ellipsoid_m": measures.total(|m| Some(m.length_m)),
            "area_ellipsoid_m2": measures.total(|m| Some(m.area_m2)),
            "length_grid_m": measures.total(|m| m.grid_length_m),
            "area_grid_m2": measures.total(|m| m.grid_area_m2),
            "length_ground_m": measures.total(|m| m.ground_length_m),
            "area_ground_m2": measures.total(|m| m.ground_area_m2),
        },
        "notices": measures.notices.iter().map(|n| n.text.clone()).collect::<Vec<_>>(),
    })
}
