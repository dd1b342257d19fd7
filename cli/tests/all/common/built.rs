//! Files that were built to do much with few bytes.

use flate2::{Compression, Crc, write::DeflateEncoder, write::ZlibEncoder};
use std::io::Write;

/// Zeros, and bytes before them, as a zlib stream.
fn packed(start: &[u8], zeros: usize) -> Vec<u8> {
    let mut to = ZlibEncoder::new(Vec::new(), Compression::new(9));
    to.write_all(start).unwrap();
    write_zeros(&mut to, zeros);
    to.finish().unwrap()
}

fn write_zeros(to: &mut impl Write, mut zeros: usize) {
    let block = vec![0; 1 << 20];
    while zeros > 0 {
        let now = zeros.min(block.len());
        to.write_all(&block[..now]).unwrap();
        zeros -= now;
    }
}

pub fn chunk(kind: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let all = [&kind[..], body].concat();
    [&(body.len() as u32).to_be_bytes()[..], &all, &crc32fast::hash(&all).to_be_bytes()].concat()
}

fn header(width: u32, height: u32, interlaced: bool) -> Vec<u8> {
    let body = [&width.to_be_bytes()[..], &height.to_be_bytes(), &[8, 0, 0, 0, interlaced.into()]].concat();
    [&b"\x89PNG\r\n\x1a\n"[..], &chunk(b"IHDR", &body)].concat()
}

/// A gray picture of zeros, with chunks before its pixels.
pub fn png(width: u32, height: u32, before: &[Vec<u8>]) -> Vec<u8> {
    let data = packed(&[], (width as usize + 1) * height as usize);
    [header(width, height, false), before.concat(), chunk(b"IDAT", &data), chunk(b"IEND", &[])].concat()
}

/// The same without a byte of its pixels.
pub fn png_without_pixels(width: u32, height: u32) -> Vec<u8> {
    [header(width, height, false), chunk(b"IDAT", &[])].concat()
}

/// In seven passes; sides are multiples of eight.
pub fn png_interlaced(side: u32) -> Vec<u8> {
    let s = side as usize;
    let passes = [(8, 8), (8, 8), (4, 8), (4, 4), (2, 4), (2, 2), (1, 2)];
    let bytes = passes.iter().map(|(dx, dy)| (s / dx + 1) * (s / dy)).sum();
    [header(side, side, true), chunk(b"IDAT", &packed(&[], bytes)), chunk(b"IEND", &[])].concat()
}

/// An animation of frames as large as the canvas.
pub fn png_animation(frames: u32, side: u32) -> Vec<u8> {
    let data = packed(&[], (side as usize + 1) * side as usize);
    let mut out = [header(side, side, false), chunk(b"acTL", &[frames.to_be_bytes(), [0; 4]].concat())].concat();
    let mut number = 0u32;
    for frame in 0..frames {
        let control: Vec<u8> = [number, side, side, 0, 0].iter().flat_map(|v| v.to_be_bytes()).collect();
        out.extend(chunk(b"fcTL", &[&control[..], &[0, 1, 0, 10, 0, 0]].concat()));
        number += 1;
        if frame == 0 {
            out.extend(chunk(b"IDAT", &data));
        } else {
            out.extend(chunk(b"fdAT", &[&number.to_be_bytes()[..], &data].concat()));
            number += 1;
        }
    }
    [out, chunk(b"IEND", &[])].concat()
}

/// A text of so many letters, packed.
pub fn packed_text(keyword: &str, letters: usize) -> Vec<u8> {
    let mut to = ZlibEncoder::new(Vec::new(), Compression::new(9));
    to.write_all(&vec![b'a'; letters]).unwrap();
    chunk(b"zTXt", &[keyword.as_bytes(), &[0, 0], &to.finish().unwrap()].concat())
}

pub fn profile(bytes: usize) -> Vec<u8> {
    chunk(b"iCCP", &[&b"p\0\0"[..], &packed(&[], bytes)].concat())
}

/// An entry of a directory: tag, type, count, value or place.
pub type Entry = (u16, u16, u32, u32);

/// The entries of a gray picture of 8 bits in one strip.
pub fn gray((width, height): (u32, u32), compression: u32, at: u32, bytes: u32) -> Vec<Entry> {
    vec![
        (256, 4, 1, width),
        (257, 4, 1, height),
        (258, 3, 1, 8),
        (259, 3, 1, compression),
        (262, 3, 1, 1),
        (273, 4, 1, at),
        (278, 4, 1, height),
        (279, 4, 1, bytes),
    ]
}

/// Data from byte 8 on, and directories one behind the other.
pub fn tiff(data: &[u8], directories: impl IntoIterator<Item = Vec<Entry>>) -> Vec<u8> {
    let mut out = [b"II*\0\0\0\0\0", data].concat();
    out.resize(out.len().next_multiple_of(2), 0);
    let mut link = 4;
    for mut entries in directories {
        entries.sort_by_key(|e| e.0);
        let at = out.len() as u32;
        out[link..link + 4].copy_from_slice(&at.to_le_bytes());
        out.extend((entries.len() as u16).to_le_bytes());
        for (tag, kind, count, value) in entries {
            out.extend([tag.to_le_bytes(), kind.to_le_bytes()].concat());
            out.extend([count.to_le_bytes(), value.to_le_bytes()].concat());
        }
        link = out.len();
        out.extend([0; 4]);
    }
    out
}

