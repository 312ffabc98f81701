//! Carrying several layers into one file that keeps several.

use super::ConvertLayer;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::layer::column_names::TakenNames;
use crate::layer_io::LayerReader;
use crate::notice::{Notice, NoticeKind};
use crate::outcome::{Rejected, Rejects, RejectsTo, Summary, layer_columns};
use crate::output::{Hold, Pending, refuse_existing};
use crate::packing::Packing;
use crate::progress::{NoProgress, Progress};
use arrow_schema::{Fields, Schema, SchemaBuilder};
use std::collections::HashMap;
use std::path::Path;
use velvet_peg_core::Crs;

/// Carries several layers into one file that keeps several (a GeoPackage), which appears when all
/// are in it.
#[derive(Clone, Debug, Default)]
pub struct ConvertLayers {
    /// What is done with each. Its target is for layers that are given none of their own.
    pub each: ConvertLayer,
}

/// What became of the layers, and of what was rejected of all of them.
#[derive(Clone, Debug, Default)]
pub struct ConvertedLayers {
    /// The name of each layer in the output, with what became of it.
    pub layers: Vec<(String, Summary)>,
    /// What was rejected, with the layer it is of.
    pub rejected: Rejected,
}

impl ConvertedLayers {
    /// All of it as one: what was noticed is there once, with the layers that it is of in front.
    pub fn total(&self) -> Summary {
        let mut total = Summary { rejected: self.rejected.clone(), ..Summary::default() };
        let mut told: Vec<(Notice, Vec<&str>)> = Vec::new();
        total.verified = self.layers.iter().all(|(_, summary)| summary.verified);
        for (name, summary) in &self.layers {
            total.rows_in += summary.rows_in;
            total.out += summary.out;
            total.left_out += summary.left_out;
            total.files.clone_from(&summary.files);
            for notice in &summary.notices {
                match told.iter_mut().find(|(known, _)| known.text == notice.text) {
                    Some((_, layers)) => layers.push(name),
                    None => told.push((notice.clone(), vec![name])),
                }
            }
        }
        for (mut notice, layers) in told {
            let of = match layers.as_slice() {
                [one] => format!("layer {one}"),
                [first, .., last] if layers.len() > 3 => {
                    format!("{} layers ({first} to {last})", layers.len())
                }
                some => format!("layers {}", some.join(", ")),
            };
            notice.text = format!("{of}: {}", notice.text);
            total.notices.push(notice.in_layer(layers[0]));
        }
        total
    }
}

impl ConvertLayers {
    /// Converts layer by layer. The layers keep their names; where two have one name, that of the
    /// file is put in front. Tables of attributes go along as they are.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # velvet_peg::demo::lay_out(folder.path(), false)?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::{ConvertLayers, Crs, LayerReader};
    /// let mut convert = ConvertLayers::default();
    /// convert.each.target = Some(Crs::from_epsg(2285)?);
    /// let layers = [LayerReader::open(&file("fields.geojson"), None)?];
    /// let done = convert.run(&layers, &file("all.gpkg"))?;
    /// assert_eq!((done.layers[0].0.as_str(), done.layers[0].1.out), ("fields", 16));
    /// # Ok::<(), velvet_peg::Error>(())
    /// ```
    ///
    /// # Errors
    /// If the format of the output keeps one layer only, and as [`ConvertLayer::run`], with the name
    /// of the layer; nothing is written then.
    pub fn run(&self, layers: &[LayerReader], out: &Path) -> Result<ConvertedLayers> {
        let layers: Vec<(&LayerReader, Option<Crs>)> =
            layers.iter().map(|layer| (layer, self.each.target.clone())).collect();
        self.run_watched(&layers, out, &mut NoProgress)
    }

