//! Floats by bytes, from a table, and bytes by floats along a curve.
//!
//! Registers of 512 bits hold a table of 256 floats as a whole, and the polynomials that a curve is made of; elsewhere entries are looked up one
//! at a time, as gathering registers were measured to be slower. Not here: what tables and curves stand for.

#[cfg(target_arch = "x86_64")]
use super::Set;
use super::{Level, arrays};

/// Numbers of a run.
pub(crate) const RUN: usize = 128;

/// The entries of bytes. One pass.
pub(crate) fn entries(level: Level, table: &[f32; 256], bytes: &[u8], to: &mut [f32]) {
    let count = bytes.len().min(to.len());
    let (bytes, to) = (&bytes[..count], &mut to[..count]);
    let done = match level.0 {
        #[cfg(target_arch = "x86_64")]
        Set::Avx512 => {
            // SAFETY: a level of this kind exists only where its sets were seen on this machine.
            unsafe { x86::entries(table, bytes.as_chunks().0, to.as_chunks_mut().0) };
            count - count % 16
        }
        _ => 0,
    };
    for i in done..count {
        to[i] = table[usize::from(bytes[i])];
    }
}

/// A curve from numbers to heights from 0 to 255, of which the nearest whole one is a code: by polynomials of half an octave each.
#[derive(Debug, Clone)]
pub(crate) struct Ladder {
    /// By the [`place`](Ladder::place) of a number, the factors of the powers of its fraction.
    powers: [[f32; 32]; 5],
    /// By the place, how steep the curve is at most.
    slopes: [f32; 32],
    /// By the place, how far from its code a height may be for the code to be sure.
    sure: [f32; 32],
}

impl Ladder {
    /// Half an octave that ends where the 32 places end: at 1.5. All that is less is in the first.
    const FIRST: u32 = (1f32.to_bits() >> 22) - 31;

    /// Of a curve that rises from 0 at 0 to 255 at 1; `steps` are the numbers where it is 1/2, 3/2 and so on. `None` where polynomials do not
    /// follow it.
    pub(crate) fn new(steps: &[f64], height: &dyn Fn(f64) -> f64) -> Option<Ladder> {
        let mut ladder = Ladder { powers: [[0.0; 32]; 5], slopes: [0.0; 32], sure: [0.5; 32] };
        let mut off = [0f64; 32];
        for place in 1..31 {
            let (start, end) = Ladder::range(place);
            let one = f64::from(f32::from_bits(start.to_bits() & 0xff80_0000));
            let factors = quartic((f64::from(start) / one, f64::from(end) / one), &|fraction| height(fraction * one));
            for (powers, factor) in ladder.powers.iter_mut().zip(factors) {
                powers[place] = factor as f32;
            }
            // Between the five numbers where it meets the curve, and a little beyond both ends for how steep it may be.
            const POINTS: u32 = 24;
            let wide = f64::from(end - start) / f64::from(POINTS);
            let (mut before, mut steepest) = (height(f64::from(start) - wide), 0f64);
            for i in 0..=POINTS + 1 {
                let number = f64::from(start) + f64::from(i) * wide;
                let wanted = height(number);
                (before, steepest) = (wanted, steepest.max((wanted - before) / wide));
                if i < POINTS {
                    ladder.is_off(number as f32, height((number as f32).into()), &mut off)?;
                }
            }
            ladder.slopes[place] = (1.1 * steepest) as f32;
        }
        // What decides: that the steps are met, between which heights rise.
        for (k, step) in steps.iter().enumerate() {
            ladder.is_off(*step as f32, k as f64 + 0.5, &mut off)?;
        }
        // From 1 on all have the last code; and in the first place the first, or a tie, where there are others.
        let least = *steps.first()? as f32;
        ladder.powers[0][31] = 255.0;
        ladder.powers[0][0] = if least > 1.01 * Ladder::range(0).1 { 0.0 } else { 0.5 };
        for (sure, off) in ladder.sure[1..31].iter_mut().zip(&off[1..31]) {
            // What lies between, and roundings.
            *sure = (0.5 - 1.5 * off - 1e-4) as f32;
        }
        let ends = (height(0.0), height(1.0));
        (ends.0.abs() < 0.1 && (ends.1 - 255.0).abs() < 0.1).then_some(ladder)
    }

    /// Notes how far from what it should be the height of a number is, by its place; `None` where that is too far, or no number.
    fn is_off(&self, number: f32, wanted: f64, off: &mut [f64; 32]) -> Option<()> {
        let place = Ladder::place(number);
        if (1..31).contains(&place) {
            let found = (f64::from(self.height(number)) - wanted).abs();
            if found.is_nan() || found > MOST_OFF {
                return None;
            }
            off[place] = off[place].max(found);
        }
        Some(())
    }

