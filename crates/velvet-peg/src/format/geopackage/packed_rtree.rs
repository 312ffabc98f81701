//! The R-tree of a new table, packed: leaves of boxes in the order of a curve that fills the plane,
//! and levels above them, written into the tables that SQLite keeps an R-tree in. That takes a fraction
//! of the time of adding one box after the other, and gives a smaller tree.
//!
//! Source: the layout of nodes that SQLite documents for its module (big-endian; the depth of the tree
//! in the root, the number of cells, a cell a child or row with its box in single precision, rounded
//! outwards).

use crate::format_support::{Records, hilbert};
use crate::layer::Extender;
use rusqlite::{Connection, Statement};
use velvet_peg_core::Bounds;

/// Cells that a node of an R-tree of two dimensions has room for, and how many it is given: those that
/// come later find room.
const ROOM: usize = 51;
const GIVEN: usize = 48;

/// Bytes of a cell, and of a node.
const CELL: usize = 24;
const NODE: usize = 4 + CELL * ROOM;

/// The root is the node of this number.
const ROOT: i64 = 1;

/// Rows that are inserted by one statement.
const SEVERAL: usize = 64;

/// Boxes on their way to an R-tree.
#[derive(Default)]
pub(super) struct PackedRtree {
    /// The row, and its box as four numbers of single precision.
    boxes: Records<3>,
    extent: Extender,
}

/// West, east, south, north.
type Box32 = [f32; 4];

impl PackedRtree {
    pub(super) fn add(&mut self, row: i64, bounds: &Bounds) -> std::io::Result<()> {
        let Bounds { west, east, south, north } = *bounds;
        self.extent.point(west, south);
        self.extent.point(east, north);
        let of = [below(west), above(east), below(south), above(north)].map(f32::to_bits);
        let pair = |a: u32, b: u32| u64::from(a) << 32 | u64::from(b);
        self.boxes.push([row as u64, pair(of[0], of[1]), pair(of[2], of[3])])
    }

    /// The box around all of them.
    pub(super) fn extent(&self) -> Option<Bounds> {
        self.extent.bounds()
    }

    /// Writes the tree of an index that is there and empty.
    pub(super) fn write(self, connection: &Connection, index: &str) -> rusqlite::Result<()> {
        let Some(extent) = self.extent.bounds() else { return Ok(()) };
        let table = |end: &str| super::quoted(&format!("{index}{end}"));
        connection.execute_batch(&format!("DELETE FROM {};", table("_node")))?;
        let mut nodes = Nodes {
            node: connection.prepare(&format!("INSERT INTO {} VALUES (?, ?)", table("_node")))?,
            parent: connection
                .prepare(&format!("INSERT INTO {} VALUES (?, ?)", table("_parent")))?,
            next: ROOT + 1,
        };
        let key = |record: &[u64; 3]| {
            let [west, east, south, north] = box_of(record).map(f64::from);
            u64::from(hilbert::along(&extent, ((west + east) / 2.0, (south + north) / 2.0)))
        };
        let count = self.boxes.len() as usize;
        let mut sorted = self.boxes.sorted(key).map_err(unsorted)?;
        let mut leaves: Records<2> = Records::default();
        let mut level: Vec<(i64, Box32)> = Vec::new();
        for size in sizes(count) {
            let mut cells = Vec::with_capacity(size);
            for _ in 0..size {
                let record = sorted.next(key).map_err(unsorted)?.unwrap_or_default();
                cells.push((record[0] as i64, box_of(&record)));
            }
            let (number, around) = nodes.add(&cells, if count <= ROOM { Some(0) } else { None })?;
            for (row, _) in &cells {
                leaves.push([*row as u64, number as u64]).map_err(unsorted)?;
            }
            level.push((number, around));
        }
        let mut depth = 0;
        while count > ROOM && depth < 40 {
            depth += 1;
            let is_root = level.len() <= ROOM;
            let mut upper = Vec::new();
            let mut rest = level.as_slice();
            for size in sizes(level.len()) {
                let (cells, others) = rest.split_at(size);
                rest = others;
                let (number, around) = nodes.add(cells, is_root.then_some(depth))?;
                for (child, _) in cells {
                    nodes.parent.execute((child, number))?;
                }
                upper.push((number, around));
            }
            level = upper;
            if is_root {
                break;
            }
        }
        write_leaves(connection, &table("_rowid"), leaves)
    }
}

