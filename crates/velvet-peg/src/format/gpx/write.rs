//! Writing waypoints and tracks.

use super::FIELDS;
use crate::error::{Error, Result};
use crate::format_support::markup::{escaped, short};
use crate::format_support::{Finished, ReadBack, Sink, WriteOptions, default_decimals, wkt};
use crate::layer::{Batch, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use std::fs::File;
use std::io::{BufWriter, Read, Seek, Write};
use std::path::{Path, PathBuf};

/// Elements of a waypoint and a track that hold text, in the order of the schema; those of a
/// track are marked.
const ELEMENTS: [(&str, bool); 7] = [
    ("time", false),
    ("name", true),
    ("cmt", true),
    ("desc", true),
    ("src", true),
    ("sym", false),
    ("type", true),
];

/// Writes waypoints and tracks.
pub(super) struct Writer {
    path: PathBuf,
    points: BufWriter<File>,
    /// Tracks, which have to come behind all waypoints.
    tracks: BufWriter<File>,
    names: Vec<String>,
    decimals: usize,
    rings: u64,
    written: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let mut points = BufWriter::with_capacity(1 << 16, new_file(path)?);
        write!(
            points,
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<gpx version=\"1.1\" \
             creator=\"Velvet Peg\" xmlns=\"http://www.topografix.com/GPX/1/1\" \
             xmlns:peg=\"{FIELDS}\">\n<metadata><name>{}</name></metadata>\n",
            escaped(&info.name)
        )
        .map_err(failed)?;
        let tracks = BufWriter::with_capacity(1 << 16, tempfile::tempfile().map_err(failed)?);
        Ok(Writer {
            path: path.to_path_buf(),
            points,
            tracks,
            names: info.schema.fields().iter().map(|field| field.name().clone()).collect(),
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
            rings: 0,
            written: 0,
        })
    }

    fn point(&self, column: &GeometryColumn, at: usize, element: &str) -> (String, String) {
        let x = short(column.x[at], self.decimals);
        // The schema leaves 180 out.
        let x = if x == "180" { "-180".to_string() } else { x };
        let y = short(column.y[at], self.decimals);
        let ele = column.z.get(at).filter(|z| z.is_finite());
        let ele = ele.map_or(String::new(), |z| format!("<ele>{z}</ele>"));
        (format!("<{element} lat=\"{y}\" lon=\"{x}\">"), ele)
    }

    /// The elements of the attributes, in the order of the schema, and the extensions.
    fn attributes(&self, values: &[ValueRef<'_>], track: bool) -> (String, String) {
        let mut text = String::new();
        let mut standard = Vec::new();
        for (element, in_tracks) in ELEMENTS {
            let at = self.names.iter().position(|name| name == element);
            let Some(at) = at.filter(|_| in_tracks || !track) else { continue };
            let value = values[at].to_string();
            if value.is_empty() || (element == "time" && !is_time(&value)) {
                continue;
            }
            text += &format!("<{element}>{}</{element}>", escaped(&value));
            standard.push(at);
        }
        let mut extensions = String::new();
        for (at, (name, value)) in self.names.iter().zip(values).enumerate() {
            let value = value.to_string();
            if !value.is_empty() && !standard.contains(&at) {
                extensions += &format!(
                    "<peg:field name=\"{}\">{}</peg:field>",
                    escaped(name),
                    escaped(&value)
                );
            }
        }
        if !extensions.is_empty() {
            extensions = format!("<extensions>{extensions}</extensions>");
        }
        (text, extensions)
    }
}

/// A date with a time, as the schema has it.
fn is_time(text: &str) -> bool {
    let bytes = text.as_bytes();
    bytes.len() >= 19
        && bytes[10] == b'T'
        && bytes.iter().all(|b| b.is_ascii_digit() || b"-:T.Z+".contains(b))
        && [(4, b'-'), (7, b'-'), (13, b':'), (16, b':')].iter().all(|(at, c)| bytes[*at] == *c)
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let geometry = &batch.geometry;
        let columns = batch.columns();
        for feature in 0..geometry.len() {
            let Some(kind) = geometry.kinds()[feature] else { continue };
            self.written += 1;
            let values: Vec<ValueRef<'_>> = columns.iter().map(|c| c.value(feature)).collect();
            let points = kind.single() == GeometryKind::Point;
            let (head, extensions) = self.attributes(&values, !points);
            let mut text = String::new();
            if points {
                for at in geometry.vertices(feature) {
                    let (start, ele) = self.point(geometry, at, "wpt");
                    text += &format!("{start}{ele}{head}{extensions}</wpt>\n");
                }
                self.rings += u64::from(kind.is_multi());
            } else {
                text += &format!("<trk>{head}{extensions}");
                for part in geometry.parts(feature) {
                    for ring in geometry.rings(part) {
                        let range = geometry.ring(ring);
                        let polygon = kind.single() == GeometryKind::Polygon;
                        let closing = polygon && wkt::closes(geometry, &range);
                        self.rings += u64::from(polygon);
                        text += "<trkseg>";
                        let first = range.start;
                        for at in range.chain(closing.then_some(first)) {
                            let (start, ele) = self.point(geometry, at, "trkpt");
                            text += &format!("{start}{ele}</trkpt>");
                        }
                        text += "</trkseg>";
                    }
                }
                text += "</trk>\n";
            }
            let out = if points { &mut self.points } else { &mut self.tracks };
            out.write_all(text.as_bytes())
                .map_err(|e| Error::file(&self.path, "cannot be written", e))?;
        }
        Ok(())
    }

    fn losses(&self) -> Vec<Notice> {
        match self.rings {
            0 => Vec::new(),
            _ => vec![Notice::warning(
                NoticeKind::FormatLimit,
                "GPX knows waypoints, routes and tracks: polygons were written as tracks along \
                 their rings, multi-points as waypoints of their own",
            )],
        }
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let mut points = self.points;
        let mut tracks = self.tracks.into_inner().map_err(|e| failed(e.into_error()))?;
        tracks.rewind().map_err(failed)?;
        let mut buffer = vec![0; 1 << 16];
        loop {
            let count = tracks.read(&mut buffer).map_err(failed)?;
            if count == 0 {
                break;
            }
            points.write_all(&buffer[..count]).map_err(failed)?;
        }
        points.write_all(b"</gpx>\n").and_then(|()| points.flush()).map_err(failed)?;
        drop(points);
        // A file without anything cannot be told from one that is not this format's.
        let read_back =
            if self.rings == 0 && self.written > 0 { ReadBack::Everything } else { ReadBack::Not };
        Ok(Finished { read_back, ..Finished::default() })
    }
}
