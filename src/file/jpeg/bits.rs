//! Bits of entropy-coded data: stuffed zeros are left out, markers are never gone past (F.2.2.5).

/// Where a reader stands, to be taken up again.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) struct Place {
    /// Byte of the data that is read next.
    at: usize,
    /// Bits that have been taken from the data and not been used, the next one highest.
    word: u64,
    /// How many there are, and how many of the last are zeros made up behind the end.
    bits: u32,
    made_up: u32,
}

impl Place {
    /// At a byte of the data.
    pub(super) fn at(at: usize) -> Place {
        Place { at, ..Place::default() }
    }

    /// The byte that is read next.
    pub(super) fn byte(&self) -> usize {
        self.at
    }

    /// The same place where `bytes` in front of the data have been dropped.
    pub(super) fn moved_back(self, bytes: usize) -> Place {
        Place { at: self.at.saturating_sub(bytes), ..self }
    }
}

/// Reads bits from data that may end anywhere.
#[derive(Debug, Clone)]
pub(super) struct Bits<'a> {
    data: &'a [u8],
    place: Place,
}

impl<'a> Bits<'a> {
    pub(super) fn new(data: &'a [u8], place: Place) -> Bits<'a> {
        Bits { data, place }
    }

    /// Where it stands, without bits that were made up.
    pub(super) fn place(&self) -> Place {
        let Place { at, word, bits, made_up } = self.place;
        Place { at, word, bits: bits.saturating_sub(made_up), made_up: 0 }
    }

    /// Whether there are bits that were made up, used or not.
    pub(super) fn has_made_up(&self) -> bool {
        self.place.made_up > 0
    }

    /// Whether bits behind the last one that is there have been used.
    #[inline]
    pub(super) fn is_overrun(&self) -> bool {
        self.place.bits < self.place.made_up
    }

    /// Whether the data stops here at a marker, rather than because no more of it has come.
    pub(super) fn is_at_marker(&self) -> bool {
        matches!(self.data.get(self.place.at..), Some([0xff, second, ..]) if *second != 0)
    }

    /// At least 32 bits, made up where there are no more.
    #[inline(always)]
    pub(super) fn fill(&mut self) {
        if self.place.bits < 32 {
            self.refill();
        }
    }

    #[inline(always)]
    fn refill(&mut self) {
        let p = &mut self.place;
        // Eight bytes at a time where none of them is 0xff.
        if let Some(next) = self.data.get(p.at..).and_then(|rest| rest.first_chunk::<8>()) {
            let next = u64::from_be_bytes(*next);
            let inverse = !next;
            // A zero byte of the inverse borrows into its highest bit.
            let none = inverse.wrapping_sub(0x0101_0101_0101_0101) & !inverse & 0x8080_8080_8080_8080 == 0;
            if none {
                let room = (64u32.wrapping_sub(p.bits)) >> 3;
                p.word |= next >> p.bits;
                let taken = room.wrapping_mul(8);
                // Bits of a byte that does not fit wholly are read again: they are cut off.
                p.bits = p.bits.wrapping_add(taken);
                if p.bits < 64 {
                    p.word &= !(u64::MAX >> p.bits);
                }
                p.at = p.at.wrapping_add(room as usize);
                return;
            }
        }
        self.refill_slowly();
    }

    #[cold]
    fn refill_slowly(&mut self) {
        let p = &mut self.place;
        while p.bits <= 56 {
            let byte = match self.data.get(p.at..) {
                Some([0xff, 0, ..]) => {
                    p.at = p.at.wrapping_add(2);
                    0xff
                }
                Some([byte, ..]) if *byte != 0xff => {
                    p.at = p.at.wrapping_add(1);
                    *byte
                }
                _ => {
                    p.made_up = p.made_up.saturating_add(8);
                    0
                }
            };
            p.word |= u64::from(byte) << (56u32.wrapping_sub(p.bits));
            p.bits = p.bits.wrapping_add(8);
        }
    }

    /// The next `count` bits, at most 32 and at least 1; they stay.
    #[inline(always)]
    pub(super) fn peek(&self, count: u32) -> u32 {
        (self.place.word >> (64u32.wrapping_sub(count) & 63)) as u32
    }

    /// Goes past bits, of which [`fill`](Bits::fill) has seen to there being enough.
    #[inline(always)]
    pub(super) fn skip(&mut self, count: u32) {
        self.place.word <<= count & 63;
        self.place.bits = self.place.bits.wrapping_sub(count);
    }

    /// `count` bits as a number; 0 to 16 of them.
    #[inline(always)]
    pub(super) fn take(&mut self, count: u32) -> u32 {
        if count == 0 {
            return 0;
        }
        let value = self.peek(count);
        self.skip(count);
        value
    }

    /// A number of `size` bits that stands for a difference (F.2.2.1, EXTEND).
    #[inline(always)]
    pub(super) fn extended(&mut self, size: u32) -> i32 {
        let value = self.take(size) as i32;
        extend(value, size)
    }

    /// Drops what is left of a byte, and gives the place of what follows the data so far: a marker, or nothing yet.
    pub(super) fn align(&mut self) -> usize {
        let whole = self.place.bits.saturating_sub(self.place.made_up) >> 3;
        // Whole bytes that were taken and not used belong to what follows; stuffing only makes this too few, which a
        // marker that is not there then tells.
        let back = self.place.at.saturating_sub(whole as usize);
        self.place = Place::at(back);
        back
    }
}

/// Of `size` bits those that start with 0 are negative: the lowest number of as many bits is taken off.
#[inline(always)]
pub(super) fn extend(value: i32, size: u32) -> i32 {
    let half = (1i32 << size) >> 1;
    if value < half { value.wrapping_sub((1i32 << size).wrapping_sub(1)) } else { value }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bits_come_without_stuffing_and_end_at_a_marker() {
        let data = [0xab, 0xff, 0x00, 0xcd, 0x12, 0xff, 0xd0, 0x77];
        let mut bits = Bits::new(&data, Place::at(0));
        let mut read = Vec::new();
        for _ in 0..8 {
            bits.fill();
            read.push(bits.take(4));
        }
        assert_eq!(read, [0xa, 0xb, 0xf, 0xf, 0xc, 0xd, 1, 2]);
        assert!(!bits.is_overrun() && bits.is_at_marker());
        bits.fill();
        assert_eq!(bits.take(3), 0);
        assert!(bits.is_overrun());
        // Long runs of plain bytes go eight at a time, to the same effect.
        let long: Vec<u8> = (0..=254u8).chain([0xff, 0]).chain(0..=254).collect();
        let mut bits = Bits::new(&long, Place::at(0));
        for want in (0..=254u8).chain([0xff]).chain(0..=254) {
            bits.fill();
            assert_eq!(bits.take(3), u32::from(want >> 5));
            bits.fill();
            assert_eq!(bits.take(5), u32::from(want & 31));
        }
        assert!(!bits.is_overrun());
    }

    #[test]
    fn differences_are_extended_as_table_f_1_says() {
        assert_eq!([0, 1].map(|v| extend(v, 1)), [-1, 1]);
        assert_eq!([0, 1, 2, 3].map(|v| extend(v, 2)), [-3, -2, 2, 3]);
        assert_eq!((extend(0, 0), extend(0, 11), extend(2047, 11)), (0, -2047, 2047));
    }
}
