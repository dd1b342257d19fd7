//! Colour spaces: primaries, white and curve together, and the matrices between them, computed in `f64` from chromaticities.
//!
//! Not here: pixels taken from one to another ([`to_space`](super::to_space())), and models that are not of red, green and blue ([`lab_of`](super::lab_of) ...).

use crate::error::{Error, Result};
use crate::frame::Metadata;
use crate::pixel::{Primaries, Transfer};

/// A matrix of three rows.
pub type Matrix = [[f64; 3]; 3];

/// A space of red, green and blue: where its primaries and its white lie, and how light is encoded.
///
/// # Examples
/// ```
/// use rahmen::color::{Adaptation, ColorSpace};
/// // The row of luminance of IEC 61966-2-1: the weights of BT.709.
/// let [_, y, _] = ColorSpace::SRGB.to_xyz()?;
/// assert!((y[0] - 0.2126).abs() < 1e-4 && (y[1] - 0.7152).abs() < 1e-4 && (y[2] - 0.0722).abs() < 1e-4);
/// // White stays white.
/// let m = ColorSpace::DISPLAY_P3.matrix_to(&ColorSpace::ROMM, Adaptation::Bradford)?;
/// assert!(m.iter().all(|row| (row.iter().sum::<f64>() - 1.0).abs() < 1e-12));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ColorSpace {
    /// Primaries and white.
    pub primaries: Primaries,
    /// The curve between light and encoded values.
    pub transfer: Transfer,
}

/// How colours seen under one white become those seen under another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Adaptation {
    /// Scaling of the responses of Bradford (Lam 1985; ICC.1:2022, annex E).
    #[default]
    Bradford,
    /// Scaling of the responses of the cones, by von Kries with the matrix of Hunt, Pointer and Estevez.
    VonKries,
    /// None: colours keep their place in CIE XYZ, and a white becomes a tint.
    None,
}

impl ColorSpace {
    /// sRGB (IEC 61966-2-1).
    pub const SRGB: ColorSpace = ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Srgb };
    /// Display P3: P3 primaries, white D65, the curve of sRGB.
    pub const DISPLAY_P3: ColorSpace = ColorSpace { primaries: Primaries::DisplayP3, transfer: Transfer::Srgb };
    /// Adobe RGB (1998): a power of 563/256.
    pub const ADOBE_RGB: ColorSpace =
        ColorSpace { primaries: Primaries::AdobeRgb, transfer: Transfer::Power(563.0 / 256.0) };
    /// ITU-R BT.2020 for 12 bits.
    pub const BT2020: ColorSpace = ColorSpace { primaries: Primaries::Bt2020, transfer: Transfer::Bt2020 };
    /// ROMM (ISO 22028-2), white D50.
    pub const ROMM: ColorSpace = ColorSpace { primaries: Primaries::Romm, transfer: Transfer::Romm };
    /// ACEScg (S-2014-004): linear light.
    pub const ACES_CG: ColorSpace = ColorSpace { primaries: Primaries::AcesCg, transfer: Transfer::Linear };
    /// ITU-R BT.709 as television encodes it.
    pub const BT709: ColorSpace = ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Bt709 };

    /// The spaces that have a name, by their names.
    pub const NAMED: &'static [(&'static str, ColorSpace)] = &[
        ("srgb", ColorSpace::SRGB),
        ("linear-srgb", ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Linear }),
        ("display-p3", ColorSpace::DISPLAY_P3),
        ("adobe-rgb", ColorSpace::ADOBE_RGB),
        ("bt709", ColorSpace::BT709),
        ("bt2020", ColorSpace::BT2020),
        ("bt2100-pq", ColorSpace { primaries: Primaries::Bt2020, transfer: Transfer::Pq }),
        ("bt2100-hlg", ColorSpace { primaries: Primaries::Bt2020, transfer: Transfer::Hlg }),
        ("romm", ColorSpace::ROMM),
        ("acescg", ColorSpace::ACES_CG),
    ];

    /// The space of a picture.
    pub fn of(metadata: &Metadata) -> ColorSpace {
        ColorSpace { primaries: metadata.primaries, transfer: metadata.transfer }
    }

    /// The space of a picture, whose curve has a formula.
    ///
    /// # Errors
    /// A profile whose curve has none.
    pub(crate) fn stated(metadata: &Metadata) -> Result<ColorSpace> {
        match metadata.transfer {
            Transfer::Other if metadata.code_points.is_none() => Err(Error::invalid(
                "transfer",
                "the curve of the picture's profile has no formula; convert it to a named space first",
            )),
            _ => Ok(ColorSpace::of(metadata)),
        }
    }

    /// The space of this name; `None` where there is none.
    pub fn named(name: &str) -> Option<ColorSpace> {
        ColorSpace::NAMED.iter().find(|(own, _)| *own == name).map(|(_, space)| *space)
    }

    /// The name of the space, where it has one.
    pub fn name(&self) -> Option<&'static str> {
        ColorSpace::NAMED.iter().find(|(_, space)| space == self).map(|(name, _)| *name)
    }

    /// From linear light, red, green and blue, to CIE XYZ with the Y of the white as 1: SMPTE RP 177.
    ///
    /// # Errors
    /// Primaries that are not known, lie on a line, or have y = 0.
    pub fn to_xyz(&self) -> Result<Matrix> {
        let Some(all) = self.primaries.chromaticities() else {
            return Err(Error::invalid(
                "primaries",
                "the primaries of the picture are not known; state its space first",
            ));
        };
        let [white, r, g, b] = [0, 2, 4, 6].map(|i| (f64::from(all[i]) / 1e5, f64::from(all[i + 1]) / 1e5));
        if white.1 == 0.0 {
            return Err(no_space(all));
        }
        // Columns are the primaries as x, y, z; each is scaled so that together they make the white.
        let columns = [r, g, b].map(|(x, y)| [x, y, 1.0 - x - y]);
        let plain = transposed(columns);
        let scale = times(&inverse(&plain).ok_or_else(|| no_space(all))?, xyz_of(white));
        Ok(plain.map(|row| [row[0] * scale[0], row[1] * scale[1], row[2] * scale[2]]))
    }

    /// From CIE XYZ to linear light: the inverse of [`to_xyz`](ColorSpace::to_xyz).
    ///
    /// # Errors
    /// As [`to_xyz`](ColorSpace::to_xyz).
    pub fn from_xyz(&self) -> Result<Matrix> {
        let all = self.primaries.chromaticities().unwrap_or_default();
        inverse(&self.to_xyz()?).ok_or_else(|| no_space(all))
    }

    /// The white as CIE XYZ, its Y 1.
    ///
    /// # Errors
    /// As [`to_xyz`](ColorSpace::to_xyz).
    pub fn white(&self) -> Result<[f64; 3]> {
        Ok(times(&self.to_xyz()?, [1.0; 3]))
    }

    /// From linear light of this space to that of another, seen under its white.
    ///
    /// # Errors
    /// As [`to_xyz`](ColorSpace::to_xyz), of either.
    pub fn matrix_to(&self, other: &ColorSpace, adaptation: Adaptation) -> Result<Matrix> {
        if self.primaries == other.primaries {
            self.to_xyz()?;
            return Ok(UNIT);
        }
        let adapted = adaptation.matrix(self.white()?, other.white()?);
        Ok(product(&other.from_xyz()?, &product(&adapted, &self.to_xyz()?)))
    }

    /// The weights of luminance of this space: the row of Y, linear in light.
    ///
    /// # Errors
    /// As [`to_xyz`](ColorSpace::to_xyz).
    pub fn luminance_weights(&self) -> Result<[f64; 3]> {
        Ok(self.to_xyz()?[1])
    }
}

