//! The bill of materials of a program: what it is built of, as CycloneDX 1.6 in JSON (ECMA-424).

use crate::packages::{Package, cargo, host, packages};
use serde_json::{Map, Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// What a package depends on directly, by names and versions.
pub type Dependencies = BTreeMap<String, BTreeSet<String>>;

/// What a package of the workspace in a folder is built of on this platform, itself among it: without what
/// only its tests need.
///
/// # Errors
/// If Cargo cannot be run.
pub fn dependencies(folder: &Path, package: &str) -> Result<Dependencies, String> {
    let host = host(folder)?;
    let arguments =
        ["tree", "--locked", "--offline", "--edges", "normal,build", "--prefix", "depth"];
    let rest = ["--format", "|{p}", "--package", package, "--target", &host];
    read_tree(&cargo(folder, &[&arguments[..], &rest].concat())?)
}

/// Reads lines such as `2|csv v1.4.0 (*)`: how deep, and which package.
fn read_tree(text: &str) -> Result<Dependencies, String> {
    let mut all = Dependencies::new();
    let mut above: Vec<String> = Vec::new();
    for line in text.lines().filter(|line| !line.trim().is_empty()) {
        let unread = || format!("cargo tree tells `{line}`");
        let (depth, package) = line.split_once('|').ok_or_else(unread)?;
        let depth: usize = depth.parse().map_err(|_| unread())?;
        let mut words = package.split(' ');
        let (name, version) = (words.next(), words.next().and_then(|word| word.strip_prefix('v')));
        let (Some(name), Some(version)) = (name, version) else { return Err(unread()) };
        let id = format!("{name}@{version}");
        if depth > above.len() {
            return Err(unread());
        }
        above.truncate(depth);
        if let Some(parent) = above.last() {
            all.entry(parent.clone()).or_default().insert(id.clone());
        }
        all.entry(id.clone()).or_default();
        above.push(id);
    }
    Ok(all)
}

/// The bill of a program that is a package of the workspace in a folder. The same sources give the same
/// bill: `timestamp` (RFC 3339) is when they were finished.
///
/// # Errors
/// If Cargo cannot be run, or there is no such package.
pub fn bill(folder: &Path, package: &str, timestamp: &str) -> Result<Value, String> {
    let known = packages(folder)?;
    let dependencies = dependencies(folder, package)?;
    let known: BTreeMap<String, &Package> =
        known.iter().map(|package| (package.id(), package)).collect();
    let find = |id: &String| {
        known.get(id).copied().ok_or_else(|| format!("{id} is not known to cargo metadata"))
    };
    let mut program = None;
    let mut components = Vec::new();
    for id in dependencies.keys() {
        let found = find(id)?;
        match found.name == package && found.source.is_none() {
            true => program = Some(component(found, "application")),
            false => components.push(component(found, "library")),
        }
    }
    let program = program.ok_or_else(|| format!("{package} is no package of the workspace"))?;
    let graph: Vec<Value> = dependencies
        .iter()
        .map(|(id, of)| {
            let references = |id: &String| find(id).map(reference);
            Ok(json!({
                "ref": references(id)?,
                "dependsOn": of.iter().map(references).collect::<Result<Vec<_>, String>>()?,
            }))
        })
        .collect::<Result<_, String>>()?;
    Ok(json!({
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "metadata": { "timestamp": timestamp, "component": program },
        "components": components,
        "dependencies": graph,
    }))
}

/// A package URL (ECMA-427).
fn reference(package: &Package) -> String {
    format!("pkg:cargo/{}", package.id())
}

fn component(package: &Package, kind: &str) -> Value {
    let mut component = Map::new();
    let mut put = |key: &str, value: Value| component.insert(key.to_string(), value);
    put("type", json!(kind));
    put("bom-ref", json!(reference(package)));
    put("name", json!(package.name));
    put("version", json!(package.version));
    if let Some(description) = &package.description {
        put("description", json!(description.split_whitespace().collect::<Vec<_>>().join(" ")));
    }
    if let Some(license) = &package.license {
        put("licenses", json!([{ "expression": license.replace('/', " OR ") }]));
    }
    if let Some(checksum) = &package.checksum {
        put("hashes", json!([{ "alg": "SHA-256", "content": checksum }]));
    }
    put("purl", json!(reference(package)));
    Value::Object(component)
}