/// Pages that all have the same strip of zeros.
pub fn tiff_of_one_strip(pages: usize, side: u32) -> Vec<u8> {
    let data = packed(&[], (side * side) as usize);
    let page = gray((side, side), 8, 8, data.len() as u32);
    tiff(&data, vec![page; pages])
}

/// Longs as they lie in a file.
pub fn longs(values: impl IntoIterator<Item = u32>) -> Vec<u8> {
    values.into_iter().flat_map(u32::to_le_bytes).collect()
}

/// An array of bytes of zeros.
fn npy(width: usize, height: usize, columns_first: bool) -> Vec<u8> {
    let order = if columns_first { "True" } else { "False" };
    let mut text = format!("{{'descr': '|u1', 'fortran_order': {order}, 'shape': ({height}, {width}), }}");
    text.push_str(&" ".repeat(63 - (text.len() + 10) % 64));
    text.push('\n');
    [b"\x93NUMPY\x01\0", &(text.len() as u16).to_le_bytes()[..], text.as_bytes()].concat()
}

pub fn npy_of_columns(side: usize) -> Vec<u8> {
    let mut out = npy(side, side, true);
    out.resize(out.len() + side * side, 0);
    out
}

/// An archive whose entries are all the same packed array.
pub fn npz_of_one_array(entries: usize, side: usize) -> Vec<u8> {
    let head = npy(side, side, false);
    let mut to = DeflateEncoder::new(Vec::new(), Compression::new(9));
    to.write_all(&head).unwrap();
    write_zeros(&mut to, side * side);
    let data = to.finish().unwrap();
    let mut crc = Crc::new();
    crc.update(&head);
    (0..side).for_each(|_| crc.update(&vec![0; side]));
    let sizes: Vec<u8> = longs([crc.sum(), data.len() as u32, (head.len() + side * side) as u32]);
    let fixed = [&[20, 0, 0, 0, 8, 0, 0, 0, 0, 0][..], &sizes].concat();
    let name = |n: usize| format!("a{n:05}.npy").into_bytes();
    let mut out = [b"PK\x03\x04", &fixed[..], &[10, 0, 0, 0], &name(0), &data].concat();
    let at = out.len();
    for n in 0..entries {
        out.extend([b"PK\x01\x02\x14\0", &fixed[..], &[10, 0], &[0; 16], &name(n)].concat());
    }
    let (count, bytes) = ((entries as u16).to_le_bytes(), (out.len() - at) as u32);
    [&out[..], b"PK\x05\x06\0\0\0\0", &count, &count, &longs([bytes, at as u32]), &[0, 0]].concat()
}

/// Codes of so many pixels of number 0, in runs that are as long as they can be.
fn codes(mut pixels: usize) -> Vec<u8> {
    let (mut bits, mut have, mut bytes) = (0u64, 0, Vec::new());
    let (mut size, mut next, mut run) = (3u32, 6u32, 1usize);
    let mut put = |code: u32, size: u32| {
        bits |= u64::from(code) << have;
        have += size;
        while have >= 8 {
            bytes.push(bits as u8);
            bits >>= 8;
            have -= 8;
        }
    };
    put(4, size);
    let mut first = true;
    while pixels > 0 {
        let now = run.min(pixels);
        put(if now == 1 { 0 } else { 4 + now as u32 }, size);
        pixels -= now;
        if !std::mem::replace(&mut first, false) && next < 4096 {
            next += 1;
            if next == 1 << size && size < 12 {
                size += 1;
            }
        }
        run = (run + 1).min(4000);
    }
    put(5, size);
    put(0, 8);
    let mut out = vec![2];
    bytes.chunks(255).for_each(|part| out.extend([&[part.len() as u8], part].concat()));
    out.push(0);
    out
}

/// A canvas, and frames of `frame` pixels a side at its corner; each is undone by the way of a number.
pub fn gif(canvas: u16, frame: u16, frames: usize, undone: u8, interlaced: bool) -> Vec<u8> {
    let data = codes(usize::from(frame) * usize::from(frame));
    let size = |v: u16| [v.to_le_bytes(), v.to_le_bytes()].concat();
    let mut out = [b"GIF89a", &size(canvas)[..], &[0x80, 0, 0, 0, 0, 0, 255, 255, 255]].concat();
    for _ in 0..frames {
        out.extend([0x21, 0xf9, 4, undone << 2, 1, 0, 0, 0, 0x2c, 0, 0, 0, 0]);
        out.extend([&size(frame)[..], &[if interlaced { 0x40 } else { 0 }], &data].concat());
    }
    out.push(b';');
    out
}

/// A picture of one pixel and a comment of so many parts of 255 bytes.
pub fn gif_with_comment(parts: usize) -> Vec<u8> {
    let mut out = gif(1, 1, 1, 0, false);
    out.pop();
    out.extend([0x21, 0xfe]);
    let part = [&[255][..], &[b'c'; 255]].concat();
    (0..parts).for_each(|_| out.extend(&part));
    out.extend([0, b';']);
    out
}
