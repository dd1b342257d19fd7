//! Between samples, which span the full range, and a file's own codes, which go from 0 to a max code.
//!
//! The sample of a code is code / top of full and the code of a sample is sample / full of top, each rounded to nearest,
//! ties up; a code of a top up to the depth's own comes back exactly. Floats have no codes.

use crate::error::{Error, Result};
use crate::frame::{AnySamplesMut, Pixels, SampleViewMut, ViewMut, check_codes};
use crate::pixel::{Pixel, Sample, codes};

/// What to do with each number.
#[derive(Clone, Copy)]
enum Way {
    Expand,
    Reduce,
    Snap,
}

/// Scales codes 0..=top of each channel to samples over the full range. Two passes: one that checks, one by a table.
///
/// # Errors
/// A code above its top, floats, another number of max codes than channels, or a max code of 0 or beyond the depth.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, convert::codes};
/// let mut row = Frame::<Gray<u16>>::from_samples(Size::new(3, 1), vec![0, 2048, 4095])?;
/// codes::expand(row.view_mut(), &[4095])?;
/// assert_eq!(row.samples(), [0, 32_776, 65_535]);
/// codes::reduce(row.view_mut(), &[4095])?;
/// assert_eq!(row.samples(), [0, 2048, 4095]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn expand<P: Pixel<Number: Sample>>(view: ViewMut<'_, P>, tops: &[u32]) -> Result<()> {
    check_count::<P>(tops)?;
    let view = view.into_samples_any();
    if view.depth() != crate::Depth::F32 {
        check_codes(view.as_view(), tops, 0)?;
    }
    run(view, tops, Way::Expand)
}

/// Scales samples to the nearest codes 0..=top of each channel. One pass, by a table.
///
/// # Errors
/// As [`expand`].
pub fn reduce<P: Pixel<Number: Sample>>(view: ViewMut<'_, P>, tops: &[u32]) -> Result<()> {
    check_count::<P>(tops)?;
    run(view.into_samples_any(), tops, Way::Reduce)
}

/// Rounds samples to those that codes 0..=top stand for: as many levels as codes, over the full range. One
/// pass, by a table.
///
/// # Errors
/// As [`expand`].
pub fn snap<P: Pixel<Number: Sample>>(view: ViewMut<'_, P>, tops: &[u32]) -> Result<()> {
    check_count::<P>(tops)?;
    run(view.into_samples_any(), tops, Way::Snap)
}

impl Pixels {
    /// Rounds samples to those that codes 0..=top stand for: [`snap`], to one max code for all channels.
    ///
    /// # Errors
    /// As [`snap`].
    pub fn snap_codes(&mut self, top: u32) -> Result<()> {
        let tops = vec![top; self.layout().channels()];
        run(self.samples_any_mut(), &tops, Way::Snap)
    }
}

/// [`snap`] of pixels whose type is known at run time.
pub(crate) fn snap_pixels(pixels: &mut Pixels, tops: &[u32]) -> Result<()> {
    check_channels(pixels, tops)?;
    run(pixels.samples_any_mut(), tops, Way::Snap)
}

/// [`reduce`] of pixels whose type is known at run time.
pub(crate) fn reduce_pixels(pixels: &mut Pixels, tops: &[u32]) -> Result<()> {
    check_channels(pixels, tops)?;
    run(pixels.samples_any_mut(), tops, Way::Reduce)
}

/// [`expand`] of pixels whose type is known at run time; a code beyond the largest is an error. The first row is row
/// `first_row` of the picture.
pub(crate) fn expand_pixels(pixels: &mut Pixels, tops: &[u32], first_row: u32) -> Result<()> {
    check_channels(pixels, tops)?;
    check_codes(pixels.samples_any(), tops, first_row)?;
    run(pixels.samples_any_mut(), tops, Way::Expand)
}

fn check_channels(pixels: &Pixels, tops: &[u32]) -> Result<()> {
    let (layout, channels) = (pixels.layout(), pixels.layout().channels());
    match tops.len() == channels {
        true => Ok(()),
        false => Err(Error::wrong_count(
            "max_codes",
            tops.len(),
            (channels, channels),
            format!("{layout} has {channels} channels, not {} max codes", tops.len()),
        )),
    }
}

/// Checks that codes 0..=top fit this depth.
///
/// # Errors
/// Floats, or a max code of 0 or beyond the depth.
pub fn check_top(depth: crate::Depth, top: u32) -> Result<()> {
    let Some(full) = depth.max_code() else {
        return Err(Error::invalid("view", "f32 samples have no codes; change the depth to u8 or u16 first"));
    };
    if top == 0 || top > u32::from(full) {
        return Err(Error::out_of_range(
            "max_code",
            f64::from(top),
            (1.0, f64::from(full)),
            format!("a max code of {depth} is 1 to {full}, not {top}"),
        ));
    }
    Ok(())
}

