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

/// The share Fa of the upper layer by the lower's alpha, and Fb of the lower by the upper's: all are straight lines, given by a constant
/// and a factor.
fn shares(operator: Operator) -> ((f32, f32), (f32, f32)) {
    use Operator as O;
    const ALL: (f32, f32) = (1.0, 0.0);
    const NONE: (f32, f32) = (0.0, 0.0);
    const INSIDE: (f32, f32) = (0.0, 1.0);
    const OUTSIDE: (f32, f32) = (1.0, -1.0);
    let upper = match operator {
        O::SourceOver | O::Copy | O::Plus => ALL,
        O::DestinationOver | O::SourceOut | O::DestinationAtop | O::Xor => OUTSIDE,
        O::SourceIn | O::SourceAtop => INSIDE,
        O::DestinationIn | O::DestinationOut | O::Clear => NONE,
    };
    let lower = match operator {
        O::DestinationOver | O::Plus => ALL,
        O::SourceOver | O::DestinationOut | O::SourceAtop | O::Xor => OUTSIDE,
        O::DestinationIn | O::DestinationAtop => INSIDE,
        O::SourceIn | O::SourceOut | O::Copy | O::Clear => NONE,
    };
    (upper, lower)
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
        // What each layer gives, the alpha that comes of it, and what colours are divided by.
        let (mut fa, mut fb, mut alpha, mut scale) = ([0.0; RUN], [0.0; RUN], [0.0; RUN], [0.0; RUN]);
        let ((a0, a1), (b0, b1)) = shares(operator);
        for i in 0..RUN {
            let (b, s) = (lower.alpha[i], upper.alpha[i]);
            (fa[i], fb[i]) = (s * (a0 + a1 * b), b * (b0 + b1 * s));
            alpha[i] = (fa[i] + fb[i]).min(1.0);
            scale[i] = if alpha[i] > 0.0 { 1.0 / alpha[i] } else { 0.0 };
        }
        if !stores_alpha {
            scale = [1.0; RUN];
        }
        // The upper alpha that leaves the lower layer to the last bit; where there is none, a number that nothing equals.
        let nothing = if operator.keeps_outside() { 0.0 } else { f32::NAN };
        let mut mix = [0.0; RUN];
        for c in 0..colors {
            let (below, above) = (&mut lower.colors[c], &upper.colors[c]);
            mixed(mode, below, above, &mut mix);
            for i in 0..RUN {
                let color = above[i] + lower.alpha[i] * (mix[i] - above[i]);
                let sum = (fa[i] * color + fb[i] * below[i]) * scale[i];
                below[i] = if upper.alpha[i] == nothing { below[i] } else { sum };
            }
        }
        for i in 0..RUN {
            lower.alpha[i] = if upper.alpha[i] == nothing { lower.alpha[i] } else { alpha[i] };
        }
    }
}
