//! TIFF files put together from the specification: directories, strips and tiles, packing, by code that shares nothing with the library.

use super::{fax, zlib};

/// How strips or tiles are packed, by the code of tag 259.
pub const NONE: u16 = 1;
pub const FAX_ROWS: u16 = 2;
pub const FAX3: u16 = 3;
pub const FAX4: u16 = 4;
pub const LZW: u16 = 5;
pub const JPEG: u16 = 7;
pub const DEFLATE: u16 = 8;
pub const PACK_BITS: u16 = 32_773;

/// One page: samples are the codes or bits of numbers, pixel by pixel.
#[derive(Clone)]
pub struct Page {
    pub size: (usize, usize),
    pub bits: Vec<u16>,
    pub format: u16,
    pub photometric: u16,
    pub extra: Vec<u16>,
    pub planar: bool,
    pub packing: u16,
    pub predictor: u16,
    pub lowest_first: bool,
    /// Pixels of a tile; rows of a strip where there is no width.
    pub chunk: (usize, usize),
    pub samples: Vec<u64>,
    /// Further tags: type, values as bytes in the file's order, one after another of `type`'s size.
    pub tags: Vec<(u16, u16, Vec<u64>)>,
    /// Tags that are left out.
    pub without: Vec<u16>,
    /// Strips or tiles as they are, instead of those of the samples.
    pub chunks: Option<Vec<Vec<u8>>>,
    /// Pages that hang below.
    pub below: Vec<Page>,
}

impl Page {
    /// Pixels of one kind of sample in one strip, not packed.
    pub fn new(size: (usize, usize), bits: u16, channels: usize, photometric: u16, samples: Vec<u64>) -> Page {
        assert_eq!(samples.len(), size.0 * size.1 * channels);
        Page {
            size,
            bits: vec![bits; channels],
            format: 1,
            photometric,
            extra: Vec::new(),
            planar: false,
            packing: NONE,
            predictor: 1,
            lowest_first: false,
            chunk: (0, size.1),
            samples,
            tags: Vec::new(),
            without: Vec::new(),
            chunks: None,
            below: Vec::new(),
        }
    }
}

/// Byte order and width of offsets.
#[derive(Clone, Copy, Debug)]
pub struct Kind {
    pub big_endian: bool,
    pub wide: bool,
}

pub const KINDS: [Kind; 4] = [
    Kind { big_endian: false, wide: false },
    Kind { big_endian: true, wide: false },
    Kind { big_endian: false, wide: true },
    Kind { big_endian: true, wide: true },
];

impl Kind {
    pub fn number(self, value: u64, bytes: usize) -> Vec<u8> {
        let all = value.to_le_bytes();
        let mut out = all[..bytes].to_vec();
        if self.big_endian {
            out.reverse();
        }
        out
    }
}

/// A file of these pages.
pub fn file(kind: Kind, pages: &[Page]) -> Vec<u8> {
    let mut out = if kind.big_endian { b"MM".to_vec() } else { b"II".to_vec() };
    out.extend(kind.number(if kind.wide { 43 } else { 42 }, 2));
    if kind.wide {
        out.extend(kind.number(8, 2));
        out.extend(kind.number(0, 2));
    }
    let mut link = out.len();
    out.extend(vec![0; offset_bytes(kind)]);
    for page in pages {
        let (at, next) = put_page(kind, page, &mut out);
        put_at(kind, &mut out, link, at);
        link = next;
    }
    out
}

fn offset_bytes(kind: Kind) -> usize {
    if kind.wide { 8 } else { 4 }
}

fn put_at(kind: Kind, out: &mut [u8], place: usize, value: usize) {
    let bytes = kind.number(value as u64, offset_bytes(kind));
    out[place..place + bytes.len()].copy_from_slice(&bytes);
}

