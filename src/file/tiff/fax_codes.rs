//! The code words of fax (ITU-T T.4, tables 2 and 3; ITU-T T.6, table 1) and the tables that find them.

/// White runs of 0 to 63 pixels.
const WHITE: [&str; 64] = [
    "00110101", "000111", "0111", "1000", "1011", "1100", "1110", "1111", "10011", "10100", "00111", "01000", "001000",
    "000011", "110100", "110101", "101010", "101011", "0100111", "0001100", "0001000", "0010111", "0000011", "0000100",
    "0101000", "0101011", "0010011", "0100100", "0011000", "00000010", "00000011", "00011010", "00011011", "00010010",
    "00010011", "00010100", "00010101", "00010110", "00010111", "00101000", "00101001", "00101010", "00101011",
    "00101100", "00101101", "00000100", "00000101", "00001010", "00001011", "01010010", "01010011", "01010100",
    "01010101", "00100100", "00100101", "01011000", "01011001", "01011010", "01011011", "01001010", "01001011",
    "00110010", "00110011", "00110100",
];

/// White runs of 64, 128 ... 1728.
const WHITE_MORE: [&str; 27] = [
    "11011",
    "10010",
    "010111",
    "0110111",
    "00110110",
    "00110111",
    "01100100",
    "01100101",
    "01101000",
    "01100111",
    "011001100",
    "011001101",
    "011010010",
    "011010011",
    "011010100",
    "011010101",
    "011010110",
    "011010111",
    "011011000",
    "011011001",
    "011011010",
    "011011011",
    "010011000",
    "010011001",
    "010011010",
    "011000",
    "010011011",
];

/// Black runs of 0 to 63 pixels.
const BLACK: [&str; 64] = [
    "0000110111",
    "010",
    "11",
    "10",
    "011",
    "0011",
    "0010",
    "00011",
    "000101",
    "000100",
    "0000100",
    "0000101",
    "0000111",
    "00000100",
    "00000111",
    "000011000",
    "0000010111",
    "0000011000",
    "0000001000",
    "00001100111",
    "00001101000",
    "00001101100",
    "00000110111",
    "00000101000",
    "00000010111",
    "00000011000",
    "000011001010",
    "000011001011",
    "000011001100",
    "000011001101",
    "000001101000",
    "000001101001",
    "000001101010",
    "000001101011",
    "000011010010",
    "000011010011",
    "000011010100",
    "000011010101",
    "000011010110",
    "000011010111",
    "000001101100",
    "000001101101",
    "000011011010",
    "000011011011",
    "000001010100",
    "000001010101",
    "000001010110",
    "000001010111",
    "000001100100",
    "000001100101",
    "000001010010",
    "000001010011",
    "000000100100",
    "000000110111",
    "000000111000",
    "000000100111",
    "000000101000",
    "000001011000",
    "000001011001",
    "000000101011",
    "000000101100",
    "000001011010",
    "000001100110",
    "000001100111",
];

/// Black runs of 64, 128 ... 1728.
const BLACK_MORE: [&str; 27] = [
    "0000001111",
    "000011001000",
    "000011001001",
    "000001011011",
    "000000110011",
    "000000110100",
    "000000110101",
    "0000001101100",
    "0000001101101",
    "0000001001010",
    "0000001001011",
    "0000001001100",
    "0000001001101",
    "0000001110010",
    "0000001110011",
    "0000001110100",
    "0000001110101",
    "0000001110110",
    "0000001110111",
    "0000001010010",
    "0000001010011",
    "0000001010100",
    "0000001010101",
    "0000001011010",
    "0000001011011",
    "0000001100100",
    "0000001100101",
];

/// Runs of 1792, 1856 ... 2560 of either colour.
const BOTH_MORE: [&str; 13] = [
    "00000001000",
    "00000001100",
    "00000001101",
    "000000010010",
    "000000010011",
    "000000010100",
    "000000010101",
    "000000010110",
    "000000010111",
    "000000011100",
    "000000011101",
    "000000011110",
    "000000011111",
];

/// What a row's code may be where the row above is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Mode {
    Pass,
    Horizontal,
    /// So many pixels to the right of the change above.
    Vertical(i8),
}

