//! Times a job beside a copy of the same bytes and prints the ratio.
//!
//! The rounds alternate between the job and the copy, so that a slow moment of the machine meets both. Reported are the
//! best time of each, their ratio, and the spread of the job's times. Moves are judged against the copy; a job that
//! computes also shows in the machine's clock, which the calibration of [`multiply_adds`] tells.

use std::hint::black_box;
use std::time::{Duration, Instant};

/// A copy of fewer bytes is timed on this many and scaled: memory is what jobs are judged against, not a cache.
const OUT_OF_CACHE: usize = 48 << 20;

/// What one job moves.
#[derive(Clone, Copy)]
pub(crate) struct Load {
    /// Pixels that ns/px counts.
    pub(crate) pixels: u64,
    /// Bytes read.
    pub(crate) read: usize,
    /// Bytes written.
    pub(crate) written: usize,
}

pub(crate) struct Bench {
    filter: Vec<String>,
    rounds: usize,
    memory: Vec<u8>,
    target: Vec<u8>,
}

impl Bench {
    pub(crate) fn from_args() -> Bench {
        let mut bench = Bench { filter: Vec::new(), rounds: 15, memory: Vec::new(), target: Vec::new() };
        for word in std::env::args().skip(1) {
            match word.strip_prefix("--rounds=") {
                Some(n) => bench.rounds = n.parse().expect("--rounds=N takes a number"),
                None if word.starts_with("--") => {} // what cargo adds
                None => bench.filter.push(word),
            }
        }
        println!("# profile: {}", profile());
        println!("# x copy: best time / best time of copying (read + written) / 2 bytes, {} rounds", bench.rounds);
        println!("# calibration: {:.2} billion multiply-adds a second", multiply_adds());
        println!("{:<44} {:>9} {:>9} {:>8} {:>7}", "job", "ms", "ns/px", "x copy", "spread");
        bench
    }

    pub(crate) fn wants(&self, name: &str) -> bool {
        self.filter.is_empty() || self.filter.iter().any(|f| name.contains(f.as_str()))
    }

    /// Times a job against the copy of its bytes, and says how many seconds its best round took.
    pub(crate) fn row(&mut self, name: &str, load: Load, mut job: impl FnMut()) -> Option<f64> {
        if !self.wants(name) {
            return None;
        }
        let bytes = (load.read + load.written) / 2;
        let copied = bytes.max(OUT_OF_CACHE);
        if self.memory.len() < copied {
            self.memory = vec![1; copied];
            self.target = vec![2; copied];
        }
        let (memory, target) = (&self.memory[..copied], &mut self.target[..copied]);
        let copy = || black_box(&mut *target).copy_from_slice(black_box(memory));
        let (job, copy) = pair(self.rounds, &mut job, copy);
        let ratio = job.best.as_secs_f64() / (copy.best.as_secs_f64() * bytes as f64 / copied as f64);
        print_row(name, &job, load.pixels, &format!("{ratio:.2}"));
        Some(job.best.as_secs_f64())
    }

    /// Times a job against another one, such as a codec against the bare compression of the same bytes.
    pub(crate) fn against(&mut self, name: &str, pixels: u64, mut job: impl FnMut(), other: &str, base: impl FnMut()) {
        if !self.wants(name) {
            return;
        }
        let (job, base) = pair(self.rounds, &mut job, base);
        let ratio = job.best.as_secs_f64() / base.best.as_secs_f64();
        print_row(name, &job, pixels, &format!("{ratio:.2}"));
        print_row(&format!("  of which {other}"), &base, pixels, "1");
    }
}

struct Times {
    best: Duration,
    worst: Duration,
}

fn print_row(name: &str, times: &Times, pixels: u64, ratio: &str) {
    let best = times.best.as_secs_f64();
    let spread = (times.worst.as_secs_f64() / best - 1.0) * 100.0;
    println!("{name:<44} {:>9.3} {:>9.3} {ratio:>8} {spread:>6.0}%", best * 1e3, best * 1e9 / pixels as f64);
}

/// Alternates two jobs after one round to warm up. Short ones are repeated within a round, so that the clock can tell.
fn pair(rounds: usize, mut a: impl FnMut(), mut b: impl FnMut()) -> (Times, Times) {
    let repeats = |job: &mut dyn FnMut()| {
        let first = timed(1, job).max(Duration::from_nanos(1));
        (Duration::from_millis(4).as_nanos() / first.as_nanos()).clamp(1, 1000) as u32
    };
    let (again_a, again_b) = (repeats(&mut a), repeats(&mut b));
    let (mut times_a, mut times_b) = (Vec::new(), Vec::new());
    for _ in 0..rounds.max(1) {
        times_a.push(timed(again_a, &mut a));
        times_b.push(timed(again_b, &mut b));
    }
    (summed_up(&times_a), summed_up(&times_b))
}

fn timed(repeats: u32, job: &mut dyn FnMut()) -> Duration {
    let start = Instant::now();
    for _ in 0..repeats {
        job();
    }
    start.elapsed() / repeats
}

fn summed_up(times: &[Duration]) -> Times {
    let best = times.iter().min().copied().unwrap_or_default();
    Times { best, worst: times.iter().max().copied().unwrap_or_default() }
}

/// Which profile this program was built with, by the folder that Cargo builds in.
fn profile() -> &'static str {
    let program = std::env::current_exe().unwrap_or_default();
    let folder = program.parent().and_then(|deps| deps.parent()).and_then(|of| of.file_name());
    match folder.and_then(|name| name.to_str()) {
        Some("release") => "release, Cargo's own: what a dependent gets",
        Some("dist") => "dist: one unit, thin LTO",
        _ => "unknown",
    }
}

/// Billions of multiply-adds a second of a fixed loop in registers: how fast the clock runs just now.
pub(crate) fn multiply_adds() -> f64 {
    let mut lanes = [1.0f32; 32];
    let best = (0..20)
        .map(|_| {
            let start = Instant::now();
            for _ in 0..100_000 {
                lanes.iter_mut().for_each(|v| *v = *v * 0.999 + 0.001);
            }
            black_box(&mut lanes);
            start.elapsed().as_secs_f64()
        })
        .fold(f64::INFINITY, f64::min);
    3.2e-3 / best
}
