//! What puts vertices in order where it is not a number.

use std::cmp::Ordering;

/// Compares texts with the numbers in them as numbers: P2 before P10.
pub(crate) fn natural(a: &str, b: &str) -> Ordering {
    let (mut a, mut b) = (a, b);
    loop {
        let digits = |s: &str| s.bytes().take_while(u8::is_ascii_digit).count();
        let (m, n) = (digits(a), digits(b));
        if m > 0 && n > 0 {
            let (p, q) = (a[..m].trim_start_matches('0'), b[..n].trim_start_matches('0'));
            let order = p.len().cmp(&q.len()).then_with(|| p.cmp(q));
            if order != Ordering::Equal {
                return order;
            }
            (a, b) = (&a[m..], &b[n..]);
            continue;
        }
        let (mut s, mut t) = (a.chars(), b.chars());
        match (s.next(), t.next()) {
            (None, None) => return Ordering::Equal,
            (None, _) => return Ordering::Less,
            (_, None) => return Ordering::Greater,
            (Some(p), Some(q)) if p == q => (a, b) = (s.as_str(), t.as_str()),
            (Some(p), Some(q)) => return p.cmp(&q),
        }
    }
}

/// `31/5/2026`, `5.31.2026`: a date that does not sort as text.
pub(crate) fn is_local_date(text: &str) -> bool {
    let date = text.split([' ', 'T']).next().unwrap_or_default();
    let parts: Vec<&str> = date.split(['/', '.', '-']).collect();
    parts.len() == 3
        && parts.iter().all(|p| p.bytes().all(|b| b.is_ascii_digit()))
        && (1..=2).contains(&parts[0].len())
        && (1..=2).contains(&parts[1].len())
        && parts[2].len() == 4
}
