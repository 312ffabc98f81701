//! What is said of the way from one reference system to another.

use crate::notice::{Notice, NoticeKind};
use velvet_peg_core::Converter;
use velvet_peg_core::crs::Datum;
use velvet_peg_core::datum::Unavailable;

/// The warnings that a route deserves: shifts known only to metres, operations that do not
/// cover the data, better ones that need a file.
///
/// ```
/// use velvet_peg::{Converter, Crs};
/// use velvet_peg::convert::route_notices;
/// let converter = Converter::new(&Crs::from_epsg(4269)?, &Crs::from_epsg(4326)?)?;
/// assert!(route_notices(&converter)[0].text.contains("shifts nothing"));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
pub fn route_notices(converter: &Converter) -> Vec<Notice> {
    let route = converter.route();
    let mut notices = Vec::new();
    for (code, name, accuracy) in converter.height_changes() {
        let known =
            accuracy.map_or("accuracy not stated".to_string(), |m| format!("known to {m} m"));
        let text = format!("heights change by {name} [EPSG:{code}] ({known})");
        notices.push(with_accuracy(Notice::note(NoticeKind::Height, text), accuracy));
    }
    let of_heights = better("a more accurate change of heights exists", converter.better_heights());
    notices.extend(of_heights);
    if route.operations().next().is_none() {
        return notices;
    }
    let accuracy = route.accuracy_m();
    let known = accuracy.map_or("an accuracy that is not stated".to_string(), |m| {
        // A sum of decimals without the noise of its binary digits.
        format!("{} m", (m * 1e6).round() / 1e6)
    });
    if route.is_unknown_shift() {
        let (from, to) = (converter.source().datum(), converter.target().datum());
        // Geocentric coordinates stay; latitudes follow the ellipsoid.
        let axes = from.zip(to).map_or(0.0, |(from, to)| {
            let (from, to) = (from.ellipsoid(), to.ellipsoid());
            (from.semi_major_m() - to.semi_major_m()).hypot(from.semi_minor_m() - to.semi_minor_m())
        });
        let shift = match axes * 1e3 {
            0.0 => "changes no number".to_string(),
            mm => {
                let most = if mm < 1e3 { format!("{mm:.1} mm") } else { format!("{axes:.0} m") };
                format!(
                    "shifts nothing (numbers change by {most} at most, the difference of the \
                     ellipsoids)"
                )
            }
        };
        let name = |datum: Option<&Datum>| datum.map_or(String::new(), |d| d.name().to_string());
        let (from, to) = (name(from), name(to));
        notices.push(match accuracy {
            Some(metres) if metres < 0.5 => {
                let known = if metres == 0.0 {
                    "they are the same by definition".to_string()
                } else {
                    format!("they agree to {known}")
                };
                let text = format!("the operation between {from} and {to} {shift}: {known}");
                with_accuracy(Notice::note(NoticeKind::DatumChange, text), accuracy)
            }
            _ => {
                let text = format!(
                    "{from} and {to} are different datums, but the operation between them {shift}: \
                     true positions may differ from the result by up to about {known}"
                );
                with_accuracy(Notice::warning(NoticeKind::DatumChange, text), accuracy)
            }
        });
    } else if accuracy.is_none_or(|metres| metres >= 0.5) {
        let text = format!("the change of datum is known to {known} only");
        notices.push(with_accuracy(Notice::warning(NoticeKind::DatumChange, text), accuracy));
    }
    if !route.covers_area {
        let areas: Vec<&str> =
            route.operations().map(|operation| operation.extent().name()).collect();
        notices.push(Notice::warning(
            NoticeKind::DatumChange,
            format!(
                "some of the data lies outside the area that the operation is meant for ({})",
                areas.join("; ")
            ),
        ));
    }
    // Somebody who names an operation should know what it costs.
    let usual = route.alternatives.first().filter(|way| route.is_named && way.share >= 1.0);
    if let Some(usual) = usual
        && let (Some(named), Some(known)) = (accuracy, usual.accuracy_m())
        && known < named
    {
        let text = format!("the operation was named; else it would be {}", usual.summary());
        notices.push(with_accuracy(Notice::note(NoticeKind::DatumChange, text), Some(known)));
    }
    notices.extend(better("a more accurate operation exists", route.unavailable.iter().collect()));
    notices
}

/// What would be better, and what that needs.
fn better(exists: &str, unavailable: Vec<&Unavailable>) -> Option<Notice> {
    let first = unavailable.first()?;
    let metres = first.accuracy_m.map_or(String::new(), |m| format!(" ({m} m)"));
    let more = match unavailable.len() - 1 {
        0 => String::new(),
        more => format!(", and {more} more"),
    };
    let text = format!(
        "{exists}: {} [EPSG:{}]{metres} needs {}{more}",
        first.name, first.code, first.needs
    );
    Some(with_accuracy(Notice::note(NoticeKind::DatumChange, text), first.accuracy_m))
}

fn with_accuracy(notice: Notice, accuracy_m: Option<f64>) -> Notice {
    match accuracy_m {
        Some(metres) => notice.with("accuracy", metres, "m"),
        None => notice,
    }
}
