//! What can be told of a job file from its text alone: steps that there are, with the words that
//! they need and may say, and names that refer to something.

use super::file::Job;
use super::words::{STEP_KINDS, StepKind};
use crate::error::{Error, Result};
use std::ops::Range;
use toml_edit::{Item, Table};

type At<'a> = &'a dyn Fn(Option<Range<usize>>, &str) -> Error;

/// Every step has a kind that there is, says what it has to, and nothing that it cannot.
pub(super) fn check_steps(root: &Table, at: At<'_>) -> Result<()> {
    let Some(steps) = root.get("steps").and_then(Item::as_array_of_tables) else {
        return Ok(());
    };
    for step in steps {
        let name = step.get("do").and_then(Item::as_str);
        let kinds: Vec<&str> = STEP_KINDS.iter().map(|kind| kind.name).collect();
        let Some(name) = name else {
            let what = format!("a step says what it does: do = one of {}", kinds.join(", "));
            return Err(at(step.span(), &what));
        };
        let Some(kind) = StepKind::named(name) else {
            let what = format!("there is no step `{name}`: the steps are {}", kinds.join(", "));
            return Err(at(step.get("do").and_then(Item::span), &what));
        };
        for (word, _) in step {
            if !kind.takes(word) {
                let what = format!(
                    "`{word}` is no word of the step `{name}`: it may say {}",
                    kind.needs.iter().chain(kind.may).copied().collect::<Vec<_>>().join(", ")
                );
                return Err(at(step.key(word).and_then(|key| key.span()), &what));
            }
        }
        for word in ["from"].iter().chain(kind.needs) {
            if step.get(word).is_none() {
                return Err(at(step.span(), &format!("the step `{name}` needs `{word}`")));
            }
        }
    }
    Ok(())
}

impl Job {
    /// Every name that is used is that of a source, of an earlier step, or of an output.
    pub(super) fn check_names(&self) -> Result<()> {
        let blame = |path: String, what: String| Err(self.places.blame(&path, what));
        let mut known: Vec<&str> = self.sources.keys().map(String::as_str).collect();
        for (name, source) in &self.sources {
            if source.file.is_empty() {
                return blame(
                    format!("sources.{name}"),
                    format!("the source `{name}` needs `file`"),
                );
            }
        }
        let names: Vec<String> = (0..self.steps.len()).map(|n| self.name_of(n)).collect();
        for (n, step) in self.steps.iter().enumerate() {
            for (word, name) in [("from", Some(&step.from)), ("with", step.with.as_ref())] {
                if let Some(name) = name.filter(|name| !known.contains(&name.as_str())) {
                    return blame(format!("steps.{n}.{word}"), unknown(name, &known));
                }
            }
            if known.contains(&names[n].as_str()) {
                let what = format!("the name `{}` is taken already", names[n]);
                return blame(format!("steps.{n}.as"), what);
            }
            known.push(&names[n]);
        }
        for (n, output) in self.outputs.iter().enumerate() {
            if output.file.is_empty() || output.from.is_empty() {
                let what = "an output needs `file` and `from = [\"…\"]`";
                return blame(format!("outputs.{n}"), what.to_string());
            }
            if let Some(name) = output.from.iter().find(|name| !known.contains(&name.as_str())) {
                return blame(format!("outputs.{n}.from"), unknown(name, &known));
            }
        }
        for (n, check) in self.checks.iter().enumerate() {
            if check.of.is_empty() {
                return blame(format!("checks.{n}"), "a check needs `of = [\"…\"]`".to_string());
            }
            if let Some(name) = check.of.iter().find(|name| !known.contains(&name.as_str())) {
                return blame(format!("checks.{n}.of"), unknown(name, &known));
            }
        }
        if let Some(pack) = &self.pack {
            if pack.file.is_empty() {
                return blame("pack".to_string(), "a pack needs `file`".to_string());
            }
            let files: Vec<&str> = self.outputs.iter().map(|output| output.file.as_str()).collect();
            for (n, name) in pack.outputs.iter().enumerate() {
                if !files.contains(&name.as_str()) {
                    let what =
                        format!("there is no output `{name}`: there is {}", files.join(", "));
                    return blame(format!("pack.outputs.{n}"), what);
                }
            }
        }
        Ok(())
    }
}

fn unknown(name: &str, known: &[&str]) -> String {
    let known = if known.is_empty() { "none".to_string() } else { known.join(", ") };
    format!("there is no source or earlier step `{name}`: there is {known}")
}
