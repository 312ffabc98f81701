//! Carrying a raster into another reference system, another format, or both.

use super::colours::Colours;
use super::form::form;
use super::geotiff::TiffSink;
use super::info::{RasterInfo, no_place};
use super::output_blocks::Work;
use super::png_sink::PngSink;
use super::raster_format::RasterFormat;
use super::read_back::compare;
use super::reader::RasterReader;
use super::side_files::{own_definition, own_world_files, world_extensions, world_text};
use super::sink::{Form, RasterSink};
use super::text_sink::TextSink;
use super::ways::{TOLERANCE, ways};
use crate::error::{Error, Result};
use crate::notice::{Notice, NoticeKind};
use crate::output::{Pending, refuse_existing, refuse_inputs, same_file};
use crate::progress::{NoProgress, Progress};
use crate::reproject::Way;
use std::path::{Path, PathBuf};
use velvet_peg_core::definition::{self, Spelling};
use velvet_peg_core::fit::{InverseMapping, Mapping};
use velvet_peg_core::raster::{
    Carrier, Frame, FrameOptions, PixelGrid, Resampling, SourcePlaces, frame, straight_frame,
};
use velvet_peg_core::{Bounds, Converter, Crs};

/// Carries a raster into another reference system, another format, or both.
#[derive(Clone, Debug, Default)]
pub struct ConvertRaster {
    /// Reference system to carry it to; none to leave it in its own.
    pub target: Option<Crs>,
    /// Which way it is carried there.
    pub way: Way,
    /// Width and height of a pixel, in the unit of the target; found from the raster if none.
    pub pixel: Option<(f64, f64)>,
    /// Edges of the frame, in the unit of the target; what holds the whole raster if none.
    pub extent: Option<Bounds>,
    /// Pixels lie on those of this grid.
    pub align: Option<PixelGrid>,
    /// How values between pixels come about; found from what the numbers stand for if none.
    pub resampling: Option<Resampling>,
    /// Writes smaller copies, too, where the format has a place for them.
    pub overviews: bool,
    /// Replaces an output that exists.
    pub overwrite: bool,
    /// The output may be the raster that is read.
    pub in_place: bool,
}

/// What became of a raster.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct RasterSummary {
    /// How it was carried, if it was.
    pub converter: Option<Converter>,
    /// The pixels that were written.
    pub grid: PixelGrid,
    /// How values between pixels came about; none where pixels were copied as they are.
    pub resampling: Option<Resampling>,
    /// Width and height that a pixel may have at most so that nothing of the source's resolution is lost.
    pub finest: Option<(f64, f64)>,
    /// How far positions were from exact ones at most, in pixels of the source, as measured; 0 where all
    /// are exact.
    pub position_error: f64,
    /// Pixels of the source.
    pub pixels_in: u64,
    /// Pixels that were written.
    pub pixels_out: u64,
    /// Files that were written, the raster first.
    pub files: Vec<PathBuf>,
    /// What was noticed.
    pub notices: Vec<Notice>,
}

impl RasterSummary {
    /// Of pixels that stay as they are.
    pub(super) fn unchanged(
        grid: PixelGrid,
        pixels: u64,
        files: Vec<PathBuf>,
        notices: Vec<Notice>,
    ) -> RasterSummary {
        RasterSummary {
            converter: None,
            grid,
            resampling: None,
            finest: None,
            position_error: 0.0,
            pixels_in: pixels,
            pixels_out: pixels,
            files,
            notices,
        }
    }
}

/// How the pixels of an output come from those of a raster.
enum Route<'a> {
    /// They are its own.
    Stays,
    /// By the way back to its reference system.
    Between { there: Box<Converter>, back: Box<Converter>, source: PixelGrid },
    /// By the way back of the mapping that places it, whose other plane is columns and rows themselves.
    Straight { back: InverseMapping<'a>, source: PixelGrid },
}

impl Route<'_> {
    /// Finds positions among the pixels of the raster; none where these are copied.
    fn places(&self, placed: PixelGrid) -> Option<SourcePlaces<'_>> {
        let (back, source): (&dyn Carrier, _) = match self {
            Route::Stays => return None,
            Route::Between { back, source, .. } => (&**back, source),
            Route::Straight { back, source } => (back, source),
        };
        Some(SourcePlaces::new(back, placed, *source, TOLERANCE))
    }
}