    /// Which place a number from 0 is in.
    fn place(number: f32) -> usize {
        ((number.to_bits() >> 22).saturating_sub(Ladder::FIRST) as usize).min(31)
    }

    /// Where a place begins and ends.
    fn range(place: usize) -> (f32, f32) {
        let at = |place: usize| f32::from_bits((Ladder::FIRST + place as u32) << 22);
        (if place == 0 { 0.0 } else { at(place) }, at(place + 1))
    }

    /// How high a number from 0 to 1 is, about.
    fn height(&self, number: f32) -> f32 {
        let fraction = f32::from_bits(number.to_bits() & 0x007f_ffff | 1f32.to_bits());
        let [a, b, c, d, e] = arrays::map(self.powers, |of| of[Ladder::place(number)]);
        (((e * fraction + d) * fraction + c) * fraction + b) * fraction + a
    }

    /// The codes of a run of numbers that are off by their bounds at most, NaN that of 0; and a bit for each that might have another one. `None`
    /// where the machine has no registers that hold a table.
    pub(crate) fn codes(
        &self,
        level: Level,
        numbers: &[f32; RUN],
        bounds: &[f32; RUN],
        to: &mut [u8; RUN],
    ) -> Option<u128> {
        match level.0 {
            #[cfg(target_arch = "x86_64")]
            // SAFETY: a level of this kind exists only where its sets were seen on this machine.
            Set::Avx512 => Some(unsafe { x86::codes(self, numbers, bounds, to) }),
            _ => {
                let _ = (numbers, bounds, to);
                None
            }
        }
    }
}

/// How far a polynomial may be from its curve, in codes.
const MOST_OFF: f64 = 0.02;

/// The polynomial that meets a function in five numbers of a range, those where Chebyshev's of the fifth degree is 0, as factors of the powers.
fn quartic((start, end): (f64, f64), of: &dyn Fn(f64) -> f64) -> [f64; 5] {
    let mut at = [0.0; 5];
    let mut divided = [0.0; 5];
    for i in 0..5 {
        let turn = (2.0 * i as f64 + 1.0) * std::f64::consts::PI / 10.0;
        at[i] = (start + end) / 2.0 + (end - start) / 2.0 * turn.cos();
        divided[i] = of(at[i]);
    }
    // Newton's form: divided differences.
    for order in 1..5 {
        for i in (order..5).rev() {
            divided[i] = (divided[i] - divided[i - 1]) / (at[i] - at[i - order]);
        }
    }
    // Multiplied out from the innermost bracket.
    let mut powers = [divided[4], 0.0, 0.0, 0.0, 0.0];
    for i in (0..4).rev() {
        for k in (1..5).rev() {
            powers[k] = powers[k - 1] - at[i] * powers[k];
        }
        powers[0] = divided[i] - at[i] * powers[0];
    }
    powers
}

#[cfg(target_arch = "x86_64")]
mod x86 {
    use super::{Ladder, RUN};
    use std::arch::x86_64::*;

    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    fn load(from: &[f32; 16]) -> __m512 {
        // SAFETY: sixteen floats are read from an array of sixteen; the load takes any alignment.
        unsafe { _mm512_loadu_ps(from.as_ptr()) }
    }

    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    fn table(from: &[f32; 256]) -> [__m512; 16] {
        let mut table = [_mm512_setzero_ps(); 16];
        for (part, from) in table.iter_mut().zip(from.as_chunks::<16>().0) {
            *part = load(from);
        }
        table
    }

    /// Entries by sixteen numbers below 256: two registers by the lower five bits, and of the eight pairs one by the upper three.
    #[inline]
    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    fn find(of: &[__m512; 16], at: __m512i) -> __m512 {
        let bit = |bit: i32| _mm512_test_epi32_mask(at, _mm512_set1_epi32(bit));
        let pair = |i: usize| _mm512_permutex2var_ps(of[i], at, of[i + 1]);
        let four = |i: usize| _mm512_mask_blend_ps(bit(32), pair(i), pair(i + 2));
        let eight = |i: usize| _mm512_mask_blend_ps(bit(64), four(i), four(i + 4));
        _mm512_mask_blend_ps(bit(128), eight(0), eight(8))
    }

    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    pub(super) fn entries(of: &[f32; 256], bytes: &[[u8; 16]], to: &mut [[f32; 16]]) {
        let of = table(of);
        for (bytes, to) in bytes.iter().zip(to) {
            // SAFETY: sixteen bytes are read from an array of sixteen; the load takes any alignment.
            let at = _mm512_cvtepu8_epi32(unsafe { _mm_loadu_si128(bytes.as_ptr().cast()) });
            // SAFETY: sixteen floats are written to an array of sixteen; the store takes any alignment.
            unsafe { _mm512_storeu_ps(to.as_mut_ptr(), find(&of, at)) };
        }
    }

