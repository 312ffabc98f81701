//! Giving a raster its missing or corrected reference system; no pixel moves.

use super::convert::{ConvertRaster, RasterSummary};
use super::info::{PlacedBy, no_place};
use super::raster_format::RasterFormat;
use super::reader::RasterReader;
use super::side_files::{world_extensions, world_text};
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::notice::{Notice, NoticeKind};
use crate::output::{refuse_existing, same_file, write_whole};
use crate::plausibility::box_against;
use crate::progress::Progress;
use std::path::Path;
use velvet_peg_core::Crs;
use velvet_peg_core::definition::{self, Spelling};

/// Writes a raster again with another reference system and the same pixels, or, where it is placed by a fit of
/// second order, straightened. Where the output is the raster
/// itself, and its format has no place for a system (PNG, JPEG, ASCII grids), a `.prj` beside it is written
/// and the raster stays as it is.
///
/// # Errors
/// If nothing says where its pixels lie, the output exists and `overwrite` is off, or it cannot be
/// written.
pub fn declare_raster(
    mut reader: RasterReader,
    crs: &Crs,
    out: &Path,
    overwrite: bool,
    watch: &mut dyn Progress,
) -> Result<RasterSummary> {
    let mut notices = Vec::new();
    let info = reader.info();
    match &info.crs {
        Some(old) if old == crs => notices.push(Notice::note(
            NoticeKind::System,
            format!("the raster was declared as {} already", crs.label()),
        )),
        Some(old) => notices.push(
            Notice::note(
                NoticeKind::System,
                format!(
                    "was declared as {}; the pixels stay where they are and now count as {}",
                    old.label(),
                    crs.label()
                ),
            )
            .advise(Advice::Convert),
        ),
        None => {}
    }
    notices.extend(info.extent().and_then(|extent| box_against(&extent, crs)));
    let in_place = same_file(out, reader.path());
    if in_place && reader.bend().is_some() {
        return Err(Error::usage(
            "would be straightened, which changes its pixels: name another file to write",
        )
        .in_file(out));
    }
    let aside = in_place && info.format != RasterFormat::GeoTiff;
    let format = info.format;
    if !aside {
        reader.assume(crs.clone());
        let convert = ConvertRaster { overwrite, in_place: true, ..ConvertRaster::default() };
        let mut done = convert.run_watched(&reader, out, watch)?;
        notices.append(&mut done.notices);
        return Ok(RasterSummary { notices, ..done });
    }
    let grid = info.grid.ok_or_else(|| no_place(info).in_file(out))?;
    let text = definition::wkt1_spelled(crs, Spelling::SideFile).ok_or_else(|| {
        Error::usage(format!(
            "neither {format} nor a .prj beside it has words for {}: write a .tif",
            crs.label()
        ))
        .in_file(out)
    })?;
    let side = out.with_extension("prj");
    let mut files = vec![side.clone()];
    if info.placed_by == Some(PlacedBy::ControlPoints) {
        let extension = out.extension().and_then(|e| e.to_str()).unwrap_or_default();
        let world = out.with_extension(world_extensions(extension).remove(0));
        // Both or none: what is there is looked at first.
        refuse_existing(&side, overwrite)?;
        write_whole(&world, world_text(&grid).as_bytes(), overwrite)?;
        files.insert(0, world);
    }
    write_whole(&side, text.as_bytes(), overwrite)?;
    notices.extend(info.notices.iter().filter(|notice| notice.kind != NoticeKind::System).cloned());
    let pixels = (info.columns * info.rows) as u64;
    Ok(RasterSummary::unchanged(grid, pixels, files, notices))
}