/// Where the pixels of an output lie, and how they come about.
struct Plan<'a> {
    placed: PixelGrid,
    route: Route<'a>,
    finest: Option<(f64, f64)>,
    resampling: Option<Resampling>,
}

impl ConvertRaster {
    /// Carries a raster. What is written is read again and compared before it takes its place.
    ///
    /// ```
    /// # let folder = tempfile::tempdir()?;
    /// # let file = |name: &str| folder.path().join(name);
    /// use velvet_peg::Crs;
    /// use velvet_peg::raster::{ConvertRaster, RasterReader};
    /// let heights = "ncols 3\nnrows 2\nxllcorner 500000\nyllcorner 5250000\ncellsize 10\n1 2 3\n4 5 6\n";
    /// std::fs::write(file("heights.asc"), heights)?;
    /// let mut raster = RasterReader::open(&file("heights.asc"))?;
    /// raster.assume(Crs::from_epsg(32611)?);
    /// let convert = ConvertRaster { target: Some(Crs::from_epsg(32610)?), ..ConvertRaster::default() };
    /// let done = convert.run(&raster, &file("heights.tif"))?;
    /// assert_eq!(done.grid.pixel_size(), (10.02, 10.02)); // metres: 10 m on the ground, by the scales of both
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// If the raster has no place or no reference system and one is needed, no operation joins the two
    /// systems, the output exists, or its format cannot hold the raster.
    pub fn run(&self, reader: &RasterReader, out: &Path) -> Result<RasterSummary> {
        self.run_watched(reader, out, &mut NoProgress)
    }

    /// As [`ConvertRaster::run`], telling `watch` how far it has come.
    ///
    /// # Errors
    /// As [`ConvertRaster::run`].
    pub fn run_watched(
        &self,
        reader: &RasterReader,
        out: &Path,
        watch: &mut dyn Progress,
    ) -> Result<RasterSummary> {
        let format = RasterFormat::of_output(out)?;
        refuse_existing(out, self.overwrite)?;
        let in_place = same_file(out, reader.path());
        if !(in_place && self.in_place) {
            refuse_inputs(out, [reader.path()])?;
        }
        let info = reader.info();
        let mut notices = info.notices.clone();
        let pixels = (info.columns * info.rows) as u64;
        let plan = self.plan(reader, format, &mut notices)?;
        let Plan { placed, route, finest, resampling } = plan;
        let carries = !matches!(route, Route::Stays);
        let (mut form, widening) = form(reader, placed, format, carries, &mut notices)?;
        if let Route::Between { there, .. } = &route {
            form.crs = Some(there.target().clone());
        }
        let raised = |crs: &Crs| crs.horizontal().is_some_and(|flat| flat != *crs);
        let heights = info.vertical.is_some()
            || self.target.as_ref().is_some_and(raised)
            || info.crs.as_ref().is_some_and(raised);
        if heights && carries {
            notices.push(Notice::note(
                NoticeKind::Height,
                "values are carried as they are: heights keep their datum and their unit",
            ));
        }
        let mut pending = Pending::create(out, self.overwrite)?;
        let written = pending.path();
        let shown = |error: Error| error.moved(&written, out);
        let way = resampling.unwrap_or(match form.colours {
            Colours::Palette(_) => Resampling::Nearest,
            _ => Resampling::Average,
        });
        let mut sink = sink(&written, format, &form, self.overviews, way).map_err(shown)?;
        let work = Work {
            reader,
            cache: reader.cache(),
            places: route.places(placed),
            form: &form,
            widening,
            way,
            round: info.goes_around(),
        };
        let block = sink.block();
        let (sums, error) = work.run(&mut *sink, watch).map_err(shown)?;
        // The blocks in memory are not wanted any more.
        drop(work);
        sink.finish().map_err(shown)?;
        let said = side_files(&written, format, &form, &mut notices).map_err(shown)?;
        let system = form.crs.as_ref().filter(|_| said != Said::Nowhere);
        compare(&written, &form, &sums, block, system).map_err(shown)?;
        let stale = contradicting(out, format, said);
        notices.extend(Notice::of_removed(&stale));
        if !self.overwrite {
            pending.refuse_existing();
        }
        Ok(RasterSummary {
            finest,
            resampling,
            position_error: error,
            pixels_out: (placed.columns() * placed.rows()) as u64,
            files: pending.finish(&stale)?,
            notices,
            converter: match route {
                Route::Between { there, .. } => Some(*there),
                Route::Stays | Route::Straight { .. } => None,
            },
            ..RasterSummary::unchanged(placed, pixels, Vec::new(), Vec::new())
        })
    }

