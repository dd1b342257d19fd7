//! Resizing as a step: it holds the rows its kernel needs, never a whole picture.

use super::steps::{pixel_form, same_form};
use super::{Step, Strip};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Frame, Job, Size, View};
use crate::pixel::Stored;
use crate::resample::{Plan, ResizeRules, Target};
use std::ops::Range;

/// Another size, by interpolation.
#[derive(Debug, Clone)]
pub struct Resize {
    target: Target,
    rules: ResizeRules,
    plan: Option<Plan>,
}

impl Resize {
    /// To this size by these rules.
    pub fn new(target: Target, rules: ResizeRules) -> Resize {
        Resize { target, rules, plan: None }
    }
}

impl Step for Resize {
    fn name(&self) -> &'static str {
        "resize"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        pixel_form(input, "resize")?;
        let (from, to) = (input.size, self.target.size(input.size)?);
        self.plan = Some(Plan::new(from, to, self.rules)?);
        let factor = |from: u32, to: u32| f64::from(to) / f64::from(from);
        let change = Change::Resize { x: factor(from.width, to.width), y: factor(from.height, to.height) };
        Ok(same_form(input, to, input.metadata.after(change)))
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        self.plan.as_ref().map_or(output.clone(), |plan| plan.rows_needed(output))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        struct Rows<'a>(&'a Plan, u32, Range<u32>);
        impl Job for Rows<'_> {
            type Out = Result<Content>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Self::Out {
                let Rows(plan, first_row, output) = self;
                let mut out = Frame::<P>::new(Size::new(plan.target().width, output.end - output.start))?;
                plan.run_rows(view, first_row, out.view_mut(), output.start)?;
                Ok(out.into())
            }
        }
        let plan = self.plan.as_ref().ok_or_else(|| Error::unusable("resize was run before it was planned"))?;
        input.content.pixels()?.visit(Rows(plan, input.first_row, output))
    }
}