fn check_count<P: Pixel>(tops: &[u32]) -> Result<()> {
    if tops.len() == P::CHANNELS {
        return Ok(());
    }
    let (name, channels) = (P::describe(), P::CHANNELS);
    Err(Error::wrong_count(
        "max_codes",
        tops.len(),
        (channels, channels),
        format!("{name} has {channels} channels, not {} max codes", tops.len()),
    ))
}

/// As many max codes as channels.
fn run(view: AnySamplesMut<'_>, tops: &[u32], way: Way) -> Result<()> {
    match view {
        AnySamplesMut::U8(view) => run_samples(view, tops, way),
        AnySamplesMut::U16(view) => run_samples(view, tops, way),
        // Says that floats have no codes.
        AnySamplesMut::F32(_) => check_top(crate::Depth::F32, 1),
    }
}

fn run_samples<S: Sample>(mut view: SampleViewMut<'_, S>, tops: &[u32], way: Way) -> Result<()> {
    let full = S::DEPTH.max_code().map_or(0, u32::from);
    let mut tables = Vec::with_capacity(tops.len());
    for &top in tops {
        check_top(S::DEPTH, top)?;
        let mut table = Vec::with_capacity(full as usize + 1);
        for v in 0..full + 1 {
            table.push(number::<S>(changed(v, top, full, way)));
        }
        tables.push(table);
    }
    for row in view.rows_mut() {
        for pixel in row.chunks_exact_mut(tables.len()) {
            for i in 0..pixel.len() {
                // The table has an entry for every value of the depth.
                pixel[i] = tables[i][index(pixel[i])];
            }
        }
    }
    Ok(())
}

/// One number, one way.
fn changed(v: u32, top: u32, full: u32, way: Way) -> u32 {
    match way {
        Way::Expand => codes::sample_of(v, top, full),
        Way::Reduce => codes::code_of(v, top, full),
        Way::Snap => codes::sample_of(codes::code_of(v, top, full), top, full),
    }
}

/// A whole number up to the depth's max code, unscaled.
fn number<S: Sample>(value: u32) -> S {
    if S::DEPTH == crate::Depth::U8 { S::from_u8(value as u8) } else { S::from_u16(value as u16) }
}

/// An integer sample as an index.
fn index<S: Sample>(sample: S) -> usize {
    match S::DEPTH {
        crate::Depth::U8 => usize::from(sample.to_depth::<u8>()),
        _ => usize::from(sample.to_depth::<u16>()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::{Gray, GrayAlpha};

    #[test]
    fn codes_go_there_and_back_a_channel_each() {
        let codes: Vec<u16> = (0..=1000).flat_map(|code| [code, code % 8]).collect();
        let mut frame = Frame::<GrayAlpha<u16>>::from_samples(Size::new(1001, 1), codes.clone()).unwrap();
        expand(frame.view_mut(), &[1000, 7]).unwrap();
        assert_eq!(frame[(500, 0)], GrayAlpha::new(32_768, 37_449));
        let samples = frame.clone();
        snap(frame.view_mut(), &[1000, 7]).unwrap();
        assert_eq!(frame, samples);
        reduce(frame.view_mut(), &[1000, 7]).unwrap();
        assert_eq!(frame.samples(), codes);
    }

    #[test]
    fn snapping_leaves_as_many_levels_as_codes() {
        let mut all = Frame::<Gray<u8>>::from_samples(Size::new(256, 1), (0..=255).collect()).unwrap();
        snap(all.view_mut(), &[3]).unwrap();
        assert_eq!([0, 42, 43, 127, 128, 212, 213].map(|i| all.samples()[i]), [0, 0, 85, 85, 170, 170, 255]);
    }

    #[test]
    fn tops_that_do_not_fit_are_refused() {
        let mut bytes = Frame::<Gray<u8>>::new(Size::new(1, 1)).unwrap();
        for tops in [&[0u32][..], &[256], &[], &[7, 7]] {
            assert!(snap(bytes.view_mut(), tops).is_err(), "{tops:?}");
        }
        let mut floats = Frame::<Gray<f32>>::new(Size::new(1, 1)).unwrap();
        assert!(expand(floats.view_mut(), &[7]).unwrap_err().to_string().contains("no codes"));
    }
}
