//! The checks of a job: what has to hold before anything is written.

use super::file::Job;
use super::log::{JobLog, LoggedCheck};
use super::run_step::Named;
use crate::check::{CheckOptions, check_layers};
use crate::crs::reference::read_reference;
use crate::error::Result;
use crate::layer_io::LayerReader;
use crate::notice::Severity;
use crate::progress::NoProgress;
use crate::select::Selection;
use indexmap::IndexMap;
use std::path::Path;

impl Job {
    /// The checks that have to hold.
    pub(super) fn hold(
        &self,
        folder: &Path,
        known: &IndexMap<String, Named>,
        log: &mut JobLog,
    ) -> Result<()> {
        for wanted in &self.checks {
            let expected = wanted.crs.as_deref().map(|crs| read_reference(crs, folder));
            let options = CheckOptions {
                key: wanted.key.clone(),
                complete: wanted.complete.clone(),
                expected: expected.transpose()?.map(|(crs, _)| crs),
                count: wanted.count,
                ..CheckOptions::default()
            };
            let layers: Vec<LayerReader> =
                wanted.of.iter().map(|name| known[name].layer(folder)).collect::<Result<_>>()?;
            let report = check_layers(&layers, &options, &mut NoProgress)?;
            let fails = |level: Severity| {
                level == Severity::Fault || (wanted.strict && level == Severity::Warning)
            };
            let mut found = Vec::new();
            let mut holds = true;
            let all = report
                .sheets
                .iter()
                .flat_map(|sheet| sheet.findings.iter().map(move |f| (sheet.layer.as_str(), f)))
                .chain(
                    report.agreement.iter().flat_map(|a| a.findings.iter().map(|f| ("layers", f))),
                );
            for (layer, finding) in all {
                holds &= !fails(finding.level);
                found.push(format!("{} ({layer}): {}", finding.level.name(), finding.text));
            }
            if let Some(condition) = &wanted.every {
                for (name, layer) in wanted.of.iter().zip(&layers) {
                    let count = breaking(layer, condition)?;
                    if count > 0 {
                        holds = false;
                        found.insert(
                            0,
                            format!(
                                "fault ({name}): `{condition}` is not true for {count} features"
                            ),
                        );
                    }
                }
            }
            log.checks.push(LoggedCheck { of: wanted.of.clone(), holds, found });
        }
        Ok(())
    }
}

/// Features for which a condition is not true.
fn breaking(reader: &LayerReader, condition: &str) -> Result<u64> {
    let selection = Selection { condition: Some(condition.to_string()), ..Selection::default() };
    let planned = selection.plan(reader.info())?;
    let mut count = 0;
    reader.for_each_batch(&mut |batch| {
        if let Some(mask) = planned.mask(&batch)? {
            count += (mask.len() - mask.true_count()) as u64;
        }
        Ok(())
    })?;
    Ok(count)
}
