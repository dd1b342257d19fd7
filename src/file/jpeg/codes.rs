//! Huffman tables for writing: those of the standard's annex K.3, and the best for given counts (annex K.2), and bits.

/// Counts of codes of each length, and their symbols in order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Table {
    pub(super) counts: [u8; 16],
    pub(super) symbols: Vec<u8>,
}

/// Tables K.3 and K.4: DC difference categories, of luminance and chroma.
const DC_LUMINANCE: [u8; 16] = [0, 1, 5, 1, 1, 1, 1, 1, 1, 0, 0, 0, 0, 0, 0, 0];
const DC_CHROMA: [u8; 16] = [0, 3, 1, 1, 1, 1, 1, 1, 1, 1, 1, 0, 0, 0, 0, 0];
/// Tables K.5 and K.6: AC runs and sizes, of luminance and chroma.
const AC_LUMINANCE: [u8; 16] = [0, 2, 1, 3, 3, 2, 4, 3, 5, 5, 4, 4, 0, 0, 1, 125];
const AC_CHROMA: [u8; 16] = [0, 2, 1, 2, 4, 4, 3, 4, 7, 5, 4, 4, 0, 1, 2, 119];
#[rustfmt::skip]
const AC_LUMINANCE_SYMBOLS: [u8; 162] = [
    0x01, 0x02, 0x03, 0x00, 0x04, 0x11, 0x05, 0x12, 0x21, 0x31, 0x41, 0x06, 0x13, 0x51, 0x61, 0x07, 0x22, 0x71,
    0x14, 0x32, 0x81, 0x91, 0xa1, 0x08, 0x23, 0x42, 0xb1, 0xc1, 0x15, 0x52, 0xd1, 0xf0, 0x24, 0x33, 0x62, 0x72,
    0x82, 0x09, 0x0a, 0x16, 0x17, 0x18, 0x19, 0x1a, 0x25, 0x26, 0x27, 0x28, 0x29, 0x2a, 0x34, 0x35, 0x36, 0x37,
    0x38, 0x39, 0x3a, 0x43, 0x44, 0x45, 0x46, 0x47, 0x48, 0x49, 0x4a, 0x53, 0x54, 0x55, 0x56, 0x57, 0x58, 0x59,
    0x5a, 0x63, 0x64, 0x65, 0x66, 0x67, 0x68, 0x69, 0x6a, 0x73, 0x74, 0x75, 0x76, 0x77, 0x78, 0x79, 0x7a, 0x83,
    0x84, 0x85, 0x86, 0x87, 0x88, 0x89, 0x8a, 0x92, 0x93, 0x94, 0x95, 0x96, 0x97, 0x98, 0x99, 0x9a, 0xa2, 0xa3,
    0xa4, 0xa5, 0xa6, 0xa7, 0xa8, 0xa9, 0xaa, 0xb2, 0xb3, 0xb4, 0xb5, 0xb6, 0xb7, 0xb8, 0xb9, 0xba, 0xc2, 0xc3,
    0xc4, 0xc5, 0xc6, 0xc7, 0xc8, 0xc9, 0xca, 0xd2, 0xd3, 0xd4, 0xd5, 0xd6, 0xd7, 0xd8, 0xd9, 0xda, 0xe1, 0xe2,
    0xe3, 0xe4, 0xe5, 0xe6, 0xe7, 0xe8, 0xe9, 0xea, 0xf1, 0xf2, 0xf3, 0xf4, 0xf5, 0xf6, 0xf7, 0xf8, 0xf9, 0xfa,
];
#[rustfmt::skip]
const AC_CHROMA_SYMBOLS: [u8; 162] = [
    0x00, 0x01, 0x02, 0x03, 0x11, 0x04, 0x05, 0x21, 0x31, 0x06, 0x12, 0x41, 0x51, 0x07, 0x61, 0x71, 0x13, 0x22,
    0x32, 0x81, 0x08, 0x14, 0x42, 0x91, 0xa1, 0xb1, 0xc1, 0x09, 0x23, 0x33, 0x52, 0xf0, 0x15, 0x62, 0x72, 0xd1,
    0x0a, 0x16, 0x24, 0x34, 0xe1, 0x25, 0xf1, 0x17, 0x18, 0x19, 0x1a, 0x26, 0x27, 0x28, 0x29, 0x2a, 0x35, 0x36,
    0x37, 0x38, 0x39, 0x3a, 0x43, 0x44, 0x45, 0x46, 0x47, 0x48, 0x49, 0x4a, 0x53, 0x54, 0x55, 0x56, 0x57, 0x58,
    0x59, 0x5a, 0x63, 0x64, 0x65, 0x66, 0x67, 0x68, 0x69, 0x6a, 0x73, 0x74, 0x75, 0x76, 0x77, 0x78, 0x79, 0x7a,
    0x82, 0x83, 0x84, 0x85, 0x86, 0x87, 0x88, 0x89, 0x8a, 0x92, 0x93, 0x94, 0x95, 0x96, 0x97, 0x98, 0x99, 0x9a,
    0xa2, 0xa3, 0xa4, 0xa5, 0xa6, 0xa7, 0xa8, 0xa9, 0xaa, 0xb2, 0xb3, 0xb4, 0xb5, 0xb6, 0xb7, 0xb8, 0xb9, 0xba,
    0xc2, 0xc3, 0xc4, 0xc5, 0xc6, 0xc7, 0xc8, 0xc9, 0xca, 0xd2, 0xd3, 0xd4, 0xd5, 0xd6, 0xd7, 0xd8, 0xd9, 0xda,
    0xe2, 0xe3, 0xe4, 0xe5, 0xe6, 0xe7, 0xe8, 0xe9, 0xea, 0xf2, 0xf3, 0xf4, 0xf5, 0xf6, 0xf7, 0xf8, 0xf9, 0xfa,
];

