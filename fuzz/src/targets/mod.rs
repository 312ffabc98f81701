//! The targets. They assert more than that nothing panics: rows in are rows out and rejects, what is
//! written is read again as it was, there and back closes.

mod bench;
mod files;
mod geometries;
mod grids;
mod jobs;
mod numbers;
mod rasters;
mod texts;

/// What is done with an input.
pub type Target = fn(&[u8]);

const ALL: [(&str, Target); 34] = [
    ("angle", texts::angle),
    ("reference", texts::reference),
    ("definition", texts::definition),
    ("coordinates", texts::coordinates),
    ("grid-reference", texts::grid_reference),
    ("wkt", texts::wkt),
    ("wkb", texts::wkb),
    ("sql", texts::sql),
    ("deed", jobs::deed),
    ("job", jobs::job),
    ("delimited", files::delimited),
    ("xlsx", files::xlsx),
    ("xls", files::xls),
    ("ods", files::ods),
    ("dbf", files::dbf),
    ("shapefile", files::shapefile),
    ("geopackage", files::geopackage),
    ("geojson", files::geojson),
    ("geojson-lines", files::geojson_lines),
    ("topojson", files::topojson),
    ("gpx", files::gpx),
    ("kml", files::kml),
    ("kmz", files::kmz),
    ("gml", files::gml),
    ("landxml", files::landxml),
    ("flatgeobuf", files::flatgeobuf),
    ("geoparquet", files::geoparquet),
    ("arrow", files::arrow),
    ("nmea", files::nmea),
    ("dxf", files::dxf),
    ("raster", rasters::raster),
    ("grid-file", grids::grid_file),
    ("columns", numbers::columns),
    ("geometry", geometries::geometry),
];

pub fn named(name: &str) -> Option<Target> {
    ALL.iter().find(|(own, _)| *own == name).map(|(_, target)| *target)
}

pub fn names() -> Vec<&'static str> {
    ALL.iter().map(|(name, _)| *name).collect()
}
