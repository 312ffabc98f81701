//! Geometries of several kinds in one record: they become features of one kind each.

use super::{GeometryColumn, GeometryKind};

/// The parts of a collection on their way, each with its kind.
#[derive(Debug, Default)]
pub(crate) struct Collection {
    column: GeometryColumn,
    kinds: Vec<GeometryKind>,
}

impl Collection {
    /// The open parts of a column, with the kind of each.
    pub(crate) fn of(column: GeometryColumn, kinds: Vec<GeometryKind>) -> Collection {
        Collection { column, kinds }
    }

    /// Takes the parts that `read` pushes, all of the kind that it gives.
    ///
    /// # Errors
    /// Those of `read`.
    pub(crate) fn add<E>(
        &mut self,
        read: impl FnOnce(&mut GeometryColumn) -> Result<Option<GeometryKind>, E>,
    ) -> Result<(), E> {
        let kind = read(&mut self.column)?;
        let parts = self.column.open_parts();
        if let Some(kind) = kind {
            self.kinds.resize(parts, kind.single());
        }
        Ok(())
    }

    /// Makes features of points, of lines and of polygons at the end of a column, and gives their
    /// number; a collection of nothing is one feature without a geometry.
    pub(crate) fn finish(mut self, target: &mut GeometryColumn) -> usize {
        self.column.end_feature(None);
        let mut features = 0;
        for kind in [GeometryKind::Point, GeometryKind::LineString, GeometryKind::Polygon] {
            let mut parts = 0;
            for (part, of) in self.column.parts(0).zip(&self.kinds) {
                if *of == kind {
                    target.push_part(&self.column, part);
                    parts += 1;
                }
            }
            if parts > 0 {
                target.end_feature(Some(if parts == 1 { kind } else { kind.multi() }));
                features += 1;
            }
        }
        if features == 0 {
            target.end_feature(None);
        }
        features.max(1)
    }
}
