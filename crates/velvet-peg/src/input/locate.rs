//! Where an input lies: a path, standard input (`-`), or an `http(s)` address. What is not a
//! file of its own is laid down in a temporary folder for as long as it is read.

use super::content::{folder, refuse_foreign};
#[cfg(feature = "http")]
use super::fetch::fetch;
use super::packed::main_member;
use super::recognise::{first_bytes, packing_of, recognise, with_start};
use crate::error::{Error, Kind, Result};
use crate::format::Format;
use crate::output::TemporaryFolder;
use crate::packing::{Packing, inner_name, start_of, unpack, unpack_member};
use std::fs::File;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// An input that lies on disk.
#[derive(Clone, Debug)]
pub(crate) struct Located {
    /// As it was given, for messages.
    pub(crate) shown: PathBuf,
    /// Where it can be read.
    pub(crate) real: PathBuf,
    pub(crate) format: Format,
    /// Keeps what was laid down.
    pub(crate) keep: Option<Arc<TemporaryFolder>>,
}

/// A file that is not there.
fn missing(path: &Path) -> Error {
    Error::new(Kind::File, "there is no such file").in_file(path)
}

/// Finds an input and tells its format.
pub(crate) fn locate(path: &Path) -> Result<Located> {
    if path == Path::new("-") {
        return settled(lay_down(path, "layer", &mut std::io::stdin().lock())?, None);
    }
    if let Some(address) = path.to_str().filter(|text| is_address(text)) {
        let shown = PathBuf::from(address_without_password(address));
        if shown != path {
            return Err(Error::usage(
                "is named with a password, which logs, reports and outputs would keep: download \
                 the file and name it",
            )
            .in_file(&shown));
        }
        return settled(fetch(path, address)?, None);
    }
    if !path.exists() {
        return in_archive(path).unwrap_or_else(|| Err(missing(path)));
    }
    if path.is_dir() {
        return Err(folder(path));
    }
    let located = Located {
        shown: path.to_path_buf(),
        real: path.to_path_buf(),
        format: Format::of(path).unwrap_or(Format::of_addresses()),
        keep: None,
    };
    settled(located, None)
}

/// A file in an archive, named as if the archive were a folder.
fn in_archive(path: &Path) -> Option<Result<Located>> {
    let archive = path.ancestors().skip(1).find(|above| above.is_file())?;
    let member = path.strip_prefix(archive).ok()?.to_string_lossy().replace('\\', "/");
    let located = Located {
        shown: archive.to_path_buf(),
        real: archive.to_path_buf(),
        format: Format::of_addresses(),
        keep: None,
    };
    let found = settled(located, Some(&member));
    Some(found.map(|found| Located { shown: path.to_path_buf(), ..found }))
}

/// The name of a file that is packed alone: its own without that of the packing, or one that its
/// content asks for.
fn name_of(path: &Path, packing: Packing) -> Result<PathBuf> {
    if let Some(inner) = inner_name(path) {
        return Ok(PathBuf::from(inner.file_name().unwrap_or_default()));
    }
    let start = start_of(packing, path)?;
    let format = recognise(Path::new("-"), &start)?;
    let extension = with_start(&start, |start| format.description().extension_for(start));
    Ok(Path::new(path.file_stem().unwrap_or_default()).with_extension(extension))
}

/// The same input unpacked if it is packed, with its format told by its name or its content.
///
/// # Errors
/// If it is not what its name says.
fn settled(at: Located, member: Option<&str>) -> Result<Located> {
    let shown_as = |error: Error| error.shown_as(&at.real, &at.shown);
    let start = first_bytes(&at.real).map_err(shown_as)?;
    if let Some(packing) = packing_of(&at.real, &start) {
        let unpacked = match packing {
            Packing::Zip => {
                main_member(&at.real, member).and_then(|main| unpack_member(&at.real, &main))
            }
            packing => name_of(&at.real, packing)
                .and_then(|name| unpack(packing, &at.real, Path::new(&name))),
        };
        // One that is called otherwise is told what it is.
        let misnamed = Packing::of_path(&at.real).is_none();
        let unpacked = unpacked.map_err(|error| {
            let foreign = Format::of(&at.real).ok().filter(|_| misnamed).and_then(|format| {
                with_start(&start, |start| refuse_foreign(&at.shown, format, start)).err()
            });
            foreign.unwrap_or_else(|| shown_as(error))
        })?;
        let inner = Located {
            shown: at.shown.clone(),
            real: unpacked.real,
            format: at.format,
            keep: Some(Arc::new(unpacked.folder)),
        };
        return settled(inner, None);
    }
    if member.is_some() {
        return Err(missing(&at.shown));
    }
    let format = recognise(&at.real, &start).map_err(shown_as)?;
    with_start(&start, |start| refuse_foreign(&at.shown, format, start))?;
    Ok(Located { format, ..at })
}

/// An `http(s)` address without the user and password that may stand in it, to be shown; any other text as
/// it is.
fn address_without_password(address: &str) -> String {
    let Some((scheme, rest)) = address.split_once("://").filter(|_| is_address(address)) else {
        return address.to_string();
    };
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    match rest[..end].rfind('@') {
        Some(at) => format!("{scheme}://{}", &rest[at + 1..]),
        None => address.to_string(),
    }
}

fn is_address(text: &str) -> bool {
    text.starts_with("http://") || text.starts_with("https://")
}

/// Lays an input down under a name whose extension says its format.
pub(super) fn lay_down(shown: &Path, stem: &str, input: &mut dyn Read) -> Result<Located> {
    let failed = |e| Error::file(shown, "cannot be read", e);
    let mut start = Vec::new();
    input.take(4096).read_to_end(&mut start).map_err(failed)?;
    let named = shown.extension().and_then(|_| Format::of(shown).ok());
    let format = recognise(shown, &start)?;
    let extension = match named {
        None => with_start(&start, |start| format.description().extension_for(start)),
        Some(_) => shown.extension().and_then(|e| e.to_str()).unwrap_or_default(),
    };
    let folder = TemporaryFolder::new().map_err(failed)?;
    let real = folder.path().join(format!("{stem}.{extension}"));
    let mut file = File::create(&real).map_err(failed)?;
    file.write_all(&start).map_err(failed)?;
    std::io::copy(input, &mut file).map_err(failed)?;
    Ok(Located { shown: shown.to_path_buf(), real, format, keep: Some(Arc::new(folder)) })
}

#[cfg(not(feature = "http"))]
fn fetch(shown: &Path, _address: &str) -> Result<Located> {
    Err(Error::usage(
        "addresses are read only where Velvet Peg was built with the feature `http`: download the \
         file and name it",
    )
    .in_file(shown))
}
