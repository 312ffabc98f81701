//! What is met while a layer is read, in cases that are counted, and the findings made of it.

use super::cases::Cases;
use super::doubles::Doubles;
use super::{CheckOptions, Finding, QualitySheet};
use crate::error::Result;
use crate::examples::Examples;
use crate::notice::Severity;
use crate::plausibility::short;
use std::collections::hash_map::{DefaultHasher, Entry};
use std::collections::{BTreeMap, HashMap};
use std::hash::{Hash, Hasher};
use velvet_peg_core::Crs;
use velvet_peg_core::planar::FlawKind;

/// Keys met before.
#[derive(Default)]
struct Met(HashMap<u64, u64>);

impl Met {
    /// The feature that had the same before, if one had.
    fn again(&mut self, what: impl Hash, number: u64) -> Option<u64> {
        let mut hasher = DefaultHasher::new();
        what.hash(&mut hasher);
        match self.0.entry(hasher.finish()) {
            Entry::Occupied(entry) => Some(*entry.get()),
            Entry::Vacant(entry) => {
                entry.insert(number);
                None
            }
        }
    }
}

/// What is met while a layer is read, in cases that are counted.
#[derive(Default)]
pub(super) struct Seen {
    pub(super) geometries: Doubles,
    keys: Met,
    key_doubles: Cases,
    key_blank: Cases,
    different_keys: u64,
    pub(super) unreadable: Examples,
    /// By whether they leave the geometry valid, and their names.
    flaws: BTreeMap<(bool, &'static str), Cases>,
}

impl Seen {
    /// Counts the key of a feature, which lies somewhere.
    pub(super) fn key(&mut self, values: &[String], number: u64, at: Option<(f64, f64)>) {
        if values.iter().any(|value| value.trim().is_empty()) {
            self.key_blank.add(number, at, || number.to_string());
        } else if let Some(first) = self.keys.again(values, number) {
            self.key_doubles.add(number, at, || {
                format!("{} (features {first} and {number})", values.join(", "))
            });
        } else {
            self.different_keys += 1;
        }
    }

    /// Counts the flaws of a feature; true if it is not valid.
    pub(super) fn flaws(&mut self, flaws: Vec<(FlawKind, (f64, f64))>, number: u64) -> bool {
        let mut invalid = false;
        for (flaw, at) in flaws {
            invalid |= flaw.is_invalid();
            let case = || format!("feature {number} at {}, {}", short(at.0), short(at.1));
            let cases = self.flaws.entry((!flaw.is_invalid(), flaw.name())).or_default();
            cases.add(number, Some(at), case);
        }
        invalid
    }

    /// Makes findings of it.
    pub(super) fn tell(
        self,
        sheet: &mut QualitySheet,
        options: &CheckOptions,
        crs: Option<&Crs>,
        keyed: bool,
        add: &mut dyn FnMut(Finding),
    ) -> Result<()> {
        if sheet.features + sheet.unreadable == 0 {
            let text = "the layer holds no features".to_string();
            add(Finding::new(Severity::Warning, "source", text));
        }
        if self.unreadable.count > 0 {
            let (count, listed) = (self.unreadable.count, self.unreadable.listed());
            let records = if count == 1 { "record" } else { "records" };
            let text = format!("{count} {records} cannot be read: {listed}");
            add(Finding::new(Severity::Fault, "source", text));
        }
        if let Some(count) = options.count.filter(|count| *count != sheet.features) {
            let text = format!("{} features, where {count} are expected", sheet.features);
            add(Finding::new(Severity::Fault, "source", text));
        }
        match (crs, &options.expected) {
            (None, _) => add(Finding::new(
                Severity::Fault,
                "crs",
                "no reference system is stated: nobody can tell where this is. Candidates can be \
                 ranked by the coordinates, and the right one declared"
                    .to_string(),
            )),
            (Some(crs), Some(expected)) if crs != expected => add(Finding::new(
                Severity::Fault,
                "crs",
                format!("it is in {}, where {} is expected", crs.label(), expected.label()),
            )),
            _ => {}
        }
        if sheet.without_geometry > 0 {
            let text = format!("{} features have no geometry", sheet.without_geometry);
            add(Finding::new(Severity::Warning, "geometry", text));
        }
        let doubles = self.geometries.cases()?;
        sheet.duplicate_geometries = doubles.count();
        if doubles.count() > 0 {
            let what = match doubles.count() {
                1 => "1 feature has the same geometry as one before it".to_string(),
                count => format!("{count} features have the same geometry as one before them"),
            };
            let text = format!("{what}: features {}", doubles.listed());
            let places = doubles.places();
            add(Finding::new(Severity::Warning, "geometry", text).at(places));
        }
        for ((tidy, name), cases) in &self.flaws {
            let level = if *tidy { Severity::Warning } else { Severity::Fault };
            let text = format!("{name}: {} ({})", cases.count(), cases.listed());
            add(Finding::new(level, "geometry", text).at(cases.places()));
        }
        if keyed {
            let name = options.key.join(", ");
            if self.key_doubles.count() > 0 {
                let text = format!(
                    "{name} is not unique: {} again: {}",
                    self.key_doubles.count(),
                    self.key_doubles.listed()
                );
                let places = self.key_doubles.places();
                add(Finding::new(Severity::Fault, "key", text).at(places));
            }
            if self.key_blank.count() > 0 {
                let text = format!(
                    "{name} is blank {} times: features {}",
                    self.key_blank.count(),
                    self.key_blank.listed()
                );
                add(Finding::new(Severity::Fault, "key", text).at(self.key_blank.places()));
            }
            sheet.key = Some((name, self.different_keys));
        }
        Ok(())
    }
}
