//! Writing JPEG for tests, from the text of ITU-T T.81 alone: slow, in floats, every structure of scans there is.

use super::noise;

/// The order of coefficients, figure 5, worked out by walking the diagonals.
pub fn zigzag() -> Vec<(usize, usize)> {
    let mut all: Vec<(usize, usize)> = (0..64).map(|i| (i % 8, i / 8)).collect();
    all.sort_by_key(|&(x, y)| (x + y, if (x + y) % 2 == 0 { x } else { y }));
    all
}

/// One component: sampling factors, samples at its own size.
#[derive(Clone)]
pub struct Plane {
    pub h: usize,
    pub v: usize,
    pub width: usize,
    pub height: usize,
    pub samples: Vec<f64>,
}

/// One scan: its components, its band, its bits.
#[derive(Clone, Debug)]
pub struct Scan {
    pub components: Vec<usize>,
    pub band: (usize, usize),
    pub high: u32,
    pub low: u32,
}

pub struct Jpeg {
    pub width: usize,
    pub height: usize,
    pub bits: u32,
    /// The marker of the frame: 0xc0, 0xc1, 0xc2.
    pub frame: u8,
    pub planes: Vec<Plane>,
    pub ids: Vec<u8>,
    pub step: u16,
    pub wide_quantiser: bool,
    pub interval: usize,
    pub scans: Vec<Scan>,
    /// Whether codes are of very different lengths.
    pub skewed: bool,
    /// Segments behind the start mark.
    pub segments: Vec<u8>,
    /// The height is said behind the first scan.
    pub late_height: bool,
}

pub fn segment(marker: u8, body: &[u8]) -> Vec<u8> {
    [&[0xff, marker], &((body.len() + 2) as u16).to_be_bytes()[..], body].concat()
}

/// Soft samples with a little noise, within the range of `bits`.
pub fn plane(width: usize, height: usize, (h, v): (usize, usize), bits: u32, seed: u32) -> Plane {
    let full = f64::from((1u32 << bits) - 1);
    let random = noise(width * height, seed);
    let samples = (0..width * height).map(|i| {
        let (x, y) = ((i % width) as f64, (i / width) as f64);
        let soft = 0.5 + 0.3 * (x / 9.0 + f64::from(seed)).sin() + 0.15 * (y / 7.0).cos();
        ((soft + (f64::from(random[i]) - 128.0) / 2000.0) * full).round().clamp(0.0, full)
    });
    Plane { h, v, width, height, samples: samples.collect() }
}

/// The planes of a picture, each with its sampling factors.
pub fn planes(width: usize, height: usize, factors: &[(usize, usize)], bits: u32) -> Vec<Plane> {
    let (most_h, most_v) = (factors.iter().map(|f| f.0).max().unwrap(), factors.iter().map(|f| f.1).max().unwrap());
    let size = |(h, v): (usize, usize)| ((width * h).div_ceil(most_h), (height * v).div_ceil(most_v));
    (1u32..).zip(factors).map(|(seed, &f)| plane(size(f).0, size(f).1, f, bits, seed)).collect()
}

struct Bits {
    out: Vec<u8>,
    word: u64,
    count: u32,
}

impl Bits {
    fn put(&mut self, value: u32, count: u32) {
        for i in (0..count).rev() {
            self.word = self.word << 1 | u64::from(value >> i & 1);
            self.count += 1;
            if self.count == 8 {
                self.out.push(self.word as u8);
                if self.word as u8 == 0xff {
                    self.out.push(0);
                }
                (self.word, self.count) = (0, 0);
            }
        }
    }

    fn align(&mut self) {
        while self.count != 0 {
            self.put(1, 1);
        }
    }
}

/// Counts of lengths and symbols of a table that holds every symbol.
fn table(skewed: bool) -> (Vec<u8>, Vec<u8>) {
    let mut counts = vec![0u8; 16];
    match skewed {
        // Seven codes of 2 to 8 bits, the others of 16.
        true => {
            counts[1..8].fill(1);
            counts[15] = 249;
        }
        // 256 codes of 9 bits are more than a count can say: one has 8.
        false => {
            counts[7] = 1;
            counts[8] = 255;
        }
    }
    // The usual ones first.
    let mut symbols: Vec<u8> = vec![0x00, 0x01, 0x02, 0x11, 0x03, 0xf0, 0x21];
    symbols.extend((0..=255u8).filter(|s| ![0x00, 0x01, 0x02, 0x11, 0x03, 0xf0, 0x21].contains(s)));
    (counts, symbols)
}

