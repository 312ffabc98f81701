//! Numbers of tags and keys (TIFF 6.0; OGC 19-008r4, annexes).

use tiff::tags::Tag;

/// Tag of the value that stands for none, as text.
pub(super) const NO_DATA: Tag = Tag::Unknown(42113);
/// Coefficients of luma in pictures of luma and chroma.
pub(super) const LUMA: Tag = Tag::Unknown(529);
/// How many rows and columns share a pair of chroma.
pub(super) const SUBSAMPLING: Tag = Tag::Unknown(530);
/// Matrix from columns and rows to coordinates.
pub(super) const MATRIX: Tag = Tag::Unknown(34264);

pub(super) const WHITE_IS_ZERO: u16 = 0;
pub(super) const BLACK_IS_ZERO: u16 = 1;
pub(super) const RGB: u16 = 2;
pub(super) const PALETTE: u16 = 3;
pub(super) const LUMA_CHROMA: u16 = 6;

pub(super) mod key {
    pub(crate) const MODEL: u16 = 1024;
    pub(crate) const RASTER: u16 = 1025;
    pub(crate) const CITATION: u16 = 1026;
    pub(crate) const GEODETIC: u16 = 2048;
    pub(crate) const GEODETIC_CITATION: u16 = 2049;
    pub(crate) const DATUM: u16 = 2050;
    pub(crate) const MERIDIAN: u16 = 2051;
    pub(crate) const ANGLE_UNIT: u16 = 2054;
    pub(crate) const ANGLE_SIZE: u16 = 2055;
    pub(crate) const ELLIPSOID: u16 = 2056;
    pub(crate) const SEMI_MAJOR: u16 = 2057;
    pub(crate) const SEMI_MINOR: u16 = 2058;
    pub(crate) const INVERSE_FLATTENING: u16 = 2059;
    pub(crate) const MERIDIAN_LONGITUDE: u16 = 2061;
    pub(crate) const PROJECTED: u16 = 3072;
    pub(crate) const PROJECTED_CITATION: u16 = 3073;
    pub(crate) const CONVERSION: u16 = 3074;
    pub(crate) const METHOD: u16 = 3075;
    pub(crate) const LENGTH_UNIT: u16 = 3076;
    pub(crate) const LENGTH_SIZE: u16 = 3077;
    pub(crate) const PARALLEL_1: u16 = 3078;
    pub(crate) const PARALLEL_2: u16 = 3079;
    pub(crate) const NATURAL_LON: u16 = 3080;
    pub(crate) const NATURAL_LAT: u16 = 3081;
    pub(crate) const EASTING: u16 = 3082;
    pub(crate) const NORTHING: u16 = 3083;
    pub(crate) const FALSE_LON: u16 = 3084;
    pub(crate) const FALSE_LAT: u16 = 3085;
    pub(crate) const FALSE_EASTING: u16 = 3086;
    pub(crate) const FALSE_NORTHING: u16 = 3087;
    pub(crate) const CENTRE_LON: u16 = 3088;
    pub(crate) const CENTRE_LAT: u16 = 3089;
    pub(crate) const CENTRE_EASTING: u16 = 3090;
    pub(crate) const CENTRE_NORTHING: u16 = 3091;
    pub(crate) const SCALE: u16 = 3092;
    pub(crate) const CENTRE_SCALE: u16 = 3093;
    pub(crate) const AZIMUTH: u16 = 3094;
    pub(crate) const POLE_LON: u16 = 3095;
    pub(crate) const RECTIFIED: u16 = 3096;
    pub(crate) const VERTICAL: u16 = 4096;
}

/// Model types.
pub(super) const IS_PROJECTED: u16 = 1;
pub(super) const IS_GEOGRAPHIC: u16 = 2;
pub(super) const IS_GEOCENTRIC: u16 = 3;

/// Raster types.
pub(super) const AT_MIDDLES: u16 = 2;

/// The code of what a file defines itself.
pub(super) const USER_DEFINED: u16 = 32767;