    /// One of 32 entries each.
    #[inline]
    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    fn pick([low, high]: [__m512; 2], at: __m512i) -> __m512 {
        _mm512_permutex2var_ps(low, at, high)
    }

    #[inline]
    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    fn pair(from: &[f32; 32]) -> [__m512; 2] {
        match from.as_chunks::<16>().0 {
            [low, high] => [load(low), load(high)],
            _ => [_mm512_setzero_ps(); 2],
        }
    }

    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    pub(super) fn codes(ladder: &Ladder, numbers: &[f32; RUN], bounds: &[f32; RUN], to: &mut [u8; RUN]) -> u128 {
        let [a, b, c, d, e] = &ladder.powers;
        let (a, b, c, d, e) = (pair(a), pair(b), pair(c), pair(d), pair(e));
        let slopes = pair(&ladder.slopes);
        // Below 1.5, and so in the last place at most.
        let (none, most, sure) = (_mm512_setzero_ps(), _mm512_set1_ps(1.25), pair(&ladder.sure));
        let first = _mm512_set1_epi32(Ladder::FIRST as i32);
        let (fraction, one) = (_mm512_set1_epi32(0x007f_ffff), _mm512_castps_si512(_mm512_set1_ps(1.0)));
        let mut near = [0u16; RUN / 16];
        let (numbers, bounds, to) =
            (numbers.as_chunks::<16>().0, bounds.as_chunks::<16>().0, to.as_chunks_mut::<16>().0);
        for i in 0..RUN / 16 {
            let number = load(&numbers[i]);
            // Of a pair with NaN the second is taken.
            let bits = _mm512_castps_si512(_mm512_min_ps(_mm512_max_ps(number, none), most));
            let place = _mm512_sub_epi32(_mm512_max_epi32(_mm512_srli_epi32::<22>(bits), first), first);
            let m = _mm512_castsi512_ps(_mm512_or_si512(_mm512_and_si512(bits, fraction), one));
            let height = _mm512_fmadd_ps(pick(e, place), m, pick(d, place));
            let height = _mm512_fmadd_ps(height, m, pick(c, place));
            let height = _mm512_fmadd_ps(height, m, pick(b, place));
            let height = _mm512_fmadd_ps(height, m, pick(a, place));
            let code = _mm512_cvtps_epi32(height);
            // SAFETY: sixteen bytes are written to an array of sixteen; the store takes any alignment.
            unsafe { _mm_storeu_si128(to[i].as_mut_ptr().cast(), _mm512_cvtepi32_epi8(code)) };
            // Less its nearest whole number.
            let apart = _mm512_abs_ps(_mm512_reduce_ps::<0>(height));
            let sure = _mm512_fnmadd_ps(pick(slopes, place), load(&bounds[i]), pick(sure, place));
            let above = _mm512_cmp_ps_mask::<_CMP_GT_OQ>(number, none);
            near[i] = _mm512_mask_cmp_ps_mask::<_CMP_GE_OQ>(above, apart, sure);
        }
        let mut all = 0;
        for (i, near) in near.iter().enumerate() {
            all |= u128::from(*near) << (16 * i);
        }
        all
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Code k begins at ((k - 1/2) / 255)^2.
    fn squares() -> Vec<f64> {
        (0..255).map(|k| ((f64::from(k) + 0.5) / 255.0).powi(2)).collect()
    }

    fn root(number: f64) -> f64 {
        255.0 * number.sqrt()
    }

    #[test]
    fn a_polynomial_of_the_fourth_degree_is_met_everywhere() {
        let found = quartic((1.0, 1.5), &|x| 3.0 - 2.0 * x + 0.5 * x.powi(2) + 4.0 * x.powi(3) - x.powi(4));
        for (found, wanted) in found.into_iter().zip([3.0, -2.0, 0.5, 4.0, -1.0]) {
            assert!((found - wanted).abs() < 1e-9, "{found} {wanted}");
        }
    }

    #[test]
    fn what_polynomials_do_not_follow_is_no_ladder() {
        let even: Vec<f64> = (0..255).map(|k| (f64::from(k) + 0.5) / 255.0).collect();
        assert!(Ladder::new(&squares(), &root).is_some());
        assert!(Ladder::new(&even, &|number| 255.0 * number).is_some());
        // Of another height at its ends, steep in one place, with a corner, no number, or without steps.
        let (bright, dark) = ([0.3 + 0.5 / 25_500.0], [0.5 / 255.0]);
        assert!(Ladder::new(&even, &|number| 256.0 * number).is_none());
        assert!(Ladder::new(&bright, &|number| (number - 0.3).clamp(0.0, 0.01) * 25_500.0).is_none());
        assert!(Ladder::new(&dark, &|number| 255.0 * number.max(2.0 * number - 0.9).clamp(0.0, 1.0)).is_none());
        assert!(Ladder::new(&dark, &|number| if number < 1.0 { f64::NAN } else { 255.0 }).is_none());
        assert!(Ladder::new(&[], &|number| 255.0 * number).is_none());
        // One step that the polynomials pass by, as a table's may be between the numbers that are looked at.
        let mut bent = even;
        bent[200] += 0.03 / 255.0;
        assert!(Ladder::new(&bent, &|number| 255.0 * number).is_none());
    }

    #[test]
    fn every_byte_finds_its_entry() {
        let table: [f32; 256] = std::array::from_fn(|i| (i * i) as f32 - 7.0);
        let bytes: Vec<u8> = (0..=255).chain(17..70).collect();
        for level in Level::present() {
            for length in [0, 1, 15, 16, 17, 255, 256, 309] {
                let mut found = vec![-1.0; length];
                entries(level, &table, &bytes, &mut found);
                let wanted: Vec<f32> = bytes[..length].iter().map(|&v| table[usize::from(v)]).collect();
                assert_eq!(found, wanted, "{level:?} {length}");
            }
        }
    }

    #[test]
    fn places_are_half_octaves_up_to_one_and_a_half() {
        assert_eq!((Ladder::range(31), Ladder::range(30)), ((1.0, 1.5), (0.75, 1.0)));
        assert_eq!((Ladder::range(0), Ladder::range(1).0), ((0.0, 1.0 / 32_768.0), 1.0 / 32_768.0));
        for place in 0..32 {
            let (start, end) = Ladder::range(place);
            assert_eq!([start, end.next_down()].map(Ladder::place), [place; 2]);
        }
    }

    #[test]
    fn numbers_become_the_nearest_codes_and_those_that_are_not_sure_are_told() {
        let ladder = Ladder::new(&squares(), &root).unwrap();
        let mut numbers = vec![1.0, 1.25, 9.0, f32::INFINITY, 0.999, 0.3, 0.0625, 0.02, 1e-9];
        for code in 1..256 {
            let rung = ((f64::from(code) - 0.5) / 255.0).powi(2) as f32;
            numbers.extend([rung * 0.999, rung.next_down(), rung, rung.next_up(), rung * 1.001]);
        }
        numbers.extend((0..100_000).map(|i| i as f32 / 99_000.0));
        numbers.resize(numbers.len().next_multiple_of(RUN), 0.5);
        for level in Level::present() {
            let mut sure = 0;
            for numbers in numbers.as_chunks::<RUN>().0 {
                for share in [0.0, 1e-6, 1e-4] {
                    let (bounds, mut found) = (numbers.map(|v| v * share), [0; RUN]);
                    let Some(near) = ladder.codes(level, numbers, &bounds, &mut found) else { continue };
                    for (i, (number, found)) in numbers.iter().zip(found).enumerate() {
                        if near >> i & 1 == 1 {
                            continue;
                        }
                        sure += 1;
                        for off in [-share, 0.0, share] {
                            let exact = root(f64::from(*number) * f64::from(1.0 + off));
                            assert_eq!(f64::from(found), exact.min(255.0).round(), "{level:?} {number} {share}");
                        }
                    }
                }
            }
            assert!(sure == 0 || sure > numbers.len() * 29 / 10, "{sure}");
        }
    }

    #[test]
    fn what_is_no_number_and_what_lies_below_become_nothing() {
        let ladder = Ladder::new(&squares(), &root).unwrap();
        let mut numbers = [-1.0; RUN];
        (numbers[1], numbers[2], numbers[3]) = (f32::NAN, 0.0, f32::NEG_INFINITY);
        for level in Level::present() {
            let mut found = [9; RUN];
            if let Some(near) = ladder.codes(level, &numbers, &[0.0; RUN], &mut found) {
                assert_eq!((found, near), ([0; RUN], 0), "{level:?}");
            }
        }
    }
}
