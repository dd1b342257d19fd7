//! What the program sets up for itself before it works: its budget of memory, its threads, and what the system may do to it.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::trace;
use rahmen::MemoryBudget;
use rahmen::file::Limits;
use std::path::Path;
use std::sync::OnceLock;

/// Runs the work of a verb.
pub(crate) fn run(shared: &Shared, work: impl FnOnce() -> Done) -> Done {
    if shared.verbose {
        trace::to_standard_error();
    }
    // A file that outgrows its limit is an error to report, not the end of the process.
    #[cfg(unix)]
    let _ = signal_hook::flag::register(signal_hook::consts::SIGXFSZ, std::sync::Arc::default());
    work()
}

/// Has the system's allocator keep what is given back to it, up to some megabytes, for work that takes and gives back the same strips
/// over and over. The one of Linux learns from the largest block that it got back how much to keep; one that knows nothing
/// of this gives the block, which is never touched, and takes it back.
pub(crate) fn keep_memory_at_hand() {
    const KEPT: usize = 16 << 20;
    drop(std::hint::black_box(Vec::<u8>::with_capacity(KEPT)));
}

/// The one budget of the process.
pub(crate) fn budget(shared: &Shared) -> MemoryBudget {
    static BUDGET: OnceLock<MemoryBudget> = OnceLock::new();
    let memory = || MemoryBudget::new(shared.limit_memory.unwrap_or(Limits::default().memory));
    BUDGET.get_or_init(memory).clone()
}

/// Refuses to write a file to a standard output that is closed: what is written there would be lost without a word.
pub(crate) fn check_output(output: &Path) -> Done {
    if output == Path::new("-") && standard_output_is_closed() {
        return Err(Failure::Work(anyhow::anyhow!("standard output is closed: nothing can be written to it")));
    }
    Ok(())
}

/// Whether the program was started without a standard output.
#[cfg(unix)]
static WAS_CLOSED: std::sync::atomic::AtomicBool = std::sync::atomic::AtomicBool::new(false);

/// Looks at standard output before Rust's runtime opens the null device in place of one that is closed, which cannot be told from one that
/// was given afterwards.
#[cfg(unix)]
#[ctor::ctor(unsafe)]
fn look_at_standard_output() {
    let closed = rustix::io::fcntl_getfd(rustix::stdio::stdout()).is_err();
    WAS_CLOSED.store(closed, std::sync::atomic::Ordering::Relaxed);
}

/// Whether the program was started without a standard output.
#[cfg(unix)]
pub(crate) fn standard_output_is_closed() -> bool {
    WAS_CLOSED.load(std::sync::atomic::Ordering::Relaxed)
}

/// Whether the program was started without a standard output: not known here.
#[cfg(not(unix))]
pub(crate) fn standard_output_is_closed() -> bool {
    false
}
