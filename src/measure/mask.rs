//! Which pixels count in a measurement: all, those of a mask, those that a closure picks, or each by a weight.

use crate::error::{Error, Result};
use crate::frame::{Pixels, Region, SamplesRef, Size, View};
use crate::pixel::{Gray, Layout, Sample};

/// Which pixels of a picture count, and how often. No copy is made: the mask is read row by row beside the picture.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::{HistogramRules, Mask, masked_histogram}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![7, 9, 9, 12])?;
/// let mask = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![255, 128, 127, 0])?;
/// let counted = masked_histogram(row.view(), &Mask::from(mask.view()), &HistogramRules::default())?;
/// assert_eq!((counted.channels[0].bins[7], counted.channels[0].bins[9]), (1, 1));
/// let weighed = masked_histogram(row.view(), &Mask::weights(mask.view()), &HistogramRules::default())?;
/// assert_eq!((weighed.channels[0].bins[9], weighed.channels[0].bins[12]), (255, 0));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Clone, Copy)]
pub struct Mask<'a>(Kind<'a>);

#[derive(Clone, Copy)]
enum Kind<'a> {
    All,
    Half(Grays<'a>),
    Weights(Grays<'a>),
    /// A closure over places, and the place of the first pixel.
    Where(&'a (dyn Fn(u32, u32) -> bool + Sync), (u32, u32)),
}

#[derive(Clone, Copy)]
enum Grays<'a> {
    Bytes(View<'a, Gray<u8>>),
    Words(View<'a, Gray<u16>>),
    Floats(View<'a, Gray<f32>>),
}

impl std::fmt::Debug for Mask<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let (what, size) = match self.0 {
            Kind::All => ("all pixels", None),
            Kind::Half(grays) => ("half or more", Some(grays.size())),
            Kind::Weights(grays) => ("weights", Some(grays.size())),
            Kind::Where(..) => ("where a closure says", None),
        };
        write!(f, "Mask({what}")?;
        size.map_or(Ok(()), |size| write!(f, ", {size}"))?;
        f.write_str(")")
    }
}

impl<'a> Mask<'a> {
    /// Every pixel counts once.
    pub const ALL: Mask<'static> = Mask(Kind::All);

    /// Pixels count where the closure says so of their place, x first.
    pub fn at_places(counts: &'a (dyn Fn(u32, u32) -> bool + Sync)) -> Mask<'a> {
        Mask(Kind::Where(counts, (0, 0)))
    }

    /// A pixel counts as often as its weight says: whole numbers of 8 or 16 bits, so that counts stay exact and can be
    /// merged. A mask of floats has no whole numbers and stays what it was: half or more counts once.
    pub fn weights<M: Into<Mask<'a>>>(mask: M) -> Mask<'a> {
        match mask.into().0 {
            Kind::Half(grays @ (Grays::Bytes(_) | Grays::Words(_))) => Mask(Kind::Weights(grays)),
            other => Mask(other),
        }
    }

    /// The mask that gray pixels are: half of full or more counts.
    ///
    /// # Errors
    /// Pixels that are not gray: the error says what they are.
    pub fn of_pixels(pixels: &'a Pixels) -> Result<Mask<'a>> {
        if pixels.layout() != Layout::Gray {
            return Err(Error::invalid("mask", format!("a mask is gray, not {}; make it gray first", pixels.layout())));
        }
        Ok(match pixels.samples() {
            SamplesRef::U8(_) => pixels.view::<Gray<u8>>()?.into(),
            SamplesRef::U16(_) => pixels.view::<Gray<u16>>()?.into(),
            SamplesRef::F32(_) => pixels.view::<Gray<f32>>()?.into(),
        })
    }

    /// The mask of a region of what this is the mask of. No copy.
    ///
    /// # Errors
    /// A region that reaches outside.
    pub fn region(&self, region: Region) -> Result<Mask<'a>> {
        Ok(Mask(match self.0 {
            Kind::All => Kind::All,
            Kind::Half(grays) => Kind::Half(grays.region(region)?),
            Kind::Weights(grays) => Kind::Weights(grays.region(region)?),
            Kind::Where(counts, (x, y)) => {
                Kind::Where(counts, (x.saturating_add(region.x()), y.saturating_add(region.y())))
            }
        }))
    }

    /// Whether all pixels count, so that nothing has to be looked up.
    pub(crate) fn is_all(&self) -> bool {
        matches!(self.0, Kind::All)
    }

    /// Whether the mask belongs to pictures of this size.
    pub(crate) fn check(&self, size: Size) -> Result<()> {
        match self.0 {
            Kind::Half(grays) | Kind::Weights(grays) if grays.size() != size => {
                Err(Error::sizes("the mask", size, grays.size()))
            }
            _ => Ok(()),
        }
    }

    /// How often each pixel of a row counts.
    pub(crate) fn row(&self, y: u32, weights: &mut [u32]) {
        fn half<S: Sample>(row: &[Gray<S>], weights: &mut [u32], half: S) {
            weights.iter_mut().zip(row).for_each(|(to, m)| *to = u32::from(m.value >= half));
        }
        match self.0 {
            Kind::All => weights.fill(1),
            Kind::Half(Grays::Bytes(view)) => half(view.row(y), weights, 128),
            Kind::Half(Grays::Words(view)) => half(view.row(y), weights, 32_768),
            Kind::Half(Grays::Floats(view)) | Kind::Weights(Grays::Floats(view)) => half(view.row(y), weights, 0.5),
            Kind::Weights(Grays::Bytes(view)) => {
                weights.iter_mut().zip(view.row(y)).for_each(|(to, m)| *to = u32::from(m.value));
            }
            Kind::Weights(Grays::Words(view)) => {
                weights.iter_mut().zip(view.row(y)).for_each(|(to, m)| *to = u32::from(m.value));
            }
            Kind::Where(counts, (left, top)) => {
                let at = |x: u32| counts(left.saturating_add(x), top.saturating_add(y));
                (0u32..).zip(weights).for_each(|(x, to)| *to = u32::from(at(x)));
            }
        }
    }
}

impl<'a> Grays<'a> {
    fn region(&self, region: Region) -> Result<Grays<'a>> {
        Ok(match self {
            Grays::Bytes(view) => Grays::Bytes(view.region(region)?),
            Grays::Words(view) => Grays::Words(view.region(region)?),
            Grays::Floats(view) => Grays::Floats(view.region(region)?),
        })
    }

    fn size(&self) -> Size {
        match self {
            Grays::Bytes(view) => view.size(),
            Grays::Words(view) => view.size(),
            Grays::Floats(view) => view.size(),
        }
    }
}

impl<'a> From<View<'a, Gray<u8>>> for Mask<'a> {
    /// 128 and more counts.
    fn from(view: View<'a, Gray<u8>>) -> Mask<'a> {
        Mask(Kind::Half(Grays::Bytes(view)))
    }
}

impl<'a> From<View<'a, Gray<u16>>> for Mask<'a> {
    /// 32,768 and more counts.
    fn from(view: View<'a, Gray<u16>>) -> Mask<'a> {
        Mask(Kind::Half(Grays::Words(view)))
    }
}

impl<'a> From<View<'a, Gray<f32>>> for Mask<'a> {
    /// 0.5 and more counts; NaN does not.
    fn from(view: View<'a, Gray<f32>>) -> Mask<'a> {
        Mask(Kind::Half(Grays::Floats(view)))
    }
}
