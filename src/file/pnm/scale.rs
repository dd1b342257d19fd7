//! From the codes of a map to samples of the full range.

use super::header::Header;
use crate::error::{Error, Result};
use crate::file::interleaved::apart;
use crate::frame::{AnyPlanes, SamplesMut};

/// From codes to samples.
pub(super) struct Scale {
    pub(super) top: u16,
    /// The sample for each code, where codes are not samples already.
    pub(super) samples: Vec<u16>,
}

impl Scale {
    /// A row of the file as samples.
    pub(super) fn store(&self, header: &Header, row: &[u8], target: SamplesMut<'_>) -> Result<()> {
        match (target, self.samples.is_empty()) {
            (SamplesMut::U8(to), _) if header.bits => {
                for (to, &byte) in to.chunks_mut(8).zip(row) {
                    to.iter_mut().zip(0u32..).for_each(|(to, i)| *to = if byte & (0x80 >> i) == 0 { 255 } else { 0 });
                }
            }
            (SamplesMut::U8(to), true) => to.copy_from_slice(row),
            (SamplesMut::U8(to), false) => {
                for (to, &code) in to.iter_mut().zip(row) {
                    *to = self.sample(u16::from(code))? as u8;
                }
            }
            (SamplesMut::U16(to), true) => {
                for (to, from) in to.iter_mut().zip(row.as_chunks::<2>().0) {
                    *to = u16::from_be_bytes(*from);
                }
            }
            (SamplesMut::U16(to), false) => {
                for (to, from) in to.iter_mut().zip(row.as_chunks::<2>().0) {
                    *to = self.sample(u16::from_be_bytes(*from))?;
                }
            }
            // A header never names floats.
            (SamplesMut::F32(_), _) => {}
        }
        Ok(())
    }

    /// A row of the file as numbers of planes, as they are.
    pub(super) fn store_planes(&self, row: &[u8], planes: &mut AnyPlanes, y: u32) -> Result<()> {
        let mut views = planes.views_mut();
        if self.top < 256 {
            if let Some(code) = row.iter().find(|code| u16::from(**code) > self.top) {
                return Err(self.above(u32::from(*code)));
            }
            apart::<1>(row, &mut views, y, false);
            return Ok(());
        }
        let codes = row.as_chunks::<2>().0.iter().map(|code| u16::from_be_bytes(*code));
        if let Some(code) = codes.into_iter().find(|code| *code > self.top) {
            return Err(self.above(u32::from(code)));
        }
        apart::<2>(row, &mut views, y, cfg!(target_endian = "little"));
        Ok(())
    }

    /// The sample of a code.
    pub(super) fn sample(&self, code: u16) -> Result<u16> {
        if self.samples.is_empty() && code <= self.top {
            return Ok(code);
        }
        let found = self.samples.get(usize::from(code)).copied();
        found.ok_or_else(|| self.above(u32::from(code)))
    }

    #[cold]
    pub(super) fn above(&self, number: u32) -> Error {
        Error::malformed(format!("a sample of {number} is above the maximum value {}", self.top))
    }
}
