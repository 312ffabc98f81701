//! Gathering features into batches as a reader comes upon them.

use super::{BATCH, Batch, GeometryColumn, RowBuilder, Unreadable, Value};
use crate::error::Result;
use arrow_schema::SchemaRef;

/// Vertices that a batch holds before it is full.
const MOST_VERTICES: usize = 1 << 20;

/// Takes features one by one and hands them on in batches.
pub(crate) struct BatchBuilder<'a> {
    rows: RowBuilder,
    geometry: GeometryColumn,
    unreadable: Vec<Unreadable>,
    first: u64,
    next: u64,
    each: &'a mut dyn FnMut(Batch) -> Result<()>,
}

impl<'a> BatchBuilder<'a> {
    pub(crate) fn new(
        schema: SchemaRef,
        each: &'a mut dyn FnMut(Batch) -> Result<()>,
    ) -> BatchBuilder<'a> {
        BatchBuilder {
            rows: RowBuilder::new(schema),
            geometry: GeometryColumn::new(),
            unreadable: Vec::new(),
            first: 1,
            next: 1,
            each,
        }
    }

    /// The column that the geometry of the next feature is pushed to.
    pub(crate) fn geometry(&mut self) -> &mut GeometryColumn {
        &mut self.geometry
    }

    /// Completes a feature whose geometry has been pushed.
    pub(crate) fn feature(&mut self, values: impl IntoIterator<Item = Value>) -> Result<()> {
        self.rows.push(values)?;
        self.next += 1;
        let full = self.rows.is_full() || self.geometry.x.len() >= MOST_VERTICES;
        if full { self.flush() } else { Ok(()) }
    }

    /// Completes so many features, made of one record, whose geometries have been pushed: all of
    /// them have its values.
    pub(crate) fn features(&mut self, count: usize, values: Vec<Value>) -> Result<()> {
        for _ in 1..count {
            self.rows.push(values.iter().cloned())?;
            self.next += 1;
        }
        self.feature(values)
    }

    /// Notes a record that no feature can be made of; nothing of its geometry may have been
    /// pushed. One without a number of its own is numbered with the features.
    pub(crate) fn unreadable(&mut self, record: Unreadable) -> Result<()> {
        // Features of a batch are numbered without a gap.
        self.flush()?;
        let number = if record.number == 0 { self.next } else { record.number };
        self.unreadable.push(Unreadable { number, ..record });
        self.next += 1;
        self.first = self.next;
        Ok(())
    }

    fn flush(&mut self) -> Result<()> {
        if self.rows.len() == 0 && self.unreadable.len() < BATCH {
            return Ok(());
        }
        self.send()
    }

    fn send(&mut self) -> Result<()> {
        let geometry = std::mem::take(&mut self.geometry);
        let batch = Batch::try_new(geometry, self.rows.finish()?, self.first)?;
        let batch = batch.with_unreadable(std::mem::take(&mut self.unreadable));
        self.first = self.next;
        (self.each)(batch)
    }

    /// Hands on what is left.
    pub(crate) fn finish(mut self) -> Result<()> {
        if self.rows.len() == 0 && self.unreadable.is_empty() { Ok(()) } else { self.send() }
    }
}
