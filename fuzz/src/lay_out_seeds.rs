//! `seeds FOLDER` lays out the inputs that the search begins with.

mod seeds;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).ok_or("name a folder")?;
    seeds::lay_out(folder.as_ref())
}
