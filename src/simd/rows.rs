//! Bodies over rows, compiled once more for wider registers.
//!
//! [`Level::run`] takes a body that captures its slices. These forms pass them as arguments: slices that come as arguments
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

    /// A body over a row to read and four rows to write; where fewer are needed the others may be empty.
    #[inline(always)]
    pub(crate) fn fan_out<T>(
        self,
        from: &[T],
        [a, b, c, d]: [&mut [T]; 4],
        body: impl FnOnce(&[T], &mut [T], &mut [T], &mut [T], &mut [T]),
    ) {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<T>(
                from: &[T],
                a: &mut [T],
                b: &mut [T],
                c: &mut [T],
                d: &mut [T],
                body: impl FnOnce(&[T], &mut [T], &mut [T], &mut [T], &mut [T]),
            ) {
                body(from, a, b, c, d);
            }
            if self.0 != Set::Plain {
                // SAFETY: every level but the plain one exists only where AVX2 and FMA were seen on this machine.
                return unsafe { avx2(from, a, b, c, d, body) };
            }
        }
        body(from, a, b, c, d);
    }

    /// A body over four rows to read and a row to write; where fewer are needed the others may be empty.
    #[inline(always)]
    pub(crate) fn fan_in<T>(
        self,
        [a, b, c, d]: [&[T]; 4],
        to: &mut [T],
        body: impl FnOnce(&[T], &[T], &[T], &[T], &mut [T]),
    ) {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<T>(
                a: &[T],
                b: &[T],
                c: &[T],
                d: &[T],
                to: &mut [T],
                body: impl FnOnce(&[T], &[T], &[T], &[T], &mut [T]),
            ) {
                body(a, b, c, d, to);
            }
            if self.0 != Set::Plain {
                // SAFETY: every level but the plain one exists only where AVX2 and FMA were seen on this machine.
                return unsafe { avx2(a, b, c, d, to, body) };
            }
        }
        body(a, b, c, d, to);
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
            let (mut a, mut b) = ([0u8; 2], [0u8; 2]);
            level.fan_out(&[1, 2, 3, 4], [&mut a, &mut b, &mut [], &mut []], |from, a, b, c, d| {
                assert!(c.is_empty() && d.is_empty());
                a.copy_from_slice(&from[..2]);
                b.copy_from_slice(&from[2..]);
            });
            assert_eq!((a, b), ([1, 2], [3, 4]));
            level.fan_in([&a, &b, &[], &[]], &mut to, |a, b, _, _, to| to.copy_from_slice(&[a[0], b[0], a[1], b[1]]));
            assert_eq!(to, [1, 3, 2, 4]);
        }
    }
}