impl Adaptation {
    /// From colours under one white, in CIE XYZ, to those under another.
    pub fn matrix(self, from: [f64; 3], to: [f64; 3]) -> Matrix {
        let responses = match self {
            Adaptation::Bradford => [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]],
            Adaptation::VonKries => [[0.400_24, 0.7076, -0.080_81], [-0.2263, 1.165_32, 0.0457], [0.0, 0.0, 0.918_22]],
            Adaptation::None => return UNIT,
        };
        let (before, after) = (times(&responses, from), times(&responses, to));
        let scaled = [0, 1, 2].map(|i| responses[i].map(|v| v * after[i] / before[i]));
        match inverse(&responses) {
            Some(back) if before.iter().all(|v| *v != 0.0) => product(&back, &scaled),
            _ => UNIT,
        }
    }
}

const UNIT: Matrix = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];

/// CIE XYZ of a chromaticity, its Y 1.
pub(super) fn xyz_of((x, y): (f64, f64)) -> [f64; 3] {
    [x / y, 1.0, (1.0 - x - y) / y]
}

/// A matrix times a column.
#[inline(always)]
pub(crate) fn times(m: &Matrix, v: [f64; 3]) -> [f64; 3] {
    [
        m[0][0] * v[0] + m[0][1] * v[1] + m[0][2] * v[2],
        m[1][0] * v[0] + m[1][1] * v[1] + m[1][2] * v[2],
        m[2][0] * v[0] + m[2][1] * v[1] + m[2][2] * v[2],
    ]
}

fn transposed(m: Matrix) -> Matrix {
    [0, 1, 2].map(|i| [m[0][i], m[1][i], m[2][i]])
}

pub(super) fn product(a: &Matrix, b: &Matrix) -> Matrix {
    let columns = transposed(*b).map(|column| times(a, column));
    transposed(columns)
}

