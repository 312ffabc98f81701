//! Deliverables: files with all that belongs to them, a manifest with checksums and reference
//! systems, and the quality sheet, in one zip; and jobs with their data.

use super::side_files::with_side_files;
use crate::check::{CheckOptions, CheckedLayers};
use crate::error::{Error, Result};
use crate::format_support::date_time;
use crate::input::format_of;
use crate::job::{Job, RunOptions, folder_of, logged, within};
use crate::layer_io::LayerReader;
use crate::output::{Output, is_standard, refuse_inputs};
use crate::progress::NoProgress;
use crate::report::{ReportOptions, check_page};

use serde_json::{Value as Json, json};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// How a deliverable is made.
#[derive(Clone, Debug, Default)]
pub struct PackOptions {
    /// Title in the manifest.
    pub title: Option<String>,
    /// Leaves out the quality sheet.
    pub no_sheet: bool,
    /// Replace an existing file.
    pub overwrite: bool,
    /// Date of the files in the zip, as in 2026-09-01; that of the job, or the first day of the calendar
    /// of zip files, if none. The same files give the same zip.
    pub date: Option<String>,
}

/// What went into a deliverable.
#[derive(Clone, Debug)]
pub struct Packed {
    /// Names in the zip, and sizes.
    pub files: Vec<(String, u64)>,
    /// The manifest.
    pub manifest: Json,
    /// What is missing that should be there.
    pub missing: Vec<String>,
}

/// Packs files with all that belongs to them into a zip: the same files give the same bytes.
/// `manifest.json` names each with size, SHA-256, format, layers, counts and reference systems;
/// `quality-sheet.html` holds the quality sheet of every layer.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::pack::{PackOptions, pack};
/// let packed = pack(&[file("fields.geojson")], &file("fields.zip"), &PackOptions::default())?;
/// assert_eq!(packed.manifest["files"][0]["layers"][0]["features"], 16);
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If a file cannot be read, two have the same name, or the zip exists or cannot be written.
pub fn pack(files: &[PathBuf], out: &Path, options: &PackOptions) -> Result<Packed> {
    let mut entries: Vec<(String, PathBuf)> = Vec::new();
    let mut missing = Vec::new();
    for file in files {
        if !file.is_file() {
            return Err(Error::usage("is not there").in_file(file));
        }
        refuse_inputs(out, [file.as_path()])?;
        for path in with_side_files(file) {
            let name = name_of(&path);
            if entries.iter().any(|(other, known)| *other == name && *known != path) {
                return Err(Error::usage(format!(
                    "two files are called {name}: rename one of them"
                ))
                .in_file(&path));
            }
            if !entries.iter().any(|(other, _)| *other == name) {
                entries.push((name, path));
            }
        }
        let is_shapefile = file.extension().is_some_and(|e| e.eq_ignore_ascii_case("shp"));
        for ending in ["shx", "dbf", "prj"].into_iter().filter(|_| is_shapefile) {
            let part = name_of(&file.with_extension(ending));
            if !entries.iter().any(|(name, _)| name.eq_ignore_ascii_case(&part)) {
                missing.push(part);
            }
        }
    }
    let layered: Vec<PathBuf> = files.iter().filter(|file| is_layers(file)).cloned().collect();
    let mut described = Vec::new();
    for (name, path) in &entries {
        let file = logged(path, Path::new(name))?;
        let mut entry = json!({"path": name, "bytes": file.bytes, "sha256": file.sha256});
        if layered.contains(path) {
            entry["format"] = json!(format_of(path)?.name());
            let layers: Vec<Json> = LayerReader::open_all(path)?
                .iter()
                .map(|reader| {
                    let info = reader.info();
                    json!({
                        "name": info.name,
                        "features": info.count,
                        "crs": info.crs.as_ref().map(|crs| crs.reference()),
                        "crs_name": info.crs.as_ref().map(|crs| crs.name()),
                        "crs_known": info.crs.as_ref().map(|_| info.crs_origin.name()),
                    })
                })
                .collect();
            entry["layers"] = json!(layers);
        }
        described.push(entry);
    }
    let manifest = json!({
        "manifest": 1,
        "title": options.title,
        "made_by": format!("velvet-peg {}", env!("CARGO_PKG_VERSION")),
        "files": described,
    });
    let mut zip = Zip::create(out, options.overwrite, options.date.as_deref())?;
    for (name, path) in &entries {
        zip.file(name, path)?;
    }
    if !options.no_sheet && !layered.is_empty() {
        let titled = CheckOptions { title: options.title.clone(), ..CheckOptions::default() };
        let mut checked = CheckedLayers::of(&layered, &titled, &mut NoProgress)?;
        for sheet in &mut checked.report.sheets {
            sheet.source = name_of(&sheet.source).into();
        }
        let of = ReportOptions { date: options.date.clone(), ..ReportOptions::default() };
        let page = check_page(checked, &of, &mut NoProgress)?;
        zip.text("quality-sheet.html", &page)?;
    }
    zip.text("manifest.json", &format!("{manifest:#}\n"))?;
    let files = zip.finish()?;
    Ok(Packed { files, manifest, missing })
}

