//! Reference systems of a job that are told by files: `like:PATH` and `file:PATH`.

use super::file::Job;
use crate::error::Result;
use crate::select::PlaceColumns;

impl Job {
    /// Hands every path of a reference system to `change`, and puts what it gives in its place.
    pub(crate) fn change_references(
        &mut self,
        change: &mut dyn FnMut(&str) -> Result<String>,
    ) -> Result<()> {
        let mut texts: Vec<&mut String> = Vec::new();
        texts.extend(self.sources.values_mut().filter_map(|source| source.crs.as_mut()));
        texts.extend(self.checks.iter_mut().filter_map(|check| check.crs.as_mut()));
        for step in &mut self.steps {
            texts.extend(step.systems_mut());
        }
        for text in texts {
            // Of coordinates as columns, the reference system is what comes first.
            let columns = text.contains(',').then(|| PlaceColumns::split(text).0).flatten();
            let reference = columns.unwrap_or(text);
            let rest = &text[reference.len()..];
            for kind in ["like:", "file:"] {
                if let Some(path) = reference.strip_prefix(kind) {
                    *text = format!("{kind}{}{rest}", change(path)?);
                    break;
                }
            }
        }
        Ok(())
    }
}
