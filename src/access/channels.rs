//! Channels as planes and back, picked, reordered, dropped, doubled, replaced. No new values are made.

use super::swizzle;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Frame, Job, Pixels, Planes, Size, View, ViewMut};
use crate::pixel::{Cmyk, Gray, GrayAlpha, Layout, Pixel, Rgb, Rgba, Sample, Stored};

/// A plane of the channel type of `P`.
type Plane<P> = Gray<<P as Pixel>::Number>;

/// Every channel as a plane of its own, named as the channels are. One pass.
///
/// # Errors
/// A size beyond the system's memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size, access::channels};
/// let frame = Frame::filled(Size::new(2, 1), Rgb::new(1u8, 2, 3))?;
/// let planes = channels::split(frame.view())?;
/// assert_eq!(planes.names().collect::<Vec<_>>(), ["r", "g", "b"]);
/// let views: Vec<_> = planes.iter().map(|(_, plane)| plane.view()).collect();
/// assert_eq!(channels::merge::<Rgb<u8>>(&views)?, frame);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn split<P: Pixel>(view: View<'_, P>) -> Result<Planes<P::Number>> {
    let mut frames = Vec::with_capacity(P::CHANNELS);
    for _ in 0..P::CHANNELS {
        frames.push(Frame::<Plane<P>>::new(view.size())?);
    }
    let mut targets: Vec<_> = frames.iter_mut().map(Frame::view_mut).collect();
    split_into(view, &mut targets)?;
    let mut planes = Planes::new(view.size());
    for (name, frame) in P::CHANNEL_NAMES.iter().zip(frames) {
        planes.push(*name, frame)?;
    }
    Ok(planes)
}

/// [`split`] into planes that exist already, one a channel.
///
/// # Errors
/// Another number of planes than channels, or another size.
pub fn split_into<P: Pixel>(view: View<'_, P>, planes: &mut [ViewMut<'_, Plane<P>>]) -> Result<()> {
    check_planes::<P>(view.size(), planes.iter().map(ViewMut::size))?;
    for y in 0..view.height() {
        let row = view.row_numbers(y);
        match planes {
            [a] => a.row_numbers_mut(y).copy_from_slice(row),
            [a, b] => swizzle::separate(row, [a.row_numbers_mut(y), b.row_numbers_mut(y), &mut [], &mut []]),
            [a, b, c] => {
                swizzle::separate(row, [a.row_numbers_mut(y), b.row_numbers_mut(y), c.row_numbers_mut(y), &mut []]);
            }
            [a, b, c, d] => {
                let to = [a.row_numbers_mut(y), b.row_numbers_mut(y), c.row_numbers_mut(y), d.row_numbers_mut(y)];
                swizzle::separate(row, to);
            }
            _ => {} // no pixel has more channels
        }
    }
    Ok(())
}

