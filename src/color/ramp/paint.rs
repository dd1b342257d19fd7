//! Painting numbers of one channel with a ramp, by tables.

use super::labels::label_codes;
use super::{Color, Ramp, RampKind, codes};
use crate::convert::depth::Window;
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, AnySamplesMut, Content, Frame, Pixels, SampleViewMut, View, ViewMut, same_size};
use crate::pixel::{Depth, Gray, Layout, Number, NumberKind, NumbersRef, Rgb};
use crate::simd::prefetch;
use crate::threads::{COMPUTED, Threads};

/// Rules of false colour.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct RampRules {
    /// Colour of what lies below the lower limit, as fractions of sRGB; the ramp's first (cyclic: round) by default.
    pub below: Option<[f64; 3]>,
    /// Colour of what lies above the upper limit; the ramp's last (cyclic: round) by default.
    pub above: Option<[f64; 3]>,
    /// Colour of NaN: no ramp's own.
    pub nan: [f64; 3],
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl Default for RampRules {
    fn default() -> RampRules {
        RampRules { below: None, above: None, nan: [0.82, 0.0, 0.72], threads: Threads::ALL }
    }
}

impl RampRules {
    /// Sets the colour of what lies below the lower limit.
    pub fn below(self, color: impl Into<Option<[f64; 3]>>) -> RampRules {
        RampRules { below: color.into(), ..self }
    }

    /// Sets the colour of what lies above the upper limit.
    pub fn above(self, color: impl Into<Option<[f64; 3]>>) -> RampRules {
        RampRules { above: color.into(), ..self }
    }

    /// Sets the colour of NaN.
    pub fn nan(self, color: [f64; 3]) -> RampRules {
        RampRules { nan: color, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> RampRules {
        RampRules { threads, ..self }
    }
}

/// Paints numbers of one channel with a ramp: the window's lower limit gets its first colour, the upper its last. Categories take the
/// numbers for classes instead (see [`color_labels`](super::color_labels)), counted in steps of the window from its lower limit: with
/// 0 and 1 they are the classes themselves. One pass.
///
/// Colours are sRGB. Of 8- and 16-bit numbers each has its own colour, correctly rounded; of others the nearest of 4,096 places.
///
/// # Errors
/// No memory.
///
/// # Examples
/// ```
/// use rahmen::color::{self, Ramp, RampRules};
/// use rahmen::{Frame, Gray, Rgb, Size, convert::depth::Window};
/// let depths = Frame::<Gray<f32>>::from_samples(Size::new(3, 1), vec![0.0, 30.0, f32::NAN])?;
/// let ramp = Ramp::named("fathom").ok_or("no such ramp")?;
/// let rules = RampRules::default().nan([1.0, 0.0, 0.0]);
/// let seen = color::false_color(depths.view(), &ramp, Window::new(0.0, 30.0)?, &rules)?;
/// assert!(seen[(0, 0)].g < seen[(1, 0)].g);
/// assert_eq!(seen[(2, 0)], Rgb::new(255, 0, 0));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn false_color<T: Number>(
    plane: View<'_, Gray<T>>,
    ramp: &Ramp,
    window: Window,
    rules: &RampRules,
) -> Result<Frame<Rgb<u8>>> {
    let mut out = Frame::<Rgb<u8>>::zeros(plane.size(), plane.account())?;
    false_color_into(plane, out.view_mut(), ramp, window, rules)?;
    Ok(out)
}

/// [`false_color`] into a view of the same size.
///
/// # Errors
/// Sizes that differ.
pub fn false_color_into<T: Number>(
    plane: View<'_, Gray<T>>,
    target: ViewMut<'_, Rgb<u8>>,
    ramp: &Ramp,
    window: Window,
    rules: &RampRules,
) -> Result<()> {
    same_size("the target", plane.size(), target.size())?;
    let painter = Painter::new(ramp, window, T::KIND, rules);
    paint_any(AnyNumbers::of(plane.samples()), target.into_samples(), &painter)
}

/// Paints class numbers with distinct colours: see [`label_color`](super::label_color). One pass.
///
/// # Errors
/// No memory; numbers that are not whole, or negative, are painted as NaN is ([`RampRules::nan`]).
pub fn color_labels<T: Number>(plane: View<'_, Gray<T>>, threads: Threads) -> Result<Frame<Rgb<u8>>> {
    let ramp = Ramp::named("pennants").ok_or_else(|| Error::not_supported("the ramp for classes"))?;
    // Classes need no window.
    false_color(plane, &ramp, Window::new(0.0, 1.0)?, &RampRules::default().threads(threads))
}

/// Colours by tables, ready for rows.
#[derive(Debug, Clone)]
pub(crate) struct Painter {
    ramp: Ramp,
    window: Window,
    /// Colours of what has one of its own: below, above, not a number.
    below: Option<Color>,
    above: Option<Color>,
    nan: Color,
    /// Colours of every number of 8 or 16 bits, else of evenly spaced places.
    table: Vec<Color>,
    threads: Threads,
}

/// Places of numbers that have no table of their own.
const PLACES: usize = 4096;

impl Painter {
    pub(crate) fn new(ramp: &Ramp, window: Window, kind: NumberKind, rules: &RampRules) -> Painter {
        let (below, above, nan) = (rules.below.map(codes), rules.above.map(codes), codes(rules.nan));
        let mut painter =
            Painter { ramp: ramp.clone(), window, below, above, nan, table: Vec::new(), threads: rules.threads };
        painter.table = match kind {
            NumberKind::U8 => (0..=u8::MAX).map(|v| painter.exact(v.into())).collect(),
            NumberKind::U16 => (0..=u16::MAX).map(|v| painter.exact(v.into())).collect(),
            _ => (0..PLACES).map(|i| codes(ramp.at(i as f64 / (PLACES - 1) as f64))).collect(),
        };
        painter
    }

