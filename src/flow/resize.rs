//! Interpolation as steps: resizing holds the rows that its kernel needs, never a whole picture; rotating by an angle needs
//! all of it.

use super::input::{pixel_form, same_form};
use super::{Sees, Step, Strip};
use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, PixelFormat, Pixels, Size};
use crate::resample::{Affine, Area, Plan, ResizeRules, Target, WarpRules, rotated_whole, warp_any};
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
    /// A step to this size by these rules.
    pub fn new(target: Target, rules: ResizeRules) -> Resize {
        Resize { area: None, target, rules, plan: None }
    }

    /// Resizes a part of the picture only, whose corners may lie between pixels.
    pub fn of_area(self, area: Area) -> Resize {
        Resize { area: Some(area), ..self }
    }
}

impl Step for Resize {
    fn name(&self) -> &'static str {
        "resize"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        if let PixelFormat::Pixels { .. } = input.pixel_format {
            pixel_form(input, "resize")?;
        }
        let (area, to) = self.target.of_area(input.size, self.area.unwrap_or(Area::of(input.size)))?;
        let plan = Plan::of_area(input.size, area, to, self.rules)?;
        let (width, height) = area.sides();
        let (x, y) = (f64::from(to.width) / width, f64::from(to.height) / height);
        let change = Change::Resize { x, y, keeps_values: plan.keeps_values() };
        self.plan = Some(plan);
        Ok(same_form(input, to, input.metadata.after(change)))
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        match (&self.plan, self.sees()) {
            (Some(plan), Sees::Whole) => 0..plan.source().height,
            (Some(plan), _) => plan.rows_needed(output),
            (None, _) => output,
        }
    }

    fn sees(&self) -> Sees {
        // The last rows are made of the first ones too.
        if matches!(self.rules.edge, Edge::Wrap) { Sees::Whole } else { Sees::Once }
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let plan = self.plan.as_ref().ok_or_else(|| Error::wrong_order("resize was run before it was planned"))?;
        let size = Size::new(plan.target().width, output.end - output.start);
        let mut out = Content::new(size, &input.content.pixel_format())?;
        match (&input.content, &mut out) {
            (Content::Pixels(from), Content::Pixels(to)) => {
                plan.run_rows_any(from.samples_any(), input.first_row, to.samples_any_mut(), output.start)?;
            }
            (from, to) => {
                for (from, to) in from.views().into_iter().zip(to.views_mut()) {
                    plan.run_numbers(from, input.first_row, to, output.start)?;
                }
            }
        }
        Ok(out)
    }
}

/// Rotation by any angle about the centre. The picture is needed whole.
#[derive(Debug, Clone)]
pub struct RotateBy {
    degrees: f64,
    whole: bool,
    rules: WarpRules,
    input: Size,
    planned: Option<(Affine, Size)>,
}

impl RotateBy {
    /// Rotation clockwise, as it is seen, by `degrees`; the output holds all of the picture.
    pub fn new(degrees: f64, rules: WarpRules) -> RotateBy {
        RotateBy { degrees, whole: true, rules, input: Size::default(), planned: None }
    }

    /// Keeps the picture's size; corners are cut off.
    pub fn same_size(self) -> RotateBy {
        RotateBy { whole: false, ..self }
    }
}

impl Step for RotateBy {
    fn name(&self) -> &'static str {
        "rotate"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        pixel_form(input, "rotate")?;
        // Stored pixels that are shown mirrored are rotated the other way, so that what is seen rotates as asked for.
        let (transpose, left_right, top_bottom) = input.metadata.orientation.parts();
        let mirrored = transpose != (left_right != top_bottom);
        let degrees = if mirrored { -self.degrees } else { self.degrees };
        let (map, mut size) = rotated_whole(input.size, degrees)?;
        let mut placed = map;
        if !self.whole {
            let middle = |outer: u32, inner: u32| (f64::from(inner) - f64::from(outer)) / 2.0;
            let (x, y) = (middle(size.width, input.size.width), middle(size.height, input.size.height));
            placed = map.then(Affine::translate(x, y));
            size = input.size;
        }
        (self.input, self.planned) = (input.size, Some((placed, size)));
        Ok(same_form(input, size, input.metadata.after(Change::Resize { x: 1.0, y: 1.0, keeps_values: false })))
    }

    fn sees(&self) -> Sees {
        Sees::Whole
    }

    fn rows_needed(&self, _output: Range<u32>) -> Range<u32> {
        0..self.input.height
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let Some((map, size)) = self.planned else {
            return Err(Error::wrong_order("a rotation was run before it was planned"));
        };
        let rows = Size::new(size.width, output.end - output.start);
        let map = map.then(Affine::translate(0.0, -f64::from(output.start)));
        let from = input.content.pixels()?;
        let mut out = Pixels::new(rows, from.layout(), from.depth())?;
        warp_any(from.samples_any(), map, out.samples_any_mut(), self.rules)?;
        Ok(out.into())
    }
}
