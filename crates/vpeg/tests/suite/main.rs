//! The tests of the command, in one binary: each file is one subject.

mod advice;
mod answers;
mod answers_in_json;
mod careless;
mod documentation;
mod evidence;
mod faults;
mod fitted;
mod formats;
mod hostile;
mod jobs;
mod journey;
mod logs;
mod many_layers;
mod maps;
mod next_steps;
mod no_false_alarms;
mod options;
mod own_systems;
mod pages;
mod point_files;
mod positions;
mod project;
#[cfg(unix)]
mod questions;
mod rasters;
mod registry;
mod reports;
mod side_files;
mod standard_output;
mod support;
mod survival;
mod tabs;
mod truth;
mod values;
mod ways;
