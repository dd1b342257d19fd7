//! The interpolation kernels: functions of the distance in pixels.

/// How to interpolate.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Kernel {
    /// The source pixel that contains the output pixel's centre. Makes no new values.
    Nearest,
    /// A triangle of support 1.
    Linear,
    /// The cubic with B = 0, C = 1/2 (Catmull and Rom 1974; Mitchell and Netravali 1988), of support 2. The default.
    #[default]
    CatmullRom,
}

impl Kernel {
    /// All of them.
    pub const ALL: [Kernel; 3] = [Kernel::Nearest, Kernel::Linear, Kernel::CatmullRom];

    /// The name used on the command line and in reports.
    pub fn name(self) -> &'static str {
        match self {
            Kernel::Nearest => "nearest",
            Kernel::Linear => "linear",
            Kernel::CatmullRom => "catmull-rom",
        }
    }

    /// Beyond this distance the kernel is zero.
    pub fn support(self) -> f64 {
        match self {
            Kernel::Nearest => 0.5,
            Kernel::Linear => 1.0,
            Kernel::CatmullRom => 2.0,
        }
    }

    /// The kernel at a distance of `t` pixels.
    pub fn at(self, t: f64) -> f64 {
        let t = t.abs();
        match self {
            Kernel::Nearest => f64::from(t < 0.5),
            Kernel::Linear => (1.0 - t).max(0.0),
            Kernel::CatmullRom => cubic(t, 0.0, 0.5),
        }
    }
}

/// The family of cubics of Mitchell and Netravali, "Reconstruction filters in computer graphics" (1988), eq. 8.
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

impl std::fmt::Display for Kernel {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kernels_interpolate_and_their_shifted_copies_sum_to_one() {
        for kernel in [Kernel::Linear, Kernel::CatmullRom] {
            assert_eq!((kernel.at(0.0), kernel.at(1.0), kernel.at(kernel.support())), (1.0, 0.0, 0.0));
            for step in 0..10 {
                let at = f64::from(step) / 10.0;
                let sum: f64 = (-3..=3).map(|i| kernel.at(at + f64::from(i))).sum();
                assert!((sum - 1.0).abs() < 1e-12, "{kernel} {at}");
            }
        }
        // By hand: 1.5 t^3 - 2.5 t^2 + 1 at 1/2, and -0.5 t^3 + 2.5 t^2 - 4 t + 2 at 3/2.
        assert_eq!((Kernel::CatmullRom.at(0.5), Kernel::CatmullRom.at(-1.5)), (0.5625, -0.0625));
    }
}
