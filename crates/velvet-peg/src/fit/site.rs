//! The reference system of a site, from points that are known in it and in another.

use crate::error::{Error, Result};
use velvet_peg_core::Crs;
use velvet_peg_core::fit::{Fit, FitKind};
use velvet_peg_core::projection::{PlaneAffine, PlaneSimilarity};

/// The system whose coordinates a fit carries to those of `known`: derived from it by a similarity of the
/// plane, or an affine mapping.
///
/// ```
/// use velvet_peg::fit::{CommonPoint, FitKind, fit, site_system};
/// use velvet_peg::{Converter, Coordinate, Crs};
/// let known = Crs::from_epsg(2285)?;
/// let points = [
///     CommonPoint { from: (5000.0, 5000.0), to: (1_850_000.0, 150_000.0) },
///     CommonPoint { from: (6000.0, 5000.0), to: (1_850_000.0, 151_000.0) },
/// ];
/// let fitted = fit(FitKind::Similarity, &points, false)?;
/// let site = site_system("Tumblewick yard", &known, &fitted)?;
/// let at = Converter::new(&site, &known)?.convert(Coordinate::xy(5500.0, 5000.0))?;
/// assert!((at.x - 1_850_000.0).abs() < 1e-6 && (at.y - 150_500.0).abs() < 1e-6);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the fit is of second order, or the known system is not projected.
pub fn site_system(name: &str, known: &Crs, fit: &Fit) -> Result<Crs> {
    let Some([origin, first, second]) = fit.mapping.linear() else {
        return Err(Error::usage(format!(
            "definitions have words for a plane that is shifted, turned, stretched and skewed, not for one that \
             is bent by {}: fit a similarity or an affine mapping",
            fit.mapping.kind()
        )));
    };
    if fit.mapping.kind() == FitKind::Affine {
        if first.0 * second.1 < first.1 * second.0 {
            return Err(Error::usage(
                "the site's points run clockwise where the known ones run anticlockwise: are easting and \
                 northing swapped in one of them?",
            ));
        }
        return Ok(Crs::turned(name, known, PlaneAffine::new(origin, first, second)?.inverse())?);
    }
    let size = first.0.hypot(first.1);
    let turn = PlaneSimilarity::new((0.0, 0.0), 1.0 / size, first.1.atan2(first.0).to_degrees())?;
    // The site's origin lies where the fit carries it.
    let at = turn.apply(origin);
    let turn = PlaneSimilarity { origin: (-at.0, -at.1), ..turn };
    Ok(Crs::turned(name, known, turn)?)
}
