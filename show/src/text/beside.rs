//! Texts side by side, which may hold colours.

/// Columns between two texts.
const GAP: usize = 2;

/// Columns that a line takes: escapes take none (ECMA-48, 5.4).
fn width(line: &str) -> usize {
    let mut count = 0;
    let mut letters = line.chars();
    while let Some(letter) = letters.next() {
        if letter == '\x1b' && letters.next() == Some('[') {
            letters.by_ref().find(|c| ('@'..='~').contains(c));
        } else {
            count += 1;
        }
    }
    count
}

/// Texts side by side, each as wide as its longest line and at least its `least`; shorter ones end in blank lines.
pub fn beside(texts: &[String], least: usize) -> String {
    let blocks: Vec<Vec<&str>> = texts.iter().map(|text| text.lines().collect()).collect();
    let widths: Vec<usize> =
        blocks.iter().map(|lines| lines.iter().map(|line| width(line)).max().unwrap_or(0).max(least)).collect();
    let high = blocks.iter().map(Vec::len).max().unwrap_or(0);
    let mut out = String::new();
    for row in 0..high {
        let mut line = String::new();
        for (lines, wide) in blocks.iter().zip(&widths) {
            let words = lines.get(row).copied().unwrap_or("");
            line.push_str(words);
            line.push_str(&" ".repeat(wide - width(words) + GAP));
        }
        out.push_str(line.trim_end());
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_line_up_whatever_their_colours() {
        let texts = ["ab\n\x1b[38;2;1;2;3mx\x1b[0m\n".to_string(), "1\n22\n333\n".to_string()];
        assert_eq!(beside(&texts, 3), "ab   1\n\x1b[38;2;1;2;3mx\x1b[0m    22\n     333\n");
    }
}
