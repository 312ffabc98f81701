//! Lines and polygons as well-known binary (ISO 19125-1:2004, 8.2; heights and measures as ISO 13249-3 numbers them):
//! their vertices in columns, and where each stands, so that others can be put in its place.

use super::separated::coordinates;
use crate::error::wrong;
use crate::plans::why;
use crate::rejects::Rejects;
use datafusion::arrow::array::{Array, ArrayRef, AsArray, BinaryArray};
use datafusion::arrow::datatypes::DataType;
use datafusion::error::Result;
use std::ops::Range;
use std::sync::Arc;
use velvet_peg_core::Converter;

/// What a part of a geometry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Point,
    Line,
    /// The outer ring of a polygon.
    Outer,
    /// The ring of a hole.
    Hole,
}

/// Vertices that belong together.
#[derive(Clone, Debug)]
pub(crate) struct Run {
    pub(crate) row: usize,
    pub(crate) kind: Kind,
    /// Places in the columns of coordinates.
    pub(crate) vertices: Range<usize>,
}

/// The geometries of a column.
#[derive(Clone, Debug, Default)]
pub(crate) struct Shapes {
    pub(crate) x: Vec<f64>,
    pub(crate) y: Vec<f64>,
    /// Of each vertex, where its coordinates stand in the bytes of its row, and whether the lowest byte is first.
    stands: Vec<(usize, bool)>,
    pub(crate) runs: Vec<Run>,
    /// Whether there is a geometry in each row.
    pub(crate) there: Vec<bool>,
    bytes: Vec<Vec<u8>>,
}

impl Shapes {
    /// The geometries of a column; one that cannot be read counts as none.
    ///
    /// # Errors
    /// If the column is neither of points nor of well-known binary; of the first geometry that cannot be
    /// read, where that ends the query.
    pub(crate) fn of(column: &ArrayRef, rejects: &Rejects) -> Result<Shapes> {
        let mut shapes = Shapes::default();
        match column.data_type() {
            DataType::Struct(_) => {
                let (x, y) = coordinates(column.as_struct())?;
                let is_there = |row: usize| x[row].is_finite() && y[row].is_finite();
                shapes.there = (0..x.len()).map(is_there).collect();
                for row in (0..x.len()).filter(|row| is_there(*row)) {
                    let at = shapes.x.len();
                    shapes.x.push(x[row]);
                    shapes.y.push(y[row]);
                    shapes.runs.push(Run { row, kind: Kind::Point, vertices: at..at + 1 });
                }
            }
            DataType::Binary => shapes.read(column.as_binary::<i32>().iter(), rejects)?,
            DataType::LargeBinary => shapes.read(column.as_binary::<i64>().iter(), rejects)?,
            DataType::BinaryView => shapes.read(column.as_binary_view().iter(), rejects)?,
            other => return Err(wrong(format!("{other} is no column of geometries"))),
        }
        Ok(shapes)
    }

    fn read<'a>(
        &mut self,
        geometries: impl Iterator<Item = Option<&'a [u8]>>,
        rejects: &Rejects,
    ) -> Result<()> {
        for (row, bytes) in geometries.enumerate() {
            let mut bytes = bytes.unwrap_or_default();
            let (vertices, runs) = (self.x.len(), self.runs.len());
            let mut reading = Reading { bytes, at: 0, row, shapes: self };
            if !bytes.is_empty() && reading.geometry(0).is_none() {
                rejects.add(
                    "a geometry is no well-known binary: it ends too early, or states what is not known",
                )?;
                // Nothing is left of it.
                self.x.truncate(vertices);
                self.y.truncate(vertices);
                self.stands.truncate(vertices);
                self.runs.truncate(runs);
                bytes = &[];
            }
            self.there.push(!bytes.is_empty());
            self.bytes.push(bytes.to_vec());
        }
        Ok(())
    }

    pub(crate) fn len(&self) -> usize {
        self.there.len()
    }

    /// Carries all vertices to another system; those that cannot be become NaN. Rows with such are counted once.
    ///
    /// # Errors
    /// Of the first that cannot be, where that ends the query.
    pub(crate) fn carry(&mut self, way: &Converter, rejects: &Rejects) -> Result<()> {
        let (from_x, from_y) = (self.x.clone(), self.y.clone());
        if way.convert_columns(&mut self.x, &mut self.y, None) == 0 {
            return Ok(());
        }
        let lost = |at: &usize| from_x[*at].is_finite() && !self.x[*at].is_finite();
        let mut firsts: Vec<(usize, usize)> = Vec::new();
        for run in &self.runs {
            if let Some(at) = run.vertices.clone().find(lost)
                && firsts.last().is_none_or(|(row, _)| *row != run.row)
            {
                firsts.push((run.row, at));
            }
        }
        rejects
            .add_many(firsts.len() as u64, || why(way, (from_x[firsts[0].1], from_y[firsts[0].1])))
    }

    /// Well-known binary with the coordinates that the columns have now; NULL where one of a row is no number.
    pub(crate) fn into_binary(mut self) -> ArrayRef {
        let mut lost = vec![false; self.len()];
        for run in &self.runs {
            for vertex in run.vertices.clone() {
                let (at, little) = self.stands[vertex];
                for (value, at) in [(self.x[vertex], at), (self.y[vertex], at + 8)] {
                    lost[run.row] |= !value.is_finite();
                    let bytes = if little { value.to_le_bytes() } else { value.to_be_bytes() };
                    self.bytes[run.row][at..at + 8].copy_from_slice(&bytes);
                }
            }
        }
        let row =
            |row: usize| (self.there[row] && !lost[row]).then_some(self.bytes[row].as_slice());
        Arc::new((0..self.len()).map(row).collect::<BinaryArray>())
    }
}

