//! The colour models that are not red, green and blue, as functions of one colour in `f64`: ranges, units and sources.
//!
//! Not here: spaces of red, green and blue ([`ColorSpace`](crate::color::ColorSpace)).

use crate::color::space::{Matrix, inverse, times};

/// CIE 1976 L\*a\*b\* of CIE XYZ under a white (CIE 15:2018, 8.2.1): L 0 to 100.
///
/// # Examples
/// ```
/// use rahmen::color::{lab_of, ColorSpace};
/// let white = ColorSpace::SRGB.white()?;
/// let [l, a, b] = lab_of(white, white);
/// assert!((l - 100.0).abs() < 1e-9 && a.abs() < 1e-9 && b.abs() < 1e-9);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn lab_of(xyz: [f64; 3], white: [f64; 3]) -> [f64; 3] {
    let f = |i: usize| {
        let t = xyz[i] / white[i];
        if t > EPSILON { t.cbrt() } else { (KAPPA * t + 16.0) / 116.0 }
    };
    let (x, y, z) = (f(0), f(1), f(2));
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

/// CIE XYZ of L\*a\*b\* under a white: the inverse of [`lab_of`].
pub fn lab_to_xyz([l, a, b]: [f64; 3], white: [f64; 3]) -> [f64; 3] {
    let y = (l + 16.0) / 116.0;
    let t = |f: f64| if f * f * f > EPSILON { f * f * f } else { (116.0 * f - 16.0) / KAPPA };
    [white[0] * t(y + a / 500.0), white[1] * t(y), white[2] * t(y - b / 200.0)]
}

/// (6/29)^3 and (29/3)^3.
const EPSILON: f64 = 216.0 / 24_389.0;
const KAPPA: f64 = 24_389.0 / 27.0;

/// CIE 1976 L\*u\*v\* of CIE XYZ under a white (CIE 15:2018, 8.2.2); black has u = v = 0.
pub fn luv_of(xyz: [f64; 3], white: [f64; 3]) -> [f64; 3] {
    let [l, ..] = lab_of(xyz, white);
    let ((u, v), (un, vn)) = (uv(xyz), uv(white));
    if l == 0.0 { [0.0; 3] } else { [l, 13.0 * l * (u - un), 13.0 * l * (v - vn)] }
}

/// CIE XYZ of L\*u\*v\* under a white: the inverse of [`luv_of`].
pub fn luv_to_xyz([l, u, v]: [f64; 3], white: [f64; 3]) -> [f64; 3] {
    let (un, vn) = uv(white);
    if l <= 0.0 {
        return [0.0; 3];
    }
    let (u, v) = (u / (13.0 * l) + un, v / (13.0 * l) + vn);
    let y = lab_to_xyz([l, 0.0, 0.0], white)[1];
    [y * 9.0 * u / (4.0 * v), y, y * (12.0 - 3.0 * u - 20.0 * v) / (4.0 * v)]
}

/// u' and v' of CIE 1976; of black those of nothing.
fn uv([x, y, z]: [f64; 3]) -> (f64, f64) {
    let sum = x + 15.0 * y + 3.0 * z;
    if sum == 0.0 { (0.0, 0.0) } else { (4.0 * x / sum, 9.0 * y / sum) }
}

/// x, y and Y of CIE XYZ; of black x = y = 0.
pub fn xyy_of([x, y, z]: [f64; 3]) -> [f64; 3] {
    let sum = x + y + z;
    if sum == 0.0 { [0.0; 3] } else { [x / sum, y / sum, y] }
}

/// CIE XYZ of x, y and Y: the inverse of [`xyy_of`]; nothing where y is 0.
pub fn xyy_to_xyz([x, y, luminance]: [f64; 3]) -> [f64; 3] {
    if y == 0.0 { [0.0; 3] } else { [luminance * x / y, luminance, luminance * (1.0 - x - y) / y] }
}

/// Two axes as chroma and hue in degrees, 0 to 360: of Lab, Luv or Oklab. The hue of no chroma is 0.
pub fn polar_of([l, a, b]: [f64; 3]) -> [f64; 3] {
    let chroma = a.hypot(b);
    let hue = if chroma == 0.0 { 0.0 } else { b.atan2(a).to_degrees().rem_euclid(360.0) };
    [l, chroma, if hue >= 360.0 { 0.0 } else { hue }]
}

