//! Guides: a walk through the library, one recipe each for frequent questions, and why the library
//! is made as it is. Every snippet is run by the tests.

#[doc = include_str!("../docs/tutorial.md")]
pub mod tutorial {}

#[doc = include_str!("../docs/cookbook.md")]
pub mod cookbook {}

#[doc = include_str!("../docs/design.md")]
pub mod design {}
