//! The interpolation kernels: functions of the distance in pixels.

use crate::error::{Error, Result};
use std::sync::Arc;

/// How to interpolate.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub enum Kernel {
    /// The source pixel that contains the output pixel's centre. Makes no new values.
    Nearest,
    /// The mean over the area that the output pixel covers: each source pixel counts by its exact overlap. It follows the
    /// scale by itself, so widening does not concern it.
    Box,
    /// A triangle of support 1.
    Linear,
    /// The cubic with B = 0, C = 1/2 (Catmull and Rom 1974; Mitchell and Netravali 1988), of support 2. The default.
    #[default]
    CatmullRom,
    /// The cubic with B = C = 1/3, which Mitchell and Netravali recommend (1988), of support 2. It softens a little, also
    /// where nothing is resized.
    Mitchell,
    /// Any cubic of Mitchell and Netravali, of support 2.
    Cubic {
        /// B, how much it softens: 0 interpolates.
        b: f64,
        /// C, how much it sharpens.
        c: f64,
    },
    /// sinc(t) sinc(t / 2) of support 2 (Lanczos; Duchon 1979).
    Lanczos2,
    /// sinc(t) sinc(t / 3) of support 3.
    Lanczos3,
    /// A function of one's own.
    Custom(CustomKernel),
}

/// A kernel of one's own: a function of the distance in pixels, zero beyond its support. Clones share the function.
#[derive(Clone)]
pub struct CustomKernel {
    at: Arc<dyn Fn(f64) -> f64 + Send + Sync>,
    support: f64,
}

impl std::fmt::Debug for CustomKernel {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("CustomKernel").field("support", &self.support).finish_non_exhaustive()
    }
}

impl CustomKernel {
    /// The largest support there may be.
    pub const MOST: f64 = 64.0;

    /// This function, which is asked for distances (of either sign) up to `support`. Its sum need not be one: weights are
    /// divided by theirs.
    ///
    /// # Errors
    /// A support that is not a number above 0 and at most [`MOST`](CustomKernel::MOST).
    ///
    /// # Examples
    /// ```
    /// use rahmen::resample::{Kernel, CustomKernel};
    /// let sigma = 0.5;
    /// let bell = CustomKernel::new(move |t| (-t * t / (2.0 * sigma * sigma)).exp(), 2.0)?;
    /// assert_eq!(Kernel::Custom(bell).at(0.0), 1.0);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn new(at: impl Fn(f64) -> f64 + Send + Sync + 'static, support: f64) -> Result<CustomKernel> {
        if !(support > 0.0 && support <= CustomKernel::MOST) {
            let most = CustomKernel::MOST;
            return Err(Error::out_of_range(
                "support",
                support,
                (f64::MIN_POSITIVE, most),
                format!("a kernel's support is above 0 and at most {most}, not {support}"),
            ));
        }
        Ok(CustomKernel { at: Arc::new(at), support })
    }
}

impl PartialEq for Kernel {
    fn eq(&self, other: &Kernel) -> bool {
        match (self, other) {
            (Kernel::Custom(a), Kernel::Custom(b)) => a.support == b.support && Arc::ptr_eq(&a.at, &b.at),
            (Kernel::Cubic { b, c }, Kernel::Cubic { b: d, c: e }) => b == d && c == e,
            _ => std::mem::discriminant(self) == std::mem::discriminant(other),
        }
    }
}

impl Kernel {
    /// Those that have a name of their own.
    pub const ALL: &'static [Kernel] = &[
        Kernel::Nearest,
        Kernel::Box,
        Kernel::Linear,
        Kernel::CatmullRom,
        Kernel::Mitchell,
        Kernel::Lanczos2,
        Kernel::Lanczos3,
    ];

    /// The name used on the command line and in reports.
    pub fn name(&self) -> &'static str {
        match self {
            Kernel::Nearest => "nearest",
            Kernel::Box => "box",
            Kernel::Linear => "linear",
            Kernel::CatmullRom => "catmull-rom",
            Kernel::Mitchell => "mitchell",
            Kernel::Cubic { .. } => "cubic",
            Kernel::Lanczos2 => "lanczos2",
            Kernel::Lanczos3 => "lanczos3",
            Kernel::Custom(_) => "custom",
        }
    }

    /// Beyond this distance the kernel is zero.
    #[inline]
    pub fn support(&self) -> f64 {
        match self {
            Kernel::Nearest | Kernel::Box => 0.5,
            Kernel::Linear => 1.0,
            Kernel::CatmullRom | Kernel::Mitchell | Kernel::Cubic { .. } | Kernel::Lanczos2 => 2.0,
            Kernel::Lanczos3 => 3.0,
            Kernel::Custom(own) => own.support,
        }
    }

    /// The kernel at a distance of `t` pixels. That of the box is the one it has where nothing is resized.
    #[inline(always)]
    pub fn at(&self, t: f64) -> f64 {
        let distance = t;
        let t = t.abs();
        match self {
            Kernel::Nearest | Kernel::Box => f64::from(t < 0.5),
            Kernel::Linear => (1.0 - t).max(0.0),
            Kernel::CatmullRom => cubic(t, 0.0, 0.5),
            Kernel::Mitchell => cubic(t, 1.0 / 3.0, 1.0 / 3.0),
            Kernel::Cubic { b, c } => cubic(t, *b, *c),
            Kernel::Lanczos2 => lanczos(t, 2.0),
            Kernel::Lanczos3 => lanczos(t, 3.0),
            Kernel::Custom(own) if t <= own.support => (own.at)(distance),
            Kernel::Custom(_) => 0.0,
        }
    }
}