fn codes((counts, symbols): &(Vec<u8>, Vec<u8>)) -> Vec<(u32, u32)> {
    let mut all = vec![(0, 0); 256];
    let (mut code, mut at) = (0u32, 0);
    for (length, &count) in counts.iter().enumerate() {
        for _ in 0..count {
            all[symbols[at] as usize] = (code, length as u32 + 1);
            (code, at) = (code + 1, at + 1);
        }
        code <<= 1;
    }
    all
}

fn size_of_number(v: i32) -> u32 {
    32 - v.unsigned_abs().leading_zeros()
}

fn put_number(bits: &mut Bits, v: i32) {
    let size = size_of_number(v);
    bits.put(if v < 0 { (v - 1) as u32 & ((1 << size) - 1) } else { v as u32 }, size);
}

/// A plane's blocks, padded to whole MCUs, each as quantised coefficients in zigzag order.
pub struct Blocks {
    pub across: usize,
    pub own: (usize, usize),
    pub blocks: Vec<[i32; 64]>,
}

impl Jpeg {
    pub fn mcus(&self) -> (usize, usize) {
        let h = self.planes.iter().map(|p| p.h).max().unwrap();
        let v = self.planes.iter().map(|p| p.v).max().unwrap();
        (self.width.div_ceil(8 * h), self.height.div_ceil(8 * v))
    }

    /// The transform A.3.3 and the quantiser, in floats.
    pub fn blocks(&self) -> Vec<Blocks> {
        let (mx, my) = self.mcus();
        let order = zigzag();
        let cosine: Vec<f64> = (0..64)
            .map(|i| {
                let (k, x) = (i / 8, i % 8);
                let c = if k == 0 { 0.5f64.sqrt() } else { 1.0 };
                c / 2.0 * ((2 * x + 1) as f64 * k as f64 * std::f64::consts::PI / 16.0).cos()
            })
            .collect();
        let middle = f64::from(1u32 << (self.bits - 1));
        let each = |p: &Plane| {
            let (across, down) = (mx * p.h, my * p.v);
            let at = |x: usize, y: usize| p.samples[y.min(p.height - 1) * p.width + x.min(p.width - 1)] - middle;
            let block = |bx: usize, by: usize| {
                let mut rows = [0.0; 64];
                for (y, u) in (0..8).flat_map(|y| (0..8).map(move |u| (y, u))) {
                    rows[8 * y + u] = (0..8).map(|x| at(8 * bx + x, 8 * by + y) * cosine[8 * u + x]).sum();
                }
                std::array::from_fn(|i| {
                    let (u, v) = order[i];
                    let f: f64 = (0..8).map(|y| rows[8 * y + u] * cosine[8 * v + y]).sum();
                    (f / f64::from(self.step)).round() as i32
                })
            };
            let blocks = (0..across * down).map(|i| block(i % across, i / across)).collect();
            Blocks { across, own: (p.width.div_ceil(8), p.height.div_ceil(8)), blocks }
        };
        self.planes.iter().map(each).collect()
    }

    /// The samples that a decoder gets back of each plane, in floats and not rounded.
    pub fn decoded(&self) -> Vec<Vec<f64>> {
        let order = zigzag();
        let middle = f64::from(1u32 << (self.bits - 1));
        let cosine = |x: usize, k: usize| {
            let c = if k == 0 { 0.5f64.sqrt() } else { 1.0 };
            c / 2.0 * ((2 * x + 1) as f64 * k as f64 * std::f64::consts::PI / 16.0).cos()
        };
        let table: Vec<f64> = (0..64).map(|i| cosine(i % 8, i / 8)).collect();
        let each = |(p, b): (&Plane, Blocks)| {
            let done: Vec<[f64; 64]> = b
                .blocks
                .iter()
                .map(|block| {
                    let mut rows = [0.0; 64];
                    for (i, &v) in block.iter().enumerate() {
                        let (u, vv) = order[i];
                        let f = f64::from(v) * f64::from(self.step);
                        (0..8).for_each(|x| rows[8 * vv + x] += f * table[8 * u + x]);
                    }
                    std::array::from_fn(|i| {
                        (0..8).map(|v| rows[8 * v + i % 8] * table[8 * v + i / 8]).sum::<f64>() + middle
                    })
                })
                .collect();
            let sample = |x: usize, y: usize| done[y / 8 * b.across + x / 8][y % 8 * 8 + x % 8];
            (0..p.width * p.height).map(|i| sample(i % p.width, i / p.width)).collect()
        };
        self.planes.iter().zip(self.blocks()).map(each).collect()
    }

