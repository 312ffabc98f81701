//! Grids of shifts between datums, read from files that the user has: NTv2 (`.gsb`), NADCON
//! (`.las`/`.los`), NADCON5 (`.b`) and the French translations; and of heights of geoids and
//! differences of heights: NGS `.bin`, `.gtx`, `.byn`, AUSGeoid, Gravsoft, ISG, ASCII grids, the Earth
//! gravity models, the French grids, lists of nodes, VERTCON and (feature `geotiff`) GeoTIFF.
//!
//! The core opens no files: a [`GridFiles`] hands over their bytes by name. Grids are read
//! once and kept.

mod ausgeoid98;
mod cells;
mod egm2008;
mod french;
#[cfg(feature = "geotiff")]
mod geotiff;
mod height_text;
mod heights;
mod nadcon;
mod nadcon5;
mod node_list;
mod ntv2;

use crate::error::{Error, Kind, Result};
use crate::extent::{Bounds, Coverage, Extent};
use crate::position::Geographic;
use std::collections::HashMap;
use std::fmt::Debug;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use velvet_peg_epsg::OperationRow;

/// Where grid files come from.
pub trait GridFiles: Debug + Send + Sync {
    /// The bytes of the file of this name (as the registry has it; case may differ), or none
    /// if there is no such file.
    ///
    /// # Errors
    /// If the file is there and cannot be read.
    fn read(&self, name: &str) -> std::io::Result<Option<Vec<u8>>>;
}

type Parsed = std::result::Result<Arc<ShiftGrid>, String>;

/// Grid files with what has been read of them.
#[derive(Debug)]
pub struct Grids {
    files: Box<dyn GridFiles>,
    parsed: Mutex<HashMap<Vec<String>, Parsed>>,
}

static DEFAULT: OnceLock<Arc<Grids>> = OnceLock::new();

impl Grids {
    /// Grids from a source of files.
    pub fn new(files: impl GridFiles + 'static) -> Grids {
        Grids { files: Box::new(files), parsed: Mutex::new(HashMap::new()) }
    }

    /// Makes these the grids of every converter whose options name no others. Can be done once
    /// in a process; false if it was done before.
    pub fn make_default(self) -> bool {
        DEFAULT.set(Arc::new(self)).is_ok()
    }

    pub(crate) fn default_grids() -> Option<Arc<Grids>> {
        DEFAULT.get().cloned()
    }

    /// The grid of an operation from its files, in the order of its method.
    pub(crate) fn get(&self, row: &OperationRow, names: &[&str]) -> Parsed {
        let key: Vec<String> = names.iter().map(|name| (*name).to_string()).collect();
        let held = || self.parsed.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = held().get(&key) {
            return known.clone();
        }
        // Read without the lock: others may want other grids meanwhile.
        let found = self.read(row, names);
        held().entry(key).or_insert(found).clone()
    }

    /// Forgets what could not be read, so that it is tried again: somebody may have put the file
    /// there. Done once a plan.
    pub(crate) fn forget_failures(&self) {
        let mut parsed = self.parsed.lock().unwrap_or_else(PoisonError::into_inner);
        parsed.retain(|_, grid| grid.is_ok());
    }

    fn read(&self, row: &OperationRow, names: &[&str]) -> Parsed {
        let mut files = Vec::new();
        for name in names {
            match self.files.read(name) {
                Ok(Some(bytes)) => files.push(bytes),
                Ok(None) => {
                    return Err(format!("the file {name}, which is not among the grid files"));
                }
                Err(error) => {
                    return Err(format!("the file {name}, which cannot be read: {error}"));
                }
            }
        }
        let files: Vec<&[u8]> = files.iter().map(Vec::as_slice).collect();
        ShiftGrid::of_operation(row, &files)
            .map(Arc::new)
            .map_err(|error| format!("a sound file {}: {error}", names.join(" and ")))
    }
}

/// Shifts of latitude and longitude (and ellipsoidal height) on one or several grids.
#[derive(Debug)]
pub struct ShiftGrid {
    pub(crate) parts: Vec<Part>,
    /// Quadratic in nine nodes instead of linear in four.
    pub(crate) quadratic: bool,
    /// Latitude was taken for the first coordinate of the nodes, but the file does not say so.
    pub(crate) order_taken: bool,
}

/// One rectangular grid.
#[derive(Debug)]
pub(crate) struct Part {
    pub(crate) name: String,
    pub(crate) parent: String,
    /// Degrees, east positive.
    pub(crate) south: f64,
    pub(crate) west: f64,
    pub(crate) lat_step: f64,
    pub(crate) lon_step: f64,
    pub(crate) rows: usize,
    pub(crate) columns: usize,
    /// Rows from south to north, each from west to east.
    pub(crate) nodes: Nodes,
}

