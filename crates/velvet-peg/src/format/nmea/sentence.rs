//! One sentence: its type, its fields and its checksum.

/// A sentence of a receiver.
#[derive(Clone, Debug)]
pub(super) struct Sentence<'a> {
    /// The three letters behind those of the talker.
    pub(super) kind: &'a str,
    fields: Vec<&'a str>,
}

/// True for a line that begins like a sentence of a position receiver.
pub(super) fn is_one(line: &str) -> bool {
    let Some(rest) = line.strip_prefix('$') else { return false };
    let address = rest.split([',', '*']).next().unwrap_or_default();
    matches!(address.len(), 5..=6)
        && address.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit())
        && rest.contains(',')
}

impl<'a> Sentence<'a> {
    /// Reads a line.
    ///
    /// # Errors
    /// If it is no sentence, or its checksum does not fit: the exclusive or of all characters between
    /// `$` and `*`. A sentence without a checksum is taken as it is.
    pub(super) fn read(line: &'a str) -> Result<Sentence<'a>, String> {
        let rest = line.strip_prefix('$').ok_or("the line is no sentence: it has no $ in front")?;
        let (body, sum) = match rest.rsplit_once('*') {
            Some((body, sum)) => (body, Some(sum.trim())),
            None => (rest, None),
        };
        if let Some(sum) = sum {
            let computed = body.bytes().fold(0, |sum, byte| sum ^ byte);
            if u8::from_str_radix(sum, 16) != Ok(computed) {
                return Err(format!(
                    "the checksum of the sentence is {sum}, and its text has {computed:02X}"
                ));
            }
        }
        let mut fields: Vec<&str> = body.split(',').map(str::trim).collect();
        let address = fields.remove(0);
        // Sentences of makers have an address of their own.
        let kind = match address.len() {
            5 if address.is_ascii() && !address.starts_with('P') => &address[2..],
            _ => "",
        };
        Ok(Sentence { kind, fields })
    }

    /// A field, from 0; blank if there is none.
    pub(super) fn field(&self, at: usize) -> &'a str {
        self.fields.get(at).copied().unwrap_or_default()
    }

    /// A field as a number.
    pub(super) fn number(&self, at: usize) -> Option<f64> {
        self.field(at).parse().ok().filter(|n: &f64| n.is_finite())
    }

    /// Degrees of four fields from `at` on: latitude, N or S, longitude, E or W, the angles as degrees
    /// and minutes in one number. None if they are blank.
    ///
    /// # Errors
    /// If they are something else.
    pub(super) fn position(&self, at: usize) -> Result<Option<(f64, f64)>, String> {
        if self.field(at).is_empty() && self.field(at + 2).is_empty() {
            return Ok(None);
        }
        let latitude = angle(self.field(at), self.field(at + 1), ["N", "S"], 90.0)?;
        let longitude = angle(self.field(at + 2), self.field(at + 3), ["E", "W"], 180.0)?;
        Ok(Some((longitude, latitude)))
    }
}

fn angle(text: &str, side: &str, sides: [&str; 2], most: f64) -> Result<f64, String> {
    let wrong = || format!("`{text},{side}` is no angle of degrees and minutes");
    // Minutes have two digits before the point.
    let whole = text.find('.').unwrap_or(text.len());
    let split = whole.checked_sub(2).filter(|_| text.is_ascii()).ok_or_else(wrong)?;
    let (degrees, minutes) = text.split_at(split);
    let degrees: f64 =
        if degrees.is_empty() { 0.0 } else { degrees.parse().map_err(|_| wrong())? };
    let minutes: f64 = minutes.parse().map_err(|_| wrong())?;
    let value = degrees + minutes / 60.0;
    if !(0.0..60.0).contains(&minutes) || !(0.0..=most).contains(&value) {
        return Err(wrong());
    }
    match sides.iter().position(|known| *known == side) {
        Some(0) => Ok(value),
        Some(_) => Ok(-value),
        None => Err(wrong()),
    }
}
