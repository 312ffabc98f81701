//! Methods of projection as keys state them (OGC 19-008r4, annex C: coordinate transformation codes), and
//! the keys of their parameters.

use super::tags::key::{
    AZIMUTH, CENTRE_EASTING, CENTRE_LAT, CENTRE_LON, CENTRE_NORTHING, CENTRE_SCALE, EASTING,
    FALSE_EASTING, FALSE_LAT, FALSE_LON, FALSE_NORTHING, NATURAL_LAT, NATURAL_LON, NORTHING,
    PARALLEL_1, PARALLEL_2, POLE_LON, RECTIFIED, SCALE,
};

/// What a parameter is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Quantity {
    Angle,
    Length,
    Ratio,
}

/// A parameter: its EPSG code, what it is, and the keys that may state it, the one to write first.
pub(super) type Parameter = (u32, Quantity, &'static [u16]);

/// A method: the code that keys have for it, its EPSG code, and its parameters.
pub(super) struct Method {
    pub(super) key: u16,
    pub(super) epsg: u32,
    pub(super) parameters: &'static [Parameter],
}

use Quantity::{Angle, Length, Ratio};

const LAT: Parameter = (8801, Angle, &[NATURAL_LAT, CENTRE_LAT, FALSE_LAT]);
const LON: Parameter = (8802, Angle, &[NATURAL_LON, CENTRE_LON, FALSE_LON, POLE_LON]);
const CENTRE_LAT_: Parameter = (8801, Angle, &[CENTRE_LAT, NATURAL_LAT]);
const CENTRE_LON_: Parameter = (8802, Angle, &[CENTRE_LON, NATURAL_LON]);
const K: Parameter = (8805, Ratio, &[SCALE, CENTRE_SCALE]);
const E: Parameter = (8806, Length, &[EASTING, FALSE_EASTING]);
const N: Parameter = (8807, Length, &[NORTHING, FALSE_NORTHING]);
const FALSE_LAT_: Parameter = (8821, Angle, &[FALSE_LAT, NATURAL_LAT, CENTRE_LAT]);
const FALSE_LON_: Parameter = (8822, Angle, &[FALSE_LON, NATURAL_LON, CENTRE_LON]);
const ALBERS_LAT: Parameter = (8821, Angle, &[NATURAL_LAT, FALSE_LAT, CENTRE_LAT]);
const ALBERS_LON: Parameter = (8822, Angle, &[NATURAL_LON, FALSE_LON, CENTRE_LON]);
const P1: Parameter = (8823, Angle, &[PARALLEL_1]);
const P2: Parameter = (8824, Angle, &[PARALLEL_2]);
const FALSE_E: Parameter = (8826, Length, &[FALSE_EASTING, EASTING]);
const FALSE_N: Parameter = (8827, Length, &[FALSE_NORTHING, NORTHING]);
const ALBERS_E: Parameter = (8826, Length, &[EASTING, FALSE_EASTING]);
const ALBERS_N: Parameter = (8827, Length, &[NORTHING, FALSE_NORTHING]);

const NATURAL: &[Parameter] = &[LAT, LON, K, E, N];
const UNSCALED: &[Parameter] = &[LAT, LON, E, N];
const CENTRED: &[Parameter] = &[CENTRE_LAT_, CENTRE_LON_, E, N];
const CONIC: &[Parameter] = &[ALBERS_LAT, ALBERS_LON, P1, P2, ALBERS_E, ALBERS_N];
const HOTINE: &[Parameter] = &[
    (8811, Angle, &[CENTRE_LAT, NATURAL_LAT]),
    (8812, Angle, &[CENTRE_LON, NATURAL_LON]),
    (8813, Angle, &[AZIMUTH]),
    (8814, Angle, &[RECTIFIED]),
    (8815, Ratio, &[CENTRE_SCALE, SCALE]),
    E,
    N,
];
const HOTINE_AT_CENTRE: &[Parameter] = &[
    (8811, Angle, &[CENTRE_LAT, NATURAL_LAT]),
    (8812, Angle, &[CENTRE_LON, NATURAL_LON]),
    (8813, Angle, &[AZIMUTH]),
    (8814, Angle, &[RECTIFIED]),
    (8815, Ratio, &[CENTRE_SCALE, SCALE]),
    (8816, Length, &[CENTRE_EASTING, EASTING]),
    (8817, Length, &[CENTRE_NORTHING, NORTHING]),
];

/// All that are read and written; of several with one code the first is written, and `variant` says which
/// is read.
pub(super) static METHODS: &[Method] = &[
    Method { key: 1, epsg: 9807, parameters: NATURAL },
    Method { key: 3, epsg: 9812, parameters: HOTINE },
    Method { key: 9815, epsg: 9815, parameters: HOTINE_AT_CENTRE },
    Method { key: 7, epsg: 9804, parameters: NATURAL },
    Method { key: 7, epsg: 9805, parameters: &[P1, LON, E, N] },
    Method { key: 8, epsg: 9802, parameters: &[FALSE_LAT_, FALSE_LON_, P1, P2, FALSE_E, FALSE_N] },
    Method { key: 9, epsg: 9801, parameters: NATURAL },
    Method { key: 10, epsg: 9820, parameters: CENTRED },
    Method { key: 11, epsg: 9822, parameters: CONIC },
    Method { key: 12, epsg: 1125, parameters: CENTRED },
    Method { key: 13, epsg: 1119, parameters: CONIC },
    Method { key: 15, epsg: 9810, parameters: NATURAL_AT_POLE },
    Method { key: 15, epsg: 9829, parameters: PARALLEL_AT_POLE },
    Method { key: 16, epsg: 9809, parameters: NATURAL },
    Method { key: 14, epsg: 9809, parameters: NATURAL },
    Method {
        key: 17,
        epsg: 1028,
        parameters: &[(8823, Angle, &[PARALLEL_1, CENTRE_LAT]), LON, E, N],
    },
    Method { key: 18, epsg: 9806, parameters: UNSCALED },
    Method { key: 21, epsg: 9840, parameters: CENTRED },
    Method { key: 22, epsg: 9818, parameters: UNSCALED },
    Method { key: 26, epsg: 9811, parameters: UNSCALED },
    Method { key: 27, epsg: 9808, parameters: NATURAL },
];

const NATURAL_AT_POLE: &[Parameter] =
    &[(8801, Angle, &[NATURAL_LAT]), (8802, Angle, &[POLE_LON, NATURAL_LON, CENTRE_LON]), K, E, N];
const PARALLEL_AT_POLE: &[Parameter] =
    &[(8832, Angle, &[NATURAL_LAT]), (8833, Angle, &[POLE_LON, NATURAL_LON, CENTRE_LON]), E, N];

/// The EPSG method of a code, by what else the keys state: a Mercator with a standard parallel, a polar
/// stereographic one whose latitude is no pole.
pub(super) fn of_key(key: u16, has: impl Fn(u16) -> Option<f64>) -> Option<&'static Method> {
    let variant = match key {
        7 if has(PARALLEL_1).is_some() => Some(9805),
        15 if has(NATURAL_LAT).is_some_and(|lat| lat.abs() < 89.999_999) => Some(9829),
        _ => None,
    };
    METHODS.iter().find(|method| {
        let own = method.key == key || method.epsg == u32::from(key);
        own && variant.is_none_or(|variant| method.epsg == variant)
    })
}
