//! Output rows summed from source rows as they come, for shrinking so strongly that the rows of one output would not fit into
//! memory together: a few rows of sums are held instead of them.
//!
//! The sums are those of the two passes, term by term and in their order, so that the result is the same to the last bit.
//! Not here: the second pass, which is that of [`fixed`](super::fixed) and [`float`](super::float).

use super::group::reach;
use super::light::Curve;
use super::opaque::{Opaque, all_opaque};
use super::plan::{Plan, Tables};
use super::samples::load;
use super::weighted::{Table, Weighted};
use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::{AnySamples, AnySamplesMut, PixelFormat};
use crate::pixel::{Channels, Depth, NumberKind, Samples, SamplesRef};
use crate::simd::{Level, Work};
use std::collections::VecDeque;
use std::ops::Range;

/// The outputs of a plan that have begun and are not made yet, in order.
#[derive(Debug)]
pub(crate) struct RowSums {
    depth: Depth,
    channels: Channels,
    /// The curve to light and back, where that is mixed.
    curve: Option<Curve>,
    /// A row of what a constant edge shows; empty for other edges.
    constant: Samples,
    /// The source row that is due.
    next: u32,
    /// The output that is the first of those that have begun, and their sums.
    first: u32,
    begun: VecDeque<Sums>,
}

/// The sums of one output.
#[derive(Debug, Default)]
struct Sums {
    /// The positions that the output is made of.
    reach: Range<u32>,
    /// In whole numbers, for bytes; none where those are not used, or no longer.
    whole: Vec<i32>,
    /// As floats; none where whole numbers are all that is needed.
    floats: Vec<f32>,
}

impl RowSums {
    /// For pixels of a format; `None` where a plan's sums cannot be made row by row: by definition, in another order of the
    /// passes, with an edge that wraps, or of planes.
    pub(crate) fn of(plan: &Plan, format: &PixelFormat) -> Option<RowSums> {
        let (PixelFormat::Pixels { depth, layout }, Tables::Weighted { vertical_first: true, .. }) =
            (format, plan.tables())
        else {
            return None;
        };
        if plan.exact || matches!(plan.rules().edge, Edge::Wrap) {
            return None;
        }
        let kind = match depth {
            Depth::U8 => NumberKind::U8,
            Depth::U16 => NumberKind::U16,
            Depth::F32 => NumberKind::F32,
        };
        let channels = Channels::from(*layout);
        Some(RowSums {
            depth: *depth,
            channels,
            curve: plan.rules().light.curve().map(|transfer| Curve::new(transfer, kind)),
            constant: match depth {
                Depth::U8 => Samples::U8(plan.constant_row(channels.count)),
                Depth::U16 => Samples::U16(plan.constant_row(channels.count)),
                Depth::F32 => Samples::F32(plan.constant_row(channels.count)),
            },
            next: 0,
            first: 0,
            begun: VecDeque::new(),
        })
    }

    /// Takes rows of the source, the first of which is row `first_row`; rows before them that no later output needs may be
    /// left out.
    ///
    /// # Errors
    /// Rows of another width or kind, or further up than those that came.
    pub(crate) fn take(&mut self, plan: &Plan, rows: AnySamples<'_>, first_row: u32) -> Result<()> {
        let Tables::Weighted { rows: table, .. } = plan.tables() else { return Err(unsuitable()) };
        if rows.depth() != self.depth || rows.size().width != plan.source().width || first_row < self.next {
            return Err(unsuitable());
        }
        let mut values = Vec::new();
        for y in 0..rows.size().height {
            let position = table.axis.before + first_row + y;
            self.begin(plan, position);
            self.add(table, position, rows.row(y), &mut values);
        }
        self.next = first_row + rows.size().height;
        Ok(())
    }

