//! The document of the JSON answers names what is in them, all of it and nothing else.

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
