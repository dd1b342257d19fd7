//! Readers of PNG, BMP, TGA and JPEG by the specifications' text, slow and plain: what the library writes is read by them too.

use super::crc;
use std::collections::HashMap;
use std::io::Read;

fn be32(bytes: &[u8]) -> usize {
    u32::from_be_bytes(bytes[..4].try_into().unwrap()) as usize
}

fn be16(bytes: &[u8]) -> usize {
    usize::from(u16::from_be_bytes(bytes[..2].try_into().unwrap()))
}

fn le32(bytes: &[u8]) -> usize {
    u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize
}

fn le16(bytes: &[u8]) -> usize {
    usize::from(u16::from_le_bytes(bytes[..2].try_into().unwrap()))
}

/// A picture: samples as the file has them, `channels` a pixel.
#[derive(Debug, Default, PartialEq)]
pub struct Found {
    pub width: usize,
    pub height: usize,
    pub channels: usize,
    pub samples: Vec<u16>,
    /// Red, green, blue and alpha of each number, where samples are numbers of colours.
    pub palette: Vec<[u8; 4]>,
}

/// A frame of an animation: its control's numbers behind the sequence, and its picture.
pub struct AnimationFrame {
    pub size: (usize, usize),
    pub at: (usize, usize),
    pub delay: (usize, usize),
    pub disposal: u8,
    pub blend: u8,
    pub picture: Found,
}

pub struct PngFile {
    pub bits: u8,
    pub color: u8,
    pub interlaced: bool,
    pub picture: Found,
    /// Frames declared, and plays.
    pub animation: Option<(usize, usize)>,
    pub frames: Vec<AnimationFrame>,
    pub kinds: Vec<String>,
}

/// The pass of each pixel of a block of 8 x 8 (the figure of 8.2).
const ADAM7: [[u8; 8]; 8] = [
    [1, 6, 4, 6, 2, 6, 4, 6],
    [7; 8],
    [5, 6, 5, 6, 5, 6, 5, 6],
    [7; 8],
    [3, 6, 4, 6, 3, 6, 4, 6],
    [7; 8],
    [5, 6, 5, 6, 5, 6, 5, 6],
    [7; 8],
];

pub fn png(bytes: &[u8]) -> PngFile {
    assert_eq!(&bytes[..8], b"\x89PNG\r\n\x1a\n");
    let (mut rest, mut head) = (&bytes[8..], Vec::new());
    let (mut palette, mut alpha, mut data) = (Vec::new(), Vec::new(), Vec::new());
    let (mut animation, mut controls, mut kinds) = (None, Vec::<(Vec<u8>, Vec<u8>)>::new(), Vec::new());
    let mut sequence = 0;
    let mut ordered = |body: &[u8]| {
        assert_eq!(be32(body), sequence, "chunks of frames in order");
        sequence += 1;
    };
    while !rest.is_empty() {
        let length = be32(rest);
        let (kind, body) = (&rest[4..8], &rest[8..8 + length]);
        assert_eq!(crc(&rest[4..8 + length]) as usize, be32(&rest[8 + length..]), "checksum");
        kinds.push(String::from_utf8(kind.to_vec()).unwrap());
        match kind {
            b"IHDR" => head = body.to_vec(),
            b"PLTE" => palette = body.chunks(3).map(|c| [c[0], c[1], c[2], 255]).collect(),
            b"tRNS" => alpha = body.to_vec(),
            b"acTL" => animation = Some((be32(body), be32(&body[4..]))),
            b"fcTL" => {
                ordered(body);
                controls.push((body.to_vec(), Vec::new()));
            }
            b"IDAT" => {
                data.extend_from_slice(body);
                if let [(_, first)] = controls.as_mut_slice() {
                    first.extend_from_slice(body);
                }
            }
            b"fdAT" => {
                ordered(body);
                controls.last_mut().unwrap().1.extend_from_slice(&body[4..]);
            }
            _ => {}
        }
        rest = &rest[12 + length..];
    }
    assert_eq!(kinds.last().unwrap(), "IEND");
    let (width, height) = (be32(&head), be32(&head[4..]));
    let [bits, color, 0, 0, interlace] = head[8..13] else { panic!("{head:?}") };
    let channels = [1, 0, 3, 1, 2, 0, 4][color as usize];
    if color == 3 {
        palette.iter_mut().zip(alpha).for_each(|(c, a)| c[3] = a);
    } else {
        assert!(palette.is_empty());
    }
    let unpack = |data: &[u8], (width, height): (usize, usize)| {
        let samples = png_samples(data, (width, height), (bits, channels), interlace == 1);
        Found { width, height, channels, samples, palette: palette.clone() }
    };
    let frame = |(control, data): &(Vec<u8>, Vec<u8>)| {
        let size = (be32(&control[4..]), be32(&control[8..]));
        AnimationFrame {
            size,
            at: (be32(&control[12..]), be32(&control[16..])),
            delay: (be16(&control[20..]), be16(&control[22..])),
            disposal: control[24],
            blend: control[25],
            picture: unpack(data, size),
        }
    };
    let frames = controls.iter().map(frame).collect();
    PngFile {
        bits,
        color,
        interlaced: interlace == 1,
        picture: unpack(&data, (width, height)),
        animation,
        frames,
        kinds,
    }
}

