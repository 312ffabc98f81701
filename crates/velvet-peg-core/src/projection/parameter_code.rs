//! EPSG codes of the parameters of projections, by the names of the registry.

pub(crate) const LATITUDE_OF_NATURAL_ORIGIN: u32 = 8801;
pub(crate) const LONGITUDE_OF_NATURAL_ORIGIN: u32 = 8802;
pub(crate) const SCALE_FACTOR_AT_NATURAL_ORIGIN: u32 = 8805;
pub(crate) const FALSE_EASTING: u32 = 8806;
pub(crate) const FALSE_NORTHING: u32 = 8807;
pub(crate) const LATITUDE_OF_PROJECTION_CENTRE: u32 = 8811;
pub(crate) const LONGITUDE_OF_PROJECTION_CENTRE: u32 = 8812;
pub(crate) const AZIMUTH_AT_PROJECTION_CENTRE: u32 = 8813;
pub(crate) const ANGLE_FROM_RECTIFIED_TO_SKEW_GRID: u32 = 8814;
pub(crate) const SCALE_FACTOR_AT_PROJECTION_CENTRE: u32 = 8815;
pub(crate) const EASTING_AT_PROJECTION_CENTRE: u32 = 8816;
pub(crate) const NORTHING_AT_PROJECTION_CENTRE: u32 = 8817;
pub(crate) const LATITUDE_OF_PSEUDO_STANDARD_PARALLEL: u32 = 8818;
pub(crate) const SCALE_FACTOR_ON_PSEUDO_STANDARD_PARALLEL: u32 = 8819;
pub(crate) const LATITUDE_OF_FALSE_ORIGIN: u32 = 8821;
pub(crate) const LONGITUDE_OF_FALSE_ORIGIN: u32 = 8822;
pub(crate) const LATITUDE_OF_FIRST_STANDARD_PARALLEL: u32 = 8823;
pub(crate) const LATITUDE_OF_SECOND_STANDARD_PARALLEL: u32 = 8824;
pub(crate) const EASTING_AT_FALSE_ORIGIN: u32 = 8826;
pub(crate) const NORTHING_AT_FALSE_ORIGIN: u32 = 8827;
pub(crate) const INITIAL_LONGITUDE: u32 = 8830;
pub(crate) const ZONE_WIDTH: u32 = 8831;
pub(crate) const LATITUDE_OF_STANDARD_PARALLEL: u32 = 8832;
pub(crate) const LONGITUDE_OF_ORIGIN: u32 = 8833;
pub(crate) const CO_LATITUDE_OF_CONE_AXIS: u32 = 1036;
pub(crate) const ELLIPSOID_SCALING_FACTOR: u32 = 1038;
pub(crate) const PROJECTION_PLANE_ORIGIN_HEIGHT: u32 = 1039;
pub(crate) const FIRST_ORDINATE_OF_EVALUATION_POINT: u32 = 8617;
pub(crate) const SECOND_ORDINATE_OF_EVALUATION_POINT: u32 = 8618;
pub(crate) const LATITUDE_OF_TOPOCENTRIC_ORIGIN: u32 = 8834;
pub(crate) const LONGITUDE_OF_TOPOCENTRIC_ORIGIN: u32 = 8835;
pub(crate) const HEIGHT_OF_TOPOCENTRIC_ORIGIN: u32 = 8836;
pub(crate) const VIEWPOINT_HEIGHT: u32 = 8840;
pub(crate) const COEFFICIENT_C1: u32 = 1026;

/// False easting and northing at the natural origin.
pub(crate) const NATURAL: (u32, u32) = (FALSE_EASTING, FALSE_NORTHING);

/// Easting and northing at the false origin.
pub(crate) const FALSE: (u32, u32) = (EASTING_AT_FALSE_ORIGIN, NORTHING_AT_FALSE_ORIGIN);

/// Of a method whose coordinates begin at its true origin.
pub(crate) const NO_FALSE_ORIGIN: (u32, u32) = (0, 0);

/// Easting and northing at the projection centre.
pub(crate) const CENTRE: (u32, u32) = (EASTING_AT_PROJECTION_CENTRE, NORTHING_AT_PROJECTION_CENTRE);

// Parameters that several methods have, in the order of the registry.

/// Natural origin, false origin.
pub(crate) const ORIGIN: &[u32] =
    &[LATITUDE_OF_NATURAL_ORIGIN, LONGITUDE_OF_NATURAL_ORIGIN, FALSE_EASTING, FALSE_NORTHING];

/// Natural origin, scale there, false origin.
pub(crate) const ORIGIN_AND_SCALE: &[u32] = &[
    LATITUDE_OF_NATURAL_ORIGIN,
    LONGITUDE_OF_NATURAL_ORIGIN,
    SCALE_FACTOR_AT_NATURAL_ORIGIN,
    FALSE_EASTING,
    FALSE_NORTHING,
];

/// A parallel that is true to scale, the meridian of origin, false origin.
pub(crate) const PARALLEL_AND_MERIDIAN: &[u32] = &[
    LATITUDE_OF_FIRST_STANDARD_PARALLEL,
    LONGITUDE_OF_NATURAL_ORIGIN,
    FALSE_EASTING,
    FALSE_NORTHING,
];

/// Two parallels that are true to scale, and a false origin with its coordinates.
pub(crate) const TWO_PARALLELS: &[u32] = &[
    LATITUDE_OF_FALSE_ORIGIN,
    LONGITUDE_OF_FALSE_ORIGIN,
    LATITUDE_OF_FIRST_STANDARD_PARALLEL,
    LATITUDE_OF_SECOND_STANDARD_PARALLEL,
    EASTING_AT_FALSE_ORIGIN,
    NORTHING_AT_FALSE_ORIGIN,
];
