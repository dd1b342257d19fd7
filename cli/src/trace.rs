//! What is told of the work while it goes on (`--verbose`): events of `tracing`, a line each on standard error with the time
//! since the start.
//!
//! Not here: remarks that every user sees, which are [`Shared::note`](crate::args::Shared::note)'s.

use std::time::Instant;
use tracing::{Event, Subscriber};
use tracing_subscriber::fmt::FmtContext;
use tracing_subscriber::fmt::format::{FormatEvent, FormatFields, Writer};
use tracing_subscriber::registry::LookupSpan;

/// Prints events from now on.
pub(crate) fn to_standard_error() {
    let lines = tracing_subscriber::fmt()
        // Whoever does not listen does not stop the work.
        .log_internal_errors(false)
        .event_format(Lines { begun: Instant::now() })
        .with_writer(std::io::stderr)
        .finish();
    // There is one already where a verb runs within another: it goes on.
    let _ = tracing::subscriber::set_global_default(lines);
}

struct Lines {
    begun: Instant,
}

impl<S, N> FormatEvent<S, N> for Lines
where
    S: Subscriber + for<'a> LookupSpan<'a>,
    N: for<'a> FormatFields<'a> + 'static,
{
    fn format_event(&self, context: &FmtContext<'_, S, N>, mut to: Writer<'_>, event: &Event<'_>) -> std::fmt::Result {
        write!(to, "note: {:.3} s: ", self.begun.elapsed().as_secs_f64())?;
        context.format_fields(to.by_ref(), event)?;
        writeln!(to)
    }
}
