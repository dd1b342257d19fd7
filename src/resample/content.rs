//! Resizing of pixels and content whose type is known at run time.

use super::{Area, Plan, ResizeRules};
use crate::error::Result;
use crate::frame::{Content, Frame, Pixels, Size, View};
use crate::pixel::{Pixel, Sample};

impl Pixels {
    /// The pixels in another size: see [`resize`](super::resize).
    ///
    /// # Errors
    /// As [`Plan::new`], or no memory.
    pub fn resize(&self, to: Size, rules: &ResizeRules) -> Result<Pixels> {
        let plan = Plan::charged(self.size(), Area::of(self.size()), to, rules, self.account())?;
        let mut out = Pixels::zeros(to, self.layout(), self.depth(), self.account())?;
        plan.run_any(self.samples_any(), 0, out.samples_any_mut(), 0)?;
        Ok(out)
    }
}

impl Content {
    /// A part of the content in another size: see [`resize_area`](super::resize_area).
    ///
    /// # Errors
    /// As [`Plan::of_area`], or no memory.
    pub fn resize_area(&self, area: Area, to: Size, rules: &ResizeRules) -> Result<Content> {
        let plan = Plan::charged(self.size(), area, to, rules, self.account())?;
        let mut out = Content::zeros(to, &self.pixel_format(), self.account())?;
        plan.run_content(self, 0, &mut out, 0)?;
        Ok(out)
    }
}

impl Plan {
    /// Rows of the source, of which the first is `first_row`, as rows of the target from `output` on.
    pub(crate) fn run_content(&self, from: &Content, first_row: u32, to: &mut Content, output: u32) -> Result<()> {
        match (from, to) {
            (Content::Pixels(from), Content::Pixels(to)) => {
                self.run_rows_any(from.samples_any(), first_row, to.samples_any_mut(), output)
            }
            (from, to) => {
                let pairs = from.views().into_iter().zip(to.views_mut());
                pairs.into_iter().try_for_each(|(from, to)| self.run_numbers(from, first_row, to, output))
            }
        }
    }
}

impl<P: Pixel<Number: Sample>> Frame<P> {
    /// The picture in another size: see [`resize`](super::resize).
    ///
    /// # Errors
    /// As [`Plan::new`], or no memory.
    pub fn resize(&self, to: Size, rules: &ResizeRules) -> Result<Frame<P>> {
        self.view().resize(to, rules)
    }
}

impl<P: Pixel<Number: Sample>> View<'_, P> {
    /// The picture in another size: see [`resize`](super::resize).
    ///
    /// # Errors
    /// As [`Plan::new`], or no memory.
    pub fn resize(&self, to: Size, rules: &ResizeRules) -> Result<Frame<P>> {
        super::resize_area(*self, Area::of(self.size()), to, rules)
    }
}
