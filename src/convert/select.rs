//! New pictures made of any channels of an old one: picked, reordered, dropped, doubled, full or zero ones added.

use super::swizzle;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Pixels, SampleView, SampleViewMut, View, ViewMut, same_size, with_same_samples,
};
use crate::pixel::{Layout, Pixel, Sample};

/// Source of one channel of a new picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Take {
    /// A channel of the old picture, counted from 0.
    Channel(usize),
    /// Full everywhere: an opaque alpha.
    Full,
    /// Zero everywhere.
    Zero,
}

impl Pixels {
    /// Picks channels into a new picture: any order, any channel several times or not at all, full or zero
    /// ones added. One becomes gray, two gray+alpha, three rgb, four rgb+alpha (cmyk where all four channels of a cmyk
    /// picture are picked). One pass.
    ///
    /// # Errors
    /// No channel or more than four, one that is not there, or a size beyond the system's memory.
    pub fn select(&self, channels: &[Take]) -> Result<Pixels> {
        let mut out =
            Pixels::zeros(self.size(), selected_layout(self.layout(), channels)?, self.depth(), self.account())?;
        select_any(self.samples_any(), out.samples_any_mut(), channels)?;
        Ok(out)
    }

    /// Drops alpha; a copy where there is none. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn drop_alpha(&self) -> Result<Pixels> {
        let colors: Vec<_> = (0..self.layout().without_alpha().channels()).map(Take::Channel).collect();
        self.select(&colors)
    }

    /// Adds full alpha; a copy where there is alpha already. One pass.
    ///
    /// # Errors
    /// Cmyk, which has no form with alpha, or a size beyond the system's memory.
    pub fn add_alpha(&self) -> Result<Pixels> {
        let Some(_) = self.layout().with_alpha() else {
            return Err(Error::invalid("layout", "cmyk has no form with alpha; convert it to rgb first"));
        };
        let mut all: Vec<_> = (0..self.layout().channels()).map(Take::Channel).collect();
        if !self.layout().has_alpha() {
            all.push(Take::Full);
        }
        self.select(&all)
    }
}

/// The layout that [`Pixels::select`] gives.
///
/// # Errors
/// As [`Pixels::select`].
pub fn selected_layout(from: Layout, channels: &[Take]) -> Result<Layout> {
    for take in channels {
        if let Take::Channel(c) = *take
            && c >= from.channels()
        {
            return Err(Error::not_there(
                "take",
                c as u64,
                from.channels() as u64,
                format!("channel {c} is not there: {from} has {}, counted from 0", from.channel_names().join(", ")),
            ));
        }
    }
    let inks = channels.iter().all(|take| matches!(take, Take::Channel(_)));
    match channels.len() {
        1 => Ok(Layout::Gray),
        2 => Ok(Layout::GrayAlpha),
        3 => Ok(Layout::Rgb),
        4 if from == Layout::Cmyk && inks => Ok(Layout::Cmyk),
        4 => Ok(Layout::Rgba),
        n => {
            Err(Error::wrong_count("take", n, (1, 4), format!("{n} channels do not make a picture; pick one to four")))
        }
    }
}

/// [`Pixels::select`] with both types known, into a view of the same size.
///
/// # Errors
/// Another number of channels than the target has, one that is not there, or another size.
pub fn select_into<P: Pixel, Q: Pixel<Number = P::Number>>(
    view: View<'_, P>,
    target: ViewMut<'_, Q>,
    channels: &[Take],
) -> Result<()>
where
    P::Number: Sample,
{
    same_size("the target", view.size(), target.size())?;
    if channels.len() != Q::CHANNELS {
        let wanted = format!("{} channels were picked for {}", channels.len(), Q::describe());
        return Err(Error::wrong_count("take", channels.len(), (Q::CHANNELS, Q::CHANNELS), wanted));
    }
    for take in channels {
        if let Take::Channel(c) = take {
            check_channel(*c, P::CHANNELS)?;
        }
    }
    select_any(view.samples_any(), target.into_samples_any(), channels)
}

/// Channels that are there, as many as the target has; both sides have one depth.
pub(crate) fn select_any(from: AnySamples<'_>, to: AnySamplesMut<'_>, takes: &[Take]) -> Result<()> {
    with_same_samples!(from, to, from, to => {
        select_rows(from, to, takes);
        Ok(())
    })
}