    /// The colour of a number that has one of its own: of a class, outside, or not a number.
    fn special(&self, value: f64) -> Option<Color> {
        let place = self.window.fraction(value);
        if self.ramp.kind() == RampKind::Categories {
            // Codes that were scaled to full are whole numbers but for rounding.
            let class = if self.window.high() == 1.0 { place } else { place.round() };
            return Some(label_codes(&self.ramp, class).unwrap_or(self.nan));
        }
        match place {
            _ if value.is_nan() => Some(self.nan),
            place if place < 0.0 => self.below,
            place if place > 1.0 => self.above,
            _ => None,
        }
    }

    fn exact(&self, value: f64) -> Color {
        self.special(value).unwrap_or_else(|| codes(self.ramp.at(self.window.fraction(value))))
    }

    fn nearest(&self, value: f64) -> Color {
        if let Some(color) = self.special(value) {
            return color;
        }
        let place = self.ramp.inside(self.window.fraction(value));
        self.table.get((place * (PLACES - 1) as f64 + 0.5) as usize).copied().unwrap_or(self.nan)
    }

    /// The colours of every `step`th number of a row, from its first on.
    fn row(&self, numbers: NumbersRef<'_>, step: usize, out: &mut [Color], scratch: &mut Vec<f64>) {
        match numbers {
            NumbersRef::U8(row) => {
                for (i, to) in out.iter_mut().enumerate() {
                    *to = self.table[usize::from(row[i * step])];
                }
            }
            NumbersRef::U16(row) => {
                for (i, to) in out.iter_mut().enumerate() {
                    *to = self.table[usize::from(row[i * step])];
                }
            }
            other => {
                other.gather(0, step, scratch);
                let (low, scale) = (self.window.low(), 1.0 / (self.window.high() - self.window.low()));
                let Some(table) = self.table.first_chunk::<PLACES>() else { return };
                let plain = self.ramp.kind() != RampKind::Categories;
                for (to, value) in out.iter_mut().zip(scratch) {
                    let place = (*value - low) * scale;
                    *to = match plain && (0.0..1.0).contains(&place) {
                        true => table[(place * (PLACES - 1) as f64 + 0.5) as usize & (PLACES - 1)],
                        // Outside, at the upper limit, a class, or no number.
                        false => self.nearest(*value),
                    };
                }
            }
        }
    }
}

/// What full alpha is beside numbers of a kind.
fn alpha_full(kind: NumberKind) -> f64 {
    match kind {
        NumberKind::U8 => 255.0,
        NumberKind::U16 => 65_535.0,
        _ => 1.0,
    }
}

/// Pixels painted together: their colours stay near.
const RUN: usize = 256;

/// Numbers of one channel, or gray beside alpha, to red, green and blue, and alpha where there is one.
pub(crate) fn paint_any(from: AnyNumbers<'_>, to: SampleViewMut<'_, u8>, painter: &Painter) -> Result<()> {
    let (step, channels) = (from.channels().count, to.channels().count);
    if (step, channels) != (1, 3) && (step, channels) != (2, 4) {
        let reason = format!("a ramp paints one channel, not {}", from.channels().colors());
        return Err(Error::invalid("input", reason));
    }
    let each = if matches!(from.kind(), NumberKind::U8 | NumberKind::U16) { 1 } else { COMPUTED };
    let bytes = (from.bytes() + to.bytes()).saturating_mul(each);
    to.each_band(painter.threads, bytes, &|first, part| {
        let (mut colors, mut scratch, mut alphas) = ([[0; 4]; RUN], Vec::new(), Vec::new());
        // A whole row, where alpha stands beside it.
        let mut whole = Vec::new();
        for (y, to) in (first..).zip(part.into_rows()) {
            let row = from.row(y);
            if step == 2 {
                whole.resize(to.len() / 4, [0; 4]);
                painter.row(row, 2, &mut whole, &mut scratch);
                row.gather(1, 2, &mut alphas);
                let full = alpha_full(from.kind());
                for ((to, color), alpha) in to.as_chunks_mut::<4>().0.iter_mut().zip(&whole).zip(&alphas) {
                    *to = [color[0], color[1], color[2], u8::from_f64(alpha / full * 255.0)];
                }
                continue;
            }
            if let (NumbersRef::U8(row), Some(table)) = (row, painter.table.first_chunk::<256>()) {
                packed_bytes(row, table, to);
                continue;
            }
            for (run, to) in to.chunks_mut(3 * RUN).enumerate() {
                let colors = &mut colors[..to.len() / 3];
                painter.row(row.from(run * RUN), 1, colors, &mut scratch);
                packed(colors, to);
            }
        }
    });
    Ok(())
}

/// The colours of bytes. Two at a time go as eight bytes, of which the next two take the last two again: a store a pixel would take
/// longer than looking up.
fn packed_bytes(row: &[u8], table: &[Color; 256], to: &mut [u8]) {
    let (mut done, eights) = (0, row.as_chunks::<8>().0);
    for eight in eights {
        // Two bytes behind the block are written too: not by the last.
        let Some(to) = to.get_mut(3 * done..).and_then(<[u8]>::first_chunk_mut::<26>) else { break };
        prefetch::ahead(to, 0);
        let mut codes = u64::from_le_bytes(*eight);
        let mut next = || {
            let color = u32::from_le_bytes(table[usize::from(codes as u8)]);
            codes >>= 8;
            u64::from(color)
        };
        for pair in 0..4 {
            let (a, b) = (next() & 0xff_ffff, next());
            to[6 * pair..6 * pair + 8].copy_from_slice(&(a | b << 24).to_le_bytes());
        }
        done += 8;
    }
    for (code, to) in row[done..].iter().zip(to[3 * done..].as_chunks_mut::<3>().0) {
        to.copy_from_slice(&table[usize::from(*code)][..3]);
    }
}

/// Words of colours without their fourth bytes: four words as twelve bytes.
fn packed(colors: &[Color], to: &mut [u8]) {
    let (fours, rest) = colors.as_chunks::<4>();
    let (twelves, last) = to.split_at_mut(fours.len() * 12);
    for (four, to) in fours.iter().zip(twelves.as_chunks_mut::<12>().0) {
        let [a, b, c, d] = four.map(u32::from_le_bytes);
        let (a, b, c) = (a & 0xff_ffff, b & 0xff_ffff, c & 0xff_ffff);
        let words = [a | b << 24, b >> 8 | c << 16, c >> 16 | d << 8];
        for (to, word) in to.as_chunks_mut::<4>().0.iter_mut().zip(words) {
            *to = word.to_le_bytes();
        }
    }
    for (color, to) in rest.iter().zip(last.as_chunks_mut::<3>().0) {
        to.copy_from_slice(&color[..3]);
    }
}

impl Content {
    /// Paints gray pixels, or a single plane, with a ramp: [`false_color`] for content whose type is known at run time. Alpha is kept, in
    /// 8 bits. One pass.
    ///
    /// # Errors
    /// More than one channel, indices aside.
    pub fn false_color(&self, ramp: &Ramp, window: Window, rules: &RampRules) -> Result<Pixels> {
        let kind = self.views().first().map_or(NumberKind::U8, AnyNumbers::kind);
        self.painted(&Painter::new(ramp, window, kind, rules))
    }

