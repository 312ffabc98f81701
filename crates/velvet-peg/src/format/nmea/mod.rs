//! NMEA 0183 logs of receivers, in: a layer of fixes.
//!
//! Sentences of one time of the day are one fix: position, height above mean sea level and quality of
//! `GGA` or `GNS`, date, speed and course of `RMC`, positions of `GLL`, dates of `ZDA`. Other sentences
//! are passed over. What has no fix, or a checksum that does not fit, is told as unreadable.

mod fix;
mod read;
mod sentence;

use crate::error::Result;
use crate::format_support::{
    Capability, FileStart, FormatDescription, NewFile, OpenedLayer, ReadOptions, Sink, Systems,
    UNLIMITED, not_written,
};
use std::path::Path;

/// NMEA 0183 logs.
#[derive(Debug)]
pub(super) struct Nmea;

impl FormatDescription for Nmea {
    fn capability(&self) -> &'static Capability {
        &Capability {
            name: "NMEA 0183",
            extensions: &["nmea", "nma"],
            writes: false,
            systems: Systems::Wgs84,
            height_surface: Some("sea level"),
            ..UNLIMITED
        }
    }

    fn begins_like(&self, start: &FileStart<'_>) -> bool {
        // Receivers begin in the middle of a sentence.
        start.text.lines().take(3).any(|line| sentence::is_one(line.trim()))
    }

    fn open(&self, path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
        Ok(vec![read::open(path, options)?])
    }

    fn create(&self, new: &NewFile<'_>) -> Result<Box<dyn Sink>> {
        Err(not_written(self.capability(), new.path))
    }
}
