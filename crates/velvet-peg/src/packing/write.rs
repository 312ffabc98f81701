//! Packing files that were written.

use super::Packing;
use crate::error::{Error, Result};
use crate::output::new_file;
use flate2::{Compression, GzBuilder};
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// Packs files, with the same bytes for the same content. In a file for one, there is one.
pub(crate) fn pack(packing: Packing, files: &[PathBuf], out: &Path) -> Result<()> {
    let failed = |e| Error::file(out, "cannot be written", e);
    let refused = |e: zip::result::ZipError| Error::file(out, "cannot be written", e);
    let open = |path: &Path| File::open(path).map_err(failed);
    let file = BufWriter::with_capacity(1 << 16, new_file(out)?);
    let single = || match files {
        [file] => open(file),
        _ => Err(Error::usage(format!(
            "holds one file, and there are {}: pack them in a .zip",
            files.len()
        ))
        .in_file(out)),
    };
    let mut done = match packing {
        Packing::Zip => {
            let mut writer = ZipWriter::new(file);
            for path in files {
                let mut source = open(path)?;
                let bytes = source.metadata().map_err(failed)?.len();
                // The beginning of the calendar of zip files.
                let options = SimpleFileOptions::default()
                    .compression_method(CompressionMethod::Deflated)
                    .last_modified_time(DateTime::default())
                    .large_file(bytes >= u64::from(u32::MAX))
                    .unix_permissions(0o644);
                let name = path.file_name().unwrap_or_default().to_string_lossy();
                writer.start_file(name, options).map_err(refused)?;
                std::io::copy(&mut source, &mut writer).map_err(failed)?;
            }
            writer.finish().map_err(refused)?
        }
        Packing::Gzip => {
            let mut source = single()?;
            let mut writer = GzBuilder::new().write(file, Compression::default());
            std::io::copy(&mut source, &mut writer).map_err(failed)?;
            writer.finish().map_err(failed)?
        }
        Packing::Zstd => {
            let mut source = single()?;
            let mut writer =
                zstd::Encoder::new(file, zstd::DEFAULT_COMPRESSION_LEVEL).map_err(failed)?;
            std::io::copy(&mut source, &mut writer).map_err(failed)?;
            writer.finish().map_err(failed)?
        }
    };
    done.flush().map_err(failed)
}