/// Planes, in the order of the channels, as pixels. They may be of different pictures. One pass.
///
/// # Errors
/// Another number of planes than `P` has channels, sizes that differ, or a size beyond the system's memory.
pub fn merge<P: Pixel>(planes: &[View<'_, Plane<P>>]) -> Result<Frame<P>> {
    let size = planes.first().map(View::size).unwrap_or_default();
    check_planes::<P>(size, planes.iter().map(View::size))?;
    let mut out = Frame::new(size)?;
    merge_into(planes, out.view_mut())?;
    Ok(out)
}

/// Planes as pixels, each plane found by the name of its channel; others are left out. One pass.
///
/// # Errors
/// A channel without a plane, or a size beyond the system's memory.
pub fn merge_planes<P: Pixel>(planes: &Planes<P::Number>) -> Result<Frame<P>> {
    let find = |name: &&str| {
        let there = || planes.names().collect::<Vec<_>>().join(", ");
        planes
            .get(name)
            .map(Frame::view)
            .ok_or_else(|| Error::unusable(format!("{} needs a plane {name}; there are {}", P::describe(), there())))
    };
    let views: Vec<_> = P::CHANNEL_NAMES.iter().map(find).collect::<Result<_>>()?;
    merge(&views)
}

/// [`merge`] into a view of the same size.
///
/// # Errors
/// As [`merge`], or a target of another size.
pub fn merge_into<P: Pixel>(planes: &[View<'_, Plane<P>>], mut target: ViewMut<'_, P>) -> Result<()> {
    check_planes::<P>(target.size(), planes.iter().map(View::size))?;
    for y in 0..target.height() {
        let row = target.row_numbers_mut(y);
        match planes {
            [a] => row.copy_from_slice(a.row_numbers(y)),
            [a, b] => swizzle::interleave([a.row_numbers(y), b.row_numbers(y), &[], &[]], row),
            [a, b, c] => swizzle::interleave([a.row_numbers(y), b.row_numbers(y), c.row_numbers(y), &[]], row),
            [a, b, c, d] => {
                let from = [a.row_numbers(y), b.row_numbers(y), c.row_numbers(y), d.row_numbers(y)];
                swizzle::interleave(from, row);
            }
            _ => {} // no pixel has more channels
        }
    }
    Ok(())
}

fn check_planes<P: Pixel>(size: Size, planes: impl ExactSizeIterator<Item = Size>) -> Result<()> {
    if planes.len() != P::CHANNELS {
        return Err(Error::unusable(format!(
            "{} has {} channels ({}), but there are {} planes",
            P::describe(),
            P::CHANNELS,
            P::CHANNEL_NAMES.join(", "),
            planes.len()
        )));
    }
    for (name, found) in P::CHANNEL_NAMES.iter().zip(planes) {
        super::map::same_size(&format!("plane {name}"), size, found)?;
    }
    Ok(())
}

fn check_channel<P: Pixel>(channel: usize) -> Result<()> {
    if channel < P::CHANNELS {
        return Ok(());
    }
    let range = 0..P::CHANNELS as i64;
    Err(ErrorKind::Outside { axis: "channel", value: channel as i64, range, swap: None }.into())
}

/// One channel, counted from 0, as a plane. One pass.
///
/// # Errors
/// A channel that is not there, or a size beyond the system's memory.
pub fn pick<P: Pixel>(view: View<'_, P>, channel: usize) -> Result<Frame<Plane<P>>> {
    check_channel::<P>(channel)?;
    let mut out = Frame::new(view.size())?;
    pick_into(view, channel, out.view_mut())?;
    Ok(out)
}

/// [`pick`] into a view of the same size.
///
/// # Errors
/// A channel that is not there, or another size.
pub fn pick_into<P: Pixel>(view: View<'_, P>, channel: usize, mut target: ViewMut<'_, Plane<P>>) -> Result<()> {
    check_channel::<P>(channel)?;
    super::map::same_size("the target", view.size(), target.size())?;
    for y in 0..view.height() {
        let (from, to) = (view.row_numbers(y), target.row_numbers_mut(y));
        match P::CHANNELS {
            1 => to.copy_from_slice(from),
            2 if channel == 0 => swizzle::each::<_, 2, 1>(from, to, |&[v, _], to| *to = [v]),
            2 => swizzle::each::<_, 2, 1>(from, to, |&[_, v], to| *to = [v]),
            3 if channel == 0 => swizzle::each::<_, 3, 1>(from, to, |&[v, _, _], to| *to = [v]),
            3 if channel == 1 => swizzle::each::<_, 3, 1>(from, to, |&[_, v, _], to| *to = [v]),
            3 => swizzle::each::<_, 3, 1>(from, to, |&[_, _, v], to| *to = [v]),
            _ => swizzle::each::<_, 4, 1>(from, to, |p, to| *to = [p[channel & 3]]),
        }
    }
    Ok(())
}

/// Puts a plane in the place of one channel, counted from 0. One pass.
///
/// # Errors
/// A channel that is not there, or another size.
pub fn replace<P: Pixel>(mut target: ViewMut<'_, P>, channel: usize, plane: View<'_, Plane<P>>) -> Result<()> {
    check_channel::<P>(channel)?;
    super::map::same_size("the plane", target.size(), plane.size())?;
    for y in 0..plane.height() {
        let (from, to) = (plane.row_numbers(y), target.row_numbers_mut(y));
        match P::CHANNELS {
            1 => to.copy_from_slice(from),
            2 => swizzle::place::<_, 2>(from, to, channel),
            3 => swizzle::place::<_, 3>(from, to, channel),
            _ => swizzle::place::<_, 4>(from, to, channel),
        }
    }
    Ok(())
}

/// What a channel of a new picture is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Take {
    /// A channel of the old picture, counted from 0.
    Channel(usize),
    /// Full everywhere: what an opaque alpha is.
    Full,
    /// None everywhere.
    Zero,
}

/// A new picture whose channels are picked from these: any order, any channel several times or not at all, full or zero
/// ones added. One becomes gray, two gray+alpha, three rgb, four rgb+alpha (cmyk where all four channels of a cmyk
/// picture are picked). One pass.
///
/// # Errors
/// No channel or more than four, one that is not there, or a size beyond the system's memory.
pub fn select(pixels: &Pixels, channels: &[Take]) -> Result<Pixels> {
    struct Select<'a>(&'a [Take], Layout);
    impl Job for Select<'_> {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            match self.1 {
                Layout::Gray => selected::<P, Gray<P::Number>>(view, self.0),
                Layout::GrayAlpha => selected::<P, GrayAlpha<P::Number>>(view, self.0),
                Layout::Rgb => selected::<P, Rgb<P::Number>>(view, self.0),
                Layout::Rgba => selected::<P, Rgba<P::Number>>(view, self.0),
                Layout::Cmyk => selected::<P, Cmyk<P::Number>>(view, self.0),
            }
        }
    }
    let layout = selected_layout(pixels.layout(), channels)?;
    pixels.visit(Select(channels, layout))
}

