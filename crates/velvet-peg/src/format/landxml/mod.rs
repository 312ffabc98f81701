//! LandXML 1.2, in and out: points of a survey, parcels, alignments, and lines of the plan.
//!
//! A file gives up to four layers: `points` (`CgPoint`), `parcels`, `alignments` and `plan_features`,
//! whose outlines (`CoordGeom`) are lines, curves and spirals. Places are northing, easting and
//! height there; here x is the easting. Attributes of an element are columns, and so are the
//! properties of its `Feature`. Written are points, parcels (polygons) and plan features (lines).

mod coord_geom;
mod read;
mod write;

use crate::error::Result;
use crate::format_support::{
    Attributes, Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink,
    Texts, UNLIMITED,
};
use std::path::Path;
use velvet_peg_core::LengthUnit;

/// LandXML 1.2.
#[derive(Debug)]
pub(super) struct LandXml;

impl FormatDescription for LandXml {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "LandXML",
            extensions: &["xml", "landxml"],
            several_layers: true,
            partial_z: false,
            m: false,
            no_geometry: false,
            nulls: false,
            bytes: false,
            infinite: false,
            attributes: Attributes::Extensions,
            texts: Texts::Xml { blanks: true },
            coordinate_text: true,
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        start.text.starts_with('<') && start.text.contains("<LandXML")
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        read::open(path, options)
    }

    /// One layer was written as points, parcels and features of the plan.
    fn open_written(&self, path: &Path, _layer: &str) -> Result<Vec<OpenedLayer>> {
        read::open(path, &ReadOptions::default())
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Ok(Box::new(write::Writer::create(new.path, new.info, new.options)?))
    }
}

/// The words for units of length, with their numbers in the EPSG dataset.
const UNITS: [(&str, u32); 7] = [
    ("meter", 9001),
    ("kilometer", 9036),
    ("centimeter", 1033),
    ("millimeter", 1025),
    ("foot", 9002),
    ("USSurveyFoot", 9003),
    ("mile", 9093),
];

/// The unit of a word.
fn unit_of(word: &str) -> Option<LengthUnit> {
    let (_, code) = UNITS.iter().find(|(name, _)| *name == word)?;
    LengthUnit::from_epsg(*code).ok()
}

/// The word for a unit.
fn word_of(unit: LengthUnit) -> Option<&'static str> {
    let same = |code: u32| LengthUnit::from_epsg(code).is_ok_and(|known| known == unit);
    UNITS.iter().find(|(_, code)| same(*code)).map(|(word, _)| *word)
}
