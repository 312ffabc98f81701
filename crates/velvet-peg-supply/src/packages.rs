//! The packages of the workspace and all that they are built of.

use serde_json::Value;
use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;
use toml_edit::DocumentMut;

/// A package of a version.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Package {
    /// Name in its registry.
    pub name: String,
    /// Version (semantic versioning).
    pub version: String,
    /// Licence expression (SPDX); none if the package tells none.
    pub license: Option<String>,
    /// Where it comes from; none if it is one of the workspace.
    pub source: Option<String>,
    /// SHA-256 of its archive, hexadecimal; none if it is one of the workspace.
    pub checksum: Option<String>,
    /// What it is, in a sentence of its own.
    pub description: Option<String>,
}

impl Package {
    /// Name and version in one, such as `csv@1.4.0`.
    pub fn id(&self) -> String {
        format!("{}@{}", self.name, self.version)
    }
}

/// Runs Cargo in a folder; its output.
///
/// # Errors
/// If Cargo cannot be run, or fails: what it says.
pub fn cargo(folder: &Path, arguments: &[&str]) -> Result<String, String> {
    let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
    let output = Command::new(cargo)
        .args(arguments)
        .current_dir(folder)
        .output()
        .map_err(|error| format!("cargo cannot be run: {error}"))?;
    if !output.status.success() {
        return Err(format!("cargo {arguments:?}: {}", String::from_utf8_lossy(&output.stderr)));
    }
    String::from_utf8(output.stdout).map_err(|error| error.to_string())
}

/// The platform that Cargo builds for, such as `x86_64-unknown-linux-gnu`.
///
/// # Errors
/// If Cargo cannot be run, or tells none.
pub fn host(folder: &Path) -> Result<String, String> {
    let told = cargo(folder, &["-vV"])?;
    let host = told.lines().find_map(|line| line.strip_prefix("host: "));
    host.map(str::to_string).ok_or_else(|| "cargo -vV names no host".to_string())
}

/// All packages that the workspace in a folder is built and tested with on this platform, by their names
/// and versions. Nothing is fetched.
///
/// # Errors
/// If Cargo cannot be run, or `Cargo.lock` is not up to date.
pub fn packages(folder: &Path) -> Result<Vec<Package>, String> {
    let host = host(folder)?;
    let arguments = ["metadata", "--format-version", "1", "--locked", "--offline"];
    let told = cargo(folder, &[&arguments[..], &["--filter-platform", &host]].concat())?;
    let told: Value = serde_json::from_str(&told).map_err(|error| error.to_string())?;
    let checksums = checksums(folder)?;
    let text = |package: &Value, key: &str| package[key].as_str().map(str::to_string);
    let mut packages: Vec<Package> = told["packages"]
        .as_array()
        .into_iter()
        .flatten()
        .map(|package| {
            let name = text(package, "name").unwrap_or_default();
            let version = text(package, "version").unwrap_or_default();
            Package {
                checksum: checksums.get(&format!("{name}@{version}")).cloned(),
                license: text(package, "license"),
                source: text(package, "source"),
                description: text(package, "description"),
                name,
                version,
            }
        })
        .collect();
    packages.sort_by_key(Package::id);
    Ok(packages)
}

/// Checksums of `Cargo.lock`, by name and version.
fn checksums(folder: &Path) -> Result<BTreeMap<String, String>, String> {
    let path = folder.join("Cargo.lock");
    let text = std::fs::read_to_string(&path).map_err(|e| format!("{}: {e}", path.display()))?;
    let lock: DocumentMut = text.parse().map_err(|e| format!("{}: {e}", path.display()))?;
    let packages = lock["package"].as_array_of_tables().into_iter().flatten();
    Ok(packages
        .filter_map(|package| {
            let text = |key: &str| package.get(key)?.as_str();
            Some((format!("{}@{}", text("name")?, text("version")?), text("checksum")?.to_string()))
        })
        .collect())
}
