//! What the numbers of a picture mean: colour, indices, or values with a unit; which primaries, which curve.

/// Meaning of the samples of a picture.
#[derive(Debug, Clone, PartialEq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Meaning {
    /// Colour or gray: light, encoded by the picture's [`Transfer`], which alone says how; linear light where that is linear.
    #[default]
    Color,
    /// Indices into the picture's palette. They can be moved, but not computed with.
    Indices,
    /// Values with a unit: metres, counts, degrees. They never become integers or colours without a window.
    Values {
        /// The unit as the file gives it, if it does.
        unit: Option<String>,
        /// The range that the values are meant to span, if known.
        range: Option<(f64, f64)>,
    },
}

impl Meaning {
    /// Values without a stated unit or range.
    pub fn values() -> Meaning {
        Meaning::Values { unit: None, range: None }
    }

    /// Whether a window is needed before the values can become integers.
    pub fn needs_window(&self) -> bool {
        matches!(self, Meaning::Values { .. })
    }
}

/// Primaries and white point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Primaries {
    /// IEC 61966-2-1 (the primaries of ITU-R BT.709), white D65.
    #[default]
    Srgb,
    /// Primaries without a name: x and y of white, red, green and blue in CIE 1931, times 100,000.
    Chromaticities([u32; 8]),
    /// Not stated, or not one that has a name here.
    Unknown,
}

/// Transfer curve between light and encoded values, both as fractions of full.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Transfer {
    /// The two-part curve of IEC 61966-2-1.
    #[default]
    Srgb,
    /// No curve: numbers are proportional to amounts of light.
    Linear,
    /// A pure power: light = encoded ^ exponent (2.2 for files that say gamma 0.45455).
    Power(f64),
}

impl Transfer {
    /// Light from an encoded fraction. Below 0 the curve is mirrored, above 1 it is continued.
    ///
    /// sRGB as in IEC 61966-2-1: e / 12.92 up to 0.04045, else ((e + 0.055) / 1.055) ^ 2.4.
    pub fn decode(self, encoded: f64) -> f64 {
        let e = encoded.abs();
        let light = match self {
            Transfer::Linear => e,
            Transfer::Power(exponent) => e.powf(exponent),
            Transfer::Srgb if e <= 0.04045 => e / 12.92,
            Transfer::Srgb => ((e + 0.055) / 1.055).powf(2.4),
        };
        light.copysign(encoded)
    }

    /// The encoded fraction of an amount of light: the inverse of [`decode`](Transfer::decode).
    pub fn encode(self, light: f64) -> f64 {
        let l = light.abs();
        let encoded = match self {
            Transfer::Linear => l,
            Transfer::Power(exponent) => l.powf(1.0 / exponent),
            Transfer::Srgb if l <= 0.0031308 => l * 12.92,
            Transfer::Srgb => 1.055 * l.powf(1.0 / 2.4) - 0.055,
        };
        encoded.copysign(light)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn srgb_curve_has_the_published_values() {
        // Worked from the formulas of IEC 61966-2-1 with a pocket calculator: code 128 and code 10 of 255.
        assert!((Transfer::Srgb.decode(128.0 / 255.0) - 0.215_860_5).abs() < 1e-7);
        assert!((Transfer::Srgb.decode(10.0 / 255.0) - 0.003_035_27).abs() < 1e-8);
        assert!((Transfer::Srgb.encode(0.5) - 0.735_356_98).abs() < 1e-7);
    }

    #[test]
    fn encoding_undoes_decoding_at_every_16_bit_code() {
        for curve in [Transfer::Srgb, Transfer::Linear, Transfer::Power(2.2)] {
            for code in 0..=65_535 {
                let e = f64::from(code) / 65_535.0;
                assert!((curve.encode(curve.decode(e)) - e).abs() < 2e-7, "{curve:?} {code}");
                assert!((curve.decode(-e) + curve.decode(e)).abs() == 0.0);
            }
        }
    }
}
