//! Gradients as masks: along a line, or around a centre.

use crate::error::{Error, Result};
use crate::frame::{Frame, Size};
use crate::pixel::{Gray, Sample};

/// Where a gradient runs. Places are in pixels from the upper left corner; pixel (x, y) has its centre at (x + 0.5, y + 0.5).
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub enum GradientShape {
    /// From one place to another, alike across.
    Linear {
        /// Where it begins.
        from: (f64, f64),
        /// Where it ends.
        to: (f64, f64),
    },
    /// Around a centre, from an inner radius to an outer one.
    Radial {
        /// The centre.
        center: (f64, f64),
        /// Where it begins.
        inner: f64,
        /// Where it ends.
        outer: f64,
    },
}

/// A gradient from one value to another, as a mask.
///
/// # Examples
/// ```
/// use rahmen::{Size, color::Gradient};
/// let spot = Gradient::radial((50.0, 50.0), 10.0, 40.0).smooth().values(1.0, 0.0).mask::<u8>(Size::new(100, 100))?;
/// assert_eq!((spot[(50, 50)].value, spot[(0, 0)].value), (255, 0));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Gradient {
    /// Where it runs.
    pub shape: GradientShape,
    /// The values where it begins and where it ends, as fractions of full; they go on beyond both.
    pub values: (f64, f64),
    /// Whether it leaves and arrives softly, as 3 t^2 - 2 t^3, instead of in a straight line.
    pub smooth: bool,
}

impl Gradient {
    /// A gradient along a line, from 0 to 1.
    pub fn linear(from: (f64, f64), to: (f64, f64)) -> Gradient {
        Gradient { shape: GradientShape::Linear { from, to }, values: (0.0, 1.0), smooth: false }
    }

    /// A gradient around a centre from an inner radius to an outer one, from 0 to 1.
    pub fn radial(center: (f64, f64), inner: f64, outer: f64) -> Gradient {
        Gradient { shape: GradientShape::Radial { center, inner, outer }, values: (0.0, 1.0), smooth: false }
    }

    /// Sets the values where it begins and ends, as fractions of full.
    pub fn values(self, first: f64, last: f64) -> Gradient {
        Gradient { values: (first, last), ..self }
    }

    /// Sets a soft start and end.
    pub fn smooth(self) -> Gradient {
        Gradient { smooth: true, ..self }
    }

    /// The gradient as a gray picture of this size; samples are rounded once, in words 257 times finer than in bytes. One pass.
    ///
    /// # Errors
    /// Places, radii or values that are not finite; a line of no length, a radius below 0, an outer one that is not beyond the inner; no
    /// memory.
    pub fn mask<S: Sample>(&self, size: Size) -> Result<Frame<Gray<S>>> {
        self.check()?;
        Frame::from_fn(size, |x, y| Gray::new(S::from_fraction(self.at(f64::from(x) + 0.5, f64::from(y) + 0.5))))
    }

    fn check(&self) -> Result<()> {
        let numbers = match self.shape {
            GradientShape::Linear { from, to } => [from.0, from.1, to.0, to.1],
            GradientShape::Radial { center, inner, outer } => [center.0, center.1, inner, outer],
        };
        let values = [self.values.0, self.values.1];
        if numbers.iter().chain(&values).any(|v| !v.is_finite() || v.abs() > 1e12) {
            return Err(Error::invalid("gradient", "places, radii and values are finite numbers"));
        }
        match self.shape {
            GradientShape::Linear { from, to } if from == to => Err(Error::invalid(
                "gradient",
                format!("it begins and ends at {},{}; a line needs a length", to.0, to.1),
            )),
            GradientShape::Radial { inner, outer, .. } if inner < 0.0 || outer <= inner => {
                let reason = format!("radii go from 0 or more to a larger one, not from {inner} to {outer}");
                Err(Error::not_a_range("gradient", (inner, outer), reason))
            }
            _ => Ok(()),
        }
    }

    /// The value at a place.
    fn at(&self, x: f64, y: f64) -> f64 {
        let along = match self.shape {
            GradientShape::Linear { from, to } => {
                let (dx, dy) = (to.0 - from.0, to.1 - from.1);
                ((x - from.0) * dx + (y - from.1) * dy) / (dx * dx + dy * dy)
            }
            GradientShape::Radial { center, inner, outer } => {
                ((x - center.0).hypot(y - center.1) - inner) / (outer - inner)
            }
        };
        let t = along.clamp(0.0, 1.0);
        let t = if self.smooth { t * t * (3.0 - 2.0 * t) } else { t };
        self.values.0 + (self.values.1 - self.values.0) * t
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_runs_between_pixel_centres() {
        let mask = Gradient::linear((0.5, 0.0), (4.5, 0.0)).mask::<f32>(Size::new(5, 2)).unwrap();
        assert_eq!(mask.samples()[..5], [0.0, 0.25, 0.5, 0.75, 1.0]);
        assert_eq!(mask.samples()[5..], mask.samples()[..5]);
        let across = Gradient::linear((0.0, 0.0), (2.0, 2.0)).values(1.0, 0.0).mask::<f32>(Size::new(2, 2)).unwrap();
        assert_eq!(across.samples(), [0.75, 0.5, 0.5, 0.25]);
        // 3 t^2 - 2 t^3 at 1/4: 10/64.
        let soft = Gradient::linear((0.5, 0.0), (4.5, 0.0)).smooth().mask::<f32>(Size::new(5, 1)).unwrap();
        assert_eq!(soft.samples()[1], 0.15625);
    }

    #[test]
    fn circles_begin_and_end_at_their_radii() {
        let disc = Gradient::radial((2.5, 2.5), 1.0, 3.0).values(1.0, 0.0).mask::<f32>(Size::new(6, 5)).unwrap();
        assert_eq!(disc.samples()[2 * 6..3 * 6], [0.5, 1.0, 1.0, 1.0, 0.5, 0.0]);
    }

    #[test]
    fn what_is_no_gradient_is_an_error() {
        let size = Size::new(2, 2);
        for wrong in [
            Gradient::linear((1.0, 1.0), (1.0, 1.0)),
            Gradient::linear((f64::NAN, 1.0), (1.0, 1.0)),
            Gradient::radial((0.0, 0.0), -1.0, 3.0),
            Gradient::radial((0.0, 0.0), 3.0, 3.0),
            Gradient::radial((0.0, 0.0), 3.0, f64::INFINITY),
            Gradient::linear((0.0, 0.0), (1.0, 1.0)).values(0.0, f64::NAN),
        ] {
            assert!(wrong.mask::<u8>(size).is_err(), "{wrong:?}");
        }
    }
}
