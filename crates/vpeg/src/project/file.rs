//! `vpeg.toml`: what is usual for the data in a folder and below it.

use crate::arguments::in_shell;
use crate::reference::place_text;
use serde::Deserialize;
use std::path::{Path, PathBuf};
use velvet_peg::{AreaUnit, Crs, Error, LengthUnit, reference};

/// The name of the file.
pub(crate) const NAME: &str = "vpeg.toml";

/// The version that is read here.
const VERSION: i64 = 1;

/// What the file may say.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct Settings {
    project: Option<i64>,
    #[serde(rename = "title")]
    _title: Option<String>,
    crs: Option<String>,
    geographic_crs: Option<String>,
    near: Option<String>,
    length_unit: Option<OneOrMore>,
    area_unit: Option<OneOrMore>,
    height: Option<f64>,
    grids: Option<String>,
    outputs: Option<String>,
}

/// A word, or several.
#[derive(Debug, Deserialize)]
#[serde(untagged, expecting = "write a text, or a list of texts")]
enum OneOrMore {
    One(String),
    More(Vec<String>),
}

impl OneOrMore {
    /// The words with commas between them, each of which has to be one of its kind.
    fn joined<T, E: std::fmt::Display>(
        self,
        key: &str,
        read: impl Fn(&str) -> Result<T, E>,
    ) -> Result<String, Error> {
        let all = match self {
            OneOrMore::One(text) => vec![text],
            OneOrMore::More(all) => all,
        };
        for text in &all {
            read(text).map_err(|error| Error::usage(format!("`{key}`: {error}")))?;
        }
        Ok(all.join(","))
    }
}

/// A reference system that the project names, as commands take it, and itself.
#[derive(Debug, Clone)]
pub(crate) struct ProjectSystem {
    /// The `REF`.
    pub(crate) text: String,
    /// The system.
    pub(crate) crs: Crs,
}

/// A project file that was found.
#[derive(Debug)]
pub(crate) struct Project {
    /// The file, as it is shown.
    pub(crate) file: PathBuf,
    /// The system of coordinates in metres or feet.
    pub(crate) crs: Option<ProjectSystem>,
    /// The system of longitudes and latitudes.
    pub(crate) geographic: Option<ProjectSystem>,
    /// Options that it stands in for, by their long names, with their values.
    pub(crate) options: Vec<(&'static str, String)>,
    /// The folder of outputs that are named without one.
    pub(crate) outputs: Option<PathBuf>,
}

impl Project {
    /// The nearest file in a folder and those above it.
    ///
    /// # Errors
    /// If it is there and cannot be read.
    pub(crate) fn above(folder: &Path) -> Result<Option<Project>, Error> {
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        let Ok(whole) = folder.canonicalize() else { return Ok(None) };
        let found = whole.ancestors().map(|folder| folder.join(NAME)).find(|file| file.is_file());
        found.map(|file| Project::read(&shown(&file))).transpose()
    }

    fn read(file: &Path) -> Result<Project, Error> {
        let text = std::fs::read_to_string(file)
            .map_err(|error| Error::usage(format!("cannot be read: {error}")).with_path(file))?;
        Project::of_text(&text, file).map_err(|error| error.with_path(file))
    }

    fn of_text(text: &str, file: &Path) -> Result<Project, Error> {
        let settings: Settings = toml_edit::de::from_str(text).map_err(|error| {
            let at = error.span().map_or(0, |span| span.start);
            let line = text[..at].matches('\n').count() + 1;
            Error::usage(format!("line {line}: {}", error.message().trim()))
        })?;
        match settings.project {
            Some(VERSION) => {}
            Some(other) => {
                return Err(Error::usage(format!(
                    "version {other} of project files is not known here: this reads version {VERSION}"
                )));
            }
            None => {
                return Err(Error::usage(format!(
                    "a project file begins with `project = {VERSION}`, its version"
                )));
            }
        }
        let folder = file.parent().unwrap_or(Path::new(""));
        let named = |key: &str, error: Error| Error::usage(format!("`{key}`: {error}"));
        let system = |key: &str, text: Option<String>| -> Result<Option<ProjectSystem>, Error> {
            let Some(text) = text else { return Ok(None) };
            let read = reference::read_reference(&text, folder);
            let (crs, _) = read.map_err(|error| named(key, error))?;
            // Of files the path from here; of words the code that they stand for.
            let text = match (text.split_once(':'), crs.code()) {
                (Some((kind @ ("file" | "like"), path)), _) => {
                    format!("{kind}:{}", folder.join(path).display())
                }
                (_, Some(code)) => format!("EPSG:{code}"),
                (_, None) => text,
            };
            Ok(Some(ProjectSystem { text, crs }))
        };
        let crs = system("crs", settings.crs)?;
        let geographic = system("geographic-crs", settings.geographic_crs)?;
        if let Some(wrong) = geographic.as_ref().filter(|system| !system.crs.is_geographic()) {
            return Err(Error::usage(format!(
                "`geographic-crs`: {} is no system of longitudes and latitudes",
                wrong.crs.label()
            )));
        }
        if let Some(near) = &settings.near {
            place_text(near).map_err(|error| named("near", error))?;
        }
        let lengths = settings.length_unit.map(|all| all.joined("length-unit", LengthUnit::named));
        let areas = settings.area_unit.map(|all| all.joined("area-unit", AreaUnit::named));
        let folder_of = |path: String| folder.join(path);
        if let Some(grids) = settings.grids.as_ref().filter(|path| !folder.join(path).is_dir()) {
            return Err(Error::usage(format!("`grids`: there is no folder {}", in_shell(grids))));
        }
        let options = [
            ("near", settings.near),
            ("length-unit", lengths.transpose()?),
            ("area-unit", areas.transpose()?),
            ("height", settings.height.map(|height| height.to_string())),
            ("grids", settings.grids.map(|path| folder_of(path).display().to_string())),
        ];
        Ok(Project {
            file: file.to_path_buf(),
            crs,
            geographic,
            options: options.into_iter().filter_map(|(name, value)| Some((name, value?))).collect(),
            outputs: settings.outputs.map(folder_of),
        })
    }

    /// True if the working folder is the project's or below it.
    pub(crate) fn is_above_here(&self) -> bool {
        let folder = self.file.parent().unwrap_or(Path::new(""));
        folder.components().all(|part| part == std::path::Component::ParentDir)
    }

    /// The system of coordinates that read as degrees, or that do not.
    pub(crate) fn system(&self, degrees: bool) -> Option<&ProjectSystem> {
        let of_all = self.crs.as_ref().filter(|system| system.crs.is_geographic() == degrees);
        match degrees {
            true => self.geographic.as_ref().or(of_all),
            false => of_all,
        }
    }
}

/// A path as seen from the working folder.
fn shown(path: &Path) -> PathBuf {
    let Ok(here) = std::env::current_dir().and_then(|here| here.canonicalize()) else {
        return path.to_path_buf();
    };
    for (up, folder) in here.ancestors().enumerate() {
        if let Ok(rest) = path.strip_prefix(folder) {
            return std::iter::repeat_n("..", up).collect::<PathBuf>().join(rest);
        }
    }
    path.to_path_buf()
}
