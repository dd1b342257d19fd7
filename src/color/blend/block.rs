//! Rows in runs: samples as fractions, blended, and rounded back.

use super::formulas::{Block, Composite, RUN};
use super::{BlendRules, Curves};
use crate::color::lanes::{Lanes, interleave, separate};
use crate::frame::{AnySamples, SampleView, with_samples};
use crate::pixel::{Channels, Depth, Sample};
use crate::simd::{Level, Work};

/// The blend of rows, by rules and, in linear light, curves of the lower and of the upper samples.
pub(super) struct RowBlend<'a> {
    pub(super) rules: &'a BlendRules,
    pub(super) curves: Option<&'a (Curves, Curves)>,
}

impl RowBlend<'_> {
    /// A row of the upper picture over one of the lower, both of one width.
    pub(super) fn run<S: Sample>(
        &self,
        lower: &mut [S],
        channels: Channels,
        upper: (AnySamples<'_>, u32),
        mask: Option<(AnySamples<'_>, u32)>,
    ) {
        let level = Level::best();
        let (mut below, mut above, mut cover) = (Block::EMPTY, Block::EMPTY, Block::EMPTY);
        let mut lanes: Lanes<S> = [[S::default(); RUN]; 4];
        let over = channels_of(&upper.0);
        let same = over.colors() < channels.colors();
        let curves = self.curves;
        let width = lower.len() / channels.count;
        let mut x = 0;
        while x < width {
            let run = (width - x).min(RUN);
            let part = &mut lower[x * channels.count..(x + run) * channels.count];
            separate(part, channels.count, &mut lanes);
            level.work_in_256_bits(Load { from: &lanes, channels, to: &mut below, curve: curves.map(|c| &c.0) });
            with_samples!(upper.0, view => load(level, cut(view, upper.1, x, run), over, &mut above, curves.map(|c| &c.1)));
            if same {
                let [gray, green, blue] = &mut above.colors;
                (*green, *blue) = (*gray, *gray);
            }
            if let Some((mask, y)) = mask {
                let channels = channels_of(&mask);
                with_samples!(mask, view => load(level, cut(view, y, x, run), channels, &mut cover, None));
                for (alpha, share) in above.alpha.iter_mut().zip(&cover.colors[0]) {
                    *alpha *= share.clamp(0.0, 1.0);
                }
            }
            if self.rules.opacity < 1.0 {
                above.alpha.iter_mut().for_each(|alpha| *alpha *= self.rules.opacity as f32);
            }
            let BlendRules { mode, operator, .. } = *self.rules;
            let (colors, stores_alpha) = (channels.colors(), channels.alpha);
            level.work(Composite { mode, operator, lower: &mut below, upper: &above, colors, stores_alpha });
            level.work_in_256_bits(Store { from: &below, to: &mut lanes, channels, curve: curves.map(|c| &c.0) });
            interleave(&lanes, channels.count, part);
            x += run;
        }
    }
}

/// A run of samples as fractions, or as light.
fn load<S: Sample>(level: Level, from: &[S], channels: Channels, to: &mut Block, curve: Option<&Curves>) {
    let mut lanes: Lanes<S> = [[S::default(); RUN]; 4];
    separate(from, channels.count, &mut lanes);
    level.work_in_256_bits(Load { from: &lanes, channels, to, curve });
}

fn channels_of(view: &AnySamples<'_>) -> Channels {
    with_samples!(view, view => view.channels())
}

fn cut<'a, S: Sample>(view: SampleView<'a, S>, y: u32, x: usize, run: usize) -> &'a [S] {
    let count = view.channels().count;
    &view.row(y)[x * count..(x + run) * count]
}

/// Samples of a run as fractions, or as light.
struct Load<'a, S> {
    from: &'a Lanes<S>,
    channels: Channels,
    to: &'a mut Block,
    curve: Option<&'a Curves>,
}

/// What a sample is a fraction of.
const fn full<S: Sample>() -> f32 {
    match S::DEPTH {
        Depth::U8 => 255.0,
        Depth::U16 => 65_535.0,
        Depth::F32 => 1.0,
    }
}

impl<S: Sample> Work for Load<'_, S> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Load { from, channels, to, curve } = self;
        let scale = 1.0 / full::<S>();
        for c in 0..channels.colors() {
            match curve {
                Some(curve) => {
                    for i in 0..RUN {
                        to.colors[c][i] = curve.decode(from[c][i]) as f32;
                    }
                }
                None => {
                    for i in 0..RUN {
                        to.colors[c][i] = from[c][i].to_f32() * scale;
                    }
                }
            }
        }
        if channels.alpha {
            for i in 0..RUN {
                to.alpha[i] = from[channels.count - 1][i].to_f32() * scale;
            }
        } else {
            to.alpha = [1.0; RUN];
        }
    }
}

/// Fractions or light of a run as samples.
struct Store<'a, S> {
    from: &'a Block,
    to: &'a mut Lanes<S>,
    channels: Channels,
    curve: Option<&'a Curves>,
}

impl<S: Sample> Work for Store<'_, S> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Store { from, to, channels, curve } = self;
        for c in 0..channels.colors() {
            match curve {
                Some(curve) => {
                    for i in 0..RUN {
                        to[c][i] = curve.encode(from.colors[c][i].into());
                    }
                }
                None => {
                    for i in 0..RUN {
                        to[c][i] = rounded(from.colors[c][i]);
                    }
                }
            }
        }
        if channels.alpha {
            for i in 0..RUN {
                to[channels.count - 1][i] = rounded(from.alpha[i]);
            }
        }
    }
}

/// The sample nearest to a fraction, ties up; of integers clamped, NaN as 0.
#[inline(always)]
fn rounded<S: Sample>(value: f32) -> S {
    // A whole number below 2^23 stands in the low bits of its sum with 2^23: a cast would be checked.
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    let whole = |full: f32| ((value * full + 0.5).max(0.0).min(full).floor() + 8_388_608.0).to_bits();
    match S::DEPTH {
        Depth::U8 => S::from_u8(whole(255.0) as u8),
        Depth::U16 => S::from_u16(whole(65_535.0) as u16),
        Depth::F32 => S::from_f32(value),
    }
}
