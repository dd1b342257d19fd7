//! Interpolation as steps: resizing holds the rows that its kernel needs, or sums of them, never a whole picture; rotating by
//! an angle needs all of it.

use super::input::{pixel_form, same_form};
use super::{InTurn, Known, Sees, Stage, Step, Strip};
use crate::access::Edge;
use crate::error::Result;
use crate::frame::{Change, Content, Facts, PixelFormat, Pixels, Size};
use crate::resample::{Affine, Area, Kernel, Plan, ResizeRules, RowSums, Target, WarpRules, rotated_whole, warp_any};
use std::ops::Range;

/// Another size, by interpolation.
#[derive(Debug, Clone)]
pub struct Resize {
    area: Option<Area>,
    target: Target,
    rules: ResizeRules,
}

impl Resize {
    /// A step to this size by these rules. A target is said as the pixels are stored: to say it as they are seen, put
    /// [`Orient::upright`](super::Orient::upright) before the step (the chain shrinks first all the same).
    pub fn new(target: impl Into<Target>, rules: ResizeRules) -> Resize {
        Resize { area: None, target: target.into(), rules }
    }

    /// Resizes a part of the picture only, whose corners may lie between pixels.
    pub fn of_area(self, area: Area) -> Resize {
        Resize { area: Some(area), ..self }
    }

    /// The size that a picture of a size becomes, where the same result is had from a mirror image of the picture, mirrored:
    /// all of it by a kernel that is even. The nearest pixel is not: of two that are as near it is the one behind.
    pub(super) fn even_target(&self, from: Size) -> Option<Size> {
        let even = !matches!(self.rules.kernel, Kernel::Nearest | Kernel::Custom(_));
        let target = || self.target.of_area(from, Area::of(from)).ok().map(|(_, to)| to);
        if even && self.area.is_none() { target() } else { None }
    }

    /// The same to a size that is known.
    pub(super) fn to(&self, size: Size) -> Resize {
        Resize { target: Target::Exact(size), ..self.clone() }
    }
}

impl Step for Resize {
    fn name(&self) -> &'static str {
        "resize"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        if let PixelFormat::Pixels { .. } = input.pixel_format {
            pixel_form(input, "resize")?;
        }
        let (area, to) = self.target.of_area(input.size, self.area.unwrap_or(Area::of(input.size)))?;
        let plan = Plan::charged(input.size, area, to, &self.rules, input.account())?;
        let (width, height) = area.sides();
        let (x, y) = (f64::from(to.width) / width, f64::from(to.height) / height);
        let change = Change::Resize { x, y, keeps_values: plan.keeps_values() };
        let facts = same_form(input, to, input.metadata.after(change));
        // The last rows are made of the first ones too.
        let whole = matches!(self.rules.edge, Edge::Wrap);
        Ok(Box::new(Resizing { sums: RowSums::of(&plan, &input.pixel_format), plan, whole, facts }))
    }

    fn known(&self) -> Known<'_> {
        Known::Resize(self)
    }
}

struct Resizing {
    plan: Plan,
    sums: Option<RowSums>,
    whole: bool,
    facts: Facts,
}

impl Stage for Resizing {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        if self.whole { 0..self.plan.source().height } else { self.plan.rows_needed(output) }
    }

    fn sees(&self) -> Sees {
        if self.whole { Sees::Whole } else { Sees::Once }
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let size = Size::new(self.plan.target().width, output.end - output.start);
        let mut out = Content::zeros(size, &input.content.pixel_format(), input.content.account())?;
        self.plan.run_content(&input.content, input.first_row, &mut out, output.start)?;
        Ok(out)
    }

    fn in_turn(&mut self) -> Option<&mut dyn InTurn> {
        if self.sums.is_some() { Some(self) } else { None }
    }
}

impl InTurn for Resizing {
    fn take(&mut self, rows: &Strip) -> Result<()> {
        match &mut self.sums {
            Some(sums) => sums.take(&self.plan, rows.content.pixels()?.samples_any(), rows.first_row),
            None => Ok(()),
        }
    }

    fn make(&mut self, output: u32) -> Result<Content> {
        let mut out =
            Content::zeros(Size::new(self.plan.target().width, 1), &self.facts.pixel_format, self.facts.account())?;
        if let Some(sums) = &mut self.sums {
            sums.make(&self.plan, output, out.pixels_mut()?.samples_any_mut())?;
        }
        Ok(out)
    }

    fn restart(&mut self) {
        self.sums = RowSums::of(&self.plan, &self.facts.pixel_format);
    }
}

/// Rotation by any angle about the centre. The picture is needed whole.
#[derive(Debug, Clone)]
pub struct RotateBy {
    degrees: f64,
    whole: bool,
    rules: WarpRules,
}

impl RotateBy {
    /// Rotation clockwise, as it is seen, by `degrees`; the output holds all of the picture.
    pub fn new(degrees: f64, rules: WarpRules) -> RotateBy {
        RotateBy { degrees, whole: true, rules }
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

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        pixel_form(input, "rotate")?;
        // Stored pixels that are shown mirrored are rotated the other way, so that what is seen rotates as asked for.
        let (transpose, left_right, top_bottom) = input.metadata.orientation.parts();
        let mirrored = transpose != (left_right != top_bottom);
        let degrees = if mirrored { -self.degrees } else { self.degrees };
        let (mut map, mut size) = rotated_whole(input.size, degrees)?;
        if !self.whole {
            let middle = |outer: u32, inner: u32| (f64::from(inner) - f64::from(outer)) / 2.0;
            let (x, y) = (middle(size.width, input.size.width), middle(size.height, input.size.height));
            map = map.then(Affine::translate(x, y));
            size = input.size;
        }
        let metadata = input.metadata.after(Change::Resize { x: 1.0, y: 1.0, keeps_values: false });
        let facts = same_form(input, size, metadata);
        Ok(Box::new(Rotating { map, rules: self.rules.clone(), height: input.size.height, facts }))
    }
}

struct Rotating {
    map: Affine,
    rules: WarpRules,
    /// Rows of the input.
    height: u32,
    facts: Facts,
}

impl Stage for Rotating {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn sees(&self) -> Sees {
        Sees::Whole
    }

    fn rows_needed(&self, _output: Range<u32>) -> Range<u32> {
        0..self.height
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let rows = Size::new(self.facts.size.width, output.end - output.start);
        let map = self.map.then(Affine::translate(0.0, -f64::from(output.start)));
        let from = input.content.pixels()?;
        let mut out = Pixels::zeros(rows, from.layout(), from.depth(), from.account())?;
        warp_any(from.samples_any(), map, out.samples_any_mut(), &self.rules)?;
        Ok(out.into())
    }
}
