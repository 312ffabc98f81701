//! Names in a job: each refers to a source, an earlier step or an output.

use super::file::Job;
use super::map::JobMap;
use crate::error::Result;

/// Every name that is used is that of a source, of an earlier step, or of an output.
pub(super) fn check_names(job: &Job) -> Result<()> {
    let blame = |path: String, what: String| Err(job.spans.blame(&path, what));
    let mut known: Vec<&str> = job.sources.keys().map(String::as_str).collect();
    for (name, source) in &job.sources {
        if source.file.is_empty() {
            return blame(format!("sources.{name}"), format!("the source `{name}` needs `file`"));
        }
    }
    let names: Vec<String> = (0..job.steps.len()).map(|n| job.name_of(n)).collect();
    for (n, step) in job.steps.iter().enumerate() {
        let names_of =
            [("from", Some(step.from())), ("with", step.with()), ("align", step.align())];
        for (word, name) in names_of {
            if let Some(name) = name.filter(|name| !known.contains(name)) {
                return blame(format!("steps.{n}.{word}"), unknown(name, &known));
            }
        }
        if known.contains(&names[n].as_str()) {
            let what = format!("the name `{}` is taken already", names[n]);
            return blame(format!("steps.{n}.as"), what);
        }
        known.push(&names[n]);
    }
    for (n, output) in job.outputs.iter().enumerate() {
        if output.file.is_empty() || output.from.is_empty() {
            let what = "an output needs `file` and `from = [\"…\"]`";
            return blame(format!("outputs.{n}"), what.to_string());
        }
        if let Some(name) = output.from.iter().find(|name| !known.contains(&name.as_str())) {
            return blame(format!("outputs.{n}.from"), unknown(name, &known));
        }
        let mut of_map = output.map.iter().flat_map(JobMap::names);
        if let Some(name) = of_map.find(|name| !known.contains(&name.as_str())) {
            return blame(format!("outputs.{n}.map"), unknown(name, &known));
        }
        let is_map =
            [".svg", ".png", ".html"].iter().any(|end| output.file.to_lowercase().ends_with(end));
        if output.map.is_some() && !is_map {
            let what = "`map` says how a map looks: this output is none (.svg, .png, .html)";
            return blame(format!("outputs.{n}.map"), what.to_string());
        }
    }
    for (n, check) in job.checks.iter().enumerate() {
        if check.of.is_empty() {
            return blame(format!("checks.{n}"), "a check needs `of = [\"…\"]`".to_string());
        }
        if let Some(name) = check.of.iter().find(|name| !known.contains(&name.as_str())) {
            return blame(format!("checks.{n}.of"), unknown(name, &known));
        }
    }
    if let Some(pack) = &job.pack {
        if pack.file.is_empty() {
            return blame("pack".to_string(), "a pack needs `file`".to_string());
        }
        let files: Vec<&str> = job.outputs.iter().map(|output| output.file.as_str()).collect();
        for (n, name) in pack.outputs.iter().enumerate() {
            if !files.contains(&name.as_str()) {
                let what = format!("there is no output `{name}`: there is {}", files.join(", "));
                return blame(format!("pack.outputs.{n}"), what);
            }
        }
    }
    Ok(())
}

fn unknown(name: &str, known: &[&str]) -> String {
    let known = if known.is_empty() { "none".to_string() } else { known.join(", ") };
    format!("there is no source or earlier step `{name}`: there is {known}")
}
