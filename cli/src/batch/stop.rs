//! Being asked to stop: files at hand are finished, no other is begun. Asked twice, the process ends at once; what is written then has
//! no name yet and goes with it.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether the work is to stop.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stop(Arc<AtomicBool>);

impl Stop {
    /// Listens for Ctrl-C and the request to terminate.
    pub(crate) fn listen() -> Stop {
        let stop = Stop::default();
        #[cfg(unix)]
        for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
            // The second one finds the flag set.
            let _ = signal_hook::flag::register_conditional_shutdown(signal, 128 + signal, Arc::clone(&stop.0));
            let _ = signal_hook::flag::register(signal, Arc::clone(&stop.0));
        }
        stop
    }

    pub(crate) fn is_asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }

    /// Asks for it from inside.
    pub(crate) fn ask(&self) {
        self.0.store(true, Ordering::Relaxed);
    }
}
