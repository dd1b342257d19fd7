//! What was packed in general ways, unpacked: PackBits (section 9), LZW (section 13) and Deflate (RFC 1950; Adobe's technical notes of
//! 2002), into room of a known size.

use super::fax;
use super::shape::Packing;
use crate::error::{Error, Result};
use flate2::{Decompress, FlushDecompress};
use std::cell::RefCell;
use weezl::{BitOrder, LzwStatus, decode};

/// What came of a strip or tile.
#[derive(Debug)]
pub(super) struct Unpacked {
    /// Bytes that were put into the room.
    pub(super) bytes: usize,
    /// Why no more came, where that is a fault.
    pub(super) fault: Option<Error>,
}

/// Unpacks a strip or tile into `room`, all of it if there is as much. `width` is that of its rows in pixels.
pub(super) fn unpack(packing: Packing, bytes: &[u8], lowest_first: bool, width: u32, room: &mut [u8]) -> Unpacked {
    let turned;
    let bytes = match lowest_first && is_turned(packing, bytes) {
        true => {
            turned = bytes.iter().map(|b| b.reverse_bits()).collect::<Vec<u8>>();
            turned.as_slice()
        }
        false => bytes,
    };
    match packing {
        Packing::Deflate => inflate(bytes, room),
        Packing::Lzw => lzw(bytes, room),
        Packing::PackBits => packbits(bytes, room),
        Packing::FaxRows | Packing::Fax3 { .. } | Packing::Fax4 => fax::unpack(packing, bytes, width, room),
        Packing::None | Packing::Jpeg => {
            room.iter_mut().zip(bytes).for_each(|(to, v)| *to = *v);
            Unpacked { bytes: bytes.len().min(room.len()), fault: None }
        }
    }
}

/// Whether the bits of packed bytes are turned round, where the page says that the lowest come first: writers turn what they have packed.
/// A stream that begins as only one that was not turned can is taken as it is.
fn is_turned(packing: Packing, bytes: &[u8]) -> bool {
    match (packing, bytes) {
        // A header of zlib (RFC 1950, 2.2), a multiple of 31.
        (Packing::Deflate, &[first, second, ..]) => first & 15 != 8 || u16::from_be_bytes([first, second]) % 31 != 0,
        // The code to clear the table, in either of its forms.
        (Packing::Lzw, &[first, second, ..]) => !(first == 0x80 || first == 0 && second & 1 == 1),
        _ => true,
    }
}

thread_local! {
    /// What a thread has unpacked the strip before with: pages by the thousand would else leave as many holes in the heap.
    static KEPT: RefCell<Option<Decompress>> = const { RefCell::new(None) };
}

fn inflate(bytes: &[u8], room: &mut [u8]) -> Unpacked {
    let mut state = KEPT.take().unwrap_or_else(|| Decompress::new(true));
    state.reset(true);
    let fault = loop {
        let (used, filled) = (state.total_in() as usize, state.total_out() as usize);
        let (from, to) = (bytes.get(used..).unwrap_or_default(), room.get_mut(filled..).unwrap_or_default());
        if to.is_empty() {
            break None;
        }
        match state.decompress(from, to, FlushDecompress::None) {
            Ok(flate2::Status::StreamEnd) => break None,
            Ok(_) if state.total_in() as usize == used && state.total_out() as usize == filled => break None,
            Ok(_) => {}
            Err(_) => break Some(Error::malformed(format!("Deflate data that is wrong behind {used} bytes"))),
        }
    };
    let bytes = state.total_out() as usize;
    KEPT.set(Some(state));
    Unpacked { bytes, fault }
}

/// LZW as section 13 has it: the highest bits first, codes lengthened one early. Files of before 1988 have the lowest bits first and
/// lengthen codes in time; what they begin with, the code to clear the table, tells them apart.
fn lzw(bytes: &[u8], room: &mut [u8]) -> Unpacked {
    let old = matches!(bytes, [0, second, ..] if second & 1 == 1);
    let mut state = match old {
        true => decode::Decoder::new(BitOrder::Lsb, 8),
        false => decode::Decoder::with_tiff_size_switch(BitOrder::Msb, 8),
    };
    let (mut used, mut filled) = (0usize, 0usize);
    let fault = loop {
        let (from, to) = (bytes.get(used..).unwrap_or_default(), room.get_mut(filled..).unwrap_or_default());
        if to.is_empty() {
            break None;
        }
        let done = state.decode_bytes(from, to);
        used = used.saturating_add(done.consumed_in);
        filled = filled.saturating_add(done.consumed_out);
        match done.status {
            Ok(LzwStatus::Done) => break None,
            Ok(_) if done.consumed_in == 0 && done.consumed_out == 0 => break None,
            Ok(_) => {}
            Err(_) => break Some(Error::malformed(format!("an LZW code that cannot stand behind {used} bytes"))),
        }
    };
    Unpacked { bytes: filled, fault }
}

