//! A curve from fractions of full to fractions of full.

use crate::error::{Error, Result};
use crate::pixel::{NumberKind, Sample, codes};
use std::sync::Arc;

/// A curve: what each sample value becomes. It maps fractions of full (0 none, 1 full), so that it serves every depth; as a
/// [`table`](Curve::table) it has 256 or 65,536 entries, on floats it is the function itself. Results are clamped to 0..=1
/// for integers only.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, tone::{Curve, Tone}};
/// let curve = Curve::contrast(2.0, 0.5)?.then(Curve::negative());
/// assert_eq!((curve.at(0.5), curve.at(0.25)), (0.5, 1.0));
/// let mut row = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![64, 128, 255])?;
/// Tone::new(curve).apply(row.view_mut())?;
/// assert_eq!(row.samples(), [255, 127, 0]);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Clone)]
pub struct Curve(CurveKind);

#[derive(Clone)]
enum CurveKind {
    /// gain * x + offset.
    Line {
        gain: f64,
        offset: f64,
    },
    Power(f64),
    /// Straight between points in rising order of x, level outside them.
    Points(Arc<[(f64, f64)]>),
    /// An entry for each of evenly spread fractions, straight in between.
    Levels(Arc<[f64]>),
    /// So many of the limits as are reached, of all.
    Steps(Arc<[f64]>),
    Function(Arc<dyn Fn(f64) -> f64 + Send + Sync>),
    Chain(Arc<[Curve]>),
}

impl std::fmt::Debug for Curve {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.0 {
            CurveKind::Line { gain, offset } => write!(f, "Curve({gain} x + {offset})"),
            CurveKind::Power(exponent) => write!(f, "Curve(x ^ {exponent})"),
            CurveKind::Points(points) => write!(f, "Curve({} points)", points.len()),
            CurveKind::Levels(levels) => write!(f, "Curve({} levels)", levels.len()),
            CurveKind::Steps(limits) => write!(f, "Curve(steps at {limits:?})"),
            CurveKind::Function(_) => f.write_str("Curve(function)"),
            CurveKind::Chain(curves) => f.debug_tuple("Curve").field(curves).finish(),
        }
    }
}

fn finite(what: &str, value: f64) -> Result<f64> {
    if value.is_finite() {
        Ok(value)
    } else {
        Err(Error::invalid("value", format!("{what} of {value} is not a number")))
    }
}

impl Curve {
    /// The identity.
    pub fn identity() -> Curve {
        Curve(CurveKind::Line { gain: 1.0, offset: 0.0 })
    }

    /// The negative: 1 - x.
    pub fn negative() -> Curve {
        Curve(CurveKind::Line { gain: -1.0, offset: 1.0 })
    }

    /// Brightness: x + by, in fractions of full.
    ///
    /// # Errors
    /// A value that is not finite.
    pub fn brightness(by: f64) -> Result<Curve> {
        Ok(Curve(CurveKind::Line { gain: 1.0, offset: finite("a brightness", by)? }))
    }

    /// Contrast: (x - pivot) * by + pivot.
    ///
    /// # Errors
    /// Values that are not finite.
    pub fn contrast(by: f64, pivot: f64) -> Result<Curve> {
        let (by, pivot) = (finite("a contrast", by)?, finite("a pivot", pivot)?);
        Ok(Curve(CurveKind::Line { gain: by, offset: pivot - by * pivot }))
    }

    /// Gamma: x to the power of the exponent. Below 1 it brightens, above 1 it darkens; 0 and 1 stay.
    ///
    /// # Errors
    /// An exponent that is not a number above 0.
    pub fn gamma(exponent: f64) -> Result<Curve> {
        match exponent.is_finite() && exponent > 0.0 {
            true => Ok(Curve(CurveKind::Power(exponent))),
            false => Err(Error::out_of_range(
                "exponent",
                exponent,
                (f64::MIN_POSITIVE, f64::MAX),
                format!("a gamma exponent is a number above 0, not {exponent}"),
            )),
        }
    }

    /// Stretches `low` to 0 and `high` to 1, both fractions.
    ///
    /// # Errors
    /// Limits that are not finite, or not low < high.
    pub fn window(low: f64, high: f64) -> Result<Curve> {
        crate::convert::depth::Window::new(low, high)?;
        Ok(Curve(CurveKind::Line { gain: 1.0 / (high - low), offset: -low / (high - low) }))
    }

    /// Straight lines between points (x, y) of fractions, level before the first and behind the last.
    ///
    /// # Errors
    /// No point, one that is not finite, or x that do not rise.
    pub fn points(points: &[(f64, f64)]) -> Result<Curve> {
        if points.is_empty() || points.iter().any(|p| !p.0.is_finite() || !p.1.is_finite()) {
            return Err(Error::invalid("points", "a curve needs points of finite numbers"));
        }
        if points.windows(2).any(|p| p[0].0 >= p[1].0) {
            return Err(Error::invalid("points", "the points of a curve go from lower to higher x"));
        }
        Ok(Curve(CurveKind::Points(points.into())))
    }

