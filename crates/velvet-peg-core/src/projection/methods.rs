//! The table of methods: which kernel an EPSG method code builds, from which parameters, with
//! which false origin and in which sense its axes count.

use super::albers::Albers;
use super::azimuthal_equal_area::AzimuthalEqualArea;
use super::azimuthal_equidistant::AzimuthalEquidistant;
use super::bonne::Bonne;
use super::cassini::Cassini;
use super::colombia_urban::ColombiaUrban;
use super::cylindrical_equal_area::CylindricalEqualArea;
use super::equal_earth::EqualEarth;
use super::equidistant_cylindrical::EquidistantCylindrical;
use super::guam::Guam;
use super::hotine::{Hotine, HotineParameters};
use super::kernel::Kernel;
use super::krovak::{Correction, Krovak, KrovakParameters};
use super::laborde::Laborde;
use super::lambert_conic::LambertConic;
use super::local_orthographic::LocalOrthographic;
use super::mercator::Mercator;
use super::modified_azimuthal_equidistant::ModifiedAzimuthalEquidistant;
use super::near_conformal::NearConformal;
use super::new_zealand_map_grid::NewZealandMapGrid;
use super::oblique_stereographic::ObliqueStereographic;
use super::parameters::Parameters;
use super::polar_stereographic::PolarStereographic;
use super::polyconic::Polyconic;
use super::spherical_mercator::SphericalMercator;
use super::transverse_mercator::TransverseMercator;
use super::tunisia_mining_grid::TunisiaMiningGrid;
use super::zoned_grid::ZonedGrid;
use crate::authalic::Authalic;
use crate::ellipsoid::Ellipsoid;
use crate::error::{Error, Result};
use std::sync::Arc;
use velvet_peg_epsg::method_name;

/// A kernel and what the method does around it.
pub(super) struct Built {
    pub(super) kernel: Arc<dyn Kernel>,
    /// EPSG codes of the parameters that hold the false origin.
    pub(super) false_origin: (u32, u32),
    /// −1 where the false origin counts the other way than the axes.
    pub(super) false_sense: f64,
    /// −1 where the method counts westings or southings.
    pub(super) sense: (f64, f64),
}

/// EPSG codes of the projection methods that can be computed: all that projected systems of
/// the registry use, and 1044 (Mercator variant C) and 9827 (Bonne).
pub const METHODS: &[u32] = &[
    1024, 1027, 1028, 1029, 1041, 1042, 1043, 1044, 1051, 1052, 1078, 1102, 1111, 1125, 1130, 9801,
    9802, 9803, 9804, 9805, 9806, 9807, 9808, 9809, 9810, 9811, 9812, 9813, 9815, 9816, 9817, 9818,
    9819, 9820, 9822, 9823, 9824, 9826, 9827, 9828, 9829, 9830, 9831, 9832, 9833, 9834, 9835, 9841,
    9842,
];

const NATURAL: (u32, u32) = (8806, 8807);
const FALSE: (u32, u32) = (8826, 8827);
const CENTRE: (u32, u32) = (8816, 8817);

