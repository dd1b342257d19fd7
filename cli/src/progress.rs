//! Progress on a terminal for what takes longer than a second: a bar where it is known how far the work is, else a clock with
//! what is done. Never in pipes, nor where quiet is asked for.

use crate::args::Shared;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use rahmen::flow::{Chain, Progress, Sink};
use std::io::IsTerminal;
use std::ops::ControlFlow;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc;
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// A bar, or none.
pub(crate) struct Bar {
    bar: ProgressBar,
    shows: bool,
    begun: Instant,
}

/// Whether a bar is on the terminal: work within work shows no second one.
static IS_SHOWN: AtomicBool = AtomicBool::new(false);

/// Puts a bar on the terminal, unless there is one.
fn put_up(bar: &ProgressBar) {
    if bar.is_hidden() && !IS_SHOWN.swap(true, Ordering::Relaxed) {
        bar.set_draw_target(ProgressDrawTarget::stderr());
    }
}

/// Takes a bar off the terminal, if it is there.
fn take_down(bar: &ProgressBar) {
    if !bar.is_hidden() {
        bar.finish_and_clear();
        bar.set_draw_target(ProgressDrawTarget::hidden());
        IS_SHOWN.store(false, Ordering::Relaxed);
    }
}

impl Drop for Bar {
    fn drop(&mut self) {
        take_down(&self.bar);
    }
}

/// What is done sooner shows no bar.
const PATIENCE: Duration = Duration::from_secs(1);

/// How often a clock goes on.
const TICK: Duration = Duration::from_millis(100);

impl Bar {
    fn new(length: u64, template: &str, shared: &Shared) -> Bar {
        let bar = ProgressBar::with_draw_target(Some(length), ProgressDrawTarget::hidden());
        // The template is one of this file.
        let style = ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar());
        bar.set_style(style.progress_chars("█▌ "));
        Bar { bar, shows: may_show(shared), begun: Instant::now() }
    }

    /// Shows it, once it has taken long enough to be worth it.
    fn show(&self) {
        if self.shows && self.begun.elapsed() >= PATIENCE {
            put_up(&self.bar);
        }
    }

    /// One more is done.
    pub(crate) fn step(&self) {
        self.steps(1);
    }

    /// Some more are done.
    pub(crate) fn steps(&self, count: u64) {
        self.bar.inc(count);
        self.show();
    }

    /// Prints lines above the bar.
    pub(crate) fn above<T>(&self, print: impl FnOnce() -> T) -> T {
        self.bar.suspend(print)
    }

    pub(crate) fn end(&self) {
        take_down(&self.bar);
    }
}

/// A bar over files.
pub(crate) fn files(count: usize, shared: &Shared) -> Bar {
    Bar::new(count as u64, "{bar:30} {pos} of {len} files, {per_sec}, {eta} left", shared)
}

/// A bar over things of a kind: tiles, pages.
pub(crate) fn counted(count: u64, things: &str, shared: &Shared) -> Bar {
    Bar::new(count, &format!("{{bar:30}} {{pos}} of {{len}} {things}, {{eta}} left"), shared)
}

/// A bar over the rows of a picture.
pub(crate) fn rows(count: u32, shared: &Shared) -> Bar {
    Bar::new(u64::from(count), "{bar:30} {percent} %, {eta} left", shared)
}

/// Whether anything may be shown: there is a terminal, and nobody asked for quiet.
pub(crate) fn may_show(shared: &Shared) -> bool {
    let terminal = std::io::stderr().is_terminal() && std::env::var("TERM").as_deref() != Ok("dumb");
    terminal && !shared.quiet
}

/// Does work of which nobody knows how far it is. Nothing may be printed on the way.
pub(crate) fn during<T>(what: &str, shared: &Shared, work: impl FnOnce() -> T) -> T {
    let _clock = Clock::start(what, shared);
    work()
}

/// A clock that goes on by itself until it is dropped. It knows nothing of the work, so that it is compiled once.
struct Clock {
    /// What keeps it going, and what it goes on in.
    going: Option<(mpsc::Sender<()>, JoinHandle<()>)>,
    _bar: Bar,
}

impl Clock {
    fn start(what: &str, shared: &Shared) -> Clock {
        let bar = Bar::new(0, "{spinner} {msg}, {elapsed}", shared);
        if !bar.shows {
            return Clock { going: None, _bar: bar };
        }
        bar.bar.set_message(what.to_string());
        let ((working, ended), ticked) = (mpsc::channel::<()>(), bar.bar.clone());
        let ticks = move || {
            let mut pause = PATIENCE;
            while ended.recv_timeout(pause) == Err(mpsc::RecvTimeoutError::Timeout) {
                put_up(&ticked);
                ticked.tick();
                pause = TICK;
            }
        };
        // Without a thread there is no clock, and the work goes on.
        let thread = std::thread::Builder::new().spawn(ticks).ok();
        Clock { going: thread.map(|thread| (working, thread)), _bar: bar }
    }
}

impl Drop for Clock {
    fn drop(&mut self) {
        if let Some((working, thread)) = self.going.take() {
            drop(working);
            // It ends by itself; how does not matter to the work.
            let _ = thread.join();
        }
    }
}

/// Runs a chain into a sink, and shows how far it is.
pub(crate) fn run(chain: &mut Chain<'_>, sink: &mut dyn Sink, shared: &Shared) -> rahmen::Result<()> {
    let bar = rows(0, shared);
    let done = chain.run_observed(sink, &mut |progress: Progress| {
        bar.bar.set_length(progress.of);
        bar.bar.set_position(progress.rows);
        bar.show();
        ControlFlow::Continue(())
    });
    bar.end();
    done
}
