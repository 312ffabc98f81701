//! A progress bar on a terminal; nothing elsewhere.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::time::Duration;
use velvet_peg::Progress;

/// Shows how far a stage has come, once it has run for a moment.
pub(crate) struct TerminalProgress {
    bar: Option<ProgressBar>,
    what: &'static str,
    started: std::time::Instant,
}

impl TerminalProgress {
    pub(crate) fn new(what: &'static str) -> TerminalProgress {
        TerminalProgress { bar: None, what, started: std::time::Instant::now() }
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
}

impl Drop for TerminalProgress {
    fn drop(&mut self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}
