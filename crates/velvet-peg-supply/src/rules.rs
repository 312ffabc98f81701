//! The rules of `deny.toml`: which licences are taken, which packages may be there in two versions, and
//! where packages come from.

use crate::packages::Package;
use spdx::{Expression, LicenseItem};
use std::collections::{BTreeMap, BTreeSet};
use toml_edit::{DocumentMut, Item};

/// Rules, read.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Rules {
    /// Licences that are taken, by their SPDX names.
    pub licenses: BTreeSet<String>,
    /// Packages, each as `name@version`, that may be there beside another version.
    pub beside_others: BTreeSet<String>,
}

impl Rules {
    /// Reads the rules.
    ///
    /// # Errors
    /// If the text is not TOML, or has a rule without its reason.
    pub fn parse(text: &str) -> Result<Rules, String> {
        let file: DocumentMut = text.parse().map_err(|error| format!("{error}"))?;
        let list = |table: &str, key: &str| -> Vec<String> {
            let items = file.get(table).and_then(|table| table.get(key)).and_then(Item::as_array);
            let texts = items.into_iter().flatten().filter_map(|item| item.as_str());
            texts.map(str::to_string).collect()
        };
        let skipped = file.get("bans").and_then(|bans| bans.get("skip")).and_then(Item::as_array);
        let mut beside_others = BTreeSet::new();
        for item in skipped.into_iter().flatten() {
            let text = |key: &str| item.as_inline_table()?.get(key)?.as_str();
            match (text("crate"), text("reason")) {
                (Some(package), Some(_)) => beside_others.insert(package.to_string()),
                _ => return Err(format!("a skipped package needs `crate` and `reason`: {item}")),
            };
        }
        Ok(Rules { licenses: list("licenses", "allow").into_iter().collect(), beside_others })
    }

    /// What does not hold, one line each; rules that no package needs any more are told too.
    pub fn broken(&self, packages: &[Package]) -> Vec<String> {
        let mut broken = Vec::new();
        let mut versions: BTreeMap<&str, Vec<&Package>> = BTreeMap::new();
        // All from one registry, that of most.
        let mut registries: BTreeMap<&str, usize> = BTreeMap::new();
        for source in packages.iter().filter_map(|package| package.source.as_deref()) {
            *registries.entry(source).or_default() += usize::from(source.starts_with("registry+"));
        }
        let registry = registries.iter().max_by_key(|(_, count)| **count).map(|(name, _)| *name);
        for package in packages {
            versions.entry(&package.name).or_default().push(package);
            if let Err(why) = self.licensed(package) {
                broken.push(format!("{}: {why}", package.id()));
            }
            let Some(source) = &package.source else { continue };
            if Some(source.as_str()) != registry || !source.starts_with("registry+") {
                broken.push(format!("{}: comes from {source}", package.id()));
            }
            if package.checksum.is_none() {
                broken.push(format!("{}: has no checksum in Cargo.lock", package.id()));
            }
        }
        for (name, versions) in &versions {
            let plain =
                versions.iter().filter(|package| !self.beside_others.contains(&package.id()));
            let plain: Vec<&str> = plain.map(|package| package.version.as_str()).collect();
            if plain.len() > 1 {
                broken.push(format!("{name}: is there in the versions {}", plain.join(", ")));
            }
        }
        let needed = |id: &String| {
            packages.iter().any(|package| &package.id() == id && versions[&*package.name].len() > 1)
        };
        let idle = self.beside_others.iter().filter(|id| !needed(id));
        broken.extend(idle.map(|id| format!("{id}: need not be skipped any more")));
        broken
    }

    fn licensed(&self, package: &Package) -> Result<(), String> {
        let text = package.license.as_deref().ok_or("tells no licence")?;
        // `MIT/Apache-2.0` is how packages once said `OR`.
        let text = text.replace('/', " OR ");
        let expression = Expression::parse(&text).map_err(|error| error.reason.to_string())?;
        let taken = expression.evaluate(|requirement| match &requirement.license {
            LicenseItem::Spdx { id, .. } => {
                let name = match &requirement.addition {
                    Some(addition) => format!("{} WITH {addition}", id.name),
                    None => id.name.to_string(),
                };
                self.licenses.contains(&name)
            }
            LicenseItem::Other { .. } => false,
        });
        taken.then_some(()).ok_or_else(|| format!("the licence {text} is not among those taken"))
    }
}