/// The layout that [`select`] gives.
///
/// # Errors
/// As [`select`].
pub fn selected_layout(from: Layout, channels: &[Take]) -> Result<Layout> {
    for take in channels {
        if let Take::Channel(c) = *take
            && c >= from.channels()
        {
            return Err(Error::unusable(format!(
                "channel {c} is not there: {from} has {}, counted from 0",
                from.channel_names().join(", ")
            )));
        }
    }
    let inks = channels.iter().all(|take| matches!(take, Take::Channel(_)));
    match channels.len() {
        1 => Ok(Layout::Gray),
        2 => Ok(Layout::GrayAlpha),
        3 => Ok(Layout::Rgb),
        4 if from == Layout::Cmyk && inks => Ok(Layout::Cmyk),
        4 => Ok(Layout::Rgba),
        n => Err(Error::unusable(format!("{n} channels do not make a picture; pick one to four"))),
    }
}

fn selected<P: Stored, Q: Stored + Pixel<Number = P::Number>>(view: View<'_, P>, channels: &[Take]) -> Result<Pixels> {
    let mut out = Frame::<Q>::new(view.size())?;
    select_into::<P, Q>(view, out.view_mut(), channels)?;
    Ok(out.into())
}

/// [`select`] with both types known, into a view of the same size.
///
/// # Errors
/// Another number of channels than the target has, one that is not there, or another size.
pub fn select_into<P: Pixel, Q: Pixel<Number = P::Number>>(
    view: View<'_, P>,
    mut target: ViewMut<'_, Q>,
    channels: &[Take],
) -> Result<()>
where
    P::Number: Sample,
{
    super::map::same_size("the target", view.size(), target.size())?;
    if channels.len() != Q::CHANNELS {
        let wanted = format!("{} channels were picked for {}", channels.len(), Q::describe());
        return Err(Error::unusable(wanted));
    }
    for take in channels {
        if let Take::Channel(c) = take {
            check_channel::<P>(*c)?;
        }
    }
    for y in 0..view.height() {
        select_row(view.row_numbers(y), P::CHANNELS, target.row_numbers_mut(y), channels);
    }
    Ok(())
}