/// Runs: a byte of 0 to 127 stands before one more bytes as they are, one of -1 to -127 before a byte that is repeated.
fn packbits(mut bytes: &[u8], room: &mut [u8]) -> Unpacked {
    let mut filled = 0usize;
    while let Some((&head, rest)) = bytes.split_first() {
        let to = room.get_mut(filled..).unwrap_or_default();
        if to.is_empty() {
            break;
        }
        match head {
            0..=127 => {
                let count = usize::from(head).saturating_add(1);
                let (plain, behind) = rest.split_at_checked(count).unwrap_or((rest, &[]));
                let count = plain.len().min(to.len());
                if let (Some(to), Some(plain)) = (to.get_mut(..count), plain.get(..count)) {
                    to.copy_from_slice(plain);
                }
                filled = filled.saturating_add(count);
                bytes = behind;
            }
            128 => bytes = rest,
            _ => {
                let Some((&value, behind)) = rest.split_first() else { break };
                let count = (257usize.saturating_sub(usize::from(head))).min(to.len());
                to.iter_mut().take(count).for_each(|to| *to = value);
                filled = filled.saturating_add(count);
                bytes = behind;
            }
        }
    }
    Unpacked { bytes: filled, fault: None }
}

/// Packs a row as section 9 says: runs of three bytes and more are repeats, each row by itself.
pub(super) fn pack_bits(row: &[u8], out: &mut Vec<u8>) {
    let mut rest = row;
    while let Some(&first) = rest.first() {
        let run = rest.iter().take(128).take_while(|&&b| b == first).count();
        if run >= 3 || run == rest.len() && run >= 2 {
            out.extend([257usize.saturating_sub(run) as u8, first]);
            rest = rest.get(run..).unwrap_or_default();
            continue;
        }
        let most = rest.len().min(128);
        let repeats = |i: usize| match rest.get(i..i.saturating_add(3)) {
            Some(&[a, b, c]) => a == b && b == c,
            _ => false,
        };
        let plain = (1..most).find(|&i| repeats(i)).unwrap_or(most);
        let (head, behind) = rest.split_at_checked(plain).unwrap_or((rest, &[]));
        out.push(plain.saturating_sub(1) as u8);
        out.extend_from_slice(head);
        rest = behind;
    }
}

/// Packs by LZW.
pub(super) fn pack_lzw(bytes: &[u8]) -> Result<Vec<u8>> {
    let packed = weezl::encode::Encoder::with_tiff_size_switch(BitOrder::Msb, 8).encode(bytes);
    packed.map_err(|e| Error::malformed(format!("LZW cannot pack this: {e}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_standards_example_of_packbits_unpacks() {
        // Apple's technical note 1023, which section 9 stands on.
        let packed = [0xfe, 0xaa, 0x02, 0x80, 0x00, 0x2a, 0xfd, 0xaa, 0x03, 0x80, 0x00, 0x2a, 0x22, 0xf7, 0xaa];
        let plain = [
            0xaa, 0xaa, 0xaa, 0x80, 0x00, 0x2a, 0xaa, 0xaa, 0xaa, 0xaa, 0x80, 0x00, 0x2a, 0x22, 0xaa, 0xaa, 0xaa, 0xaa,
            0xaa, 0xaa, 0xaa, 0xaa, 0xaa, 0xaa,
        ];
        let mut room = [0; 24];
        assert_eq!(packbits(&packed, &mut room).bytes, 24);
        assert_eq!(room, plain);
        let mut out = Vec::new();
        pack_bits(&plain, &mut out);
        assert_eq!(out, packed);
    }

    #[test]
    fn runs_of_any_length_come_back() {
        let mut rng = 7u32;
        for length in (0..300).chain([1000, 4000]) {
            let mut row = Vec::new();
            while row.len() < length {
                rng = rng.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let run = [1, 1, 2, 3, 130, 300][(rng >> 16) as usize % 6];
                row.extend(vec![(rng >> 24) as u8; run]);
            }
            row.truncate(length);
            let mut packed = Vec::new();
            pack_bits(&row, &mut packed);
            let mut room = vec![0; length];
            assert_eq!(packbits(&packed, &mut room).bytes, length);
            assert_eq!(room, row);
            let packed = pack_lzw(&row).unwrap();
            let mut room = vec![0; length];
            assert_eq!(lzw(&packed, &mut room).bytes, length);
            assert_eq!(room, row);
        }
    }

    #[test]
    fn lzw_of_before_1988_is_told_by_its_first_code() {
        let plain: Vec<u8> = (0..2000u32).map(|i| (i * i / 7) as u8).collect();
        let old = weezl::encode::Encoder::new(BitOrder::Lsb, 8).encode(&plain).unwrap();
        let turned: Vec<u8> = pack_lzw(&plain).unwrap().iter().map(|b| b.reverse_bits()).collect();
        for (bytes, lowest_first) in [(old, false), (turned, true)] {
            let mut room = vec![0; 2000];
            assert_eq!(unpack(Packing::Lzw, &bytes, lowest_first, 2000, &mut room).bytes, 2000);
            assert_eq!(room, plain);
        }
    }
}
