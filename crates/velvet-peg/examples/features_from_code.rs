//! Points, lines and polygons with attributes, from plain tuples.
use velvet_peg::{Crs, Geometry, Layer};

fn main() -> velvet_peg::Result<()> {
    let mut district = Layer::new("district", Some(Crs::parse("EPSG:32610")?));
    let gates = [(726_010.0, 5_254_894.0, "Gate 7"), (726_120.0, 5_254_910.0, "Gate 8")];
    for (east, north, name) in gates {
        district.push((east, north), [("name", name.into())])?;
    }
    let ditch = gates.map(|(east, north, _)| (east, north));
    district.push(ditch, [("name", "Alder Lateral".into())])?;
    let corners = [(726_000.0, 5_254_900.0), (726_090.0, 5_254_900.0), (726_000.0, 5_254_990.0)];
    district.push(Geometry::polygon(corners), [("name", "Field 3".into())])?;
    for feature in district.convert(&Crs::parse("EPSG:4326")?)?.features() {
        println!("{:?} {:?}", feature.value("name"), feature.vertices());
    }
    Ok(())
}
