//! Queries, here and in a cluster.

mod agreement;
mod cluster;
mod queries;
mod reports;
mod shapes;
mod support;
mod tables;
mod tagging;