    /// [`false_color`](Content::false_color) by tables that were made for numbers of this kind.
    pub(crate) fn painted(&self, painter: &Painter) -> Result<Pixels> {
        let views = self.views();
        let [only] = views.as_slice() else {
            let reason = format!("a ramp paints one channel, not {} planes; pick one", views.len());
            return Err(Error::invalid("input", reason));
        };
        let layout = if only.channels().count == 2 { Layout::Rgba } else { Layout::Rgb };
        let mut out = Pixels::zeros(self.size(), layout, Depth::U8, self.account())?;
        match out.samples_any_mut() {
            AnySamplesMut::U8(to) => paint_any(*only, to, painter)?,
            // Just made of bytes.
            _ => unreachable!(),
        }
        Ok(out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Planes, Size};
    use crate::pixel::{GrayAlpha, Rgba};

    fn window(low: f64, high: f64) -> Window {
        Window::new(low, high).unwrap()
    }

    #[test]
    fn every_code_gets_the_ramps_colour_rounded_once() {
        let ramp = Ramp::named("beacon").unwrap();
        let rules = RampRules::default();
        let size = Size::new(256, 1);
        let bytes = Frame::from_fn(size, |x, _| Gray::new(x as u8)).unwrap();
        let seen = false_color(bytes.view(), &ramp, window(0.0, 255.0), &rules).unwrap();
        let words = Frame::from_fn(size, |x, _| Gray::new(x as u16 * 257)).unwrap();
        assert_eq!(false_color(words.view(), &ramp, window(0.0, 65_535.0), &rules).unwrap(), seen);
        for (x, found) in seen.pixels().iter().enumerate() {
            let want = ramp.at(x as f64 / 255.0);
            for (found, want) in [found.r, found.g, found.b].into_iter().zip(want) {
                assert!((f64::from(found) - want * 255.0).abs() <= 0.5 + 1e-9, "{x}");
            }
        }
        // Floats: within what a 4,096th of the ramp changes.
        let floats = Frame::from_fn(size, |x, _| Gray::new(x as f64 * 2.0 - 100.0)).unwrap();
        let near = false_color(floats.view(), &ramp, window(-100.0, 410.0), &rules).unwrap();
        let apart = |a: &Rgb<u8>, b: &Rgb<u8>| a.r.abs_diff(b.r).max(a.g.abs_diff(b.g)).max(a.b.abs_diff(b.b));
        assert!(near.pixels().iter().zip(seen.pixels()).all(|(a, b)| apart(a, b) <= 1));
    }

    #[test]
    fn what_lies_outside_and_what_is_no_number_have_colours() {
        let ramp = Ramp::named("gray").unwrap();
        let row = vec![-1.0, 0.0, 1.0, 2.0, f32::NAN, f32::INFINITY, f32::NEG_INFINITY];
        let plane = Frame::<Gray<f32>>::from_samples(Size::new(7, 1), row).unwrap();
        let of = |rules: &RampRules| {
            let seen = false_color(plane.view(), &ramp, window(0.0, 1.0), rules).unwrap();
            seen.pixels().iter().map(|p| [p.r, p.g, p.b]).collect::<Vec<_>>()
        };
        let (black, white) = ([0; 3], [255; 3]);
        let plain = of(&RampRules::default().nan([0.0, 1.0, 0.0]));
        assert_eq!(plain, [black, black, white, white, [0, 255, 0], white, black]);
        let said = of(&RampRules::default().below([0.0, 0.0, 1.0]).above([1.0, 0.0, 0.0]));
        assert_eq!((said[0], said[1], said[2], said[3]), ([0, 0, 255], black, white, [255, 0, 0]));
        assert_eq!((said[5], said[6]), ([255, 0, 0], [0, 0, 255]));
    }

    #[test]
    fn a_cyclic_ramp_goes_round_in_every_type() {
        let ramp = Ramp::named("compass").unwrap();
        let rules = RampRules::default();
        let size = Size::new(3, 1);
        let words = Frame::<Gray<u16>>::from_samples(size, vec![10, 370, 730]).unwrap();
        let seen = false_color(words.view(), &ramp, window(0.0, 360.0), &rules).unwrap();
        assert!(seen.pixels().iter().all(|p| *p == seen[(0, 0)]));
        let wide = Frame::<Gray<i32>>::from_samples(size, vec![-350, 10, 370]).unwrap();
        let seen = false_color(wide.view(), &ramp, window(0.0, 360.0), &rules).unwrap();
        assert!(seen.pixels().iter().all(|p| *p == seen[(1, 0)]));
    }

    #[test]
    fn alpha_stays_and_more_channels_are_an_error() {
        let ramp = Ramp::named("gray").unwrap();
        let frame = Frame::filled(Size::new(300, 2), GrayAlpha::new(65_535u16, 32_896)).unwrap();
        let seen = Content::from(frame).false_color(&ramp, window(0.0, 65_535.0), &RampRules::default()).unwrap();
        assert_eq!(seen.view::<Rgba<u8>>().unwrap()[(299, 1)], Rgba::new(255, 255, 255, 128));
        let color = Content::from(Frame::filled(Size::new(1, 1), Rgb::new(1u8, 2, 3)).unwrap());
        assert!(color.false_color(&ramp, window(0.0, 1.0), &RampRules::default()).is_err());
        let plane = || Frame::filled(Size::new(1, 1), Gray::new(5i64)).unwrap();
        let two = Planes::new(Size::new(1, 1)).with("a", plane()).unwrap().with("b", plane()).unwrap();
        assert!(Content::from(two).false_color(&ramp, window(0.0, 1.0), &RampRules::default()).is_err());
    }

    #[test]
    fn classes_have_the_chosen_colours_and_what_is_none_has_another() {
        assert_eq!((super::super::label_color(0), super::super::label_color(1)), ([24; 3], [0x46, 0x7f, 0xfe]));
        let row = vec![0.0, 1.0, 1.5, -1.0, f64::NAN, 13.0];
        let plane = Frame::<Gray<f64>>::from_samples(Size::new(6, 1), row).unwrap();
        let seen = color_labels(plane.view(), Threads::ALL).unwrap();
        let nan = Rgb::new(209, 0, 184);
        assert_eq!(seen.pixels()[..5], [Rgb::new(24, 24, 24), Rgb::new(0x46, 0x7f, 0xfe), nan, nan, nan]);
        let words = Frame::<Gray<u16>>::from_samples(Size::new(2, 1), vec![13, 1]).unwrap();
        let same = color_labels(words.view(), Threads::ALL).unwrap();
        assert_eq!((same[(0, 0)], same[(1, 0)]), (seen[(5, 0)], seen[(1, 0)]));
    }

    #[test]
    fn rows_of_any_width_are_packed_whole() {
        let ramp = Ramp::named("kelp").unwrap();
        for width in [1, 2, 3, 4, 5, 255, 256, 257, 515] {
            let plane = Frame::from_fn(Size::new(width, 2), |x, y| Gray::new((x * 7 + y) as u8)).unwrap();
            let seen = false_color(plane.view(), &ramp, window(0.0, 255.0), &RampRules::default()).unwrap();
            for (found, code) in seen.pixels().iter().zip(plane.samples()) {
                let [r, g, b, _] = codes(ramp.at(f64::from(*code) / 255.0));
                assert_eq!(*found, Rgb::new(r, g, b), "{width}");
            }
        }
    }
}
