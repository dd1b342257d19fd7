//! Which output rows of bytes with alpha need no weighing: those that are made of opaque pixels only, as most are.
//!
//! They go the quick way in whole numbers. Each output row is looked at by itself, so that neither threads nor strips show.

use super::axis::Axis;
use super::group::reach;
use super::rows::SourceRows;
use crate::frame::ViewMut;
use crate::pixel::{Channels, Gray};
use crate::simd::{Level, Work};

/// What is known of the rows.
pub(super) struct Opaque<'a> {
    level: Level,
    rows: &'a Axis,
    /// Positions that were looked at, in a ring as long as the kernel is high.
    seen: Vec<Option<(u32, bool)>>,
}

impl<'a> Opaque<'a> {
    /// Whether it is worth looking: at four channels, where no transparent constant is mixed in.
    pub(super) fn can_be(channels: Channels, constant: &[u8]) -> bool {
        channels.alpha && channels.count == 4 && constant.get(3).is_none_or(|alpha| *alpha == 255)
    }

    pub(super) fn new(level: Level, rows: &'a Axis) -> Opaque<'a> {
        Opaque { level, rows, seen: vec![None; rows.taps] }
    }

    /// A strip of output rows cut where rows that need no weighing begin or end, each part with its first output and whether
    /// it is such.
    pub(super) fn runs<'t>(
        &mut self,
        source: SourceRows<'_, Gray<u8>>,
        strip: ViewMut<'t, Gray<u8>>,
        first: usize,
    ) -> Vec<(ViewMut<'t, Gray<u8>>, usize, bool)> {
        let found: Vec<bool> =
            (first..first + strip.height() as usize).map(|output| self.is_opaque(source, output)).collect();
        let (mut runs, mut rest, mut at) = (Vec::new(), strip, first);
        for run in found.chunk_by(|a, b| a == b) {
            let (part, below) = rest.cut_rows(run.len() as u32);
            rest = below;
            runs.push((part, at, run[0]));
            at += run.len();
        }
        runs
    }

    /// Whether all pixels that an output row may be made of are opaque.
    fn is_opaque(&mut self, source: SourceRows<'_, Gray<u8>>, output: usize) -> bool {
        reach(self.rows, output..output + 1).all(|position| {
            let slot = position as usize % self.seen.len();
            match self.seen[slot] {
                Some((at, opaque)) if at == position => opaque,
                _ => {
                    let row = source.at(self.rows, position);
                    let opaque = all_opaque(self.level, row);
                    self.seen[slot] = Some((position, opaque));
                    opaque
                }
            }
        })
    }
}

/// Whether all pixels of a row of four channels are opaque.
pub(super) fn all_opaque(level: Level, row: &[u8]) -> bool {
    level.work(AllFull(row))
}

/// Whether every fourth byte is full.
struct AllFull<'a>(&'a [u8]);

impl Work for AllFull<'_> {
    type Out = bool;
    #[inline(always)]
    fn work(self) -> bool {
        // In blocks, so that a row is left soon after its first pixel that is not opaque.
        self.0.chunks(1024).all(|block| block.as_chunks::<4>().0.iter().fold(255, |all, [_, _, _, a]| all & a) == 255)
    }
}

#[cfg(test)]
mod tests {
    use crate::resample::{Area, Kernel, ResizeRules, resize_area};
    use crate::{Frame, Rgb, Rgba, Size};

    /// Opaque above, half clear from row 40 on.
    fn picture(alpha: u8) -> Frame<Rgba<u8>> {
        Frame::from_fn(Size::new(60, 80), |x, y| {
            let v = (x * 37 + y * 91) as u8;
            Rgba::new(v, v / 2, 255 - v, if y < 40 { 255 } else { alpha })
        })
        .unwrap()
    }

    #[test]
    fn rows_of_opaque_pixels_are_what_they_are_without_alpha() {
        let (clear, opaque) = (picture(128), picture(255));
        let plain = opaque.view().map(|p| Rgb::new(p.r, p.g, p.b)).unwrap();
        for to in [Size::new(17, 23), Size::new(150, 200), Size::new(90, 30), Size::new(25, 170)] {
            for kernel in [Kernel::Box, Kernel::CatmullRom, Kernel::Lanczos3] {
                let rules = ResizeRules::new(kernel.clone());
                let wanted = resize_area(plain.view(), Area::of(plain.size()), to, &rules).unwrap();
                let found = resize_area(opaque.view(), Area::of(plain.size()), to, &rules).unwrap();
                let same = |a: &Rgb<u8>, b: &Rgba<u8>| *b == Rgba::new(a.r, a.g, a.b, 255);
                assert!(wanted.pixels().iter().zip(found.pixels()).all(|(a, b)| same(a, b)), "{kernel} {to}");
                // A quarter of the rows lie far from those that are clear; the others are weighed.
                let mixed = resize_area(clear.view(), Area::of(plain.size()), to, &rules).unwrap();
                let quarter = (to.height / 4 * to.width) as usize;
                assert_eq!(mixed.pixels()[..quarter], found.pixels()[..quarter], "{kernel} {to}");
                assert!(mixed.pixels().last().is_some_and(|p| p.a == 128));
            }
        }
    }
}