/// What stands at the nodes of a grid.
#[derive(Debug)]
pub(crate) enum Nodes {
    /// Seconds of latitude, seconds of longitude eastward, metres of height; or metres along the
    /// geocentric axes.
    Triples(Vec<[f32; 3]>),
    /// Metres of height.
    Heights(Vec<f32>),
}

impl Nodes {
    fn len(&self) -> usize {
        match self {
            Nodes::Triples(nodes) => nodes.len(),
            Nodes::Heights(nodes) => nodes.len(),
        }
    }

    fn get(&self, at: usize) -> [f64; 3] {
        match self {
            Nodes::Triples(nodes) => nodes[at].map(f64::from),
            Nodes::Heights(nodes) => [0.0, 0.0, f64::from(nodes[at])],
        }
    }
}

/// Shift at a place: degrees eastward, degrees northward, metres upward.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Shift {
    pub(crate) lon: f64,
    pub(crate) lat: f64,
    pub(crate) h: f64,
}

/// Rounding that still counts as on the rim, in grid steps.
const RIM: f64 = 1e-9;

impl ShiftGrid {
    /// Reads the files of an EPSG method: 9615 (one file), 9613 (latitude, longitude), 1074
    /// (latitude, longitude) or 1075 (latitude, longitude, height); and one file of heights, metres:
    /// 1134 and 1135 (NGS), 9665, 1088, 1121 and 1122 (gtx), 1060 and 1090 (byn), 1048 and 1083
    /// (AUSGeoid), 9662 (AUSGeoid98), 1047, 1072, 1093, 1096, 1109, 1110, 9661 and 1103 (Gravsoft), 1117
    /// and 1118 (ISG), 1025 and 1092 (EGM2008), 1073, 1094, 1095 and 9664 (IGN), 1030, 1059, 1081, 1082,
    /// 1089, 1098, 1099, 1100, 1115 and 1116 (lists of nodes); of differences of heights: 1071, 1080 and
    /// 1101 (lists of nodes), 1084 (gtx), 1085 (ASCII), 1126 (byn), 9658 (VERTCON); of translations: 1087
    /// (IGN). With the feature `geotiff` also 1123, 1124, 1127, 1128 and 1129.
    ///
    /// Of a list of nodes whose head does not say which coordinate is first, latitude is taken to be;
    /// [`ShiftGrid::of_operation`] knows where the nodes should lie.
    ///
    /// # Errors
    /// If a file is not what the method wants, or is cut short; the message says where.
    pub fn parse(method: u32, files: &[&[u8]]) -> Result<ShiftGrid> {
        match (method, files) {
            (9615, [file]) => ntv2::parse(file),
            (9613, [lat, lon]) => nadcon::parse(lat, lon),
            (1074, [lat, lon]) => nadcon5::parse(lat, lon, None),
            (1075, [lat, lon, height]) => nadcon5::parse(lat, lon, Some(height)),
            (1134 | 1135, [file]) => heights::ngs(file),
            (9665 | 1088 | 1121 | 1122 | 1084, [file]) => heights::gtx(file),
            (1060 | 1090 | 1126, [file]) => heights::byn(file),
            (1048 | 1083, [file]) => heights::ntv2_heights(file),
            (9662, [file]) => ausgeoid98::parse(file),
            (1047 | 1072 | 1093 | 1096 | 1109 | 1110 | 9661 | 1103, [file]) => {
                height_text::gravsoft(file)
            }
            (1117 | 1118, [file]) => height_text::isg(file),
            (1025 | 1092, [file]) => egm2008::parse(file),
            (1085, [file]) => cells::parse(file),
            (1073 | 1094 | 1095 | 9664, [file]) => french::heights(file),
            (1087, [file]) => french::translations(file),
            (
                1030 | 1059 | 1071 | 1080 | 1081 | 1082 | 1089 | 1098 | 1099 | 1100 | 1101 | 1115
                | 1116,
                [file],
            ) => node_list::parse(file),
            (9658, [file]) => nadcon::vertcon(file),
            #[cfg(feature = "geotiff")]
            (1123 | 1124 | 1127 | 1128 | 1129, [file]) => geotiff::parse(file),
            _ => Err(Error::new(
                Kind::Unsupported,
                format!("method {method} with {} files", files.len()),
            )),
        }
    }