fn png_samples(
    data: &[u8],
    (width, height): (usize, usize),
    (bits, channels): (u8, usize),
    interlaced: bool,
) -> Vec<u16> {
    let mut raw = Vec::new();
    flate2::read::ZlibDecoder::new(data).read_to_end(&mut raw).unwrap();
    let mut raw = raw.as_slice();
    let step = (channels * bits as usize / 8).max(1);
    let mut samples = vec![0; width * height * channels];
    for pass in 1..=7u8 {
        let is = |x: usize, y: usize| !interlaced || ADAM7[y % 8][x % 8] == pass;
        if !interlaced && pass > 1 {
            break;
        }
        let mut above: Vec<u8> = Vec::new();
        for y in 0..height {
            let columns: Vec<usize> = (0..width).filter(|x| is(*x, y)).collect();
            if columns.is_empty() {
                continue;
            }
            let bytes = (columns.len() * channels * bits as usize).div_ceil(8);
            let (kind, mut row) = (raw[0], raw[1..1 + bytes].to_vec());
            raw = &raw[1 + bytes..];
            above.resize(bytes, 0);
            for i in 0..bytes {
                let a = if i >= step { i32::from(row[i - step]) } else { 0 };
                let b = i32::from(above[i]);
                let c = if i >= step { i32::from(above[i - step]) } else { 0 };
                let nearest = [a, b, c].into_iter().min_by_key(|v| (a + b - c - v).abs()).unwrap();
                row[i] = row[i].wrapping_add([0, a, b, (a + b) >> 1, nearest][kind as usize] as u8);
            }
            let code = |i: usize| match bits {
                16 => be16(&row[2 * i..]) as u16,
                8 => row[i].into(),
                bits => {
                    let at = i * bits as usize;
                    u16::from(row[at / 8] >> (8 - bits as usize - at % 8)) & ((1 << bits) - 1)
                }
            };
            for (i, x) in columns.iter().enumerate() {
                for c in 0..channels {
                    samples[(y * width + x) * channels + c] = code(i * channels + c);
                }
            }
            above = row;
        }
    }
    assert!(raw.is_empty(), "no more than the rows");
    samples
}