fn select_rows<S: Sample>(from: SampleView<'_, S>, to: SampleViewMut<'_, S>, takes: &[Take]) {
    let channels = from.channels().count;
    from.rows().zip(to.into_rows()).for_each(|(from, to)| select_row(from, channels, to, takes));
}

pub(super) fn check_channel(channel: usize, channels: usize) -> Result<()> {
    if channel < channels {
        return Ok(());
    }
    let range = 0..channels as i64;
    Err(ErrorKind::Outside { axis: "channel", value: channel as i64, range, swap: None }.into())
}

/// Pixels of this many channels row by row: the usual picks by fixed kernels, and so for bytes those that orders of foreign
/// memory are; the others by a table of places, which keeps up with memory where samples are wide.
pub(super) fn select_row<S: Sample>(from: &[S], channels: usize, to: &mut [S], takes: &[Take]) {
    use Take::{Channel as C, Full};
    let full = S::FULL;
    if takes.len() == channels && takes.iter().enumerate().all(|(i, take)| *take == C(i)) {
        return to.copy_from_slice(from);
    }
    match (channels, takes) {
        (1, [C(0), C(0), C(0)]) => swizzle::each::<S, 1, 3>(from, to, |&[v], to| *to = [v, v, v]),
        (2, [C(0)]) => swizzle::each::<S, 2, 1>(from, to, |&[v, _], to| *to = [v]),
        (2, [C(1)]) => swizzle::each::<S, 2, 1>(from, to, |&[_, v], to| *to = [v]),
        (3, [C(2), C(1), C(0)]) => swizzle::each::<S, 3, 3>(from, to, |&[r, g, b], to| *to = [b, g, r]),
        (3, [C(0), C(1), C(2), Full]) => swizzle::each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [r, g, b, full]),
        (4, [C(0), C(1), C(2)]) => swizzle::each::<S, 4, 3>(from, to, |&[a, b, c, _], to| *to = [a, b, c]),
        (4, [C(2), C(1), C(0)]) => swizzle::each::<S, 4, 3>(from, to, |&[a, b, c, _], to| *to = [c, b, a]),
        (4, [C(2), C(1), C(0), C(3)]) => swizzle::each::<S, 4, 4>(from, to, |&[a, b, c, d], to| *to = [c, b, a, d]),
        _ => {
            // Not even compiled for wider samples.
            if const { size_of::<S>() == 1 } && order_of_bytes(from, channels, to, takes) {
                return;
            }
            by_places(from, channels, to, takes);
        }
    }
}

/// The orders of foreign memory that are left; whether it was one.
fn order_of_bytes<S: Sample>(from: &[S], channels: usize, to: &mut [S], takes: &[Take]) -> bool {
    use Take::{Channel as C, Full};
    let full = S::FULL;
    match (channels, takes) {
        (1, [C(0), C(0), C(0), Full]) => swizzle::each::<S, 1, 4>(from, to, |&[v], to| *to = [v, v, v, full]),
        (1, [C(0), Full]) => swizzle::each::<S, 1, 2>(from, to, |&[v], to| *to = [v, full]),
        (1, [Full, C(0)]) => swizzle::each::<S, 1, 2>(from, to, |&[v], to| *to = [full, v]),
        (2, [C(1), C(0)]) => swizzle::each::<S, 2, 2>(from, to, |&[a, b], to| *to = [b, a]),
        (2, [C(0), C(0), C(0), C(1)]) => swizzle::each::<S, 2, 4>(from, to, |&[v, a], to| *to = [v, v, v, a]),
        (2, [C(0), C(0), C(0)]) => swizzle::each::<S, 2, 3>(from, to, |&[v, _], to| *to = [v, v, v]),
        (3, [C(2), C(1), C(0), Full]) => swizzle::each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [b, g, r, full]),
        (3, [Full, C(0), C(1), C(2)]) => swizzle::each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [full, r, g, b]),
        (3, [Full, C(2), C(1), C(0)]) => swizzle::each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [full, b, g, r]),
        (4, [C(1), C(2), C(3)]) => swizzle::each::<S, 4, 3>(from, to, |&[_, b, c, d], to| *to = [b, c, d]),
        (4, [C(3), C(2), C(1)]) => swizzle::each::<S, 4, 3>(from, to, |&[_, b, c, d], to| *to = [d, c, b]),
        (4, [C(1), C(2), C(3), C(0)]) => swizzle::each::<S, 4, 4>(from, to, |&[a, b, c, d], to| *to = [b, c, d, a]),
        (4, [C(3), C(0), C(1), C(2)]) => swizzle::each::<S, 4, 4>(from, to, |&[a, b, c, d], to| *to = [d, a, b, c]),
        (4, [C(3), C(2), C(1), C(0)]) => swizzle::each::<S, 4, 4>(from, to, |&[a, b, c, d], to| *to = [d, c, b, a]),
        _ => return false,
    }
    true
}

