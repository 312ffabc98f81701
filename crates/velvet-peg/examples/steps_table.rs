//! Prints the table of steps and words of job files, as docs/jobs.md has it.
fn main() {
    print!("{}", velvet_peg::job::steps_table());
}
