//! The tests of the library, in one binary: each file is one subject.

mod append;
mod assemble;
mod attributes;
mod batches;
mod checks;
mod damaged;
mod deeds;
mod examples;
mod formats;
mod geometries;
mod heights;
mod jobs;
mod lattice;
mod laws;
mod layers;
mod measures;
mod nothing_lost;
mod other_hands;
mod outputs;
mod pictures;
mod quality;
mod select;
mod shapefiles;
mod sheets;
mod tables;
mod watched;
