//! References to a reference system on the command line: `REF`.

use crate::show;
use std::path::Path;
use velvet_peg::draw::MapLayers;
use velvet_peg::raster::RasterReader;
use velvet_peg::{Bounds, Converter, Coordinate, Crs, Error, Geographic, LayerReader, Notice};

/// Reads a `REF` that needs no data: a code, a URN or words, or `like:FILE`.
pub(crate) fn system(text: &str) -> Result<Crs, Error> {
    told(velvet_peg::reference::read_reference(text, Path::new("")))
}

fn told(read: Result<(Crs, Option<Notice>), Error>) -> Result<Crs, Error> {
    let (crs, notice) = read?;
    show::notices(notice.as_slice());
    Ok(crs)
}

/// The area of one place, given as a position (latitude first unless letters say otherwise).
pub(crate) fn point_area(text: &str) -> Result<Bounds, Error> {
    let (at, _) = place_text(text)?;
    Ok(Bounds { south: at.lat, west: at.lon, north: at.lat, east: at.lon })
}

/// A place on WGS 84 in any notation: latitude and longitude, a grid reference, or a UTM
/// position; with a remark where the text could be read in two ways.
pub(crate) fn place_text(text: &str) -> Result<(Geographic, Option<String>), Error> {
    let unread = match velvet_peg::angle::parse_position(text) {
        Ok(at) => return Ok((at, None)),
        Err(error) => error,
    };
    if let Ok(square) = velvet_peg::zones::parse_grid_reference(text) {
        let remark = format!("`{text}` is a square of {} m: its middle is taken", square.side_m);
        return Ok((square.middle, Some(remark)));
    }
    if !text.contains(|c: char| c.is_ascii_digit()) {
        return Err(Error::usage(format!(
            "`{text}` is no place: write a latitude and a longitude, such as \"47.41, -120.00\", or a \
             grid reference (`vpeg zone` takes counties, too)"
        )));
    }
    match velvet_peg::zones::utm_text(text) {
        Ok(utm) => {
            let converter = Converter::new(&utm.zone.crs()?, &Crs::from_epsg(4326)?)?;
            let at = converter.convert(Coordinate::xy(utm.easting_m, utm.northing_m))?;
            Ok((Geographic { lat: at.y, lon: at.x }, utm.remark))
        }
        // An error about the numbers says more than that it is no latitude.
        Err(error) if error.is_out_of_domain() => Err(error.into()),
        Err(_) => Err(unread.into()),
    }
}

/// Reads a `REF` that may depend on where the data lies: `utm` and `state-plane` choose the zone
/// that all of it lies in (`state-plane` in the zone's legal foot, `state-plane-m` in metres).
pub(crate) fn system_for(text: &str, layer: &LayerReader) -> Result<Crs, Error> {
    told(velvet_peg::reference::read_reference_for(text, Path::new(""), layer))
}

/// As [`system_for`], for a raster: of several zones the one that most of it lies in.
pub(crate) fn system_for_raster(text: &str, raster: &RasterReader) -> Result<Crs, Error> {
    let (crs, notices) = velvet_peg::crs::read_reference_for_raster(text, Path::new(""), raster)?;
    show::notices(&notices);
    Ok(crs)
}

/// As [`system_for`], for a map.
pub(crate) fn system_for_map(text: &str, layers: &MapLayers) -> Result<Crs, Error> {
    let (crs, notices) = layers.system(text, Path::new(""))?;
    show::notices(&notices);
    Ok(crs)
}

/// As [`system_for`], for the points of a table in a system that is known.
pub(crate) fn system_for_table(
    text: &str,
    table: &Path,
    columns: &velvet_peg::table::CoordinateColumns,
    packed: bool,
    options: &velvet_peg::table::TableOptions,
    crs: Option<&Crs>,
) -> Result<Crs, Error> {
    if !velvet_peg::reference::depends_on_data(text) {
        return system(text);
    }
    let Some(crs) = crs else {
        return Err(Error::usage(format!(
            "to find the zone for --to {text}, the reference system of the table is needed: add --crs \
             REF"
        )));
    };
    if table == Path::new("-") {
        return Err(Error::usage(format!(
            "--to {text} looks at the whole table before it is carried, and standard input is read \
             only once: name the zone by its code, or the table by its file"
        )));
    }
    let layer = velvet_peg::zones::points_of_table(table, columns, packed, options, crs)?;
    system_for(text, &LayerReader::of_layer(&layer, table))
}

/// Says that a file is taken as being in another system than it says.
pub(crate) fn say_taken_as(own: Option<&Crs>, crs: &Crs) {
    if let Some(own) = own.filter(|own| *own != crs) {
        show::remark(&format!(
            "the file says {}; taken as {} because of --crs",
            own.label(),
            crs.label()
        ));
    }
}

/// A year with decimals; moving frames are known for this age only.
pub(crate) fn year(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(year) if (1900.0..2100.0).contains(&year) => Ok(year),
        _ => Err("write a year from 1900 to 2100 with decimals, such as 2026.9".to_string()),
    }
}