/// The family of cubics of Mitchell and Netravali, "Reconstruction filters in computer graphics" (1988), eq. 8.
#[inline(always)]
fn cubic(t: f64, b: f64, c: f64) -> f64 {
    let sixths = if t < 1.0 {
        (12.0 - 9.0 * b - 6.0 * c) * t * t * t + (-18.0 + 12.0 * b + 6.0 * c) * t * t + (6.0 - 2.0 * b)
    } else if t < 2.0 {
        (-b - 6.0 * c) * t * t * t + (6.0 * b + 30.0 * c) * t * t + (-12.0 * b - 48.0 * c) * t + (8.0 * b + 24.0 * c)
    } else {
        0.0
    };
    sixths / 6.0
}

/// sinc(t) sinc(t / n) within n.
fn lanczos(t: f64, n: f64) -> f64 {
    let sinc = |t: f64| if t == 0.0 { 1.0 } else { (std::f64::consts::PI * t).sin() / (std::f64::consts::PI * t) };
    if t < n { sinc(t) * sinc(t / n) } else { 0.0 }
}

impl std::fmt::Display for Kernel {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Kernel::Cubic { b, c } => write!(f, "cubic of B {b}, C {c}"),
            Kernel::Custom(own) => write!(f, "custom kernel of support {}", own.support),
            other => f.write_str(other.name()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kernels_interpolate_and_their_shifted_copies_sum_to_one() {
        for kernel in [Kernel::Linear, Kernel::CatmullRom, Kernel::Cubic { b: 0.0, c: 0.75 }] {
            assert_eq!((kernel.at(0.0), kernel.at(1.0), kernel.at(kernel.support())), (1.0, 0.0, 0.0));
        }
        for kernel in [Kernel::Linear, Kernel::CatmullRom, Kernel::Mitchell, Kernel::Cubic { b: 0.7, c: 0.1 }] {
            for step in 0..10 {
                let at = f64::from(step) / 10.0;
                let sum: f64 = (-3..=3).map(|i| kernel.at(at + f64::from(i))).sum();
                assert!((sum - 1.0).abs() < 1e-12, "{kernel} {at}");
            }
        }
        // By hand: 1.5 t^3 - 2.5 t^2 + 1 at 1/2, and -0.5 t^3 + 2.5 t^2 - 4 t + 2 at 3/2.
        assert_eq!((Kernel::CatmullRom.at(0.5), Kernel::CatmullRom.at(-1.5)), (0.5625, -0.0625));
        // (6 - 2 B) / 6 in the middle, B / 6 at 1.
        assert!((Kernel::Mitchell.at(0.0) - 8.0 / 9.0).abs() < 1e-15);
        assert!((Kernel::Mitchell.at(1.0) - 1.0 / 18.0).abs() < 1e-15);
    }

    #[test]
    fn lanczos_has_the_values_of_its_formula() {
        // sinc(1/2) = 2 / pi; sinc(1/4) = 4 sin(pi/4) / pi; sinc(1/6) = 6 sin(pi/6) / pi = 3 / pi.
        let pi = std::f64::consts::PI;
        assert!((Kernel::Lanczos2.at(0.5) - 2.0 / pi * (2.0 * 2.0f64.sqrt() / pi)).abs() < 1e-15);
        assert!((Kernel::Lanczos3.at(-0.5) - 6.0 / (pi * pi)).abs() < 1e-15);
        assert_eq!((Kernel::Lanczos3.at(0.0), Kernel::Lanczos3.at(3.0)), (1.0, 0.0));
        assert!(Kernel::Lanczos3.at(2.0).abs() < 1e-16);
    }

    #[test]
    fn a_support_is_finite() {
        for wrong in [0.0, -1.0, f64::NAN, f64::INFINITY, 65.0] {
            assert!(CustomKernel::new(|_| 1.0, wrong).is_err(), "{wrong}");
        }
        let own = Kernel::Custom(CustomKernel::new(|t| 2.0 + t, 1.5).unwrap());
        assert_eq!((own.at(-1.0), own.at(1.5), own.at(1.6)), (1.0, 3.5, 0.0));
        assert!(own == own && own != Kernel::Custom(CustomKernel::new(|t| 2.0 + t, 1.25).unwrap()));
    }
}
