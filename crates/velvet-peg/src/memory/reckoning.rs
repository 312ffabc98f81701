//! What work will hold in memory, reckoned from the beginning of its input.

use super::limit::Room;
use crate::advice::Advice;
use crate::error::{Error, Result};
use crate::notice::{Notice, NoticeKind};
use crate::progress::Progress;
use std::borrow::Cow;
use std::path::{Path, PathBuf};

/// From this need on it is told, bytes.
const TOLD: u64 = 1_000_000_000;

/// The whole is reckoned from one part in so many: less may be unlike the rest.
const PART: u64 = 50;

/// How far an input has been read, in any unit.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Share {
    pub(crate) done: u64,
    pub(crate) total: Option<u64>,
}

impl Share {
    /// All of it.
    pub(crate) const WHOLE: Share = Share { done: 1, total: Some(1) };

    /// What the whole has to the part that was read, where that is known.
    fn factor(self) -> Option<f64> {
        let total = self.total.filter(|_| self.done > 0)?;
        Some((total as f64 / self.done as f64).max(1.0))
    }

    /// True if the part says well enough what the whole is.
    fn is_large(self) -> bool {
        self.total.is_none_or(|total| self.done.saturating_mul(PART) >= total)
    }
}

/// What is held.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Held {
    /// How many of the things, in the part that was read.
    pub(crate) count: u64,
    /// Bytes that they take, or will take while they are worked on.
    pub(crate) bytes: u64,
    /// Bytes of other things, which do not grow with what is read.
    pub(crate) besides: u64,
}

/// Watches over things of which the whole input has to be held together.
#[derive(Debug)]
pub(crate) struct Reckoning {
    /// What they are, in the plural.
    what: Cow<'static, str>,
    path: PathBuf,
    room: Room,
    /// True if it depends on more than what is counted, so that less may do.
    is_most: bool,
    is_told: bool,
}

impl Reckoning {
    /// Of things of a file.
    pub(crate) fn new(what: impl Into<Cow<'static, str>>, path: &Path) -> Reckoning {
        Reckoning {
            what: what.into(),
            path: path.to_path_buf(),
            room: Room::now(),
            is_most: false,
            is_told: false,
        }
    }

    /// Where it depends on more than what is counted, and less may do.
    pub(crate) fn at_most(self) -> Reckoning {
        Reckoning { is_most: true, ..self }
    }

    /// Goes on with other things, of a file of theirs, that are held beside those so far.
    pub(crate) fn go_on(&mut self, what: &'static str, path: &Path) {
        (self.what, self.path) = (what.into(), path.to_path_buf());
    }

    /// Takes in what is held of the part that was read; a great need is told once.
    ///
    /// # Errors
    /// If the whole needs more memory than there is.
    pub(crate) fn take(
        &mut self,
        held: Held,
        share: Share,
        watch: &mut dyn Progress,
    ) -> Result<()> {
        let factor = share.factor();
        let whole = |part: u64| (part as f64 * factor.unwrap_or(1.0)) as u64;
        let need = held.besides.saturating_add(whole(held.bytes));
        let room = self.room.bytes();
        // Of a small part, what it takes itself is too much already.
        let certain = if share.is_large() { need } else { held.besides + held.bytes };
        let is_too_much = room.is_some_and(|room| certain > room);
        let is_news = factor.is_some() && share.is_large() && need >= TOLD && !self.is_told;
        if !is_too_much && !is_news {
            return Ok(());
        }
        let text = format!(
            "{} have to be held in memory together, which needs {} {}{}",
            counted(whole(held.count), &self.what, factor == Some(1.0)),
            match factor {
                Some(_) if self.is_most => "up to",
                Some(_) => "about",
                // Of what is not known to its end it is so much at least.
                None => "more than",
            },
            size(need),
            match self.room {
                Room::Allowed(bytes) => format!("; {} are allowed", size(bytes)),
                Room::Free(bytes) => format!("; {} are free", size(bytes)),
                Room::Unknown => String::new(),
            }
        );
        if is_too_much {
            let advice = Advice::AllowMemory(need);
            return Err(Error::memory(text).advise(advice).in_file(&self.path));
        }
        self.is_told = true;
        let mut notice = Notice::note(NoticeKind::Memory, text)
            .with("needed", need as f64, "bytes")
            .in_file(&self.path);
        if let Some(room) = room {
            notice = notice.with("available", room as f64, "bytes");
        }
        watch.notice(&notice);
        Ok(())
    }
}

/// How many, in two figures where it is not known better.
fn counted(count: u64, what: &str, is_exact: bool) -> String {
    if is_exact {
        return format!("{count} {what}");
    }
    let unit = 10_u64.pow(count.max(1).ilog10().saturating_sub(1));
    format!("about {} {what}", count.div_ceil(unit) * unit)
}

/// A number of bytes as people say it (SI prefixes).
fn size(bytes: u64) -> String {
    match bytes as f64 {
        bytes if bytes >= 9.95e9 => format!("{:.0} GB", bytes / 1e9),
        bytes if bytes >= 0.995e9 => format!("{:.1} GB", bytes / 1e9),
        bytes if bytes >= 9.95e6 => format!("{:.0} MB", bytes / 1e6),
        bytes => format!("{:.1} MB", bytes / 1e6),
    }
}
