//! Reading the fixes of a log.

use super::fix::{Fix, day_of};
use super::sentence::Sentence;
use crate::error::{Error, Result};
use crate::format_support::two_pass::{Features, Item, learn, opened};
use crate::format_support::{OpenedLayer, ReadOptions, declare};
use crate::layer::{CrsOrigin, Unreadable};
use std::fs::File;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use time::{Date, Month};
use velvet_peg_core::Crs;

/// Bytes of a line at most; the standard has 82 characters.
const LONGEST: u64 = 4096;

#[derive(Clone, Copy, Debug)]
struct Log;

pub(super) fn open(path: &Path, options: &ReadOptions) -> Result<OpenedLayer> {
    let learnt = learn(path, &Log, 1)?.remove(0);
    if learnt.learn.count + learnt.left_out.count == 0 {
        return Err(
            Error::data("has no sentence with a position (GGA, GNS, RMC, GLL)").in_file(path)
        );
    }
    let crs = Crs::from_epsg(4326)?;
    let within = options.tolerance_text(Some(&crs));
    let system = (Some(crs), CrsOrigin::Format);
    let keys = |keys: &[String]| keys.to_vec();
    let mut layer = opened(path, Log, (0, learnt), "fixes", system, &within, &keys);
    layer.0.schema = declare(&layer.0.schema, &["time"], "DATETIME");
    Ok(layer)
}

/// The day that the receiver counts from, and the last time of it.
#[derive(Default)]
struct Calendar {
    day: Option<Date>,
    last: String,
}

impl Calendar {
    /// A new time: past midnight it is that of the next day.
    fn pass(&mut self, time: &str) {
        let back = time.get(..2) < self.last.get(..2) && self.last.starts_with("23");
        if back {
            self.day = self.day.and_then(Date::next_day);
        }
        self.last = time.to_string();
    }
}

impl Features for Log {
    fn each(&self, path: &Path, each: &mut dyn FnMut(Item) -> Result<()>) -> Result<()> {
        let failed = |e| Error::file(path, "cannot be read", e);
        let mut input = BufReader::with_capacity(1 << 16, File::open(path).map_err(failed)?);
        let mut calendar = Calendar::default();
        let mut fix: Option<Fix> = None;
        let (mut bytes, mut number) = (Vec::new(), 0u64);
        loop {
            bytes.clear();
            let count = (&mut input).take(LONGEST).read_until(b'\n', &mut bytes).map_err(failed)?;
            if count == 0 {
                break;
            }
            number += 1;
            let line = String::from_utf8_lossy(&bytes);
            let line = line.trim().trim_start_matches('\u{feff}');
            if line.is_empty() {
                continue;
            }
            let sentence = match Sentence::read(line) {
                Ok(sentence) => sentence,
                Err(why) => {
                    let record = Unreadable::new(format!("line {number}: {why}"));
                    each(Item::Unreadable(0, record.with_original(line)))?;
                    continue;
                }
            };
            let time = match sentence.kind {
                "GGA" | "GNS" | "RMC" | "ZDA" => sentence.field(0),
                "GLL" => sentence.field(4),
                _ => continue,
            };
            if fix.as_ref().is_some_and(|open| open.time != time)
                && let Some(done) = fix.take()
            {
                each(done.item(calendar.day))?;
            }
            if fix.is_none() {
                calendar.pass(time);
            }
            match sentence.kind {
                "RMC" => calendar.day = day_of(sentence.field(8)).or(calendar.day),
                "ZDA" => calendar.day = stated_day(&sentence).or(calendar.day),
                _ => {}
            }
            if sentence.kind != "ZDA" {
                let open = fix.get_or_insert_with(|| Fix::at(time));
                open.add(&sentence);
            }
        }
        match fix {
            Some(done) => each(done.item(calendar.day)),
            None => Ok(()),
        }
    }
}

/// Day, month and year of a sentence of the date.
fn stated_day(sentence: &Sentence<'_>) -> Option<Date> {
    let month = Month::try_from(sentence.field(2).parse::<u8>().ok()?).ok()?;
    let (day, year) = (sentence.field(1).parse().ok()?, sentence.field(3).parse().ok()?);
    Date::from_calendar_date(year, month, day).ok()
}
