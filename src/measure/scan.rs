//! What the pixels of a picture use of what its form allows: collected strip by strip.

use crate::frame::{Content, Frame, Job, Planes, PlanesJob, View};
use crate::pixel::{Gray, Number, Stored, samples_of};

/// What the pixels use. Collected by [`add`](Scan::add), from nothing or from what was there before.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size, measure::Scan};
/// let frame = Frame::from_fn(Size::new(4, 4), |x, _| Rgb::splat(if x < 2 { 9u8 } else { 200 }))?;
/// let mut scan = Scan::default();
/// scan.add(&frame.into());
/// assert!(scan.is_two_valued() && scan.is_gray() == Some(true));
/// assert_eq!(scan.used[0], (9.0, 200.0));
/// # use rahmen::Pixel;
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Scan {
    /// The least and the greatest number of each channel, NaN left out; both NaN where there is none.
    pub used: Vec<(f64, f64)>,
    /// Numbers that are not a number.
    pub nan: u64,
    /// Pixels seen.
    pub pixels: u64,
    /// The first three different pixels.
    different: Vec<Vec<f64>>,
    /// Whether some pixel had colour, in pixels that can; whether some alpha was not full, where there is one.
    colored: Option<bool>,
    translucent: Option<bool>,
}

impl Scan {
    /// Looks at the pixels of a strip, all of one form. One pass.
    pub fn add(&mut self, content: &Content) {
        struct Look<'a>(&'a mut Scan);
        impl Job for Look<'_> {
            type Out = ();
            fn run<P: Stored>(self, view: View<'_, P>) {
                self.0.pixels(view);
            }
        }
        impl PlanesJob for Look<'_> {
            type Out = ();
            fn run<T: Number>(self, planes: &Planes<T>) {
                for (i, (_, plane)) in planes.iter().enumerate() {
                    self.0.plane(i, plane);
                }
                self.0.pixels += planes.size().pixels();
            }
        }
        match content {
            Content::Pixels(pixels) => pixels.visit(Look(self)),
            Content::Planes(planes) => planes.visit(Look(self)),
        }
    }

    /// Whether there are at most two different pixels. Of planes, which are not compared, never.
    pub fn is_two_valued(&self) -> bool {
        (1..=2).contains(&self.different.len())
    }

    /// Whether no pixel has a colour, though all could; `None` for pixels that could not, and for cmyk.
    pub fn is_gray(&self) -> Option<bool> {
        self.colored.map(|colored| !colored)
    }

    /// Whether alpha is full everywhere; `None` where there is no alpha.
    pub fn is_opaque(&self) -> Option<bool> {
        self.translucent.map(|translucent| !translucent)
    }

    fn range(&mut self, channel: usize) -> &mut (f64, f64) {
        if self.used.len() <= channel {
            self.used.resize(channel + 1, (f64::NAN, f64::NAN));
        }
        &mut self.used[channel]
    }

    fn plane<T: Number>(&mut self, channel: usize, plane: &Frame<Gray<T>>) {
        let mut nan = 0;
        let range = self.range(channel);
        for v in plane.numbers().iter().map(|v| v.to_f64()) {
            if v.is_nan() {
                nan += 1;
            } else {
                *range = (range.0.min(v), range.1.max(v));
            }
        }
        self.nan += nan;
    }

    fn pixels<P: Stored>(&mut self, view: View<'_, P>) {
        let full = <P::Number as crate::Sample>::FULL;
        let color = matches!(P::CHANNELS - usize::from(P::ALPHA), 3);
        if color {
            self.colored.get_or_insert(false);
        }
        if P::ALPHA {
            self.translucent.get_or_insert(false);
        }
        for channel in 0..P::CHANNELS {
            self.range(channel);
        }
        let mut last: Option<P> = None;
        for p in view.pixels() {
            // Runs of one pixel are passed over: nothing new is in them.
            if last == Some(p) {
                continue;
            }
            last = Some(p);
            self.pixel(samples_of(std::slice::from_ref(&p)), color, P::ALPHA.then_some(full));
        }
        self.pixels += view.size().pixels();
    }

    fn pixel<T: Number>(&mut self, numbers: &[T], color: bool, full: Option<T>) {
        for (channel, v) in numbers.iter().map(|v| v.to_f64()).enumerate() {
            let range = &mut self.used[channel];
            if v.is_nan() {
                self.nan += 1;
            } else {
                *range = (range.0.min(v), range.1.max(v));
            }
        }
        if color && (numbers[0] != numbers[1] || numbers[1] != numbers[2]) {
            self.colored = Some(true);
        }
        if full.is_some_and(|full| numbers.last() != Some(&full)) {
            self.translucent = Some(true);
        }
        if self.different.len() < 3 {
            let new = || numbers.iter().map(|v| v.to_f64());
            if !self.different.iter().any(|d| d.iter().copied().eq(new())) {
                self.different.push(new().collect());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;
    use crate::pixel::{GrayAlpha, Rgb, Rgba};

    fn scan(content: impl Into<Content>) -> Scan {
        let mut scan = Scan::default();
        scan.add(&content.into());
        scan
    }

    #[test]
    fn what_is_used_is_told_strip_by_strip_and_as_a_whole() {
        let frame = Frame::from_fn(Size::new(5, 6), |x, y| Rgb::new(x as u16, 10 + y as u16, 9)).unwrap();
        let whole = scan(frame.clone());
        assert_eq!(whole.used, [(0.0, 4.0), (10.0, 15.0), (9.0, 9.0)]);
        assert_eq!(
            (whole.is_two_valued(), whole.is_gray(), whole.is_opaque(), whole.pixels),
            (false, Some(false), None, 30)
        );
        let mut parts = Scan::default();
        for y in 0..6 {
            let row = frame.region(frame.size().region().rows(y..y + 1).unwrap()).unwrap().to_frame();
            parts.add(&row.into());
        }
        assert_eq!(parts, whole);
    }

    #[test]
    fn gray_colour_opaque_alpha_and_two_values_are_seen() {
        let size = Size::new(4, 1);
        let gray = Frame::from_fn(size, |x, _| Rgba::new(x as u8, x as u8, x as u8, 255)).unwrap();
        let s = scan(gray);
        assert_eq!((s.is_gray(), s.is_opaque(), s.is_two_valued()), (Some(true), Some(true), false));
        let two = Frame::from_fn(size, |x, _| GrayAlpha::new(7.0f32, if x == 2 { 0.5 } else { 1.0 })).unwrap();
        let s = scan(two);
        assert_eq!((s.is_gray(), s.is_opaque(), s.is_two_valued()), (None, Some(false), true));
        let nan = Frame::<Gray<f32>>::from_numbers(Size::new(2, 1), vec![f32::NAN, f32::NAN]).unwrap();
        let s = scan(nan);
        assert!(s.used[0].0.is_nan() && s.nan > 0);
        assert!(!scan(Frame::<Gray<u8>>::new(Size::new(0, 0)).unwrap()).is_two_valued());
        let planes = Planes::new(size).with("z", Frame::filled(size, Gray::new(-3i32)).unwrap()).unwrap();
        assert_eq!(scan(Content::Planes(planes.into())).used, [(-3.0, -3.0)]);
    }
}
