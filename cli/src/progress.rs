//! Progress on a terminal: a bar for what takes longer than a second. Never in pipes, nor where quiet is asked for.

use crate::args::Shared;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use rahmen::flow::{Chain, Progress, Sink};
use std::io::IsTerminal;
use std::ops::ControlFlow;
use std::time::{Duration, Instant};

/// A bar, or none.
pub(crate) struct Bar {
    bar: ProgressBar,
    shows: bool,
    begun: Instant,
}

/// What is done sooner shows no bar.
const PATIENCE: Duration = Duration::from_secs(1);

impl Bar {
    fn new(length: u64, template: &str, shared: &Shared) -> Bar {
        let bar = ProgressBar::with_draw_target(Some(length), ProgressDrawTarget::hidden());
        // The template is one of this file.
        let style = ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar());
        bar.set_style(style.progress_chars("█▌ "));
        let terminal = std::io::stderr().is_terminal() && std::env::var("TERM").as_deref() != Ok("dumb");
        Bar { bar, shows: terminal && !shared.quiet, begun: Instant::now() }
    }

    /// Shows it, once it has taken long enough to be worth it.
    fn show(&self) {
        if self.shows && self.bar.is_hidden() && self.begun.elapsed() >= PATIENCE {
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
    }

    /// One more is done.
    pub(crate) fn step(&self) {
        self.bar.inc(1);
        self.show();
    }

    /// Prints lines above the bar.
    pub(crate) fn above(&self, print: impl FnOnce()) {
        self.bar.suspend(print);
    }

    pub(crate) fn end(&self) {
        self.bar.finish_and_clear();
    }
}

/// A bar over files.
pub(crate) fn files(count: usize, shared: &Shared) -> Bar {
    Bar::new(count as u64, "{bar:30} {pos} of {len} files, {per_sec}, {eta} left", shared)
}

/// Runs a chain into a sink, and shows how far it is.
pub(crate) fn run(chain: &mut Chain<'_>, sink: &mut dyn Sink, shared: &Shared) -> rahmen::Result<()> {
    let bar = Bar::new(0, "{bar:30} {percent} %, {eta} left", shared);
    let done = chain.run_observed(sink, &mut |progress: Progress| {
        bar.bar.set_length(progress.of);
        bar.bar.set_position(progress.rows);
        bar.show();
        ControlFlow::Continue(())
    });
    bar.end();
    done
}
