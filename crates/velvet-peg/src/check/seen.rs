//! What is met while a layer is read, in cases that are counted, and the findings made of it.

use super::{CheckOptions, QualitySheet};
use crate::examples::Examples;
use crate::notice::Severity;
use crate::plausibility::short;
use std::collections::hash_map::{DefaultHasher, Entry};
use std::collections::{BTreeMap, HashMap};
use std::hash::{Hash, Hasher};
use velvet_peg_core::Crs;
use velvet_peg_core::planar::FlawKind;

/// Identifiers of geometries and keys met before.
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
    geometries: Met,
    keys: Met,
    doubles: Examples,
    key_doubles: Examples,
    key_blank: Examples,
    different_keys: u64,
    pub(super) unreadable: Examples,
    /// By whether they leave the geometry valid, and their names.
    flaws: BTreeMap<(bool, &'static str), Examples>,
}

impl Seen {
    pub(super) fn key(&mut self, values: &[String], number: u64) {
        if values.iter().any(|value| value.trim().is_empty()) {
            self.key_blank.add(|| number.to_string());
        } else if let Some(first) = self.keys.again(values, number) {
            self.key_doubles
                .add(|| format!("{} (features {first} and {number})", values.join(", ")));
        } else {
            self.different_keys += 1;
        }
    }

    pub(super) fn geometry(&mut self, bits: &[(u64, u64)], number: u64) {
        if let Some(first) = self.geometries.again(bits, number) {
            self.doubles.add(|| format!("{first} and {number}"));
        }
    }

    /// Counts the flaws of a feature; true if it is not valid.
    pub(super) fn flaws(&mut self, flaws: Vec<(FlawKind, (f64, f64))>, number: u64) -> bool {
        let mut invalid = false;
        for (flaw, at) in flaws {
            invalid |= flaw.is_invalid();
            let case = || format!("feature {number} at {}, {}", short(at.0), short(at.1));
            self.flaws.entry((!flaw.is_invalid(), flaw.name())).or_default().add(case);
        }
        invalid
    }

    /// Makes findings of it.
    pub(super) fn tell(
        &self,
        sheet: &mut QualitySheet,
        options: &CheckOptions,
        crs: Option<&Crs>,
        keyed: bool,
        add: &mut dyn FnMut(Severity, &'static str, String),
    ) {
        if sheet.features + sheet.unreadable == 0 {
            add(Severity::Warning, "source", "the layer holds no features".to_string());
        }
        if self.unreadable.count > 0 {
            add(
                Severity::Fault,
                "source",
                format!(
                    "{} records cannot be read: {}",
                    self.unreadable.count,
                    self.unreadable.listed()
                ),
            );
        }
        if let Some(count) = options.count.filter(|count| *count != sheet.features) {
            add(
                Severity::Fault,
                "source",
                format!("{} features, where {count} are expected", sheet.features),
            );
        }
        match (crs, &options.expected) {
            (None, _) => add(
                Severity::Fault,
                "crs",
                "no reference system is stated: nobody can tell where this is. Candidates can be \
                 ranked by the coordinates, and the right one declared"
                    .to_string(),
            ),
            (Some(crs), Some(expected)) if crs != expected => add(
                Severity::Fault,
                "crs",
                format!("it is in {}, where {} is expected", crs.label(), expected.label()),
            ),
            _ => {}
        }
        if sheet.without_geometry > 0 {
            let text = format!("{} features have no geometry", sheet.without_geometry);
            add(Severity::Warning, "geometry", text);
        }
        sheet.duplicate_geometries = self.doubles.count;
        if self.doubles.count > 0 {
            let text = format!(
                "{} features have the same geometry as one before them: features {}",
                self.doubles.count,
                self.doubles.listed()
            );
            add(Severity::Warning, "geometry", text);
        }
        for ((tidy, name), cases) in &self.flaws {
            let level = if *tidy { Severity::Warning } else { Severity::Fault };
            add(level, "geometry", format!("{name}: {} ({})", cases.count, cases.listed()));
        }
        if keyed {
            let name = options.key.join(", ");
            if self.key_doubles.count > 0 {
                add(
                    Severity::Fault,
                    "key",
                    format!(
                        "{name} is not unique: {} again: {}",
                        self.key_doubles.count,
                        self.key_doubles.listed()
                    ),
                );
            }
            if self.key_blank.count > 0 {
                let text = format!(
                    "{name} is blank {} times: features {}",
                    self.key_blank.count,
                    self.key_blank.listed()
                );
                add(Severity::Fault, "key", text);
            }
            sheet.key = Some((name, self.different_keys));
        }
    }
}
