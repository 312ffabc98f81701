//! `vpeg draw`: a map of layers.

use crate::arguments::heading;
use crate::{Ending, reference, show};
use clap::Args;
use std::path::PathBuf;
use velvet_peg::draw::DrawOptions;
use velvet_peg::{Error, Layer, LayerReader, draw};

#[derive(Debug, Args)]
pub(crate) struct Draw {
    /// Layer files, all of whose layers are drawn.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// Picture to write: .svg or .png.
    #[arg(long, short, help_heading = heading::OUTPUT)]
    output: PathBuf,
    /// Title; the layers' names if not given.
    #[arg(long)]
    title: Option<String>,
    /// Title of a layer in the legend, in place of its name; several times for several.
    #[arg(long, value_name = "LAYER=TITLE", value_parser = title_of)]
    title_of: Vec<(String, String)>,
    /// Reference system to draw in; the first layer's if not given.
    #[arg(long, value_name = "REF")]
    crs: Option<String>,
    /// Attribute to write beside the features.
    #[arg(long, value_name = "COLUMN")]
    label: Option<String>,
    /// Size in pixels, WIDTHxHEIGHT.
    #[arg(long, default_value = "1280x800", value_parser = size)]
    size: (u32, u32),
    /// Replace an existing file.
    #[arg(long, help_heading = heading::OUTPUT)]
    overwrite: bool,
}

fn title_of(text: &str) -> Result<(String, String), String> {
    match text.split_once('=') {
        Some((layer, title)) => Ok((layer.trim().to_string(), title.trim().to_string())),
        None => Err(format!("`{text}` names no layer: write LAYER=TITLE")),
    }
}

fn size(text: &str) -> Result<(u32, u32), String> {
    let wrong = || "a size is WIDTHxHEIGHT in pixels, 320x240 to 20000x20000".to_string();
    let (width, height) = text.split_once(['x', 'X', '×']).ok_or_else(wrong)?;
    let sides = (width.parse().map_err(|_| wrong())?, height.parse().map_err(|_| wrong())?);
    match (320..=20_000).contains(&sides.0) && (240..=20_000).contains(&sides.1) {
        true => Ok(sides),
        false => Err(wrong()),
    }
}

impl Draw {
    pub(crate) fn run(&self) -> Result<Ending, Error> {
        let mut layers: Vec<Layer> = Vec::new();
        for file in &self.files {
            for reader in LayerReader::open_spatial(file)? {
                show::notices(&reader.notices);
                layers.push(reader.read()?);
            }
        }
        for (name, _) in &self.title_of {
            if !layers.iter().any(|layer| layer.info().name == *name) {
                let names: Vec<&str> =
                    layers.iter().map(|layer| layer.info().name.as_str()).collect();
                return Err(Error::usage(format!(
                    "there is no layer `{name}` to give a title to: there is {}",
                    names.join(", ")
                )));
            }
        }
        let has =
            |name| layers.iter().any(|layer| layer.info().schema.field_with_name(name).is_ok());
        if let Some(label) = self.label.as_ref().filter(|label| !has(label.as_str())) {
            return Err(Error::usage(format!("no layer has a column `{label}` to label with")));
        }
        let options = DrawOptions {
            title: self.title.clone(),
            titles: self.title_of.clone(),
            width: self.size.0,
            height: self.size.1,
            crs: self.crs.as_deref().map(reference::system).transpose()?,
            label: self.label.clone(),
            overwrite: self.overwrite,
        };
        let notices = draw(&layers, &self.output, &options)?;
        if show::wants_json() {
            show::json(&serde_json::json!({
                "layers": layers.iter().map(|layer| layer.info().name.as_str()).collect::<Vec<_>>(),
                "output": self.output,
                "notices": show::notices_as_json(&notices),
            }))?;
        }
        show::notices(&notices);
        let s = if layers.len() == 1 { "" } else { "s" };
        show::remark(&format!("drew {} layer{s} to {}", layers.len(), self.output.display()));
        Ok(Ending::Done)
    }
}
