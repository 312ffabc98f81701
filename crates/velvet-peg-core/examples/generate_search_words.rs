//! Writes the words that searches for systems compare, from the names of the embedded registry.
//!
//! ```text
//! cargo run -p velvet-peg-core --example generate_search_words
//! ```
//!
//! To be run when the registry's tables or the spelling of words ([`velvet_peg_core::crs::name_words`])
//! have changed. The result goes to this crate's `data/` folder.

mod search_words;

fn main() -> std::io::Result<()> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/data/search_words.bin");
    let bytes = search_words::bytes();
    println!("{} bytes", bytes.len());
    std::fs::write(path, bytes)
}
