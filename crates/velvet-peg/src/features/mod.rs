//! Features made of the rows of a table: [`BuildPoints`] takes columns of coordinates,
//! [`BuildFeatures`] a column with geometries as text, [`BuildLines`] and [`BuildPolygons`] rows
//! that are vertices, [`BuildCourses`] the courses of deeds. What is the same for all of them is in
//! [`BuildOptions`].

mod closure;
mod course_columns;
mod courses;
mod findings;
mod first_values;
mod from_text;
mod gathered_memory;
mod judged_rows;
mod kept_rows;
mod lines;
mod made_features;
mod points;
mod polygons;
mod repair;
mod reproject;
mod row_by_row;
mod row_geometry;
mod vertex_columns;
mod vertices;

pub use closure::{Closure, ClosureLeg};
pub use course_columns::CourseNames;
pub use courses::BuildCourses;
pub use from_text::BuildFeatures;
pub use lines::BuildLines;
pub use points::BuildPoints;
pub use polygons::BuildPolygons;
pub use vertex_columns::VertexOptions;

use crate::advice::Advice;
use crate::convert::ConvertLayer;
use crate::error::Result;
use crate::format_support::{TableOptions, WriteOptions};
use crate::layer::Layer;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::outcome::{Rejects, RejectsTo};
use crate::output::refuse_inputs;
use crate::progress::Progress;
use crate::reproject::Way;
use crate::select::Selection;
use crate::table::TableFile;
use std::path::{Path, PathBuf};
use velvet_peg_core::Crs;

/// How features are built from a table.
#[derive(Clone, Debug, Default)]
pub struct BuildOptions {
    /// Reference system of the coordinates; none to leave it open.
    pub crs: Option<Crs>,
    /// Reference system to carry the features to, on the way.
    pub to: Option<Crs>,
    /// Which way they are carried there.
    pub way: Way,
    /// Which rows and columns are kept, and what is computed.
    pub select: Selection,
    /// How the table is read.
    pub table: TableOptions,
    /// How the features are written.
    pub write: WriteOptions,
    /// Name of the layer; the table's name if none.
    pub layer: Option<String>,
    /// Where rejects go; `OUT.rejects.csv` if none.
    pub rejects: Option<PathBuf>,
}

impl BuildOptions {
    /// Name of the layer: the one asked for, that of the sheet, or that of the table.
    fn layer_name(&self, file: &TableFile) -> String {
        let stem = file.path().file_stem().and_then(|stem| stem.to_str());
        let stem = stem.filter(|stem| *stem != "-").unwrap_or("features");
        let of_file = file.facts().table.as_deref().or(file.sheet());
        let named = self.layer.as_deref().or(of_file);
        named.unwrap_or(stem).to_string()
    }

    /// Opens a table, and gives the options with the system that the table itself is in, where none
    /// is given; where another is, that is told.
    ///
    /// # Errors
    /// As [`TableFile::open`].
    fn open(&self, table: &Path) -> Result<(TableFile, BuildOptions, Option<Notice>)> {
        let file = TableFile::open(table, &self.table)?;
        let mut own = self.clone();
        let stated = file.crs().cloned();
        let other = self.crs.as_ref().zip(stated.as_ref()).filter(|(given, told)| given != told);
        let notice = other.map(|(given, told)| {
            let text = format!(
                "{} is given, and the file beside the table says that it is in {}: the given one \
                 is used",
                given.label(),
                told.label()
            );
            Notice::warning(NoticeKind::System, text)
        });
        own.crs = own.crs.or(stated);
        Ok((file, own, notice))
    }

    /// A warning where the features have no reference system.
    fn undeclared(&self, out: &Path) -> Option<Notice> {
        self.crs.is_none().then(|| {
            Notice::warning(
                NoticeKind::System,
                "no reference system was given, so the features have none and cannot be converted \
                 or measured",
            )
            .advise(Advice::DeclareLater(out.to_path_buf()))
        })
    }

    /// Writes features that were made in memory; rows in them and rows rejected are counted by
    /// whoever made them.
    fn write_made(
        &self,
        layer: &Layer,
        file: &TableFile,
        out: &Path,
        rejects: &mut Rejects,
        watch: &mut dyn Progress,
    ) -> Result<Summary> {
        let convert = ConvertLayer {
            target: self.to.clone(),
            way: self.way.clone(),
            select: self.select.clone(),
            write: self.write.clone(),
            rejects: None,
        };
        convert.run_into(&LayerReader::of_layer(layer, file.path()), out, rejects, watch)
    }

    /// The file for rejected rows of a table.
    fn open_rejects(&self, table: &TableFile, out: &Path, headers: &[String]) -> Result<Rejects> {
        let inputs: Vec<&Path> = table.inputs().iter().map(PathBuf::as_path).collect();
        refuse_inputs(out, inputs.iter().copied())?;
        let to = RejectsTo {
            named: self.rejects.as_deref(),
            overwrite: self.write.overwrite || self.write.replace_file,
            append: self.write.append,
        };
        Rejects::new(to, &inputs, out, headers)
    }
}
