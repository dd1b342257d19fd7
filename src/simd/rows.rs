//! Bodies over rows, compiled once more for wider registers.
//!
//! [`Level::run`] takes a body that captures its slices. This form passes them as arguments: slices that come as arguments
//! are known not to overlap, and without that knowledge rows of odd-sized pixels do not vectorise.

use super::Level;
#[cfg(target_arch = "x86_64")]
use super::Set;

impl Level {
    /// A body over a row to read and a row to write.
    #[inline(always)]
    pub(crate) fn row<A, B>(self, from: &[A], to: &mut [B], body: impl FnOnce(&[A], &mut [B])) {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<A, B>(from: &[A], to: &mut [B], body: impl FnOnce(&[A], &mut [B])) {
                body(from, to);
            }
            #[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
            fn avx512<A, B>(from: &[A], to: &mut [B], body: impl FnOnce(&[A], &mut [B])) {
                body(from, to);
            }
            match self.0 {
                Set::Plain => body(from, to),
                // SAFETY: a level of this kind exists only where its sets were seen on this machine.
                Set::Avx2 => unsafe { avx2(from, to, body) },
                // SAFETY: as above.
                Set::Avx512 => unsafe { avx512(from, to, body) },
            }
        }
        #[cfg(not(target_arch = "x86_64"))]
        body(from, to);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_level_gives_the_body_its_rows() {
        for level in Level::present() {
            let mut to = [0u8; 4];
            level.row(&[1u16, 2, 3, 4], &mut to, |from, to| {
                to.iter_mut().zip(from).for_each(|(to, v)| *to = *v as u8 * 2);
            });
            assert_eq!(to, [2, 4, 6, 8], "{level:?}");
        }
    }
}