    /// As [`ConvertLayers::run`], each layer with the system to carry it to, telling `watch` how far
    /// it has come.
    ///
    /// # Errors
    /// As [`ConvertLayers::run`].
    pub fn run_watched(
        &self,
        layers: &[(&LayerReader, Option<Crs>)],
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<ConvertedLayers> {
        let write = &self.each.write;
        let Some(store) = Format::of_output(out)?.description().store() else {
            return Err(Error::usage(format!(
                "holds one layer, and there are {}: write a GeoPackage (.gpkg), or name a layer",
                layers.len()
            ))
            .in_file(out));
        };
        if Packing::of_path(out).is_some() {
            return Err(Error::usage(
                "is packed, and nothing is added to packed files: write the layers to a .gpkg, and \
                 pack that",
            )
            .in_file(out));
        }
        if write.layer.is_some() {
            return Err(Error::usage("several layers cannot have one name").in_file(out));
        }
        refuse_existing(out, write.replaces())?;
        let mut pending = Pending::create(out, write.replaces())?;
        let staged = pending.path();
        // The layers go into a copy, which takes the place of the file if nobody has changed that.
        let mut hold = None;
        match (out.exists(), write.replace_file) {
            (true, false) => {
                store.release(out)?;
                hold = Hold::take(out)?;
                store.copy(out, &staged)?;
            }
            (true, true) => {}
            // What another program puts there meanwhile would be lost.
            (false, _) => pending.refuse_existing(),
        }
        let whole = all_columns(layers);
        let to = RejectsTo {
            named: self.each.rejects.as_deref(),
            overwrite: write.overwrite || write.replace_file,
            append: write.append,
        };
        let inputs: Vec<&Path> = layers.iter().map(|(layer, _)| layer.path()).collect();
        let mut rejects = Rejects::new(to, &inputs, out, &layer_columns(&whole))?;
        let names = names(layers);
        let mut done = ConvertedLayers::default();
        for ((reader, target), name) in layers.iter().zip(names) {
            let info = reader.info();
            rejects.enter(&whole, &info.schema);
            let mut each = self.each.clone();
            // What has no coordinates is carried nowhere.
            each.target = target.clone().filter(|_| !info.bare);
            each.write.layer = Some(name.clone());
            each.write.overwrite = !write.append;
            each.write.replace_file = false;
            let summary = each.run_into(reader, &staged, &mut rejects, watch);
            let mut summary = summary.map_err(|e| e.shown_as(&staged, out).in_layer(&info.name))?;
            // The file is new as a whole, or was asked to get these layers.
            summary.notices.retain(|notice| {
                !matches!(notice.kind, NoticeKind::NewLayer | NoticeKind::OtherLayersStay)
            });
            summary.files = vec![out.to_path_buf()];
            done.layers.push((name, summary));
        }
        if out.exists() {
            store.release(out)?;
        }
        if let Some(hold) = &hold {
            hold.check()?;
        }
        pending.finish(&[])?;
        done.rejected = rejects.finish()?;
        Ok(done)
    }
}

/// The columns of all layers together.
fn all_columns(layers: &[(&LayerReader, Option<Crs>)]) -> Schema {
    let mut whole = SchemaBuilder::from(Fields::empty());
    let mut names: Vec<&str> = Vec::new();
    for field in layers.iter().flat_map(|(layer, _)| layer.info().schema.fields()) {
        if !names.contains(&field.name().as_str()) {
            names.push(field.name());
            whole.push(field.clone());
        }
    }
    whole.finish()
}

/// The names of the layers in the output.
fn names(layers: &[(&LayerReader, Option<Crs>)]) -> Vec<String> {
    let own: Vec<&str> = layers.iter().map(|(layer, _)| layer.info().name.as_str()).collect();
    let mut names: Vec<String> = Vec::new();
    let mut taken = TakenNames::default();
    let mut counts: HashMap<String, usize> = HashMap::new();
    own.iter().for_each(|name| *counts.entry(name.to_ascii_lowercase()).or_default() += 1);
    for ((layer, _), name) in layers.iter().zip(&own) {
        let twice = counts[&name.to_ascii_lowercase()] > 1;
        let stem = layer.path().file_stem().unwrap_or_default().to_string_lossy();
        let name = match twice && !stem.eq_ignore_ascii_case(name) {
            true => format!("{stem}_{name}"),
            false => (*name).to_string(),
        };
        names.push(taken.take(&name));
    }
    names
}
