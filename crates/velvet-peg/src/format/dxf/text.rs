//! Texts of drawings: characters that are coded, and the codes of form, which are dropped.

use encoding_rs::Encoding;

/// The code of a character beyond the encoding (`\U+00E9`, `\M+14174`) at the beginning of a text:
/// the character and how many bytes its code has.
fn coded(text: &str) -> Option<(char, usize)> {
    if let Some(hex) = text.strip_prefix("\\U+") {
        let code = u32::from_str_radix(hex.get(..4)?, 16).ok()?;
        return Some((char::from_u32(code)?, 7));
    }
    let rest = text.strip_prefix("\\M+")?;
    let label = match rest.get(..1)? {
        "1" => "shift_jis",
        "2" => "big5",
        "3" | "4" => "euc-kr",
        "5" => "gbk",
        _ => return None,
    };
    let bytes = u16::from_str_radix(rest.get(1..5)?, 16).ok()?.to_be_bytes();
    let encoding = Encoding::for_label(label.as_bytes())?;
    let (found, wrong) = encoding.decode_without_bom_handling(&bytes);
    Some((found.chars().next().filter(|_| !wrong)?, 8))
}

/// A text with its coded characters.
pub(super) fn plain(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        out += &rest[..at];
        rest = &rest[at..];
        let (c, bytes) = coded(rest).unwrap_or(('\\', 1));
        out.push(c);
        rest = &rest[bytes..];
    }
    out + rest
}

/// What stands for a sign of its own in texts of one line: `%%d` and the like, `^I`. The number of
/// bytes that it takes up.
fn sign(text: &str) -> Option<(Option<char>, usize)> {
    let mut chars = text.chars();
    match chars.next()? {
        '^' => match chars.next()? {
            ' ' => Some((Some('^'), 2)),
            'I' => Some((Some('\t'), 2)),
            'J' => Some((Some('\n'), 2)),
            'M' => Some((None, 2)),
            _ => None,
        },
        '%' => {
            let rest = text.strip_prefix("%%")?;
            let found = match rest.chars().next()?.to_ascii_lowercase() {
                'd' => (Some('°'), 3),
                'p' => (Some('±'), 3),
                'c' => (Some('⌀'), 3),
                '%' => (Some('%'), 3),
                // Underlined, overlined and struck out from here on, or no longer.
                'u' | 'o' | 'k' => (None, 3),
                _ => {
                    let number = rest.get(..3)?.parse().ok().filter(|n| *n >= 32)?;
                    (Some(char::from_u32(number)?), 5)
                }
            };
            Some(found)
        }
        _ => None,
    }
}

/// A text of one line as it is read by people.
pub(super) fn of_line(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        let (found, bytes) = coded(rest)
            .map(|(c, bytes)| (Some(c), bytes))
            .or_else(|| sign(rest))
            .unwrap_or((Some(c), c.len_utf8()));
        out.extend(found);
        rest = &rest[bytes..];
    }
    out
}

/// A text of several lines as it is read by people: without the codes of its form (DXF reference,
/// format codes of MTEXT).
pub(super) fn of_lines(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        if let Some((c, bytes)) = coded(rest) {
            out.push(c);
            rest = &rest[bytes..];
            continue;
        }
        if let Some((found, bytes)) = sign(rest) {
            out.extend(found);
            rest = &rest[bytes..];
            continue;
        }
        rest = &rest[c.len_utf8()..];
        match c {
            // Groups whose form is changed together.
            '{' | '}' => {}
            '\\' => {
                let Some(code) = rest.chars().next() else {
                    out.push('\\');
                    break;
                };
                let behind = &rest[code.len_utf8()..];
                // The value of a code goes as far as a semicolon.
                let end = behind.find(';');
                rest = match (code, end) {
                    ('\\' | '{' | '}', _) => {
                        out.push(code);
                        behind
                    }
                    ('P' | 'N' | 'X', _) => {
                        out.push('\n');
                        behind
                    }
                    ('~', _) => {
                        out.push('\u{a0}');
                        behind
                    }
                    ('L' | 'l' | 'O' | 'o' | 'K' | 'k', _) => behind,
                    // One thing above another, with what divides them.
                    ('S', Some(end)) => {
                        let stacked = &behind[..end];
                        out += &stacked.replace(['^', '#'], "/").replace("/ ", "/");
                        &behind[end + 1..]
                    }
                    ('A' | 'C' | 'c' | 'f' | 'F' | 'H' | 'Q' | 'T' | 'W' | 'p', Some(end)) => {
                        &behind[end + 1..]
                    }
                    _ => {
                        out.push('\\');
                        rest
                    }
                };
            }
            c => out.push(c),
        }
    }
    out
}

/// A text as it is written: line ends and other control characters, and what would be read as the
/// code of a character, are coded.
pub(super) fn written(text: &str) -> String {
    let mut out = String::new();
    for (at, c) in text.char_indices() {
        let rest = &text[at..];
        let like_code = rest.starts_with("\\U+") || rest.starts_with("\\M+");
        match c {
            '\\' if like_code => out += "\\U+005C",
            c if c.is_control() => out += &format!("\\U+{:04X}", c as u32),
            c => out.push(c),
        }
    }
    out
}

/// A label as it is written: as a text of one line is read.
pub(super) fn written_line(text: &str) -> String {
    let one: String = text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
    written(&one).replace('^', "^ ").replace("%%", "%%037%%037")
}
