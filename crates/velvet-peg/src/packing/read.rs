//! Unpacking: what an archive holds, and laying down a file of it with what belongs to it.

use super::Packing;
use crate::error::{Error, Result};
use crate::output::TemporaryFolder;
use flate2::read::MultiGzDecoder;
use std::fs::File;
use std::io::{BufReader, Read, Write};
use std::path::{Path, PathBuf};
use zip::ZipArchive;

/// What was laid down of a packed file.
pub(crate) struct Unpacked {
    /// The file that is read.
    pub(crate) real: PathBuf,
    /// Goes away with whoever reads it.
    pub(crate) folder: TemporaryFolder,
}

/// How many times its packed size a file beyond [`LARGE`] may have: what is larger was made to fill
/// disks.
const MOST_RATIO: u64 = 1100;

/// Bytes below which nothing is too large.
const LARGE: u64 = 1 << 30;

fn archive(path: &Path) -> Result<ZipArchive<BufReader<File>>> {
    let file = File::open(path).map_err(|e| Error::file(path, "cannot be read", e))?;
    ZipArchive::new(BufReader::new(file))
        .map_err(|e| Error::data(format!("cannot be read as a zip archive: {e}")).in_file(path))
}

fn names(path: &Path, archive: &ZipArchive<BufReader<File>>) -> Result<Vec<String>> {
    let names = archive.file_names().map(|name| name.map(|name| name.to_string()));
    names
        .collect::<zip::result::ZipResult<_>>()
        .map_err(|e| Error::data(format!("cannot be read as a zip archive: {e}")).in_file(path))
}

/// Names of the files in an archive, but hidden ones and those that a system puts there for itself.
pub(crate) fn members(path: &Path) -> Result<Vec<String>> {
    let archive = archive(path)?;
    let hidden = |name: &str| {
        name.split('/').any(|part| {
            part == "__MACOSX" || (part.starts_with('.') && !part.trim_matches('.').is_empty())
        })
    };
    let names = names(path, &archive)?;
    Ok(names.into_iter().filter(|name| !name.ends_with('/') && !hidden(name)).collect())
}

/// True for an archive that is a workbook.
pub(crate) fn is_workbook(path: &Path) -> bool {
    archive(path).is_ok_and(|archive| {
        let has = |name: &str| archive.index_for_name(name).is_some();
        has("[Content_Types].xml") || (has("mimetype") && has("content.xml"))
    })
}

fn decoder(packing: Packing, path: &Path) -> Result<Box<dyn Read>> {
    let failed = |e| Error::file(path, "cannot be read", e);
    let file = BufReader::with_capacity(1 << 16, File::open(path).map_err(failed)?);
    Ok(match packing {
        Packing::Gzip => Box::new(MultiGzDecoder::new(file)),
        Packing::Zstd => Box::new(zstd::Decoder::with_buffer(file).map_err(failed)?),
        Packing::Zip => {
            return Err(Error::data("is an archive of several files").in_file(path));
        }
    })
}

/// The first bytes of the only file that is packed in one.
pub(crate) fn start_of(packing: Packing, path: &Path) -> Result<Vec<u8>> {
    let mut start = Vec::new();
    let read = decoder(packing, path)?.take(4096).read_to_end(&mut start);
    read.map_err(|e| damaged(path, &e))?;
    Ok(start)
}

fn damaged(path: &Path, error: &std::io::Error) -> Error {
    Error::data(format!("cannot be unpacked: {error}. Is it cut off or damaged?")).in_file(path)
}

/// Lays down the only file that is packed in one, under this name.
pub(crate) fn unpack(packing: Packing, path: &Path, name: &Path) -> Result<Unpacked> {
    let failed = |e| Error::file(path, "cannot be unpacked", e);
    let folder = TemporaryFolder::new().map_err(failed)?;
    let real = folder.path().join(name);
    let packed = std::fs::metadata(path).map_err(failed)?.len();
    lay_down(&mut decoder(packing, path)?, &real, path, packed)?;
    Ok(Unpacked { real, folder })
}

/// Lays down a file of an archive and those beside it whose names are the same or begin with its own, which may be its parts.
pub(crate) fn unpack_member(path: &Path, main: &str) -> Result<Unpacked> {
    let folder = TemporaryFolder::new().map_err(|e| Error::file(path, "cannot be unpacked", e))?;
    let mut archive = archive(path)?;
    let stem = |name: &str| name.rsplit_once('.').map_or(name, |(stem, _)| stem).to_lowercase();
    let names = names(path, &archive)?;
    let mut real = PathBuf::new();
    let part = |name: &str| stem(name) == stem(main) || name.starts_with(main);
    for name in names.iter().filter(|name| part(name) && !name.ends_with('/')) {
        let entry = archive.by_name(name).map_err(|e| {
            Error::data(format!("`{name}` in it cannot be unpacked: {e}")).in_file(path)
        })?;
        // Nothing of its path is used: no file goes anywhere else.
        let Some(file) = Path::new(name).file_name() else { continue };
        let target = folder.path().join(file);
        let packed = entry.compressed_size();
        let mut entry = entry;
        lay_down(&mut entry, &target, path, packed)?;
        if name == main {
            real = target;
        }
    }
    Ok(Unpacked { real, folder })
}

fn lay_down(input: &mut dyn Read, target: &Path, shown: &Path, packed: u64) -> Result<()> {
    let most = LARGE.max(packed.saturating_mul(MOST_RATIO));
    let mut file = File::create(target).map_err(|e| Error::file(shown, "cannot be unpacked", e))?;
    let written = std::io::copy(&mut input.take(most + 1), &mut file);
    let written = written.map_err(|e| damaged(shown, &e))?;
    if written > most {
        return Err(Error::data(format!(
            "holds a file of more than {most} bytes in {packed}: unpack it if you trust it"
        ))
        .in_file(shown));
    }
    file.flush().map_err(|e| Error::file(shown, "cannot be unpacked", e))
}