impl Table {
    /// The example tables: DC and AC, for luminance and chroma.
    pub(super) fn example(dc: bool, luminance: bool) -> Table {
        let (counts, symbols): ([u8; 16], Vec<u8>) = match (dc, luminance) {
            (true, true) => (DC_LUMINANCE, (0..12).collect()),
            (true, false) => (DC_CHROMA, (0..12).collect()),
            (false, true) => (AC_LUMINANCE, AC_LUMINANCE_SYMBOLS.to_vec()),
            (false, false) => (AC_CHROMA, AC_CHROMA_SYMBOLS.to_vec()),
        };
        Table { counts, symbols }
    }

    /// The best table for how often each symbol comes (K.2), its codes at most 16 bits long. The code of all ones is left
    /// free, as the standard asks for.
    pub(super) fn best(often: &[u64; 256]) -> Table {
        // Symbol 256 takes the longest code, which is then left out.
        let mut weights: Vec<(u64, Vec<u16>)> =
            (0u16..).zip(often).filter(|(_, n)| **n > 0).map(|(s, &n)| (n, vec![s])).collect();
        weights.push((0, vec![256]));
        let mut lengths = [0u32; 257];
        let lightest = |weights: &mut Vec<(u64, Vec<u16>)>| {
            let at = (0..weights.len()).rev().min_by_key(|&at| weights.get(at).map(|(weight, _)| *weight))?;
            Some(weights.remove(at))
        };
        while weights.len() > 1 {
            // The two lightest are joined; of equal ones the later. All their symbols get a bit longer.
            let (Some(a), Some(b)) = (lightest(&mut weights), lightest(&mut weights)) else { break };
            let symbols = [a.1, b.1].concat();
            for &symbol in &symbols {
                if let Some(length) = lengths.get_mut(usize::from(symbol)) {
                    *length = length.saturating_add(1);
                }
            }
            weights.push((a.0.saturating_add(b.0), symbols));
        }
        let mut by_length = [0u32; 258];
        for &length in lengths.iter().filter(|&&l| l > 0) {
            if let Some(count) = by_length.get_mut(length as usize) {
                *count = count.saturating_add(1);
            }
        }
        shorten(&mut by_length);
        // The code that is left free is the last of the longest.
        if let Some(count) = by_length.iter_mut().rev().find(|c| **c > 0) {
            *count = count.saturating_sub(1);
        }
        let mut counts = [0u8; 16];
        for (to, &from) in counts.iter_mut().zip(by_length.iter().skip(1)) {
            *to = from as u8;
        }
        let longest = lengths.iter().fold(0, |longest, &l| l.max(longest));
        let mut symbols = Vec::new();
        for length in 1..=longest {
            symbols.extend((0u8..=255).zip(&lengths).filter(|(_, l)| **l == length).map(|(symbol, _)| symbol));
        }
        Table { counts, symbols }
    }

    /// Each symbol's code and its length.
    pub(super) fn codes(&self) -> [(u16, u8); 256] {
        let mut all = [(0, 0); 256];
        let (mut code, mut symbols) = (0u32, self.symbols.iter());
        for (length, &count) in (1u8..).zip(&self.counts) {
            for &symbol in symbols.by_ref().take(usize::from(count)) {
                if let Some(place) = all.get_mut(usize::from(symbol)) {
                    *place = (code as u16, length);
                }
                code = code.wrapping_add(1);
            }
            code <<= 1;
        }
        all
    }
}

