//! False colour: ramps of colours for data of one channel, and distinct colours for class numbers.
//!
//! A [`Ramp`] is a path through Oklab (Ottosson 2020), walked at one speed: equal steps of data look equally far apart. The named ones
//! are of our own design (`named`), [`Ramp::new`] makes one of any colours, and [`false_color`] paints with them.
//!
//! Not here: legends and pictures of ramps, which are drawn by the package for people.

mod labels;
mod named;
mod paint;

use super::models::values::{oklab_of, oklab_to_xyz};
use super::space::{ColorSpace, Matrix, times};
use super::vision::Vision;
use crate::error::{Error, Result};
use crate::pixel::Transfer;
use std::sync::LazyLock;

pub use labels::label_color;
pub(crate) use paint::Painter;
pub use paint::{RampRules, color_labels, false_color, false_color_into};

/// What a ramp is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum RampKind {
    /// From low to high: lightness rises evenly.
    Sequential,
    /// Two directions from a middle that means something.
    Diverging,
    /// Angles and times of day: the end is the beginning.
    Cyclic,
    /// As many colours as fit between dark and light: small differences show.
    Contrast,
    /// Distinct colours for classes, in no order.
    Categories,
}

impl RampKind {
    /// The word for it in reports.
    pub fn name(self) -> &'static str {
        match self {
            RampKind::Sequential => "sequential",
            RampKind::Diverging => "diverging",
            RampKind::Cyclic => "cyclic",
            RampKind::Contrast => "contrast",
            RampKind::Categories => "categories",
        }
    }
}

/// A ramp of colours from 0 to 1.
///
/// # Examples
/// ```
/// use rahmen::color::Ramp;
/// let ramp = Ramp::named("fathom").ok_or("no such ramp")?;
/// let ([r0, ..], [r1, ..]) = (ramp.at(0.0), ramp.at(1.0));
/// assert!(r0 < 0.1 && r1 > 0.8); // dark to light
/// assert_eq!(ramp.clone().reversed().at(0.0), ramp.at(1.0));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Ramp {
    name: String,
    kind: RampKind,
    /// Colours in Oklab, evenly spaced from 0 to 1; of categories each stands for itself.
    places: Vec<[f64; 3]>,
}

