//! Smaller copies of a page, each half the size of the one before, made while it is written: every new pixel is the mean of four, colour
//! weighted by alpha; numbers of colours are those of the upper left one.
// Sums of four samples, and places within a row.
#![allow(clippy::arithmetic_side_effects)]

use super::page_out::{PageOut, Place, Plan};
use crate::error::Result;
use crate::frame::{AnyNumbers, Content, Facts, PixelFormat, Pixels, Planes, SamplesMut, SamplesRef, Size};
use crate::pixel::Meaning;

/// The largest side of a copy that is not halved again.
const SMALLEST: u32 = 256;

/// The copies of a page, from the larger to the smaller.
pub(super) struct Halves {
    levels: Vec<Level>,
    indices: bool,
}

struct Level {
    out: PageOut,
    /// A row that waits for the one below it.
    waiting: Option<Content>,
}

impl Halves {
    pub(super) fn new(facts: &Facts, plan: &Plan) -> Halves {
        let mut levels = Vec::new();
        let mut size = facts.size;
        while size.width.max(size.height) > SMALLEST {
            size = Size::new(size.width.div_ceil(2), size.height.div_ceil(2));
            let rows_per_strip = plan.rows_per_strip.saturating_mul(2).min(size.height);
            let plan = Plan { size, rows_per_strip, ..plan.clone() };
            levels.push(Level { out: PageOut::new(plan), waiting: None });
        }
        Halves { levels, indices: facts.metadata.meaning == Meaning::Indices }
    }

    /// Takes rows of the page.
    pub(super) fn put(&mut self, rows: &Content, to: &mut dyn Place) -> Result<()> {
        for y in 0..rows.size().height {
            let row = rows.crop(rows.size().region().rows(y..y + 1)?)?;
            self.pass(0, row, to)?;
        }
        Ok(())
    }

    /// A row on its way down the levels.
    fn pass(&mut self, level: usize, row: Content, to: &mut dyn Place) -> Result<()> {
        let mut row = row;
        for level in self.levels.iter_mut().skip(level) {
            let Some(upper) = level.waiting.take() else {
                level.waiting = Some(row);
                return Ok(());
            };
            let half = halved(&upper, &row, self.indices)?;
            level.out.put(&half, to)?;
            row = half;
        }
        Ok(())
    }

    /// Rows that have none below them stand for two.
    pub(super) fn finish(mut self, to: &mut dyn Place) -> Result<Vec<PageOut>> {
        for place in 0..self.levels.len() {
            let Some(last) = self.levels.get_mut(place).and_then(|level| level.waiting.take()) else { continue };
            let half = halved(&last, &last, self.indices)?;
            if let Some(level) = self.levels.get_mut(place) {
                level.out.put(&half, to)?;
            }
            self.pass(place + 1, half, to)?;
        }
        Ok(self.levels.into_iter().map(|level| level.out).collect())
    }
}

/// A row of half the width from two rows.
fn halved(upper: &Content, lower: &Content, indices: bool) -> Result<Content> {
    let size = Size::new(upper.size().width.div_ceil(2), 1);
    match (upper, lower) {
        (Content::Pixels(upper), Content::Pixels(lower)) => {
            let layout = upper.layout();
            let (n, alpha) = (layout.channels(), layout.has_alpha());
            let mut out = Pixels::zeros(size, layout, upper.depth(), upper.account())?;
            match (upper.row(0), lower.row(0), out.row_mut(0)) {
                (SamplesRef::U8(a), _, SamplesMut::U8(to)) if indices => {
                    to.iter_mut().zip(a.iter().step_by(2)).for_each(|(to, v)| *to = *v);
                }
                (SamplesRef::U8(a), SamplesRef::U8(b), SamplesMut::U8(to)) => {
                    means(a, b, n, alpha, to, f64::from, |v| (v + 0.5) as u8);
                }
                (SamplesRef::U16(a), SamplesRef::U16(b), SamplesMut::U16(to)) => {
                    means(a, b, n, alpha, to, f64::from, |v| (v + 0.5) as u16);
                }
                (SamplesRef::F32(a), SamplesRef::F32(b), SamplesMut::F32(to)) => {
                    means(a, b, n, alpha, to, f64::from, |v| v as f32);
                }
                _ => {}
            }
            Ok(out.into())
        }
        (Content::Planes(upper), Content::Planes(lower)) => {
            let format = PixelFormat::Planes { number: upper.number(), names: upper.names() };
            let mut out = Content::zeros(size, &format, upper.account())?;
            if let Content::Planes(out) = &mut out {
                let mut views = out.views_mut();
                for ((a, b), to) in upper.views().iter().zip(lower.views()).zip(&mut views) {
                    to.put_row(0, &mean_row(a, &b));
                }
            }
            Ok(out)
        }
        _ => Ok(Content::Planes(Planes::<u8>::new(size).into())),
    }
}

fn mean_row(a: &AnyNumbers<'_>, b: &AnyNumbers<'_>) -> Vec<f64> {
    let (mut upper, mut lower) = (Vec::new(), Vec::new());
    a.row(0).gather(0, 1, &mut upper);
    b.row(0).gather(0, 1, &mut lower);
    let sums: Vec<f64> = upper.iter().zip(&lower).map(|(a, b)| a / 4.0 + b / 4.0).collect();
    sums.chunks(2).map(|pair| pair.iter().sum::<f64>() * if pair.len() == 1 { 2.0 } else { 1.0 }).collect()
}

/// The means of two by two pixels; at the end of a row of odd length of two.
// Pixels of `n` samples, four at most.
#[allow(clippy::indexing_slicing)]
fn means<S: Copy>(
    upper: &[S],
    lower: &[S],
    n: usize,
    alpha: bool,
    to: &mut [S],
    number: impl Fn(S) -> f64,
    sample: impl Fn(f64) -> S,
) {
    // Loops by indices: all of this is compiled for each kind of sample.
    let width = upper.len().min(lower.len()) / n;
    for (x, to) in to.chunks_exact_mut(n).enumerate() {
        let (first, last) = (2 * x, width.min(2 * x + 2));
        let (mut sums, mut all, mut weights, mut count) = ([0.0; 4], [0.0; 4], 0.0, 0.0);
        for row in [upper, lower] {
            for pixel in row.get(first * n..last * n).unwrap_or_default().chunks_exact(n) {
                let weight = if alpha { pixel.last().map_or(1.0, |v| number(*v)) } else { 1.0 };
                (weights, count) = (weights + weight, count + 1.0);
                for c in 0..n.min(4) {
                    let v = number(pixel[c]);
                    (sums[c], all[c]) = (sums[c] + v * weight, all[c] + v);
                }
            }
        }
        for c in 0..n.min(4) {
            let is_alpha = alpha && c + 1 == n;
            let value = match (is_alpha, weights > 0.0) {
                (true, _) => all[c] / f64::max(count, 1.0),
                (false, true) => sums[c] / weights,
                (false, false) => 0.0,
            };
            to[c] = sample(value);
        }
    }
}
