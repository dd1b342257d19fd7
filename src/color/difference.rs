//! How far apart two colours look: the three formulas of the CIE.
//!
//! Not here: errors of samples ([`measure::compare`](crate::measure::compare())).

use super::curves::Curves;
use super::models::values::lab_of;
use super::space::{Adaptation, ColorSpace, Matrix, product, times};
use crate::error::{Error, Result};
use crate::frame::{AnySamples, Frame, Picture, SampleView, SampleViewMut, Scale, same_size, with_samples};
use crate::pixel::{Gray, Layout, Meaning, Sample};
use crate::threads::{COMPUTED, Threads};

/// A formula of colour difference. About 1 is what an eye just sees side by side, by the later ones for all colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum DifferenceFormula {
    /// The distance in CIE 1976 L\*a\*b\* (CIE 15:2018, 8.2.1.3).
    Cie1976,
    /// CIE 1994 with the weights for graphic arts, the first colour the reference (CIE 116-1995).
    Cie1994,
    /// CIEDE2000 (ISO/CIE 11664-6:2014).
    #[default]
    Ciede2000,
}

impl DifferenceFormula {
    /// The difference of two colours in L\*a\*b\*.
    ///
    /// # Examples
    /// ```
    /// use rahmen::color::DifferenceFormula;
    /// let (a, b) = ([50.0, 2.5, 0.0], [61.0, -5.0, 29.0]);
    /// assert!((DifferenceFormula::Ciede2000.of(a, b) - 22.8977).abs() < 1e-4);
    /// ```
    pub fn of(self, a: [f64; 3], b: [f64; 3]) -> f64 {
        match self {
            DifferenceFormula::Cie1976 => (a[0] - b[0]).hypot((a[1] - b[1]).hypot(a[2] - b[2])),
            DifferenceFormula::Cie1994 => cie1994(a, b),
            DifferenceFormula::Ciede2000 => ciede2000(a, b),
        }
    }
}

fn cie1994(a: [f64; 3], b: [f64; 3]) -> f64 {
    let (first, second) = (a[1].hypot(a[2]), b[1].hypot(b[2]));
    let (l, chroma) = (a[0] - b[0], first - second);
    let hue = ((a[1] - b[1]).powi(2) + (a[2] - b[2]).powi(2) - chroma * chroma).max(0.0);
    let (sc, sh) = (1.0 + 0.045 * first, 1.0 + 0.015 * first);
    (l * l + (chroma / sc).powi(2) + hue / (sh * sh)).sqrt()
}

/// As Sharma, Wu and Dalal (2005) lay it out, whose steps the names follow.
fn ciede2000(one: [f64; 3], two: [f64; 3]) -> f64 {
    let seventh = |c: f64| {
        let c = c.powi(7);
        (c / (c + 25f64.powi(7))).sqrt()
    };
    let mean = (one[1].hypot(one[2]) + two[1].hypot(two[2])) / 2.0;
    let g = 0.5 * (1.0 - seventh(mean));
    let polar = |[_, a, b]: [f64; 3]| {
        let a = (1.0 + g) * a;
        let hue = if a == 0.0 && b == 0.0 { 0.0 } else { b.atan2(a).to_degrees().rem_euclid(360.0) };
        (a.hypot(b), hue)
    };
    let ((c1, h1), (c2, h2)) = (polar(one), polar(two));
    let (dl, dc) = (two[0] - one[0], c2 - c1);
    let gray = c1 * c2 == 0.0;
    let dh = match h2 - h1 {
        _ if gray => 0.0,
        d if d > 180.0 => d - 360.0,
        d if d < -180.0 => d + 360.0,
        d => d,
    };
    let dh = 2.0 * (c1 * c2).sqrt() * (dh / 2.0).to_radians().sin();
    let (l, c) = ((one[0] + two[0]) / 2.0, (c1 + c2) / 2.0);
    let h = match h1 + h2 {
        sum if gray => sum,
        sum if (h1 - h2).abs() <= 180.0 => sum / 2.0,
        sum if sum < 360.0 => (sum + 360.0) / 2.0,
        sum => (sum - 360.0) / 2.0,
    };
    let cos = |degrees: f64| degrees.to_radians().cos();
    let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0) - 0.20 * cos(4.0 * h - 63.0);
    let turn = 30.0 * (-((h - 275.0) / 25.0).powi(2)).exp();
    let rc = 2.0 * seventh(c);
    let from_middle = (l - 50.0).powi(2);
    let sl = 1.0 + 0.015 * from_middle / (20.0 + from_middle).sqrt();
    let (sc, sh) = (1.0 + 0.045 * c, 1.0 + 0.015 * c * t);
    let rt = -(2.0 * turn).to_radians().sin() * rc;
    let (l, c, h) = (dl / sl, dc / sc, dh / sh);
    (l * l + c * c + h * h + rt * c * h).max(0.0).sqrt()
}

