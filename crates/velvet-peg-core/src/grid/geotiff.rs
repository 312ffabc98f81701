//! Grids of heights as GeoTIFF (OGC 19-008r4; EPSG methods 1123, 1124, 1127, 1128 and 1129): degrees, the
//! first band, metres.
//!
//! Each image of full size is a grid, placed by a tie point and a scale; a grid inside another is the
//! denser one and serves where it lies. The value that stands for none is that of tag 42113. Not compared
//! with a file of a publisher's.

use super::{Nodes, Part, ShiftGrid, sound_size};
use crate::error::{Error, Result};
use std::io::Cursor;
use tiff::TiffError;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;

/// Key of the raster's kind: 2 where a tie point is that of a node, not of the corner of a cell.
const RASTER_TYPE: u16 = 1025;
const AT_NODES: u16 = 2;

/// Tag of the value that stands for none, as text.
const NO_VALUE: u16 = 42113;

pub(super) fn parse(bytes: &[u8]) -> Result<ShiftGrid> {
    let mut limits = Limits::default();
    // The pieces are held one at a time; the values are as many as the file has room for.
    limits.decoding_buffer_size = 4 * super::height_text::MOST_NODES;
    let mut decoder =
        Decoder::new(Cursor::new(bytes)).map_err(|error| unread(&error))?.with_limits(limits);
    let mut parts = Vec::new();
    loop {
        let kind = decoder.find_tag_unsigned::<u32>(Tag::NewSubfileType);
        let reduced = kind.map_err(|error| unread(&error))?.is_some_and(|kind| kind & 5 != 0);
        if !reduced {
            parts.push(part(&mut decoder, parts.len())?);
        }
        if !decoder.more_images() {
            break;
        }
        decoder.next_image().map_err(|error| unread(&error))?;
    }
    // The smallest grid that holds another is its parent.
    for at in 0..parts.len() {
        let size =
            |part: &Part| part.lat_step * part.rows as f64 * part.lon_step * part.columns as f64;
        let parent = (0..parts.len())
            .filter(|other| *other != at && lies_in(&parts[at], &parts[*other]))
            .min_by(|a, b| size(&parts[*a]).total_cmp(&size(&parts[*b])));
        parts[at].parent = parent.map(|parent| parts[parent].name.clone()).unwrap_or_default();
    }
    match parts.is_empty() {
        true => Err(Error::malformed("it has no image of full size")),
        false => Ok(ShiftGrid { parts, quadratic: false, order_taken: false }),
    }
}

fn unread(error: &TiffError) -> Error {
    Error::malformed(format!("it cannot be read as TIFF: {error}"))
}

fn lies_in(inner: &Part, outer: &Part) -> bool {
    let (inner_box, outer_box) = (inner.bounds(), outer.bounds());
    let within = outer_box.south <= inner_box.south + 1e-9
        && outer_box.north >= inner_box.north - 1e-9
        && outer_box.west <= inner_box.west + 1e-9
        && outer_box.east >= inner_box.east - 1e-9;
    within && inner.lat_step < outer.lat_step
}

fn part(decoder: &mut Decoder<Cursor<&[u8]>>, at: usize) -> Result<Part> {
    let (width, height) = decoder.dimensions().map_err(|error| unread(&error))?;
    let (rows, columns) = sound_size(height.into(), width.into(), super::height_text::MOST_NODES)?;
    let numbers = |decoder: &mut Decoder<Cursor<&[u8]>>, tag: Tag, what: &str| {
        decoder.get_tag_f64_vec(tag).map_err(|_| Error::malformed(format!("it has no {what}")))
    };
    let scale = numbers(decoder, Tag::ModelPixelScaleTag, "scale of its cells in degrees")?;
    let tie = numbers(decoder, Tag::ModelTiepointTag, "tie point")?;
    let (Some([lon_step, lat_step]), Some([column, row, _, lon, lat])) = (
        scale.get(..2).and_then(|two| <[f64; 2]>::try_from(two).ok()),
        tie.get(..5).and_then(|five| <[f64; 5]>::try_from(five).ok()),
    ) else {
        return Err(Error::malformed("its tie point and scale are cut short"));
    };
    let keys = decoder.get_tag_u16_vec(Tag::GeoKeyDirectoryTag).unwrap_or_default();
    let kind = keys.chunks_exact(4).skip(1).find(|key| key[0] == RASTER_TYPE).map(|key| key[3]);
    let middle = if kind == Some(AT_NODES) { 0.0 } else { 0.5 };
    let none = decoder
        .get_tag_ascii_string(Tag::from_u16_exhaustive(NO_VALUE))
        .ok()
        .and_then(|text| text.trim_matches(['\0', ' ']).parse::<f64>().ok());
    let bands = decoder.find_tag_unsigned::<u16>(Tag::SamplesPerPixel).ok().flatten().unwrap_or(1);
    let planar = decoder.find_tag_unsigned::<u16>(Tag::PlanarConfiguration).ok().flatten();
    let values = decoder.read_image().map_err(|error| unread(&error))?;
    // With planes one after the other the first alone is read.
    let every = if planar == Some(2) { 1 } else { usize::from(bands.max(1)) };
    let mut heights = vec![f32::NAN; rows * columns];
    let mut fill = |value: &dyn Fn(usize) -> Option<f64>| -> Result<()> {
        for row in 0..rows {
            for column in 0..columns {
                let found = value((row * columns + column) * every).ok_or_else(|| {
                    Error::malformed(format!("its image is shorter than {rows} rows of {columns}"))
                })?;
                let empty = none.is_some_and(|none| (found - none).abs() <= 1e-6 * none.abs());
                if !empty {
                    heights[(rows - 1 - row) * columns + column] = found as f32;
                }
            }
        }
        Ok(())
    };
    match &values {
        DecodingResult::F32(values) => fill(&|at| values.get(at).copied().map(f64::from))?,
        DecodingResult::F64(values) => fill(&|at| values.get(at).copied())?,
        DecodingResult::I16(values) => fill(&|at| values.get(at).copied().map(f64::from))?,
        DecodingResult::I32(values) => fill(&|at| values.get(at).copied().map(f64::from))?,
        _ => {
            return Err(Error::malformed(
                "its values are neither numbers with decimals nor whole numbers with a sign",
            ));
        }
    }
    let sound = lon_step > 1e-6 && lat_step > 1e-6 && lat.abs() <= 90.0 && lon.abs() <= 360.0;
    if !sound {
        return Err(Error::malformed("its tie point and scale are not those of a grid in degrees"));
    }
    let north = lat + (row - middle) * lat_step;
    Ok(Part {
        name: format!("image {}", at + 1),
        parent: String::new(),
        south: north - (rows - 1) as f64 * lat_step,
        west: lon - (column - middle) * lon_step,
        lat_step,
        lon_step,
        rows,
        columns,
        nodes: Nodes::Heights(heights),
    })
}
