//! The one gate that every container's sizes and strides pass: what it lets through can be multiplied safely ever after.

use super::Size;
use crate::error::{Error, ErrorKind, Result};
use crate::memory::{self, Account, Charge};

/// Checked measures of a container, in units of `unit_bytes` bytes (numbers for views, bytes for foreign memory).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Extent {
    /// Units a row takes.
    pub(crate) row: usize,
    /// Units from one row's start to the next one's; at least `row`.
    pub(crate) stride: usize,
    /// Units a buffer needs: (height - 1) * stride + row, or 0 where there is no pixel.
    pub(crate) needed: usize,
}

impl Extent {
    /// Rows without gaps.
    pub(crate) fn packed(size: Size, channels: usize, unit_bytes: usize) -> Result<Extent> {
        let row = row_units(size, channels)?;
        Extent::check(size, row, row, unit_bytes, "numbers")
    }

    /// Rows `stride` units apart.
    pub(crate) fn strided(size: Size, channels: usize, unit_bytes: usize, stride: usize) -> Result<Extent> {
        let row = row_units(size, channels)?;
        Extent::check(size, row, stride, unit_bytes, "numbers")
    }

    /// Rows in foreign memory, in bytes: without gaps unless a stride is given.
    pub(crate) fn foreign(size: Size, pixel_bytes: usize, stride: Option<usize>) -> Result<Extent> {
        let row = row_units(size, pixel_bytes)?;
        Extent::check(size, row, stride.unwrap_or(row), 1, "bytes")
    }

    /// The shape of packed rows whose size has been through this gate before.
    #[inline]
    pub(crate) fn known(size: Size, channels: usize) -> Extent {
        let row = size.width as usize * channels;
        Extent { row, stride: row, needed: row * size.height as usize }
    }

    fn check(size: Size, row: usize, stride: usize, unit_bytes: usize, unit: &'static str) -> Result<Extent> {
        if stride < row {
            return Err(ErrorKind::Stride { unit, stride, row }.into());
        }
        let needed = if row == 0 || size.height == 0 {
            Some(0)
        } else {
            (size.height as usize - 1).checked_mul(stride).and_then(|n| n.checked_add(row))
        };
        // Rust's own bound: no object is larger than isize::MAX bytes.
        let fits = |n: usize| n.checked_mul(unit_bytes).is_some_and(|bytes| bytes <= isize::MAX as usize);
        match needed {
            Some(needed) if fits(needed) => Ok(Extent { row, stride, needed }),
            _ => Err(too_large(format!("{size} with {stride} {unit} a row"))),
        }
    }

    /// Whether a buffer of `found` units is long enough.
    pub(crate) fn holds(&self, found: usize) -> Result<()> {
        if found >= self.needed {
            return Ok(());
        }
        let detail = if self.stride == self.row {
            format!(" (rows of {})", self.row)
        } else {
            format!(" (rows of {}, {} apart)", self.row, self.stride)
        };
        Err(ErrorKind::WrongLength { unit: "samples", needed: self.needed, found, detail }.into())
    }
}

fn row_units(size: Size, channels: usize) -> Result<usize> {
    (size.width as usize)
        .checked_mul(channels)
        .ok_or_else(|| too_large(format!("a row of {} pixels with {channels} channels", size.width)))
}

#[cold]
fn too_large(what: String) -> Error {
    ErrorKind::TooLarge { what }.into()
}

/// A zeroed vector, charged to a budget, or an error where there is no memory. Zero pages come from the system untouched.
pub(crate) fn zeroed<T: bytemuck::Zeroable>(length: usize, account: Account<'_>) -> Result<(Vec<T>, Charge)> {
    let charge = Charge::take(account, (length as u64).saturating_mul(size_of::<T>() as u64))?;
    Ok((memory::zeros(length)?, charge))
}

/// An empty vector with room for `length` values, charged to a budget, or an error where there is no memory.
pub(crate) fn reserve<T>(length: usize, account: Account<'_>) -> Result<(Vec<T>, Charge)> {
    let charge = Charge::take(account, (length as u64).saturating_mul(size_of::<T>() as u64))?;
    Ok((memory::room(length)?, charge))
}

#[cfg(test)]
mod tests {
    use super::*;

    const SIDES: [u32; 9] = [0, 1, 2, 3, 65_535, 65_536, u32::MAX / 2, u32::MAX - 1, u32::MAX];

    #[test]
    fn the_grid_of_edge_values_agrees_with_128_bit_arithmetic() {
        let strides = [0, 1, 3, 4, 1 << 20, usize::MAX / 2, usize::MAX - 1, usize::MAX];
        for (width, height) in SIDES.iter().flat_map(|&w| SIDES.map(|h| (w, h))) {
            for channels in 1..=4usize {
                for bytes in [1usize, 2, 4, 8] {
                    for stride in strides {
                        let size = Size::new(width, height);
                        let row = u128::from(width) * channels as u128;
                        let pixels = width > 0 && height > 0;
                        let needed = if pixels { (u128::from(height) - 1) * stride as u128 + row } else { 0 };
                        let good = stride as u128 >= row && needed * bytes as u128 <= isize::MAX as u128;
                        let found = Extent::strided(size, channels, bytes, stride);
                        assert_eq!(found.is_ok(), good, "{size} {channels} {bytes} {stride}");
                        if let Ok(shape) = found {
                            assert_eq!((shape.needed as u128, shape.row as u128), (needed, row));
                            assert!(shape.holds(shape.needed).is_ok());
                            assert!(shape.needed == 0 || shape.holds(shape.needed - 1).is_err());
                        }
                    }
                }
            }
        }
    }

    #[test]
    fn packed_is_strided_by_a_row() {
        let size = Size::new(5, 7);
        assert_eq!(Extent::packed(size, 3, 1).unwrap(), Extent { row: 15, stride: 15, needed: 105 });
        assert!(Extent::packed(Size::new(u32::MAX, u32::MAX), 4, 8).is_err());
    }

    #[test]
    fn memory_that_is_not_there_is_an_error() {
        assert!(matches!(zeroed::<u8>(isize::MAX as usize, None).unwrap_err().kind(), ErrorKind::OutOfMemory { .. }));
        assert!(reserve::<u64>(usize::MAX, None).is_err());
    }
}