    pub fn file(&self) -> Vec<u8> {
        let mut out = vec![0xff, 0xd8];
        out.extend(&self.segments);
        let mut body = vec![if self.wide_quantiser { 0x10 } else { 0 }];
        (0..64).for_each(|_| match self.wide_quantiser {
            true => body.extend(self.step.to_be_bytes()),
            false => body.push(self.step as u8),
        });
        out.extend(segment(0xdb, &body));
        let height = if self.late_height { 0 } else { self.height };
        let mut body = vec![self.bits as u8];
        body.extend((height as u16).to_be_bytes());
        body.extend((self.width as u16).to_be_bytes());
        body.push(self.planes.len() as u8);
        for (id, p) in self.ids.iter().zip(&self.planes) {
            body.extend([*id, (p.h << 4 | p.v) as u8, 0]);
        }
        out.extend(segment(self.frame, &body));
        let table = table(self.skewed);
        let both: Vec<u8> = [0u8, 0x10].iter().flat_map(|kind| [&[*kind][..], &table.0, &table.1].concat()).collect();
        out.extend(segment(0xc4, &both));
        if self.interval > 0 {
            out.extend(segment(0xdd, &(self.interval as u16).to_be_bytes()));
        }
        let blocks = self.blocks();
        let codes = codes(&table);
        for (i, scan) in self.scans.iter().enumerate() {
            let mut body = vec![scan.components.len() as u8];
            scan.components.iter().for_each(|&c| body.extend([self.ids[c], 0]));
            body.extend([scan.band.0 as u8, scan.band.1 as u8, (scan.high << 4 | scan.low) as u8]);
            // Bytes of 0xff before a marker are allowed.
            out.extend([0xff, 0xff]);
            out.extend(segment(0xda, &body));
            out.extend(self.entropy(scan, &blocks, &codes));
            if i == 0 && self.late_height {
                out.extend(segment(0xdc, &(self.height as u16).to_be_bytes()));
            }
        }
        out.extend([0xff, 0xd9]);
        out
    }

    fn entropy(&self, scan: &Scan, all: &[Blocks], codes: &[(u32, u32)]) -> Vec<u8> {
        let mut bits = Bits { out: Vec::new(), word: 0, count: 0 };
        let single = scan.components.len() == 1;
        let (across, down) = match single {
            true => all[scan.components[0]].own,
            false => self.mcus(),
        };
        let mut means = vec![0i32; self.planes.len()];
        let mut ended = Ended::default();
        for mcu in 0..across * down {
            if self.interval > 0 && mcu > 0 && mcu % self.interval == 0 {
                ended.flush(&mut bits, codes);
                bits.align();
                bits.out.extend([0xff, 0xd0 + ((mcu / self.interval - 1) % 8) as u8]);
                means.fill(0);
            }
            for &c in &scan.components {
                let (h, v) = if single { (1, 1) } else { (self.planes[c].h, self.planes[c].v) };
                for i in 0..h * v {
                    let (x, y) = (mcu % across * h + i % h, mcu / across * v + i / h);
                    let block = &all[c].blocks[y * all[c].across + x];
                    self.block(scan, block, &mut means[c], &mut ended, &mut bits, codes);
                }
            }
        }
        ended.flush(&mut bits, codes);
        bits.align();
        bits.out
    }

    fn block(
        &self,
        scan: &Scan,
        block: &[i32; 64],
        mean: &mut i32,
        ended: &mut Ended,
        bits: &mut Bits,
        codes: &[(u32, u32)],
    ) {
        let put = |bits: &mut Bits, symbol: u32| {
            let (code, length) = codes[symbol as usize];
            bits.put(code, length);
        };
        let progressive = self.frame == 0xc2;
        if scan.band.0 == 0 {
            if scan.high > 0 {
                bits.put((block[0] >> scan.low) as u32 & 1, 1);
                return;
            }
            let value = block[0] >> scan.low;
            let difference = value - *mean;
            *mean = value;
            put(bits, size_of_number(difference));
            put_number(bits, difference);
            if progressive {
                return;
            }
        }
        let first = scan.band.0.max(1);
        let shifted = |v: i32| if v < 0 { -(-v >> scan.low) } else { v >> scan.low };
        if scan.high > 0 {
            return self.block_again(scan, block, ended, bits, codes);
        }
        let mut run = 0;
        for &v in &block[first..=scan.band.1] {
            let v = shifted(v);
            if v == 0 {
                run += 1;
                continue;
            }
            ended.flush(bits, codes);
            while run > 15 {
                put(bits, 0xf0);
                run -= 16;
            }
            put(bits, run << 4 | size_of_number(v));
            put_number(bits, v);
            run = 0;
        }
        if run > 0 {
            match progressive {
                true => ended.one(Vec::new(), bits, codes),
                false => put(bits, 0),
            }
        }
    }

