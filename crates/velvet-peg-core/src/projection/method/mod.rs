//! The methods of projection: one file each, with the description that the table here lists.
//!
//! A new method is a file with its formula and its [`Method`], and a line in [`TABLE`].

mod albers;
mod azimuthal_equal_area;
mod azimuthal_equidistant;
mod bonne;
mod cassini;
mod colombia_urban;
mod cylindrical_equal_area;
mod equal_earth;
mod equidistant_conic;
mod equidistant_cylindrical;
mod guam;
mod hotine;
mod krovak;
mod laborde;
mod lambert_conic;
mod local_orthographic;
mod mercator;
mod modified_azimuthal_equidistant;
mod near_conformal;
mod new_zealand_map_grid;
mod oblique_stereographic;
mod polar_stereographic;
mod polyconic;
mod spherical_mercator;
mod transverse_mercator;
mod tunisia_mining_grid;
mod vertical_perspective;
mod zoned_grid;

use super::kernel::Kernel;
use super::parameter_code as code;
use super::parameters::Parameters;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use std::fmt;
use std::sync::Arc;
use velvet_peg_epsg::method_name;

/// What is known of a method of projection.
pub(crate) struct Method {
    /// EPSG code.
    pub(crate) code: u32,
    /// EPSG codes of its parameters, in the order of the registry.
    pub(crate) parameters: &'static [u32],
    /// Words for it in definitions besides the registry's own name (OGC 01-009 and the files beside
    /// Shapefiles); the first is the one written.
    words: &'static [&'static str],
    /// EPSG codes of the parameters that hold the false origin.
    pub(super) false_origin: (u32, u32),
    /// −1 where the false origin counts the other way than the axes.
    pub(super) false_sense: f64,
    /// −1 where the method counts westings or southings.
    pub(super) sense: (f64, f64),
    /// Makes the mapping from the parameters.
    pub(super) build: fn(&Parameters, &Ellipsoid) -> Result<Arc<dyn Kernel>>,
}

impl Method {
    /// What most methods have in common.
    const PLAIN: Method = Method {
        code: 0,
        parameters: &[],
        words: &[],
        false_origin: code::NATURAL,
        false_sense: 1.0,
        sense: (1.0, 1.0),
        build: |_, _| Err(Error::unsupported("a method without a formula")),
    };
}

impl fmt::Debug for Method {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Method({})", self.code)
    }
}

/// Every method that can be computed: all that projected systems of the registry use, and 1044
/// (Mercator variant C), 9827 (Bonne), 1119 (Equidistant Conic), 9838 (Vertical Perspective) and 9840
/// (Orthographic).
static TABLE: &[&[Method]] = &[
    albers::METHODS,
    azimuthal_equal_area::METHODS,
    azimuthal_equidistant::METHODS,
    bonne::METHODS,
    cassini::METHODS,
    colombia_urban::METHODS,
    cylindrical_equal_area::METHODS,
    equal_earth::METHODS,
    equidistant_conic::METHODS,
    equidistant_cylindrical::METHODS,
    guam::METHODS,
    hotine::METHODS,
    krovak::METHODS,
    laborde::METHODS,
    lambert_conic::METHODS,
    local_orthographic::METHODS,
    mercator::METHODS,
    modified_azimuthal_equidistant::METHODS,
    near_conformal::METHODS,
    new_zealand_map_grid::METHODS,
    oblique_stereographic::METHODS,
    polar_stereographic::METHODS,
    polyconic::METHODS,
    spherical_mercator::METHODS,
    transverse_mercator::METHODS,
    tunisia_mining_grid::METHODS,
    vertical_perspective::METHODS,
    zoned_grid::METHODS,
];

fn all() -> impl Iterator<Item = &'static Method> {
    TABLE.iter().copied().flatten()
}

/// The method of an EPSG code.
///
/// # Errors
/// If it is none that can be computed.
pub(super) fn find(code: u32) -> Result<&'static Method> {
    all().find(|method| method.code == code).ok_or_else(|| {
        Error::unsupported(format!(
            "the method {code} ({}) is not a projection that can be computed",
            method_name(code).unwrap_or("unknown")
        ))
    })
}

/// EPSG codes of the projection methods that can be computed.
///
/// ```
/// assert!(velvet_peg_core::projection::method_codes().any(|code| code == 9807)); // Transverse Mercator
/// ```
pub fn method_codes() -> impl Iterator<Item = u32> {
    all().map(|method| method.code)
}

/// EPSG codes of the parameters of a method; none if it cannot be computed.
pub fn parameters_of(method: u32) -> Option<&'static [u32]> {
    all().find(|known| known.code == method).map(|known| known.parameters)
}

/// The code of the method that one of its words stands for, compared as `same` says.
pub(crate) fn method_of_word(same: impl Fn(&str) -> bool) -> Option<u32> {
    all().find(|method| method.words.iter().any(|word| same(word))).map(|method| method.code)
}

/// The word that is written for a method; none if it has none of its own.
pub(crate) fn word_of_method(code: u32) -> Option<&'static str> {
    all().find(|method| method.code == code)?.words.first().copied()
}