    /// Reads the files of an operation of the registry. Its area tells which coordinate is the first in
    /// a list of nodes that does not say so.
    ///
    /// # Errors
    /// As [`ShiftGrid::parse`].
    pub fn of_operation(row: &OperationRow, files: &[&[u8]]) -> Result<ShiftGrid> {
        let grid = ShiftGrid::parse(row.method.unwrap_or_default(), files)?;
        if !grid.order_taken {
            return Ok(grid);
        }
        let area = Extent::of_codes(&row.extents);
        let lies_there = |grid: &ShiftGrid| {
            grid.boxes().iter().any(|bounds| area.coverage(bounds) != Coverage::None)
        };
        if lies_there(&grid) {
            return Ok(grid);
        }
        let parts = grid.parts.iter().map(Part::exchanged).collect();
        let exchanged = ShiftGrid { parts, ..grid };
        match lies_there(&exchanged) {
            true => Ok(exchanged),
            false => Err(Error::malformed(format!(
                "neither way round do its nodes lie where {} is meant for ({})",
                row.name,
                area.name()
            ))),
        }
    }

    /// The boxes of its grids, degrees; the outer ones first.
    pub fn boxes(&self) -> Vec<Bounds> {
        let outer = |part: &&Part| !self.parts.iter().any(|other| other.name == part.parent);
        let (outer, inner): (Vec<&Part>, Vec<&Part>) = self.parts.iter().partition(outer);
        outer.into_iter().chain(inner).map(Part::bounds).collect()
    }

    /// Nodes of all its grids.
    pub fn nodes(&self) -> usize {
        self.parts.iter().map(|part| part.nodes.len()).sum()
    }

    /// The shift at a position in degrees; none outside all grids.
    pub(crate) fn shift(&self, at: Geographic) -> Option<Shift> {
        let [lat, lon, h] = self.values(at)?;
        Some(Shift { lon: lon / 3600.0, lat: lat / 3600.0, h })
    }

    /// The height at a position in degrees, metres; none outside all grids and where there is no value.
    pub(crate) fn height(&self, at: Geographic) -> Option<f64> {
        self.values(at).map(|[_, _, height]| height).filter(|height| height.is_finite())
    }

    /// What the nodes hold, interpolated at a position in degrees; none outside all grids.
    pub(crate) fn values(&self, at: Geographic) -> Option<[f64; 3]> {
        let mut part = self.parts.iter().find(|part| {
            part.holds(at) && !self.parts.iter().any(|other| other.name == part.parent)
        })?;
        // Into the densest grid inside it that holds the place.
        // Of grids that name each other as parents none is the outer one: no more steps than grids.
        for _ in 0..self.parts.len() {
            let child = self.parts.iter().find(|child| {
                child.parent == part.name && child.name != part.name && child.holds(at)
            });
            match child {
                Some(child) => part = child,
                None => break,
            }
        }
        Some(part.values(at, self.quadratic))
    }
}

impl Part {
    fn bounds(&self) -> Bounds {
        let span = |count: usize, step: f64| (count - 1) as f64 * step;
        let east = self.west + span(self.columns, self.lon_step);
        let whole = east - self.west > 360.0 - 1.5 * self.lon_step;
        let wrap = crate::math::degrees::wrap;
        Bounds {
            south: self.south,
            north: self.south + span(self.rows, self.lat_step),
            west: if whole { -180.0 } else { wrap(self.west) },
            east: if whole { 180.0 } else { wrap(east) },
        }
    }

    /// Columns eastward and rows northward from the south-western node.
    fn place(&self, at: Geographic) -> (f64, f64) {
        let Geographic { lon, lat } = at;
        let east = (lon - self.west).rem_euclid(360.0);
        // What rounding puts west of the rim lies on it, not a whole turn to the east.
        let east = if east > 360.0 - 1e-9 { east - 360.0 } else { east };
        (east / self.lon_step, (lat - self.south) / self.lat_step)
    }

    fn holds(&self, at: Geographic) -> bool {
        let (x, y) = self.place(at);
        let inside = |at: f64, count: usize| at >= -RIM && at <= (count - 1) as f64 + RIM;
        inside(x, self.columns) && inside(y, self.rows)
    }

    fn node(&self, row: usize, column: usize) -> [f64; 3] {
        self.nodes.get(row * self.columns + column)
    }

    /// The same nodes with latitude and longitude exchanged.
    fn exchanged(&self) -> Part {
        let place = |at: usize| (at % self.rows) * self.columns + at / self.rows;
        let all = 0..self.rows * self.columns;
        let nodes = match &self.nodes {
            Nodes::Triples(nodes) => Nodes::Triples(all.map(|at| nodes[place(at)]).collect()),
            Nodes::Heights(nodes) => Nodes::Heights(all.map(|at| nodes[place(at)]).collect()),
        };
        Part {
            name: self.name.clone(),
            parent: self.parent.clone(),
            south: self.west,
            west: self.south,
            lat_step: self.lon_step,
            lon_step: self.lat_step,
            rows: self.columns,
            columns: self.rows,
            nodes,
        }
    }

