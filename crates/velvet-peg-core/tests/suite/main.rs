//! The tests of the core, in one binary: each file is one subject.

mod angles;
mod blocks;
mod definitions;
mod edges;
mod factors;
mod fits;
mod grid_layouts;
mod grids;
mod ground;
mod guesses;
mod heights;
mod laws;
mod lines;
mod nests;
mod operations;
mod plane;
mod polar;
mod published;
mod refusals;
mod routes;
mod search;
mod similarities;
mod support;
mod systems;
mod truth;
mod zones;

#[path = "../../examples/search_words/mod.rs"]
mod words_of_systems;