pub fn bmp(bytes: &[u8]) -> Found {
    assert_eq!((&bytes[..2], le32(&bytes[2..])), (&b"BM"[..], bytes.len()));
    let (data, header) = (le32(&bytes[10..]), &bytes[14..]);
    let (width, height, bits) = (le32(&header[4..]), le32(&header[8..]), le16(&header[14..]));
    assert_eq!(le16(&header[12..]), 1);
    let colors = le32(&header[32..]);
    let table = &bytes[14 + le32(header)..];
    let palette: Vec<[u8; 4]> = table.chunks(4).take(colors).map(|c| [c[2], c[1], c[0], 255]).collect();
    let line = (width * bits).div_ceil(32) * 4;
    let channels = if bits <= 8 { 1 } else { bits / 8 };
    let mut samples = Vec::new();
    // The lowest row stands first.
    for y in (0..height).rev() {
        let row = &bytes[data + y * line..][..line];
        for x in 0..width {
            match bits {
                24 => samples.extend([2, 1, 0].map(|c| u16::from(row[3 * x + c]))),
                32 => {
                    assert_eq!(le32(&header[16..]), 3);
                    let pixel = le32(&row[4 * x..]) as u32;
                    let masks = [40, 44, 48, 52].map(|at| le32(&header[at..]) as u32);
                    samples.extend(masks.map(|mask| ((pixel & mask) >> mask.trailing_zeros()) as u16));
                }
                bits => {
                    let at = x * bits;
                    samples.push(u16::from(row[at / 8] >> (8 - bits - at % 8)) & ((1 << bits) - 1));
                }
            }
        }
    }
    Found { width, height, channels, samples, palette }
}

pub fn tga(bytes: &[u8]) -> Found {
    let (mapped, kind) = (bytes[1], bytes[2]);
    let (colors, entry) = (le16(&bytes[5..]), usize::from(bytes[7]) / 8);
    let (width, height, bits, how) = (le16(&bytes[12..]), le16(&bytes[14..]), bytes[16], bytes[17]);
    assert_eq!(how & 0x30, 0x20, "the first row is the upper one, from the left");
    let table = &bytes[18 + usize::from(bytes[0])..];
    let palette: Vec<[u8; 4]> = match mapped {
        0 => Vec::new(),
        _ => table.chunks(entry).take(colors).map(|c| [c[2], c[1], c[0], c.get(3).copied().unwrap_or(255)]).collect(),
    };
    let data = &table[if mapped == 1 { colors * entry } else { 0 }..];
    let channels = usize::from(bits) / 8;
    assert!(matches!((kind, channels), (1 | 3, 1) | (2, 3 | 4)));
    let pixel = |p: &[u8]| match *p {
        [v] => vec![v],
        [b, g, r] => vec![r, g, b],
        [b, g, r, a] => vec![r, g, b, a],
        _ => panic!(),
    };
    let samples = data[..width * height * channels].chunks(channels).flat_map(pixel).map(u16::from).collect();
    assert_eq!(&bytes[bytes.len() - 18..], b"TRUEVISION-XFILE.\0");
    Found { width, height, channels, samples, palette }
}

/// A component of a JPEG file: its factors, and samples of whole blocks, not rounded.
pub struct Component {
    pub factors: (usize, usize),
    pub line: usize,
    pub samples: Vec<f64>,
}

pub struct JpegFile {
    pub width: usize,
    pub height: usize,
    pub progressive: bool,
    pub components: Vec<Component>,
}

impl JpegFile {
    /// A sample of a component at a pixel, the nearest one.
    pub fn at(&self, c: usize, x: usize, y: usize) -> f64 {
        let most = |f: &dyn Fn(&Component) -> usize| self.components.iter().map(f).max().unwrap();
        let (h, v) = (most(&|c| c.factors.0), most(&|c| c.factors.1));
        let one = &self.components[c];
        one.samples[y * one.factors.1 / v * one.line + x * one.factors.0 / h]
    }

    /// A pixel's colours: red, green and blue of three components (JFIF 1.02), gray of one.
    pub fn pixel(&self, x: usize, y: usize) -> Vec<f64> {
        let at = |c| self.at(c, x, y);
        match self.components.len() {
            3 => {
                let (y, cb, cr) = (at(0), at(1) - 128.0, at(2) - 128.0);
                vec![y + 1.402 * cr, y - 0.344_136_286 * cb - 0.714_136_286 * cr, y + 1.772 * cb]
            }
            count => (0..count).map(at).collect(),
        }
    }
}

