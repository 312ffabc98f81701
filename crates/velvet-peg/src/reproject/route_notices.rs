//! What is said of the way from one reference system to another.

use crate::notice::Notice;
use velvet_peg_core::Converter;

/// The warnings that a route deserves: shifts known only to metres, operations that do not
/// cover the data, better ones that need a file.
///
/// ```
/// use velvet_peg::{Converter, Crs};
/// use velvet_peg::convert::route_notices;
/// let converter = Converter::new(&Crs::from_epsg(4269)?, &Crs::from_epsg(4326)?)?;
/// assert!(route_notices(&converter)[0].text.contains("changes no number"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn route_notices(converter: &Converter) -> Vec<Notice> {
    let route = converter.route();
    let mut notices = Vec::new();
    if let Some((code, name, accuracy)) = converter.height_change() {
        let known =
            accuracy.map_or("accuracy not stated".to_string(), |m| format!("known to {m} m"));
        notices.push(Notice::note(format!("heights changed by {name} [EPSG:{code}] ({known})")));
    }
    if route.operations().next().is_none() {
        return notices;
    }
    let known = route
        .accuracy_m()
        .map_or("an accuracy that is not stated".to_string(), |m| format!("{m} m"));
    if route.is_unknown_shift() {
        notices.push(Notice::warning(format!(
            "{} and {} are different datums, but the operation between them changes no number: \
             true positions may differ from the result by up to about {known}",
            converter.source().datum().map_or("", |datum| datum.name()),
            converter.target().datum().map_or("", |datum| datum.name())
        )));
    } else if route.accuracy_m().is_none_or(|metres| metres >= 0.5) {
        notices.push(Notice::warning(format!("the change of datum is known to {known} only")));
    }
    if !route.covers_area {
        let areas: Vec<&str> =
            route.operations().map(|operation| operation.extent().name()).collect();
        notices.push(Notice::warning(format!(
            "some of the data lies outside the area that the operation is meant for ({})",
            areas.join("; ")
        )));
    }
    if let Some(better) = route.unavailable.first() {
        let metres = better.accuracy_m.map_or(String::new(), |m| format!(" ({m} m)"));
        let more = match route.unavailable.len() - 1 {
            0 => String::new(),
            more => format!(", and {more} more"),
        };
        notices.push(Notice::note(format!(
            "a more accurate operation exists: {} [EPSG:{}]{metres} needs {}{more}",
            better.name, better.code, better.needs
        )));
    }
    notices
}