/// Makes codes longer than 16 bits shorter (figure K.3): two of them give up their prefix's place to one, and the other
/// goes below a shorter code.
fn shorten(by_length: &mut [u32; 258]) {
    let take = |all: &mut [u32; 258], at: usize, count: i32| {
        if let Some(v) = all.get_mut(at) {
            *v = v.saturating_add_signed(count);
        }
    };
    for length in (17..258usize).rev() {
        while by_length.get(length).is_some_and(|&c| c > 0) {
            let below = length.saturating_sub(2);
            let Some(shorter) = (1..=below).rev().find(|&l| by_length.get(l).is_some_and(|&c| c > 0)) else { break };
            take(by_length, length, -2);
            take(by_length, length.saturating_sub(1), 1);
            take(by_length, shorter.saturating_add(1), 2);
            take(by_length, shorter, -1);
        }
    }
}

/// Takes the symbols and bits that a scan is made of: counts them, or writes them.
pub(super) trait Sink {
    fn symbol(&mut self, table: usize, symbol: u8);
    fn bits(&mut self, value: u32, count: u32);
}

/// Counts symbols, by table.
pub(super) struct Counter(pub(super) [[u64; 256]; 4]);

impl Sink for Counter {
    #[inline(always)]
    fn symbol(&mut self, table: usize, symbol: u8) {
        if let Some(count) = self.0.get_mut(table).and_then(|t| t.get_mut(usize::from(symbol))) {
            *count = count.wrapping_add(1);
        }
    }
    #[inline(always)]
    fn bits(&mut self, _value: u32, _count: u32) {}
}

/// Writes bits, stuffing a zero behind each byte of ones.
pub(super) struct Writer<'a> {
    tables: &'a [[(u16, u8); 256]; 4],
    pub(super) out: Vec<u8>,
    word: u64,
    count: u32,
}

impl<'a> Writer<'a> {
    pub(super) fn new(tables: &'a [[(u16, u8); 256]; 4]) -> Writer<'a> {
        Writer { tables, out: Vec::new(), word: 0, count: 0 }
    }

    /// One that goes on with bits that did not make a byte.
    pub(super) fn resumed(tables: &'a [[(u16, u8); 256]; 4], (word, count): (u64, u32)) -> Writer<'a> {
        Writer { tables, out: Vec::new(), word, count }
    }

    /// Writes whole bytes and gives the bits that are left.
    pub(super) fn pause(&mut self) -> (u64, u32) {
        self.drain();
        (self.word, self.count)
    }

    /// Fills the last byte with ones.
    pub(super) fn align(&mut self) {
        let missing = 8u32.wrapping_sub(self.count & 7) & 7;
        self.bits((1u32 << missing).wrapping_sub(1), missing);
        self.drain();
    }

    #[inline(always)]
    fn drain(&mut self) {
        while self.count >= 8 {
            self.count = self.count.wrapping_sub(8);
            let byte = (self.word >> self.count) as u8;
            self.out.push(byte);
            if byte == 0xff {
                self.out.push(0);
            }
        }
    }
}

impl Sink for Writer<'_> {
    #[inline(always)]
    fn symbol(&mut self, table: usize, symbol: u8) {
        let (code, length) = self.tables.get(table).and_then(|t| t.get(usize::from(symbol))).copied().unwrap_or((0, 0));
        self.bits(u32::from(code), u32::from(length));
    }

    /// At most 27 bits.
    #[inline(always)]
    fn bits(&mut self, value: u32, count: u32) {
        self.word = self.word << count | u64::from(value);
        self.count = self.count.wrapping_add(count);
        if self.count > 32 {
            self.drain();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_best_table_is_a_code_with_room_for_all_ones_and_no_code_is_too_long() {
        // Counts that double: codes would be 40 bits long.
        let doubling: [u64; 256] = std::array::from_fn(|i| if i < 40 { 1 << i } else { 0 });
        let even: [u64; 256] = std::array::from_fn(|i| if i < 200 { 7 } else { 0 });
        let one: [u64; 256] = std::array::from_fn(|i| u64::from(i == 9));
        for often in [doubling, even, one] {
            let table = Table::best(&often);
            let present = often.iter().filter(|&&n| n > 0).count();
            assert_eq!(table.counts.iter().map(|&c| usize::from(c)).sum::<usize>(), present);
            assert_eq!(table.symbols.len(), present);
            let room: f64 = (1..).zip(&table.counts).map(|(l, &c)| f64::from(c) / f64::from(1u32 << l)).sum();
            assert!(room < 1.0, "{room}");
            let codes = table.codes();
            for (a, &(code, length)) in codes.iter().enumerate().filter(|(_, c)| c.1 > 0) {
                assert!(often[a] > 0 && code != (1u32 << length).wrapping_sub(1) as u16 || length == 0);
            }
        }
        // More often is never longer.
        let codes = Table::best(&doubling).codes();
        assert!((1..40).all(|i| codes[i].1 <= codes[i - 1].1));
        // The examples are complete but for the code of all ones.
        for (dc, luminance) in [(true, true), (true, false), (false, true), (false, false)] {
            let table = Table::example(dc, luminance);
            assert_eq!(table.counts.iter().map(|&c| usize::from(c)).sum::<usize>(), table.symbols.len());
        }
    }
}
