//! `--map`: a map of what a command read or wrote, as a picture or in characters.

use crate::progress::TerminalProgress;
use crate::{record, show};
use clap::ArgMatches;
use std::path::PathBuf;
use velvet_peg::draw::{
    DrawOptions, MapLayers, MapMark, MapRaster, characters, check_picture, draw_layers, today,
};
use velvet_peg::output::{is_same_file, is_standard};
use velvet_peg::raster::{RasterFormat, RasterReader, raster_files};
use velvet_peg::{Error, LayerReader, format_of, layer_files};

/// Rows of a map in characters, where the terminal does not say how many it has.
const ROWS: usize = 24;

/// What is to be drawn when the command has done its work.
pub(crate) struct Asked {
    /// The picture; none for characters.
    picture: Option<PathBuf>,
    overwrite: bool,
    /// Layers that the command only looks at.
    read: Vec<PathBuf>,
    /// The layer before it was declared.
    before: Option<(PathBuf, Option<String>)>,
}

/// The map that the arguments ask for. What cannot be drawn is refused before anything is done.
///
/// # Errors
/// If the picture is of no format of pictures, exists, or is one of the other files, or what is
/// written has no shapes.
pub(crate) fn asked(matches: &ArgMatches) -> Result<Option<Asked>, Error> {
    let (mut name, mut inner) = ("", matches);
    while let Some((next, deeper)) = inner.subcommand() {
        (name, inner) = (next, deeper);
    }
    let path = |id: &str| inner.try_get_one::<PathBuf>(id).ok().flatten().cloned();
    let paths = |id: &str| -> Vec<PathBuf> {
        let values = inner.try_get_many::<PathBuf>(id).ok().flatten();
        values.into_iter().flatten().cloned().collect()
    };
    // The pages of a job are its own.
    let Some(map) = path("map").filter(|_| name != "run") else { return Ok(None) };
    let flag = |id: &str| inner.try_get_one::<bool>(id).ok().flatten().copied().unwrap_or(false);
    let output = path("output");
    // What writes nothing is drawn as it was read.
    let looks = matches!(name, "look" | "check") || (output.is_none() && name != "declare");
    let mut files = paths("files");
    files.extend(path("file"));
    let out = output.as_ref().or(files.first().filter(|_| name == "declare"));
    if let Some(out) = out.filter(|_| !looks) {
        if is_standard(out) {
            return Err(Error::usage("--map draws the file that is written: name one with -o"));
        }
        if format_of(out).is_ok_and(|format| format.is_table()) {
            return Err(Error::usage(
                "is a table: --map draws layers, write one (.gpkg) or leave it out",
            )
            .with_path(out));
        }
    }
    let picture = (!is_standard(&map)).then_some(map);
    // Before a word is said of a raster that no map will show.
    let raster = files.iter().find(|file| RasterFormat::of_file(file).is_some());
    if picture.is_none()
        && let Some(raster) = raster
    {
        return Err(Error::usage(
            "is a raster, which characters do not show: name a picture, such as --map map.png",
        )
        .with_path(raster));
    }
    let json = matches.try_get_one::<bool>("json").ok().flatten().copied().unwrap_or(false);
    if picture.is_none() && json {
        return Err(Error::usage(
            "a map in characters and --json both go to standard output: name a picture, --map FILE",
        ));
    }
    if let Some(picture) = &picture {
        let written = [output.clone(), path("report")];
        let mut others = files.iter().chain(written.iter().flatten());
        if others.any(|file| is_same_file(file, picture)) {
            return Err(
                Error::usage("is another file of the command: name another map").with_path(picture)
            );
        }
        check_picture(picture, flag("overwrite"))?;
    }
    let layer = inner.try_get_one::<String>("layer").ok().flatten().cloned();
    let before = match (name, files.first(), &output) {
        ("declare", Some(file), Some(out)) if raster.is_none() && !is_same_file(file, out) => {
            Some((file.clone(), layer))
        }
        _ => None,
    };
    let read = if looks { files } else { Vec::new() };
    Ok(Some(Asked { picture, overwrite: flag("overwrite"), read, before }))
}

/// Draws what the command has read or written.
///
/// # Errors
/// If a file cannot be read or the picture cannot be written.
pub(crate) fn draw(asked: Asked) -> Result<(), Error> {
    let mut files = asked.read;
    files.extend(record::written());
    let mut layers = MapLayers::default();
    for file in files {
        let folder = file.is_dir();
        let in_folder = match folder {
            true => layer_files(&file)?.0.into_iter().chain(raster_files(&file)?).collect(),
            false => vec![file],
        };
        for file in in_folder {
            if RasterFormat::of_file(&file).is_some() {
                let raster = RasterReader::open(&file)?;
                // Beside the layers of a folder pictures lie that have no place.
                if raster.info().grid.is_some() || !folder {
                    layers.rasters.push(MapRaster::new(raster)?);
                }
                continue;
            }
            if format_of(&file).is_ok_and(|format| format.is_table()) {
                show::remark(&format!(
                    "{} is a table, which the map leaves out: build its features to see them",
                    file.display()
                ));
                continue;
            }
            layers.layers.extend(LayerReader::open_spatial(&file)?);
        }
    }
    if let Some((file, layer)) = asked.before {
        let before = LayerReader::open(&file, layer.as_deref())?;
        let other =
            layers.layers.first().is_some_and(|after| after.info().crs != before.info().crs);
        layers.before = (other && before.info().crs.is_some()).then_some(before);
    }
    layers.marks = record::rejected()
        .into_iter()
        .map(|rejected| MapMark {
            layer: 0,
            at: rejected.at,
            crs: rejected.crs,
            text: format!("rejected, row {}: {}", rejected.row, rejected.reason),
        })
        .collect();
    if layers.layers.is_empty() && layers.rasters.is_empty() {
        return Err(Error::usage("there is no layer to draw a map of"));
    }
    let mut watch = TerminalProgress::new("drawing");
    let Some(picture) = asked.picture else {
        let terminal = console::Term::stdout().size_checked();
        let size = terminal
            .map_or((80, ROWS), |(rows, columns)| (usize::from(columns), usize::from(rows)));
        // The border, and what stands around the map.
        let size = (size.0.saturating_sub(2), size.1.saturating_sub(7).min(60));
        let (text, notices) = characters(&layers, size, &DrawOptions::default(), &mut watch)?;
        drop(watch);
        show::notices(&notices);
        return show::answer(&text);
    };
    let options =
        DrawOptions { date: Some(today()), overwrite: asked.overwrite, ..DrawOptions::default() };
    let notices = draw_layers(&layers, &picture, &options, &mut watch)?;
    drop(watch);
    show::notices(&notices);
    show::remark(&format!("drew it to {}", picture.display()));
    Ok(())
}
