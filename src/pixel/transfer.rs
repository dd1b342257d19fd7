//! Transfer curves: between light and the numbers that stand for it.
//!
//! Not here: tables of them for whole pictures ([`color`](crate::color), [`resample`](crate::resample)).

/// Transfer curve between light and encoded values, both as fractions of full.
///
/// Of all but PQ and HLG light 1 is the picture's own white. Of PQ it is 10,000 cd/m2; of HLG it is the peak of the scene
/// (no system gamma is applied). [`reference_white`](Transfer::reference_white) says where the white of a page lies.
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
    /// The curve of cameras of ITU-R BT.709-6 (item 1.2) and BT.601-7: 4.5 l below 0.018, else 1.099 l^0.45 - 0.099; its constants to as
    /// many digits as ITU-T H.273 gives (1.09929682680944 and 0.018053968510807), so that its two parts meet.
    Bt709,
    /// The same curve as ITU-R BT.2020-2 (table 4) states it for 12 bits, 1.0993 and 0.0181, to the same digits.
    Bt2020,
    /// The curve of ROMM (ISO 22028-2): 16 l below 1/512, else l^(1/1.8).
    Romm,
    /// Perceptual quantisation (ITU-R BT.2100-2, table 4): light of 1 is 10,000 cd/m2.
    Pq,
    /// Hybrid log-gamma (ITU-R BT.2100-2, table 5): light of the scene, 1 its peak.
    Hlg,
    /// The curve of seven parameters g, a, b, c, d, e, f of ICC.1:2022, 10.18: light = (a x + b)^g + e from d on, c x + f below.
    Parametric([f64; 7]),
    /// A curve that has no formula here: that of a profile, by which conversions go. Where there is none the curve of sRGB stands for it.
    Other,
}

/// A curve that is linear near black and a power above: encoded = slope l below `from`, else gain l^power - (gain - 1).
struct TwoParts {
    slope: f64,
    from: f64,
    gain: f64,
    power: f64,
}

const BT709: TwoParts = TwoParts { slope: 4.5, from: 0.018_053_968_510_807, gain: 1.099_296_826_809_44, power: 0.45 };
const ROMM: TwoParts = TwoParts { slope: 16.0, from: 1.0 / 512.0, gain: 1.0, power: 1.0 / 1.8 };

impl TwoParts {
    fn encode(&self, l: f64) -> f64 {
        if l < self.from { self.slope * l } else { self.gain * l.powf(self.power) - (self.gain - 1.0) }
    }

    fn decode(&self, e: f64) -> f64 {
        if e < self.slope * self.from {
            e / self.slope
        } else {
            ((e + self.gain - 1.0) / self.gain).powf(1.0 / self.power)
        }
    }
}

/// The constants of BT.2100-2, table 4.
const M1: f64 = 2610.0 / 16_384.0;
const M2: f64 = 2523.0 / 4096.0 * 128.0;
const C1: f64 = 3424.0 / 4096.0;
const C2: f64 = 2413.0 / 4096.0 * 32.0;
const C3: f64 = 2392.0 / 4096.0 * 32.0;

/// The constants of BT.2100-2, table 5: b = 1 - 4a, c = 1/2 - a ln 4a.
const A: f64 = 0.178_832_77;
const B: f64 = 0.284_668_92;
const C: f64 = 0.559_910_729_529_562;

impl Transfer {
    /// Light from an encoded fraction. Below 0 the curve is mirrored, above 1 it is continued (PQ ends where its formula does).
    ///
    /// sRGB as in IEC 61966-2-1: e / 12.92 up to 0.04045, else ((e + 0.055) / 1.055) ^ 2.4.
    pub fn decode(self, encoded: f64) -> f64 {
        let e = encoded.abs();
        let light = match self {
            Transfer::Linear => e,
            Transfer::Power(exponent) => e.powf(exponent),
            Transfer::Srgb | Transfer::Other if e <= 0.04045 => e / 12.92,
            Transfer::Srgb | Transfer::Other => ((e + 0.055) / 1.055).powf(2.4),
            Transfer::Bt709 | Transfer::Bt2020 => BT709.decode(e),
            Transfer::Romm => ROMM.decode(e),
            Transfer::Pq => {
                let p = e.powf(1.0 / M2);
                ((p - C1).max(0.0) / (C2 - C3 * p)).powf(1.0 / M1)
            }
            Transfer::Hlg if e <= 0.5 => e * e / 3.0,
            Transfer::Hlg => (((e - C) / A).exp() + B) / 12.0,
            Transfer::Parametric([g, a, b, c, d, more, f]) => {
                if e >= d {
                    (a * e + b).max(0.0).powf(g) + more
                } else {
                    c * e + f
                }
            }
        };
        light.copysign(encoded)
    }

    /// The encoded fraction of an amount of light: the inverse of [`decode`](Transfer::decode).
    pub fn encode(self, light: f64) -> f64 {
        let l = light.abs();
        let encoded = match self {
            Transfer::Linear => l,
            Transfer::Power(exponent) => l.powf(1.0 / exponent),
            Transfer::Srgb | Transfer::Other if l <= 0.0031308 => l * 12.92,
            Transfer::Srgb | Transfer::Other => 1.055 * l.powf(1.0 / 2.4) - 0.055,
            Transfer::Bt709 | Transfer::Bt2020 => BT709.encode(l),
            Transfer::Romm => ROMM.encode(l),
            Transfer::Pq => {
                let p = l.powf(M1);
                ((C1 + C2 * p) / (1.0 + C3 * p)).powf(M2)
            }
            Transfer::Hlg if l <= 1.0 / 12.0 => (3.0 * l).sqrt(),
            Transfer::Hlg => A * (12.0 * l - B).ln() + C,
            Transfer::Parametric([g, a, b, c, d, more, f]) => {
                let from = (a * d + b).max(0.0).powf(g) + more;
                match () {
                    () if l >= from => ((l - more).max(0.0).powf(1.0 / g) - b) / a,
                    () if c > 0.0 => ((l - f) / c).clamp(0.0, d.max(0.0)),
                    () => 0.0,
                }
            }
        };
        encoded.copysign(light)
    }

