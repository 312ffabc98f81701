//! What the tool is built of, as Cargo tells it: packages with their licences and checksums, held to the
//! rules of `deny.toml` ([`rules`]), and the bill of materials of the archive that is handed out ([`bill`]).

pub mod bill;
pub mod packages;
pub mod rules;
