//! GIF files put together and taken apart after the specification of 1990, by code that shares nothing with the library.

/// A frame: its place, its numbers row by row, and what is said of it.
#[derive(Clone, Default)]
pub struct Frame {
    pub at: (u16, u16),
    pub size: (u16, u16),
    pub indices: Vec<u8>,
    pub palette: Vec<[u8; 3]>,
    pub interlaced: bool,
    pub transparent: Option<u8>,
    pub disposal: u8,
    pub delay: u16,
}

pub struct File {
    pub version: &'static [u8; 6],
    pub screen: (u16, u16),
    pub palette: Vec<[u8; 3]>,
    pub frames: Vec<Frame>,
    pub repeats: Option<u16>,
    pub comment: Option<&'static str>,
}

fn size_bits(colors: usize) -> u8 {
    (0..8).find(|&b| 2usize << b >= colors.max(2)).unwrap()
}

fn put_palette(palette: &[[u8; 3]], out: &mut Vec<u8>) {
    for i in 0..2usize << size_bits(palette.len()) {
        out.extend(palette.get(i).copied().unwrap_or([0; 3]));
    }
}

fn parts(bytes: &[u8], out: &mut Vec<u8>) {
    for part in bytes.chunks(255) {
        out.push(part.len() as u8);
        out.extend(part);
    }
    out.push(0);
}

impl File {
    pub fn bytes(&self) -> Vec<u8> {
        let mut out = self.version.to_vec();
        out.extend(self.screen.0.to_le_bytes());
        out.extend(self.screen.1.to_le_bytes());
        let global = !self.palette.is_empty();
        out.push(if global { 0xf0 | size_bits(self.palette.len()) } else { 0x70 });
        out.extend([0, 0]);
        if global {
            put_palette(&self.palette, &mut out);
        }
        if let Some(repeats) = self.repeats {
            out.extend(b"\x21\xff\x0bNETSCAPE2.0\x03\x01");
            out.extend(repeats.to_le_bytes());
            out.push(0);
        }
        if let Some(text) = self.comment {
            out.extend([0x21, 0xfe]);
            parts(text.as_bytes(), &mut out);
        }
        // An extension that is none of those that are known, to be passed over.
        out.extend([0x21, 0x01, 2, 9, 9, 1, 7, 0]);
        for frame in &self.frames {
            if self.version == b"GIF89a" {
                out.extend([0x21, 0xf9, 4, frame.disposal << 2 | u8::from(frame.transparent.is_some())]);
                out.extend(frame.delay.to_le_bytes());
                out.extend([frame.transparent.unwrap_or(0), 0]);
            }
            out.push(0x2c);
            for v in [frame.at.0, frame.at.1, frame.size.0, frame.size.1] {
                out.extend(v.to_le_bytes());
            }
            let own = !frame.palette.is_empty();
            let bits = if own { 0x80 | size_bits(frame.palette.len()) } else { 0 };
            out.push(bits | if frame.interlaced { 0x40 } else { 0 });
            if own {
                put_palette(&frame.palette, &mut out);
            }
            let colors = if own { frame.palette.len() } else { self.palette.len() };
            let code_bits = (size_bits(colors) + 1).max(2);
            out.push(code_bits);
            let width = usize::from(frame.size.0);
            let mut rows: Vec<&[u8]> = frame.indices.chunks(width).collect();
            if frame.interlaced {
                let all = rows.clone();
                rows.clear();
                for (first, step) in [(0, 8), (4, 8), (2, 4), (1, 2)] {
                    rows.extend(all.iter().skip(first).step_by(step));
                }
            }
            parts(&lzw(&rows.concat(), code_bits), &mut out);
        }
        out.push(0x3b);
        out
    }
}

/// Appendix F: codes of the lowest bits first, lengthened when the next one does not fit.
fn lzw(bytes: &[u8], bits: u8) -> Vec<u8> {
    let clear = 1u32 << bits;
    let mut out: Vec<bool> = Vec::new();
    let mut width = u32::from(bits) + 1;
    let mut table: std::collections::HashMap<Vec<u8>, u32> = Default::default();
    let mut next = clear + 2;
    let put = |code: u32, width: u32, out: &mut Vec<bool>| out.extend((0..width).map(|b| code >> b & 1 == 1));
    put(clear, width, &mut out);
    let mut held: Vec<u8> = Vec::new();
    let code_of = |table: &std::collections::HashMap<Vec<u8>, u32>, s: &[u8]| match s {
        [one] => Some(u32::from(*one)),
        more => table.get(more).copied(),
    };
    for &b in bytes {
        let longer = [held.as_slice(), &[b]].concat();
        if code_of(&table, &longer).is_some() {
            held = longer;
            continue;
        }
        put(code_of(&table, &held).unwrap(), width, &mut out);
        if next < 4096 {
            table.insert(longer, next);
            next += 1;
            if next > 1 << width && width < 12 {
                width += 1;
            }
        } else {
            put(clear, width, &mut out);
            table.clear();
            (next, width) = (clear + 2, u32::from(bits) + 1);
        }
        held = vec![b];
    }
    if !held.is_empty() {
        put(code_of(&table, &held).unwrap(), width, &mut out);
        if next < 4096 {
            next += 1;
            if next > 1 << width && width < 12 {
                width += 1;
            }
        }
    }
    put(clear + 1, width, &mut out);
    out.chunks(8).map(|c| c.iter().enumerate().fold(0, |b, (i, &bit)| b | u8::from(bit) << i)).collect()
}