struct Bits<'a> {
    bytes: &'a [u8],
    at: usize,
    bit: u32,
}

impl Bits<'_> {
    fn next(&mut self) -> u32 {
        let bit = self.bytes[self.at] >> (7 - self.bit) & 1;
        self.bit += 1;
        if self.bit == 8 {
            (self.at, self.bit) = (self.at + 1, 0);
        }
        bit.into()
    }

    fn take(&mut self, count: u32) -> i32 {
        (0..count).fold(0, |n, _| n << 1 | self.next() as i32)
    }

    /// A number of so many bits, extended (F.2.2.1).
    fn number(&mut self, size: u32) -> i32 {
        let v = self.take(size);
        if size > 0 && v < 1 << (size - 1) { v - (1 << size) + 1 } else { v }
    }

    fn symbol(&mut self, codes: &HashMap<(u32, u32), u8>) -> u8 {
        let (mut code, mut length) = (0, 0);
        loop {
            code = code << 1 | self.next();
            length += 1;
            assert!(length <= 16, "a code that stands for nothing");
            if let Some(symbol) = codes.get(&(length, code)) {
                return *symbol;
            }
        }
    }
}

type Tables = HashMap<(u8, u8), HashMap<(u32, u32), u8>>;

struct Scan {
    components: Vec<(usize, u8, u8)>,
    spectrum: (usize, usize),
    bits: (u32, u32),
}

pub fn jpeg(bytes: &[u8]) -> JpegFile {
    assert_eq!(&bytes[..2], [0xff, 0xd8]);
    let mut at = 2;
    let (mut quantisers, mut tables) = (HashMap::new(), Tables::new());
    let (mut size, mut progressive, mut restart) = ((0, 0), false, 0);
    // Identity, factors and quantiser; blocks of coefficients in zigzag order, and how many blocks a line has.
    let mut parts: Vec<(u8, (usize, usize), u8)> = Vec::new();
    let mut blocks: Vec<(usize, usize, Vec<[i32; 64]>)> = Vec::new();
    loop {
        assert_eq!(bytes[at], 0xff);
        let marker = bytes[at + 1];
        at += 2;
        if marker == 0xd9 {
            break;
        }
        let length = be16(&bytes[at..]);
        let mut body = &bytes[at + 2..at + length];
        at += length;
        match marker {
            0xdb => {
                while let [kind, rest @ ..] = body {
                    assert_eq!(kind >> 4, 0);
                    quantisers.insert(kind & 15, rest[..64].to_vec());
                    body = &rest[64..];
                }
            }
            0xc4 => {
                while let [kind, rest @ ..] = body {
                    let (mut codes, mut code, mut symbols) = (HashMap::new(), 0u32, &rest[16..]);
                    for (length, count) in (1u32..).zip(&rest[..16]) {
                        for _ in 0..*count {
                            codes.insert((length, code), symbols[0]);
                            (code, symbols) = (code + 1, &symbols[1..]);
                        }
                        code <<= 1;
                    }
                    tables.insert((kind >> 4, kind & 15), codes);
                    body = symbols;
                }
            }
            0xc0 | 0xc2 => {
                progressive = marker == 0xc2;
                assert_eq!(body[0], 8);
                size = (be16(&body[3..]), be16(&body[1..]));
                parts = body[6..]
                    .chunks(3)
                    .map(|c| (c[0], (usize::from(c[1] >> 4), usize::from(c[1] & 15)), c[2]))
                    .collect();
                let (h, v) = most(&parts);
                let mcus = (size.0.div_ceil(8 * h), size.1.div_ceil(8 * v));
                let all = |(_, (h, v), _): &(u8, (usize, usize), u8)| {
                    (mcus.0 * h, mcus.1 * v, vec![[0; 64]; mcus.0 * h * mcus.1 * v])
                };
                blocks = parts.iter().map(all).collect();
            }
            0xdd => restart = be16(body),
            0xda => {
                let count = usize::from(body[0]);
                let of = |c: &[u8]| (parts.iter().position(|p| p.0 == c[0]).unwrap(), c[1] >> 4, c[1] & 15);
                let components = body[1..1 + 2 * count].chunks(2).map(of).collect();
                let end = &body[1 + 2 * count..];
                let scan = Scan {
                    components,
                    spectrum: (end[0].into(), end[1].into()),
                    bits: (u32::from(end[2] >> 4), u32::from(end[2] & 15)),
                };
                at += run_scan(&bytes[at..], &scan, &tables, (size, &parts, restart, progressive), &mut blocks);
            }
            _ => assert!((0xe0..=0xfe).contains(&marker), "{marker:x}"),
        }
    }
    let components = parts.iter().zip(&blocks).map(|((_, factors, q), (across, down, all))| {
        let quantiser: &Vec<u8> = &quantisers[q];
        let (line, mut samples) = (across * 8, vec![0.0; across * 8 * down * 8]);
        for (i, block) in all.iter().enumerate() {
            let pixels = inverse(block, quantiser);
            for (k, v) in pixels.iter().enumerate() {
                samples[(i / across * 8 + k / 8) * line + i % across * 8 + k % 8] = *v;
            }
        }
        Component { factors: *factors, line, samples }
    });
    JpegFile { width: size.0, height: size.1, progressive, components: components.collect() }
}

