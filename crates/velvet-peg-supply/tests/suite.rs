//! The rules hold for the workspace, and each of them is noticed when it is broken; the bill of materials
//! tells what Cargo tells.

use serde_json::Value;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use velvet_peg_supply::bill::{bill, dependencies};
use velvet_peg_supply::packages::{Package, packages};
use velvet_peg_supply::rules::Rules;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The rules of the workspace; those for other platforms are out of sight here.
fn rules() -> Rules {
    let mut rules =
        Rules::parse(&std::fs::read_to_string(root().join("deny.toml")).unwrap()).unwrap();
    let elsewhere = ["r-efi@", "windows-sys@"];
    rules.beside_others.retain(|id| !elsewhere.iter().any(|name| id.starts_with(name)));
    rules
}

fn package(name: &str, version: &str, license: &str) -> Package {
    Package {
        name: name.to_string(),
        version: version.to_string(),
        license: Some(license.to_string()),
        source: Some("registry+https://example.org/index".to_string()),
        checksum: Some("00".repeat(32)),
        description: None,
    }
}

#[test]
fn the_workspace_is_built_as_the_rules_allow() {
    let packages = packages(&root()).unwrap();
    assert!(packages.len() > 200, "{}", packages.len());
    let broken = rules().broken(&packages);
    assert!(broken.is_empty(), "{}", broken.join("\n"));
}

#[test]
fn what_breaks_a_rule_is_told() {
    let rules = Rules {
        licenses: ["MIT", "Apache-2.0", "Apache-2.0 WITH LLVM-exception"]
            .map(str::to_string)
            .into(),
        beside_others: ["old@1.0.0".to_string()].into(),
    };
    let pair = |newer: &str| vec![package("old", "1.0.0", "MIT"), package("old", newer, "MIT")];
    let alone = |change: fn(&mut Package)| {
        let mut one = package("one", "1.0.0", "MIT");
        change(&mut one);
        let mut all = pair("2.0.0");
        all.push(one);
        rules.broken(&all)
    };
    assert!(alone(|_| ()).is_empty());
    let licence = |text: &'static str| {
        let mut all = pair("2.0.0");
        all.push(package("one", "1.0.0", text));
        rules.broken(&all)
    };
    for taken in [
        "MIT/Apache-2.0",
        "MIT AND Apache-2.0",
        "GPL-3.0-only OR MIT",
        "Apache-2.0 WITH LLVM-exception",
    ] {
        assert!(licence(taken).is_empty(), "{taken}: {:?}", licence(taken));
    }
    for (refused, said) in [
        ("GPL-3.0-only", "is not among those taken"),
        ("MIT AND GPL-3.0-only", "is not among those taken"),
        ("GPL-2.0-only WITH Classpath-exception-2.0", "is not among those taken"),
        ("no such licence", "one@1.0.0: "),
    ] {
        let broken = licence(refused);
        assert!(broken.len() == 1 && broken[0].contains(said), "{refused}: {broken:?}");
    }
    let told = [
        (alone(|one| one.license = None), "tells no licence"),
        (
            alone(|one| one.source = Some("git+https://example.org/one".to_string())),
            "comes from git",
        ),
        (
            alone(|one| one.source = Some("registry+https://example.org/other".to_string())),
            "comes from registry",
        ),
        (alone(|one| one.checksum = None), "has no checksum"),
        (rules.broken(&pair("2.0.0")[..1]), "need not be skipped"),
    ];
    for (broken, said) in &told {
        assert!(broken.len() == 1 && broken[0].contains(said), "{said}: {broken:?}");
    }
    let mut three = pair("2.0.0");
    three.push(package("old", "3.0.0", "MIT"));
    assert_eq!(rules.broken(&three), ["old: is there in the versions 2.0.0, 3.0.0"]);
    // One's own are not from a registry.
    let mut own = pair("2.0.0");
    own.push(Package { source: None, checksum: None, ..package("own", "0.1.0", "MIT") });
    assert!(rules.broken(&own).is_empty());
}

#[test]
fn rules_that_cannot_be_read_are_refused() {
    assert!(
        Rules::parse("[bans]\nskip = [{ crate = \"a@1.0.0\" }]").unwrap_err().contains("reason")
    );
    assert!(Rules::parse("[bans").is_err());
    assert_eq!(Rules::parse(""), Ok(Rules::default()));
}

#[test]
fn the_bill_tells_what_the_tool_is_built_of() {
    let time = "2026-01-02T03:04:05Z";
    let told = bill(&root(), "vpeg", time).unwrap();
    assert_eq!(told, bill(&root(), "vpeg", time).unwrap());
    assert_eq!(told["specVersion"], "1.6");
    assert_eq!(told["metadata"]["timestamp"], time);
    assert_eq!(told["metadata"]["component"]["name"], "vpeg");
    let components = told["components"].as_array().unwrap();
    let text = |value: &Value, key: &str| value[key].as_str().unwrap_or_default().to_string();
    let references: BTreeSet<String> =
        components.iter().map(|component| text(component, "bom-ref")).collect();
    assert_eq!(references.len(), components.len());
    for component in components {
        let name = text(component, "name");
        let own = name.starts_with("velvet-peg");
        assert_eq!(component.get("hashes").is_none(), own, "{name}");
        assert!(own || text(&component["hashes"][0], "content").len() == 64, "{name}");
        assert!(!text(&component["licenses"][0], "expression").is_empty(), "{name}");
    }
    // What reads files is among them, what only tests need is not.
    let is_there = |name: &str| {
        references.iter().any(|reference| {
            reference.strip_prefix("pkg:cargo/").unwrap().split('@').next() == Some(name)
        })
    };
    for name in ["velvet-peg-core", "csv", "calamine", "libsqlite3-sys", "tiff", "parquet"] {
        assert!(is_there(name), "{name}");
    }
    for name in ["boon", "assert_cmd", "proptest", "criterion", "ureq", "velvet-peg-bench"] {
        assert!(!is_there(name), "{name}");
    }
    // Every package has its place in the graph, and points at packages that are there.
    let graph = told["dependencies"].as_array().unwrap();
    assert_eq!(graph.len(), components.len() + 1);
    let root = text(&told["metadata"]["component"], "bom-ref");
    for node in graph {
        for on in node["dependsOn"].as_array().unwrap() {
            assert!(references.contains(on.as_str().unwrap()), "{on}");
        }
        assert!(references.contains(&text(node, "ref")) || text(node, "ref") == root);
    }
    let all = dependencies(&self::root(), "vpeg").unwrap();
    assert_eq!(all.len(), graph.len());
    assert!(all.iter().any(|(id, on)| {
        id.starts_with("csv@") && on.iter().any(|id| id.starts_with("csv-core@"))
    }));
    assert!(bill(&self::root(), "no-such-package", time).is_err());
}
