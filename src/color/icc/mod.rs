//! ICC profiles of red, green and blue by a matrix and curves, and of gray by a curve (ICC.1:2022 and ICC.1:2001-04, versions 4 and 2): read
//! and written.
//!
//! Not here: profiles by tables of many dimensions, such as printers', which are kept with a picture and not used.

mod curve;
mod parse;
mod write;

use super::space::{Adaptation, ColorSpace, Matrix, product};
use crate::error::{Error, Result};
use crate::frame::Metadata;
use crate::pixel::{Primaries, Transfer};
pub(crate) use curve::Curve;
use std::sync::Arc;

/// What a profile is made of, as far as it is used here.
#[derive(Debug, Clone, PartialEq)]
enum Kind {
    /// Red, green and blue: the matrix from their light to CIE XYZ under D50, and a curve each.
    Rgb { to_xyz: Matrix, curves: [Curve; 3] },
    /// Gray: its curve.
    Gray { curve: Curve },
}

/// A profile of red, green and blue by a matrix and three curves, or of gray by one.
///
/// # Examples
/// ```
/// use rahmen::color::{ColorSpace, Profile};
/// let bytes = Profile::of_space(&ColorSpace::DISPLAY_P3)?;
/// let profile = Profile::parse(&bytes)?;
/// assert_eq!(profile.space(), Some(ColorSpace::DISPLAY_P3));
/// assert_eq!(profile.description(), "display-p3");
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Profile {
    description: String,
    version: (u8, u8),
    kind: Kind,
}

impl Profile {
    /// A profile from its bytes.
    ///
    /// # Errors
    /// Bytes that are no profile, or damaged (the error names the tag and where it is); a profile of another kind than matrix and curves, or
    /// gray ([`ErrorKind::NotSupported`](crate::ErrorKind)).
    pub fn parse(bytes: &[u8]) -> Result<Profile> {
        parse::profile(bytes)
    }

    /// The bytes of a profile of version 4 for a space: matrix and parametric curves, adapted to D50 by Bradford.
    ///
    /// # Errors
    /// A space that is none, or whose curve such a profile cannot say: PQ and HLG.
    pub fn of_space(space: &ColorSpace) -> Result<Vec<u8>> {
        write::rgb(space)
    }

    /// The bytes of a profile of version 4 for gray of this curve.
    ///
    /// # Errors
    /// A curve that such a profile cannot say: PQ and HLG.
    pub fn of_gray(transfer: Transfer) -> Result<Vec<u8>> {
        write::gray(transfer)
    }

    /// What the profile calls itself; empty where it does not.
    pub fn description(&self) -> &str {
        &self.description
    }

    /// Its version: 2 or 4, and the minor number.
    pub fn version(&self) -> (u8, u8) {
        self.version
    }

    /// Whether it is of gray.
    pub fn is_gray(&self) -> bool {
        matches!(self.kind, Kind::Gray { .. })
    }

    /// The space with a name that the profile describes, within what its numbers are rounded to; of gray any with its curve. `None` for others.
    pub fn space(&self) -> Option<ColorSpace> {
        let named = || ColorSpace::NAMED.iter().map(|(_, space)| *space);
        match &self.kind {
            Kind::Gray { curve } => {
                let transfer = curve.transfer()?;
                let named = named().find(|space| space.transfer == transfer)?;
                Some(ColorSpace { primaries: Primaries::Srgb, transfer: named.transfer })
            }
            Kind::Rgb { to_xyz, curves } => {
                let transfer = curves[0].transfer()?;
                if curves.iter().any(|curve| curve.transfer() != Some(transfer)) {
                    return None;
                }
                named().find(|space| same(space.transfer, transfer) && near(&under_d50(space), to_xyz))
            }
        }
    }

    /// What metadata say of the profile's colours: primaries and curve, each as far as it can be said. Primaries without a name are those
    /// under D50.
    pub(crate) fn said(&self) -> (Primaries, Transfer) {
        if let Some(space) = self.space() {
            return (space.primaries, space.transfer);
        }
        match &self.kind {
            Kind::Gray { curve } => (Primaries::Srgb, curve.transfer().unwrap_or(Transfer::Other)),
            Kind::Rgb { to_xyz, curves } => {
                let first = curves[0].transfer();
                let transfer = first.filter(|_| curves.iter().all(|curve| curve.transfer() == first));
                let of_name = |primaries: &Primaries| {
                    near(&under_d50(&ColorSpace { primaries: *primaries, transfer: Transfer::Linear }), to_xyz)
                };
                let named = Primaries::NAMED.into_iter().find(of_name);
                let primaries = named.or_else(|| primaries_of(to_xyz)).unwrap_or(Primaries::Other);
                (primaries, transfer.unwrap_or(Transfer::Other))
            }
        }
    }

    /// The curves of the three channels; of gray thrice the same.
    pub(crate) fn curves(&self) -> [Curve; 3] {
        match &self.kind {
            Kind::Rgb { curves, .. } => curves.clone(),
            Kind::Gray { curve } => [curve.clone(), curve.clone(), curve.clone()],
        }
    }

    /// The matrix from light to CIE XYZ under D50; of gray that of sRGB, in which it is gray.
    pub(crate) fn to_xyz(&self) -> Matrix {
        match &self.kind {
            Kind::Rgb { to_xyz, .. } => *to_xyz,
            Kind::Gray { .. } => under_d50(&ColorSpace::SRGB),
        }
    }
}

/// D50 as profiles have it (ICC.1:2022, 7.2.16), rounded as they store it.
pub(super) const D50: [f64; 3] = [63_190.0 / 65_536.0, 1.0, 54_061.0 / 65_536.0];

