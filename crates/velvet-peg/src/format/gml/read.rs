//! Opening a file: what it is, its layers, and what has to be said of them.

use super::features::{Document, ID, Kind, is_member};
use super::schema::Types;
use super::shape::GEOMETRIES;
use crate::error::{Error, Result};
use crate::format_support::two_pass::{Learnt, learn, opened};
use crate::format_support::xml::{Node, Xml};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::CrsOrigin;
use crate::layer::column_names::distinct;
use crate::notice::{Notice, NoticeKind};
use std::path::Path;

/// True if features stand in members of a collection.
fn is_collection(path: &Path) -> Result<bool> {
    let mut xml = Xml::open(path)?;
    let mut root: Option<String> = None;
    loop {
        match xml.next()? {
            Node::Open(element) => {
                let first = root.get_or_insert_with(|| element.name.clone());
                if GEOMETRIES.contains(&first.as_str()) {
                    return Ok(false);
                }
                if is_member(&element.name) || first.ends_with("Collection") {
                    return Ok(true);
                }
            }
            Node::Close(..) => {}
            Node::End if root.is_none() => {
                return Err(Error::data("is not a GML file").in_file(path));
            }
            Node::End => return Ok(false),
        }
    }
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let document = Document::new(options, is_collection(path)?, Types::beside(path)?);
    let mut learnt = learn(path, &document, 0)?;
    let mut kinds = document.kinds.take();
    if kinds.is_empty() {
        // A collection of nothing is a layer of nothing.
        let stem = path.file_stem().and_then(|stem| stem.to_str()).unwrap_or("layer");
        kinds.push(Kind { name: stem.to_string(), ..Kind::default() });
        learnt.push(Learnt::default());
    }
    document.kinds.replace(kinds.clone());
    let mut layers: Vec<OpenedLayer> = Vec::new();
    for (at, (kind, learnt)) in kinds.iter().zip(learnt).enumerate() {
        let crs = kind.system.as_ref().and_then(|system| system.crs.clone());
        let origin = if crs.is_some() { CrsOrigin::File } else { CrsOrigin::Given };
        let within = options.tolerance_text(crs.as_ref());
        // Several of one name are numbered.
        let before = kinds[..at].iter().filter(|other| other.name == kind.name).count();
        let name = match before {
            0 => kind.name.clone(),
            before => format!("{}_{}", kind.name, before + 1),
        };
        let mut layer = opened(
            path,
            document.clone(),
            (at, learnt),
            &name,
            (crs, origin),
            &within,
            &column_names,
        );
        layer.2.extend(notices(kind));
        layers.push(layer);
    }
    Ok(layers)
}

/// Columns are called like the properties; the identifiers' one is `id`, or the next that is free.
fn column_names(keys: &[String]) -> Vec<String> {
    keys.iter().map(|key| if key == ID { distinct(keys, "id") } else { key.clone() }).collect()
}

/// What is worth saying of a layer.
fn notices(kind: &Kind) -> Vec<Notice> {
    let mut notices = Vec::new();
    if let Some(system) = &kind.system {
        if let Some(wrong) = &system.wrong {
            notices.push(Notice::warning(NoticeKind::System, wrong.clone()));
        }
        if let (true, Some(crs)) = (system.open_order, &system.crs) {
            let axes: Vec<&str> = crs.axes().iter().take(2).map(|axis| &*axis.name).collect();
            let text = format!(
                "the file names its system `{}` in a form that leaves the order of the numbers open: \
                 they are read as x, y, not as {}",
                system.key,
                axes.join(", ").to_lowercase()
            );
            notices.push(Notice::note(NoticeKind::System, text));
        }
    }
    if kind.more > 0 {
        let text = format!(
            "geometries beyond the first of a feature: {}, kept as text in the columns of their \
             properties, in the system of the file",
            kind.more
        );
        notices.push(Notice::note(NoticeKind::Shape, text).count(kind.more));
    }
    if let Some(why) = &kind.why {
        let text = format!(
            "geometries beyond the first of a feature that cannot be read, and are left out: {}; the \
             first: {why}",
            kind.unread
        );
        notices.push(Notice::warning(NoticeKind::Unreadable, text).count(kind.unread));
    }
    notices
}