impl Ramp {
    /// The names of the ramps that have one, in the order in which they are listed.
    pub const NAMES: &'static [&'static str] = named::NAMES;

    /// The ramp of this name; `None` where there is none.
    pub fn named(name: &str) -> Option<Ramp> {
        named::ramp(name)
    }

    /// All ramps that have a name.
    pub fn all() -> Vec<Ramp> {
        Ramp::NAMES.iter().filter_map(|name| Ramp::named(name)).collect()
    }

    /// A ramp of one's own through colours that are evenly spaced from 0 to 1: sRGB as fractions, Oklab straight between them.
    ///
    /// # Errors
    /// Fewer than two colours, or more than 65,536; a channel that is not within 0..=1.
    pub fn new(name: impl Into<String>, kind: RampKind, colors: &[[f64; 3]]) -> Result<Ramp> {
        if !(2..=65_536).contains(&colors.len()) {
            let reason = format!("a ramp has 2 to 65536 colours, not {}", colors.len());
            return Err(Error::out_of_range("colors", colors.len() as f64, (2.0, 65_536.0), reason));
        }
        if let Some(wrong) = colors.iter().flatten().find(|v| !(0.0..=1.0).contains(*v)) {
            let reason = format!("a colour is red, green and blue as fractions of full, 0 to 1; {wrong} is not");
            return Err(Error::out_of_range("colors", *wrong, (0.0, 1.0), reason));
        }
        let places = colors.iter().map(|rgb| oklab_of_srgb(*rgb)).collect();
        Ok(Ramp { name: name.into(), kind, places })
    }

    /// A ramp along places in Oklab that lie inside sRGB.
    fn through(name: &str, kind: RampKind, places: Vec<[f64; 3]>) -> Ramp {
        Ramp { name: name.into(), kind, places }
    }

    /// Its name.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// What it is for.
    pub fn kind(&self) -> RampKind {
        self.kind
    }

    /// The same colours from the other end; categories keep their order.
    pub fn reversed(mut self) -> Ramp {
        if self.kind != RampKind::Categories {
            self.places.reverse();
        }
        self
    }

    /// The colour at a place from 0 to 1, as fractions of encoded sRGB. What lies outside is the end's colour; in a cyclic ramp it goes
    /// round. Categories have no colours between: the nearest below. NaN gives the first.
    pub fn at(&self, place: f64) -> [f64; 3] {
        srgb_of_oklab(self.oklab_at(place))
    }

    /// A place that may lie outside, as one inside; NaN stays.
    fn inside(&self, place: f64) -> f64 {
        match self.kind {
            RampKind::Cyclic if place != 1.0 && place.is_finite() => place.rem_euclid(1.0),
            _ => place.clamp(0.0, 1.0),
        }
    }

    /// [`at`](Ramp::at) in Oklab.
    fn oklab_at(&self, place: f64) -> [f64; 3] {
        let place = self.inside(place);
        // NaN is 0 as a whole number.
        let last = self.places.len().saturating_sub(1);
        if self.kind == RampKind::Categories {
            return self.places[((place * self.places.len() as f64) as usize).min(last)];
        }
        let along = if place.is_nan() { 0.0 } else { place * last as f64 };
        let first = (along as usize).min(last);
        let (a, b, share) = (self.places[first], self.places[(first + 1).min(last)], along - first as f64);
        [0, 1, 2].map(|i| a[i] + (b[i] - a[i]) * share)
    }

    /// Number of colours of categories; of other ramps that of the places they are made of.
    pub fn len(&self) -> usize {
        self.places.len()
    }

    /// Never true: a ramp has two colours at least.
    pub fn is_empty(&self) -> bool {
        self.places.is_empty()
    }

    /// The largest over the smallest step of colour between neighbours of 256 equal steps, in Oklab: 1 where the ramp is quite even.
    /// NaN for categories.
    pub fn evenness(&self) -> f64 {
        if self.kind == RampKind::Categories {
            return f64::NAN;
        }
        let at = |i: u32| self.oklab_at(f64::from(i) / 256.0);
        let (mut least, mut most) = (f64::INFINITY, 0f64);
        for i in 0..256 {
            let step = apart(at(i), at(i + 1));
            (least, most) = (least.min(step), most.max(step));
        }
        most / least
    }

    /// The smallest difference in Oklab, as someone with this vision sees it: between neighbours of 16 equal steps, of categories
    /// between any two of the colours.
    pub fn smallest_difference(&self, vision: Vision) -> f64 {
        let seen = |lab: [f64; 3]| oklab_of_srgb(vision.seen(srgb_of_oklab(lab)));
        let mut least = f64::INFINITY;
        if self.kind == RampKind::Categories {
            for (i, a) in self.places.iter().enumerate() {
                for b in &self.places[..i] {
                    least = least.min(apart(seen(*a), seen(*b)));
                }
            }
            return least;
        }
        let at = |i: u32| seen(self.oklab_at(f64::from(i) / 16.0));
        for i in 0..16 {
            least = least.min(apart(at(i), at(i + 1)));
        }
        least
    }
}

/// Red, green, blue and full alpha: a whole word is looked up quicker.
type Color = [u8; 4];