/// Gives where its directory is, and where that has its link to the next.
fn put_page(kind: Kind, page: &Page, out: &mut Vec<u8>) -> (usize, usize) {
    let below: Vec<u64> = page.below.iter().map(|page| put_page(kind, page, out).0 as u64).collect();
    let chunks = page.chunks.clone().unwrap_or_else(|| chunks(kind, page));
    let (mut offsets, mut counts) = (Vec::new(), Vec::new());
    for chunk in &chunks {
        if out.len() % 2 == 1 {
            out.push(0);
        }
        offsets.push(out.len() as u64);
        counts.push(chunk.len() as u64);
        out.extend(chunk);
    }
    let offset_type = if kind.wide { 16 } else { 4 };
    let words = |values: &[u16]| values.iter().map(|&v| u64::from(v)).collect::<Vec<u64>>();
    let mut tags: Vec<(u16, u16, Vec<u64>)> = vec![
        (256, 4, vec![page.size.0 as u64]),
        (257, 3, vec![page.size.1 as u64]),
        (258, 3, words(&page.bits)),
        (259, 3, vec![page.packing.into()]),
        (262, 3, vec![page.photometric.into()]),
        (277, 3, vec![page.bits.len() as u64]),
        (284, 3, vec![if page.planar { 2 } else { 1 }]),
        (339, 3, vec![page.format.into(); page.bits.len()]),
    ];
    if page.chunk.0 > 0 {
        tags.push((322, 3, vec![page.chunk.0 as u64]));
        tags.push((323, 3, vec![page.chunk.1 as u64]));
        tags.push((324, offset_type, offsets));
        tags.push((325, 4, counts));
    } else {
        tags.push((273, offset_type, offsets));
        tags.push((278, 4, vec![page.chunk.1 as u64]));
        tags.push((279, 4, counts));
    }
    if page.predictor != 1 {
        tags.push((317, 3, vec![page.predictor.into()]));
    }
    if page.lowest_first {
        tags.push((266, 3, vec![2]));
    }
    if !page.extra.is_empty() {
        tags.push((338, 3, words(&page.extra)));
    }
    if !below.is_empty() {
        tags.push((330, if kind.wide { 18 } else { 13 }, below));
    }
    tags.retain(|(tag, ..)| !page.without.contains(tag) && !page.tags.iter().any(|(other, ..)| other == tag));
    tags.extend(page.tags.iter().cloned());
    put_directory(kind, &mut tags, out)
}

/// A directory of tags, whose values come behind it.
pub fn put_directory(kind: Kind, tags: &mut [(u16, u16, Vec<u64>)], out: &mut Vec<u8>) -> (usize, usize) {
    tags.sort_by_key(|(tag, ..)| *tag);
    if out.len() % 2 == 1 {
        out.push(0);
    }
    let at = out.len();
    let (entry, room) = if kind.wide { (20, 8) } else { (12, 4) };
    out.extend(kind.number(tags.len() as u64, if kind.wide { 8 } else { 2 }));
    let entries = out.len();
    out.extend(vec![0; tags.len() * entry]);
    let link = out.len();
    out.extend(vec![0; room]);
    for (i, (tag, kind_of_values, values)) in tags.iter().enumerate() {
        let (size, count) = match kind_of_values {
            1 | 2 | 6 | 7 => (1, values.len()),
            3 | 8 => (2, values.len()),
            4 | 9 | 11 | 13 => (4, values.len()),
            // Fractions: two numbers each.
            5 | 10 => (4, values.len() / 2),
            _ => (8, values.len()),
        };
        let mut bytes: Vec<u8> = values.iter().flat_map(|&v| kind.number(v, size)).collect();
        let mut line = [kind.number((*tag).into(), 2), kind.number((*kind_of_values).into(), 2)].concat();
        line.extend(kind.number(count as u64, room));
        if bytes.len() <= room {
            bytes.resize(room, 0);
            line.extend(bytes);
        } else {
            line.extend(kind.number(out.len() as u64, room));
            out.extend(&bytes);
            if out.len() % 2 == 1 {
                out.push(0);
            }
        }
        out[entries + i * entry..][..entry].copy_from_slice(&line);
    }
    (at, link)
}

/// The strips or tiles of a page, packed.
fn chunks(kind: Kind, page: &Page) -> Vec<Vec<u8>> {
    let (width, height) = page.size;
    let n = page.bits.len();
    let (cw, ch) = if page.chunk.0 > 0 { page.chunk } else { (width, page.chunk.1) };
    let mut out = Vec::new();
    let planes: Vec<Vec<usize>> = if page.planar { (0..n).map(|c| vec![c]).collect() } else { vec![(0..n).collect()] };
    for channels in &planes {
        for top in (0..height).step_by(ch) {
            for left in (0..width).step_by(cw) {
                let rows = if page.chunk.0 > 0 { ch } else { ch.min(height - top) };
                let mut plain = Vec::new();
                let mut lines = Vec::new();
                for y in top..top + rows {
                    let mut row = Vec::new();
                    for x in left..left + cw {
                        for &c in channels {
                            // What lies beyond the picture is something.
                            let inside = x < width && y < height;
                            row.push(if inside { page.samples[(y * width + x) * n + c] } else { 1 });
                        }
                    }
                    let bits: Vec<u16> = channels.iter().map(|&c| page.bits[c]).collect();
                    lines.push(row.iter().map(|&v| v == 1).collect::<Vec<bool>>());
                    plain.extend(row_bytes(kind, page, &bits, row));
                }
                out.push(match page.packing {
                    NONE => plain,
                    PACK_BITS => turned(page, pack_bits(&plain)),
                    LZW => turned(page, lzw(&plain)),
                    DEFLATE | 32_946 => turned(page, zlib(&plain)),
                    FAX_ROWS => turned(page, fax::rows(&lines)),
                    FAX3 => {
                        let two = page.tags.iter().any(|(tag, _, v)| *tag == 292 && v[0] & 1 == 1);
                        let aligned = page.tags.iter().any(|(tag, _, v)| *tag == 292 && v[0] & 4 == 4);
                        turned(page, fax::t4(&lines, two, aligned))
                    }
                    FAX4 => turned(page, fax::t6(&lines)),
                    other => panic!("packing {other}"),
                });
            }
        }
    }
    out
}

