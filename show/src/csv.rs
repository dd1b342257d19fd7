//! Measurements as comma-separated values (RFC 4180), a header first; numbers are not rounded.

use rahmen::measure::{Comparison, Histogram, JointHistogram, Profile};
use rahmen::tone::{BitStudy, Cell, LevelRow};

/// A CSV field, quoted where it has to be. What a spreadsheet would take for a formula is made text by an apostrophe before it; numbers
/// stay numbers.
pub fn field(word: &str) -> String {
    let formula = word.starts_with(['=', '+', '-', '@', '\t', '\r']) && word.parse::<f64>().is_err();
    match formula || word.contains([',', '"', '\n', '\r']) {
        true => format!("\"{}{}\"", if formula { "'" } else { "" }, word.replace('"', "\"\"")),
        false => word.to_string(),
    }
}

/// Histogram as CSV, a line a bin, channel after channel.
pub fn histogram(histogram: &Histogram) -> String {
    let mut out = String::from("channel,low,high,count\n");
    for c in &histogram.channels {
        for (i, count) in c.bins.iter().enumerate() {
            let (low, high) = c.limits(i);
            out.push_str(&format!("{},{low},{high},{count}\n", field(&c.name)));
        }
    }
    out
}

/// Joint histogram as CSV, a line a pair of bins that occurs: the limits of both and the count.
pub fn joint(joint: &JointHistogram) -> String {
    let mut out = String::from("first_low,first_high,second_low,second_high,count\n");
    let limits = |(low, high): (f64, f64), bins: usize, i: usize| {
        let edge = |i: usize| low + (high - low) * i as f64 / bins as f64;
        (edge(i), edge(i + 1))
    };
    for (i, count) in joint.counts.iter().enumerate().filter(|(_, n)| **n > 0) {
        let (a, b) = limits(joint.ranges[0], joint.bins.0, i % joint.bins.0);
        let (c, d) = limits(joint.ranges[1], joint.bins.1, i / joint.bins.0);
        out.push_str(&format!("{a},{b},{c},{d},{count}\n"));
    }
    out
}

/// Profile as CSV, a line a place: x, y, and each channel's value.
pub fn profile(profile: &Profile) -> String {
    let names: Vec<_> = profile.channels.iter().map(|c| field(&c.name)).collect();
    let mut out = format!("x,y,{}\n", names.join(","));
    for (i, (x, y)) in profile.places().into_iter().enumerate() {
        let values = profile.channels.iter().map(|c| c.values.get(i).map_or(String::new(), f64::to_string));
        out.push_str(&format!("{x},{y},{}\n", values.collect::<Vec<_>>().join(",")));
    }
    out
}

/// Comparison as CSV, a line a channel, the whole first.
pub fn comparison(comparison: &Comparison) -> String {
    let mut out = String::from("channel,max_abs,mae,mse,rmse,psnr_db,snr_db,ssim\n");
    let whole = std::iter::once(("all", &comparison.whole));
    for (name, d) in whole.chain(comparison.channels.iter().map(|c| (c.name.as_str(), &c.difference))) {
        let ssim = d.ssim.map_or(String::new(), |s| s.to_string());
        let (name, figures) = (field(name), [d.max_abs, d.mae, d.mse, d.rmse, d.psnr_db, d.snr_db]);
        out.push_str(&format!("{name},{},{ssim}\n", figures.map(|v| v.to_string()).join(",")));
    }
    out
}

/// Bit study as CSV, a line a number of bits.
pub fn study(study: &BitStudy) -> String {
    let mut out = String::from("bits,mse,snr_db,psnr_db\n");
    for l in &study.levels {
        out.push_str(&format!("{},{},{},{}\n", l.bits, l.mse, l.snr_db, l.psnr_db));
    }
    out
}

/// Equalising table as CSV, a line a level.
pub fn level_table(rows: &[LevelRow]) -> String {
    let mut out = String::from("level,count,probability,cumulative,new_level\n");
    for r in rows {
        out.push_str(&format!("{},{},{},{},{}\n", r.level, r.count, r.probability, r.cumulative, r.new_level));
    }
    out
}

/// Quantiser table as CSV, a line a cell.
pub fn cells(cells: &[Cell]) -> String {
    let mut out = String::from("index,from,to,output\n");
    for c in cells {
        out.push_str(&format!("{},{},{},{}\n", c.index, c.from, c.to, c.output));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::measure::{ChannelHistogram, Histogram as Counted};

    #[test]
    fn fields_are_quoted_and_bins_carry_their_limits() {
        assert_eq!(field("a,\"b\""), "\"a,\"\"b\"\"\"");
        let h = Counted::new(vec![ChannelHistogram::of_counts("v", &[3, 0, 1])]);
        assert_eq!(histogram(&h), "channel,low,high,count\nv,0,1,3\nv,1,2,0\nv,2,3,1\n");
    }
}
