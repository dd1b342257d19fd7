//! Fax encoding after ITU-T T.4 and T.6, from the standards' procedures, for tests. True is black.

/// Code words of runs below 64: white, black (T.4, table 2).
const SHORT: [(&str, &str); 64] = [
    ("00110101", "0000110111"),
    ("000111", "010"),
    ("0111", "11"),
    ("1000", "10"),
    ("1011", "011"),
    ("1100", "0011"),
    ("1110", "0010"),
    ("1111", "00011"),
    ("10011", "000101"),
    ("10100", "000100"),
    ("00111", "0000100"),
    ("01000", "0000101"),
    ("001000", "0000111"),
    ("000011", "00000100"),
    ("110100", "00000111"),
    ("110101", "000011000"),
    ("101010", "0000010111"),
    ("101011", "0000011000"),
    ("0100111", "0000001000"),
    ("0001100", "00001100111"),
    ("0001000", "00001101000"),
    ("0010111", "00001101100"),
    ("0000011", "00000110111"),
    ("0000100", "00000101000"),
    ("0101000", "00000010111"),
    ("0101011", "00000011000"),
    ("0010011", "000011001010"),
    ("0100100", "000011001011"),
    ("0011000", "000011001100"),
    ("00000010", "000011001101"),
    ("00000011", "000001101000"),
    ("00011010", "000001101001"),
    ("00011011", "000001101010"),
    ("00010010", "000001101011"),
    ("00010011", "000011010010"),
    ("00010100", "000011010011"),
    ("00010101", "000011010100"),
    ("00010110", "000011010101"),
    ("00010111", "000011010110"),
    ("00101000", "000011010111"),
    ("00101001", "000001101100"),
    ("00101010", "000001101101"),
    ("00101011", "000011011010"),
    ("00101100", "000011011011"),
    ("00101101", "000001010100"),
    ("00000100", "000001010101"),
    ("00000101", "000001010110"),
    ("00001010", "000001010111"),
    ("00001011", "000001100100"),
    ("01010010", "000001100101"),
    ("01010011", "000001010010"),
    ("01010100", "000001010011"),
    ("01010101", "000000100100"),
    ("00100100", "000000110111"),
    ("00100101", "000000111000"),
    ("01011000", "000000100111"),
    ("01011001", "000000101000"),
    ("01011010", "000001011000"),
    ("01011011", "000001011001"),
    ("01001010", "000000101011"),
    ("01001011", "000000101100"),
    ("00110010", "000001011010"),
    ("00110011", "000001100110"),
    ("00110100", "000001100111"),
];

/// Code words of 64, 128 ... 1728 (T.4, table 3a).
const LONG: [(&str, &str); 27] = [
    ("11011", "0000001111"),
    ("10010", "000011001000"),
    ("010111", "000011001001"),
    ("0110111", "000001011011"),
    ("00110110", "000000110011"),
    ("00110111", "000000110100"),
    ("01100100", "000000110101"),
    ("01100101", "0000001101100"),
    ("01101000", "0000001101101"),
    ("01100111", "0000001001010"),
    ("011001100", "0000001001011"),
    ("011001101", "0000001001100"),
    ("011010010", "0000001001101"),
    ("011010011", "0000001110010"),
    ("011010100", "0000001110011"),
    ("011010101", "0000001110100"),
    ("011010110", "0000001110101"),
    ("011010111", "0000001110110"),
    ("011011000", "0000001110111"),
    ("011011001", "0000001010010"),
    ("011011010", "0000001010011"),
    ("011011011", "0000001010100"),
    ("010011000", "0000001010101"),
    ("010011001", "0000001011010"),
    ("010011010", "0000001011011"),
    ("011000", "0000001100100"),
    ("010011011", "0000001100101"),
];