/// The usual picks by fixed kernels, the others channel by channel.
fn select_row<S: Sample>(from: &[S], channels: usize, to: &mut [S], takes: &[Take]) {
    use Take::{Channel as C, Full};
    let full = S::FULL;
    match (channels, takes) {
        (1, [C(0), C(0), C(0)]) => swizzle::each::<S, 1, 3>(from, to, |&[v], to| *to = [v, v, v]),
        (1, [C(0), C(0), C(0), Full]) => swizzle::each::<S, 1, 4>(from, to, |&[v], to| *to = [v, v, v, full]),
        (1, [C(0), Full]) => swizzle::each::<S, 1, 2>(from, to, |&[v], to| *to = [v, full]),
        (2, [C(0)]) => swizzle::each::<S, 2, 1>(from, to, |&[v, _], to| *to = [v]),
        (2, [C(0), C(0), C(0), C(1)]) => swizzle::each::<S, 2, 4>(from, to, |&[v, a], to| *to = [v, v, v, a]),
        (2, [C(0), C(0), C(0)]) => swizzle::each::<S, 2, 3>(from, to, |&[v, _], to| *to = [v, v, v]),
        (3, [C(2), C(1), C(0)]) => swizzle::each::<S, 3, 3>(from, to, |&[r, g, b], to| *to = [b, g, r]),
        (3, [C(0), C(1), C(2), Full]) => swizzle::each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [r, g, b, full]),
        (4, [C(0), C(1), C(2)]) => swizzle::each::<S, 4, 3>(from, to, |&[r, g, b, _], to| *to = [r, g, b]),
        (4, [C(2), C(1), C(0), C(3)]) => swizzle::each::<S, 4, 4>(from, to, |&[r, g, b, a], to| *to = [b, g, r, a]),
        _ => {
            for (place, take) in takes.iter().enumerate() {
                let target = to.iter_mut().skip(place).step_by(takes.len());
                match *take {
                    C(c) => target.zip(from.iter().skip(c).step_by(channels)).for_each(|(to, v)| *to = *v),
                    Full => target.for_each(|to| *to = full),
                    Take::Zero => target.for_each(|to| *to = S::default()),
                }
            }
        }
    }
}

/// The same pixels without their alpha, which is given up; a copy where there is none. One pass.
///
/// # Errors
/// A size beyond the system's memory.
pub fn drop_alpha(pixels: &Pixels) -> Result<Pixels> {
    let colors: Vec<_> = (0..pixels.layout().without_alpha().channels()).map(Take::Channel).collect();
    select(pixels, &colors)
}

/// The same pixels with full alpha; a copy where there is alpha already. One pass.
///
/// # Errors
/// Cmyk, which has no form with alpha, or a size beyond the system's memory.
pub fn add_alpha(pixels: &Pixels) -> Result<Pixels> {
    let Some(_) = pixels.layout().with_alpha() else {
        return Err(Error::unusable("cmyk has no form with alpha; convert it to rgb first"));
    };
    let mut all: Vec<_> = (0..pixels.layout().channels()).map(Take::Channel).collect();
    if !pixels.layout().has_alpha() {
        all.push(Take::Full);
    }
    select(pixels, &all)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn alpha_comes_full_and_goes_without_a_trace() {
        let rgb = Frame::from_pixels(Size::new(2, 1), vec![Rgb::new(1u16, 2, 3), Rgb::new(4, 5, 6)]).unwrap();
        let with = add_alpha(&rgb.clone().into()).unwrap();
        assert_eq!(with.view::<Rgba<u16>>().unwrap()[(1, 0)], Rgba::new(4, 5, 6, 65_535));
        assert_eq!(drop_alpha(&with).unwrap().into_frame::<Rgb<u16>>().unwrap(), rgb);
        let ink = Pixels::new(Size::new(1, 1), Layout::Cmyk, crate::Depth::U8).unwrap();
        assert!(add_alpha(&ink).is_err());
        assert_eq!(drop_alpha(&ink).unwrap(), ink);
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
                    let Ok(out) = select(&pixels, &picks) else {
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

    #[test]
    fn wrong_counts_and_sizes_are_told() {
        let plane = Frame::<Gray<u8>>::new(Size::new(2, 2)).unwrap();
        let odd = Frame::<Gray<u8>>::new(Size::new(2, 3)).unwrap();
        let error = merge::<Rgb<u8>>(&[plane.view(), plane.view()]).unwrap_err().to_string();
        assert_eq!(error, "rgb u8 has 3 channels (r, g, b), but there are 2 planes");
        let error = merge::<GrayAlpha<u8>>(&[plane.view(), odd.view()]).unwrap_err().to_string();
        assert_eq!(error, "plane alpha is 2x3, but 2x2 is needed");
        let planes = Planes::new(Size::new(2, 2)).with("b", plane.clone()).unwrap();
        let error = merge_planes::<Rgb<u8>>(&planes).unwrap_err().to_string();
        assert_eq!(error, "rgb u8 needs a plane r; there are b");
        assert_eq!(pick(plane.view(), 1).unwrap_err().to_string(), "channel 1 is outside 0..1");
        assert!(merge::<Gray<u8>>(&[]).is_err());
    }
}
