//! What the numbers say: histograms and statistics.
//!
//! Not here: changing pixels by what was measured, and drawing what was measured.

mod histogram;
mod levels;
mod scan;
mod stats;

pub use histogram::{ChannelHistogram, Histogram, HistogramRules, content_histogram, histogram};
pub use scan::Scan;
pub use stats::{ChannelStats, stats};
