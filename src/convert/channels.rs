//! Channels as planes and back, one picked, one replaced. No new values are made.
//!
//! New pictures made of any channels of an old one have a file of their own.

use super::swizzle;
use crate::error::{Error, Result};
use crate::frame::{Frame, Planes, SampleView, SampleViewMut, Size, View, ViewMut, same_size};
use crate::pixel::{Gray, Number, Pixel};

use super::select::check_channel;
pub(crate) use super::select::select_any;
pub use super::select::{Take, select_into, selected_layout};

/// A plane of the channel type of `P`.
type Plane<P> = Gray<<P as Pixel>::Number>;

/// Splits pixels into one plane a channel, named as the channels are. One pass.
///
/// # Errors
/// A size beyond the system's memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size, convert::channels};
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
        frames.push(Frame::<Plane<P>>::zeros(view.size(), view.account())?);
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
    separate(view.samples(), planes.iter_mut().map(|plane| plane.reborrow().into_samples()).collect());
    Ok(())
}

/// Each channel to a plane of its own: as many planes as channels.
pub(super) fn separate<T: Number>(view: SampleView<'_, T>, mut planes: Vec<SampleViewMut<'_, T>>) {
    for y in 0..view.height() {
        let row = view.row(y);
        match planes.as_mut_slice() {
            [a] => a.row_mut(y).copy_from_slice(row),
            [a, b] => swizzle::separate(row, [a.row_mut(y), b.row_mut(y), &mut [], &mut []]),
            [a, b, c] => swizzle::separate(row, [a.row_mut(y), b.row_mut(y), c.row_mut(y), &mut []]),
            [a, b, c, d] => swizzle::separate(row, [a.row_mut(y), b.row_mut(y), c.row_mut(y), d.row_mut(y)]),
            _ => {} // no pixel has more channels
        }
    }
}

