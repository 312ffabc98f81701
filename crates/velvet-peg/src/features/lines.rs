//! Lines from the rows of a table.

use super::BuildOptions;
use super::gathered_memory::GatheredMemory;
use super::vertex_columns::VertexOptions;
use super::vertices::{Gathered, Vertex};
use crate::error::Result;
use crate::geometry::Ruler;
use crate::layer::{GeometryColumn, GeometryKind};
use crate::outcome::Summary;
use crate::progress::{NoProgress, Progress};
use std::path::Path;
use velvet_peg_core::planar::{FlawKind, Ring, flaws_of_line};

/// What a vertex takes while its line is made and looked at for flaws, bytes.
const IN_MAKING: usize = 60;

/// What to build lines from.
#[derive(Clone, Debug, Default)]
pub struct BuildLines {
    /// Which rows make which line.
    pub vertices: VertexOptions,
    /// Leaves out repeated vertices and spikes, saying which.
    pub repair: bool,
}

impl BuildLines {
    /// Lines in a reference system, told apart by one column.
    pub fn grouped_by(column: &str, crs: velvet_peg_core::Crs) -> BuildLines {
        let build = BuildOptions { crs: Some(crs), ..BuildOptions::default() };
        let vertices =
            VertexOptions { group: vec![column.to_string()], build, ..VertexOptions::default() };
        BuildLines { vertices, repair: false }
    }

    /// Makes a line of the rows of every group. Attributes that agree within every group are
    /// kept (blank cells agree with anything); columns that differ are named and left out. Rows
    /// that cannot be used, and groups of a single vertex, go to the rejects.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::Crs;
    /// use velvet_peg::features::BuildLines;
    /// std::fs::write(file("a.csv"), "ditch,no,east,north\nT-1,2,600010,5250000\nT-1,1,600000,5250000\n")?;
    /// let mut lines = BuildLines::grouped_by("ditch", Crs::from_epsg(32610)?);
    /// lines.vertices.order = Some("no".into());
    /// let outcome = lines.run(&file("a.csv"), &file("a.gpkg"))?;
    /// assert_eq!((outcome.rows_in, outcome.vertices, outcome.out), (2, Some(2), 1));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the table cannot be read, a column is missing, an output exists, or no line can be
    /// made.
    pub fn run(&self, table: &Path, out: &Path) -> Result<Summary> {
        self.run_watched(table, out, &mut NoProgress)
    }

    /// As [`BuildLines::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`BuildLines::run`].
    pub fn run_watched(
        &self,
        table: &Path,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let mut gathered = Gathered::read(
            &self.vertices,
            None,
            GatheredMemory::of::<Vertex>(IN_MAKING),
            table,
            out,
            watch,
        )?;
        let ruler = Ruler::of(gathered.build.crs.as_ref());
        let mut lines = Vec::new();
        for group in 0..gathered.groups.len() {
            let mut column = GeometryColumn::new();
            let mut parts = 0;
            for run in gathered.runs(group) {
                let vertices = &gathered.vertices[run.clone()];
                let distinct =
                    vertices.iter().any(|v| (v.x, v.y) != (vertices[0].x, vertices[0].y));
                if !distinct {
                    let what = match vertices.len() {
                        1 => "a line needs two vertices, and there is one".to_string(),
                        n => format!("a line needs two places, and its {n} vertices are at one"),
                    };
                    let label = gathered.label(&vertices[0]);
                    let vertices = vertices.to_vec();
                    gathered.refuse(&vertices, &format!("{label}: {what}"));
                    continue;
                }
                let mut kept: Vec<Vertex> = vertices.to_vec();
                gathered.examine(&kept, &ruler);
                line_flaws(&mut gathered, &mut kept, self.repair);
                for v in &kept {
                    column.push_vertex(v.x, v.y, v.z);
                }
                column.end_ring();
                column.end_part();
                parts += 1;
            }
            if parts > 0 {
                let kind = if parts > 1 {
                    GeometryKind::MultiLineString
                } else {
                    GeometryKind::LineString
                };
                column.end_feature(Some(kind));
                lines.push((group, column));
            }
        }
        gathered.write(lines, out, watch)
    }
}

/// Tells of repeated vertices and spikes, and leaves them out if that is wanted.
fn line_flaws(gathered: &mut Gathered, vertices: &mut Vec<Vertex>, repair: bool) {
    loop {
        let x: Vec<f64> = vertices.iter().map(|v| v.x).collect();
        let y: Vec<f64> = vertices.iter().map(|v| v.y).collect();
        let flaws = flaws_of_line(Ring { x: &x, y: &y });
        let untidy = |kind: FlawKind| matches!(kind, FlawKind::RepeatedVertex | FlawKind::Spike);
        let gone: Vec<(usize, FlawKind)> = flaws
            .iter()
            .filter(|flaw| untidy(flaw.kind))
            .map(|flaw| (flaw.vertex, flaw.kind))
            .collect();
        // A line keeps two places at least.
        let mut left =
            (0..x.len()).filter(|at| gone.iter().all(|(v, _)| v != at)).map(|at| (x[at], y[at]));
        let first = left.next();
        let repairs = repair && left.any(|at| Some(at) != first);
        for (vertex, kind) in &gone {
            gathered.flaw(*kind, &vertices[*vertex], repairs);
        }
        if !repairs || gone.is_empty() {
            return;
        }
        let mut at = 0;
        vertices.retain(|_| {
            at += 1;
            gone.iter().all(|(vertex, _)| *vertex != at - 1)
        });
    }
}
