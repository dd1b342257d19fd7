//! Channels of content whose type is known at run time only: the names of the typed calls, as methods.

use super::channels::{interleave, replaced, separate};
use super::select::check_channel;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{
    Content, Pixels, SampleView, SampleViewMut, depths_differ, same_size, with_same_samples, with_samples,
    with_samples_mut,
};
use crate::pixel::{Gray, Layout, Sample};

impl Content {
    /// Every channel or plane as content of its own, with its name, in order. One pass; planes are copied.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Content, Frame, Gray, Rgb, Size};
    /// let dawn = Content::from(Frame::filled(Size::new(2, 1), Rgb::new(250u8, 160, 90))?);
    /// let (name, red) = &dawn.split()?[0];
    /// assert_eq!((name.as_str(), red.pixels()?.view::<Gray<u8>>()?[(1, 0)].value), ("r", 250));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn split(&self) -> Result<Vec<(String, Content)>> {
        let pixels = match self {
            Content::Pixels(pixels) => pixels,
            Content::Planes(planes) => {
                let apart = planes.clone().apart().into_iter();
                return Ok(apart.map(|(name, plane)| (name, Content::Planes(plane))).collect());
            }
        };
        let blank = |_: &&str| Pixels::zeros(pixels.size(), Layout::Gray, pixels.depth(), pixels.account());
        let names = pixels.layout().channel_names();
        let mut out = names.iter().map(blank).collect::<Result<Vec<_>>>()?;
        with_samples!(pixels.samples_any(), view => split_samples(view, &mut out))?;
        Ok(names.iter().zip(out).map(|(name, plane)| (name.to_string(), plane.into())).collect())
    }

    /// Puts gray content of the same size and depth in the place of a channel. One pass.
    ///
    /// # Errors
    /// A channel that is not there, another size or depth, a plane that is not gray; planes.
    pub fn replace_channel(&mut self, channel: usize, plane: &Content) -> Result<()> {
        let (target, plane) = (self.pixels_mut()?, plane.pixels()?);
        check_channel(channel, target.layout().channels())?;
        check_gray(plane)?;
        same_size("the plane", target.size(), plane.size())?;
        with_same_samples!(plane.samples_any(), target.samples_any_mut(), from, into => {
            replaced(into, channel, from);
            Ok(())
        })
    }
}

impl Pixels {
    /// Gray pictures of one size and depth as the channels of one picture, in the layout's order. One pass.
    ///
    /// # Errors
    /// Another number of planes than the layout has channels, planes that differ in size or depth or are not gray, or a size
    /// beyond the system's memory.
    pub fn merge(planes: &[&Pixels], layout: Layout) -> Result<Pixels> {
        let names = layout.channel_names();
        let (Some(first), true) = (planes.first(), planes.len() == names.len()) else {
            let (wanted, found) = (names.join(", "), planes.len());
            let line = format!("{layout} has {} channels ({wanted}), but there are {found} planes", names.len());
            return Err(Error::wrong_count("planes", found, (names.len(), names.len()), line));
        };
        for (name, plane) in names.iter().zip(planes) {
            same_size(&format!("plane {name}"), first.size(), plane.size())?;
            check_gray(plane)?;
            if plane.depth() != first.depth() {
                return Err(depths_differ(first.depth(), plane.depth()));
            }
        }
        let mut out = Pixels::zeros(first.size(), layout, first.depth(), first.account())?;
        with_samples_mut!(out.samples_any_mut(), into => merge_samples(planes, into))?;
        Ok(out)
    }
}

fn split_samples<S: Sample>(view: SampleView<'_, S>, planes: &mut [Pixels]) -> Result<()> {
    let mut views = Vec::with_capacity(planes.len());
    for plane in planes {
        views.push(plane.view_mut::<Gray<S>>()?.into_samples());
    }
    separate(view, views);
    Ok(())
}

fn merge_samples<S: Sample>(planes: &[&Pixels], target: SampleViewMut<'_, S>) -> Result<()> {
    let mut views = Vec::with_capacity(planes.len());
    for plane in planes {
        views.push(plane.view::<Gray<S>>()?.samples());
    }
    interleave(&views, target);
    Ok(())
}

fn check_gray(plane: &Pixels) -> Result<()> {
    let (layout, depth) = (plane.layout(), plane.depth());
    match layout {
        Layout::Gray => Ok(()),
        _ => Err(ErrorKind::Types { wanted: format!("gray {depth}"), found: format!("{layout} {depth}") }.into()),
    }
}
