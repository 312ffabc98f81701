//! Queries, here and in a cluster.

mod agreement;
mod cluster;
mod queries;
mod support;
