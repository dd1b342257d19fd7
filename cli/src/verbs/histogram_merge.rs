//! `histogram --merge`: reports of several files, or of shares of them, counted as one.
//!
//! Not here: counting pixels, which is [`histogram`](crate::verbs::histogram)'s.

use crate::args::Shared;
use crate::fail::{Done, Failure, said};
use crate::look;
use crate::verbs::histogram::Counts;
use anyhow::Context as _;
use rahmen::measure::{ChannelHistogram, Histogram as Counted};
use serde::Deserialize;
use std::path::PathBuf;

/// What of a report is needed to count it together with others.
#[derive(Debug, Deserialize)]
struct Counting {
    file: String,
    channels: Vec<CountingChannel>,
}

#[derive(Debug, Deserialize)]
struct CountingChannel {
    name: String,
    under: u64,
    over: u64,
    nan: u64,
    range: (f64, f64),
    bins: Vec<u64>,
    exact: Option<ChannelHistogram>,
}

impl CountingChannel {
    /// The histogram again: of integers from the counts of their levels, of others from the sums beside them.
    fn counted(self) -> Option<ChannelHistogram> {
        let by_level =
            self.range == (0.0, self.bins.len() as f64) && self.under == 0 && self.over == 0 && self.nan == 0;
        self.exact.or_else(|| by_level.then(|| ChannelHistogram::of_counts(&self.name, &self.bins)))
    }
}

/// All reports, counted as one.
pub(crate) fn merged(files: &[PathBuf], shared: &Shared) -> Done<Counts> {
    let mut sum: Option<Counted> = None;
    let mut count = 0;
    look::each_object(files, shared, |object| {
        let one: Counting = serde_json::from_str(object.get()).context("not a report of `rahmen histogram --json`")?;
        let file = one.file;
        let channels = one.channels.into_iter().map(|channel| {
            let name = channel.name.clone();
            channel.counted().ok_or_else(|| {
                anyhow::anyhow!("{file}: the report has no sums for channel {name}; make it with --json --exact")
            })
        });
        let counted = Counted::new(channels.collect::<Result<Vec<_>, _>>()?);
        match &mut sum {
            Some(sum) => sum.merge(&counted).map_err(|e| anyhow::anyhow!("{file}: {}", said(&e)))?,
            None => sum = Some(counted),
        }
        count += 1;
        Ok(())
    })?;
    let counted = sum.ok_or_else(|| Failure::words("there is no report to count"))?;
    Ok(Counts { file: format!("{count} files together"), counted, holds: "from reports".into() })
}
