//! Writing points, parcels and lines of the plan.

use super::word_of;
use crate::error::{Error, Result};
use crate::format_support::markup::escaped;
use crate::format_support::{Finished, ReadBack, Sink, WriteOptions, default_decimals, wkt};
use crate::layer::{Batch, GeometryColumn, GeometryKind, LayerInfo, ValueRef};
use crate::notice::{Notice, NoticeKind};
use crate::output::new_file;
use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};
use velvet_peg_core::{Crs, LengthUnit, definition};

/// Columns that are attributes of the elements, as the schema has them; all others are properties.
const OWN: [&str; 3] = ["name", "desc", "oID"];

/// Writes points, parcels and lines of the plan.
pub(super) struct Writer {
    path: PathBuf,
    points: BufWriter<File>,
    /// These come behind all points.
    parcels: BufWriter<File>,
    features: BufWriter<File>,
    names: Vec<String>,
    decimals: usize,
    count: [u64; 3],
    /// Points of features of several.
    split: u64,
    /// Things that the schema wants a name for and that have none.
    unnamed: u64,
}

impl Writer {
    pub(super) fn create(path: &Path, info: &LayerInfo, options: &WriteOptions) -> Result<Writer> {
        let failed = |e| Error::file(path, "cannot be written", e);
        let room = || {
            let room = tempfile::tempfile().map_err(failed)?;
            Ok::<_, Error>(BufWriter::with_capacity(1 << 16, room))
        };
        let mut points = BufWriter::with_capacity(1 << 16, new_file(path)?);
        points.write_all(head(info, options).as_bytes()).map_err(failed)?;
        Ok(Writer {
            path: path.to_path_buf(),
            points,
            parcels: room()?,
            features: room()?,
            names: info.schema.fields().iter().map(|field| field.name().clone()).collect(),
            decimals: options.decimals.unwrap_or(default_decimals(info.crs.as_ref())),
            count: [0; 3],
            split: 0,
            unnamed: 0,
        })
    }

    /// Northing, easting and height.
    fn place(&self, column: &GeometryColumn, at: usize) -> String {
        let decimals = self.decimals;
        let z = column.z.get(at).filter(|z| z.is_finite());
        let z = z.map_or(String::new(), |z| format!(" {z}"));
        format!("{:.decimals$} {:.decimals$}{z}", column.y[at], column.x[at])
    }