const MODES: [(&str, Mode); 9] = [
    ("0001", Mode::Pass),
    ("001", Mode::Horizontal),
    ("1", Mode::Vertical(0)),
    ("011", Mode::Vertical(1)),
    ("000011", Mode::Vertical(2)),
    ("0000011", Mode::Vertical(3)),
    ("010", Mode::Vertical(-1)),
    ("000010", Mode::Vertical(-2)),
    ("0000010", Mode::Vertical(-3)),
];

/// Bits of the longest code, and of the longest mode.
const LONGEST: u32 = 13;
const LONGEST_MODE: u32 = 7;

/// The code words by the bits that come next: for each value of the longest code's bits, what it begins with and how many bits that has;
/// none where nothing begins so.
#[derive(Debug)]
pub(super) struct Codes {
    runs: [Vec<(u16, u8)>; 2],
    modes: Vec<(Option<Mode>, u8)>,
}

impl Codes {
    pub(super) fn new() -> Codes {
        let table = |short: &[&str; 64], more: &[&str; 27]| {
            let mut table = vec![(0u16, 0u8); 1 << LONGEST];
            let runs = (0u16..).zip(short).chain((1u16..).map(|i| i.saturating_mul(64)).zip(more));
            let runs = runs.chain((28u16..).map(|i| i.saturating_mul(64)).zip(&BOTH_MORE));
            for (run, code) in runs {
                fill(&mut table, code, LONGEST, run);
            }
            table
        };
        let mut modes = vec![(None, 0u8); 1 << LONGEST_MODE];
        for (code, mode) in MODES {
            fill(&mut modes, code, LONGEST_MODE, Some(mode));
        }
        Codes { runs: [table(&WHITE, &WHITE_MORE), table(&BLACK, &BLACK_MORE)], modes }
    }

    /// The run that the next bits begin with, and its bits. `next` holds at least 13, at its top end.
    pub(super) fn run(&self, black: bool, next: u32) -> Option<(u16, u8)> {
        let [white, dark] = &self.runs;
        let table = if black { dark } else { white };
        let found = table.get((next >> (32u32.saturating_sub(LONGEST))) as usize).copied()?;
        (found.1 > 0).then_some(found)
    }

    /// The mode that the next bits begin with, and its bits.
    pub(super) fn mode(&self, next: u32) -> Option<(Mode, u8)> {
        let (mode, bits) = self.modes.get((next >> (32u32.saturating_sub(LONGEST_MODE))) as usize).copied()?;
        mode.map(|mode| (mode, bits))
    }
}

/// Puts what a code word means wherever the bits begin with it.
fn fill<T: Copy>(table: &mut [(T, u8)], code: &str, longest: u32, meaning: T) {
    let bits = code.len() as u32;
    let value = u32::from_str_radix(code, 2).unwrap_or(0);
    let spare = longest.saturating_sub(bits);
    let first = (value << spare) as usize;
    table.iter_mut().skip(first).take(1 << spare).for_each(|to| *to = (meaning, bits as u8));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_code_word_begins_another() {
        for (short, more) in [(&WHITE, &WHITE_MORE), (&BLACK, &BLACK_MORE)] {
            let mut all: Vec<&str> = short.iter().chain(more).chain(&BOTH_MORE).copied().collect();
            // The mark at the end of a row is told from all runs too.
            all.push("000000000001");
            for (i, a) in all.iter().enumerate() {
                assert!(all.iter().enumerate().all(|(j, b)| i == j || !b.starts_with(a)), "{a}");
            }
        }
    }

    #[test]
    fn every_code_word_is_found() {
        let codes = Codes::new();
        let next = |code: &str| u32::from_str_radix(code, 2).unwrap() << (32 - code.len());
        for (run, code) in WHITE.iter().enumerate() {
            assert_eq!(codes.run(false, next(code)), Some((run as u16, code.len() as u8)));
        }
        assert_eq!(codes.run(true, next(BLACK_MORE[26])), Some((1728, 13)));
        assert_eq!(codes.run(true, next(BOTH_MORE[12])), Some((2560, 12)));
        assert_eq!(codes.run(false, next("000000000001")), None);
        for (code, mode) in MODES {
            assert_eq!(codes.mode(next(code)), Some((mode, code.len() as u8)));
        }
        assert_eq!(codes.mode(0), None);
    }
}
