//! The outputs of a job: layers and tables, maps, and quality sheets.

use super::file::{Job, JobOutput};
use super::pending_outputs::PendingOutputs;
use super::run_step::Named;
use crate::check::{CheckOptions, CheckedLayers, check_layers, sheets_as_markdown};
use crate::convert::ConvertLayer;
use crate::draw::{DrawOptions, draw_layers};
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{TextDialect, WriteOptions};
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::progress::NoProgress;
use crate::raster::ConvertRaster;
use crate::report::{ReportOptions, check_page};
use indexmap::IndexMap;
use std::path::Path;

impl Job {
    /// Writes one output beside its place.
    pub(super) fn write(
        &self,
        output: &JobOutput,
        path: &Path,
        shown: &str,
        known: &IndexMap<String, Named>,
        folder: &Path,
        staged: &mut PendingOutputs,
    ) -> Result<Vec<Notice>> {
        let mut notices = Vec::new();
        let again = staged.has(path);
        let at = staged.place(path)?;
        let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default();
        let extension = extension.to_ascii_lowercase();
        let open = |name: &String| known[name].layer(folder);
        let readers = || -> Result<Vec<LayerReader>> { output.from.iter().map(open).collect() };
        match extension.as_str() {
            drawn if output.is_map(drawn) => {
                let map = output.map.clone().unwrap_or_default();
                let part = |name: &String| known[name].part(folder);
                let (layers, options, told) = map.drawing(&output.from, part, folder)?;
                let options = DrawOptions {
                    title: output.title.clone(),
                    label: output.label.clone(),
                    ..options
                };
                notices.extend(told);
                notices.extend(draw_layers(&layers, &at, &options, &mut NoProgress)?);
            }
            "md" | "html" => {
                let title = output.title.clone().or_else(|| self.title.clone());
                let options = CheckOptions { title, ..CheckOptions::default() };
                let layers = readers()?;
                let mut report = check_layers(&layers, &options, &mut NoProgress)?;
                for (sheet, name) in report.sheets.iter_mut().zip(&output.from) {
                    sheet.source = match self.sources.get(name) {
                        Some(source) => source.file.clone().into(),
                        None => format!("{name}, a step of the job").into(),
                    };
                }
                let text = match extension.as_str() {
                    "md" => sheets_as_markdown(&report),
                    _ => {
                        let of =
                            ReportOptions { date: self.date.clone(), ..ReportOptions::default() };
                        check_page(CheckedLayers { report, layers }, &of, &mut NoProgress)?
                    }
                };
                std::fs::write(&at, text).map_err(|e| Error::file(path, "cannot be written", e))?;
            }
            _ if output.is_raster() => {
                let raster = known[&output.from[0]].raster(folder)?;
                let convert =
                    ConvertRaster { overviews: output.overviews, ..ConvertRaster::default() };
                let written = convert.run(&raster, &at).map_err(|error| error.moved(&at, path))?;
                notices.extend(written.notices);
            }
            _ => {
                let several = output.from.len() > 1 || again;
                let kept = if again { Vec::new() } else { self.keep_rest(path, &at, staged)? };
                if !kept.is_empty() {
                    notices.push(Notice::note(
                        NoticeKind::OtherLayersStay,
                        format!(
                            "the file was there; what else it holds stays: {}",
                            crate::layer::column_names::list(&kept)
                        ),
                    ));
                }
                let into_copy = staged.has_rest(path);
                for (name, reader) in output.from.iter().zip(readers()?) {
                    let layer = output.layer.clone().filter(|_| output.from.len() == 1);
                    let convert = ConvertLayer {
                        write: WriteOptions {
                            layer: Some(layer.unwrap_or_else(|| name.clone())),
                            decimals: output.decimals,
                            wkt: output.wkt,
                            no_geometry: output.no_geometry,
                            text: TextDialect {
                                delimiter: output.delimiter,
                                byte_order_mark: output.byte_order_mark,
                                formulas_as_text: output.formulas_as_text,
                                crlf: output.crlf,
                                decimal_comma: output.decimal_comma,
                                metadata: output.metadata,
                            },
                            layer_by: output.layer_by.clone(),
                            label: output.label.clone(),
                            description: output.description.clone(),
                            link: output.link.clone(),
                            append: several && !into_copy,
                            overwrite: into_copy,
                            stamp: Some(format!(
                                "{}T00:00:00.000Z",
                                self.date.as_deref().unwrap_or("1970-01-01")
                            )),
                            ..WriteOptions::default()
                        },
                        ..ConvertLayer::default()
                    };
                    let written = convert.run(&reader, &at);
                    let written = written.map_err(|error| error.shown_as(&at, path))?;
                    let place = at.display().to_string();
                    notices.extend(written.notices.into_iter().map(|mut notice| {
                        notice.text = notice.text.replace(&place, shown);
                        notice
                    }));
                }
                // Every layer of a new file is new, and what stays was said once.
                notices.retain(|notice| {
                    let rest = into_copy && notice.kind == NoticeKind::OtherLayersStay;
                    !rest && notice.kind != NoticeKind::NewLayer
                });
            }
        }
        Ok(notices)
    }

    /// A file of several layers that is there may hold more than the layers of the job: then the new layers go
    /// into a copy of it. Gives what else there is.
    fn keep_rest(
        &self,
        path: &Path,
        at: &Path,
        staged: &mut PendingOutputs,
    ) -> Result<Vec<String>> {
        let Some(store) = Format::of(path)?.description().store().filter(|_| path.exists()) else {
            return Ok(Vec::new());
        };
        let mut ours: Vec<String> = Vec::new();
        for output in &self.outputs {
            let named = output.layer.iter().filter(|_| output.from.len() == 1);
            ours.extend(named.chain(&output.from).map(|name| store.layer_name(name)));
        }
        let kept = store.others(path, &ours)?;
        if !kept.is_empty() {
            staged.hold(path)?;
            store.copy(path, at)?;
        }
        Ok(kept)
    }
}