/// Packs a job with the sources that it reads, so that it can be run elsewhere: unpack, and run
/// the job file. Sources from outside the job's folder come to lie in `data/`, and the job says
/// so; files that reference systems are read from (`like:`, `file:`) go along. Grids of shifts
/// stay where they are: whoever runs the job needs those that its log names.
///
/// # Errors
/// If the job is not valid, a source is not there, or the zip exists or cannot be written.
pub fn pack_job(file: &Path, out: &Path, options: &PackOptions) -> Result<Packed> {
    let mut job = Job::read(file)?;
    let folder = folder_of(file);
    job.plan(file, &RunOptions::default()).map_err(|error| error.in_file(file))?;
    let mut inputs = Inputs { folder, entries: Vec::new() };
    let read = job.clone();
    for source in job.sources.values_mut() {
        let path = read.path(&source.file, &inputs.folder, &[])?;
        if let Some(name) = inputs.take(&path)? {
            source.file = name;
        }
    }
    job.change_references(&mut |path| {
        let moved = inputs.take(&inputs.folder.join(path))?;
        Ok(moved.unwrap_or_else(|| path.to_string()))
    })?;
    let entries = inputs.entries;
    let changed = job.to_toml()? != read.to_toml()?;
    let text = match changed {
        true => job.to_toml()?,
        // As it was written, with its comments.
        false => {
            std::fs::read_to_string(file).map_err(|e| Error::file(file, "cannot be read", e))?
        }
    };
    let described: Vec<Json> = entries
        .iter()
        .map(|(name, path)| {
            let file = logged(path, Path::new(name))?;
            Ok(json!({"path": name, "bytes": file.bytes, "sha256": file.sha256}))
        })
        .collect::<Result<_>>()?;
    let manifest = json!({
        "manifest": 1,
        "title": options.title.clone().or(job.title.clone()),
        "made_by": format!("velvet-peg {}", env!("CARGO_PKG_VERSION")),
        "job": name_of(file),
        "files": described,
    });
    let date = options.date.as_ref().or(job.date.as_ref());
    let mut zip = Zip::create(out, options.overwrite, date.map(String::as_str))?;
    zip.text(&name_of(file), &text)?;
    for (name, path) in &entries {
        zip.file(name, path)?;
    }
    zip.text("manifest.json", &format!("{manifest:#}\n"))?;
    let files = zip.finish()?;
    Ok(Packed { files, manifest, missing: Vec::new() })
}

/// What a job reads, on its way into a zip.
struct Inputs {
    /// Folder of the job.
    folder: PathBuf,
    /// Names in the zip, and files.
    entries: Vec<(String, PathBuf)>,
}