    /// Begins every output that a position counts for, with what a constant edge shows above the source.
    fn begin(&mut self, plan: &Plan, position: u32) {
        let Tables::Weighted { rows: table, columns, .. } = plan.tables() else { return };
        let axis = &table.axis;
        let length = plan.source().width as usize * self.channels.count;
        let whole = self.depth == Depth::U8 && self.curve.is_none() && table.fixed.is_some() && columns.fixed.is_some();
        let whole = whole && (!self.channels.alpha || self.can_be_opaque());
        loop {
            let output = self.first as usize + self.begun.len();
            if output >= axis.target as usize || axis.first_from(output) > position {
                return;
            }
            let floats = !whole || self.channels.alpha;
            self.begun.push_back(Sums {
                reach: reach(axis, output..output + 1),
                whole: vec![0; if whole { length } else { 0 }],
                floats: vec![0.0; if floats { length } else { 0 }],
            });
            let at = self.begun.len() - 1;
            self.add_constants(table, at, 0..axis.before);
        }
    }

    fn can_be_opaque(&self) -> bool {
        match &self.constant {
            Samples::U8(constant) => Opaque::can_be(self.channels, constant),
            _ => false,
        }
    }

    /// Adds what a constant edge shows at some positions to one of the outputs that have begun.
    fn add_constants(&mut self, table: &Table, at: usize, positions: Range<u32>) {
        let output = self.first as usize + at;
        let Some(sums) = self.begun.get_mut(at) else { return };
        let mut values = Vec::new();
        for position in positions {
            if sums.reach.contains(&position) {
                let row = self.constant.borrow();
                sums.add(table, output, position, row, self.channels, self.curve.as_ref(), &mut values);
                values.clear();
            }
        }
    }

    /// Adds a row to every output that it counts for. `values` is memory for the row as floats.
    fn add(&mut self, table: &Table, position: u32, row: SamplesRef<'_>, values: &mut Vec<f32>) {
        values.clear();
        for (at, sums) in self.begun.iter_mut().enumerate() {
            let output = self.first as usize + at;
            if sums.reach.contains(&position) {
                sums.add(table, output, position, row, self.channels, self.curve.as_ref(), values);
            }
        }
    }

    /// The next output row, whose source rows have all come.
    ///
    /// # Errors
    /// An output that is not the next one.
    pub(crate) fn make(&mut self, plan: &Plan, output: u32, target: AnySamplesMut<'_>) -> Result<()> {
        let Tables::Weighted { columns, rows, vertical_first } = plan.tables() else { return Err(unsuitable()) };
        // Rows that no output needs may lie before, and outputs that only a constant shows in.
        if output == self.first && self.begun.is_empty() {
            self.begin(plan, rows.axis.first_from(output as usize));
        }
        if output != self.first || self.begun.is_empty() || target.depth() != self.depth {
            return Err(Error::wrong_order(format!("output row {} is due, not {output}", self.first)));
        }
        self.add_constants(rows, 0, rows.axis.before + rows.axis.source..rows.axis.length());
        let Some(sums) = self.begun.pop_front() else { return Err(unsuitable()) };
        self.first += 1;
        let weighted = Weighted { columns, rows, channels: self.channels, vertical_first: *vertical_first };
        weighted.second_pass(&sums.whole, &sums.floats, self.constant.borrow(), self.curve.as_ref(), target);
        Ok(())
    }
}

impl Sums {
    fn add(
        &mut self,
        table: &Table,
        output: usize,
        position: u32,
        row: SamplesRef<'_>,
        channels: Channels,
        curve: Option<&Curve>,
        values: &mut Vec<f32>,
    ) {
        let tap = (position - table.axis.starts[output]) as usize;
        let level = Level::best();
        if let (Some(fixed), SamplesRef::U8(bytes), false) = (&table.fixed, row, self.whole.is_empty()) {
            if channels.alpha && !all_opaque(level, bytes) {
                // One pixel is enough: the row's colours are weighed by their alpha.
                self.whole = Vec::new();
            } else {
                let weight = i32::from(fixed.weights.of(output)[tap]);
                level.work(AddBytes { sums: &mut self.whole, row: bytes, weight });
            }
        }
        let weight = table.floats().of(output)[tap];
        if self.floats.is_empty() || weight == 0.0 {
            return;
        }
        if values.is_empty() {
            values.resize(self.floats.len(), 0.0);
            load(level, row, values, channels, curve);
        }
        level.work(AddFloats { sums: &mut self.floats, row: values, weight });
    }
}

