//! Reading a drawing: its model and, as a layer of its own, its sheets. Points, symbols, texts and
//! lines become features, closed lines and hatches polygons; entities of other kinds are told as
//! unreadable.

use super::attributes::{Values, layer, symbol, values};
use super::blocks::Blocks;
use super::entity::{Entity, Section, entities};
use super::header::Header;
use super::pairs::Pairs;
use super::shape::{Drawn, drawn};
use crate::error::Result;
use crate::format_support::two_pass::{Features, Given, Item, Raw, learn, opened};
use crate::format_support::{OpenedLayer, ReadOptions};
use crate::layer::{CrsOrigin, Taken, Unreadable, Value};
use crate::notice::{Notice, NoticeKind};
use encoding_rs::Encoding;
use std::cell::Cell;
use std::path::Path;

/// The layers of a drawing.
const MODEL: usize = 0;
const SHEETS: usize = 1;

#[derive(Clone, Debug)]
struct Drawing {
    encoding: &'static Encoding,
    /// In units of the drawing.
    tolerance: f64,
    /// True if what inserted blocks draw is read, too.
    blocks: bool,
    met: Met,
}

/// What a run has met.
#[derive(Clone, Debug, Default)]
struct Met {
    /// Splines of which only places are known.
    fitted: Cell<u64>,
    /// Inserted blocks.
    inserted: Cell<u64>,
    /// Characters that are none in the encoding.
    misspelt: Cell<u64>,
}

fn count(cell: &Cell<u64>, more: u64) {
    cell.set(cell.get() + more);
}

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<Vec<OpenedLayer>> {
    let header = Header::read(path)?;
    let unit = header.unit();
    let drawing = Drawing {
        encoding: header.encoding(path, options.encoding.as_deref())?,
        tolerance: options.tolerance / unit.map_or(1.0, |unit| unit.metres()),
        blocks: options.blocks,
        met: Met::default(),
    };
    let mut learnt = learn(path, &drawing, 2)?;
    let stem = path.file_stem().and_then(|s| s.to_str()).unwrap_or("layer");
    let within = options.tolerance_text_of(unit);
    let layer = |at: usize, learnt, name: &str| {
        let system = (None, CrsOrigin::Given);
        let keys = |keys: &[String]| keys.to_vec();
        opened(path, drawing.clone(), (at, learnt), name, system, &within, &keys)
    };
    let sheets = learnt.remove(SHEETS);
    let on_sheets = sheets.learn.count + sheets.left_out.count;
    let name = format!("{stem}_sheets");
    let mut layers = vec![layer(MODEL, learnt.remove(MODEL), stem)];
    layers[MODEL].0.unit = unit;
    layers[MODEL].2.extend(notices(&drawing.met, &header, drawing.encoding));
    if on_sheets > 0 {
        layers[MODEL].2.push(
            Notice::note(
                NoticeKind::Shape,
                format!(
                    "things on sheets of the drawing (paper space), which lie nowhere on the \
                     Earth: {on_sheets}; they are the layer {name}"
                ),
            )
            .count(on_sheets),
        );
        let mut sheets = layer(SHEETS, sheets, &name);
        sheets.0.aside = true;
        layers.push(sheets);
    }
    Ok(layers)
}

fn notices(met: &Met, header: &Header, encoding: &'static Encoding) -> Vec<Notice> {
    let mut notices = Vec::new();
    if let Some(unit) = header.unit() {
        let text = format!("the drawing states its unit: {}", unit.name());
        notices.push(Notice::note(NoticeKind::System, text));
    }
    if let Some(unit) = header.odd_unit() {
        let text = format!(
            "the drawing states the {unit} as its unit, as empty drawings often do: the \
             coordinates are taken as they are"
        );
        notices.push(Notice::note(NoticeKind::System, text));
    }
    let fitted = met.fitted.get();
    if fitted > 0 {
        let text = format!(
            "splines of which the drawing has only places that they go through: {fitted}; they \
             are straight from one to the next"
        );
        notices.push(Notice::warning(NoticeKind::Shape, text).count(fitted));
    }
    let inserted = met.inserted.get();
    if inserted > 0 {
        let text =
            format!("inserted blocks are points, without what the blocks draw there: {inserted}");
        notices.push(Notice::note(NoticeKind::Shape, text).count(inserted));
    }
    let misspelt = met.misspelt.get();
    if misspelt > 0 {
        let text = format!(
            "bytes of texts that are no characters in {}: {misspelt}; they are read as \u{fffd}",
            encoding.name()
        );
        notices.push(Notice::warning(NoticeKind::Unreadable, text).count(misspelt));
    }
    notices
}