impl Inputs {
    /// Takes a file and those that belong to it; gives its new path if it comes to lie elsewhere.
    fn take(&mut self, path: &Path) -> Result<Option<String>> {
        let inside =
            within(&self.folder, path).map(|inside| inside.to_string_lossy().replace('\\', "/"));
        let name = inside.clone().unwrap_or_else(|| format!("data/{}", name_of(path)));
        for side in with_side_files(path) {
            let entry = match name.rsplit_once('/') {
                Some((folder, _)) => format!("{folder}/{}", name_of(&side)),
                None => name_of(&side),
            };
            match self.entries.iter().find(|(other, _)| *other == entry) {
                Some((_, known)) if *known != side => {
                    let what = format!("two files would be {entry}");
                    return Err(Error::usage(what).in_file(&side));
                }
                Some(_) => {}
                None => self.entries.push((entry, side)),
            }
        }
        Ok(inside.is_none().then_some(name))
    }
}

fn name_of(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// True for files that layers can be read from.
fn is_layers(path: &Path) -> bool {
    format_of(path).is_ok_and(|format| !format.is_table())
}

/// Midnight of a day in the calendar of zip files.
fn zip_date(text: &str) -> Option<DateTime> {
    let day = date_time::day(text)?;
    let year = u16::try_from(day.year()).ok()?;
    DateTime::from_date_and_time(year, day.month().into(), day.day(), 0, 0, 0).ok()
}

/// A zip being written, with the same bytes for the same content.
struct Zip {
    path: PathBuf,
    output: Output,
    writer: ZipWriter<BufWriter<File>>,
    date: DateTime,
    files: Vec<(String, u64)>,
}

impl Zip {
    fn create(path: &Path, overwrite: bool, date: Option<&str>) -> Result<Zip> {
        let date = match date {
            None => DateTime::default(),
            Some(text) => zip_date(text).ok_or_else(|| {
                Error::usage(format!(
                    "`{text}` is no date of a zip: write one from 1980 on, as in 2026-09-01"
                ))
            })?,
        };
        if is_standard(path) {
            return Err(Error::usage("a pack goes to a file: name a .zip").in_file(path));
        }
        let output = Output::create(path, overwrite)?;
        let writer = ZipWriter::new(BufWriter::new(output.reopen()?));
        Ok(Zip { path: path.to_path_buf(), output, writer, date, files: Vec::new() })
    }

    fn start(&mut self, name: &str, bytes: u64) -> Result<()> {
        let options = SimpleFileOptions::default()
            .compression_method(CompressionMethod::Deflated)
            .last_modified_time(self.date)
            .large_file(bytes >= u64::from(u32::MAX))
            .unix_permissions(0o644);
        self.files.push((name.to_string(), bytes));
        self.writer
            .start_file(name, options)
            .map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    fn text(&mut self, name: &str, text: &str) -> Result<()> {
        self.start(name, text.len() as u64)?;
        let done = self.writer.write_all(text.as_bytes());
        done.map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    fn file(&mut self, name: &str, path: &Path) -> Result<()> {
        let failed = |e| Error::file(path, "cannot be read", e);
        let mut file = File::open(path).map_err(failed)?;
        self.start(name, file.metadata().map_err(failed)?.len())?;
        std::io::copy(&mut file, &mut self.writer)
            .map(drop)
            .map_err(|e| Error::file(&self.path, "cannot be written", e))
    }

    fn finish(self) -> Result<Vec<(String, u64)>> {
        let Zip { path, output, writer, files, .. } = self;
        let failed = |e| Error::file(&path, "cannot be written", e);
        let buffer = writer.finish().map_err(|e| Error::file(&path, "cannot be written", e))?;
        buffer.into_inner().map_err(|e| failed(e.into_error()))?;
        output.finish()?;
        Ok(files)
    }
}