struct AddBytes<'a> {
    sums: &'a mut [i32],
    row: &'a [u8],
    weight: i32,
}

impl Work for AddBytes<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        // Within i32 as the sums of the passes are: see `fixed_fits`.
        self.sums.iter_mut().zip(self.row).for_each(|(sum, v)| *sum += self.weight * i32::from(*v));
    }
}

struct AddFloats<'a> {
    sums: &'a mut [f32],
    row: &'a [f32],
    weight: f32,
}

impl Work for AddFloats<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.sums.iter_mut().zip(self.row).for_each(|(sum, v)| *sum += v * self.weight);
    }
}

#[cold]
fn unsuitable() -> Error {
    Error::wrong_order("rows came that the plan of a resize does not expect next")
}

impl Weighted<'_> {
    /// The second pass of one row of sums: whole numbers where there are any, floats otherwise.
    fn second_pass(
        &self,
        whole: &[i32],
        floats: &[f32],
        constant: SamplesRef<'_>,
        curve: Option<&Curve>,
        target: AnySamplesMut<'_>,
    ) {
        let width = self.columns.axis.source as usize * self.channels.count;
        match (self.fixed(), target) {
            (Some(recipe), AnySamplesMut::U8(target)) if !whole.is_empty() => {
                let constant = if let SamplesRef::U8(row) = constant { row } else { &[] };
                super::fixed::Passes::along(recipe, width, constant).row(whole, target);
            }
            (_, target) => super::float::Passes::along(self.floats(curve), width, constant).row(floats, target),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Content, Facts, Frame, Metadata, Pixels, Size};
    use crate::pixel::{Gray, GrayAlpha, Number, PicturePixel, Rgb, Rgba, Transfer};
    use crate::resample::{Area, Kernel, Light, ResizeRules};

    fn picture<P: PicturePixel>(size: Size, opaque_from: u32) -> Pixels {
        let full = if P::Number::KIND == NumberKind::F32 { 1.0 } else { 255.0 };
        let mut frame = Frame::<P>::new(size).unwrap();
        for y in 0..size.height {
            let row = crate::pixel::samples_of_mut(frame.row_mut(y));
            for (i, v) in row.iter_mut().enumerate() {
                let alpha = P::ALPHA && i % P::CHANNELS == P::CHANNELS - 1;
                let value = ((i as u32 * 7919 + y * 104_729 + 13) % 256) as f64 / 255.0;
                *v = P::Number::from_f64(if alpha && y >= opaque_from { full } else { value * full });
            }
        }
        frame.into()
    }

    /// Sums of strips of rows, against the plan at once.
    fn check(pixels: &Pixels, area: Area, to: Size, rules: ResizeRules) {
        let mut plan = Plan::of_area(pixels.size(), area, to, &rules).unwrap();
        // Small pictures go by the definition otherwise.
        plan.exact = false;
        let mut wanted = Pixels::new(to, pixels.layout(), pixels.depth()).unwrap();
        plan.run_rows_any(pixels.samples_any(), 0, wanted.samples_any_mut(), 0).unwrap();
        let format = PixelFormat::Pixels { depth: pixels.depth(), layout: pixels.layout() };
        let mut sums = RowSums::of(&plan, &format).expect("a plan that shrinks");
        let mut found = Content::new(to, &format).unwrap();
        let (mut taken, whole) = (0, Content::from(pixels.clone()));
        for output in 0..to.height {
            let need = plan.rows_needed(output..output + 1);
            taken = taken.max(need.start);
            while taken < need.end {
                let end = (taken + 5).min(need.end);
                let strip = whole.crop(pixels.size().region().rows(taken..end).unwrap()).unwrap();
                sums.take(&plan, strip.pixels().unwrap().samples_any(), taken).unwrap();
                taken = end;
            }
            let mut row = Content::new(Size::new(to.width, 1), &format).unwrap();
            sums.make(&plan, output, row.pixels_mut().unwrap().samples_any_mut()).unwrap();
            found.put_rows(output, &row, 0..1).unwrap();
        }
        let facts = Facts::new(to, format, Metadata::default());
        assert!(found == wanted.into(), "{} of {} by {rules:?}", facts.pixel_format.describe(), pixels.size());
    }

    #[test]
    fn row_by_row_is_what_all_at_once_is_to_the_last_bit() {
        let size = Size::new(61, 900);
        let all = Area::of(size);
        let pictures = [
            picture::<Gray<u8>>(size, 0),
            picture::<Rgb<u8>>(size, 0),
            picture::<Rgba<u8>>(size, 300),
            picture::<GrayAlpha<u8>>(size, 0),
            picture::<Rgb<u16>>(size, 0),
            picture::<Rgba<f32>>(size, 900),
        ];
        for pixels in &pictures {
            for kernel in [Kernel::Box, Kernel::Linear, Kernel::CatmullRom, Kernel::Lanczos3] {
                for edge in [Edge::Clamp, Edge::Reflect, Edge::Constant([0.2, 0.7, 0.1, 1.0])] {
                    let rules = ResizeRules::new(kernel.clone()).edge(edge);
                    check(pixels, all, Size::new(20, 9), rules);
                }
            }
            let rules = ResizeRules::new(Kernel::CatmullRom);
            check(pixels, all, Size::new(7, 1), rules.clone().light(Light::Linear(Transfer::Srgb)));
            check(pixels, all, Size::new(30, 40), rules.clone().without_antialias());
            check(pixels, Area::new(3.5..50.0, 100.25..700.5).unwrap(), Size::new(9, 5), rules.clone());
            check(pixels, all, Size::new(61, 3), rules.edge(Edge::Constant([0.2, 0.7, 0.1, 0.5])));
        }
    }

    #[test]
    fn what_cannot_be_summed_so_says_so_and_rows_in_disorder_are_an_error() {
        let size = Size::new(4000, 3000);
        let of = |rules: ResizeRules, to| {
            let plan = Plan::new(size, to, &rules).unwrap();
            RowSums::of(&plan, &PixelFormat::Pixels { depth: Depth::U8, layout: crate::Layout::Gray }).is_some()
        };
        let rules = ResizeRules::new(Kernel::CatmullRom);
        assert!(of(rules.clone(), Size::new(40, 30)));
        assert!(
            !of(rules.clone().exact(), Size::new(40, 30)) && !of(rules.clone().edge(Edge::Wrap), Size::new(40, 30))
        );
        assert!(!of(ResizeRules::new(Kernel::Nearest), Size::new(40, 30)));
        let plan = Plan::new(size, Size::new(40, 30), &rules).unwrap();
        let format = PixelFormat::Pixels { depth: Depth::U8, layout: crate::Layout::Gray };
        let mut sums = RowSums::of(&plan, &format).unwrap();
        let rows = Frame::<Gray<u8>>::new(Size::new(4000, 2)).unwrap();
        sums.take(&plan, rows.view().samples_any(), 4).unwrap();
        assert!(sums.take(&plan, rows.view().samples_any(), 5).is_err());
        let narrow = Frame::<Gray<u8>>::new(Size::new(400, 2)).unwrap();
        assert!(sums.take(&plan, narrow.view().samples_any(), 6).is_err());
        let mut row = Pixels::new(Size::new(40, 1), crate::Layout::Gray, Depth::U8).unwrap();
        assert!(sums.make(&plan, 1, row.samples_any_mut()).is_err());
    }
}