fn turned(page: &Page, bytes: Vec<u8>) -> Vec<u8> {
    if page.lowest_first { bytes.iter().map(|b| b.reverse_bits()).collect() } else { bytes }
}

/// A row's samples as bytes, differences taken.
fn row_bytes(kind: Kind, page: &Page, bits: &[u16], mut row: Vec<u64>) -> Vec<u8> {
    let n = bits.len();
    let first = bits[0];
    if page.predictor == 2 {
        for i in (n..row.len()).rev() {
            row[i] = row[i].wrapping_sub(row[i - n]) & (u64::MAX >> (64 - first));
        }
    }
    if bits.iter().all(|&b| b == first) && matches!(first, 8 | 16 | 24 | 32 | 64) {
        let bytes = usize::from(first / 8);
        if page.predictor == 3 {
            let mut out = Vec::new();
            for place in 0..bytes {
                out.extend(row.iter().map(|v| (v >> (8 * (bytes - 1 - place))) as u8));
            }
            for i in (n..out.len()).rev() {
                out[i] = out[i].wrapping_sub(out[i - n]);
            }
            return out;
        }
        return row.iter().flat_map(|&v| kind.number(v, bytes)).collect();
    }
    let mut line = Vec::new();
    for (v, bits) in row.iter().zip(bits.iter().cycle()) {
        line.extend((0..*bits).rev().map(|b| v >> b & 1 == 1));
    }
    let mut out = Vec::new();
    for eight in line.chunks(8) {
        let byte = eight.iter().enumerate().fold(0u8, |byte, (i, &bit)| byte | u8::from(bit) << (7 - i));
        // The order of the pixels in the byte is turned around, not that of the bits of a pixel; of packed pixels that of the packed bytes.
        out.push(if page.lowest_first && page.packing == NONE {
            let b = u32::from(first);
            (0..8 / b).fold(0u8, |to, i| to | (byte >> (8 - b * (i + 1)) & (0xff >> (8 - b))) << (b * i))
        } else {
            byte
        });
    }
    out
}

/// PackBits, the simplest way: runs of two and more are repeats.
fn pack_bits(bytes: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 0;
    while at < bytes.len() {
        let run = bytes[at..].iter().take(128).take_while(|&&b| b == bytes[at]).count();
        if run > 1 {
            out.extend([(257 - run) as u8, bytes[at]]);
        } else {
            out.extend([0, bytes[at]]);
        }
        at += run;
        // An empty run may stand anywhere.
        if at % 5 == 0 {
            out.push(128);
        }
    }
    out
}

/// LZW of section 13, with a list for a table.
pub fn lzw(bytes: &[u8]) -> Vec<u8> {
    let mut bits: Vec<bool> = Vec::new();
    let mut table: std::collections::HashMap<Vec<u8>, u32> = Default::default();
    let mut next = 258;
    let mut width = 9;
    let mut put = |code: u32, width: u32| bits.extend((0..width).rev().map(|b| code >> b & 1 == 1));
    put(256, 9);
    let code_of = |table: &std::collections::HashMap<Vec<u8>, u32>, s: &[u8]| match s {
        [one] => Some(u32::from(*one)),
        more => table.get(more).copied(),
    };
    let mut held: Vec<u8> = Vec::new();
    for &b in bytes {
        let mut longer = held.clone();
        longer.push(b);
        if code_of(&table, &longer).is_some() {
            held = longer;
            continue;
        }
        put(code_of(&table, &held).unwrap(), width);
        table.insert(longer, next);
        next += 1;
        // With the entry 511, 1023 and 2047, says the section.
        width = match next {
            0..512 => 9,
            512..1024 => 10,
            1024..2048 => 11,
            _ => 12,
        };
        if next == 4095 {
            put(256, 12);
            table.clear();
            (next, width) = (258, 9);
        }
        held = vec![b];
    }
    if !held.is_empty() {
        put(code_of(&table, &held).unwrap(), width);
        next += 1;
        width = match next {
            0..512 => 9,
            512..1024 => 10,
            1024..2048 => 11,
            _ => 12,
        };
    }
    put(257, width);
    bits.chunks(8).map(|c| c.iter().enumerate().fold(0, |b, (i, &bit)| b | u8::from(bit) << (7 - i))).collect()
}

