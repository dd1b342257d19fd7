//! Resizing as a step: it holds the rows its kernel needs, never a whole picture.

use super::steps::{pixel_form, same_form};
use super::{Step, Strip};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Frame, Job, Size, View};
use crate::pixel::Stored;
use crate::resample::{Area, Plan, ResizeRules, Target};
use std::ops::Range;

/// Another size, by interpolation.
#[derive(Debug, Clone)]
pub struct Resize {
    area: Option<Area>,
    target: Target,
    rules: ResizeRules,
    plan: Option<Plan>,
}

impl Resize {
    /// To this size by these rules.
    pub fn new(target: Target, rules: ResizeRules) -> Resize {
        Resize { area: None, target, rules, plan: None }
    }

    /// The same of a part of the picture only, whose corners may lie between pixels.
    pub fn of_area(self, area: Area) -> Resize {
        Resize { area: Some(area), ..self }
    }
}

impl Step for Resize {
    fn name(&self) -> &'static str {
        "resize"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        pixel_form(input, "resize")?;
        let (area, to) = self.target.of_area(input.size, self.area.unwrap_or(Area::of(input.size)))?;
        self.plan = Some(Plan::of_area(input.size, area, to, self.rules)?);
        let (width, height) = area.sides();
        let change = Change::Resize { x: f64::from(to.width) / width, y: f64::from(to.height) / height };
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