    /// An entry for each level of a picture of so many levels: what it becomes, as a fraction. Between levels the curve is
    /// straight.
    ///
    /// # Errors
    /// Fewer than two levels.
    pub fn levels(fractions: &[f64]) -> Result<Curve> {
        match fractions.len() {
            few @ (0 | 1) => {
                Err(Error::wrong_count("levels", few, (2, usize::MAX), "a curve of levels needs at least two"))
            }
            _ => Ok(Curve(CurveKind::Levels(fractions.into()))),
        }
    }

    /// Steps: a value becomes the share of the limits that it reaches, so that one limit parts none from full.
    ///
    /// # Errors
    /// No limit, or one that is not a number.
    pub fn steps(limits: &[f64]) -> Result<Curve> {
        if limits.is_empty() || limits.iter().any(|l| l.is_nan()) {
            return Err(Error::invalid("threshold", "a threshold needs a number"));
        }
        let mut sorted = limits.to_vec();
        sorted.sort_unstable_by(f64::total_cmp);
        Ok(Curve(CurveKind::Steps(sorted.into())))
    }

    /// A function of one's own, from fractions to fractions. It is called for each of 256 or 65,536 values of integers, and
    /// for each sample of floats.
    pub fn function(function: impl Fn(f64) -> f64 + Send + Sync + 'static) -> Curve {
        Curve(CurveKind::Function(Arc::new(function)))
    }

    /// This curve, and then the other.
    pub fn then(self, other: Curve) -> Curve {
        let mut all = Vec::new();
        for curve in [self, other] {
            match curve.0 {
                CurveKind::Chain(curves) => all.extend(curves.iter().cloned()),
                shape => all.push(Curve(shape)),
            }
        }
        Curve(CurveKind::Chain(all.into()))
    }

    /// The value of the curve at a fraction; not clamped.
    pub fn at(&self, fraction: f64) -> f64 {
        match &self.0 {
            CurveKind::Line { gain, offset } => gain * fraction + offset,
            CurveKind::Power(exponent) => fraction.abs().powf(*exponent).copysign(fraction),
            CurveKind::Points(points) => between(points, fraction),
            CurveKind::Levels(levels) => of_level(levels, fraction),
            CurveKind::Steps(limits) => limits.partition_point(|l| *l <= fraction) as f64 / limits.len() as f64,
            CurveKind::Function(function) => function(fraction),
            CurveKind::Chain(curves) => curves.iter().fold(fraction, |x, curve| curve.at(x)),
        }
    }

    /// Whether every value stays as it is.
    pub fn is_identity(&self) -> bool {
        match &self.0 {
            CurveKind::Line { gain, offset } => *gain == 1.0 && *offset == 0.0,
            CurveKind::Chain(curves) => curves.iter().all(Curve::is_identity),
            _ => false,
        }
    }

    /// What each value of 8 or 16 bits becomes, where values stand for codes 0..=`top`: the fraction code / top goes through
    /// the curve and becomes the nearest sample, ties up. Empty for floats.
    ///
    /// A result that lies less than a billionth of a level below a tie counts as the tie, so that decimal factors round as
    /// on paper.
    pub fn table<S: Sample>(&self, top: u32) -> Vec<S> {
        let full = match S::KIND {
            NumberKind::U8 => 255u32,
            NumberKind::U16 => 65_535,
            _ => return Vec::new(),
        };
        let top = top.clamp(1, full);
        let codes: Vec<S> = self.codes(top, full);
        if top == full {
            return codes;
        }
        let mut table = Vec::with_capacity(full as usize + 1);
        for value in 0..full + 1 {
            table.push(codes[codes::code_of(value, top, full) as usize]);
        }
        table
    }

    /// [`table`](Curve::table) of samples that are the codes 0..=`top` themselves; values above stand for the top.
    pub(super) fn table_of_codes<S: Sample>(&self, top: u32) -> Vec<S> {
        let full = S::DEPTH.max_code().map_or(0, u32::from);
        let mut table = self.codes(top, top);
        if let (Some(&last), true) = (table.last(), full > 0) {
            table.resize(full as usize + 1, last);
        }
        table
    }