/// A colour as bytes.
fn codes(rgb: [f64; 3]) -> Color {
    let [r, g, b] = rgb.map(|v| (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8);
    [r, g, b, u8::MAX]
}

/// The distance of two colours in Oklab.
fn apart(a: [f64; 3], b: [f64; 3]) -> f64 {
    (a[0] - b[0]).hypot((a[1] - b[1]).hypot(a[2] - b[2]))
}

/// Between linear sRGB and CIE XYZ, both ways.
static SRGB: LazyLock<(Matrix, Matrix)> = LazyLock::new(|| {
    // The space is one that has a name: neither can fail.
    (ColorSpace::SRGB.to_xyz().unwrap_or_default(), ColorSpace::SRGB.from_xyz().unwrap_or_default())
});

/// Oklab of encoded sRGB, as fractions.
pub(crate) fn oklab_of_srgb(rgb: [f64; 3]) -> [f64; 3] {
    oklab_of(times(&SRGB.0, rgb.map(|v| Transfer::Srgb.decode(v))))
}

/// Encoded sRGB of Oklab, as fractions, clamped a channel at a time.
pub(crate) fn srgb_of_oklab(lab: [f64; 3]) -> [f64; 3] {
    times(&SRGB.1, oklab_to_xyz(lab)).map(|v| Transfer::Srgb.encode(v.clamp(0.0, 1.0)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_named_ramp_is_even_and_tells_its_steps_apart_for_all_eyes() {
        assert!(Ramp::NAMES.len() >= 9);
        for ramp in Ramp::all() {
            assert_eq!(Ramp::named(ramp.name()).as_ref(), Some(&ramp));
            if ramp.kind() != RampKind::Categories {
                assert!(ramp.evenness() < 1.03, "{}: {}", ramp.name(), ramp.evenness());
            }
            for vision in Vision::ALL {
                let least = ramp.smallest_difference(*vision);
                let bar = if ramp.kind() == RampKind::Categories { 0.09 } else { 0.028 };
                assert!(least > bar, "{} {vision:?}: {least}", ramp.name());
            }
        }
    }

    #[test]
    fn sequential_ramps_rise_in_lightness_and_lie_inside_srgb() {
        for ramp in Ramp::all() {
            let lights: Vec<f64> = ramp.places.iter().map(|p| p[0]).collect();
            match ramp.kind() {
                RampKind::Sequential | RampKind::Contrast => {
                    let first = lights[1] - lights[0];
                    assert!(lights.windows(2).all(|w| (w[1] - w[0] - first).abs() < 1e-9), "{}", ramp.name());
                }
                RampKind::Cyclic => assert!(apart(ramp.places[0], ramp.places[ramp.len() - 1]) < 1e-9),
                _ => {}
            }
            for place in &ramp.places {
                let from_xyz = ColorSpace::SRGB.from_xyz().unwrap();
                let light = times(&from_xyz, oklab_to_xyz(*place));
                assert!(light.iter().all(|v| (-0.002..=1.03).contains(v)), "{} {light:?}", ramp.name());
            }
        }
    }

    #[test]
    fn places_outside_are_the_ends_or_go_round() {
        let own = Ramp::new("own", RampKind::Sequential, &[[0.0; 3], [1.0; 3]]).unwrap();
        let near = |a: [f64; 3], b: f64| a.iter().all(|v| (v - b).abs() < 1e-6);
        assert!(near(own.at(-3.0), 0.0) && near(own.at(9.0), 1.0) && near(own.at(f64::NAN), 0.0));
        // The middle of Oklab between black and white is L = 0.5: light of 1/8.
        assert!(near(own.at(0.5), Transfer::Srgb.encode(0.125)), "{:?}", own.at(0.5));
        let round = Ramp::named("compass").unwrap();
        assert_eq!(round.at(1.25), round.at(0.25));
        assert_eq!(round.at(-0.75), round.at(0.25));
        let classes = Ramp::named("pennants").unwrap();
        assert_eq!(classes.at(0.0), classes.at(1.0 / 13.0));
    }

    #[test]
    fn ramps_of_too_few_colours_or_none_are_errors() {
        for wrong in [vec![], vec![[0.5; 3]], vec![[0.0; 3], [1.1, 0.0, 0.0]], vec![[f64::NAN; 3], [0.0; 3]]] {
            assert!(Ramp::new("x", RampKind::Sequential, &wrong).is_err(), "{wrong:?}");
        }
    }
}
