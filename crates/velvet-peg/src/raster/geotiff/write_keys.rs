//! A reference system as the keys of a GeoTIFF (OGC 19-008r4): by its code, or with its numbers.

use super::methods::{METHODS, Quantity};
use super::tags::key::{
    ANGLE_UNIT, CITATION, CONVERSION, DATUM, ELLIPSOID, GEODETIC, GEODETIC_CITATION,
    INVERSE_FLATTENING, LENGTH_SIZE, LENGTH_UNIT, MERIDIAN, MERIDIAN_LONGITUDE, METHOD, MODEL,
    PROJECTED, PROJECTED_CITATION, RASTER, SEMI_MAJOR, VERTICAL,
};
use super::tags::{IS_GEOGRAPHIC, IS_PROJECTED, USER_DEFINED};
use velvet_peg_core::Crs;

/// The three tags of keys.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct KeyTags {
    pub(super) directory: Vec<u16>,
    pub(super) doubles: Vec<f64>,
    pub(super) text: String,
}

/// What a key is to state.
enum Value {
    Code(u16),
    Figure(f64),
    Text(String),
}

/// Pixels are areas: figures that place them are of corners.
const AREAS: u16 = 1;

/// The keys of a system; none if keys cannot say it.
pub(super) fn keys_of(crs: &Crs, vertical: Option<&Crs>) -> Option<KeyTags> {
    let mut keys = vec![(RASTER, Value::Code(AREAS))];
    let short =
        |code: u32| u16::try_from(code).ok().filter(|code| (1024..USER_DEFINED).contains(code));
    keys.push((CITATION, Value::Text(crs.name().to_string())));
    if crs.is_geographic() {
        keys.push((MODEL, Value::Code(IS_GEOGRAPHIC)));
        geodetic(crs, &mut keys)?;
    } else if crs.is_projected() {
        keys.push((MODEL, Value::Code(IS_PROJECTED)));
        let unit = crs.length_unit()?;
        match crs.code().and_then(short) {
            Some(code) => keys.push((PROJECTED, Value::Code(code))),
            None => {
                if crs.derived().is_some() {
                    return None;
                }
                keys.push((PROJECTED, Value::Code(USER_DEFINED)));
                keys.push((PROJECTED_CITATION, Value::Text(crs.name().to_string())));
                let conversion = crs.conversion()?;
                let method = METHODS.iter().find(|m| m.epsg == conversion.method_code)?;
                keys.push((CONVERSION, Value::Code(USER_DEFINED)));
                keys.push((METHOD, Value::Code(method.key)));
                for parameter in conversion.parameters.iter() {
                    let (_, quantity, stated) =
                        method.parameters.iter().find(|(code, ..)| *code == parameter.code)?;
                    // Angles in degrees, lengths in metres.
                    let value = parameter.value()?;
                    let figure = match quantity {
                        Quantity::Length => value / unit.metres(),
                        Quantity::Angle | Quantity::Ratio => value,
                    };
                    keys.push((stated[0], Value::Figure(figure)));
                }
                geodetic(&crs.base()?, &mut keys)?;
            }
        }
        match short(unit.code()) {
            Some(code) => keys.push((LENGTH_UNIT, Value::Code(code))),
            None => {
                keys.push((LENGTH_UNIT, Value::Code(USER_DEFINED)));
                keys.push((LENGTH_SIZE, Value::Figure(unit.metres())));
            }
        }
    } else {
        return None;
    }
    if let Some(code) = vertical.and_then(Crs::code).and_then(short) {
        keys.push((VERTICAL, Value::Code(code)));
    }
    Some(tags(keys))
}

fn geodetic(crs: &Crs, keys: &mut Vec<(u16, Value)>) -> Option<()> {
    let short =
        |code: u32| u16::try_from(code).ok().filter(|code| (1024..USER_DEFINED).contains(code));
    if let Some(code) = crs.code().and_then(short) {
        keys.push((GEODETIC, Value::Code(code)));
        return Some(());
    }
    let datum = crs.datum()?;
    keys.push((GEODETIC, Value::Code(USER_DEFINED)));
    keys.push((GEODETIC_CITATION, Value::Text(crs.name().to_string())));
    keys.push((ANGLE_UNIT, Value::Code(9102)));
    if let Some(code) = datum.code().and_then(short) {
        keys.push((DATUM, Value::Code(code)));
        return Some(());
    }
    keys.push((DATUM, Value::Code(USER_DEFINED)));
    let ellipsoid = datum.ellipsoid();
    match ellipsoid.code().and_then(short) {
        Some(code) => keys.push((ELLIPSOID, Value::Code(code))),
        None => {
            keys.push((ELLIPSOID, Value::Code(USER_DEFINED)));
            keys.push((SEMI_MAJOR, Value::Figure(ellipsoid.semi_major_m())));
            // A sphere is not flat at all, and has no such number.
            match ellipsoid.flattening() {
                0.0 => keys
                    .push((super::tags::key::SEMI_MINOR, Value::Figure(ellipsoid.semi_minor_m()))),
                flattening => keys.push((INVERSE_FLATTENING, Value::Figure(1.0 / flattening))),
            }
        }
    }
    let meridian = datum.prime_meridian();
    keys.push((MERIDIAN, Value::Code(USER_DEFINED)));
    keys.push((MERIDIAN_LONGITUDE, Value::Figure(meridian.longitude_deg)));
    Some(())
}

fn tags(mut keys: Vec<(u16, Value)>) -> KeyTags {
    keys.sort_by_key(|(key, _)| *key);
    let count = keys.len() as u16;
    let mut tags = KeyTags { directory: vec![1, 1, 1, count], ..KeyTags::default() };
    for (key, value) in keys {
        match value {
            Value::Code(code) => tags.directory.extend([key, 0, 1, code]),
            Value::Figure(figure) => {
                tags.directory.extend([key, 34736, 1, tags.doubles.len() as u16]);
                tags.doubles.push(figure);
            }
            Value::Text(text) => {
                // Texts are ASCII, and end with a bar.
                let text: String =
                    text.chars().map(|c| if c.is_ascii() && c != '|' { c } else { '?' }).collect();
                let first = tags.text.len() as u16;
                tags.directory.extend([key, 34737, text.len() as u16 + 1, first]);
                tags.text.push_str(&text);
                tags.text.push('|');
            }
        }
    }
    tags
}
