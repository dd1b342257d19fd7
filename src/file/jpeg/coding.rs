//! Blocks as symbols and bits: sequential (F.1.2), and progressive (G.1.2). The same for counting and for writing.

use super::codes::Sink;

/// Blocks that may end in one symbol.
const MOST_ENDED: u32 = 0x7fff;
/// Correction bits that wait for the symbol before them, at most.
const MOST_WAITING: usize = 1 << 16;

/// How many bits a number takes.
#[inline(always)]
fn size_of_number(v: i32) -> u32 {
    32u32.wrapping_sub(v.unsigned_abs().leading_zeros())
}

/// A number's bits: those of one less where it is negative.
#[inline(always)]
fn number(sink: &mut impl Sink, v: i32, size: u32) {
    let v = if v < 0 { v.wrapping_sub(1) } else { v };
    sink.bits(v as u32 & (1u32 << size).wrapping_sub(1), size);
}

/// A DC coefficient, as its difference from the one before.
#[inline(always)]
pub(super) fn mean(sink: &mut impl Sink, table: usize, value: i32, before: &mut i32) {
    let difference = value.wrapping_sub(*before);
    *before = value;
    let size = size_of_number(difference);
    sink.symbol(table, size as u8);
    number(sink, difference, size);
}

/// A whole block, coefficients in zigzag order.
#[inline(always)]
pub(super) fn sequential(sink: &mut impl Sink, (dc, ac): (usize, usize), block: &[i16; 64], before: &mut i32) {
    let [first, rest @ ..] = block;
    mean(sink, dc, i32::from(*first), before);
    let mut run = 0u32;
    for &v in rest {
        if v == 0 {
            run = run.wrapping_add(1);
            continue;
        }
        while run > 15 {
            sink.symbol(ac, 0xf0);
            run = run.wrapping_sub(16);
        }
        let size = size_of_number(i32::from(v));
        sink.symbol(ac, (run << 4 | size) as u8);
        number(sink, i32::from(v), size);
        run = 0;
    }
    if run > 0 {
        sink.symbol(ac, 0);
    }
}

/// Blocks whose band has ended, and correction bits that go with them.
#[derive(Debug, Default)]
pub(super) struct Ended {
    count: u32,
    waiting: Vec<u8>,
}

impl Ended {
    pub(super) fn flush(&mut self, sink: &mut impl Sink, ac: usize) {
        if self.count > 0 {
            let size = self.count.ilog2();
            sink.symbol(ac, (size << 4) as u8);
            sink.bits(self.count.wrapping_sub(1 << size), size);
            self.count = 0;
        }
        self.waiting.drain(..).for_each(|bit| sink.bits(u32::from(bit), 1));
    }

    fn one(&mut self, sink: &mut impl Sink, ac: usize, mut corrections: Vec<u8>) {
        self.count = self.count.saturating_add(1);
        self.waiting.append(&mut corrections);
        if self.count >= MOST_ENDED || self.waiting.len() >= MOST_WAITING {
            self.flush(sink, ac);
        }
    }
}

/// The first scan of a band, its lowest bit `low`.
pub(super) fn band_first(sink: &mut impl Sink, ac: usize, band: &[i16], low: u32, ended: &mut Ended) {
    let mut run = 0u32;
    for &v in band {
        let v = i32::from(v);
        let v = if v < 0 { (v.wrapping_neg() >> low).wrapping_neg() } else { v >> low };
        if v == 0 {
            run = run.wrapping_add(1);
            continue;
        }
        ended.flush(sink, ac);
        while run > 15 {
            sink.symbol(ac, 0xf0);
            run = run.wrapping_sub(16);
        }
        let size = size_of_number(v);
        sink.symbol(ac, (run << 4 | size) as u8);
        number(sink, v, size);
        run = 0;
    }
    if run > 0 {
        ended.one(sink, ac, Vec::new());
    }
}

/// The bit `low` of a band whose higher bits have been written (figure G.7).
pub(super) fn band_again(sink: &mut impl Sink, ac: usize, band: &[i16], low: u32, ended: &mut Ended) {
    let magnitude = |v: &i16| u32::from(v.unsigned_abs()) >> low;
    let last_new = band.iter().rposition(|v| magnitude(v) == 1);
    let (mut run, mut corrections) = (0u32, Vec::new());
    for (k, v) in band.iter().enumerate() {
        match magnitude(v) {
            0 => {
                run = run.wrapping_add(1);
                if run == 16 && last_new.is_some_and(|last| last > k) {
                    ended.flush(sink, ac);
                    sink.symbol(ac, 0xf0);
                    corrections.drain(..).for_each(|bit| sink.bits(u32::from(bit), 1));
                    run = 0;
                }
            }
            1 => {
                ended.flush(sink, ac);
                sink.symbol(ac, (run << 4 | 1) as u8);
                sink.bits(u32::from(*v > 0), 1);
                corrections.drain(..).for_each(|bit: u8| sink.bits(u32::from(bit), 1));
                run = 0;
            }
            more => corrections.push((more & 1) as u8),
        }
    }
    if run > 0 || !corrections.is_empty() {
        ended.one(sink, ac, corrections);
    }
}
