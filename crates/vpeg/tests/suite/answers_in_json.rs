//! The document and the schema of the JSON answers name what is in them, all of it and nothing else.

use crate::support::{Bench, words};
use serde_json::Value;

/// Paths of every value in an answer.
fn paths(value: &Value, path: &str, out: &mut Vec<String>) {
    match value {
        Value::Object(members) => {
            for (name, inner) in members {
                let path = if path.is_empty() { name.clone() } else { format!("{path}.{name}") };
                paths(inner, &path, out);
            }
        }
        Value::Array(members) => {
            // An empty list is there, and has nothing in it.
            if members.is_empty() {
                out.push(format!("{path}[]"));
            }
            members.iter().for_each(|inner| paths(inner, &format!("{path}[]"), out));
        }
        _ => out.push(path.to_string()),
    }
}

/// Whether a path is one that a pattern stands for.
fn fits(pattern: &str, path: &str) -> bool {
    let (mut wanted, mut there) = (pattern.split('.'), path.split('.'));
    // What may be missing is `null`, and an empty list has nothing in it.
    let mut may_end = false;
    loop {
        match (wanted.next(), there.next()) {
            (None, None) => return true,
            // The last star takes all that is below it.
            (Some("*"), Some(_)) if wanted.clone().next().is_none() => return true,
            (Some("*"), Some(_)) => may_end = false,
            (Some("*"), None) => return true,
            (Some(_), None) => return may_end,
            (Some(a), Some(b)) if a.replace('?', "") == b => {
                may_end = a.ends_with('?') || a.ends_with("[]");
            }
            _ => return false,
        }
    }
}

#[test]
fn answers_in_json_are_as_the_document_says() {
    let bench = Bench::with_demo();
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/answers.md");
    let text = std::fs::read_to_string(path).unwrap();
    let mut command: Option<String> = None;
    let mut documented: Vec<(String, Vec<String>)> = Vec::new();
    for line in text.lines() {
        if let Some(at) = line.find("`vpeg ") {
            command = Some(line[at + 6..].split('`').next().unwrap().to_string());
            documented.push((command.clone().unwrap(), Vec::new()));
        } else if line.starts_with("| `") && command.is_some() {
            let cell = line[2..].split(" | ").next().unwrap();
            let names = cell.split('`').skip(1).step_by(2).map(String::from);
            documented.last_mut().unwrap().1.extend(names);
        } else if line.starts_with("| notices") || line.starts_with("## ") {
            command = command.filter(|_| !line.starts_with("## "));
        }
    }
    assert!(documented.len() > 14, "{}", documented.len());
    let mut wrong = String::new();
    for (command, patterns) in documented {
        let run = bench.run(&words(&command));
        let mut found = Vec::new();
        paths(&run.json(), "", &mut found);
        assert!(!found.is_empty(), "{command}");
        for path in &found {
            // A missing object or list of a name that may be missing is nothing.
            let known = patterns.iter().any(|pattern| {
                fits(pattern, path) || fits(pattern.split(['.', '[']).next().unwrap(), path)
            });
            if !known {
                wrong += &format!("{command}: {path} is not documented\n");
            }
        }
        for pattern in patterns.iter().filter(|pattern| !pattern.contains('?')) {
            if !found.iter().any(|path| fits(pattern, path)) {
                wrong += &format!("{command}: {pattern} is documented, and not there\n");
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// The definitions of the schema with the commands that are answered by them.
fn answered() -> Vec<(String, String)> {
    let list = include_str!("../data/answers.txt").lines();
    list.filter(|line| !line.starts_with('#'))
        .map(|line| {
            let (definition, command) = line.split_once(" | ").unwrap();
            (definition.to_string(), command.to_string())
        })
        .collect()
}

#[test]
fn answers_in_json_are_valid_by_their_schema() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let file = std::fs::File::open(folder.join("answers.schema.json")).unwrap();
    let schema: Value = serde_json::from_reader(file).unwrap();
    let page = std::fs::read_to_string(folder.join("answers.md")).unwrap();
    let names: Vec<&String> = schema["$defs"].as_object().unwrap().keys().collect();
    for name in &names {
        assert!(page.contains(&format!("`{name}`")), "{name} is not in answers.md");
        let tried = answered().iter().any(|(definition, _)| definition == *name);
        assert!(tried || *name == "notice", "{name} is not tried");
    }
    let (mut schemas, mut compiler) = (boon::Schemas::new(), boon::Compiler::new());
    compiler.add_resource("answers.json", schema.clone()).unwrap();
    let bench = Bench::new();
    bench.ok(&["demo", "."]);
    bench.ok(&["convert", "weirs.gpkg", "-o", "district.kml"]);
    let mut wrong = String::new();
    for (definition, command) in answered() {
        let index = compiler
            .compile(&format!("answers.json#/$defs/{definition}"), &mut schemas)
            .unwrap_or_else(|e| panic!("{definition}: {e}"));
        let mut typed = words(&command);
        typed.push("--json");
        let mut answer = bench.run(&typed).json();
        if let Err(error) = schemas.validate(&answer, index) {
            wrong += &format!("{command}: {error}\n");
        }
        // What the schema does not name is not valid.
        let members = answer.as_object_mut().unwrap();
        let first = members.keys().next().unwrap().clone();
        members.insert("something_else".into(), 1.into());
        assert!(schemas.validate(&answer, index).is_err(), "{command}: anything goes");
        let members = answer.as_object_mut().unwrap();
        members.remove("something_else");
        members.insert(first, Value::Array(vec![Value::Object(serde_json::Map::new())]));
        assert!(schemas.validate(&answer, index).is_err(), "{command}: of any type");
    }
    assert!(wrong.is_empty(), "{wrong}");
}
