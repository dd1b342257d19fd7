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

/// A line in lines of at most so many columns, broken between words; one with escapes stays as it is.
fn broken(line: &str, most: usize) -> Vec<String> {
    if width(line) <= most || line.contains('\x1b') {
        return vec![line.to_string()];
    }
    let mut lines = vec![String::new()];
    for word in line.split_whitespace() {
        let last = lines.len() - 1;
        let taken = width(&lines[last]);
        if taken > 0 && taken + 1 + width(word) > most {
            lines.push(word.to_string());
        } else {
            if taken > 0 {
                lines[last].push(' ');
            }
            lines[last].push_str(word);
        }
    }
    lines
}

/// Texts side by side in columns of `room`, in which words are broken; shorter texts end in blank lines.
pub fn beside(texts: &[String], room: usize) -> String {
    let lines = |text: &String| text.lines().flat_map(|line| broken(line, room.max(1))).collect();
    let blocks: Vec<Vec<String>> = texts.iter().map(lines).collect();
    let widths: Vec<usize> =
        blocks.iter().map(|lines| lines.iter().map(|line| width(line)).max().unwrap_or(0).max(room)).collect();
    let high = blocks.iter().map(Vec::len).max().unwrap_or(0);
    let mut out = String::new();
    for row in 0..high {
        let mut line = String::new();
        for (lines, wide) in blocks.iter().zip(&widths) {
            let words = lines.get(row).map_or("", String::as_str);
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
        let texts = ["one two three".to_string(), "1".to_string()];
        assert_eq!(beside(&texts, 8), "one two   1\nthree\n");
    }
}