    /// G.1.2.3, figure G.7.
    fn block_again(&self, scan: &Scan, block: &[i32; 64], ended: &mut Ended, bits: &mut Bits, codes: &[(u32, u32)]) {
        let magnitude = |k: usize| block[k].unsigned_abs() >> scan.low;
        let last_new = (scan.band.0..=scan.band.1).rev().find(|&k| magnitude(k) == 1);
        let (mut run, mut corrections) = (0u32, Vec::new());
        for (k, v) in block.iter().enumerate().take(scan.band.1 + 1).skip(scan.band.0) {
            match magnitude(k) {
                0 => run += 1,
                1 => {
                    ended.flush(bits, codes);
                    let (code, length) = codes[(run << 4 | 1) as usize];
                    bits.put(code, length);
                    bits.put(u32::from(*v > 0), 1);
                    corrections.drain(..).for_each(|b| bits.put(b, 1));
                    run = 0;
                }
                more => corrections.push(more & 1),
            }
            // Sixteen zeros, but only where another new one follows.
            if run == 16 && last_new.is_some_and(|last| last > k) {
                ended.flush(bits, codes);
                let (code, length) = codes[0xf0];
                bits.put(code, length);
                corrections.drain(..).for_each(|b| bits.put(b, 1));
                run = 0;
            }
        }
        if run > 0 || !corrections.is_empty() {
            ended.one(corrections, bits, codes);
        }
    }
}

/// Blocks whose band has ended, and the correction bits that go with them.
#[derive(Default)]
struct Ended {
    count: u32,
    corrections: Vec<u32>,
}

impl Ended {
    fn one(&mut self, corrections: Vec<u32>, bits: &mut Bits, codes: &[(u32, u32)]) {
        self.count += 1;
        self.corrections.extend(corrections);
        if self.count == 0x7fff {
            self.flush(bits, codes);
        }
    }

    fn flush(&mut self, bits: &mut Bits, codes: &[(u32, u32)]) {
        if self.count > 0 {
            let size = self.count.ilog2();
            let (code, length) = codes[(size << 4) as usize];
            bits.put(code, length);
            bits.put(self.count - (1 << size), size);
            self.corrections.drain(..).for_each(|b| bits.put(b, 1));
            self.count = 0;
        }
    }
}

/// Every structure of scans for so many components that a frame allows.
pub fn sequential(components: usize) -> Vec<Vec<Scan>> {
    let scan = |components: Vec<usize>| Scan { components, band: (0, 63), high: 0, low: 0 };
    let together = vec![scan((0..components).collect())];
    if components == 1 {
        return vec![together];
    }
    vec![
        together,
        (0..components).map(|c| scan(vec![c])).collect(),
        vec![scan(vec![0]), scan((1..components).collect())],
    ]
}

pub fn progressive(components: usize) -> Vec<Vec<Scan>> {
    let all: Vec<usize> = (0..components).collect();
    let mean = |high, low| Scan { components: all.clone(), band: (0, 0), high, low };
    let band = |c, band, high, low| Scan { components: vec![c], band, high, low };
    let each = |of: &dyn Fn(usize) -> Vec<Scan>| all.iter().flat_map(|&c| of(c)).collect::<Vec<_>>();
    vec![
        // Selection alone.
        [vec![mean(0, 0)], each(&|c| vec![band(c, (1, 5), 0, 0), band(c, (6, 63), 0, 0)])].concat(),
        // Approximation alone.
        [
            vec![mean(0, 1)],
            each(&|c| vec![band(c, (1, 63), 0, 1)]),
            vec![mean(1, 0)],
            each(&|c| vec![band(c, (1, 63), 1, 0)]),
        ]
        .concat(),
        // Both, in three steps, means one by one.
        [
            each(&|c| vec![Scan { components: vec![c], band: (0, 0), high: 0, low: 2 }]),
            each(&|c| vec![band(c, (1, 8), 0, 2), band(c, (9, 63), 0, 2)]),
            each(&|c| vec![band(c, (1, 63), 2, 1)]),
            vec![mean(2, 1), mean(1, 0)],
            each(&|c| vec![band(c, (1, 20), 1, 0), band(c, (21, 63), 1, 0)]),
        ]
        .concat(),
    ]
}
