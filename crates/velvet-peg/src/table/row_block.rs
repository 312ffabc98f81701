//! Rows of a table in blocks: read together, worked on together by one of several threads, and their
//! room used again.

use super::{RowShape, TableReader};
use crate::error::Result;
use crate::format_support::SourceRow;
use crate::parallel::in_order;
use std::sync::mpsc::channel;

/// Rows of a block.
const ROWS: usize = 2048;

/// Some rows of a table.
#[derive(Debug, Default)]
pub(crate) struct RowBlock {
    rows: Vec<SourceRow>,
    len: usize,
    /// Bytes of the file read up to its end.
    pub(crate) bytes_read: u64,
}

impl RowBlock {
    pub(crate) fn rows(&self) -> &[SourceRow] {
        &self.rows[..self.len]
    }

    /// True if it has as many rows as a block takes: there may be more behind it.
    pub(crate) fn is_full(&self) -> bool {
        self.len == ROWS
    }
}

impl TableReader {
    /// Hands the rows that are left in blocks to `work`, which runs in several threads, and what it
    /// makes of them to `each`, in order.
    pub(crate) fn in_blocks<O: Send>(
        mut self,
        work: impl Fn(&RowShape, &RowBlock) -> Result<O> + Sync,
        mut each: impl FnMut(O, &RowShape, &RowBlock) -> Result<()>,
    ) -> Result<()> {
        let shape = self.shape().clone();
        let (used, spare) = channel::<RowBlock>();
        in_order(
            |hand_on| {
                loop {
                    let mut block = spare.try_recv().unwrap_or_default();
                    let read = self.read_block(&mut block);
                    let more = block.is_full();
                    if block.len > 0 {
                        hand_on(block)?;
                    }
                    read?;
                    if !more {
                        return Ok(());
                    }
                }
            },
            |block| work(&shape, &block).map(|made| (made, block)),
            |(made, block)| {
                each(made, &shape, &block)?;
                // The last blocks are not waited for any more.
                let _ = used.send(block);
                Ok(())
            },
        )
    }

    /// Reads as many rows as a block takes, or those that are left or stand before one that cannot be
    /// read.
    pub(super) fn read_block(&mut self, block: &mut RowBlock) -> Result<()> {
        block.len = 0;
        while block.len < ROWS {
            if block.rows.len() == block.len {
                block.rows.push(SourceRow::default());
            }
            let row = &mut block.rows[block.len];
            row.misfit = None;
            if !self.read_row(row)? {
                break;
            }
            block.len += 1;
        }
        block.bytes_read = self.bytes_read();
        Ok(())
    }
}
