//! The way back from codes of full range, as many colour differences as lumas, in whole numbers: luma is one itself, so that what colour
//! differences add to it is rounded alone, and there are few enough of them to know that every one is rounded right.
//!
//! Not here: other ranges, and differences between codes ([`sums`](super::sums)).

use super::Rows;
use crate::color::ycbcr::rows::ToRgb;
use crate::color::ycbcr::{YcbcrRange, YcbcrRules};
use crate::convert::swizzle;
use crate::simd::{Level, Work};

/// Bits behind the point of what colour differences add.
const BITS: u32 = 23;

/// A half, which a shift that drops those bits then rounds by, and more than products are short of a tie by: with 47 (blue of BT.601) to 115
/// (green of BT.2020) more, all 65,536 pairs of differences are rounded right, by the weights of each of the three recommendations.
const HALF: i32 = (1 << (BITS - 1)) + 60;

/// What green's two shares are less than the nearest: sums of two rounded shares of BT.2020 would be on the wrong side of a tie for some pairs,
/// whatever is added.
const GREEN_LESS: i32 = 3;

/// What a step of Cr adds to red, of Cb and Cr to green, of Cb to blue.
pub(super) struct WholeBack {
    red: i32,
    green: (i32, i32),
    blue: i32,
}

impl WholeBack {
    /// `None` where luma is no whole number: of limited range.
    pub(super) fn new(rules: &YcbcrRules, back: &ToRgb) -> Option<WholeBack> {
        let step = |share: f64| (share * f64::from(1u32 << BITS)).round() as i32;
        let (red, green, blue) = back.shares;
        let of = WholeBack {
            red: step(red),
            green: (step(green.0) - GREEN_LESS, step(green.1) - GREEN_LESS),
            blue: step(blue),
        };
        (rules.range == YcbcrRange::Full).then_some(of)
    }

    /// Bytes of red, green and blue of a row.
    pub(super) fn run(&self, level: Level, [y, cb, cr]: [&[u8]; 3], rows: &mut Rows<u8>, to: &mut [u8]) {
        let width = rows.width;
        let [r, g, b] = &mut rows.lanes;
        let (r, g, b) = (&mut r[..width], &mut g[..width], &mut b[..width]);
        level.work(Bytes { back: self, from: [y, cb, cr], to: [&mut *r, &mut *g, &mut *b] });
        swizzle::interleave([r, g, b, &[]], to);
    }
}

struct Bytes<'a> {
    back: &'a WholeBack,
    from: [&'a [u8]; 3],
    to: [&'a mut [u8]; 3],
}

impl Work for Bytes<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Bytes { back: &WholeBack { red, green, blue }, from: [y, cb, cr], to: [to_r, to_g, to_b] } = self;
        let count = y.len();
        let (cb, cr) = (&cb[..count], &cr[..count]);
        let (to_r, to_g, to_b) = (&mut to_r[..count], &mut to_g[..count], &mut to_b[..count]);
        for i in 0..count {
            let (luma, b, r) = (i32::from(y[i]), i32::from(cb[i]) - 128, i32::from(cr[i]) - 128);
            to_r[i] = (luma + ((red * r + HALF) >> BITS)).clamp(0, 255) as u8;
            to_g[i] = (luma + ((green.0 * b + green.1 * r + HALF) >> BITS)).clamp(0, 255) as u8;
            to_b[i] = (luma + ((blue * b + HALF) >> BITS)).clamp(0, 255) as u8;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::color::ycbcr::LumaWeights;

    #[test]
    fn every_pair_of_differences_is_rounded_right() {
        // In whole numbers: the weights are so many thousandths or ten-thousandths; what is added is a fraction over that of green.
        let all = [
            (LumaWeights::Bt601, [299i128, 587, 114], 1000),
            (LumaWeights::Bt709, [2126, 7152, 722], 10_000),
            (LumaWeights::Bt2020, [2627, 6780, 593], 10_000),
        ];
        for (weights, [r, g, b], one) in all {
            let rules = YcbcrRules::new(8).weights(weights).range(YcbcrRange::Full);
            let back = WholeBack::new(&rules, &ToRgb::new(&rules, 255.0)).unwrap();
            // The nearest whole number to n / d, a tie up.
            let nearest = |n: i128, d: i128| (2 * n + d).div_euclid(2 * d);
            let mut lanes = Rows::<u8>::new(256);
            let cb: Vec<u8> = (0..=255).collect();
            for cr in 0..=255u8 {
                for luma in [0u8, 100, 255] {
                    let (y, crs) = (vec![luma; 256], vec![cr; 256]);
                    for level in Level::present() {
                        let mut rgb = vec![0; 768];
                        back.run(level, [&y, &cb, &crs], &mut lanes, &mut rgb);
                        for (pixel, cb) in rgb.chunks(3).zip(&cb) {
                            let (cb, cr) = (i128::from(*cb) - 128, i128::from(cr) - 128);
                            let red = nearest(2 * (one - r) * cr, one);
                            let blue = nearest(2 * (one - b) * cb, one);
                            let green = nearest(-2 * (b * (one - b) * cb + r * (one - r) * cr), g * one);
                            let want = [red, green, blue].map(|add| (i128::from(luma) + add).clamp(0, 255) as u8);
                            assert_eq!(pixel, want, "{weights:?} {luma} {cb} {cr}");
                        }
                    }
                }
            }
        }
    }
}