/// Merges planes, in the order of the channels, into pixels. They may be of different pictures. One pass.
///
/// # Errors
/// Another number of planes than `P` has channels, sizes that differ, or a size beyond the system's memory.
pub fn merge<P: Pixel>(planes: &[View<'_, Plane<P>>]) -> Result<Frame<P>> {
    let size = planes.first().map(View::size).unwrap_or_default();
    check_planes::<P>(size, planes.iter().map(View::size))?;
    let mut out = Frame::zeros(size, planes.first().and_then(View::account))?;
    merge_into(planes, out.view_mut())?;
    Ok(out)
}

/// Merges planes into pixels, each plane found by the name of its channel; others are left out. One pass.
///
/// # Errors
/// A channel without a plane, or a size beyond the system's memory.
pub fn merge_planes<P: Pixel>(planes: &Planes<P::Number>) -> Result<Frame<P>> {
    let find = |name: &&str| {
        let there = || planes.names().collect::<Vec<_>>().join(", ");
        planes.get(name).map(Frame::view).ok_or_else(|| {
            Error::invalid("planes", format!("{} needs a plane {name}; there are {}", P::describe(), there()))
        })
    };
    let views: Vec<_> = P::CHANNEL_NAMES.iter().map(find).collect::<Result<_>>()?;
    merge(&views)
}

/// [`merge`] into a view of the same size.
///
/// # Errors
/// As [`merge`], or a target of another size.
pub fn merge_into<P: Pixel>(planes: &[View<'_, Plane<P>>], target: ViewMut<'_, P>) -> Result<()> {
    check_planes::<P>(target.size(), planes.iter().map(View::size))?;
    interleave(&planes.iter().map(View::samples).collect::<Vec<_>>(), target.into_samples());
    Ok(())
}

/// Planes, as many as channels, side by side.
pub(super) fn interleave<T: Number>(planes: &[SampleView<'_, T>], target: SampleViewMut<'_, T>) {
    for (y, row) in (0u32..).zip(target.into_rows()) {
        match planes {
            [a] => row.copy_from_slice(a.row(y)),
            [a, b] => swizzle::interleave([a.row(y), b.row(y), &[], &[]], row),
            [a, b, c] => swizzle::interleave([a.row(y), b.row(y), c.row(y), &[]], row),
            [a, b, c, d] => swizzle::interleave([a.row(y), b.row(y), c.row(y), d.row(y)], row),
            _ => {} // no pixel has more channels
        }
    }
}

fn check_planes<P: Pixel>(size: Size, planes: impl Iterator<Item = Size>) -> Result<()> {
    check_sizes(P::CHANNEL_NAMES, P::describe, size, &planes.collect::<Vec<_>>())
}

fn check_sizes(names: &[&str], describe: fn() -> String, size: Size, planes: &[Size]) -> Result<()> {
    if planes.len() != names.len() {
        return Err(Error::wrong_count(
            "take",
            planes.len(),
            (names.len(), names.len()),
            format!(
                "{} has {} channels ({}), but there are {} planes",
                describe(),
                names.len(),
                names.join(", "),
                planes.len()
            ),
        ));
    }
    for (name, &found) in names.iter().zip(planes) {
        same_size(&format!("plane {name}"), size, found)?;
    }
    Ok(())
}

/// Copies one channel, counted from 0, into a plane. One pass.
///
/// # Errors
/// A channel that is not there, or a size beyond the system's memory.
pub fn pick<P: Pixel>(view: View<'_, P>, channel: usize) -> Result<Frame<Plane<P>>> {
    check_channel(channel, P::CHANNELS)?;
    let mut out = Frame::zeros(view.size(), view.account())?;
    pick_into(view, channel, out.view_mut())?;
    Ok(out)
}

/// [`pick`] into a view of the same size.
///
/// # Errors
/// A channel that is not there, or another size.
pub fn pick_into<P: Pixel>(view: View<'_, P>, channel: usize, target: ViewMut<'_, Plane<P>>) -> Result<()> {
    check_channel(channel, P::CHANNELS)?;
    same_size("the target", view.size(), target.size())?;
    picked(view.samples(), channel, target.into_samples());
    Ok(())
}

fn picked<T: Number>(view: SampleView<'_, T>, channel: usize, target: SampleViewMut<'_, T>) {
    for (from, to) in view.rows().zip(target.into_rows()) {
        match (view.channels().count, channel) {
            (1, _) => to.copy_from_slice(from),
            (2, 0) => swizzle::each::<_, 2, 1>(from, to, |&[v, _], to| *to = [v]),
            (2, _) => swizzle::each::<_, 2, 1>(from, to, |&[_, v], to| *to = [v]),
            (3, 0) => swizzle::each::<_, 3, 1>(from, to, |&[v, _, _], to| *to = [v]),
            (3, 1) => swizzle::each::<_, 3, 1>(from, to, |&[_, v, _], to| *to = [v]),
            (3, _) => swizzle::each::<_, 3, 1>(from, to, |&[_, _, v], to| *to = [v]),
            _ => swizzle::each::<_, 4, 1>(from, to, |p, to| *to = [p[channel & 3]]),
        }
    }
}

/// Replaces one channel, counted from 0, by a plane. One pass.
///
/// # Errors
/// A channel that is not there, or another size.
pub fn replace<P: Pixel>(target: ViewMut<'_, P>, channel: usize, plane: View<'_, Plane<P>>) -> Result<()> {
    check_channel(channel, P::CHANNELS)?;
    same_size("the plane", target.size(), plane.size())?;
    replaced(target.into_samples(), channel, plane.samples());
    Ok(())
}

pub(super) fn replaced<T: Number>(target: SampleViewMut<'_, T>, channel: usize, plane: SampleView<'_, T>) {
    let channels = target.channels().count;
    for (from, to) in plane.rows().zip(target.into_rows()) {
        match channels {
            1 => to.copy_from_slice(from),
            2 => swizzle::place::<_, 2>(from, to, channel),
            3 => swizzle::place::<_, 3>(from, to, channel),
            _ => swizzle::place::<_, 4>(from, to, channel),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::{GrayAlpha, Rgb};

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