/// What stands in a file, read from the specification: little-endian, samples of whole bytes or packed bits.
pub struct Found {
    pub tags: std::collections::BTreeMap<u16, Vec<u64>>,
    pub samples: Vec<u64>,
    pub below: Vec<Found>,
}

impl Found {
    pub fn one(&self, tag: u16) -> Option<u64> {
        self.tags.get(&tag).map(|v| v[0])
    }

    pub fn text(&self, tag: u16) -> String {
        let bytes: Vec<u8> = self.tags[&tag].iter().map(|&v| v as u8).collect();
        assert_eq!(bytes.last(), Some(&0));
        String::from_utf8(bytes[..bytes.len() - 1].to_vec()).unwrap()
    }
}

/// All pages of a little-endian file.
pub fn parse(bytes: &[u8]) -> Vec<Found> {
    assert_eq!(&bytes[..2], b"II");
    let wide = match number(&bytes[2..4]) {
        42 => false,
        43 => true,
        other => panic!("version {other}"),
    };
    let mut at = if wide { number(&bytes[8..16]) } else { number(&bytes[4..8]) } as usize;
    let mut out = Vec::new();
    while at != 0 {
        let (found, next) = parse_directory(bytes, at, wide, true);
        out.push(found);
        at = next;
    }
    out
}

fn number(bytes: &[u8]) -> u64 {
    bytes.iter().rev().fold(0, |n, &b| n << 8 | u64::from(b))
}

/// One directory, and where the next one is.
pub fn parse_directory(bytes: &[u8], at: usize, wide: bool, pixels: bool) -> (Found, usize) {
    assert_eq!(at % 2, 0, "directories begin at even places");
    let (head, entry, room) = if wide { (8, 20, 8) } else { (2, 12, 4) };
    let count = number(&bytes[at..at + head]) as usize;
    let mut tags = std::collections::BTreeMap::new();
    let mut before = 0;
    for i in 0..count {
        let line = &bytes[at + head + i * entry..][..entry];
        let (tag, kind) = (number(&line[..2]) as u16, number(&line[2..4]));
        assert!(tag > before, "tags ascend: {tag} behind {before}");
        before = tag;
        let count = number(&line[4..4 + room]) as usize;
        let size = match kind {
            1 | 2 | 6 | 7 => 1,
            3 | 8 => 2,
            4 | 9 | 11 | 13 => 4,
            5 | 10 | 12 | 16 | 17 | 18 => 8,
            other => panic!("type {other}"),
        };
        let all = size * count;
        let place = &line[4 + room..];
        let value = if all <= room { &place[..all] } else { &bytes[number(place) as usize..][..all] };
        let each = if matches!(kind, 5 | 10) { 4 } else { size };
        tags.insert(tag, value.chunks(each).map(number).collect::<Vec<u64>>());
    }
    let next = number(&bytes[at + head + count * entry..][..room]) as usize;
    let below = tags.get(&330).cloned().unwrap_or_default();
    let below = below.iter().map(|&at| parse_directory(bytes, at as usize, wide, pixels).0).collect();
    let mut found = Found { tags, samples: Vec::new(), below };
    if pixels {
        found.samples = samples(bytes, &found);
    }
    (found, next)
}