/// Chroma and hue as two axes: the inverse of [`polar_of`], of any hue.
pub fn polar_to([l, chroma, hue]: [f64; 3]) -> [f64; 3] {
    let (sin, cos) = hue.to_radians().sin_cos();
    [l, chroma * cos, chroma * sin]
}

/// From XYZ to the responses of Oklab, and from their roots to its axes (Ottosson 2020).
pub(super) const TO_LMS: Matrix = [
    [0.818_933_010_1, 0.361_866_742_4, -0.128_859_713_7],
    [0.032_984_543_6, 0.929_311_871_5, 0.036_145_638_7],
    [0.048_200_301_8, 0.264_366_269_1, 0.633_851_707_0],
];
pub(super) const TO_AXES: Matrix = [
    [0.210_454_255_3, 0.793_617_785_0, -0.004_072_046_8],
    [1.977_998_495_1, -2.428_592_205_0, 0.450_593_709_9],
    [0.025_904_037_1, 0.782_771_766_2, -0.808_675_766_0],
];

/// Oklab (Ottosson 2020) of CIE XYZ under D65: L 0 to 1.
pub fn oklab_of(xyz: [f64; 3]) -> [f64; 3] {
    times(&TO_AXES, times(&TO_LMS, xyz).map(f64::cbrt))
}

/// CIE XYZ under D65 of Oklab: the inverse of [`oklab_of`].
pub fn oklab_to_xyz(lab: [f64; 3]) -> [f64; 3] {
    static BACK: std::sync::LazyLock<(Matrix, Matrix)> = std::sync::LazyLock::new(|| {
        // Both are far from singular, as the tests see.
        (inverse(&TO_AXES).unwrap_or_default(), inverse(&TO_LMS).unwrap_or_default())
    });
    times(&BACK.1, times(&BACK.0, lab).map(|v| v * v * v))
}

/// Hue in degrees, 0 to 360, saturation and value, 0 to 1, of encoded red, green and blue (Smith 1978). Gray has hue 0.
pub fn hsv_of(rgb: [f64; 3]) -> [f64; 3] {
    let (low, high) = ends(rgb);
    let saturation = if high == 0.0 { 0.0 } else { (high - low) / high };
    [hue_of(rgb, low, high), saturation, high]
}

/// Red, green and blue of hue (any, in degrees), saturation and value: the inverse of [`hsv_of`].
pub fn hsv_to([hue, saturation, value]: [f64; 3]) -> [f64; 3] {
    let at = |n: f64| {
        let k = (n + hue / 60.0).rem_euclid(6.0);
        value - value * saturation * k.min(4.0 - k).clamp(0.0, 1.0)
    };
    [at(5.0), at(3.0), at(1.0)]
}

/// Hue in degrees, 0 to 360, saturation and lightness, 0 to 1, of encoded red, green and blue (Joblove and Greenberg 1978). Gray has
/// hue 0.
pub fn hsl_of(rgb: [f64; 3]) -> [f64; 3] {
    let (low, high) = ends(rgb);
    let lightness = (low + high) / 2.0;
    let room = 1.0 - (2.0 * lightness - 1.0).abs();
    let saturation = if high == low || room == 0.0 { 0.0 } else { (high - low) / room };
    [hue_of(rgb, low, high), saturation, lightness]
}

/// Red, green and blue of hue (any, in degrees), saturation and lightness: the inverse of [`hsl_of`].
pub fn hsl_to([hue, saturation, lightness]: [f64; 3]) -> [f64; 3] {
    let spread = saturation * lightness.min(1.0 - lightness);
    let at = |n: f64| {
        let k = (n + hue / 30.0).rem_euclid(12.0);
        lightness - spread * (k - 3.0).min(9.0 - k).clamp(-1.0, 1.0)
    };
    [at(0.0), at(8.0), at(4.0)]
}

fn ends(rgb: [f64; 3]) -> (f64, f64) {
    (rgb[0].min(rgb[1]).min(rgb[2]), rgb[0].max(rgb[1]).max(rgb[2]))
}