    fn values(&self, at: Geographic, quadratic: bool) -> [f64; 3] {
        let (x, y) = self.place(at);
        match quadratic && self.rows >= 3 && self.columns >= 3 {
            true => self.quadratic(x, y),
            false => self.linear(x, y),
        }
    }

    fn linear(&self, x: f64, y: f64) -> [f64; 3] {
        let cell =
            |at: f64, count: usize| (at.floor().max(0.0) as usize).min(count.saturating_sub(2));
        let (column, row) = (cell(x, self.columns), cell(y, self.rows));
        let (s, t) = (x - column as f64, y - row as f64);
        let (right, up) = ((column + 1).min(self.columns - 1), (row + 1).min(self.rows - 1));
        let corners = [
            self.node(row, column),
            self.node(row, right),
            self.node(up, column),
            self.node(up, right),
        ];
        std::array::from_fn(|i| {
            let south = corners[0][i] + s * (corners[1][i] - corners[0][i]);
            let north = corners[2][i] + s * (corners[3][i] - corners[2][i]);
            south + t * (north - south)
        })
    }

    fn quadratic(&self, x: f64, y: f64) -> [f64; 3] {
        let window = |at: f64, count: usize| (at.round().max(1.0) as usize).min(count - 2) - 1;
        let (column, row) = (window(x, self.columns), window(y, self.rows));
        let (s, t) = (x - column as f64, y - row as f64);
        let through = |u: f64, f: [f64; 3]| {
            f[0] + u * (f[1] - f[0]) + u * (u - 1.0) / 2.0 * (f[2] - 2.0 * f[1] + f[0])
        };
        std::array::from_fn(|i| {
            let along: [f64; 3] = std::array::from_fn(|r| {
                through(s, std::array::from_fn(|c| self.node(row + r, column + c)[i]))
            });
            through(t, along)
        })
    }
}

/// Reads numbers from bytes, in either order of bytes, with the place in errors.
pub(crate) struct Bytes<'a> {
    pub(crate) bytes: &'a [u8],
    pub(crate) at: usize,
    pub(crate) big_endian: bool,
}

impl<'a> Bytes<'a> {
    pub(crate) fn take<const N: usize>(&mut self) -> Result<[u8; N]> {
        let end = self.at + N;
        let piece = self.bytes.get(self.at..end).ok_or_else(|| {
            Error::malformed(format!(
                "it ends at byte {}, where more was announced",
                self.bytes.len()
            ))
        })?;
        self.at = end;
        Ok(piece.try_into().unwrap_or([0; N]))
    }

    pub(crate) fn text(&mut self) -> Result<String> {
        let raw = self.take::<8>()?;
        Ok(String::from_utf8_lossy(&raw).trim_matches(|c| c == ' ' || c == '\0').to_string())
    }

    pub(crate) fn i32(&mut self) -> Result<i32> {
        let raw = self.take::<4>()?;
        Ok(if self.big_endian { i32::from_be_bytes(raw) } else { i32::from_le_bytes(raw) })
    }

    pub(crate) fn i16(&mut self) -> Result<i16> {
        let raw = self.take::<2>()?;
        Ok(if self.big_endian { i16::from_be_bytes(raw) } else { i16::from_le_bytes(raw) })
    }

    pub(crate) fn f32(&mut self) -> Result<f32> {
        let raw = self.take::<4>()?;
        Ok(if self.big_endian { f32::from_be_bytes(raw) } else { f32::from_le_bytes(raw) })
    }

    pub(crate) fn f64(&mut self) -> Result<f64> {
        let raw = self.take::<8>()?;
        Ok(if self.big_endian { f64::from_be_bytes(raw) } else { f64::from_le_bytes(raw) })
    }
}

/// Brings the names of a method's files from the registry's order into the method's: of NADCON5 with
/// heights (1075) the registry names the height first.
pub(crate) fn in_order(method: u32, names: &mut [&str]) {
    if method == 1075 {
        names.sort_by_key(|name| (name.contains(".eht."), name.contains(".lon.")));
    }
}

/// Nodes from one limit to another, both included; the most there are if a file states a step of nothing.
pub(crate) fn nodes_between(low: f64, high: f64, step: f64) -> i64 {
    (((high - low) / step).round() as i64).saturating_add(1)
}

/// Refuses sizes that no grid has before memory is asked for.
pub(crate) fn sound_size(rows: i64, columns: i64, bytes_left: usize) -> Result<(usize, usize)> {
    let fits = rows >= 2
        && columns >= 2
        && rows.checked_mul(columns).is_some_and(|n| n as usize <= bytes_left);
    if !fits {
        return Err(Error::malformed(format!(
            "it announces a grid of {rows} rows and {columns} columns, which it cannot hold"
        )));
    }
    Ok((rows as usize, columns as usize))
}
