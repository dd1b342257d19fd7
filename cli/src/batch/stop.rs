//! Being asked to stop: files at hand are finished, no other is begun. Asked twice, the process ends at once; what is written then has
//! no name yet and goes with it.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether the work is to stop.
#[derive(Debug, Default)]
pub(crate) struct Stop {
    asked: Arc<AtomicBool>,
    /// The work is over: signals do again what they do by default.
    over: Arc<AtomicBool>,
}

impl Stop {
    /// Listens for Ctrl-C and the request to terminate.
    pub(crate) fn listen() -> Stop {
        let stop = Stop::default();
        #[cfg(unix)]
        for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
            let _ = signal_hook::flag::register_conditional_default(signal, Arc::clone(&stop.over));
            // The second one finds the flag set.
            let _ = signal_hook::flag::register_conditional_shutdown(signal, 128 + signal, Arc::clone(&stop.asked));
            let _ = signal_hook::flag::register(signal, Arc::clone(&stop.asked));
        }
        stop
    }

    pub(crate) fn is_asked(&self) -> bool {
        self.asked.load(Ordering::Relaxed)
    }

    /// Asks for it from inside.
    pub(crate) fn ask(&self) {
        self.asked.store(true, Ordering::Relaxed);
    }
}

impl Drop for Stop {
    /// Whoever works on behind it, as a tour does, is stopped at once.
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
    }
}
