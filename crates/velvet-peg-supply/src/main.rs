//! `velvet-peg-supply check` holds the workspace in this folder to `deny.toml`; `velvet-peg-supply bill PACKAGE
//! TIME` prints the bill of materials of a program, whose sources were finished at that time (RFC 3339).

use std::path::Path;
use std::process::ExitCode;
use velvet_peg_supply::{bill::bill, packages::packages, rules::Rules};

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let done = match words[..] {
        ["check"] => check(),
        ["bill", package, time] => bill(Path::new("."), package, time)
            .and_then(|bill| serde_json::to_string_pretty(&bill).map_err(|e| e.to_string())),
        _ => Err("say `check`, or `bill PACKAGE TIME`".to_string()),
    };
    match done {
        Ok(text) => {
            println!("{text}");
            ExitCode::SUCCESS
        }
        Err(error) => {
            eprintln!("{error}");
            ExitCode::FAILURE
        }
    }
}

fn check() -> Result<String, String> {
    let rules = std::fs::read_to_string("deny.toml").map_err(|e| format!("deny.toml: {e}"))?;
    let rules = Rules::parse(&rules).map_err(|error| format!("deny.toml: {error}"))?;
    let packages = packages(Path::new("."))?;
    let broken = rules.broken(&packages);
    match broken.is_empty() {
        true => Ok(format!("{} packages as deny.toml allows", packages.len())),
        false => Err(broken.join("\n")),
    }
}
