//! Any content as a small picture of 8-bit colours, fit to be looked at.

use crate::{Result, screen};
use rahmen::convert::depth::Window;
use rahmen::flow::{ToDepth, apply};
use rahmen::frame::Pixels;
use rahmen::resample::{Kernel, ResizeRules};
use rahmen::{Content, Depth, Frame, Layout, Metadata, Picture, PixelFormat, Rgb, Rgba, Size, Threads, Transfer};
use std::sync::Arc;

/// Rules of showing a picture.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct Look {
    /// Window: which values become black and white (default: bytes as they are, other numbers by their minimum and maximum).
    pub window: Option<Window>,
    /// Whether the numbers are linear light, which is encoded to be seen.
    pub linear: bool,
    /// What the picture states of its colours, where that is not sRGB: they are taken to it.
    pub(crate) space: Option<Arc<Metadata>>,
}

impl Look {
    /// How a picture of these metadata is shown.
    pub fn of(metadata: &Metadata) -> Look {
        Look { window: None, linear: metadata.is_linear(), space: screen::stated(metadata).map(Arc::new) }
    }

    /// Sets the window; none is the default's.
    pub fn window(self, window: impl Into<Option<Window>>) -> Look {
        Look { window: window.into(), ..self }
    }
}

/// What the window of a look is: the one that was asked for, none for bytes, the least and greatest finite number of all
/// others. One pass.
pub fn look_window(content: &Content, look: &Look) -> Option<Window> {
    if look.window.is_some() || matches!(content.pixel_format(), PixelFormat::Pixels { depth: Depth::U8, .. }) {
        return look.window;
    }
    let colors = match content.pixel_format() {
        PixelFormat::Pixels { layout, .. } => layout.without_alpha().channels(),
        PixelFormat::Planes { names, .. } => names.len(),
    };
    let mut scan = rahmen::measure::Scan::default();
    scan.add(content);
    let used = scan.used.iter().take(colors).filter(|u| u.0.is_finite() && u.1.is_finite());
    let (low, high) = used.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), u| (a.min(u.0), b.max(u.1)));
    match low < high {
        true => Window::new(low, high).ok(),
        // One value: in the middle.
        false => Window::new(low - 1.0, low + 1.0).ok(),
    }
}

/// The picture in this size, with colours of 8 bits; where there is alpha, on a checkered ground of squares of `square`
/// pixels. Shrunk by cover, enlarged by nearest.
pub(crate) fn render(content: &Content, size: Size, look: &Look, square: u32) -> Result<Frame<Rgb<u8>>> {
    let window = look_window(content, look);
    let whole = content.size();
    let enlarged = size.width >= whole.width && size.height >= whole.height;
    let rules = ResizeRules::new(if enlarged { Kernel::Nearest } else { Kernel::Box });
    let layout = match content.pixel_format() {
        PixelFormat::Pixels { layout, .. } => layout,
        PixelFormat::Planes { .. } => Layout::Cmyk,
    };
    let small: Pixels = match content {
        // Nothing changes but the size and the layout: the size first, so that no whole copy is made.
        Content::Pixels(p)
            if p.depth() == Depth::U8 && p.layout() != Layout::Cmyk && window.is_none() && !look.linear =>
        {
            // Finer than it is shown where it is still to be taken to another space.
            let small = p.resize(size, &rules)?.color()?;
            if look.space.is_some() { small.to_depth(Depth::U16, None, Threads::ALL)? } else { small }
        }
        _ => {
            let pixels = match look.linear {
                true => encoded(content, window)?,
                false => {
                    let depth = if look.space.is_some() { Depth::U16 } else { Depth::U8 };
                    content.to_pixels(depth, window, Threads::ALL)?
                }
            };
            let color = pixels.color()?;
            if whole == size { color } else { color.resize(size, &rules)? }
        }
    };
    let small = screen::on_screen(small, layout, look.space.as_deref(), look.linear);
    let small = if small.depth() == Depth::U8 { small } else { small.to_depth(Depth::U8, None, Threads::ALL)? };
    if small.layout() == Layout::Rgb {
        return Ok(small.into_frame()?);
    }
    let over = small.view::<Rgba<u8>>()?;
    Ok(Frame::from_fn(size, |x, y| {
        let (p, ground) = (over[(x, y)], ground(x, y, square));
        let mix = |c: u8| {
            let (c, g, a) = (u32::from(c), u32::from(ground), u32::from(p.a));
            ((2 * (c * a + g * (255 - a)) + 255) / 510) as u8
        };
        Rgb::new(mix(p.r), mix(p.g), mix(p.b))
    })?)
}