pub(super) fn build(code: u32, given: &Parameters, ellipsoid: &Ellipsoid) -> Result<Built> {
    let angle = |code| given.degrees(code);
    let scale = |code| given.ratio(code);
    // Latitude and longitude of the natural origin, where most methods have one.
    let origin = || -> Result<(f64, f64)> { Ok((angle(8801)?, angle(8802)?)) };
    let built = match code {
        1024 => {
            let radius = ellipsoid.semi_major_m();
            let kernel = SphericalMercator { ellipsoid: *ellipsoid, lon0: angle(8802)?, radius };
            plain(kernel, NATURAL)
        }
        9841 => {
            let radius = Authalic::new(ellipsoid).radius_m() * scale(8805)?;
            let kernel = SphericalMercator { ellipsoid: *ellipsoid, lon0: angle(8802)?, radius };
            plain(kernel, NATURAL)
        }
        9804 => plain(Mercator::new(ellipsoid, angle(8802)?, scale(8805)?), NATURAL),
        9805 => plain(Mercator::true_on(ellipsoid, angle(8802)?, angle(8823)?), NATURAL),
        1044 => plain(
            Mercator::true_on(ellipsoid, angle(8802)?, angle(8823)?)
                .origin_on_parallel(angle(8821)?),
            FALSE,
        ),
        9807 | 1111 => plain(transverse(given, ellipsoid)?, NATURAL),
        9808 => Built { sense: (-1.0, -1.0), ..plain(transverse(given, ellipsoid)?, NATURAL) },
        9824 => plain(
            ZonedGrid::new(
                ellipsoid,
                angle(8801)?,
                (angle(8830)?, angle(8831)?),
                scale(8805)?,
                given.metres(8806)?,
            )?,
            NATURAL,
        ),
        9801 | 9826 => {
            let (lat0, lon0) = origin()?;
            let kernel = LambertConic::one_parallel(ellipsoid, lat0, lon0, scale(8805)?)?;
            let east = if code == 9826 { -1.0 } else { 1.0 };
            Built { sense: (east, 1.0), ..plain(kernel, NATURAL) }
        }
        1102 => plain(
            LambertConic::one_parallel_from(
                ellipsoid,
                (angle(8821)?, angle(8822)?),
                angle(8801)?,
                scale(8805)?,
            )?,
            FALSE,
        ),
        9802 | 9803 | 1051 => {
            let kernel = LambertConic::two_parallels(
                ellipsoid,
                angle(8821)?,
                angle(8822)?,
                angle(8823)?,
                angle(8824)?,
            )?;
            let kernel = match code {
                9803 => kernel.turned_for_belgium(),
                1051 => kernel.scaled(scale(1038)?),
                _ => kernel,
            };
            plain(kernel, FALSE)
        }
        9817 => {
            let (lat0, lon0) = origin()?;
            plain(NearConformal::new(ellipsoid, lat0, lon0, scale(8805)?)?, NATURAL)
        }
        9822 => plain(
            Albers::new(ellipsoid, angle(8821)?, angle(8822)?, angle(8823)?, angle(8824)?)?,
            FALSE,
        ),
        9810 => {
            let (lat0, lon0) = origin()?;
            let kernel = PolarStereographic::at_pole(ellipsoid, lat0, lon0, scale(8805)?)?;
            plain(kernel, NATURAL)
        }
        9829 => plain(PolarStereographic::true_on(ellipsoid, angle(8832)?, angle(8833)?)?, NATURAL),
        9830 => {
            let kernel = PolarStereographic::true_on(ellipsoid, angle(8832)?, angle(8833)?)?;
            plain(kernel.origin_on_parallel(angle(8832)?), FALSE)
        }
        9809 => {
            let (lat0, lon0) = origin()?;
            plain(ObliqueStereographic::new(ellipsoid, lat0, lon0, scale(8805)?)?, NATURAL)
        }
        9812 => plain(Hotine::from_natural_origin(ellipsoid, &hotine(given)?)?, NATURAL),
        9815 => plain(Hotine::from_centre(ellipsoid, &hotine(given)?)?, CENTRE),
        9813 => {
            let centre = (angle(8811)?, angle(8812)?);
            plain(Laborde::new(ellipsoid, centre, angle(8813)?, scale(8815)?), NATURAL)
        }
        9819 | 1041 | 1042 | 1043 => krovak(code, given, ellipsoid)?,
        9820 | 1027 => {
            let (lat0, lon0) = origin()?;
            plain(AzimuthalEqualArea::new(ellipsoid, lat0, lon0, code == 1027), NATURAL)
        }
        9834 | 9835 => {
            let spherical = code == 9834;
            let (lat1, lon0) = (angle(8823)?, angle(8802)?);
            plain(CylindricalEqualArea::new(ellipsoid, lat1, lon0, spherical), NATURAL)
        }
        1028 | 1029 | 9823 | 9842 => {
            let (lat1, lon0) = match code {
                9823 => (8801, 8802),
                9842 => (8801, 8822),
                _ => (8823, 8802),
            };
            let spherical = matches!(code, 1029 | 9823);
            let (lat1, lon0) = (angle(lat1)?, angle(lon0)?);
            plain(EquidistantCylindrical::new(ellipsoid, lat1, lon0, spherical), NATURAL)
        }
        1078 => plain(EqualEarth::new(ellipsoid, angle(8802)?), NATURAL),
        9806 | 9833 => {
            let (lat0, lon0) = origin()?;
            plain(Cassini::new(ellipsoid, lat0, lon0, code == 9833), NATURAL)
        }
        9818 => {
            let (lat0, lon0) = origin()?;
            plain(Polyconic::new(ellipsoid, lat0, lon0), NATURAL)
        }
        9827 | 9828 => {
            let (lat0, lon0) = origin()?;
            let sense = if code == 9828 { (-1.0, -1.0) } else { (1.0, 1.0) };
            Built { sense, ..plain(Bonne::new(ellipsoid, lat0, lon0)?, NATURAL) }
        }
        1125 => {
            let (lat0, lon0) = origin()?;
            plain(AzimuthalEquidistant::new(ellipsoid, lat0, lon0), NATURAL)
        }
        9832 => {
            let (lat0, lon0) = origin()?;
            plain(ModifiedAzimuthalEquidistant::new(ellipsoid, lat0, lon0), NATURAL)
        }
        9831 => {
            let (lat0, lon0) = origin()?;
            plain(Guam::new(ellipsoid, lat0, lon0), NATURAL)
        }
        1052 => {
            let (lat0, lon0) = origin()?;
            plain(ColombiaUrban::new(ellipsoid, lat0, lon0, given.metres(1039)?), NATURAL)
        }
        9811 => {
            let (lat0, lon0) = origin()?;
            plain(NewZealandMapGrid { ellipsoid: *ellipsoid, lat0, lon0 }, NATURAL)
        }
        9816 => {
            let (lat0, lon0) = (angle(8821)?, angle(8822)?);
            plain(TunisiaMiningGrid { ellipsoid: *ellipsoid, lat0, lon0 }, FALSE)
        }
        1130 => {
            let (lat0, lon0) = (angle(8811)?, angle(8812)?);
            let kernel = LocalOrthographic::new(ellipsoid, lat0, lon0, angle(8813)?, scale(8815)?);
            plain(kernel, CENTRE)
        }
        other => {
            return Err(Error::unsupported(format!(
                "the method {other} ({}) is not a projection that can be computed",
                method_name(other).unwrap_or("unknown")
            )));
        }
    };
    Ok(built)
}

