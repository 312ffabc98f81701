//! A job: planned, run, and run again to the same bytes.
use velvet_peg::job::RunOptions;
use velvet_peg::{Job, demo};

fn main() -> velvet_peg::Result<()> {
    let folder = tempfile::tempdir()?;
    demo::lay_out(folder.path(), false)?;
    let file = folder.path().join("tumblewick.toml");
    let job = Job::read(&file)?;
    let mut options = RunOptions::default();
    for (what, details) in job.plan(&file, &options)?.lines {
        println!("{what}: {details}");
    }
    let first = job.run(&file, &options)?;
    options.overwrite = true;
    let again = job.run(&file, &options)?;
    for (before, after) in first.outputs.iter().zip(&again.outputs) {
        assert_eq!(before.sha256, after.sha256);
        println!("{} {}", after.sha256, after.path.display());
    }
    Ok(())
}
