//! Gathering the vertices of lines and polygons from the rows of a table.
//!
//! Vertices of one feature need not be adjacent, so all of them are held in memory (140 to
//! 190 bytes a row were measured, 650 of lines of two vertices); attributes are held once a feature. What the
//! whole table will take is reckoned from its beginning, and too much is refused.

use super::BuildOptions;
use super::findings::Findings;
use super::first_values::{FirstValues, Names};
use super::gathered_memory::GatheredMemory;
use super::reproject::Carry;
use super::vertex_columns::{VertexColumns, VertexOptions};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::geometry::Ruler;
use crate::layer::{
    Batch, CrsOrigin, Extender, GeometryColumn, Layer, LayerInfo, RowBuilder, SchemaInference,
};
use crate::memory::{Reckoning, Share};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::{Reason, Rejected, RejectedPlace, Summary};
use crate::output::refuse_existing;
use crate::plausibility::CoordinateRange;
use crate::plausibility::{PositionSample, short};
use crate::progress::Progress;
use crate::table::natural_order::{is_local_date, natural};
use crate::table::{Inference, Notation, TableFile, TableReader};
use csv::StringRecord;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::path::Path;
use velvet_peg_core::planar::FlawKind;

/// Features that are not made whose places are told.
const PLACED: usize = 99;

/// A row that is a vertex.
#[derive(Clone, Debug)]
pub(super) struct Vertex {
    pub(super) group: usize,
    pub(super) part: usize,
    pub(super) ring: usize,
    order: Option<Box<str>>,
    pub(super) x: f64,
    pub(super) y: f64,
    pub(super) z: Option<f64>,
    pub(super) row: u64,
    /// Its place among all rows: several sheets have rows of the same number.
    pub(super) place: u64,
}

/// The rows of a table in groups.
pub(super) struct Gathered {
    /// How they are built, in the system of the table where none is given.
    pub(super) build: BuildOptions,
    file: TableFile,
    headers: Vec<String>,
    /// Vertices sorted by group, part, ring and order.
    pub(super) vertices: Vec<Vertex>,
    /// Names of the groups, as they came.
    pub(super) groups: Vec<String>,
    parts: Names,
    pub(super) rings: Names,
    /// The first values of each group.
    values: Vec<Vec<String>>,
    inference: Inference,
    /// Columns that become attributes.
    kept: Vec<usize>,
    /// Columns that were left out because they differ within a feature.
    dropped: Vec<usize>,
    /// Rows that are no vertices, by their place: their number, and why.
    rejected: BTreeMap<u64, (u64, Reason)>,
    /// Where the first features lie that are not made.
    rejected_places: Vec<RejectedPlace>,
    pub(super) findings: Findings,
    notices: Vec<Notice>,
    cloud: PositionSample,
    rows: u64,
    median_leg: Option<f64>,
    unit: String,
    memory: GatheredMemory,
}

