//! What a fit to common points comes to, as a table and as JSON.

use crate::show;
use serde_json::{Value as Json, json};
use velvet_peg::fit::{Fit, NamedPoint};
use velvet_peg::{Crs, Error};

/// Digits behind the point for lengths in the unit of a system: a millimetre, or what is as small in
/// degrees.
fn digits(crs: &Crs) -> usize {
    if crs.is_geographic() { 9 } else { 3 }
}

/// Shows residuals, figures and the standard error; warns of a doubtful point.
pub(super) fn show_fit(fit: &Fit, points: &[NamedPoint], crs: &Crs) -> Result<(), Error> {
    let digits = digits(crs);
    let unit = crs.unit_plural();
    // What rounds to nothing has no sign.
    let text = |value: f64| {
        let text = format!("{value:.digits$}");
        match text.trim_start_matches(['-', '0', '.']).is_empty() {
            true => text.trim_start_matches('-').to_string(),
            false => text,
        }
    };
    let mut table = show::Table::new(["point", "off x", "off y", "off", "off, if left out", ""]);
    for (named, residual) in points.iter().zip(&fit.residuals) {
        let without = match residual.off_without {
            Some((x, y)) => text(x.hypot(y)),
            None => "not checked by others".to_string(),
        };
        table.row(vec![
            named.name.clone(),
            text(residual.off.0),
            text(residual.off.1),
            text(residual.length()),
            without,
            if residual.is_doubtful { "doubtful" } else { "" }.to_string(),
        ]);
    }
    show::answer(&format!("residuals, known less fitted ({unit}):\n\n{}", table.text()))?;
    let mut pairs = Vec::new();
    for figure in &fit.figures {
        let unit = if figure.unit == "degree" { "°" } else { "" };
        let error = match figure.standard_error {
            Some(error) => format!(" ± {error:.2e}{unit}"),
            None => String::new(),
        };
        pairs.push((figure.name.to_string(), format!("{:.9}{unit}{error}", figure.value)));
    }
    let standard = match fit.standard_error {
        Some(error) => {
            format!("{} {unit}, from {} coordinates more than needed", text(error), fit.redundancy)
        }
        None => "unknown: there are no more points than the mapping needs".to_string(),
    };
    pairs.push(("standard error of a coordinate".to_string(), standard));
    show::answer(&format!("\n{}", show::pairs(&pairs)))?;
    warn(fit, points, crs);
    Ok(())
}

pub(super) fn warn(fit: &Fit, points: &[NamedPoint], crs: &Crs) {
    let digits = digits(crs);
    for (named, residual) in points.iter().zip(&fit.residuals).filter(|(_, r)| r.is_doubtful) {
        let (x, y) = residual.off_without.unwrap_or(residual.off);
        show::warning(&format!(
            "point {} (row {}) lies {:.digits$} {} from where the others put it (x {x:+.digits$}, y \
             {y:+.digits$}): look at it again, or leave it out",
            named.name,
            named.row,
            x.hypot(y),
            crs.unit_plural()
        ));
    }
    if fit.standard_error.is_none() {
        show::warning(
            "nothing checks the fit: a point that is wrong cannot be seen; take one more at least",
        );
    }
}

pub(super) fn as_json(fit: &Fit, points: &[NamedPoint], crs: &Crs) -> Json {
    json!({
        "kind": fit.mapping.kind().name(),
        "unit": crs.unit_name(),
        "standard_error": fit.standard_error,
        "redundancy": fit.redundancy,
        "figures": fit.figures.iter().map(|figure| json!({
            "name": figure.name, "value": figure.value, "standard_error": figure.standard_error,
            "unit": figure.unit,
        })).collect::<Vec<_>>(),
        "points": points.iter().zip(&fit.residuals).map(|(named, residual)| json!({
            "name": named.name,
            "row": named.row,
            "off": [residual.off.0, residual.off.1],
            "off_if_left_out": residual.off_without.map(|(x, y)| [x, y]),
            "doubtful": residual.is_doubtful,
        })).collect::<Vec<_>>(),
    })
}
