//! Blocks: drawings within the drawing, which symbols insert.

use super::entity::Entity;
use super::pairs::{find, flags};
use super::plane::{AS_IS, Placement};
use super::shape::{Drawn, drawn};
use std::collections::HashMap;

/// A block of a drawing.
#[derive(Clone, Debug, Default)]
struct Block {
    base: [f64; 3],
    entities: Vec<Entity>,
}

/// The blocks of a drawing by their names.
#[derive(Clone, Debug, Default)]
pub(super) struct Blocks {
    blocks: HashMap<String, Block>,
    open: String,
}

/// What one insertion draws at most.
const MOST: usize = 1_000_000;
/// How deep blocks insert others at most.
const DEEPEST: usize = 32;

/// A thing that an inserted block draws.
pub(super) struct Content<'a> {
    pub(super) entity: &'a Entity,
    /// The block that it is of.
    pub(super) block: String,
    pub(super) drawn: Result<Drawn, String>,
}

impl Blocks {
    /// True for the sheets of a drawing, which are kept as blocks.
    pub(super) fn is_sheet(name: &str) -> bool {
        name.starts_with("*PAPER_SPACE")
    }

    /// The name of the block whose entities come now.
    pub(super) fn open(&self) -> &str {
        &self.open
    }

    /// Takes a thing of the section of blocks.
    pub(super) fn take(&mut self, entity: Entity) {
        match entity.kind.as_str() {
            "BLOCK" => {
                self.open = entity.block();
                let base = [10, 20, 30].map(|code| find(&entity.pairs, code).unwrap_or(0.0));
                self.blocks.insert(self.open.clone(), Block { base, entities: Vec::new() });
            }
            "ENDBLK" => self.open.clear(),
            // What stands for a value that each insertion has of its own.
            "ATTDEF" => {}
            _ => {
                if let Some(block) = self.blocks.get_mut(&self.open) {
                    block.entities.push(entity);
                }
            }
        }
    }

    /// Hands on all that an insertion draws.
    ///
    /// # Errors
    /// If blocks insert themselves, or too much.
    pub(super) fn contents<'a>(
        &'a self,
        insert: &Entity,
        tolerance: f64,
        each: &mut dyn FnMut(Content<'a>),
    ) -> Result<(), String> {
        let mut left = MOST;
        self.within(insert, &AS_IS, tolerance, &mut Vec::new(), &mut left, each)
    }

    fn within<'a>(
        &'a self,
        insert: &Entity,
        outer: &Placement,
        tolerance: f64,
        path: &mut Vec<String>,
        left: &mut usize,
        each: &mut dyn FnMut(Content<'a>),
    ) -> Result<(), String> {
        let name = insert.block();
        if path.contains(&name) {
            return Err(format!("the block {name} inserts itself"));
        }
        if path.len() >= DEEPEST {
            return Err(format!("blocks insert others more than {DEEPEST} deep"));
        }
        let Some(block) = self.blocks.get(&name) else {
            return Err(format!("the drawing has no block {name}"));
        };
        path.push(name.clone());
        // An insertion may repeat its block in columns and rows.
        let (columns, rows) = (flags(&insert.pairs, 70).max(1), flags(&insert.pairs, 71).max(1));
        for column in 0..columns {
            for row in 0..rows {
                let (column, row) = (column as f64, row as f64);
                let inner = Placement::of_block(&insert.pairs, block.base, column, row);
                let placement = outer.after(&inner);
                for entity in &block.entities {
                    if *left == 0 {
                        return Err(format!("it draws more than {MOST} things"));
                    }
                    *left -= 1;
                    if entity.kind == "INSERT" {
                        self.within(entity, &placement, tolerance, path, left, each)?;
                        continue;
                    }
                    let near = tolerance / placement.growth().max(f64::MIN_POSITIVE);
                    let drawn = drawn(entity, near).map(|drawn| drawn.placed(&placement));
                    each(Content { entity, block: name.clone(), drawn });
                }
            }
        }
        path.pop();
        Ok(())
    }
}
