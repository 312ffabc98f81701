//! What entities say beside their geometry: layer, text, block, the values of a symbol, and the
//! extended data that is ours.

use super::APPLICATION;
use super::entity::Entity;
use super::pairs::text;
use super::text::{of_line, of_lines, plain};
use crate::format_support::two_pass::Given;
use crate::layer::Value;

/// Attributes by their names.
pub(super) type Values = Vec<(String, Given)>;

fn typed(value: String) -> Given {
    Given::Typed(Value::Text(value))
}

/// The name of the layer of an entity.
pub(super) fn layer(entity: &Entity) -> Option<String> {
    text(&entity.pairs, 8).map(plain)
}

/// All that an entity says of itself.
pub(super) fn values(entity: &Entity) -> Values {
    let mut values = Values::new();
    if let Some(layer) = layer(entity) {
        values.push(("layer".into(), typed(layer)));
    }
    match entity.kind.as_str() {
        "INSERT" => {
            if let Some(block) = text(&entity.pairs, 2) {
                values.push(("block".into(), typed(plain(block))));
            }
        }
        "TEXT" => {
            if let Some(line) = text(&entity.pairs, 1) {
                values.push(("text".into(), typed(of_line(line))));
            }
        }
        // The last chunk of a text has a group code of its own.
        "MTEXT" => {
            let own = entity.pairs.iter().take_while(|pair| pair.code != 101);
            let chunks = own.filter(|pair| matches!(pair.code, 1 | 3));
            let whole: String = chunks.map(|pair| pair.value.as_str()).collect();
            values.push(("text".into(), typed(of_lines(&whole))));
        }
        _ => {}
    }
    symbol(entity, &mut values);
    extended(entity, &mut values);
    values
}

/// The values that an inserted symbol has.
pub(super) fn symbol(entity: &Entity, values: &mut Values) {
    let parts: &[_] = if entity.kind == "INSERT" { &entity.parts } else { &[] };
    for attribute in parts {
        if let (Some(key), Some(value)) = (text(attribute, 2), text(attribute, 1)) {
            let key = plain(key.trim());
            if !values.iter().any(|(other, _)| *other == key) {
                values.push((key, Given::Untyped(of_line(value))));
            }
        }
    }
}

/// Attributes in the extended data that is ours. A text that goes on in the next string is behind a
/// 1 of group code 1070.
fn extended(entity: &Entity, values: &mut Values) {
    let ours = entity.pairs.iter().skip_while(|p| p.code != 1001 || p.value != APPLICATION);
    let mut texts: Vec<String> = Vec::new();
    let mut goes_on = false;
    for pair in ours.skip(1).take_while(|pair| pair.code != 1001) {
        match (pair.code, texts.last_mut()) {
            (1000, Some(text)) if goes_on => *text += &pair.value,
            (1000, _) => texts.push(pair.value.clone()),
            _ => {}
        }
        goes_on = pair.code == 1070 && pair.value.trim() == "1";
    }
    for text in texts {
        let Some((key, value)) = text.split_once('=') else { continue };
        let (key, value) = (plain(key), Given::Untyped(plain(value)));
        match values.iter_mut().find(|(known, _)| *known == key) {
            Some((_, given)) => *given = value,
            None => values.push((key, value)),
        }
    }
}
