//! Names of reference systems in files: URNs and addresses of OGC.

use velvet_peg_core::Crs;

/// The system that a name stands for: a URN (OGC 07-092r3) or an address (OGC 09-048r5) of an EPSG
/// code or of WGS 84 with the longitude first, or of a compound system by its parts.
///
/// # Errors
/// If it is none of these, or the dataset has no such system.
pub(crate) fn crs_of_name(name: &str) -> Result<Crs, String> {
    let name = name.trim().to_ascii_lowercase();
    // Parts of a compound system: `urn:ogc:def:crs,crs:EPSG::25832,crs:EPSG::5783`, or addresses
    // with the parts as `1=` and `2=`.
    let parts: Vec<&str> = match name.split_once('?') {
        Some((start, query)) if start.contains("crs-compound") => {
            query.split('&').filter_map(|part| part.split_once('=')).map(|(_, part)| part).collect()
        }
        _ => name.split(',').filter(|part| part.contains("epsg") || part.contains("84")).collect(),
    };
    match parts.as_slice() {
        [one] => single(one),
        [horizontal, vertical] => Crs::compound(&single(horizontal)?, &single(vertical)?)
            .map_err(|error| error.to_string()),
        _ => Err("it is no code of the EPSG dataset".to_string()),
    }
}

fn single(name: &str) -> Result<Crs, String> {
    let code = match name.rsplit([':', '/', '#']).next().unwrap_or_default() {
        "crs84" => 4326,
        "84" if name.ends_with("crs:84") => 4326,
        digits if name.contains("epsg") => {
            digits.parse().map_err(|_| format!("`{digits}` is no code of the EPSG dataset"))?
        }
        _ => return Err("it is no code of the EPSG dataset".to_string()),
    };
    Crs::from_epsg(code).map_err(|error| error.to_string())
}

/// The address of a system of the dataset.
pub(crate) fn address_of(code: u32) -> String {
    format!("http://www.opengis.net/def/crs/EPSG/0/{code}")
}
