//! Layers to draw, and the parts of the maps that are made of them.

use velvet_peg::draw::{DrawOptions, svg};
use velvet_peg::{Crs, Layer, Value};

pub(crate) fn crs(code: u32) -> Crs {
    Crs::from_epsg(code).unwrap()
}

/// Points of a system, with the attributes `name` and `depth`.
pub(crate) fn points(code: u32, places: &[(f64, f64)]) -> Layer {
    let mut layer = Layer::new("stations", Some(crs(code)));
    for (at, place) in places.iter().enumerate() {
        let depth = Value::from(at as f64);
        layer.push(*place, [("name", format!("S-{at}").into()), ("depth", depth)]).unwrap();
    }
    layer
}

pub(crate) fn plain() -> DrawOptions {
    DrawOptions::default()
}

pub(crate) fn drawn(layer: &Layer, options: &DrawOptions) -> String {
    svg(std::slice::from_ref(layer), options).unwrap().0
}

/// All texts of a picture in their order.
pub(crate) fn texts(svg: &str) -> Vec<&str> {
    svg.split("<text ").skip(1).filter_map(|t| t.split('>').nth(1)?.split('<').next()).collect()
}

/// Numbers of all attributes of this name in a part of a picture.
pub(crate) fn numbers(svg: &str, name: &str) -> Vec<f64> {
    let name = format!(" {name}=\"");
    let parts = svg.split(name.as_str()).skip(1);
    parts.filter_map(|rest| rest.split('"').next()?.parse().ok()).collect()
}

/// The part of a picture that layers are drawn in.
pub(crate) fn layers_of(svg: &str, frame: usize) -> &str {
    let rest = svg.split(&format!("<g id=\"layers{frame}\"")).nth(1).unwrap();
    rest.split("<rect id=\"border").next().unwrap()
}
