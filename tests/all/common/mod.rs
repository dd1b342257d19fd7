//! What several tests share. Nothing here uses the library's own codecs: files are put together byte by byte.
#![allow(dead_code, unreachable_pub)]

pub mod corpus;
pub mod fax;
pub mod gif;
pub mod jpeg;
pub mod readers;
pub mod resizing;
#[path = "../../../fuzz/src/structure/mod.rs"]
pub mod structure;
pub mod tiff;

use std::io::Write;

/// CRC-32 of ISO/IEC 15948 annex D, bit by bit.
pub fn crc(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(!0u32, |crc, &b| {
        (0..8).fold(crc ^ u32::from(b), |c, _| if c & 1 == 1 { 0xedb8_8320 ^ (c >> 1) } else { c >> 1 })
    })
}

pub fn chunk(kind: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut out = (body.len() as u32).to_be_bytes().to_vec();
    out.extend(kind);
    out.extend(body);
    out.extend(crc(&out[4..]).to_be_bytes());
    out
}

pub fn zlib(bytes: &[u8]) -> Vec<u8> {
    let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::new(6));
    packer.write_all(bytes).unwrap();
    packer.finish().unwrap()
}

/// A row filtered as the standard's formulas say, one byte at a time.
fn filtered(kind: u8, row: &[u8], above: &[u8], step: usize) -> Vec<u8> {
    let predict = |i: usize| -> u8 {
        let a = if i >= step { i32::from(row[i - step]) } else { 0 };
        let b = i32::from(above[i]);
        let c = if i >= step { i32::from(above[i - step]) } else { 0 };
        (match kind {
            0 => 0,
            1 => a,
            2 => b,
            3 => (a + b) / 2,
            _ => {
                let p = a + b - c;
                let (pa, pb, pc) = ((p - a).abs(), (p - b).abs(), (p - c).abs());
                if pa <= pb && pa <= pc {
                    a
                } else if pb <= pc {
                    b
                } else {
                    c
                }
            }
        }) as u8
    };
    row.iter().enumerate().map(|(i, v)| v.wrapping_sub(predict(i))).collect()
}

/// A PNG file: IHDR, further chunks, the rows with the filter that `filter` names for each, cut into IDAT chunks of
/// `cut` bytes.
pub struct Png<'a> {
    pub width: u32,
    pub height: u32,
    pub bits: u8,
    pub color: u8,
    pub rows: &'a [u8],
    pub filter: &'a dyn Fn(usize) -> u8,
    pub cut: usize,
    pub chunks: Vec<Vec<u8>>,
}

/// First column and row and the steps between them of the seven passes, as table 8 of the standard has them.
const PASSES: [(usize, usize, usize, usize); 7] =
    [(0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2)];

/// A PNG file from samples that are codes of `bits` bits, `channels` a pixel; interlaced or not.
#[allow(clippy::too_many_arguments)]
pub fn png_of_samples(
    (width, height): (usize, usize),
    (color, bits): (u8, u8),
    samples: &[u16],
    interlaced: bool,
    filter: &dyn Fn(usize) -> u8,
    chunks: &[Vec<u8>],
) -> Vec<u8> {
    let channels = [1, 0, 3, 1, 2, 0, 4][color as usize];
    let step = (channels * bits as usize / 8).max(1);
    let pack = |codes: &[u16]| -> Vec<u8> {
        let digits: String = codes.iter().map(|c| format!("{c:0>width$b}", width = bits as usize)).collect();
        digits
            .as_bytes()
            .chunks(8)
            .map(|b| u8::from_str_radix(&format!("{:0<8}", std::str::from_utf8(b).unwrap()), 2).unwrap())
            .collect()
    };
    let whole = [(0, 0, 1, 1)];
    let mut raw = Vec::new();
    for &(x0, y0, dx, dy) in if interlaced { &PASSES[..] } else { &whole[..] } {
        let mut above: Option<Vec<u8>> = None;
        for (i, y) in (y0..height).step_by(dy).enumerate() {
            let pixels = (x0..width).step_by(dx).map(|x| &samples[(y * width + x) * channels..][..channels]);
            let row = pack(&pixels.flatten().copied().collect::<Vec<_>>());
            if row.is_empty() {
                continue;
            }
            raw.push(filter(i));
            raw.extend(filtered(filter(i), &row, &above.unwrap_or(vec![0; row.len()]), step));
            above = Some(row);
        }
    }
    let mut head = [(width as u32).to_be_bytes(), (height as u32).to_be_bytes()].concat();
    head.extend([bits, color, 0, 0, u8::from(interlaced)]);
    let mut out = [b"\x89PNG\r\n\x1a\n".to_vec(), chunk(b"IHDR", &head)].concat();
    chunks.iter().for_each(|c| out.extend(c));
    zlib(&raw).chunks(100).for_each(|part| out.extend(chunk(b"IDAT", part)));
    out.extend(chunk(b"IEND", &[]));
    out
}

impl Png<'_> {
    pub fn file(&self) -> Vec<u8> {
        let channels = [1, 0, 3, 1, 2, 0, 4][self.color as usize];
        let step = (channels * self.bits as usize / 8).max(1);
        let row_bytes = (self.width as usize * channels * self.bits as usize).div_ceil(8);
        let mut raw = Vec::new();
        let zeros = vec![0; row_bytes];
        let mut above = zeros.as_slice();
        for (y, row) in self.rows.chunks_exact(row_bytes).enumerate() {
            let kind = (self.filter)(y);
            raw.push(kind);
            raw.extend(filtered(kind, row, above, step));
            above = row;
        }
        let mut out = b"\x89PNG\r\n\x1a\n".to_vec();
        let mut head = [self.width.to_be_bytes(), self.height.to_be_bytes()].concat();
        head.extend([self.bits, self.color, 0, 0, 0]);
        out.extend(chunk(b"IHDR", &head));
        self.chunks.iter().for_each(|c| out.extend(c));
        zlib(&raw).chunks(self.cut).for_each(|part| out.extend(chunk(b"IDAT", part)));
        out.extend(chunk(b"IEND", &[]));
        out
    }
}

/// Bytes that look like noise but are the same every time.
pub fn noise(count: usize, seed: u32) -> Vec<u8> {
    let mut state = seed.wrapping_mul(2_654_435_761) | 1;
    (0..count)
        .map(|_| {
            state ^= state << 13;
            state ^= state >> 17;
            state ^= state << 5;
            (state >> 11) as u8
        })
        .collect()
}

/// A stream that gives its bytes a few at a time.
pub struct Dribble {
    pub bytes: Vec<u8>,
    pub at: usize,
    pub each: usize,
}

impl std::io::Read for Dribble {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        let count = self.each.min(out.len()).min(self.bytes.len() - self.at);
        out[..count].copy_from_slice(&self.bytes[self.at..self.at + count]);
        self.at += count;
        Ok(count)
    }
}
