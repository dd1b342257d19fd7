//! The formulas of blend modes and operators, over runs of pixels: one match a run, one body a formula.

use super::{BlendMode, Operator};
use crate::simd::Work;

pub(super) use crate::color::lanes::RUN;

/// One channel of a run.
pub(super) type Lane = [f32; RUN];

/// Colours and alpha of a run, straight.
#[derive(Debug, Clone)]
pub(super) struct Block {
    pub(super) colors: [Lane; 3],
    pub(super) alpha: Lane,
}

impl Block {
    pub(super) const EMPTY: Block = Block { colors: [[0.0; RUN]; 3], alpha: [1.0; RUN] };
}

/// The mix of a run of one channel, whichever the mode.
#[inline(always)]
fn mixed(mode: BlendMode, lower: &Lane, upper: &Lane, out: &mut Lane) {
    #[inline(always)]
    fn each(lower: &Lane, upper: &Lane, out: &mut Lane, formula: impl Fn(f32, f32) -> f32) {
        for i in 0..RUN {
            out[i] = formula(lower[i], upper[i]);
        }
    }
    let screen = |b: f32, s: f32| b + s - b * s;
    let hard = |b: f32, s: f32| if s <= 0.5 { b * (2.0 * s) } else { screen(b, 2.0 * s - 1.0) };
    match mode {
        BlendMode::Normal => *out = *upper,
        BlendMode::Multiply => each(lower, upper, out, |b, s| b * s),
        BlendMode::Screen => each(lower, upper, out, screen),
        BlendMode::Overlay => each(lower, upper, out, |b, s| hard(s, b)),
        BlendMode::Darken => each(lower, upper, out, f32::min),
        BlendMode::Lighten => each(lower, upper, out, f32::max),
        BlendMode::ColorDodge => each(lower, upper, out, |b, s| match () {
            () if b <= 0.0 => 0.0,
            () if s >= 1.0 => 1.0,
            () => (b / (1.0 - s)).min(1.0),
        }),
        BlendMode::ColorBurn => each(lower, upper, out, |b, s| match () {
            () if b >= 1.0 => 1.0,
            () if s <= 0.0 => 0.0,
            () => 1.0 - ((1.0 - b) / s).min(1.0),
        }),
        BlendMode::HardLight => each(lower, upper, out, hard),
        BlendMode::SoftLight => each(lower, upper, out, |b, s| {
            if s <= 0.5 {
                return b - (1.0 - 2.0 * s) * b * (1.0 - b);
            }
            let d = if b <= 0.25 { ((16.0 * b - 12.0) * b + 4.0) * b } else { b.max(0.0).sqrt() };
            b + (2.0 * s - 1.0) * (d - b)
        }),
        BlendMode::Difference => each(lower, upper, out, |b, s| (b - s).abs()),
        BlendMode::Exclusion => each(lower, upper, out, |b, s| b + s - 2.0 * b * s),
    }
}

/// The shares Fa of the upper and Fb of the lower layer, by the alpha of the lower and the upper.
#[inline(always)]
fn shares(operator: Operator, lower: &Lane, upper: &Lane, fa: &mut Lane, fb: &mut Lane) {
    use Operator as O;
    for i in 0..RUN {
        let (b, s) = (lower[i], upper[i]);
        fa[i] = match operator {
            O::SourceOver | O::Copy | O::Plus => 1.0,
            O::DestinationOver | O::SourceOut | O::DestinationAtop | O::Xor => 1.0 - b,
            O::SourceIn | O::SourceAtop => b,
            O::DestinationIn | O::DestinationOut | O::Clear => 0.0,
        };
        fb[i] = match operator {
            O::DestinationOver | O::Plus => 1.0,
            O::SourceOver | O::DestinationOut | O::SourceAtop | O::Xor => 1.0 - s,
            O::DestinationIn | O::DestinationAtop => s,
            O::SourceIn | O::SourceOut | O::Copy | O::Clear => 0.0,
        };
    }
}

/// A run of the upper layer over one of the lower, to be compiled for wider registers.
pub(super) struct Composite<'a> {
    pub(super) mode: BlendMode,
    pub(super) operator: Operator,
    pub(super) lower: &'a mut Block,
    pub(super) upper: &'a Block,
    /// Channels of colour: 1 or 3.
    pub(super) colors: usize,
    /// Whether the lower layer stores alpha; where it does not, what becomes clear is mixed with black.
    pub(super) stores_alpha: bool,
}

impl Work for Composite<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Composite { mode, operator, lower, upper, colors, stores_alpha } = self;
        let (mut fa, mut fb) = ([0.0; RUN], [0.0; RUN]);
        shares(operator, &lower.alpha, &upper.alpha, &mut fa, &mut fb);
        // What each layer gives, the alpha that comes of it, and what colours are divided by.
        let (mut alpha, mut scale) = ([0.0; RUN], [0.0; RUN]);
        for i in 0..RUN {
            (fa[i], fb[i]) = (upper.alpha[i] * fa[i], lower.alpha[i] * fb[i]);
            alpha[i] = (fa[i] + fb[i]).min(1.0);
            scale[i] = match () {
                () if !stores_alpha => 1.0,
                () if alpha[i] > 0.0 => 1.0 / alpha[i],
                () => 0.0,
            };
        }
        let keeps = operator.keeps_outside();
        let mut mix = [0.0; RUN];
        for c in 0..colors {
            let (below, above) = (&mut lower.colors[c], &upper.colors[c]);
            mixed(mode, below, above, &mut mix);
            for i in 0..RUN {
                let b = lower.alpha[i];
                let color = above[i] + b * (mix[i] - above[i]);
                let sum = (fa[i] * color + fb[i] * below[i]) * scale[i];
                // Nothing over something leaves it to the last bit.
                below[i] = if keeps && upper.alpha[i] == 0.0 { below[i] } else { sum };
            }
        }
        for i in 0..RUN {
            lower.alpha[i] = if keeps && upper.alpha[i] == 0.0 { lower.alpha[i] } else { alpha[i] };
        }
    }
}
