//! The models over runs of pixels in `f32`, made to be compiled for wide registers; `values` is what they are tested against.

use super::Model;
use super::values;
use crate::color::space::Matrix;
use crate::simd::{Work, arrays};

pub(super) use crate::color::lanes::RUN;

/// One channel of a run.
pub(super) type Lane = [f32; RUN];

/// A conversion between linear light (or encoded fractions, for models of those) and a model.
#[derive(Debug, Clone)]
pub(super) struct Formula {
    pub(super) model: Model,
    /// From linear light: to CIE XYZ, for L\*a\*b\* each over the white's, for Oklab to its responses.
    pub(super) matrix: [[f32; 3]; 3],
    /// The white.
    pub(super) white: [f64; 3],
    /// From what the matrix gives, back to linear light.
    pub(super) back: Matrix,
}

/// A run on its way to a model.
pub(super) struct Forth<'a>(pub(super) &'a Formula, pub(super) &'a mut [Lane; 3]);

/// A run on its way back.
pub(super) struct Back<'a>(pub(super) &'a Formula, pub(super) &'a mut [Lane; 3]);

impl Work for Forth<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Forth(formula, run) = self;
        match formula.model {
            Model::LinearRgb => {}
            Model::Xyz => by_matrix(&formula.matrix, run),
            Model::Lab | Model::Lch => {
                by_matrix(&formula.matrix, run);
                lab(run);
            }
            Model::Oklab | Model::Oklch => {
                by_matrix(&formula.matrix, run);
                run.iter_mut().for_each(|lane| lane.iter_mut().for_each(|v| *v = cbrt(*v)));
                by_matrix(&single(&values::TO_AXES), run);
            }
            Model::Hsv => each(run, hsv),
            Model::Hsl => each(run, hsl),
            Model::Ycbcr(weights) => {
                by_matrix(&single(&weights.matrix()), run);
            }
            // Few ask for these: a colour at a time.
            Model::Xyy => {
                by_matrix(&formula.matrix, run);
                each_exact(run, values::xyy_of);
            }
            Model::Luv => {
                by_matrix(&formula.matrix, run);
                each_exact(run, |xyz| values::luv_of(xyz, formula.white));
            }
        }
        if matches!(formula.model, Model::Lch | Model::Oklch) {
            each_exact(run, values::polar_of);
        }
    }
}

impl Work for Back<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Back(formula, run) = self;
        if matches!(formula.model, Model::Lch | Model::Oklch) {
            each_exact(run, values::polar_to);
        }
        let light = |v: [f64; 3]| super::super::space::times(&formula.back, v);
        match formula.model {
            Model::LinearRgb => {}
            Model::Xyz => each_exact(run, light),
            Model::Xyy => each_exact(run, |v| light(values::xyy_to_xyz(v))),
            Model::Lab | Model::Lch => each_exact(run, |v| light(values::lab_to_xyz(v, formula.white))),
            Model::Luv => each_exact(run, |v| light(values::luv_to_xyz(v, formula.white))),
            Model::Oklab | Model::Oklch => each_exact(run, |v| light(values::oklab_to_xyz(v))),
            Model::Hsv => each_exact(run, values::hsv_to),
            Model::Hsl => each_exact(run, values::hsl_to),
            Model::Ycbcr(weights) => {
                let back = weights.inverse();
                each_exact(run, |v| super::super::space::times(&back, v));
            }
        }
    }
}

fn single(matrix: &Matrix) -> [[f32; 3]; 3] {
    arrays::map(*matrix, |row| arrays::map(row, |v| v as f32))
}

#[inline(always)]
fn by_matrix(m: &[[f32; 3]; 3], run: &mut [Lane; 3]) {
    let [a, b, c] = run;
    for i in 0..RUN {
        let (x, y, z) = (a[i], b[i], c[i]);
        a[i] = m[0][0] * x + m[0][1] * y + m[0][2] * z;
        b[i] = m[1][0] * x + m[1][1] * y + m[1][2] * z;
        c[i] = m[2][0] * x + m[2][1] * y + m[2][2] * z;
    }
}

#[inline(always)]
fn each(run: &mut [Lane; 3], formula: impl Fn([f32; 3]) -> [f32; 3]) {
    let [a, b, c] = run;
    for i in 0..RUN {
        [a[i], b[i], c[i]] = formula([a[i], b[i], c[i]]);
    }
}