impl Gathered {
    /// Reads every row of a table.
    pub(super) fn read(
        options: &VertexOptions,
        ring: Option<&str>,
        mut memory: GatheredMemory,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Gathered> {
        refuse_existing(out, options.build.write.replaces())?;
        let (file, build, other) = options.build.open(table)?;
        let reader = file.rows()?;
        let here = |error: Error| error.in_file(table);
        let head = file.head()?;
        let (columns, why) =
            VertexColumns::find(options, build.crs.as_ref(), ring, reader.columns(), &head)
                .map_err(here)?;
        let mut notices: Vec<Notice> =
            file.notices().iter().cloned().chain(why).chain(other).collect();
        notices.extend(reader.renamed());
        if columns.group.is_empty() {
            let one = Notice::note(NoticeKind::Assumed, "all rows make one feature");
            notices.push(one.advise(Advice::NameGroupColumn));
        }
        if columns.order.is_some() {
            memory.have_order();
        }
        let total = file.bytes();
        let mut gathered = Gathered::empty(
            build.clone(),
            file,
            reader.columns().to_vec(),
            &columns,
            notices,
            memory,
        );
        let mut first_values = FirstValues::new(reader.columns().len());
        let notation = if options.packed { Notation::Packed } else { Notation::Detected };
        let range = CoordinateRange::new(build.crs.as_ref())?;
        let mut reckoning = Reckoning::new("rows of vertices", table);
        reader.each_row(&mut |reader, record| {
            if gathered.rows.is_multiple_of(4096) {
                let done = reader.bytes_read();
                watch.at(done, Some(total));
                reckoning.take(
                    gathered.memory.held(),
                    Share { done, total: Some(total) },
                    watch,
                )?;
            }
            gathered.rows += 1;
            gathered.inference.add(record, reader.types());
            match columns.place(reader, record, build.crs.as_ref(), notation, &range) {
                Ok(at) => gathered.add(reader, record, &columns, at, &mut first_values),
                Err(reason) => {
                    gathered.memory.reject();
                    let rejected = (reader.row(), reader.on_sheet(record, reason));
                    gathered.rejected.insert(gathered.rows, rejected);
                }
            }
            Ok(())
        })?;
        watch.at(total, Some(total));
        reckoning.take(gathered.memory.held(), Share::WHOLE, watch)?;
        gathered.groups = std::mem::take(&mut first_values.names.names);
        if gathered.vertices.is_empty() {
            return Err(gathered.no_vertex().in_file(table));
        }
        let dropped = gathered.drop_differing(&first_values.differs);
        gathered.dropped.clone_from(&dropped);
        let ties = gathered.sort(options.order.as_deref()).map_err(here)?;
        if let (Some(order), true, Some(first)) =
            (&options.order, columns.group.is_empty(), dropped.first())
            && ties > 0
        {
            let name = &gathered.headers[*first];
            gathered.notices.push(
                Notice::warning(
                    NoticeKind::Assumed,
                    format!(
                        "all rows make one feature, and numbers of `{order}` come again in it: \
                         does a column such as `{name}` tell features apart?"
                    ),
                )
                .advise(Advice::NameGroupColumn),
            );
        }
        gathered.cloud.settle();
        Ok(gathered)
    }

    fn empty(
        build: BuildOptions,
        file: TableFile,
        headers: Vec<String>,
        columns: &VertexColumns,
        notices: Vec<Notice>,
        memory: GatheredMemory,
    ) -> Gathered {
        let kept = columns.attributes(headers.len());
        let mut cloud = PositionSample::default();
        cloud.set_system(build.crs.as_ref());
        Gathered {
            vertices: Vec::new(),
            groups: Vec::new(),
            parts: Names::default(),
            rings: Names::default(),
            values: Vec::new(),
            inference: Inference::of_columns(headers.len(), &kept),
            kept,
            dropped: Vec::new(),
            rejected: BTreeMap::new(),
            rejected_places: Vec::new(),
            findings: Findings::default(),
            notices,
            cloud,
            rows: 0,
            median_leg: None,
            unit: match &build.crs {
                Some(crs) if crs.is_geographic() => "m".to_string(),
                Some(crs) => crs.length_unit().map_or("units", |unit| unit.symbol()).to_string(),
                None => "units".to_string(),
            },
            memory,
            headers,
            build,
            file,
        }
    }

    /// Adds the vertex of a row, and its attributes where they are the first of its feature.
    fn add(
        &mut self,
        reader: &TableReader,
        record: &StringRecord,
        columns: &VertexColumns,
        (x, y, z): (f64, f64, Option<f64>),
        first_values: &mut FirstValues,
    ) {
        let cell = |at: usize| record.get(at).unwrap_or_default().trim();
        let name = columns.group.iter().map(|at| cell(*at)).collect::<Vec<_>>().join(", ");
        let group = first_values.names.place(&name);
        if group == self.values.len() {
            self.values.push(record.iter().map(String::from).collect());
            self.memory.group(&name, record);
            first_values.rows.push(reader.row());
        } else {
            first_values.compare(&mut self.values[group], &self.kept, record, reader.row(), group);
        }
        self.memory.vertex(group);
        self.cloud.gather(x, y);
        self.vertices.push(Vertex {
            group,
            part: columns.part.map_or(0, |at| self.parts.place(cell(at))),
            ring: columns.ring.map_or(0, |at| self.rings.place(cell(at))),
            order: columns.order.map(|at| cell(at).into()),
            x,
            y,
            z,
            row: reader.row(),
            place: self.rows,
        });
    }

    /// The error of a table without a vertex.
    fn no_vertex(&self) -> Error {
        match self.rejected.iter().next() {
            None => Error::data("has a header but no rows: nothing to build"),
            Some((_, (row, reason))) => {
                let rows = self.rows;
                Error::data(format!(
                    "none of the {rows} rows has coordinates that can be used. The first: row \
                     {row}: {reason}"
                ))
                .advise_if(reason.advice.clone())
            }
        }
    }

    /// Leaves out the columns whose values differ within a feature, and says so; gives their places.
    fn drop_differing(&mut self, differs: &[Option<String>]) -> Vec<usize> {
        let dropped: Vec<usize> =
            self.kept.iter().copied().filter(|at| differs[*at].is_some()).collect();
        self.kept.retain(|at| !dropped.contains(at));
        if !dropped.is_empty() {
            let texts: Vec<String> = dropped
                .iter()
                .map(|at| {
                    let example = differs[*at].as_deref().unwrap_or_default();
                    format!("`{}` ({example})", self.headers[*at])
                })
                .collect();
            self.notices.push(Notice::note(
                NoticeKind::ColumnChange,
                format!(
                    "columns left out because their values differ within a feature: {}",
                    texts.join("; ")
                ),
            ));
        }
        dropped
    }

    /// A column that was left out and is one of rings by its name.
    pub(super) fn column_of_rings(&self) -> Option<&str> {
        let is_of_rings = |name: &&str| {
            let mut words = name.split(|c: char| !c.is_alphanumeric());
            words.any(|word| word.eq_ignore_ascii_case("ring"))
        };
        self.dropped.iter().map(|at| self.headers[*at].as_str()).find(is_of_rings)
    }

    /// Puts the vertices in order, and tells of ties and gaps; gives the number of ties.
    fn sort(&mut self, column: Option<&str>) -> Result<u64> {
        let texts = || self.vertices.iter().filter_map(|v| v.order.as_deref());
        let numbers = texts().all(|text| text.parse::<f64>().is_ok_and(f64::is_finite));
        if let (Some(column), false) = (column, numbers)
            && let Some(date) = texts().find(|text| is_local_date(text))
        {
            return Err(Error::usage(format!(
                "column `{column}` holds dates such as `{date}`, whose day and month cannot be \
                 told apart and which do not sort as text: write them as 2026-05-31"
            )));
        }
        let key = |v: &Vertex| -> (f64, Option<Box<str>>) {
            match (&v.order, numbers) {
                (Some(text), true) => (text.parse().unwrap_or(0.0), None),
                (Some(text), false) => (0.0, Some(text.clone())),
                (None, _) => (0.0, None),
            }
        };
        let compare = |a: &Vertex, b: &Vertex| {
            let place = |v: &Vertex| (v.group, v.part, v.ring);
            place(a).cmp(&place(b)).then_with(|| {
                let ((a, s), (b, t)) = (key(a), key(b));
                let texts = match (s, t) {
                    (Some(s), Some(t)) => natural(&s, &t),
                    _ => Ordering::Equal,
                };
                a.total_cmp(&b).then(texts)
            })
        };
        self.vertices.sort_by(compare);
        let Some(column) = column else { return Ok(0) };
        let mut ties = 0;
        for at in 1..self.vertices.len() {
            let (a, b) = (&self.vertices[at - 1], &self.vertices[at]);
            if compare(a, b) == Ordering::Equal {
                ties += 1;
                let label = self.label(a);
                let text = a.order.as_deref().unwrap_or_default();
                self.findings.add(
                    "vertices with the same place in the order, kept as the rows come",
                    || format!("{label}: rows {} and {} both have {column} {text}", a.row, b.row),
                );
            }
        }
        if numbers {
            self.gaps(column);
        }
        Ok(ties)
    }

    /// Tells of numbers missing from an order that otherwise goes by equal steps.
    fn gaps(&mut self, column: &str) {
        for group in 0..self.groups.len() {
            for run in self.runs(group) {
                let vertices = &self.vertices[run];
                let number = |v: &Vertex| {
                    v.order.as_deref().and_then(|t| t.parse::<f64>().ok()).unwrap_or(0.0)
                };
                let steps: Vec<f64> =
                    vertices.windows(2).map(|w| number(&w[1]) - number(&w[0])).collect();
                let mut sorted: Vec<f64> = steps.iter().copied().filter(|s| *s > 0.0).collect();
                sorted.sort_by(f64::total_cmp);
                let Some(step) = sorted.get(sorted.len() / 2).copied() else { continue };
                let usual = steps.iter().filter(|s| **s == step).count();
                // Only where the order is a numbering at all.
                if steps.len() < 3 || usual * 10 < steps.len() * 6 {
                    continue;
                }
                for (at, found) in steps.iter().enumerate().filter(|(_, s)| **s > step) {
                    if (found / step).fract() != 0.0 {
                        continue;
                    }
                    let (a, b) = (&vertices[at], &vertices[at + 1]);
                    let label = self.label(a);
                    self.findings.add("gaps in the order: is a vertex missing?", || {
                        format!(
                            "{label}: {column} goes from {} to {} (rows {} and {})",
                            number(a),
                            number(b),
                            a.row,
                            b.row
                        )
                    });
                }
            }
        }
    }

    /// The vertices of each part (and ring) of a group.
    pub(super) fn runs(&self, group: usize) -> Vec<std::ops::Range<usize>> {
        let start = self.vertices.partition_point(|v| v.group < group);
        let end = self.vertices.partition_point(|v| v.group <= group);
        let mut runs = Vec::new();
        let mut from = start;
        for at in start..end {
            let v = &self.vertices[at];
            let ends = at + 1 == end || {
                let next = &self.vertices[at + 1];
                (next.part, next.ring) != (v.part, v.ring)
            };
            if ends {
                runs.push(from..at + 1);
                from = at + 1;
            }
        }
        runs
    }

    /// The feature (and part and ring) that a vertex is of, for messages.
    pub(super) fn label(&self, v: &Vertex) -> String {
        let mut label = match self.groups[v.group].as_str() {
            "" => "the feature".to_string(),
            name => format!("`{name}`"),
        };
        if self.parts.names.len() > 1 {
            label.push_str(&format!(" part {}", self.parts.names[v.part]));
        }
        if self.rings.names.len() > 1 {
            label.push_str(&format!(" ring {}", self.rings.names[v.ring]));
        }
        label
    }

    /// Rejects the rows of vertices.
    pub(super) fn refuse(&mut self, vertices: &[Vertex], reason: &str) {
        for vertex in vertices {
            self.rejected.insert(vertex.place, (vertex.row, reason.into()));
        }
        let first = vertices.first().filter(|_| self.rejected_places.len() < PLACED);
        self.rejected_places.extend(first.map(|vertex| RejectedPlace {
            row: vertex.row,
            at: (vertex.x, vertex.y),
            crs: self.build.crs.clone(),
            reason: reason.to_string(),
        }));
    }

    /// Tells of a flaw of a line or ring.
    pub(super) fn flaw(&mut self, kind: FlawKind, vertex: &Vertex, repaired: bool) {
        let what = match (kind, repaired) {
            (FlawKind::RepeatedVertex, true) => "repeated vertices left out",
            (FlawKind::RepeatedVertex, false) => "repeated vertices, kept as they are",
            (FlawKind::Spike, true) => "tips of spikes left out",
            (FlawKind::Spike, false) => "spikes, runs out and straight back, kept as they are",
            (kind, _) => kind.name(),
        };
        let label = self.label(vertex);
        let case =
            || format!("{label} at {}, {} (row {})", short(vertex.x), short(vertex.y), vertex.row);
        match kind {
            FlawKind::RepeatedVertex => self.findings.remark(what, case),
            _ => self.findings.add(what, case),
        }
        if !repaired && matches!(kind, FlawKind::RepeatedVertex | FlawKind::Spike) {
            self.findings.advise(what, Advice::Repair);
        }
    }

    /// Tells of legs that are far longer than the rest.
    pub(super) fn examine(&mut self, vertices: &[Vertex], ruler: &Ruler) {
        let at = |v: &Vertex| (v.x, v.y);
        let legs: Vec<f64> =
            vertices.windows(2).map(|w| ruler.distance(at(&w[0]), at(&w[1]))).collect();
        let mut sorted = legs.clone();
        sorted.sort_by(f64::total_cmp);
        let n = sorted.len();
        let middle = if n >= 4 { Some(sorted[n / 2]) } else { self.median_leg(ruler) };
        let Some(middle) = middle.filter(|m| *m > 0.0) else { return };
        // One leg, or the two that lead to a stray vertex and back.
        let jumps = match n {
            0 => 0,
            1..4 => usize::from(sorted[n - 1] > 20.0 * middle),
            _ => (1..=2)
                .find(|k| {
                    let longest = sorted[n - k];
                    longest > 10.0 * middle && longest > 3.0 * sorted[n - k - 1]
                })
                .unwrap_or(0),
        };
        if jumps == 0 {
            return;
        }
        let limit = sorted[n - jumps];
        for (leg, ends) in legs.iter().zip(vertices.windows(2)).filter(|(leg, _)| **leg >= limit) {
            let label = self.label(&ends[0]);
            let unit = self.unit.clone();
            let (from, to) = (ends[0].row, ends[1].row);
            self.findings.add("legs far longer than the rest: a stray vertex, or two features in one?", || {
                format!(
                    "{label}: {leg:.1} {unit} from row {from} to row {to}, {:.0} times the usual \
                     leg of {middle:.1} {unit}",
                    leg / middle
                )
            });
        }
    }

    /// Median of all legs of the table.
    fn median_leg(&mut self, ruler: &Ruler) -> Option<f64> {
        if self.median_leg.is_none() {
            let mut legs: Vec<f64> = self
                .vertices
                .windows(2)
                .filter(|w| {
                    (w[0].group, w[0].part, w[0].ring) == (w[1].group, w[1].part, w[1].ring)
                })
                .map(|w| ruler.distance((w[0].x, w[0].y), (w[1].x, w[1].y)))
                .collect();
            legs.sort_by(f64::total_cmp);
            self.median_leg = (legs.len() >= 10).then(|| legs[legs.len() / 2]);
        }
        self.median_leg
    }

    /// No row makes a feature.
    fn nothing(&self) -> Error {
        let first = self.rejected.values().next();
        let first = first.map_or(String::new(), |(row, why)| format!("row {row}: {why}"));
        let rows = self.rows;
        Error::data(format!("none of the {rows} rows makes a feature. The first: {first}"))
            .in_file(self.file.path())
    }

    /// Writes the features made of the groups.
    pub(super) fn write(
        mut self,
        features: Vec<(usize, GeometryColumn)>,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let build = self.build.clone();
        let mut extent = Extender::default();
        features.iter().for_each(|(_, column)| extent.add(column));
        let carry = Carry::plan(&build, extent.bounds())?;
        let mut carried = Vec::with_capacity(features.len());
        for (group, column) in features {
            match carry.refuses(column.x.iter().copied().zip(column.y.iter().copied())) {
                None => carried.push((group, column)),
                Some(why) => {
                    let label = self.groups[group].clone();
                    let of = self.runs(group).into_iter().flat_map(|run| &self.vertices[run]);
                    let rows: Vec<Vertex> = of.cloned().collect();
                    self.refuse(&rows, &format!("`{label}`: {why}"));
                }
            }
        }
        let features = carried;
        if features.is_empty() {
            return Err(self.nothing());
        }
        for v in &self.vertices {
            self.cloud.judge(v.row, v.x, v.y);
        }
        self.notices.extend(self.findings.notices());
        self.notices.extend(self.cloud.notices());
        match &build.crs {
            // Where they are carried on, that is told there.
            Some(_) if build.to.is_some() => {}
            Some(crs) => self.notices.extend(self.cloud.against(crs)),
            None => self.notices.extend(build.undeclared(out)),
        }
        let schema = self.inference.schema(&self.headers, &self.kept);
        let types = &self.inference.types;
        let mut rows = RowBuilder::new(schema.clone());
        let mut learn = SchemaInference::default();
        let mut geometry = GeometryColumn::new();
        let mut batches = Vec::new();
        let mut first = 1;
        let count = features.len();
        for (at, (group, column)) in features.into_iter().enumerate() {
            learn.geometry(&column);
            geometry.push_from(&column, 0);
            let values = &self.values[group];
            rows.push(self.kept.iter().map(|at| types[*at].value(&values[*at])))?;
            if rows.is_full() || at + 1 == count {
                let size = rows.len() as u64;
                batches.push(Batch::try_new(std::mem::take(&mut geometry), rows.finish()?, first)?);
                first += size;
            }
        }
        let info = LayerInfo {
            name: build.layer_name(&self.file),
            description: None,
            crs: build.crs.clone(),
            crs_origin: CrsOrigin::Given,
            schema,
            kind: learn.kind(),
            bare: false,
            unit: None,
            aside: false,
            has_z: learn.has_z,
            has_m: false,
            count: Some(count as u64),
            extent: learn.extent.bounds(),
        };
        let mut rejects = build.open_rejects(&self.file, out, &self.headers)?;
        if !self.rejected.is_empty() {
            let mut record = StringRecord::new();
            let mut reader = self.file.rows()?;
            let mut place = 0;
            while reader.read(&mut record)? {
                place += 1;
                if let Some((row, reason)) = self.rejected.get(&place) {
                    rejects.add(*row, reason, record.iter())?;
                }
            }
        }
        let layer = Layer::from_batches(info, batches);
        let mut outcome = build.write_made(&layer, &self.file, out, &mut rejects, watch)?;
        outcome.rows_in = self.rows;
        outcome.vertices = Some(self.rows - self.rejected.len() as u64);
        outcome.rejected = Rejected { places: self.rejected_places, ..rejects.finish()? };
        outcome.notices.splice(..0, self.notices);
        Ok(outcome)
    }
}