fn most(parts: &[(u8, (usize, usize), u8)]) -> (usize, usize) {
    (parts.iter().map(|p| p.1.0).max().unwrap(), parts.iter().map(|p| p.1.1).max().unwrap())
}

/// A block's samples by the formula of A.3.3, moved by 128 and kept within 0 to 255.
fn inverse(block: &[i32; 64], quantiser: &[u8]) -> [f64; 64] {
    let mut rows = [0.0; 64];
    for ((u, v), (c, q)) in super::jpeg::zigzag().into_iter().zip(block.iter().zip(quantiser)) {
        rows[8 * v + u] = f64::from(c * i32::from(*q));
    }
    let part = |x: usize, u: usize| {
        let scale = if u == 0 { 0.5f64.sqrt() } else { 1.0 };
        scale / 2.0 * ((2 * x + 1) as f64 * u as f64 * std::f64::consts::PI / 16.0).cos()
    };
    std::array::from_fn(|k| {
        let (y, x) = (k / 8, k % 8);
        let sum: f64 = (0..64).map(|i| rows[i] * part(y, i / 8) * part(x, i % 8)).sum();
        (sum + 128.0).clamp(0.0, 255.0)
    })
}

type Shape<'a> = ((usize, usize), &'a [(u8, (usize, usize), u8)], usize, bool);