/// Any channels: each is looked up by its place among the pixel's own, full and zero.
fn by_places<S: Sample>(from: &[S], channels: usize, to: &mut [S], takes: &[Take]) {
    let mut places = [5; 4];
    for (place, take) in places.iter_mut().zip(takes) {
        *place = match *take {
            Take::Channel(c) => c & 3,
            Take::Full => 4,
            Take::Zero => 5,
        };
    }
    let mut all = [S::default(); 8];
    all[4] = S::FULL;
    let targets = to.chunks_exact_mut(takes.len().clamp(1, 4));
    for (from, to) in from.chunks_exact(channels.clamp(1, 4)).zip(targets) {
        for c in 0..from.len() {
            all[c & 3] = from[c];
        }
        for c in 0..to.len() {
            to[c] = all[places[c & 3] & 7];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::{Rgb, Rgba};

    #[test]
    fn alpha_comes_full_and_goes_without_a_trace() {
        let rgb = Frame::from_pixels(Size::new(2, 1), vec![Rgb::new(1u16, 2, 3), Rgb::new(4, 5, 6)]).unwrap();
        let with = Pixels::from(rgb.clone()).add_alpha().unwrap();
        assert_eq!(with.view::<Rgba<u16>>().unwrap()[(1, 0)], Rgba::new(4, 5, 6, 65_535));
        assert_eq!(with.drop_alpha().unwrap().into_frame::<Rgb<u16>>().unwrap(), rgb);
        let ink = Pixels::new(Size::new(1, 1), Layout::Cmyk, crate::Depth::U8).unwrap();
        assert!(ink.add_alpha().is_err());
        assert_eq!(ink.drop_alpha().unwrap(), ink);
    }

    #[test]
    fn every_pick_of_every_layout_is_the_channels_that_were_named() {
        let takes = [Take::Zero, Take::Full, Take::Channel(0), Take::Channel(1), Take::Channel(2), Take::Channel(3)];
        for layout in Layout::ALL {
            let mut pixels = Pixels::new(Size::new(2, 1), layout, crate::Depth::U8).unwrap();
            let n = layout.channels();
            if let crate::frame::SamplesMut::U8(row) = pixels.row_mut(0) {
                row.iter_mut().zip(1..).for_each(|(v, i)| *v = i);
            }
            for count in 1..=4usize {
                for code in 0..takes.len().pow(count as u32) {
                    let picks: Vec<Take> =
                        (0..count).map(|i| takes[code / takes.len().pow(i as u32) % takes.len()]).collect();
                    let there = picks.iter().all(|t| !matches!(t, Take::Channel(c) if *c >= n));
                    let Ok(out) = pixels.select(&picks) else {
                        assert!(!there, "{layout} {picks:?}");
                        continue;
                    };
                    let crate::frame::SamplesRef::U8(got) = out.samples() else { panic!("u8") };
                    let want = (0..2).flat_map(|x| picks.iter().map(move |t| (x, *t))).map(|(x, t)| match t {
                        Take::Zero => 0,
                        Take::Full => 255,
                        Take::Channel(c) => (x * n + c + 1) as u8,
                    });
                    assert!(there && got.iter().copied().eq(want), "{layout} {picks:?}");
                }
            }
        }
        assert!(selected_layout(Layout::Rgb, &[]).is_err() && selected_layout(Layout::Rgb, &[Take::Full; 5]).is_err());
    }
}