fn unlzw(bytes: &[u8], bits: u8, count: usize) -> Vec<u8> {
    let clear = 1usize << bits;
    let (mut at, mut width) = (0, usize::from(bits) + 1);
    let mut table: Vec<Vec<u8>> = Vec::new();
    let fresh = || (0..clear + 2).map(|v| vec![v as u8]).collect::<Vec<_>>();
    let (mut out, mut old) = (Vec::new(), None::<usize>);
    loop {
        let code = (0..width).fold(0usize, |c, i| c | usize::from(bytes[(at + i) / 8] >> ((at + i) % 8) & 1) << i);
        at += width;
        if code == clear {
            table = fresh();
            (width, old) = (usize::from(bits) + 1, None);
            continue;
        }
        if code == clear + 1 {
            assert_eq!(out.len(), count);
            return out;
        }
        if let Some(old) = old {
            let mut added = table[old].clone();
            let first = if code < table.len() { table[code][0] } else { added[0] };
            added.push(first);
            if table.len() < 4096 {
                table.push(added);
            }
        }
        out.extend(&table[code]);
        old = Some(code);
        if table.len() == 1 << width && width < 12 {
            width += 1;
        }
    }
}

/// What stands in a file.
pub struct Found {
    pub screen: (u16, u16),
    pub palette: Vec<[u8; 3]>,
    pub frames: Vec<Frame>,
    pub repeats: Option<u16>,
    pub comment: String,
}

pub fn parse(bytes: &[u8]) -> Found {
    assert_eq!(&bytes[..6], b"GIF89a");
    let word = |at: usize| u16::from_le_bytes([bytes[at], bytes[at + 1]]);
    let palette_at = |at: usize, flags: u8| -> Vec<[u8; 3]> {
        (0..2usize << (flags & 7)).map(|i| [bytes[at + 3 * i], bytes[at + 3 * i + 1], bytes[at + 3 * i + 2]]).collect()
    };
    let mut found = Found {
        screen: (word(6), word(8)),
        palette: Vec::new(),
        frames: Vec::new(),
        repeats: None,
        comment: String::new(),
    };
    let mut at = 13;
    if bytes[10] & 0x80 != 0 {
        found.palette = palette_at(at, bytes[10]);
        at += found.palette.len() * 3;
    }
    let data = |at: &mut usize| {
        let mut out: Vec<u8> = Vec::new();
        while bytes[*at] > 0 {
            let length = usize::from(bytes[*at]);
            out.extend(&bytes[*at + 1..][..length]);
            *at += length + 1;
        }
        *at += 1;
        out
    };
    let mut control = Frame::default();
    loop {
        match bytes[at] {
            0x3b => {
                assert_eq!(at + 1, bytes.len());
                return found;
            }
            0x21 => {
                let label = bytes[at + 1];
                at += 2;
                let body = data(&mut at);
                match label {
                    0xf9 => {
                        control.disposal = (body[0] >> 2) & 7;
                        control.delay = u16::from_le_bytes([body[1], body[2]]);
                        control.transparent = (body[0] & 1 == 1).then_some(body[3]);
                    }
                    0xff => {
                        assert_eq!(&body[..12], b"NETSCAPE2.0\x01");
                        found.repeats = Some(u16::from_le_bytes([body[12], body[13]]));
                    }
                    0xfe => found.comment = String::from_utf8(body).unwrap(),
                    other => panic!("extension {other:#x}"),
                }
            }
            0x2c => {
                let mut frame = std::mem::take(&mut control);
                frame.at = (word(at + 1), word(at + 3));
                frame.size = (word(at + 5), word(at + 7));
                let flags = bytes[at + 9];
                assert_eq!(flags & 0x40, 0);
                at += 10;
                if flags & 0x80 != 0 {
                    frame.palette = palette_at(at, flags);
                    at += frame.palette.len() * 3;
                }
                let bits = bytes[at];
                at += 1;
                let packed = data(&mut at);
                frame.indices = unlzw(&packed, bits, usize::from(frame.size.0) * usize::from(frame.size.1));
                found.frames.push(frame);
            }
            other => panic!("block {other:#x} at {at}"),
        }
    }
}
