//! Giving data its missing or corrected reference system without moving a coordinate.

use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::format::Format;
use crate::format_support::{LayerStore, WriteOptions};
use crate::layer::{LayerInfo, no_system};
use crate::layer_io::{LayerReader, LayerWriter};
use crate::notice::{Notice, NoticeKind};
use crate::outcome::Summary;
use crate::outcome::{Rejects, RejectsTo, layer_columns};
use crate::output::{refuse_existing, same_file};
use crate::packing::Packing;
use crate::plausibility::{Evidence, stated_unit};
use crate::progress::{NoProgress, Progress};
use std::path::Path;
use velvet_peg_core::Crs;

/// Writes the layer again with another reference system and the same coordinates.
///
/// ```
/// # let folder = tempfile::tempdir()?;
/// # velvet_peg::demo::lay_out(folder.path(), false)?;
/// # let file = |name: &str| folder.path().join(name);
/// use velvet_peg::{declare, BuildPoints, Crs, Layer, LayerReader, WriteOptions};
/// BuildPoints::default().run(&file("old-weirs.csv"), &file("bare.gpkg"))?;
/// let reader = LayerReader::open(&file("bare.gpkg"), None)?;
/// assert!(reader.info().crs.is_none());
/// let crs = Crs::parse("nad83 washington north ftus")?;
/// declare(&reader, &crs, &file("weirs.gpkg"), &WriteOptions::default())?;
/// assert_eq!(Layer::read(file("weirs.gpkg"))?.crs().and_then(Crs::code), Some(2285));
/// # Ok::<(), velvet_peg::Error>(())
/// ```
///
/// # Errors
/// If the layer cannot be read or the output exists or cannot be written.
pub fn declare(
    reader: &LayerReader,
    crs: &Crs,
    out: &Path,
    options: &WriteOptions,
) -> Result<Summary> {
    declare_watched(reader, crs, out, options, &mut NoProgress)
}

/// As [`declare()`], telling `watch` how far it has come.
///
/// # Errors
/// As [`declare()`].
pub fn declare_watched(
    reader: &LayerReader,
    crs: &Crs,
    out: &Path,
    options: &WriteOptions,
    watch: &mut dyn Progress,
) -> Result<Summary> {
    let info = reader.info();
    let mut described = info.clone();
    described.take_declaration(crs);
    // Notices of the old system are moot now.
    let notices = reader.notices.iter().filter(|notice| notice.kind != NoticeKind::System);
    let mut outcome = Summary { notices: notices.cloned().collect(), ..Summary::default() };
    outcome.notices.extend(stated_unit(info.unit, crs));
    if info.bare {
        return Err(no_system(info).in_file(reader.path()));
    }
    match &info.crs {
        Some(old) if old == crs => outcome.notices.push(Notice::note(
            NoticeKind::System,
            format!("the layer was declared as {} already", crs.label()),
        )),
        Some(old) => {
            // Nothing leads to or from a local system.
            let stay = Notice::note(
                NoticeKind::System,
                format!(
                    "was declared as {}; the coordinates stay as they are and now count as {}",
                    old.label(),
                    crs.label()
                ),
            );
            outcome.notices.push(match old.datum().is_some() && crs.datum().is_some() {
                true => stay.advise(Advice::Convert),
                false => stay,
            });
        }
        None => {}
    }
    if same_file(reader.path(), out) {
        refuse_existing(out, options.overwrite || options.replace_file)?;
        if Packing::of_path(out).is_some() {
            return Err(Error::usage(
                "is packed, and packed files are not changed in place: name another file to write",
            )
            .in_file(out));
        }
        if let Some(store) = Format::of_output(out)?.description().store() {
            return declare_in_place(store, reader, &described, crs, out, outcome, watch);
        }
    }
    let mut writer = LayerWriter::create(out, &described, options)?;
    outcome.notices.append(&mut writer.notices);
    let columns = layer_columns(&info.schema);
    let to = RejectsTo {
        named: None,
        overwrite: options.overwrite || options.replace_file,
        append: options.append,
    };
    let mut rejects = Rejects::new(to, &[reader.path()], out, &columns)?;
    let mut evidence = Evidence::new(info, Some(crs));
    reader.for_each_watched(watch, &mut |batch| {
        outcome.rows_in += (batch.geometry.len() + batch.unreadable.len()) as u64;
        for record in &batch.unreadable {
            rejects.add_unreadable(record, &info.name, &info.schema)?;
        }
        evidence.add(&batch);
        writer.write(&batch)
    })?;
    evidence.settle();
    outcome.notices.extend(evidence.notice());
    let written = writer.finish()?;
    outcome.out = written.count;
    outcome.verified = written.verified;
    outcome.files = written.files;
    outcome.notices.extend(written.notices);
    outcome.rejected = rejects.finish()?;
    Ok(outcome)
}

/// A layer of a file that keeps its other layers is declared where it lies: everything else in the file stays.
fn declare_in_place(
    store: &dyn LayerStore,
    reader: &LayerReader,
    described: &LayerInfo,
    crs: &Crs,
    path: &Path,
    mut outcome: Summary,
    watch: &mut dyn Progress,
) -> Result<Summary> {
    let info = reader.info();
    let mut evidence = Evidence::new(info, Some(crs));
    reader.for_each_watched(watch, &mut |batch| {
        outcome.rows_in += (batch.geometry.len() + batch.unreadable.len()) as u64;
        evidence.add(&batch);
        Ok(())
    })?;
    evidence.settle();
    outcome.notices.extend(evidence.notice());
    store.declare(path, described, crs)?;
    // Records that cannot be read are where they were, too.
    outcome.out = outcome.rows_in;
    outcome.files = vec![path.to_path_buf()];
    let again = LayerReader::open(path, Some(&info.name))?;
    outcome.verified = again.info().crs.as_ref() == Some(crs);
    Ok(outcome)
}
