//! Prints the table of what each format can hold, for `docs/formats.md`.
fn main() {
    print!("{}", velvet_peg::Format::markdown_table());
}
