//! `histogram --channel A --against B`: two channels of a file against each other.

use crate::args::{Part, Shared, channel_index};
use crate::fail::{Done, Failure};
use crate::open;
use crate::progress;
use crate::text::{number, safe};
use rahmen::PixelFormat;
use rahmen::flow::{Crop, Step};
use rahmen::measure::{JointHistogram, Mask};
use serde::Serialize;
use std::path::Path;

/// Part, numbers of bins and range that were asked for.
pub(crate) struct Asked {
    pub(crate) part: Part,
    pub(crate) bins: usize,
    pub(crate) range: Option<(f64, f64)>,
}

/// Joint histogram of two channels.
#[derive(Debug, Serialize)]
pub(crate) struct Pairs {
    file: String,
    first: String,
    second: String,
    #[serde(flatten)]
    pub(crate) joint: JointHistogram,
}

/// The correlation in a line.
pub(crate) fn text(p: &Pairs) -> String {
    let counted: u64 = p.joint.counts.iter().sum();
    let outside = if p.joint.outside > 0 { format!(", {} outside", p.joint.outside) } else { String::new() };
    let correlation = number(p.joint.correlation);
    format!(
        "{}: {} against {}: correlation {correlation}, {counted} pairs{outside}\n",
        safe(&p.file),
        p.first,
        p.second
    )
}

impl Pairs {
    /// Counts the pairs of two channels, in codes.
    pub(crate) fn of(file: &Path, (first, second): (&str, &str), asked: &Asked, shared: &Shared) -> Done<Pairs> {
        let picture = open::load_codes(file, shared, &mut |facts| {
            let region = asked.part.region(facts.size)?;
            Ok(if asked.part.is_given() { vec![Box::new(Crop::new(region)) as Box<dyn Step>] } else { Vec::new() })
        })?;
        let facts = picture.facts();
        let at = |name: &str| channel_index(&facts, name).map_err(Failure::words);
        let PixelFormat::Pixels { depth, layout } = facts.pixel_format else {
            return Err(Failure::words("--against compares channels of pixels, not planes"));
        };
        let most = (0..layout.channels()).filter_map(|c| facts.metadata.max_code(c, depth)).max();
        let range = asked.range.unwrap_or((0.0, most.map_or(1.0, |top| f64::from(top) + 1.0)));
        let (channels, bins) = ((at(first)?, at(second)?), (asked.bins, asked.bins));
        let content = picture.content();
        let count = || content.joint_histogram(channels, bins, [range; 2], &Mask::ALL);
        let joint = progress::during("counting pairs", shared, count);
        let joint = joint.map_err(|e| e.in_file(open::name_of(file)))?;
        Ok(Pairs { file: open::name_of(file), first: first.into(), second: second.into(), joint })
    }
}
