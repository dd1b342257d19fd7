//! Between a file's own codes (0..=top) and samples that span the full range: exactly there and back.

use super::depth::Depth;

/// The sample of a code: code / top of full, rounded to nearest, ties up.
pub(crate) fn sample_of(code: u32, top: u32, full: u32) -> u32 {
    let (code, top, full) = (u64::from(code.min(top)), u64::from(top.max(1)), u64::from(full));
    // A quotient of at most `full`.
    ((2 * code * full + top) / (2 * top)) as u32
}

/// The code of a sample: the inverse of [`sample_of`] for codes up to `full`.
pub(crate) fn code_of(sample: u32, top: u32, full: u32) -> u32 {
    sample_of(sample, full, top)
}

/// The sample for each code from 0 to `top`, for an integer depth.
pub(crate) fn samples_of_codes(top: u16, depth: Depth) -> Vec<u16> {
    let full = u32::from(depth.max_code().unwrap_or(u16::MAX));
    (0..=u32::from(top)).map(|code| sample_of(code, u32::from(top), full) as u16).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_code_of_every_top_comes_back() {
        for (full, tops) in [(255, 1..=255u32), (65_535, 256..=1100), (65_535, 4095..=4095), (65_535, 65_534..=65_535)]
        {
            for top in tops {
                let mut before = None;
                for code in 0..=top {
                    let sample = sample_of(code, top, full);
                    assert_eq!(code_of(sample, top, full), code, "{code} of {top}");
                    assert!(before < Some(sample));
                    before = Some(sample);
                }
                assert_eq!((sample_of(0, top, full), sample_of(top, top, full)), (0, full));
            }
        }
        assert_eq!((sample_of(1, 2, 255), sample_of(500, 1000, 65_535)), (128, 32_768));
    }
}