#[inline(always)]
fn each_exact(run: &mut [Lane; 3], formula: impl Fn([f64; 3]) -> [f64; 3]) {
    each(run, |[a, b, c]| {
        let [a, b, c] = formula([a.into(), b.into(), c.into()]);
        [a as f32, b as f32, c as f32]
    });
}

/// L\*a\*b\* of CIE XYZ over the white.
#[inline(always)]
fn lab(run: &mut [Lane; 3]) {
    const EPSILON: f32 = 216.0 / 24_389.0;
    const KAPPA: f32 = 24_389.0 / 27.0;
    for lane in run.iter_mut() {
        for v in lane.iter_mut() {
            let (root, line) = (cbrt(*v), (KAPPA * *v + 16.0) / 116.0);
            *v = if *v > EPSILON { root } else { line };
        }
    }
    each(run, |[x, y, z]| [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]);
}

/// The cube root, to two units in the last place: a guess by a third of the exponent, and Halley's step twice, each of which triples the
/// number of right digits. Of NaN and infinities it is the number itself.
#[inline(always)]
fn cbrt(v: f32) -> f32 {
    let x = v.abs();
    let mut y = f32::from_bits(x.to_bits() / 3 + 0x2a51_37a0);
    for _ in 0..2 {
        let cube = y * y * y;
        y *= (cube + 2.0 * x) / (2.0 * cube + x);
    }
    // Numbers so small that their cubes vanish are dark enough to be nothing.
    if (f32::MIN_POSITIVE..f32::INFINITY).contains(&x) {
        y.copysign(v)
    } else if x < 1.0 {
        0.0
    } else {
        v
    }
}

#[inline(always)]
fn hsv(rgb: [f32; 3]) -> [f32; 3] {
    let (low, high) = ends(rgb);
    let saturation = if high == 0.0 { 0.0 } else { (high - low) / high };
    [hue(rgb, low, high), saturation, high]
}

#[inline(always)]
fn hsl(rgb: [f32; 3]) -> [f32; 3] {
    let (low, high) = ends(rgb);
    let lightness = (low + high) / 2.0;
    let room = 1.0 - (2.0 * lightness - 1.0).abs();
    let saturation = if high == low || room == 0.0 { 0.0 } else { (high - low) / room };
    [hue(rgb, low, high), saturation, lightness]
}

#[inline(always)]
fn ends([r, g, b]: [f32; 3]) -> (f32, f32) {
    (r.min(g).min(b), r.max(g).max(b))
}

/// The hue in degrees, by selects alone.
#[inline(always)]
fn hue([r, g, b]: [f32; 3], low: f32, high: f32) -> f32 {
    let apart = high - low;
    let (up, down, turn) = match () {
        () if high == r => (g, b, if g < b { 360.0 } else { 0.0 }),
        () if high == g => (b, r, 120.0),
        () => (r, g, 240.0),
    };
    let hue = 60.0 * (up - down) / apart + turn;
    if apart > 0.0 { if hue >= 360.0 { 0.0 } else { hue } } else { 0.0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_cube_root_is_right_to_two_units() {
        for i in 0..2_000_000u32 {
            let v = f32::from_bits(0x0080_0000 + i * 1061);
            let (found, exact) = (cbrt(v), f64::from(v).cbrt());
            // Beyond that the cube runs over, and so may its negative.
            if v > 1e36 {
                break;
            }
            assert!((f64::from(found) - exact).abs() <= exact * 2.5e-7, "{v:e}: {found:e} for {exact:e}");
            assert_eq!(cbrt(-v), -found);
        }
        assert_eq!((cbrt(0.0), cbrt(1e-45), cbrt(f32::INFINITY)), (0.0, 0.0, f32::INFINITY));
        assert!(cbrt(f32::NAN).is_nan());
    }

    #[test]
    fn hues_agree_with_the_definition_for_all_kinds_of_colours() {
        for i in 0..32_768u32 {
            let rgb = [i % 32, i / 32 % 32, i / 1024].map(|v| v as f32 / 31.0);
            let wide = rgb.map(f64::from);
            for (found, exact) in [(hsv(rgb), values::hsv_of(wide)), (hsl(rgb), values::hsl_of(wide))] {
                let turned = (f64::from(found[0]) - exact[0]).abs();
                assert!(turned < 1e-3 || (turned - 360.0).abs() < 1e-3, "{rgb:?} {found:?} {exact:?}");
                assert!(
                    (f64::from(found[1]) - exact[1]).abs() < 1e-5 && (f64::from(found[2]) - exact[2]).abs() < 1e-6,
                    "{rgb:?}"
                );
            }
        }
    }
}
