//! One fix: what the sentences of one time say together.

use super::sentence::Sentence;
use crate::format_support::two_pass::{Given, Item, Raw};
use crate::layer::{GeometryKind, Unreadable, Value};
use time::{Date, Month};

/// Qualities of a position (NMEA 0183, GGA).
const QUALITIES: [&str; 9] = [
    "no fix",
    "single",
    "differential",
    "precise",
    "RTK fixed",
    "RTK float",
    "estimated",
    "manual",
    "simulated",
];

/// What the sentences of one time say together.
#[derive(Clone, Debug, Default)]
pub(super) struct Fix {
    /// The time of the day, as it stands there.
    pub(super) time: String,
    position: Option<(f64, f64)>,
    /// The position is of a sentence that also has the height.
    best: bool,
    height: Option<f64>,
    separation: Option<f64>,
    quality: Option<String>,
    satellites: Option<i64>,
    hdop: Option<f64>,
    speed: Option<f64>,
    course: Option<f64>,
    age: Option<f64>,
    station: Option<String>,
    /// Why there is no position.
    wrong: Option<String>,
}

impl Fix {
    /// A fix of a time of the day.
    pub(super) fn at(time: &str) -> Fix {
        Fix { time: time.to_string(), ..Fix::default() }
    }

    /// Adds what a sentence says.
    pub(super) fn add(&mut self, sentence: &Sentence<'_>) {
        match sentence.kind {
            "GGA" => {
                let quality = sentence.field(5);
                let named = quality.parse().ok().and_then(|at: usize| QUALITIES.get(at));
                self.quality = Some(named.map_or(quality.to_string(), ToString::to_string));
                if quality == "0" {
                    self.fail("the receiver had no fix (quality 0)");
                } else {
                    self.place(sentence, 1, true);
                }
                self.height = sentence.number(8);
                self.separation = sentence.number(10);
                self.receiver(sentence);
                self.age = sentence.number(12);
                self.station = Some(sentence.field(13).to_string()).filter(|s| !s.is_empty());
            }
            "GNS" => {
                // A letter for each system of satellites.
                match sentence.field(5).chars().all(|mode| mode == 'N') {
                    true => self.fail("the receiver had no fix (mode N)"),
                    false => self.place(sentence, 1, true),
                }
                self.height = self.height.or(sentence.number(8));
                self.separation = self.separation.or(sentence.number(9));
                self.receiver(sentence);
            }
            "RMC" => {
                self.valid(sentence, 1, 2);
                self.speed = sentence.number(6);
                self.course = sentence.number(7);
            }
            "GLL" => self.valid(sentence, 5, 0),
            _ => {}
        }
    }

    fn receiver(&mut self, sentence: &Sentence<'_>) {
        self.satellites = sentence.field(6).parse().ok().or(self.satellites);
        self.hdop = sentence.number(7).or(self.hdop);
    }

    /// A position with a word on whether it is valid.
    fn valid(&mut self, sentence: &Sentence<'_>, status: usize, at: usize) {
        match sentence.field(status) {
            "V" => self.fail("the receiver warns that the position is not valid (status V)"),
            _ => self.place(sentence, at, false),
        }
    }

    fn fail(&mut self, why: &str) {
        self.wrong.get_or_insert_with(|| why.to_string());
    }

    fn place(&mut self, sentence: &Sentence<'_>, at: usize, best: bool) {
        match sentence.position(at) {
            Ok(None) => self.fail("the position is blank"),
            Ok(Some(position)) if best || !self.best => {
                self.position = Some(position);
                self.best |= best;
            }
            Ok(Some(_)) => {}
            Err(why) => self.fail(&why),
        }
    }

    /// The fix as a feature, on a day if one is known.
    pub(super) fn item(self, day: Option<Date>) -> Item {
        let mut values: Vec<(String, Given)> = Vec::new();
        let mut put = |key: &str, value: Option<Value>| {
            values.extend(value.map(|value| (key.to_string(), Given::Typed(value))));
        };
        put("time", moment(&self.time, day).map(Value::Text));
        put("quality", self.quality.map(Value::Text));
        put("satellites", self.satellites.map(Value::Integer));
        put("hdop", self.hdop.map(Value::Real));
        put("geoid_separation_m", self.separation.map(Value::Real));
        put("speed_kn", self.speed.map(Value::Real));
        put("course_deg", self.course.map(Value::Real));
        put("correction_age_s", self.age.map(Value::Real));
        put("station", self.station.map(Value::Text));
        match (self.position, self.wrong) {
            (Some((x, y)), _) => {
                let mut raw = Raw { values, ..Raw::default() };
                raw.geometry.push_vertex(x, y, self.height);
                raw.geometry.end_ring();
                raw.geometry.end_part();
                raw.geometry.end_feature(Some(GeometryKind::Point));
                Item::Feature(raw)
            }
            (None, why) => {
                let why = why.unwrap_or_else(|| "there is no position".to_string());
                Item::Unreadable(0, Unreadable::new(why).with_given(values))
            }
        }
    }
}

/// Hours, minutes and seconds in six digits and a fraction, with the day where it is known.
fn moment(time: &str, day: Option<Date>) -> Option<String> {
    let digits = time.get(..6).filter(|digits| digits.bytes().all(|b| b.is_ascii_digit()))?;
    let fraction = time[6..].trim_end_matches('0').trim_end_matches('.');
    let clock = format!("{}:{}:{}{fraction}", &digits[..2], &digits[2..4], &digits[4..]);
    Some(match day {
        Some(day) => format!("{day}T{clock}Z"),
        None => clock,
    })
}

/// A day of six digits: day, month, year; years up to 79 are of this century.
pub(super) fn day_of(text: &str) -> Option<Date> {
    let digits = Some(text).filter(|t| t.len() == 6 && t.bytes().all(|b| b.is_ascii_digit()))?;
    let two = |at: usize| digits[at..at + 2].parse::<u8>().ok();
    let year = i32::from(two(4)?);
    let year = if year < 80 { 2000 + year } else { 1900 + year };
    Date::from_calendar_date(year, Month::try_from(two(2)?).ok()?, two(0)?).ok()
}