fn plain(kernel: impl Kernel + 'static, false_origin: (u32, u32)) -> Built {
    Built { kernel: Arc::new(kernel), false_origin, false_sense: 1.0, sense: (1.0, 1.0) }
}

fn transverse(given: &Parameters, ellipsoid: &Ellipsoid) -> Result<TransverseMercator> {
    Ok(TransverseMercator::new(
        ellipsoid,
        given.degrees(8801)?,
        given.degrees(8802)?,
        given.ratio(8805)?,
    ))
}

fn hotine(given: &Parameters) -> Result<HotineParameters> {
    Ok(HotineParameters {
        lat_centre: given.degrees(8811)?,
        lon_centre: given.degrees(8812)?,
        azimuth: given.degrees(8813)?,
        skew: given.degrees(8814)?,
        scale: given.ratio(8815)?,
    })
}

/// The first two forms count southings and westings; the north-orientated ones are their
/// negatives, false origin included.
fn krovak(code: u32, given: &Parameters, ellipsoid: &Ellipsoid) -> Result<Built> {
    let parameters = KrovakParameters {
        lat_centre: given.degrees(8811)?,
        lon_origin: given.degrees(8833)?,
        axis_colatitude: given.degrees(1036)?,
        parallel: given.degrees(8818)?,
        scale: given.ratio(8819)?,
    };
    let correction = match code {
        1042 | 1043 => {
            let mut c = [0.0; 10];
            for (value, code) in c.iter_mut().zip(1026..) {
                *value = given.ratio(code)?;
            }
            Some(Correction { x: given.metres(8617)?, y: given.metres(8618)?, c })
        }
        _ => None,
    };
    let north = matches!(code, 1041 | 1043);
    let sense = if north { (1.0, 1.0) } else { (-1.0, -1.0) };
    let kernel = Krovak::new(ellipsoid, &parameters, correction);
    Ok(Built { sense, false_sense: if north { -1.0 } else { 1.0 }, ..plain(kernel, NATURAL) })
}
