//! Primaries and white points, by name or by their chromaticities.
//!
//! Not here: what is computed of them ([`color::ColorSpace`](crate::color::ColorSpace)).

/// Primaries and white point.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Primaries {
    /// IEC 61966-2-1 (the primaries of ITU-R BT.709), white D65.
    #[default]
    Srgb,
    /// Display P3: the primaries of SMPTE RP 431-2 with white D65 (SMPTE EG 432-1).
    DisplayP3,
    /// Adobe RGB (1998), 4.3.1.1, white D65.
    AdobeRgb,
    /// ITU-R BT.2020-2 and BT.2100-2, white D65.
    Bt2020,
    /// ROMM (ISO 22028-2), white D50.
    Romm,
    /// The primaries AP1 of ACEScg (S-2014-004), with the white of ACES.
    AcesCg,
    /// Primaries without a name: x and y of white, red, green and blue in CIE 1931, times 100,000.
    Chromaticities([u32; 8]),
    /// Not stated, or only by a profile, whose primaries have no chromaticities that can be said here.
    Other,
}

impl Primaries {
    /// Those that have a name.
    pub const NAMED: [Primaries; 6] = [
        Primaries::Srgb,
        Primaries::DisplayP3,
        Primaries::AdobeRgb,
        Primaries::Bt2020,
        Primaries::Romm,
        Primaries::AcesCg,
    ];

    /// Primaries by their chromaticities: x and y of white, red, green and blue, times 100,000. Those that have a name get it.
    pub fn of_chromaticities(all: [u32; 8]) -> Primaries {
        let named = Primaries::NAMED.into_iter().find(|named| named.chromaticities() == Some(all));
        named.unwrap_or(Primaries::Chromaticities(all))
    }

    /// x and y of white, red, green and blue in CIE 1931, times 100,000, which holds all published ones exactly; none where they are
    /// not known.
    pub fn chromaticities(self) -> Option<[u32; 8]> {
        const D65: [u32; 2] = [31_270, 32_900];
        let ([wx, wy], [rx, ry, gx, gy, bx, by]) = match self {
            Primaries::Srgb => (D65, [64_000, 33_000, 30_000, 60_000, 15_000, 6000]),
            Primaries::DisplayP3 => (D65, [68_000, 32_000, 26_500, 69_000, 15_000, 6000]),
            Primaries::AdobeRgb => (D65, [64_000, 33_000, 21_000, 71_000, 15_000, 6000]),
            Primaries::Bt2020 => (D65, [70_800, 29_200, 17_000, 79_700, 13_100, 4600]),
            Primaries::Romm => ([34_570, 35_850], [73_470, 26_530, 15_960, 84_040, 3660, 10]),
            Primaries::AcesCg => ([32_168, 33_767], [71_300, 29_300, 16_500, 83_000, 12_800, 4400]),
            Primaries::Chromaticities(all) => return Some(all),
            Primaries::Other => return None,
        };
        Some([wx, wy, rx, ry, gx, gy, bx, by])
    }
}