/// The matrix of a space to CIE XYZ under D50; noughts for one that is none.
fn under_d50(space: &ColorSpace) -> Matrix {
    let adapted =
        || -> Result<Matrix> { Ok(product(&Adaptation::Bradford.matrix(space.white()?, D50), &space.to_xyz()?)) };
    adapted().unwrap_or_default()
}

/// Whether two curves are one: BT.709 and BT.2020 state the same.
fn same(a: Transfer, b: Transfer) -> bool {
    let television = |curve| matches!(curve, Transfer::Bt709 | Transfer::Bt2020);
    a == b || television(a) && television(b)
}

/// Whether two matrices agree within what published profiles are rounded to.
fn near(a: &Matrix, b: &Matrix) -> bool {
    a.iter().flatten().zip(b.iter().flatten()).all(|(a, b)| (a - b).abs() < 5e-4)
}

/// Primaries and white by their chromaticities, where there are some.
fn primaries_of(to_xyz: &Matrix) -> Option<Primaries> {
    let column = |c: usize| [to_xyz[0][c], to_xyz[1][c], to_xyz[2][c]];
    let white = to_xyz.map(|row| row.iter().sum::<f64>());
    let mut all = [0u32; 8];
    for (place, xyz) in [white, column(0), column(1), column(2)].into_iter().enumerate() {
        let sum: f64 = xyz.iter().sum();
        for (i, v) in [xyz[0] / sum, xyz[1] / sum].into_iter().enumerate() {
            let code = (v * 1e5).round();
            // Imaginary primaries may lie below 0, which metadata have no number for.
            if !(0.0..=1e6).contains(&code) {
                return None;
            }
            all[2 * place + i] = code as u32;
        }
    }
    let primaries = Primaries::of_chromaticities(all);
    ColorSpace { primaries, transfer: Transfer::Linear }.from_xyz().ok().map(|_| primaries)
}

impl Metadata {
    /// Sets the ICC profile, and with it what it says of primaries and curve, each as far as it has a name here
    /// ([`Primaries::Other`], [`Transfer::Other`]): there is one statement. Code points go.
    ///
    /// # Errors
    /// As [`Profile::parse`].
    pub fn set_profile(&mut self, icc: impl Into<Arc<[u8]>>) -> Result<()> {
        let icc = icc.into();
        (self.primaries, self.transfer) = Profile::parse(&icc)?.said();
        (self.icc, self.code_points) = (Some(icc), None);
        Ok(())
    }
}

/// What the numbers of a picture stand for: a space by primaries and a curve, or a profile.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Encoding {
    /// A space of red, green and blue.
    Space(ColorSpace),
    /// A profile.
    Profile(Arc<Profile>),
}

impl From<ColorSpace> for Encoding {
    fn from(space: ColorSpace) -> Encoding {
        Encoding::Space(space)
    }
}

impl From<&ColorSpace> for Encoding {
    fn from(space: &ColorSpace) -> Encoding {
        Encoding::Space(*space)
    }
}

impl From<Profile> for Encoding {
    /// The space with a name, where the profile describes one.
    fn from(profile: Profile) -> Encoding {
        match profile.space() {
            Some(space) => Encoding::Space(space),
            None => Encoding::Profile(Arc::new(profile)),
        }
    }
}

impl Encoding {
    /// What the numbers of a picture stand for: by its profile where it has one, unless code points come first (PNG, third edition, 4.3),
    /// else by its primaries and curve.
    ///
    /// # Errors
    /// A profile that cannot be used: see [`Profile::parse`].
    pub fn of(metadata: &Metadata) -> Result<Encoding> {
        match &metadata.icc {
            Some(bytes) if metadata.code_points.is_none() => Ok(Profile::parse(bytes)?.into()),
            _ => Ok(Encoding::Space(ColorSpace::of(metadata))),
        }
    }

    /// The curves of the three channels.
    pub(crate) fn curves(&self) -> [Curve; 3] {
        match self {
            Encoding::Space(space) => [0, 1, 2].map(|_| Curve::Named(space.transfer)),
            Encoding::Profile(profile) => profile.curves(),
        }
    }

    /// The matrix to CIE XYZ, and the white that it is under.
    pub(crate) fn to_xyz(&self) -> Result<(Matrix, [f64; 3])> {
        match self {
            Encoding::Space(space) => Ok((space.to_xyz()?, space.white()?)),
            Encoding::Profile(profile) => Ok((profile.to_xyz(), D50)),
        }
    }

    /// From linear light of this to that of another, seen under its white.
    pub(crate) fn matrix_to(&self, other: &Encoding, adaptation: Adaptation) -> Result<Matrix> {
        if let (Encoding::Space(a), Encoding::Space(b)) = (self, other) {
            return a.matrix_to(b, adaptation);
        }
        let ((from, white), (to, seen)) = (self.to_xyz()?, other.to_xyz()?);
        let back =
            super::space::inverse(&to).ok_or_else(|| Error::invalid("profile", "its colorants span no space"))?;
        Ok(product(&back, &product(&adaptation.matrix(white, seen), &from)))
    }

    /// The name of the space, or what the profile calls itself.
    pub fn name(&self) -> String {
        match self {
            Encoding::Space(space) => space.name().unwrap_or("a space without a name").to_string(),
            Encoding::Profile(profile) if profile.description.is_empty() => "a profile without a name".to_string(),
            Encoding::Profile(profile) => profile.description.clone(),
        }
    }
}
