//! Which of some words was likely meant.

/// The candidate that is spelled most like a word, without regard to capitals: one letter left out,
/// put in, changed or exchanged with its neighbour in words of three to six letters, two in longer
/// ones (the distance of Damerau, 1964). None if nothing is so near, or the word is among them.
///
/// ```
/// use velvet_peg_core::spelling::nearest;
/// assert_eq!(nearest("longtude", ["latitude", "longitude"]), Some("longitude"));
/// assert_eq!(nearest("gpk", ["gpx", "gpkg"]), Some("gpkg"));
/// assert_eq!(nearest("depth", ["latitude", "longitude"]), None);
/// ```
pub fn nearest<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    near(word, candidates).first().copied()
}

/// All candidates that are as near as [`nearest`] asks for, the likeliest first.
pub(crate) fn near<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Vec<&'a str> {
    let lower = word.trim().to_lowercase();
    let word: Vec<char> = lower.chars().collect();
    let allowed = match word.len() {
        0..=2 => return Vec::new(),
        3..=6 => 1,
        _ => 2,
    };
    let mut found: Vec<(usize, &str)> = candidates
        .into_iter()
        .map(|candidate| (steps(&word, candidate), candidate))
        .filter(|(steps, _)| (1..=allowed).contains(steps))
        .collect();
    found.sort_by_key(|(steps, candidate)| {
        // What only lacks its end is the likeliest.
        (*steps, !candidate.to_lowercase().starts_with(&lower), candidate.len())
    });
    found.into_iter().map(|(_, candidate)| candidate).collect()
}

/// Steps from one word to the other; many if their lengths say so already.
fn steps(a: &[char], b: &str) -> usize {
    let b: Vec<char> = b.to_lowercase().chars().collect();
    if a.len().abs_diff(b.len()) > 2 {
        return usize::MAX;
    }
    let mut table = vec![vec![0; b.len() + 1]; a.len() + 1];
    for (i, row) in table.iter_mut().enumerate() {
        row[0] = i;
    }
    table[0] = (0..=b.len()).collect();
    for i in 1..=a.len() {
        for j in 1..=b.len() {
            let changed = table[i - 1][j - 1] + usize::from(a[i - 1] != b[j - 1]);
            let mut best = changed.min(table[i - 1][j] + 1).min(table[i][j - 1] + 1);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                best = best.min(table[i - 2][j - 2] + 1);
            }
            table[i][j] = best;
        }
    }
    table[a.len()][b.len()]
}

/// Small letters without marks on them.
pub(crate) fn plain(text: &str) -> String {
    if text.is_ascii() {
        return text.to_ascii_lowercase();
    }
    let mut out = String::with_capacity(text.len());
    for c in text.to_lowercase().chars() {
        if c.is_ascii() {
            out.push(c);
            continue;
        }
        let at = MARKED.iter().find(|(marked, _)| marked.contains(c));
        match (c, at) {
            ('ß', _) => out.push_str("ss"),
            ('æ', _) => out.push_str("ae"),
            (_, Some((_, plain))) => out.push(*plain),
            (c, None) => out.push(c),
        }
    }
    out
}

/// Letters with marks, by the letter that they are found under.
const MARKED: [(&str, char); 15] = [
    ("áàâäãåāăą", 'a'),
    ("çćčĉ", 'c'),
    ("ďđð", 'd'),
    ("éèêëēėęě", 'e'),
    ("ğĝģ", 'g'),
    ("íìîïīįı", 'i'),
    ("ķ", 'k'),
    ("łļľĺ", 'l'),
    ("ñńņň", 'n'),
    ("óòôöõøōő", 'o'),
    ("ŕř", 'r'),
    ("śšşș", 's'),
    ("ťţț", 't'),
    ("úùûüūůűų", 'u'),
    ("ýÿźžż", 'z'),
];