    /// Where the pixels of the output lie, and how they come from those of the raster.
    fn plan<'a>(
        &self,
        reader: &'a RasterReader,
        format: RasterFormat,
        notices: &mut Vec<Notice>,
    ) -> Result<Plan<'a>> {
        let info = reader.info();
        let in_file = |error: Error| error.in_file(reader.path());
        if let Some(mapping) = reader.bend() {
            notices.push(Notice::note(
                NoticeKind::Carried,
                "the pixels were straightened into a grid, by the mapping that was fitted",
            ));
            let own = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0));
            return Ok(Plan {
                placed: self.straightened(reader, mapping)?,
                route: Route::Straight {
                    back: mapping.inverse(),
                    source: PixelGrid::new(own.0, own.1, own.2, info.columns, info.rows)?,
                },
                finest: None,
                resampling: Some(self.way_of(info, 1.0).map_err(in_file)?),
            });
        }
        let source = info.grid.ok_or_else(|| in_file(no_place(info)))?;
        let framed = self.pixel.is_some() || self.extent.is_some() || self.align.is_some();
        if self.target.is_none() && !framed {
            return Ok(Plan {
                placed: source,
                route: Route::Stays,
                finest: None,
                resampling: None,
            });
        }
        let (there, back) = ways(reader, &source, self.target.as_ref(), &self.way)?;
        let found = self.frame(reader, &source, &there, &back, format)?;
        notices.extend(of_frame(&found, &there));
        Ok(Plan {
            placed: found.grid,
            finest: Some(found.finest),
            resampling: Some(self.resampling(info, &found).map_err(in_file)?),
            route: Route::Between { there: Box::new(there), back: Box::new(back), source },
        })
    }

    fn frame(
        &self,
        reader: &RasterReader,
        source: &PixelGrid,
        there: &Converter,
        back: &Converter,
        format: RasterFormat,
    ) -> Result<Frame> {
        let options = FrameOptions {
            pixel: self.pixel,
            extent: self.extent,
            align: self.align,
            square: format == RasterFormat::AsciiGrid,
        };
        frame(source, there, back, &options)
            .map_err(|error| Error::from(error).in_file(reader.path()))
    }

    fn resampling(&self, info: &RasterInfo, frame: &Frame) -> Result<Resampling> {
        let pixel = frame.grid.pixel_size();
        self.way_of(info, (pixel.0 / frame.finest.0).max(pixel.1 / frame.finest.1))
    }

    /// How values come about where pixels are so many times as large as those of the source.
    fn way_of(&self, info: &RasterInfo, larger: f64) -> Result<Resampling> {
        let listed = matches!(info.colours, Colours::Palette(_));
        match self.resampling {
            Some(Resampling::Nearest) => Ok(Resampling::Nearest),
            Some(way) if listed => Err(Error::usage(format!(
                "its numbers are places in a list of colours, of which no {way} can be made: only the nearest \
                 keeps them"
            ))),
            Some(way) => Ok(way),
            None if listed => Ok(Resampling::Nearest),
            None if larger > 1.5 => Ok(Resampling::Average),
            None => Ok(Resampling::Bilinear),
        }
    }

    /// The grid into which pixels that a mapping bends are straightened.
    fn straightened(&self, reader: &RasterReader, mapping: &Mapping) -> Result<PixelGrid> {
        let info = reader.info();
        let framed = self.pixel.is_some() || self.extent.is_some() || self.align.is_some();
        if framed || self.target.is_some() {
            return Err(Error::usage(
                "is straightened first, where its control points are: what comes out can be carried on",
            )
            .in_file(reader.path()));
        }
        straight_frame(info.columns, info.rows, mapping)
            .map_err(|error| Error::from(error).in_file(reader.path()))
    }
}