    /// The attributes of an element, and its properties.
    fn values(&mut self, values: &[ValueRef<'_>], named: bool) -> (String, String) {
        let (mut own, mut properties) = (String::new(), String::new());
        let mut has_name = false;
        for (name, value) in self.names.iter().zip(values) {
            let value = value.to_string();
            if value.is_empty() {
                continue;
            }
            if OWN.contains(&name.as_str()) {
                has_name |= name == "name";
                own += &format!(" {name}=\"{}\"", escaped(&value));
            } else {
                properties += &format!(
                    "<Property label=\"{}\" value=\"{}\"/>",
                    escaped(name),
                    escaped(&value)
                );
            }
        }
        if named && !has_name {
            self.unnamed += 1;
            own += &format!(" name=\"{}\"", self.unnamed);
        }
        if !properties.is_empty() {
            properties = format!("<Feature>{properties}</Feature>");
        }
        (own, properties)
    }

    fn outline(&self, column: &GeometryColumn, range: Range<usize>, closing: bool) -> String {
        let mut text = String::from("<CoordGeom>");
        let first = range.start;
        let order: Vec<usize> = range.chain(closing.then_some(first)).collect();
        for pair in order.windows(2) {
            text += &format!(
                "<Line><Start>{}</Start><End>{}</End></Line>",
                self.place(column, pair[0]),
                self.place(column, pair[1])
            );
        }
        text + "</CoordGeom>"
    }

    fn feature(
        &mut self,
        column: &GeometryColumn,
        feature: usize,
        values: &[ValueRef<'_>],
    ) -> Result<()> {
        let Some(kind) = column.kinds()[feature] else { return Ok(()) };
        let mut text = String::new();
        let single = kind.single();
        let (own, properties) = self.values(values, single != GeometryKind::Point);
        let which = match single {
            GeometryKind::Point => {
                self.split += u64::from(kind.is_multi());
                for at in column.vertices(feature) {
                    text += &format!(
                        "<CgPoint{own}>{}{properties}</CgPoint>\n",
                        self.place(column, at)
                    );
                }
                0
            }
            _ => {
                let polygon = single == GeometryKind::Polygon;
                let element = if polygon { "Parcel" } else { "PlanFeature" };
                text += &format!("<{element}{own}>");
                for part in column.parts(feature) {
                    for ring in column.rings(part) {
                        let range = column.ring(ring);
                        let closing = polygon && wkt::closes(column, &range);
                        text += &self.outline(column, range, closing);
                    }
                }
                text += &format!("{properties}</{element}>\n");
                if polygon { 1 } else { 2 }
            }
        };
        let (out, opening) = match which {
            0 => (&mut self.points, "<CgPoints>\n"),
            1 => (&mut self.parcels, "<Parcels>\n"),
            _ => (&mut self.features, "<PlanFeatures>\n"),
        };
        if self.count[which] == 0 {
            text.insert_str(0, opening);
        }
        self.count[which] += 1;
        out.write_all(text.as_bytes()).map_err(|e| Error::file(&self.path, "cannot be written", e))
    }
}

/// The beginning of the document, with its units and its system.
fn head(info: &LayerInfo, options: &WriteOptions) -> String {
    let stamp = options.stamp.clone().unwrap_or_else(now);
    let (date, time) = stamp.split_once('T').unwrap_or((&stamp, "00:00:00"));
    let unit = info.crs.as_ref().map_or(info.unit, Crs::length_unit);
    let units = match unit.map(|unit| (unit, word_of(unit))) {
        Some((unit, Some(word))) if unit != LengthUnit::METRE => format!(
            "<Imperial areaUnit=\"squareFoot\" linearUnit=\"{word}\" volumeUnit=\"cubicFeet\" \
             temperatureUnit=\"fahrenheit\" pressureUnit=\"inHG\"/>"
        ),
        _ => "<Metric areaUnit=\"squareMeter\" linearUnit=\"meter\" volumeUnit=\"cubicMeter\" \
              temperatureUnit=\"celsius\" pressureUnit=\"milliBars\"/>"
            .to_string(),
    };
    let system = info.crs.as_ref().map_or(String::new(), |crs| {
        let code = match crs.code() {
            Some(code) => format!(" epsgCode=\"{code}\""),
            None => String::new(),
        };
        let text = definition::wkt1(crs).or_else(|| definition::wkt2(crs));
        let text = text.map_or(String::new(), |text| format!(" ogcWktCode=\"{}\"", escaped(&text)));
        format!("<CoordinateSystem desc=\"{}\"{code}{text}/>\n", escaped(crs.name()))
    });
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<LandXML \
         xmlns=\"http://www.landxml.org/schema/LandXML-1.2\" version=\"1.2\" date=\"{date}\" \
         time=\"{}\">\n<Units>{units}</Units>\n{system}<Application name=\"Velvet Peg\"/>\n",
        time.trim_end_matches('Z')
    )
}

/// Now, to the second (UTC, ISO 8601).
fn now() -> String {
    let now = time::OffsetDateTime::now_utc();
    let (year, month, day) = now.to_calendar_date();
    let (hour, minute, second) = now.to_hms();
    format!("{year:04}-{:02}-{day:02}T{hour:02}:{minute:02}:{second:02}Z", u8::from(month))
}

impl Sink for Writer {
    fn write(&mut self, batch: &Batch) -> Result<()> {
        let columns = batch.columns();
        for feature in 0..batch.len() {
            let values: Vec<ValueRef<'_>> = columns.iter().map(|c| c.value(feature)).collect();
            self.feature(&batch.geometry, feature, &values)?;
        }
        Ok(())
    }

    fn losses(&self) -> Vec<Notice> {
        let mut losses = Vec::new();
        if self.split > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!("multi-points were written as points of their own: {}", self.split),
                )
                .count(self.split),
            );
        }
        if self.unnamed > 0 {
            losses.push(
                Notice::warning(
                    NoticeKind::FormatLimit,
                    format!(
                        "parcels and lines of LandXML have names: {} without a `name` have numbers",
                        self.unnamed
                    ),
                )
                .count(self.unnamed),
            );
        }
        losses
    }

    fn finish(self: Box<Self>) -> Result<Finished> {
        let failed = |e| Error::file(&self.path, "cannot be written", e);
        let mut out = self.points;
        let end = |out: &mut BufWriter<File>, count: u64, name: &str| match count {
            0 => Ok(()),
            _ => writeln!(out, "</{name}>"),
        };
        end(&mut out, self.count[0], "CgPoints").map_err(failed)?;
        let rest = [(self.parcels, 1, "Parcels"), (self.features, 2, "PlanFeatures")];
        for (part, which, name) in rest {
            let mut part = part.into_inner().map_err(|e| failed(e.into_error()))?;
            part.rewind().map_err(failed)?;
            std::io::copy(&mut part, &mut out).map_err(failed)?;
            end(&mut out, self.count[which], name).map_err(failed)?;
        }
        out.write_all(b"</LandXML>\n").and_then(|()| out.flush()).map_err(failed)?;
        drop(out);
        let read_back = match (self.split, self.unnamed) {
            (0, 0) => ReadBack::Everything,
            (0, _) => ReadBack::Coordinates,
            _ => ReadBack::Not,
        };
        Ok(Finished { read_back, ..Finished::default() })
    }
}