/// The inverse, where there is one that floats can tell.
pub(super) fn inverse(m: &Matrix) -> Option<Matrix> {
    let cofactor = |i: usize, j: usize| {
        let (a, b, c, d) = ((i + 1) % 3, (i + 2) % 3, (j + 1) % 3, (j + 2) % 3);
        m[a][c] * m[b][d] - m[a][d] * m[b][c]
    };
    let determinant = m[0][0] * cofactor(0, 0) + m[0][1] * cofactor(0, 1) + m[0][2] * cofactor(0, 2);
    if !determinant.is_finite() || determinant.abs() < 1e-9 {
        return None;
    }
    Some([0, 1, 2].map(|i| [0, 1, 2].map(|j| cofactor(j, i) / determinant)))
}

#[cold]
fn no_space(all: [u32; 8]) -> Error {
    Error::invalid("primaries", format!("white and primaries at {all:?} (times 100,000) span no colour space"))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn near(a: Matrix, b: Matrix, within: f64) -> bool {
        a.as_flattened().iter().zip(b.as_flattened()).all(|(a, b)| (a - b).abs() <= within)
    }

    #[test]
    fn the_matrices_are_those_of_the_standards() {
        // IEC 61966-2-1, to the four digits that it gives.
        let srgb = [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]];
        assert!(near(ColorSpace::SRGB.to_xyz().unwrap(), srgb, 5e-5));
        // BT.2020-2, table 4, the weights of luminance.
        let [_, y, _] = ColorSpace::BT2020.to_xyz().unwrap();
        assert!([0.2627, 0.6780, 0.0593].iter().zip(y).all(|(a, b)| (a - b).abs() < 5e-5));
        // Adobe RGB (1998), 4.3.5.3.
        let adobe = [[0.57667, 0.18556, 0.18823], [0.29734, 0.62736, 0.07529], [0.02703, 0.07069, 0.99134]];
        assert!(near(ColorSpace::ADOBE_RGB.to_xyz().unwrap(), adobe, 1e-5));
        // S-2014-004: from AP1 to XYZ.
        let aces = [
            [0.662_454_18, 0.134_004_21, 0.156_187_69],
            [0.272_228_72, 0.674_081_77, 0.053_689_52],
            [-0.005_574_65, 0.004_060_73, 1.010_339_1],
        ];
        assert!(near(ColorSpace::ACES_CG.to_xyz().unwrap(), aces, 1e-7));
        // ROMM is seen under D50 (ISO 22028-2, annex B).
        let romm = [[0.7977, 0.1352, 0.0313], [0.2880, 0.7119, 0.0001], [0.0, 0.0, 0.8249]];
        assert!(near(ColorSpace::ROMM.to_xyz().unwrap(), romm, 4e-4));
    }

    #[test]
    fn whites_are_those_of_cie_15_and_bradford_that_of_icc() {
        let d65 = ColorSpace::SRGB.white().unwrap();
        assert!([0.9505, 1.0, 1.0891].iter().zip(d65).all(|(a, b)| (a - b).abs() < 1e-4), "{d65:?}");
        let d50 = ColorSpace::ROMM.white().unwrap();
        assert!([0.9643, 1.0, 0.8251].iter().zip(d50).all(|(a, b)| (a - b).abs() < 2e-4), "{d50:?}");
        // From D65 to D50 as profiles of sRGB state it (ICC.1:2022, annex E).
        let m = Adaptation::Bradford.matrix([0.9505, 1.0, 1.0891], [0.9642, 1.0, 0.8249]);
        let icc = [[1.047_88, 0.022_92, -0.0502], [0.029_59, 0.990_48, -0.017_06], [-0.009_23, 0.015_08, 0.751_68]];
        assert!(near(m, icc, 1e-4), "{m:?}");
    }

    #[test]
    fn there_and_back_is_nowhere() {
        for (name, a) in ColorSpace::NAMED {
            assert_eq!(ColorSpace::named(name), Some(*a));
            for (_, b) in ColorSpace::NAMED {
                for adaptation in [Adaptation::Bradford, Adaptation::VonKries, Adaptation::None] {
                    let there = a.matrix_to(b, adaptation).unwrap();
                    let back = b.matrix_to(a, adaptation).unwrap();
                    assert!(near(product(&back, &there), UNIT, 1e-12), "{name}");
                }
            }
        }
    }

    #[test]
    fn what_spans_no_space_is_an_error() {
        let space = |primaries| ColorSpace { primaries, transfer: Transfer::Srgb };
        for all in [
            [0; 8],
            [31_270, 32_900, 64_000, 33_000, 64_000, 33_000, 15_000, 6000],
            [31_270, 0, 64_000, 33_000, 30_000, 60_000, 15_000, 6000],
            [u32::MAX; 8],
        ] {
            assert!(space(Primaries::Chromaticities(all)).to_xyz().is_err(), "{all:?}");
        }
        assert!(space(Primaries::Other).matrix_to(&ColorSpace::SRGB, Adaptation::Bradford).is_err());
    }
}
