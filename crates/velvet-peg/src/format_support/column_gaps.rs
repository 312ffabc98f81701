//! Tables that are read as one although their columns differ: what is told of it. The odd one is
//! named, not the many that agree.

use crate::advice::Advice;
use crate::notice::{Notice, NoticeKind};

/// What is told of parts, each with its name and the places of its columns among all.
pub(crate) fn column_gaps(
    parts: &[(String, &[usize])],
    columns: &[String],
) -> Vec<(usize, Notice)> {
    let list = |places: &[usize]| -> String {
        places.iter().map(|at| format!("`{}`", columns[*at])).collect::<Vec<_>>().join(", ")
    };
    let holders = |column: usize| -> Vec<usize> {
        (0..parts.len()).filter(|part| parts[*part].1.contains(&column)).collect()
    };
    let rare: Vec<(usize, Vec<usize>)> = (0..columns.len())
        .map(|column| (column, holders(column)))
        .filter(|(_, held)| held.len() * 2 < parts.len())
        .collect();
    let is_rare = |column: usize| rare.iter().any(|(one, _)| *one == column);
    let mut notices = Vec::new();
    for (number, (name, own)) in parts.iter().enumerate() {
        let lacks: Vec<usize> =
            (0..columns.len()).filter(|at| !own.contains(at) && !is_rare(*at)).collect();
        let alone: Vec<usize> =
            rare.iter().filter(|(_, held)| held == &[number]).map(|(column, _)| *column).collect();
        let text = match (alone.is_empty(), lacks.is_empty()) {
            (true, true) => continue,
            (true, false) => format!("{name} has no column {}: blank in its rows", list(&lacks)),
            (false, true) => {
                format!("only {name} has {}: blank in the rows of the others", list(&alone))
            }
            (false, false) => format!(
                "{name} has {} where the others have {}: each is blank in the rows of the other",
                list(&alone),
                list(&lacks)
            ),
        };
        let both = !alone.is_empty() && !lacks.is_empty();
        let notice = Notice::warning(NoticeKind::Unreadable, text);
        notices.push((number, notice.advise_if(both.then_some(Advice::SameColumns))));
    }
    // Columns that several of many have.
    let mut shared: Vec<(Vec<usize>, Vec<usize>)> = Vec::new();
    for (column, held) in rare.iter().filter(|(_, held)| held.len() > 1) {
        match shared.iter_mut().find(|(holders, _)| holders == held) {
            Some((_, columns)) => columns.push(*column),
            None => shared.push((held.clone(), vec![*column])),
        }
    }
    for (held, columns) in shared {
        let names: Vec<&str> = held.iter().map(|part| parts[*part].0.as_str()).collect();
        let text = format!(
            "only {} have {}: blank in the rows of the others",
            names.join(", "),
            list(&columns)
        );
        notices.push((held[0], Notice::warning(NoticeKind::Unreadable, text)));
    }
    notices
}
