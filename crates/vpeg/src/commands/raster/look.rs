//! `vpeg look` at a raster.

use super::{edges, grid_json, size_of};
use crate::show;
use serde_json::{Value as Json, json};
use std::path::Path;
use velvet_peg::raster::{Colours, RasterInfo};
use velvet_peg::{Crs, Error};

pub(crate) fn look(file: &Path, info: &RasterInfo) -> Result<(), Error> {
    show::answer(&format!(
        "{}: {}, {} × {} pixels, {} band{}\n",
        show::heading(&file.display().to_string()),
        info.format,
        info.columns,
        info.rows,
        info.bands,
        if info.bands == 1 { "" } else { "s" }
    ))?;
    let mut numbers = match info.bits {
        bits @ ..8 => format!("whole numbers of {bits} bit{}", if bits == 1 { "" } else { "s" }),
        _ => info.samples.to_string(),
    };
    numbers += ": ";
    numbers += &match &info.colours {
        Colours::Palette(list) => format!("places in a list of {} colours", list.len()),
        colours => colours.name().to_string(),
    };
    if info.opacity {
        numbers += ", the last band says how opaque a pixel is";
    }
    let crs = info.crs.as_ref();
    let system = match crs {
        None => "missing: it has to be declared".to_string(),
        Some(crs) => format!(
            "{} ({}){}",
            crs.label(),
            crs.unit_plural(),
            if info.crs_from_side_file { ", from a side file" } else { "" }
        ),
    };
    let none = match info.no_data {
        Some(value) => format!("{value}"),
        None => "nothing: every pixel has a value".to_string(),
    };
    let mut pairs = vec![
        ("numbers".to_string(), numbers),
        ("stands for no value".to_string(), none),
        ("reference system".to_string(), system),
    ];
    if let Some(grid) = &info.grid {
        let turned = if grid.is_upright() { "" } else { ", not with north up" };
        pairs.push(("pixels of".to_string(), format!("{}{turned}", size_of(grid, crs))));
        pairs.push(("coordinates".to_string(), edges(&grid.bounds(), crs)));
    }
    if let Some(by) = info.placed_by {
        let of = if info.at_middles { "middles" } else { "corners" };
        pairs.push(("placed by".to_string(), format!("{}, of {of} of pixels", by.name())));
    }
    if let Some(vertical) = &info.vertical {
        pairs.push(("heights".to_string(), vertical.label()));
    }
    let copies = match info.overviews {
        0 => String::new(),
        1 => ", 1 smaller copy".to_string(),
        count => format!(", {count} smaller copies"),
    };
    pairs.push(("packed".to_string(), format!("{}{copies}", info.packing)));
    show::answer(&show::pairs(&pairs))
}

pub(crate) fn as_json(info: &RasterInfo) -> Json {
    json!({
        "kind": "raster",
        "format": info.format.name(),
        "columns": info.columns,
        "rows": info.rows,
        "bands": info.bands,
        "numbers": info.samples.to_string(),
        "bits": info.bits,
        "colours": info.colours.name(),
        "opacity_band": info.opacity,
        "no_data": info.no_data.map(|value| if value.is_finite() { json!(value) } else { json!(value.to_string()) }),
        "crs": info.crs.as_ref().map(Crs::reference),
        "crs_name": info.crs.as_ref().map(|crs| crs.name()),
        "grid": info.grid.as_ref().map(grid_json),
        "placed_by": info.placed_by.map(|by| by.name()),
        "smaller_copies": info.overviews,
        "notices": show::notices_as_json(&info.notices),
    })
}
