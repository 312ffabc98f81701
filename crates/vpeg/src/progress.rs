//! A progress bar on a terminal; nothing elsewhere.

use crate::show;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::time::Duration;
use velvet_peg::{Notice, NoticeKind, Progress};

/// Shows how far a stage has come, once it has run for a moment.
pub(crate) struct TerminalProgress {
    bar: Option<ProgressBar>,
    what: &'static str,
    started: std::time::Instant,
    /// True once the need for memory was told: a command may read its inputs several times.
    told: bool,
}

impl TerminalProgress {
    pub(crate) fn new(what: &'static str) -> TerminalProgress {
        TerminalProgress { bar: None, what, started: std::time::Instant::now(), told: false }
    }
}

impl Progress for TerminalProgress {
    fn at(&mut self, done: u64, total: Option<u64>) {
        if self.started.elapsed() < Duration::from_millis(700) {
            return;
        }
        let bar = self.bar.get_or_insert_with(|| {
            let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::stderr());
            let template = if total.is_some() {
                "{msg} {bar:40} {percent}% {eta} left"
            } else {
                "{msg} {spinner} {elapsed}"
            };
            bar.set_style(
                ProgressStyle::with_template(template)
                    .unwrap_or_else(|_| ProgressStyle::default_bar()),
            );
            bar.set_message(self.what);
            bar
        });
        bar.set_position(done);
    }

    fn notice(&mut self, notice: &Notice) {
        if notice.kind == NoticeKind::Memory && std::mem::replace(&mut self.told, true) {
            return;
        }
        let show = || show::notices(std::slice::from_ref(notice));
        match &self.bar {
            Some(bar) => bar.suspend(show),
            None => show(),
        }
    }
}

impl Drop for TerminalProgress {
    fn drop(&mut self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}