    /// Whether a curve of parameters can be walked both ways: finite numbers, rising from 0 to 1 and not flat.
    pub(crate) fn rises(self) -> bool {
        let Transfer::Parametric([g, a, _, c, d, ..]) = self else { return true };
        let at = |i: u32| self.decode(f64::from(i) / 256.0);
        let steps = |i: u32| at(i + 1) >= at(i) - 1e-9;
        g > 0.0 && a > 0.0 && c >= 0.0 && d.is_finite() && (0..256).all(steps) && at(256) > at(0) && at(256).is_finite()
    }

    /// A curve of parameters that are those of another one here, within what profiles store, as that one.
    pub(crate) fn simplified(self) -> Transfer {
        let Transfer::Parametric([g, a, b, c, d, e, f]) = self else { return self };
        let straight = a == 1.0 && b == 0.0 && e == 0.0 && (d <= 0.0 || c == 0.0 && d == 0.0);
        if straight && f == 0.0 {
            return match g {
                1.0 => Transfer::Linear,
                // 2.19922 as it is stored: 563/256.
                g => Transfer::Power(if (g * 256.0 - 563.0).abs() < 0.01 {
                    563.0 / 256.0
                } else {
                    (g * 1e4).round() / 1e4
                }),
            };
        }
        let near = |other: &Transfer| {
            (0..=1024).all(|i| {
                let x = f64::from(i) / 1024.0;
                (self.decode(x) - other.decode(x)).abs() < 5e-5
            })
        };
        let _ = c;
        [Transfer::Srgb, Transfer::Bt709, Transfer::Romm].into_iter().find(near).unwrap_or(self)
    }

    /// The light of a diffuse white, such as a page: 1, but for PQ 203 of 10,000 cd/m2, and for HLG what three quarters of full stand
    /// for (ITU-R BT.2408, table 1). Conversions between spaces keep this white.
    pub fn reference_white(self) -> f64 {
        match self {
            Transfer::Pq => 203.0 / 10_000.0,
            Transfer::Hlg => Transfer::Hlg.decode(0.75),
            _ => 1.0,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const ALL: [Transfer; 8] = [
        Transfer::Srgb,
        Transfer::Linear,
        Transfer::Power(2.2),
        Transfer::Bt709,
        Transfer::Bt2020,
        Transfer::Romm,
        Transfer::Pq,
        Transfer::Hlg,
    ];

    #[test]
    fn srgb_curve_has_the_published_values() {
        // Worked from the formulas of IEC 61966-2-1 with a pocket calculator: code 128 and code 10 of 255.
        assert!((Transfer::Srgb.decode(128.0 / 255.0) - 0.215_860_5).abs() < 1e-7);
        assert!((Transfer::Srgb.decode(10.0 / 255.0) - 0.003_035_27).abs() < 1e-8);
        assert!((Transfer::Srgb.encode(0.5) - 0.735_356_98).abs() < 1e-7);
    }

    #[test]
    fn the_curves_of_television_have_their_published_points() {
        // BT.709-6: 4.5 x 0.018, and 1.099 x 0.5^0.45 - 0.099 with the three digits that it gives.
        assert!((Transfer::Bt709.encode(0.018) - 0.081).abs() < 1e-12);
        assert!((Transfer::Bt709.encode(0.5) - 0.705_515_09).abs() < 1e-4);
        // The two parts meet.
        let (below, above) = (BT709.from.next_down(), BT709.from);
        assert!((Transfer::Bt709.encode(above) - Transfer::Bt709.encode(below)).abs() < 1e-12);
        // BT.2100: PQ of 0, 100, 1000 and 10,000 cd/m2 (SMPTE ST 2084, and BT.2408 for 203: 58 %).
        for (light, encoded, within) in [
            (0.0, 0.0, 1e-6),
            (100.0, 0.508_078_42, 1e-7),
            (203.0, 0.580_688_9, 1e-6),
            (1000.0, 0.751_827_10, 1e-7),
            (10_000.0, 1.0, 1e-12),
        ] {
            assert!(
                (Transfer::Pq.encode(light / 10_000.0) - encoded).abs() < within,
                "{light}: {}",
                Transfer::Pq.encode(light / 10_000.0)
            );
        }
        // HLG: 1/12 is half, and the peak is full.
        assert!((Transfer::Hlg.encode(1.0 / 12.0) - 0.5).abs() < 1e-12);
        assert!((Transfer::Hlg.encode(1.0) - 1.0).abs() < 1e-7);
        assert!((Transfer::Hlg.reference_white() - 0.264_962_56).abs() < 1e-6);
        // ROMM: 1/512 is 1/32, where its parts meet exactly.
        assert!((Transfer::Romm.encode(1.0 / 512.0) - 1.0 / 32.0).abs() < 1e-12);
    }

    #[test]
    fn encoding_undoes_decoding_at_every_16_bit_code() {
        for curve in ALL {
            for code in 0..=65_535 {
                let e = f64::from(code) / 65_535.0;
                assert!((curve.encode(curve.decode(e)) - e).abs() < 2e-6, "{curve:?} {code}");
                assert!((curve.decode(-e) + curve.decode(e)).abs() == 0.0);
            }
        }
    }
}