/// Which leaf each row is in, in the order of the rows.
fn write_leaves(connection: &Connection, table: &str, leaves: Records<2>) -> rusqlite::Result<()> {
    let statement = |rows: usize| {
        let marks = vec!["(?, ?)"; rows].join(", ");
        connection.prepare(&format!("INSERT INTO {table} VALUES {marks}"))
    };
    let (mut several, mut one) = (statement(SEVERAL)?, statement(1)?);
    // Numbers of rows may be below zero.
    let key = |record: &[u64; 2]| record[0] ^ (1 << 63);
    let mut left = leaves.len();
    let mut sorted = leaves.sorted(key).map_err(unsorted)?;
    while left > 0 {
        let (rows, statement) = match left as usize {
            0..SEVERAL => (1, &mut one),
            _ => (SEVERAL, &mut several),
        };
        for at in 0..rows {
            let [row, leaf] = sorted.next(key).map_err(unsorted)?.unwrap_or_default();
            statement.raw_bind_parameter(2 * at + 1, row as i64)?;
            statement.raw_bind_parameter(2 * at + 2, leaf as i64)?;
        }
        statement.raw_execute()?;
        left -= rows as u64;
    }
    Ok(())
}

/// How many cells each node of a level has: one node where they fit it, else as many to each.
fn sizes(cells: usize) -> impl Iterator<Item = usize> {
    let nodes = if cells <= ROOM { 1 } else { cells.div_ceil(GIVEN) };
    (0..nodes).map(move |node| cells * (node + 1) / nodes - cells * node / nodes)
}

/// Nodes on their way into their tables.
struct Nodes<'a> {
    node: Statement<'a>,
    parent: Statement<'a>,
    next: i64,
}

impl Nodes<'_> {
    /// Writes a node, as the root of a tree of this depth or as another; gives its number and the box
    /// around its cells.
    fn add(&mut self, cells: &[(i64, Box32)], root: Option<u16>) -> rusqlite::Result<(i64, Box32)> {
        let number = match root {
            Some(_) => ROOT,
            None => {
                self.next += 1;
                self.next - 1
            }
        };
        let mut bytes = [0; NODE];
        bytes[..2].copy_from_slice(&root.unwrap_or(0).to_be_bytes());
        bytes[2..4].copy_from_slice(&(cells.len() as u16).to_be_bytes());
        let mut around = [f32::INFINITY, f32::NEG_INFINITY, f32::INFINITY, f32::NEG_INFINITY];
        for (cell, (id, of)) in bytes[4..].chunks_exact_mut(CELL).zip(cells) {
            cell[..8].copy_from_slice(&id.to_be_bytes());
            for (to, limit) in cell[8..].chunks_exact_mut(4).zip(of) {
                to.copy_from_slice(&limit.to_be_bytes());
            }
            around = [
                around[0].min(of[0]),
                around[1].max(of[1]),
                around[2].min(of[2]),
                around[3].max(of[3]),
            ];
        }
        self.node.execute((number, &bytes[..]))?;
        Ok((number, around))
    }
}

fn box_of(record: &[u64; 3]) -> Box32 {
    let half = |word: u64, high: bool| {
        f32::from_bits(if high { (word >> 32) as u32 } else { word as u32 })
    };
    [half(record[1], true), half(record[1], false), half(record[2], true), half(record[2], false)]
}

fn below(value: f64) -> f32 {
    let single = value as f32;
    if f64::from(single) > value { single.next_down() } else { single }
}

fn above(value: f64) -> f32 {
    let single = value as f32;
    if f64::from(single) < value { single.next_up() } else { single }
}

/// A temporary file could not be written or read.
fn unsorted(error: std::io::Error) -> rusqlite::Error {
    rusqlite::Error::ToSqlConversionFailure(Box::new(error))
}
