//! A scan that is being read: MCU after MCU, restart markers, and the way back to one behind damage.

use super::bits::{Bits, Place};
use super::frame::{Coding, FrameHeader};
use super::idct::Block;
use super::picture::PartialPicture;
use super::scan::{Carried, Scan, progressive, sequential};
use crate::error::{Error, Result};

/// A scan that is being read.
pub(super) struct Running {
    pub(super) scan: Scan,
    pub(super) place: Place,
    pub(super) carried: Carried,
    /// The MCU (of a single component: the block) that comes next, and how many there are across and in all.
    pub(super) next: u64,
    pub(super) across: u64,
    pub(super) all: u64,
    /// The MCUs that the last damage has cost: up to this one, and from that one on.
    pub(super) lost_until: u64,
    pub(super) lost_from: u64,
    /// The MCU behind the last restart marker that came where it was due: what lies before it is confirmed.
    pub(super) confirmed: u64,
    /// Up to which MCU the picture has been told of damage.
    pub(super) told: u64,
    /// Whether the marker behind the damage is still to be found.
    pub(super) seeking: bool,
    /// MCUs until a restart marker is due, and its number.
    pub(super) until_restart: u32,
    pub(super) restart: u8,
}

impl Running {
    /// Decodes MCUs: in a stream to the end of their row, else to the end of the scan. False where more bytes are needed.
    pub(super) fn go_on(
        &mut self,
        frame: &FrameHeader,
        picture: &mut PartialPicture,
        data: &[u8],
        interval: u32,
    ) -> Result<bool> {
        while self.next < self.all {
            let (column, row) = self.column_and_row();
            if self.next < self.lost_until {
                if picture.streams && column == 0 && row >= picture.rows {
                    picture.canvas.advance();
                    picture.rows = row.saturating_add(1);
                }
                if picture.streams {
                    self.blank(frame, picture, column);
                }
                self.next = self.next.saturating_add(1);
                if picture.streams && self.next.checked_rem(self.across) == Some(0) {
                    return Ok(true);
                }
                continue;
            }
            // Only the mark tells that what came before it was what it was taken for.
            if self.is_before_mark(interval) {
                match self.restart(data, interval)? {
                    true if picture.streams && column == 0 => return Ok(true),
                    true => {}
                    false => return Ok(false),
                }
            }
            if picture.streams && column == 0 && row >= picture.rows {
                picture.canvas.advance();
                picture.rows = row.saturating_add(1);
            }
            if !picture.streams && self.skips_ended(frame, interval) {
                continue;
            }
            let mut bits = Bits::new(data, self.place);
            let mut carried = self.carried;
            let result = match picture.streams {
                true => self.mcu(frame, picture, &mut bits, &mut carried, column),
                false => self.coefficients(frame, picture, &mut bits, &mut carried, (column, row)),
            };
            if bits.has_made_up() && (result.is_err() || bits.is_overrun()) {
                if !bits.is_at_marker() {
                    return Ok(false);
                }
                return Err(Error::malformed(format!("the scan ends early, in MCU {} of {}", self.next, self.all)));
            }
            result?;
            (self.place, self.carried) = (bits.place(), carried);
            self.next = self.next.saturating_add(1);
            self.until_restart = self.until_restart.saturating_sub(1);
            if picture.streams && self.next.checked_rem(self.across) == Some(0) && !self.is_before_mark(interval) {
                return Ok(true);
            }
        }
        Ok(true)
    }

    /// The MCUs that nothing confirms, up to the next one.
    pub(super) fn unconfirmed(&self) -> std::ops::Range<u64> {
        self.confirmed..self.next.max(self.confirmed)
    }

    /// How many rows of blocks a row of MCUs is, where those of one component follow each other.
    pub(super) fn rows_each(&self, frame: &FrameHeader) -> u32 {
        match self.scan.parts.as_slice() {
            [one] => frame.components.get(one.index).map_or(1, |c| u32::from(c.v)),
            _ => 1,
        }
    }

    /// Whether a restart marker has to come next.
    pub(super) fn is_before_mark(&self, interval: u32) -> bool {
        interval > 0 && self.until_restart == 0 && self.next < self.all && self.next >= self.lost_until
    }

    /// In a first scan of a band, blocks whose band has ended stay as they are: they are passed over all at once.
    fn skips_ended(&mut self, frame: &FrameHeader, interval: u32) -> bool {
        let first_of_band = frame.coding == Coding::Progressive && self.scan.first > 0 && self.scan.high == 0;
        if !first_of_band || self.carried.ended == 0 {
            return false;
        }
        let left = self.all.saturating_sub(self.next).min(u64::from(self.carried.ended));
        let due = if interval > 0 { left.min(u64::from(self.until_restart)) } else { left };
        // At most as many as the 32 bits of `ended` count.
        let count = u32::try_from(due).unwrap_or(0);
        self.carried.ended = self.carried.ended.saturating_sub(count);
        self.until_restart = self.until_restart.saturating_sub(count);
        self.next = self.next.saturating_add(u64::from(count));
        count > 0
    }

    fn column_and_row(&self) -> (u32, u32) {
        let column = self.next.checked_rem(self.across).unwrap_or(0);
        let row = self.next.checked_div(self.across).unwrap_or(0);
        (column as u32, row as u32)
    }

