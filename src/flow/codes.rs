//! The steps between samples over the full range and a file's own codes.

use super::input::{pixel_form, same_form};
use super::{Stage, Step, by_rows};
use crate::convert::codes;
use crate::error::Result;
use crate::frame::{Change, Content, Facts, PixelFormat, Scale};
use crate::pixel::Depth;

/// As many levels as there are codes from 0 to a max code: see [`codes::snap`]. The picture remembers the max code.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Codes {
    /// The largest code.
    pub top: u32,
}

impl Codes {
    /// Codes 0..=`top`.
    pub fn new(top: u32) -> Codes {
        Codes { top }
    }
}

impl Step for Codes {
    fn name(&self) -> &'static str {
        "codes"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "a change of codes")?;
        codes::check_top(depth, self.top)?;
        let mut metadata = input.metadata.after(Change::Values);
        let full = depth.max_code().map(u32::from) == Some(self.top);
        metadata.max_codes = (!full).then(|| vec![self.top; layout.channels()]);
        let top = self.top;
        Ok(by_rows(same_form(input, input.size, metadata), move |content, _| {
            let mut content = content.copied()?;
            content.pixels_mut()?.snap_codes(top)?;
            Ok(content)
        }))
    }
}

/// The picture's codes as they are, 0..=max code, instead of samples scaled to the full range: [`Scale::Codes`]. Pictures
/// without a max code stay as they are: their samples are codes. One pass.
#[derive(Debug, Clone, Default)]
pub struct ToCodes;

/// The picture's codes scaled to the full range of the depth: undoes [`ToCodes`]. One pass.
#[derive(Debug, Clone, Default)]
pub struct FromCodes;

/// The max codes of integer pixels that are on the other scale.
fn max_codes(input: &Facts, other: Scale) -> Option<Vec<u32>> {
    let integers = matches!(input.pixel_format, PixelFormat::Pixels { depth, .. } if depth.max_code().is_some());
    input.metadata.max_codes.clone().filter(|_| integers && input.metadata.scale == other)
}

/// Samples that were computed of codes of more than 8 bits, as those of the nearest codes. It follows every step that computes, so that
/// what comes does not depend on which of them are done on a picture in memory. A pass by a table, where there are codes.
#[derive(Debug, Clone)]
pub(crate) struct OnCodes;

impl OnCodes {
    /// Whether samples of these facts stand for codes of more than 8 bits.
    pub(crate) fn has_work(facts: &Facts) -> bool {
        let wide = matches!(facts.pixel_format, PixelFormat::Pixels { depth: Depth::U16, .. });
        wide && max_codes(facts, Scale::Full).is_some()
    }

    /// Whether it has work behind a step that gives pictures of these facts.
    pub(super) fn follows(step: &dyn Step, output: &Facts) -> bool {
        !step.takes_codes() && OnCodes::has_work(output)
    }

    /// The same in place.
    ///
    /// # Errors
    /// Max codes that are not one a channel.
    pub(super) fn round(content: &mut Content, facts: &Facts) -> Result<()> {
        codes::snap_pixels(content.pixels_mut()?, facts.metadata.max_codes.as_deref().unwrap_or_default())
    }
}

impl Step for OnCodes {
    fn name(&self) -> &'static str {
        "on codes"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let facts = input.clone();
        Ok(by_rows(input.clone(), move |content, _| {
            let mut content = content.copied()?;
            OnCodes::round(&mut content, &facts)?;
            Ok(content)
        }))
    }
}

impl Step for ToCodes {
    fn name(&self) -> &'static str {
        "to codes"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let max_codes = max_codes(input, Scale::Full);
        let mut output = input.clone();
        if max_codes.is_some() {
            output.metadata.scale = Scale::Codes;
        }
        Ok(by_rows(output, move |content, _| {
            let mut content = content.copied()?;
            if let Some(max_codes) = &max_codes {
                codes::reduce_pixels(content.pixels_mut()?, max_codes)?;
            }
            Ok(content)
        }))
    }

    fn takes_codes(&self) -> bool {
        true
    }
}

impl Step for FromCodes {
    fn name(&self) -> &'static str {
        "from codes"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let max_codes = max_codes(input, Scale::Codes);
        let mut output = input.clone();
        output.metadata.scale = Scale::Full;
        Ok(by_rows(output, move |content, first| {
            let mut content = content.copied()?;
            if let Some(max_codes) = &max_codes {
                codes::expand_pixels(content.pixels_mut()?, max_codes, first)?;
            }
            Ok(content)
        }))
    }

    fn takes_codes(&self) -> bool {
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flow::{ToGray, apply};
    use crate::frame::{Frame, Picture, Size};
    use crate::pixel::{Gray, Rgb};

    fn twelve_bits() -> Picture {
        let mut frame = Frame::<Gray<u16>>::from_samples(Size::new(4, 1), vec![0, 1, 2048, 4095]).unwrap();
        codes::expand(frame.view_mut(), &[4095]).unwrap();
        let mut picture = Picture::from(frame);
        picture.metadata_mut().max_codes = Some(vec![4095]);
        picture
    }

    #[test]
    fn codes_come_as_they_are_and_go_back_to_the_same_samples() {
        let picture = twelve_bits();
        let found = apply(picture.clone(), &[&ToCodes]).unwrap();
        assert_eq!(found.clone().frame::<Gray<u16>>().unwrap().samples(), [0, 1, 2048, 4095]);
        assert_eq!((found.metadata().scale, found.metadata().max_codes.clone()), (Scale::Codes, Some(vec![4095])));
        assert!(apply(found, &[&FromCodes]).unwrap() == picture);
        // Without a max code samples are codes.
        let plain = Picture::from(Frame::filled(Size::new(2, 2), Gray::new(7u8)).unwrap());
        assert!(apply(plain.clone(), &[&ToCodes]).unwrap() == plain);
    }

    #[test]
    fn steps_that_compute_see_samples_and_codes_beyond_the_largest_are_an_error() {
        let mut color = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(7u8, 7, 7)).unwrap());
        (color.metadata_mut().max_codes, color.metadata_mut().scale) = (Some(vec![7; 3]), Scale::Codes);
        let gray = apply(color.clone(), &[&ToGray::default()]).unwrap();
        assert_eq!((gray.view::<Gray<u8>>().unwrap()[(0, 0)].value, gray.metadata().scale), (255, Scale::Full));
        color.metadata_mut().max_codes = Some(vec![6, 7, 7]);
        let error = apply(color, &[&ToGray::default()]).unwrap_err().to_string();
        assert!(error.contains("code 7") && error.contains("0..=6"), "{error}");
    }
}
