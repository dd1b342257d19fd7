//! What the pixels of a picture use of what its form allows: collected strip by strip.

use crate::frame::{AnyNumbers, Content};
use crate::pixel::NumberKind;

/// Levels and properties that the pixels use, gathered by [`add`](Scan::add).
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
#[non_exhaustive]
pub struct Scan {
    /// The least and the greatest number of each channel, NaN left out; both NaN where there is none.
    pub used: Vec<(f64, f64)>,
    /// Number of NaN values.
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
        let views = content.views();
        match content {
            Content::Pixels(_) => views.iter().for_each(|view| self.view(view)),
            Content::Planes(_) => views.iter().enumerate().for_each(|(i, plane)| self.plane(i, plane)),
        }
        self.pixels += content.size().pixels();
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

    fn plane(&mut self, channel: usize, plane: &AnyNumbers<'_>) {
        let (mut nan, mut row) = (0, Vec::new());
        let range = self.range(channel);
        for y in 0..plane.size().height {
            plane.row(y).gather(0, 1, &mut row);
            for &v in &row {
                if v.is_nan() {
                    nan += 1;
                } else {
                    *range = (range.0.min(v), range.1.max(v));
                }
            }
        }
        self.nan += nan;
    }

    fn view(&mut self, view: &AnyNumbers<'_>) {
        let channels = view.channels();
        let full = match view.kind() {
            NumberKind::U8 => 255.0,
            NumberKind::U16 => 65_535.0,
            _ => 1.0,
        };
        let color = channels.colors() == 3;
        if color {
            self.colored.get_or_insert(false);
        }
        if channels.alpha {
            self.translucent.get_or_insert(false);
        }
        for channel in 0..channels.count {
            self.range(channel);
        }
        let (mut row, mut last) = (Vec::new(), Vec::new());
        for y in 0..view.size().height {
            view.row(y).gather(0, 1, &mut row);
            for pixel in row.chunks_exact(channels.count) {
                // Runs of one pixel are passed over: nothing new is in them.
                if last != pixel {
                    last.clear();
                    last.extend_from_slice(pixel);
                    self.pixel(pixel, color, channels.alpha.then_some(full));
                }
            }
        }
    }

    fn pixel(&mut self, numbers: &[f64], color: bool, full: Option<f64>) {
        for (channel, &v) in numbers.iter().enumerate() {
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
        if self.different.len() < 3 && !self.different.iter().any(|d| d == numbers) {
            self.different.push(numbers.to_vec());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Planes, Size};
    use crate::pixel::{Gray, GrayAlpha, Rgb, Rgba};

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
        let nan = Frame::<Gray<f32>>::from_samples(Size::new(2, 1), vec![f32::NAN, f32::NAN]).unwrap();
        let s = scan(nan);
        assert!(s.used[0].0.is_nan() && s.nan > 0);
        assert!(!scan(Frame::<Gray<u8>>::new(Size::new(0, 0)).unwrap()).is_two_valued());
        let planes = Planes::new(size).with("z", Frame::filled(size, Gray::new(-3i32)).unwrap()).unwrap();
        assert_eq!(scan(Content::Planes(planes.into())).used, [(-3.0, -3.0)]);
    }
}
