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

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use std::io::BufRead;
    use std::os::unix::process::ExitStatusExt;
    use std::process::{Command, Stdio};

    /// Set in the process that is to be stopped.
    const STOPPED: &str = "RAHMEN_TEST_IS_STOPPED";

    #[test]
    fn behind_the_work_signals_do_what_they_always_do() {
        if std::env::var_os(STOPPED).is_some() {
            drop(Stop::listen());
            println!("\nover");
            std::thread::sleep(std::time::Duration::from_secs(60));
            return;
        }
        let name = "batch::stop::tests::behind_the_work_signals_do_what_they_always_do";
        let mut other = Command::new(std::env::current_exe().unwrap())
            .args(["--exact", name, "--nocapture"])
            .env(STOPPED, "1")
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let lines = std::io::BufReader::new(other.stdout.take().unwrap()).lines();
        assert!(lines.map_while(Result::ok).any(|line| line == "over"));
        let kill = Command::new("kill").args(["-s", "INT", &other.id().to_string()]).status().unwrap();
        assert!(kill.success());
        let status = other.wait().unwrap();
        assert_eq!(status.signal(), Some(2), "{status}");
    }
}
