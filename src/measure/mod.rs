//! What the numbers say: histograms and figures, comparisons, profiles.
//!
//! Not here: changing pixels by what was measured ([`tone`](crate::tone)), and drawing what was measured.

mod apart;
mod causes;
mod channel;
mod compare;
mod content;
mod figures;
mod fix;
mod gap;
mod hint;
mod histogram;
mod joint;
mod lanes;
mod levels;
mod mask;
mod moments;
#[cfg(feature = "serde")]
pub(crate) mod null;
mod one_pass;
mod pair;
mod profile;
mod scan;
mod ssim;

pub use apart::{error_histogram, error_picture};
pub use channel::{ChannelHistogram, Histogram};
pub use compare::{ChannelDifference, CompareRules, Comparison, Difference, compare};
pub(crate) use figures::decibels;
pub use figures::{Stats, stats};
pub use fix::{Fix, Hint};
pub use histogram::{HistogramRules, gray_histogram, histogram, masked_histogram};
pub(crate) use histogram::{gray_histogram_any, histogram_any};
pub use joint::{JointHistogram, joint_histogram};
pub use mask::Mask;
pub use moments::Moments;
pub use one_pass::{masked_moments, moments};
pub use profile::{ChannelProfile, Profile, profile};
pub use scan::Scan;