/// Linear light of any depth as 8 bits that are encoded.
fn encoded(content: &Content, window: Option<Window>) -> Result<Pixels> {
    let mut light = Picture::new(content.clone(), Metadata::default());
    light.metadata_mut().transfer = Transfer::Linear;
    let shown = apply(light, &[&ToDepth::new(Depth::F32).window(window), &ToDepth::new(Depth::U8)])?;
    Ok(shown.pixels()?.clone())
}

/// The checkered ground behind alpha: two light grays.
fn ground(x: u32, y: u32, square: u32) -> u8 {
    if (x / square + y / square).is_multiple_of(2) { 224 } else { 184 }
}

/// The largest size of the same aspect ratio within a box, never none; enlarged by whole factors only.
pub(crate) fn fitted(size: Size, within: Size) -> Size {
    let factor = (within.width / size.width.max(1)).min(within.height / size.height.max(1));
    if factor >= 1 {
        return Size::new(size.width * factor, size.height * factor);
    }
    let share =
        (f64::from(within.width) / f64::from(size.width)).min(f64::from(within.height) / f64::from(size.height));
    let side = |side: u32, most: u32| ((f64::from(side) * share).round() as u32).clamp(1, most.max(1));
    Size::new(side(size.width, within.width), side(size.height, within.height))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::{Gray, GrayAlpha};

    #[test]
    fn sizes_fit_and_never_vanish() {
        assert_eq!(fitted(Size::new(480, 320), Size::new(80, 60)), Size::new(80, 53));
        assert_eq!(fitted(Size::new(10, 10), Size::new(80, 60)), Size::new(60, 60));
        assert_eq!(fitted(Size::new(1, 100_000), Size::new(80, 60)), Size::new(1, 60));
    }

    #[test]
    fn linear_light_is_encoded_to_be_seen() {
        // Half the light is code 188 of sRGB; words of linear light are shown as floats are.
        let light = Frame::from_samples(Size::new(2, 1), vec![0.5f32, 1.0]).unwrap();
        let light: Content = Frame::<Gray<f32>>::into(light);
        let look = Look { linear: true, ..Look::default() }.window(Window::new(0.0, 1.0).unwrap());
        let shown = render(&light, Size::new(2, 1), &look, 1).unwrap();
        assert_eq!([shown[(0, 0)].r, shown[(1, 0)].r], [188, 255]);
        let plain = render(&light, Size::new(2, 1), &Look { linear: false, ..look.clone() }, 1).unwrap();
        assert_eq!(plain[(0, 0)].r, 128);
        let words: Content = Frame::<Gray<u16>>::from_samples(Size::new(1, 1), vec![32_768]).unwrap().into();
        let look = look.window(Window::new(0.0, 65_535.0).unwrap());
        assert_eq!(render(&words, Size::new(1, 1), &look, 1).unwrap()[(0, 0)].r, 188);
    }

    #[test]
    fn windows_grounds_and_depths_are_what_they_say() {
        let deep = Frame::<Gray<f32>>::from_samples(Size::new(3, 1), vec![-2.0, 0.0, 2.0]).unwrap();
        let shown = render(&deep.into(), Size::new(3, 1), &Look::default(), 4).unwrap();
        assert_eq!([0, 1, 2].map(|x| shown[(x, 0)].r), [0, 128, 255]);
        let clear = Frame::filled(Size::new(2, 1), GrayAlpha::new(255u8, 0)).unwrap();
        let shown = render(&clear.into(), Size::new(2, 1), &Look::default(), 1).unwrap();
        assert_eq!([0, 1].map(|x| shown[(x, 0)].g), [224, 184]);
    }
}