fn samples(bytes: &[u8], found: &Found) -> Vec<u64> {
    let one = |tag: u16, default: u64| found.one(tag).unwrap_or(default) as usize;
    let (width, height, n) = (one(256, 0), one(257, 0), one(277, 1));
    let bits = found.tags[&258].clone();
    assert!(bits.len() == n && bits.iter().all(|&b| b == bits[0]));
    let bits = bits[0] as usize;
    assert_eq!(one(284, 1), 1);
    let tiled = found.tags.contains_key(&322);
    let (cw, ch) = if tiled { (one(322, 0), one(323, 0)) } else { (width, one(278, height as u64).min(height)) };
    let (offsets, counts) =
        if tiled { (&found.tags[&324], &found.tags[&325]) } else { (&found.tags[&273], &found.tags[&279]) };
    let (across, down) = (width.div_ceil(cw), height.div_ceil(ch));
    assert_eq!((offsets.len(), counts.len()), (across * down, across * down));
    let mut out = vec![0u64; width * height * n];
    for (i, (&at, &count)) in offsets.iter().zip(counts).enumerate() {
        assert_eq!(at % 2, 0, "strips begin at even places");
        let (left, top) = (i % across * cw, i / across * ch);
        let rows = if tiled { ch } else { ch.min(height - top) };
        let row_bytes = (cw * n * bits).div_ceil(8);
        let packed = &bytes[at as usize..][..count as usize];
        let mut plain = match one(259, 1) {
            1 => packed.to_vec(),
            5 => unlzw(packed),
            8 => {
                let mut out = Vec::new();
                std::io::Read::read_to_end(&mut flate2::read::ZlibDecoder::new(packed), &mut out).unwrap();
                out
            }
            32_773 => unpack_bits(packed),
            other => panic!("packing {other}"),
        };
        assert_eq!(plain.len(), row_bytes * rows, "{i}");
        for (y, row) in plain.chunks_mut(row_bytes).enumerate() {
            let line = row_samples(row, bits, n, cw, one(317, 1));
            for x in 0..cw {
                let (px, py) = (left + x, top + y);
                if px < width && py < height {
                    out[(py * width + px) * n..][..n].copy_from_slice(&line[x * n..][..n]);
                }
            }
        }
    }
    out
}

fn row_samples(row: &mut [u8], bits: usize, n: usize, width: usize, predictor: usize) -> Vec<u64> {
    let bytes = bits / 8;
    if predictor == 3 {
        for i in n..row.len() {
            row[i] = row[i].wrapping_add(row[i - n]);
        }
        let count = width * n;
        return (0..count).map(|i| (0..bytes).fold(0, |v, b| v << 8 | u64::from(row[b * count + i]))).collect();
    }
    let mut out: Vec<u64> = if bits.is_multiple_of(8) {
        row.chunks(bytes).map(number).collect()
    } else {
        let line: Vec<u64> = row.iter().flat_map(|&b| (0..8).rev().map(move |i| u64::from(b >> i & 1))).collect();
        line.chunks_exact(bits).take(width * n).map(|c| c.iter().fold(0, |v, b| v << 1 | b)).collect()
    };
    if predictor == 2 {
        for i in n..out.len() {
            out[i] = out[i].wrapping_add(out[i - n]) & (u64::MAX >> (64 - bits));
        }
    }
    out
}

fn unpack_bits(bytes: &[u8]) -> Vec<u8> {
    let (mut out, mut at) = (Vec::new(), 0);
    while at < bytes.len() {
        match bytes[at] as i8 {
            n @ 0.. => {
                out.extend(&bytes[at + 1..][..n as usize + 1]);
                at += n as usize + 2;
            }
            -128 => at += 1,
            n => {
                out.extend(vec![bytes[at + 1]; 1 + usize::from(n.unsigned_abs())]);
                at += 2;
            }
        }
    }
    out
}

/// The decoding of section 13, word by word.
fn unlzw(bytes: &[u8]) -> Vec<u8> {
    let mut at = 0;
    let mut width = 9;
    let mut table: Vec<Vec<u8>> = Vec::new();
    let fresh = || (0..258u16).map(|v| vec![v as u8]).collect::<Vec<_>>();
    let mut out = Vec::new();
    let mut old: Option<usize> = None;
    loop {
        let code = (0..width).fold(0usize, |c, i| c << 1 | usize::from(bytes[(at + i) / 8] >> (7 - (at + i) % 8) & 1));
        at += width;
        match code {
            257 => return out,
            256 => {
                table = fresh();
                width = 9;
                old = None;
                continue;
            }
            _ => {}
        }
        let entry = match old {
            None => table[code].clone(),
            Some(old) => {
                let mut added = table[old].clone();
                let first = if code < table.len() { table[code][0] } else { added[0] };
                added.push(first);
                table.push(added);
                table[code].clone()
            }
        };
        out.extend(&entry);
        old = Some(code);
        width = match table.len() {
            0..511 => 9,
            511..1023 => 10,
            1023..2047 => 11,
            _ => 12,
        };
    }
}