fn hue_of([r, g, b]: [f64; 3], low: f64, high: f64) -> f64 {
    let apart = high - low;
    let sixths = if apart == 0.0 {
        0.0
    } else if high == r {
        (g - b) / apart
    } else if high == g {
        (b - r) / apart + 2.0
    } else {
        (r - g) / apart + 4.0
    };
    (60.0 * sixths).rem_euclid(360.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::color::space::ColorSpace;

    fn near(a: [f64; 3], b: [f64; 3], within: f64) -> bool {
        a.iter().zip(b).all(|(a, b)| (a - b).abs() <= within)
    }

    #[test]
    fn oklab_has_its_published_values() {
        // The table of Ottosson's paper: XYZ and Oklab, to three digits.
        for (xyz, lab) in [
            ([0.950, 1.0, 1.089], [1.0, 0.0, 0.0]),
            ([1.0, 0.0, 0.0], [0.450, 1.236, -0.019]),
            ([0.0, 1.0, 0.0], [0.922, -0.671, 0.263]),
            ([0.0, 0.0, 1.0], [0.153, -1.415, -0.449]),
        ] {
            assert!(near(oklab_of(xyz), lab, 6e-4), "{xyz:?}: {:?}", oklab_of(xyz));
            assert!(near(oklab_to_xyz(oklab_of(xyz)), xyz, 1e-9));
        }
    }

    #[test]
    fn hues_worked_by_hand() {
        assert!(near(hsv_of([1.0, 0.5, 0.0]), [30.0, 1.0, 1.0], 1e-12));
        assert!(near(hsv_of([0.2, 0.2, 0.6]), [240.0, 2.0 / 3.0, 0.6], 1e-12));
        assert!(near(hsl_of([0.2, 0.2, 0.6]), [240.0, 0.5, 0.4], 1e-12));
        assert_eq!(
            (hsv_of([0.3; 3]), hsl_of([1.0; 3]), hsv_of([0.0; 3])),
            ([0.0, 0.0, 0.3], [0.0, 0.0, 1.0], [0.0; 3])
        );
        // Any hue is a hue: a turn more or less is the same.
        assert!(near(hsv_to([-330.0, 1.0, 1.0]), [1.0, 0.5, 0.0], 1e-12));
        assert!(near(hsl_to([600.0, 0.5, 0.4]), [0.2, 0.2, 0.6], 1e-12));
    }

    #[test]
    fn lab_of_the_primaries_of_srgb_under_d65() {
        // Worked from CIE 15 with the matrix of the chromaticities of IEC 61966-2-1.
        let space = ColorSpace::SRGB;
        let (to, white) = (space.to_xyz().unwrap(), space.white().unwrap());
        for (rgb, lab) in [
            ([1.0, 0.0, 0.0], [53.24, 80.09, 67.20]),
            ([0.0, 1.0, 0.0], [87.73, -86.18, 83.18]),
            ([0.0, 0.0, 1.0], [32.30, 79.19, -107.86]),
            ([1.0, 1.0, 1.0], [100.0, 0.0, 0.0]),
        ] {
            let found = lab_of(times(&to, rgb), white);
            assert!(near(found, lab, 0.02), "{rgb:?}: {found:?}");
        }
        // Half the light of white: L = 116 (1/2)^(1/3) - 16.
        assert!((lab_of(white.map(|v| v / 2.0), white)[0] - 76.069_260_6).abs() < 1e-6);
    }

    #[test]
    fn there_and_back_is_nowhere() {
        let white = ColorSpace::SRGB.white().unwrap();
        for i in 0..11 {
            for j in 0..11 {
                for k in 0..11 {
                    let v = [i, j, k].map(|v| f64::from(v) / 10.0);
                    assert!(near(lab_to_xyz(lab_of(v, white), white), v, 1e-12));
                    assert!(near(oklab_to_xyz(oklab_of(v)), v, 1e-9));
                    assert!(near(hsv_to(hsv_of(v)), v, 1e-12) && near(hsl_to(hsl_of(v)), v, 1e-12), "{v:?}");
                    assert!(near(polar_to(polar_of(v)), v, 1e-12));
                    if v[1] > 0.0 {
                        assert!(near(xyy_to_xyz(xyy_of(v)), v, 1e-12));
                        assert!(near(luv_to_xyz(luv_of(v, white), white), v, 1e-9), "{v:?}");
                    }
                }
            }
        }
    }
}