fn of_frame(frame: &Frame, there: &Converter) -> Vec<Notice> {
    let mut notices = Vec::new();
    let pixel = frame.grid.pixel_size();
    let larger = (pixel.0 / frame.finest.0).max(pixel.1 / frame.finest.1);
    if larger > 1.01 {
        notices.push(
            Notice::warning(
                NoticeKind::Scale,
                format!(
                    "pixels of {} × {} {} are up to {larger:.2} times as large as those of the source: detail \
                     is lost",
                    pixel.0,
                    pixel.1,
                    there.target().unit_plural()
                ),
            )
            .with("times", larger, ""),
        );
    }
    if frame.beyond > 0.0 {
        notices.push(
            Notice::warning(
                NoticeKind::Area,
                format!(
                    "{:.1} % of the raster has no coordinates in {}, and is not in the output",
                    100.0 * frame.beyond,
                    there.target().label()
                ),
            )
            .with("part", frame.beyond, ""),
        );
    }
    if frame.crosses_antimeridian {
        notices.push(Notice::note(
            NoticeKind::Area,
            "the frame goes on beyond the meridian of 180°: its longitudes there are above 180",
        ));
    }
    if frame.holds_pole {
        notices.push(Notice::note(
            NoticeKind::Area,
            "a pole lies in the raster: the frame goes all around it",
        ));
    }
    notices
}

fn sink(
    path: &Path,
    format: RasterFormat,
    form: &Form,
    overviews: bool,
    way: Resampling,
) -> Result<Box<dyn RasterSink>> {
    Ok(match format {
        RasterFormat::GeoTiff => Box::new(TiffSink::create(path, form, overviews, way)?),
        RasterFormat::Png => Box::new(PngSink::create(path, form)?),
        RasterFormat::AsciiGrid => Box::new(TextSink::create(path, form)?),
        RasterFormat::Jpeg => return Err(Error::usage("JPEG is not written").in_file(path)),
    })
}

/// Where an output says its reference system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Said {
    InTheFile,
    Beside,
    Nowhere,
}

/// Files beside an output that is replaced which would contradict the new one.
fn contradicting(out: &Path, format: RasterFormat, said: Said) -> Vec<PathBuf> {
    if !out.exists() {
        return Vec::new();
    }
    let mut stale = Vec::new();
    if format == RasterFormat::GeoTiff {
        stale.extend(own_world_files(out));
    }
    if said == Said::Nowhere && format != RasterFormat::GeoTiff {
        stale.extend(own_definition(out));
    }
    stale
}

/// Files beside it that say what the format cannot.
fn side_files(
    path: &Path,
    format: RasterFormat,
    form: &Form,
    notices: &mut Vec<Notice>,
) -> Result<Said> {
    let write = |path: &Path, text: &str| {
        std::fs::write(path, text).map_err(|e| Error::file(path, "cannot be written", e))
    };
    if format == RasterFormat::Png {
        let extension = path.extension().and_then(|e| e.to_str()).unwrap_or("png");
        let world = world_extensions(extension).remove(0);
        write(&path.with_extension(world), &world_text(&form.grid))?;
    }
    let Some(crs) = &form.crs else { return Ok(Said::Nowhere) };
    if format == RasterFormat::GeoTiff && super::geotiff::can_say(crs) {
        return Ok(Said::InTheFile);
    }
    match definition::wkt1_spelled(crs, Spelling::SideFile) {
        Some(text) => {
            if format == RasterFormat::GeoTiff {
                notices.push(Notice::warning(
                    NoticeKind::System,
                    format!(
                        "the keys of GeoTIFF have no words for {}: a .prj beside the file says it",
                        crs.label()
                    ),
                ));
            }
            write(&path.with_extension("prj"), &text)?;
            Ok(Said::Beside)
        }
        None => {
            notices.push(Notice::warning(
                NoticeKind::System,
                format!(
                    "the output does not say its reference system: neither {format} nor a .prj has words for \
                     {}",
                    crs.label()
                ),
            ));
            Ok(Said::Nowhere)
        }
    }
}
