//! Telling the delimiter and the quotation mark of a text table from its beginning.

/// The delimiter of a decoded sample: the one that splits its records into the same number
/// of fields most often, more than one; none if there is no such.
pub(crate) fn delimiter(sample: &str, whole: bool) -> Option<u8> {
    // The last line of a cut sample may be cut too.
    let text = match sample.rfind('\n') {
        Some(end) if !whole => &sample[..end],
        _ => sample,
    };
    let mut best = (0.0, 0, 0);
    let mut found = None;
    for delimiter in [b',', b'\t', b';', b'|', b'^', b'~', b':'] {
        // Times of day hold colons: they divide only what nothing else divides.
        if delimiter == b':' && best.0 > 0.5 {
            continue;
        }
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(delimiter)
            .has_headers(false)
            .flexible(true)
            .from_reader(text.as_bytes());
        let records: Vec<csv::StringRecord> =
            reader.records().take(100).filter_map(|record| record.ok()).collect();
        let counts: Vec<usize> = records.iter().map(|record| record.len()).collect();
        // A quotation mark behind another delimiter, inside a field: a value cut in two.
        let torn = records
            .iter()
            .filter(|record| {
                record.iter().any(|field| field.contains(",\"") || field.contains(";\""))
            })
            .count();
        let Some(first) = counts.first().copied().filter(|fields| *fields > 1) else {
            continue;
        };
        let alike = counts.iter().filter(|count| **count == first).count();
        let share = (alike as f64 - torn as f64 / 2.0) / counts.len() as f64;
        // Of two that divide as well, the one that leaves numbers whole (12,5;47,3).
        let number = |field: &&str| field.trim().replacen(',', ".", 1).parse::<f64>().is_ok();
        let numbers = records.iter().flat_map(|r| r.iter()).filter(number).count();
        if (share, first, numbers) > best {
            best = (share, first, numbers);
            found = Some(delimiter);
        }
    }
    found
}

/// True if the lines of a decoded sample are fields with runs of blanks between them: at least
/// three of them, two of which hold figures in nearly every line.
pub(crate) fn is_blank_delimited(sample: &str, whole: bool) -> bool {
    let text = match sample.rfind('\n') {
        Some(end) if !whole => &sample[..end],
        _ => sample,
    };
    let lines: Vec<&str> = text.lines().filter(|line| !line.trim().is_empty()).take(100).collect();
    let divided = |line: &&&str| {
        let fields: Vec<&str> = line.split_whitespace().collect();
        let figures = fields.iter().filter(|field| field.parse::<f64>().is_ok()).count();
        fields.len() >= 3 && figures >= 2
    };
    // The first line may be a header.
    let fits = lines.iter().filter(divided).count();
    fits > 0 && fits + 1 >= lines.len()
}

/// The quotation mark of a decoded sample: the apostrophe where fields are wrapped in it and
/// none is wrapped in the ordinary mark.
pub(crate) fn quote(sample: &str, delimiter: u8) -> u8 {
    let wrapped = |mark: char| {
        sample
            .lines()
            .take(100)
            .flat_map(|line| line.split(char::from(delimiter)))
            .map(str::trim)
            .filter(|field| field.len() > 1 && field.starts_with(mark) && field.ends_with(mark))
            .count()
    };
    if wrapped('"') == 0 && wrapped('\'') > 0 { b'\'' } else { b'"' }
}