/// Options of a colour difference. Default: CIEDE2000 under the first picture's own white.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub struct DifferenceRules {
    /// The formula.
    pub formula: DifferenceFormula,
    /// The white that L\*a\*b\* is under, as CIE XYZ with Y = 1; the first picture's own by default. D50 is what print and profiles have.
    pub white: Option<[f64; 3]>,
    /// Maximum number of threads.
    pub threads: Threads,
}

impl DifferenceRules {
    /// Sets the formula.
    pub fn formula(self, formula: DifferenceFormula) -> DifferenceRules {
        DifferenceRules { formula, ..self }
    }

    /// Sets the white: CIE XYZ, Y = 1; none is the first picture's own.
    pub fn white(self, white: impl Into<Option<[f64; 3]>>) -> DifferenceRules {
        DifferenceRules { white: white.into(), ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> DifferenceRules {
        DifferenceRules { threads, ..self }
    }
}

/// The difference at every pixel of two pictures of colour, each by the space that it states, under one white, to which the other is
/// adapted (Bradford): the values of L\*a\*b\* are those that a conversion to that model gives. Alpha is left out. One pass over both;
/// samples may be of different depths and layouts.
///
/// # Errors
/// Sizes that differ, planes, cmyk, values, indices or unscaled codes, or spaces that are not known.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Picture, Rgb, Size, color};
/// let a = Picture::from(Frame::filled(Size::new(2, 1), Rgb::new(200u8, 100, 50))?);
/// let b = Picture::from(Frame::filled(Size::new(2, 1), Rgb::new(200u16 * 257, 100 * 257, 50 * 257))?);
/// let apart = color::color_difference(&a, &b, &Default::default())?;
/// assert!(apart[(1, 0)].value < 1e-6);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn color_difference(a: &Picture, b: &Picture, rules: &DifferenceRules) -> Result<Frame<Gray<f32>>> {
    same_size("the second picture", a.size(), b.size())?;
    let white = rules.white.map_or_else(|| ColorSpace::stated(a.metadata())?.white(), Ok)?;
    let (first, second) = (Seen::new(a, white)?, Seen::new(b, white)?);
    let formula = rules.formula;
    let mut out = Frame::<Gray<f32>>::zeros(a.size(), a.content().account())?;
    let bytes = (first.samples.bytes() + second.samples.bytes()).saturating_mul(4 * COMPUTED);
    let width = a.size().width as usize;
    out.view_mut().into_samples().each_band(rules.threads, bytes, &|top, part: SampleViewMut<'_, f32>| {
        let (mut left, mut right) = (vec![[0.0; 3]; width], vec![[0.0; 3]; width]);
        for (y, to) in (top..).zip(part.into_rows()) {
            first.row(y, &mut left);
            second.row(y, &mut right);
            for (to, (a, b)) in to.iter_mut().zip(left.iter().zip(&right)) {
                *to = formula.of(*a, *b) as f32;
            }
        }
    });
    Ok(out)
}

/// A picture of colour as L\*a\*b\*, row by row.
struct Seen<'a> {
    samples: AnySamples<'a>,
    curves: Curves,
    /// From linear light to CIE XYZ under the white.
    to_xyz: Matrix,
    white: [f64; 3],
}

