//! The entities of a drawing, each with all its pairs, in the order of the file.

use super::pairs::{Pair, Pairs, flags, text};
use super::{APPLICATION, LABEL};
use crate::error::{Error, Result};
use std::path::Path;

/// An entity with its pairs.
#[derive(Clone, Debug, Default)]
pub(super) struct Entity {
    pub(super) kind: String,
    pub(super) pairs: Vec<Pair>,
    /// Vertices of an old polyline, or attributes of a symbol, each with its pairs.
    pub(super) parts: Vec<Vec<Pair>>,
}

/// Where an entity stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Section {
    Entities,
    Blocks,
}

impl Entity {
    /// True for a text that repeats an attribute of its point.
    pub(super) fn is_label(&self) -> bool {
        let mut ours = self.pairs.iter().skip_while(|p| p.code != 1001 || p.value != APPLICATION);
        ours.any(|pair| pair.code == 1000 && pair.value == LABEL)
    }

    /// True for what lies on a sheet of paper, and not in the model.
    pub(super) fn is_on_paper(&self) -> bool {
        flags(&self.pairs, 67) == 1
    }

    /// The name of the block that it is, or that it inserts.
    pub(super) fn block(&self) -> String {
        text(&self.pairs, 2).unwrap_or_default().trim().to_uppercase()
    }

    /// Says of itself that parts follow it.
    fn has_parts(&self) -> bool {
        match self.kind.as_str() {
            "POLYLINE" => true,
            // Symbols say whether attributes follow.
            "INSERT" => flags(&self.pairs, 66) == 1,
            _ => false,
        }
    }
}

/// Hands on the entities of a file; those of blocks between their `BLOCK` and `ENDBLK`.
pub(super) fn entities(
    pairs: &mut Pairs<'_>,
    path: &Path,
    each: &mut dyn FnMut(Section, Entity) -> Result<()>,
) -> Result<()> {
    let mut section: Option<Section> = None;
    let mut named = true;
    let mut entity: Option<Entity> = None;
    let mut whole: Option<Entity> = None;
    let mut put = |section: Option<Section>, entity: Entity| match section {
        Some(section) if entity.kind != "SEQEND" => each(section, entity),
        _ => Ok(()),
    };
    while let Some(pair) = pairs.next()? {
        // Comments.
        if pair.code == 999 {
            continue;
        }
        if pair.code != 0 {
            if !named && pair.code == 2 {
                named = true;
                section = match pair.value.trim() {
                    "ENTITIES" => Some(Section::Entities),
                    "BLOCKS" => Some(Section::Blocks),
                    _ => None,
                };
            } else if let Some(entity) = &mut entity {
                entity.pairs.push(pair);
            }
            continue;
        }
        let kind = pair.value.trim().to_string();
        if let Some(done) = entity.take() {
            match (done.kind.as_str(), &mut whole) {
                _ if done.has_parts() => whole = Some(done),
                ("VERTEX" | "ATTRIB", Some(whole)) => whole.parts.push(done.pairs),
                ("SEQEND", _) => {}
                _ => put(section, done)?,
            }
        }
        // One whose end is missing counts with what there is of it.
        if !matches!(kind.as_str(), "VERTEX" | "ATTRIB")
            && let Some(whole) = whole.take()
        {
            put(section, whole)?;
        }
        match kind.as_str() {
            "SECTION" => named = false,
            "ENDSEC" => section = None,
            "EOF" => return Ok(()),
            _ if section.is_some() => entity = Some(Entity { kind, ..Entity::default() }),
            _ => {}
        }
    }
    Err(Error::data("is cut short: the mark of its end is missing").in_file(path))
}