/// Collections in one another beyond which a geometry is refused.
const DEEPEST: usize = 32;

struct Reading<'a> {
    bytes: &'a [u8],
    at: usize,
    row: usize,
    shapes: &'a mut Shapes,
}

impl Reading<'_> {
    fn take<const N: usize>(&mut self) -> Option<[u8; N]> {
        let end = self.at.checked_add(N)?;
        let taken = self.bytes.get(self.at..end)?.try_into().ok()?;
        self.at = end;
        Some(taken)
    }

    fn number(&mut self, little: bool) -> Option<u32> {
        let bytes = self.take()?;
        Some(if little { u32::from_le_bytes(bytes) } else { u32::from_be_bytes(bytes) })
    }

    fn double(&mut self, little: bool) -> Option<f64> {
        let bytes = self.take()?;
        Some(if little { f64::from_le_bytes(bytes) } else { f64::from_be_bytes(bytes) })
    }

    fn geometry(&mut self, depth: usize) -> Option<()> {
        let [order] = self.take()?;
        let little = match order {
            0 => false,
            1 => true,
            _ => return None,
        };
        let code = self.number(little)?;
        // Heights and measures add 1000 and 2000, or set the highest bits.
        let flags = code >> 29;
        let plain = code & 0x1fff_ffff;
        let (more, kind) = (plain / 1000, plain % 1000);
        let high = |bit: u32| usize::from(flags & bit != 0);
        let numbers = 2 + match more {
            0 => high(4) + high(2),
            1 | 2 => 1,
            3 => 2,
            _ => return None,
        };
        // The number of a system, which the field of the column states.
        if flags & 1 != 0 {
            self.number(little)?;
        }
        match kind {
            1 => self.run(1, Kind::Point, numbers, little),
            2 => {
                let count = self.number(little)?;
                self.run(count, Kind::Line, numbers, little)
            }
            3 => {
                for ring in 0..self.number(little)? {
                    let count = self.number(little)?;
                    let kind = if ring == 0 { Kind::Outer } else { Kind::Hole };
                    self.run(count, kind, numbers, little)?;
                }
                Some(())
            }
            4..=7 if depth < DEEPEST => {
                for _ in 0..self.number(little)? {
                    self.geometry(depth + 1)?;
                }
                Some(())
            }
            _ => None,
        }
    }

    fn run(&mut self, count: u32, kind: Kind, numbers: usize, little: bool) -> Option<()> {
        let start = self.shapes.x.len();
        for _ in 0..count {
            let at = self.at;
            let (x, y) = (self.double(little)?, self.double(little)?);
            for _ in 2..numbers {
                self.double(little)?;
            }
            // A point without coordinates is an empty one.
            if kind == Kind::Point && x.is_nan() && y.is_nan() {
                continue;
            }
            self.shapes.x.push(x);
            self.shapes.y.push(y);
            self.shapes.stands.push((at, little));
        }
        let vertices = start..self.shapes.x.len();
        self.shapes.runs.push(Run { row: self.row, kind, vertices });
        Some(())
    }
}
