//! The values along a row, a column or any line.

use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, Size, View};
use crate::pixel::Pixel;
use crate::resample::{Kernel, taps};

/// The values along a line from one pixel's centre to another's.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(try_from = "Unchecked"))]
#[non_exhaustive]
pub struct Profile {
    /// The first pixel, x and y.
    pub from: (u32, u32),
    /// The last pixel, x and y.
    pub to: (u32, u32),
    /// Pixels from one place to the next along the line: 1 for rows and columns, up to the root of 2 for others.
    pub step: f64,
    /// A channel or plane each.
    pub channels: Vec<ChannelProfile>,
}

/// The values of one channel along a line.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct ChannelProfile {
    /// The channel's or plane's name.
    pub name: String,
    /// The values, in numbers of the picture; between pixels they are not rounded.
    pub values: Vec<f64>,
}

/// What stands in a file may be anything.
#[cfg(feature = "serde")]
#[derive(serde::Deserialize)]
struct Unchecked {
    from: (u32, u32),
    to: (u32, u32),
    step: f64,
    channels: Vec<ChannelProfile>,
}

#[cfg(feature = "serde")]
impl TryFrom<Unchecked> for Profile {
    type Error = Error;

    fn try_from(profile: Unchecked) -> Result<Profile> {
        let Unchecked { from, to, step, channels } = profile;
        let places = u64::from(from.0.abs_diff(to.0).max(from.1.abs_diff(to.1))) + 1;
        let fits = !channels.is_empty() && channels.iter().all(|c| c.values.len() as u64 == places);
        match fits && step.is_finite() && step > 0.0 {
            true => Ok(Profile { from, to, step, channels }),
            false => Err(Error::invalid("profile", format!("a line of {places} places needs a value for each"))),
        }
    }
}

impl Profile {
    /// The places of the values, in pixels from the first one's centre: (x, y) of each.
    pub fn places(&self) -> Vec<(f64, f64)> {
        places(self.from, self.to)
    }
}

fn places(from: (u32, u32), to: (u32, u32)) -> Vec<(f64, f64)> {
    let steps = from.0.abs_diff(to.0).max(from.1.abs_diff(to.1));
    let at = |a: u32, b: u32, i: u32| {
        let (a, b) = (f64::from(a), f64::from(b));
        if steps == 0 { a } else { a + (b - a) * f64::from(i) / f64::from(steps) }
    };
    (0..=steps).map(|i| (at(from.0, to.0, i), at(from.1, to.1, i))).collect()
}

/// The values of a view along the line between two pixels, both included: a value for every step along the longer axis,
/// the pixel itself on rows, columns and diagonals, and linear between pixels elsewhere.
///
/// # Errors
/// An end outside the picture: the error says which axis, and when the swapped pair would be inside.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::profile};
/// let frame = Frame::from_fn(Size::new(5, 3), |x, y| Gray::new((10 * y + x) as u8))?;
/// let along = profile(frame.view(), (0, 0), (4, 2))?;
/// // Halfway between two rows the values are in between.
/// assert_eq!(along.channels[0].values, [0.0, 6.0, 12.0, 18.0, 24.0]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn profile<P: Pixel>(view: View<'_, P>, from: (u32, u32), to: (u32, u32)) -> Result<Profile> {
    let names: Vec<_> = P::CHANNEL_NAMES.iter().map(|name| name.to_string()).collect();
    profile_any(&[view.numbers_any()], view.size(), &names, from, to)
}

/// The channels of all views, which have one size, one behind the other.
pub(super) fn profile_any(
    views: &[AnyNumbers<'_>],
    size: Size,
    names: &[String],
    from: (u32, u32),
    to: (u32, u32),
) -> Result<Profile> {
    let mut channels: Vec<_> = names.iter().map(|name| empty(name)).collect();
    walk(size, from, to, &mut |x, y, weight, first| {
        let values = views.iter().flat_map(|view| {
            let (count, row) = (view.channels().count, view.row(y));
            (0..count).map(move |channel| row.get(x as usize * count + channel).unwrap_or(f64::NAN))
        });
        channels.iter_mut().zip(values).for_each(|(channel, v)| channel.add(v * weight, first));
    })?;
    Ok(Profile { from, to, step: step(from, to), channels })
}

fn empty(name: &str) -> ChannelProfile {
    ChannelProfile { name: name.to_string(), values: Vec::new() }
}

impl ChannelProfile {
    fn add(&mut self, value: f64, first: bool) {
        match self.values.last_mut() {
            Some(last) if !first => *last += value,
            _ => self.values.push(value),
        }
    }
}

fn step(from: (u32, u32), to: (u32, u32)) -> f64 {
    let (x, y) = (f64::from(from.0.abs_diff(to.0)), f64::from(from.1.abs_diff(to.1)));
    if x.max(y) == 0.0 { 0.0 } else { x.hypot(y) / x.max(y) }
}

/// Calls with every pixel that a place on the line is made of, its weight, and whether it is the place's first.
fn walk(size: Size, from: (u32, u32), to: (u32, u32), pixel: &mut dyn FnMut(u32, u32, f64, bool)) -> Result<()> {
    size.check_place(from.0, from.1)?;
    size.check_place(to.0, to.1)?;
    for (x, y) in places(from, to) {
        let place = taps(size, x + 0.5, y + 0.5, &Kernel::Linear, Edge::Clamp)?;
        let mut first = true;
        for row in &place.y {
            for column in &place.x {
                if let (Some(x), Some(y)) = (column.inside, row.inside) {
                    pixel(x, y, column.weight * row.weight, first);
                    first = false;
                }
            }
        }
        if first {
            return Err(Error::invalid("place", format!("the place {x},{y} has no pixel")));
        }
    }
    Ok(())
}