impl<'a> Seen<'a> {
    fn new(picture: &'a Picture, white: [f64; 3]) -> Result<Seen<'a>> {
        let (metadata, pixels) = (picture.metadata(), picture.pixels()?);
        if metadata.meaning != Meaning::Color {
            return Err(Error::invalid("picture", format!("{} are no colours", metadata.meaning_name())));
        }
        if metadata.scale == Scale::Codes {
            return Err(Error::invalid(
                "picture",
                "unscaled codes are not the colours that they stand for; scale them first",
            ));
        }
        if pixels.layout() == Layout::Cmyk {
            return Err(Error::not_supported("the colours of ink: they need a model of the printer"));
        }
        let space = ColorSpace::stated(metadata)?;
        let own = space.white()?;
        let to_xyz = match own == white {
            true => space.to_xyz()?,
            false => product(&Adaptation::Bradford.matrix(own, white), &space.to_xyz()?),
        };
        let samples = pixels.samples_any();
        let curves = Curves::new(space.transfer, pixels.depth());
        Ok(Seen { samples, curves, to_xyz, white })
    }

    fn row(&self, y: u32, to: &mut [[f64; 3]]) {
        with_samples!(self.samples, view => self.row_of(view, y, to));
    }

    fn row_of<S: Sample>(&self, view: SampleView<'_, S>, y: u32, to: &mut [[f64; 3]]) {
        let channels = view.channels();
        for (pixel, to) in view.row(y).chunks_exact(channels.count).zip(to) {
            let of = |c: usize| self.curves.decode(pixel[if channels.colors() == 3 { c } else { 0 }]);
            *to = lab_of(times(&self.to_xyz, [of(0), of(1), of(2)]), self.white);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// L, a and b of two colours, and CIEDE2000: table 1 of Sharma, Wu and Dalal (2005).
    const PAIRS: [([f64; 3], [f64; 3], f64); 34] = [
        ([50.0, 2.6772, -79.7751], [50.0, 0.0, -82.7485], 2.0425),
        ([50.0, 3.1571, -77.2803], [50.0, 0.0, -82.7485], 2.8615),
        ([50.0, 2.8361, -74.0200], [50.0, 0.0, -82.7485], 3.4412),
        ([50.0, -1.3802, -84.2814], [50.0, 0.0, -82.7485], 1.0000),
        ([50.0, -1.1848, -84.8006], [50.0, 0.0, -82.7485], 1.0000),
        ([50.0, -0.9009, -85.5211], [50.0, 0.0, -82.7485], 1.0000),
        ([50.0, 0.0, 0.0], [50.0, -1.0, 2.0], 2.3669),
        ([50.0, -1.0, 2.0], [50.0, 0.0, 0.0], 2.3669),
        ([50.0, 2.4900, -0.0010], [50.0, -2.4900, 0.0009], 7.1792),
        ([50.0, 2.4900, -0.0010], [50.0, -2.4900, 0.0010], 7.1792),
        ([50.0, 2.4900, -0.0010], [50.0, -2.4900, 0.0011], 7.2195),
        ([50.0, 2.4900, -0.0010], [50.0, -2.4900, 0.0012], 7.2195),
        ([50.0, -0.0010, 2.4900], [50.0, 0.0009, -2.4900], 4.8045),
        ([50.0, -0.0010, 2.4900], [50.0, 0.0010, -2.4900], 4.8045),
        ([50.0, -0.0010, 2.4900], [50.0, 0.0011, -2.4900], 4.7461),
        ([50.0, 2.5, 0.0], [50.0, 0.0, -2.5], 4.3065),
        ([50.0, 2.5, 0.0], [73.0, 25.0, -18.0], 27.1492),
        ([50.0, 2.5, 0.0], [61.0, -5.0, 29.0], 22.8977),
        ([50.0, 2.5, 0.0], [56.0, -27.0, -3.0], 31.9030),
        ([50.0, 2.5, 0.0], [58.0, 24.0, 15.0], 19.4535),
        ([50.0, 2.5, 0.0], [50.0, 3.1736, 0.5854], 1.0000),
        ([50.0, 2.5, 0.0], [50.0, 3.2972, 0.0], 1.0000),
        ([50.0, 2.5, 0.0], [50.0, 1.8634, 0.5757], 1.0000),
        ([50.0, 2.5, 0.0], [50.0, 3.2592, 0.3350], 1.0000),
        ([60.2574, -34.0099, 36.2677], [60.4626, -34.1751, 39.4387], 1.2644),
        ([63.0109, -31.0961, -5.8663], [62.8187, -29.7946, -4.0864], 1.2630),
        ([61.2901, 3.7196, -5.3901], [61.4292, 2.2480, -4.9620], 1.8731),
        ([35.0831, -44.1164, 3.7933], [35.0232, -40.0716, 1.5901], 1.8645),
        ([22.7233, 20.0904, -46.6940], [23.0331, 14.9730, -42.5619], 2.0373),
        ([36.4612, 47.8580, 18.3852], [36.2715, 50.5065, 21.2231], 1.4146),
        ([90.8027, -2.0831, 1.4410], [91.1528, -1.6435, 0.0447], 1.4441),
        ([90.9257, -0.5406, -0.9208], [88.6381, -0.8985, -0.7239], 1.5381),
        ([6.7747, -0.2908, -2.4247], [5.8714, -0.0985, -2.2286], 0.6377),
        ([2.0776, 0.0795, -1.1350], [0.9033, -0.0636, -0.5514], 0.9082),
    ];

    #[test]
    fn the_published_pairs_of_ciede2000_to_four_digits() {
        for (i, (a, b, wanted)) in PAIRS.into_iter().enumerate() {
            for found in [DifferenceFormula::Ciede2000.of(a, b), DifferenceFormula::Ciede2000.of(b, a)] {
                assert!((found - wanted).abs() < 5.1e-5, "pair {}: {found}", i + 1);
            }
        }
    }

    #[test]
    fn the_earlier_formulas_worked_by_hand() {
        // 3, 4 and 12 apart: 13.
        assert!((DifferenceFormula::Cie1976.of([50.0, 0.0, 0.0], [53.0, 4.0, 12.0]) - 13.0).abs() < 1e-12);
        // Chroma 10 and 20 of one hue: 10 / (1 + 0.45); and 10 of a hue a quarter further: sqrt(200) / (1 + 0.15).
        let of = |a, b| DifferenceFormula::Cie1994.of(a, b);
        assert!((of([50.0, 10.0, 0.0], [50.0, 20.0, 0.0]) - 10.0 / 1.45).abs() < 1e-12);
        assert!((of([50.0, 10.0, 0.0], [50.0, 0.0, 10.0]) - 200f64.sqrt() / 1.15).abs() < 1e-12);
    }
}