    /// The sample of each code 0..=`top`, where the fraction 1 is the sample `full`.
    fn codes<S: Sample>(&self, top: u32, full: u32) -> Vec<S> {
        let mut all = Vec::with_capacity(top as usize + 1);
        for code in 0..top + 1 {
            let value = self.at(f64::from(code) / f64::from(top)) * f64::from(full);
            // NaN becomes 0 and the rest is clamped.
            all.push(S::from_f64(if value > f64::from(full) { f64::from(full) } else { value + 1e-9 }));
        }
        all
    }
}

fn between(points: &[(f64, f64)], x: f64) -> f64 {
    let after = points.partition_point(|p| p.0 <= x);
    match (after.checked_sub(1).and_then(|i| points.get(i)), points.get(after)) {
        (Some(a), Some(b)) => a.1 + (b.1 - a.1) * ((x - a.0) / (b.0 - a.0)),
        (Some(end), None) | (None, Some(end)) => end.1,
        (None, None) => x,
    }
}

fn of_level(levels: &[f64], fraction: f64) -> f64 {
    let last = levels.len() - 1;
    let place = (fraction * last as f64).clamp(0.0, last as f64);
    let near = place.round();
    // A level that is one but for rounding is that level.
    if (place - near).abs() < 1e-9 {
        return levels[near as usize];
    }
    let below = place.floor() as usize;
    match levels.get(below..below + 2) {
        Some([a, b]) => a + (b - a) * (place - below as f64),
        _ => f64::NAN,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_maps_as_its_formula_says() {
        assert_eq!(Curve::identity().at(0.3), 0.3);
        assert_eq!(Curve::negative().table::<u8>(255), (0..=255u8).rev().collect::<Vec<_>>());
        assert_eq!(Curve::negative().table::<u16>(65_535), (0..=65_535u16).rev().collect::<Vec<_>>());
        // (100 - 127.5) * 1.5 + 127.5 = 86.25; (1 - 127.5) * 1.5 + 127.5 < 0; + 0.1 * 255 = 25.5, a tie, goes up.
        let contrast = Curve::contrast(1.5, 0.5).unwrap().table::<u8>(255);
        assert_eq!((contrast[100], contrast[1], contrast[250]), (86, 0, 255));
        let brighter = Curve::brightness(0.1).unwrap().table::<u8>(255);
        assert_eq!((brighter[0], brighter[100], brighter[240]), (26, 126, 255));
        // 0.5 ^ 2 of 255 at 128: (128 / 255)^2 * 255 = 64.25.
        assert_eq!(Curve::gamma(2.0).unwrap().table::<u8>(255)[128], 64);
        let window = Curve::window(0.2, 0.6).unwrap();
        assert!((window.at(0.4) - 0.5).abs() < 1e-12 && window.at(0.7) > 1.2);
        let bent = Curve::points(&[(0.25, 0.0), (0.5, 1.0), (0.75, 0.5)]).unwrap();
        assert_eq!([0.0, 0.375, 0.5, 0.625, 1.0].map(|x| bent.at(x)), [0.0, 0.5, 1.0, 0.75, 0.5]);
        let steps = Curve::steps(&[0.5, 0.25]).unwrap();
        assert_eq!([0.2, 0.25, 0.4, 0.5, 1.0].map(|x| steps.at(x)), [0.0, 0.5, 0.5, 1.0, 1.0]);
        let own = Curve::function(|x| x * x).then(Curve::negative()).then(Curve::negative());
        assert!((own.at(0.5) - 0.25).abs() < 1e-15);
    }

    #[test]
    fn codes_of_a_small_top_keep_to_their_levels() {
        // Top 4: codes 0 64 128 191 255; the negative of code 1 is code 3.
        let table = Curve::negative().table::<u8>(4);
        assert_eq!([0usize, 64, 128, 191, 255].map(|v| table[v]), [255, 191, 128, 64, 0]);
        let levels = Curve::levels(&[0.0, 0.0, 0.5, 1.0, 1.0]).unwrap();
        assert_eq!(levels.at(0.375), 0.25);
        assert_eq!([0usize, 64, 128, 191, 255].map(|v| levels.table::<u8>(4)[v]), [0, 0, 128, 255, 255]);
    }

    #[test]
    fn what_makes_no_curve_is_refused() {
        assert!(Curve::gamma(0.0).is_err() && Curve::gamma(f64::NAN).is_err());
        assert!(Curve::window(0.5, 0.5).is_err() && Curve::window(f64::NAN, 1.0).is_err());
        assert!(Curve::points(&[]).is_err() && Curve::points(&[(0.5, 0.0), (0.5, 1.0)]).is_err());
        assert!(Curve::brightness(f64::INFINITY).is_err() && Curve::contrast(1.0, f64::NAN).is_err());
        assert!(Curve::levels(&[0.5]).is_err() && Curve::steps(&[]).is_err());
        assert_eq!(Curve::function(|_| f64::NAN).table::<u8>(255)[7], 0);
    }
}
