//! What a viewer of an animation shows: frames drawn one over the other (11.3.6.2 of the third edition).
// Places within a canvas whose size is checked; sums of products of two samples in 64 bits.
#![allow(clippy::arithmetic_side_effects)]

use super::frames::{Control, Disposal};
use crate::error::Result;
use crate::file::bounds::Bounds;
use crate::frame::{Content, PixelFormat, Pixels, Region, SamplesMut, SamplesRef, Size};
use crate::pixel::{Depth, Layout};

/// The canvas, of the file's depth, with alpha where something may be seen through it.
pub(super) struct Canvas {
    pub(super) pixels: Pixels,
    before_next: Option<(Control, Option<Pixels>)>,
}

/// A sample of a file.
trait Code: Copy + PartialEq {
    const FULL: u64;
    const NONE: Self;
    fn wide(self) -> u64;
    fn narrow(value: u64) -> Self;
}

impl Code for u8 {
    const FULL: u64 = 255;
    const NONE: u8 = 0;
    fn wide(self) -> u64 {
        self.into()
    }
    fn narrow(value: u64) -> u8 {
        value.min(255) as u8
    }
}

impl Code for u16 {
    const FULL: u64 = 65_535;
    const NONE: u16 = 0;
    fn wide(self) -> u64 {
        self.into()
    }
    fn narrow(value: u64) -> u16 {
        value.min(65_535) as u16
    }
}

impl Canvas {
    /// A blank canvas: transparent black.
    pub(super) fn new(size: Size, layout: Layout, depth: Depth, bounds: &Bounds) -> Result<Canvas> {
        let bytes = PixelFormat::Pixels { depth, layout }.bytes(size);
        bounds.check_memory("the canvas of the frames, which is held whole,", bytes)?;
        Ok(Canvas { pixels: Pixels::zeros(size, layout, depth, bounds.account())?, before_next: None })
    }

    /// Does what the last frame asks for.
    pub(super) fn dispose(&mut self) {
        let Some((control, kept)) = self.before_next.take() else { return };
        let channels = self.pixels.layout().channels();
        for y in 0..control.size.height {
            let from = kept.as_ref().map(|kept| kept.row(y));
            match (self.pixels.row_mut(control.y + y), from) {
                (SamplesMut::U8(row), Some(SamplesRef::U8(from))) => put(part(row, &control, channels), from),
                (SamplesMut::U16(row), Some(SamplesRef::U16(from))) => put(part(row, &control, channels), from),
                (SamplesMut::U8(row), _) => part(row, &control, channels).fill(0),
                (SamplesMut::U16(row), _) => part(row, &control, channels).fill(0),
                (SamplesMut::F32(_), _) => {}
            }
        }
    }

    /// Draws the first `rows` rows of a frame.
    pub(super) fn draw(&mut self, control: &Control, frame: &Pixels, rows: u32, is_first: bool) -> Result<()> {
        match control.disposal {
            Disposal::Keep => {}
            // There is nothing before the first frame.
            Disposal::Restore if !is_first => {
                let right = control.x + control.size.width;
                let region = Region::new(control.x..right, control.y..control.y + control.size.height)?;
                self.before_next = Some((*control, Some(self.pixels.crop(region)?)));
            }
            Disposal::Clear | Disposal::Restore => self.before_next = Some((*control, None)),
        }
        let (from, to) = (frame.layout().channels(), self.pixels.layout().channels());
        let alpha = frame.layout().has_alpha();
        for y in 0..rows.min(control.size.height) {
            match (self.pixels.row_mut(control.y + y), frame.row(y)) {
                (SamplesMut::U8(row), SamplesRef::U8(frame)) => {
                    lay(part(row, control, to), frame, (from, to), control.over && alpha);
                }
                (SamplesMut::U16(row), SamplesRef::U16(frame)) => {
                    lay(part(row, control, to), frame, (from, to), control.over && alpha);
                }
                _ => {}
            }
        }
        Ok(())
    }
}

/// The part of a row of the canvas that a frame covers.
fn part<'a, S>(row: &'a mut [S], control: &Control, channels: usize) -> &'a mut [S] {
    let start = control.x as usize * channels;
    row.get_mut(start..start + control.size.width as usize * channels).unwrap_or_default()
}

fn put<S: Copy>(to: &mut [S], from: &[S]) {
    to.iter_mut().zip(from).for_each(|(to, v)| *to = *v);
}

/// A row of a frame onto the canvas, which may have alpha where the frame has none.
fn lay<S: Code>(canvas: &mut [S], frame: &[S], (from, to): (usize, usize), over: bool) {
    for (below, above) in canvas.chunks_exact_mut(to.max(1)).zip(frame.chunks_exact(from.max(1))) {
        if !over {
            put(below, above);
            if from < to
                && let Some(alpha) = below.last_mut()
            {
                *alpha = S::narrow(S::FULL);
            }
            continue;
        }
        blend(below, above);
    }
}

/// A pixel with straight alpha over another one: by alpha a over b, the sum has a + b (1 - a), and its colour is the mean weighted by
/// these two shares; rounded to nearest.
fn blend<S: Code>(below: &mut [S], above: &[S]) {
    let (Some((alpha_below, colors_below)), Some((alpha, colors))) = (below.split_last_mut(), above.split_last())
    else {
        return;
    };
    let a = alpha.wide() * S::FULL;
    let b = alpha_below.wide() * (S::FULL - alpha.wide());
    let sum = a + b;
    if sum == 0 {
        colors_below.fill(S::NONE);
        *alpha_below = S::NONE;
        return;
    }
    for (below, above) in colors_below.iter_mut().zip(colors) {
        *below = S::narrow((above.wide() * a + below.wide() * b + sum / 2).checked_div(sum).unwrap_or(0));
    }
    *alpha_below = S::narrow((sum + S::FULL / 2).checked_div(S::FULL).unwrap_or(0));
}

/// Room for a frame by itself.
pub(super) fn room(size: Size, layout: Layout, depth: Depth, bounds: &Bounds) -> Result<Content> {
    let bytes = PixelFormat::Pixels { depth, layout }.bytes(size);
    bounds.check_memory("a frame, which is held whole,", bytes)?;
    Ok(Content::Pixels(Pixels::zeros(size, layout, depth, bounds.account())?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn over_is_worked_by_hand() {
        // Half of 200 over opaque 100: (200 * 128 + 100 * 127) / 255.
        let mut below = [100u8, 255];
        blend(&mut below, &[200, 128]);
        assert_eq!(below, [150, 255]);
        // Over nothing it is itself; nothing over something leaves it.
        let mut below = [77u8, 0];
        blend(&mut below, &[200, 128]);
        assert_eq!(below, [200, 128]);
        blend(&mut below, &[9, 0]);
        assert_eq!(below, [200, 128]);
        let mut none = [5u16, 0];
        blend(&mut none, &[9, 0]);
        assert_eq!(none, [0, 0]);
        // a = 1/3, b = 1/3: alpha 1/3 + 2/9 = 5/9; the colour (3/9 * 60000 + 2/9 * 0) / (5/9).
        let mut below = [0u16, 21_845];
        blend(&mut below, &[60_000, 21_845]);
        assert_eq!(below, [36_000, 36_408]);
    }
}