impl Features for Drawing {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let mut pairs = Pairs::open(path, self.encoding)?;
        let mut blocks = Blocks::default();
        entities(&mut pairs, path, &mut |section, entity| match section {
            Section::Entities => {
                let at = if entity.is_on_paper() { SHEETS } else { MODEL };
                self.hand_on(&entity, at, &blocks, each)
            }
            Section::Blocks => {
                let within = !matches!(entity.kind.as_str(), "BLOCK" | "ENDBLK");
                if within && Blocks::is_sheet(blocks.open()) {
                    return self.hand_on(&entity, SHEETS, &blocks, each);
                }
                if self.blocks || !within {
                    blocks.take(entity);
                }
                Ok(())
            }
        })?;
        count(&self.met.misspelt, pairs.misspelt);
        Ok(())
    }
}

impl Drawing {
    /// Hands on what an entity of the model or of a sheet is.
    fn hand_on(
        &self,
        entity: &Entity,
        at: usize,
        blocks: &Blocks,
        each: &mut dyn FnMut(Item) -> Result<()>,
    ) -> Result<()> {
        // What belongs to the entity before it, or says nothing of a place.
        let nothing = matches!(entity.kind.as_str(), "SEQEND" | "ATTRIB" | "ATTDEF" | "VIEWPORT");
        if nothing || entity.is_label() {
            return Ok(());
        }
        each(self.item(entity, at, values(entity), drawn(entity, self.tolerance)))?;
        if entity.kind != "INSERT" {
            return Ok(());
        }
        if !self.blocks {
            count(&self.met.inserted, u64::from(at == MODEL));
            return Ok(());
        }
        let mut result = Ok(());
        let contents = blocks.contents(entity, self.tolerance, &mut |content| {
            if result.is_ok() {
                let mut values = values(content.entity);
                // Things on layer 0 of a block are on that of the symbol.
                if layer(content.entity).is_none_or(|layer| layer == "0") {
                    values.retain(|(key, _)| key != "layer");
                    let of = layer(entity).unwrap_or_default();
                    values.push(("layer".into(), Given::Typed(Value::Text(of))));
                }
                values.retain(|(key, _)| key != "block");
                values.push(("block".into(), Given::Typed(Value::Text(content.block))));
                symbol(entity, &mut values);
                result = each(self.item(content.entity, at, values, content.drawn));
            }
        });
        result?;
        match contents {
            Ok(()) => Ok(()),
            Err(why) => {
                let record = Unreadable::new(format!("what it inserts is not drawn: {why}"));
                each(Item::Unreadable(at, record.of_kind("INSERT").with_given(values(entity))))
            }
        }
    }

    fn item(
        &self,
        entity: &Entity,
        layer: usize,
        values: Values,
        drawn: Result<Drawn, String>,
    ) -> Item {
        let drawn = match drawn {
            Ok(drawn) => drawn,
            Err(why) => {
                let record = Unreadable::new(why).of_kind(&entity.kind);
                return Item::Unreadable(layer, record.with_given(values));
            }
        };
        // Heights that are all zero in a flat polyline or a point say nothing.
        let heights = drawn.has_heights()
            || entity.pairs.iter().any(|pair| pair.code == 1000 && pair.value == "Z");
        let mut raw = Raw { layer, values, taken: Taken::one(drawn.curves), ..Raw::default() };
        drawn.add_to(&mut raw.geometry, heights);
        count(&self.met.fitted, u64::from(drawn.fitted));
        Item::Feature(raw)
    }
}