/// Decodes a scan (F.2, G.2); gives how many bytes it takes.
fn run_scan(
    bytes: &[u8],
    scan: &Scan,
    tables: &Tables,
    (size, parts, restart, progressive): Shape<'_>,
    blocks: &mut [(usize, usize, Vec<[i32; 64]>)],
) -> usize {
    // Intervals between restart marks, stuffed bytes taken out.
    let (mut intervals, mut end) = (vec![Vec::new()], 0);
    loop {
        match (bytes[end], bytes.get(end + 1)) {
            (0xff, Some(0)) => {
                intervals.last_mut().unwrap().push(0xff);
                end += 2;
            }
            (0xff, Some(0xd0..=0xd7)) => {
                intervals.push(Vec::new());
                end += 2;
            }
            (0xff, _) => break,
            (v, _) => {
                intervals.last_mut().unwrap().push(v);
                end += 1;
            }
        }
    }
    let (h, v) = most(parts);
    // The blocks of each unit, in the order of the scan.
    let mut units: Vec<Vec<(usize, usize)>> = Vec::new();
    if let [(c, ..)] = scan.components[..] {
        let (ch, cv) = parts[c].1;
        let (across, down) = ((size.0 * ch).div_ceil(8 * h), (size.1 * cv).div_ceil(8 * v));
        units.extend((0..across * down).map(|i| vec![(0, i / across * blocks[c].0 + i % across)]));
    } else {
        let (across, down) = (size.0.div_ceil(8 * h), size.1.div_ceil(8 * v));
        for mcu in 0..across * down {
            let mut unit = Vec::new();
            for (n, (c, ..)) in scan.components.iter().enumerate() {
                let (ch, cv) = parts[*c].1;
                for i in 0..ch * cv {
                    let (y, x) = (mcu / across * cv + i / ch, mcu % across * ch + i % ch);
                    unit.push((n, y * blocks[*c].0 + x));
                }
            }
            units.push(unit);
        }
    }
    let each = if restart > 0 { restart } else { units.len() };
    assert_eq!(units.len().div_ceil(each), intervals.len());
    for (units, mut interval) in units.chunks(each).zip(intervals) {
        // The last byte is filled with ones, and more are never wanted.
        interval.extend([0xff; 8]);
        let mut bits = Bits { bytes: &interval, at: 0, bit: 0 };
        let (mut means, mut ends) = (vec![0; scan.components.len()], 0u32);
        for (n, place) in units.iter().flatten() {
            let (c, dc, ac) = scan.components[*n];
            let block = &mut blocks[c].2[*place];
            decode_block(&mut bits, block, (scan, progressive), tables, (dc, ac), &mut means[*n], &mut ends);
        }
        assert!(interval.len() - bits.at >= 8, "no more bits than there are");
    }
    end
}

fn decode_block(
    bits: &mut Bits<'_>,
    block: &mut [i32; 64],
    (scan, progressive): (&Scan, bool),
    tables: &Tables,
    (dc, ac): (u8, u8),
    mean: &mut i32,
    ends: &mut u32,
) {
    let (first, last) = scan.spectrum;
    let (high, low) = scan.bits;
    let mut k = first;
    if first == 0 {
        match high {
            0 => {
                let size = bits.symbol(&tables[&(0, dc)]);
                *mean += bits.number(size.into());
                block[0] = *mean << low;
            }
            _ => block[0] |= bits.take(1) << low,
        }
        k = 1;
    }
    if last == 0 {
        return;
    }
    let codes = &tables[&(1, ac)];
    let correct = |v: &mut i32, bits: &mut Bits<'_>| {
        if bits.take(1) == 1 && *v & (1 << low) == 0 {
            *v += v.signum() << low;
        }
    };
    if *ends > 0 {
        *ends -= 1;
        if high > 0 {
            block[k..=last].iter_mut().filter(|v| **v != 0).for_each(|v| correct(v, bits));
        }
        return;
    }
    while k <= last {
        let symbol = bits.symbol(codes);
        let (mut run, size) = (usize::from(symbol >> 4), u32::from(symbol & 15));
        if size == 0 && run < 15 {
            if !progressive {
                return;
            }
            *ends = (1 << run) - 1 + bits.take(run as u32) as u32;
            if high > 0 {
                block[k..=last].iter_mut().filter(|v| **v != 0).for_each(|v| correct(v, bits));
            }
            return;
        }
        if high == 0 {
            k += run;
            if size > 0 {
                block[k] = bits.number(size) << low;
            }
            k += 1;
            continue;
        }
        let new = if size > 0 { if bits.take(1) == 1 { 1 << low } else { -1 << low } } else { 0 };
        loop {
            if block[k] != 0 {
                correct(&mut block[k], bits);
            } else if run == 0 {
                block[k] = new;
                k += 1;
                break;
            } else {
                run -= 1;
            }
            k += 1;
            if k > last {
                break;
            }
        }
    }
}