/// Code words of 1792, 1856 ... 2560 (T.4, table 3b).
const LONGER: [&str; 13] = [
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

#[derive(Default)]
struct Bits(Vec<bool>);

impl Bits {
    fn put(&mut self, code: &str) {
        self.0.extend(code.chars().map(|c| c == '1'));
    }

    fn run(&mut self, mut length: usize, black: bool) {
        let pick = |(white, dark): (&'static str, &'static str)| if black { dark } else { white };
        while length >= 2560 {
            self.put(LONGER[12]);
            length -= 2560;
        }
        if length >= 1792 {
            self.put(LONGER[(length - 1792) / 64]);
            length %= 64;
        } else if length >= 64 {
            self.put(pick(LONG[length / 64 - 1]));
            length %= 64;
        }
        self.put(pick(SHORT[length]));
    }

    fn row(&mut self, row: &[bool]) {
        let (mut at, mut black) = (0, false);
        while at < row.len() {
            let length = row[at..].iter().take_while(|&&p| p == black).count();
            self.run(length, black);
            at += length;
            black = !black;
        }
    }

    /// The procedure of T.4, 4.2.1.3 (T.6, 2.2.5), with the first change imagined before the row.
    fn row_by(&mut self, row: &[bool], above: &[bool]) {
        let width = row.len() as i64;
        let at = |row: &[bool], x: i64| x >= 0 && row[x as usize];
        // The first change to the right of a0, of any colour, of a row.
        let change =
            |row: &[bool], from: i64| (from + 1..width).find(|&x| at(row, x) != at(row, x - 1)).unwrap_or(width);
        let mut a0 = -1i64;
        let mut black = false;
        while a0 < width {
            let a1 = {
                let from = a0.max(0);
                (from..width).find(|&x| (x > a0) && at(row, x) != black).unwrap_or(width)
            };
            // b1: a change above to the right of a0 that leads to the other colour.
            let mut b1 = change(above, a0);
            while b1 < width && at(above, b1) == black {
                b1 = change(above, b1);
            }
            let b2 = if b1 < width { change(above, b1) } else { width };
            if b2 < a1 {
                self.put("0001");
                a0 = b2;
                continue;
            }
            match a1 - b1 {
                0 => self.put("1"),
                1 => self.put("011"),
                2 => self.put("000011"),
                3 => self.put("0000011"),
                -1 => self.put("010"),
                -2 => self.put("000010"),
                -3 => self.put("0000010"),
                _ => {
                    let a2 = (a1 + 1..width).find(|&x| at(row, x) == black).unwrap_or(width).max(a1);
                    self.put("001");
                    self.run((a1 - a0.max(0)) as usize, black);
                    self.run((a2 - a1) as usize, !black);
                    a0 = a2;
                    continue;
                }
            }
            a0 = a1;
            black = !black;
        }
    }

    fn bytes(&self) -> Vec<u8> {
        self.0.chunks(8).map(|c| c.iter().enumerate().fold(0, |b, (i, &bit)| b | u8::from(bit) << (7 - i))).collect()
    }

    fn align(&mut self, to: usize) {
        while self.0.len() % 8 != to {
            self.0.push(false);
        }
    }
}

const MARK: &str = "000000000001";

/// Compression 2: each row by itself, from byte to byte.
pub fn rows(rows: &[Vec<bool>]) -> Vec<u8> {
    let mut out = Bits::default();
    for row in rows {
        out.row(row);
        out.align(0);
    }
    out.bytes()
}

/// Compression 3: a mark before each row; every fourth by itself where two dimensions are used.
pub fn t4(rows: &[Vec<bool>], two: bool, aligned: bool) -> Vec<u8> {
    let mut out = Bits::default();
    for (y, row) in rows.iter().enumerate() {
        if aligned {
            out.align(4);
        }
        out.put(MARK);
        let alone = !two || y % 4 == 0;
        if two {
            out.put(if alone { "1" } else { "0" });
        }
        if alone {
            out.row(row);
        } else {
            out.row_by(row, &rows[y - 1]);
        }
    }
    for _ in 0..6 {
        out.put(MARK);
        if two {
            out.put("1");
        }
    }
    out.bytes()
}

/// Compression 4.
pub fn t6(rows: &[Vec<bool>]) -> Vec<u8> {
    let mut out = Bits::default();
    let white = vec![false; rows.first().map_or(0, Vec::len)];
    let mut above = &white;
    for row in rows {
        out.row_by(row, above);
        above = row;
    }
    out.put(MARK);
    out.put(MARK);
    out.bytes()
}