    /// Goes past a restart marker; false where it has not come yet.
    fn restart(&mut self, data: &[u8], interval: u32) -> Result<bool> {
        let mut bits = Bits::new(data, self.place);
        let at = bits.align();
        let rest = data.get(at..).unwrap_or_default();
        let fill = rest.iter().take_while(|&&b| b == 0xff).count();
        let Some(&marker) = rest.get(fill) else { return Ok(false) };
        if fill == 0 || marker != 0xd0 | self.restart {
            return Err(Error::malformed(format!("restart marker {} expected before MCU {}", self.restart, self.next)));
        }
        self.place = Place::at(at.saturating_add(fill).saturating_add(1));
        self.carried = Carried::default();
        self.until_restart = interval;
        self.restart = self.restart.wrapping_add(1) & 7;
        self.confirmed = self.next;
        Ok(true)
    }

    /// An MCU of a scan of all components, to the canvas.
    fn mcu(
        &self,
        frame: &FrameHeader,
        picture: &mut PartialPicture,
        bits: &mut Bits<'_>,
        carried: &mut Carried,
        column: u32,
    ) -> Result<()> {
        for (part, mean) in self.scan.parts.iter().zip(&mut carried.means) {
            let Some(component) = frame.components.get(part.index) else { continue };
            let Some(Some(quantiser)) = picture.quantisers.get(part.index) else { continue };
            let (h, v) = (u32::from(component.h), u32::from(component.v));
            for down in 0..v {
                for across in 0..h {
                    let mut block: Block = [0; 64];
                    let last = sequential(bits, part, quantiser, mean, &mut block)?;
                    let column = column.saturating_mul(h).saturating_add(across);
                    picture.canvas.block(part.index, column, down, &block, last);
                }
            }
        }
        Ok(())
    }

    /// An MCU of which nothing is there, to the canvas.
    fn blank(&self, frame: &FrameHeader, picture: &mut PartialPicture, column: u32) {
        for part in &self.scan.parts {
            let Some(component) = frame.components.get(part.index) else { continue };
            let (h, v) = (u32::from(component.h), u32::from(component.v));
            for (down, across) in (0..v).flat_map(|down| (0..h).map(move |across| (down, across))) {
                picture.canvas.block(part.index, column.saturating_mul(h).saturating_add(across), down, &[0; 64], 0);
            }
        }
    }

    /// An MCU, or a block of a single component, among the collected coefficients.
    fn coefficients(
        &self,
        frame: &FrameHeader,
        picture: &mut PartialPicture,
        bits: &mut Bits<'_>,
        carried: &mut Carried,
        (column, row): (u32, u32),
    ) -> Result<()> {
        for (number, part) in self.scan.parts.iter().enumerate() {
            let Some(component) = frame.components.get(part.index) else { continue };
            let (h, v) = match self.scan.is_single() {
                true => (1, 1),
                false => (u32::from(component.h), u32::from(component.v)),
            };
            for down in 0..v {
                for across in 0..h {
                    let x = column.saturating_mul(h).saturating_add(across);
                    let y = row.saturating_mul(v).saturating_add(down);
                    let at = (y as usize).saturating_mul(component.padded.0 as usize).saturating_add(x as usize);
                    let blocks = picture.coefficients.get_mut(part.index);
                    let Some(blocks) = blocks else { continue };
                    // A copy, so that an MCU whose bytes have not all come can be read again.
                    let Some(mut block) = blocks.block(at) else { continue };
                    if frame.coding == Coding::Progressive {
                        progressive(bits, &self.scan, number, carried, &mut block)?;
                    } else {
                        let mut whole: Block = [0; 64];
                        let Some(mean) = carried.means.get_mut(number) else { continue };
                        sequential(bits, part, &[1; 64], mean, &mut whole)?;
                        block.iter_mut().zip(whole).for_each(|(to, v)| *to = v as i16);
                    }
                    if !bits.is_overrun() {
                        blocks.put(at, &block);
                    }
                }
            }
        }
        Ok(())
    }

    /// Looks for a marker to go on behind after damage: false where none has come yet.
    pub(super) fn resume(&mut self, data: &[u8], interval: u32) -> bool {
        // Where another mark came than was due, what was taken for the interval before is not sure either.
        let back = if self.is_before_mark(interval) { u64::from(interval) } else { 0 };
        self.lost_from = if self.seeking { self.lost_from } else { self.next.saturating_sub(back) };
        let from = self.place.byte().min(data.len());
        let rest = data.get(from..).unwrap_or_default();
        let found = rest.windows(2).position(|w| matches!(w, [0xff, second] if *second != 0 && *second != 0xff));
        let Some(found) = found else { return false };
        let at = from.saturating_add(found);
        self.seeking = false;
        let marker = data.get(at.saturating_add(1)).copied().unwrap_or(0);
        if !(0xd0..=0xd7).contains(&marker) || interval == 0 {
            self.place = Place::at(at);
            self.lost_until = self.all;
            return true;
        }
        // The mark's number tells how many intervals have been skipped, up to seven.
        let skipped = u64::from((marker & 7).wrapping_sub(self.restart) & 7);
        let number = self.next.checked_div(u64::from(interval)).unwrap_or(0);
        // A mark that was due before the next MCU belongs to the interval before.
        let number = if self.until_restart == 0 { number.saturating_sub(1) } else { number };
        let next = number.saturating_add(skipped).saturating_add(1).saturating_mul(u64::from(interval));
        self.lost_until = next.min(self.all);
        self.confirmed = self.lost_until;
        self.place = Place::at(at.saturating_add(2));
        self.carried = Carried::default();
        self.until_restart = interval;
        self.restart = (marker & 7).wrapping_add(1) & 7;
        true
    }
}
