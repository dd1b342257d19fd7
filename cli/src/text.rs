//! Text for people: aligned tables, plain numbers, and texts from files made safe for a terminal.

/// Whether a character shows nothing, or changes how others are shown: controls, which could move the cursor or worse, what turns the
/// direction of writing, breaks lines or has no width, and tags.
fn is_hidden(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{ad}' | '\u{61c}' | '\u{180e}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}')
        || matches!(c, '\u{2060}'..='\u{206f}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

/// A text whose characters all show: hidden ones as escapes.
pub(crate) fn safe(text: &str) -> String {
    let shown = |c: char| if is_hidden(c) { c.escape_default().collect() } else { vec![c] };
    text.chars().flat_map(shown).collect()
}

/// A value as JSON, in which hidden characters are escaped: they stand in its texts alone.
pub(crate) fn json(value: &impl serde::Serialize) -> serde_json::Result<String> {
    Ok(escaped(&serde_json::to_string(value)?))
}

/// JSON with hidden characters escaped.
pub(crate) fn escaped(json: &str) -> String {
    // Line breaks and blanks between values are its own.
    if !json.chars().any(|c| is_hidden(c) && c != '\n') {
        return json.to_string();
    }
    let mut out = String::with_capacity(json.len());
    for c in json.chars() {
        match is_hidden(c) && c != '\n' {
            true => c.encode_utf16(&mut [0; 2]).iter().for_each(|unit| out.push_str(&format!("\\u{unit:04x}"))),
            false => out.push(c),
        }
    }
    out
}

/// A text of a file as far as people read it in a report.
pub(crate) fn safe_start(text: &str) -> String {
    const SHOWN: usize = 500;
    match text.char_indices().nth(SHOWN) {
        None => safe(text),
        Some((end, _)) => format!("{}... ({} characters in all)", safe(&text[..end]), text.chars().count()),
    }
}

/// A number in as few digits as tell it apart from its neighbours; six significant ones for long fractions.
pub(crate) fn number(value: f64) -> String {
    if value.is_nan() {
        return "none".into();
    }
    let plain = value.to_string();
    if plain.len() <= 9 {
        return plain;
    }
    let digits = 5 - (value.abs().max(f64::MIN_POSITIVE).log10().floor() as i64).clamp(-12, 5);
    let rounded = format!("{value:.*}", digits as usize);
    match rounded.contains('.') {
        true => rounded.trim_end_matches('0').trim_end_matches('.').to_string(),
        false => rounded,
    }
}

pub(crate) fn bytes(count: u64) -> String {
    match count {
        0..10_000 => format!("{count} bytes"),
        10_000..10_000_000 => format!("{:.1} KiB", count as f64 / 1024.0),
        _ => format!("{:.1} MiB", count as f64 / 1024.0 / 1024.0),
    }
}

/// Where a column's words stand.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Align {
    Left,
    Right,
}

/// Rows of words in aligned columns, two blanks apart, each line behind `indent`.
pub(crate) fn table(indent: &str, columns: &[Align], rows: &[Vec<String>]) -> String {
    let width = |column: usize| {
        let words = rows.iter().filter_map(|row| row.get(column));
        words.map(|word| word.chars().count()).max().unwrap_or(0)
    };
    let widths: Vec<usize> = (0..columns.len()).map(width).collect();
    let mut out = String::new();
    for row in rows {
        let mut line = indent.to_string();
        for ((word, align), width) in row.iter().zip(columns).zip(&widths) {
            let pad = " ".repeat(width - word.chars().count());
            match align {
                Align::Left => line.extend([word.as_str(), &pad]),
                Align::Right => line.extend([&pad, word.as_str()]),
            }
            line.push_str("  ");
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
    fn numbers_are_short_and_still_true() {
        for (value, want) in [
            (7.0, "7"),
            (0.5, "0.5"),
            (165.33333333333334, "165.333"),
            (1e-7, "0.0000001"),
            (0.000123456789, "0.000123457"),
            (1234567890.0, "1234567890"),
            (f64::NAN, "none"),
        ] {
            assert_eq!(number(value), want);
        }
    }

    #[test]
    fn columns_are_aligned_and_controls_escaped() {
        let rows = [["a", "1"], ["long", "22"]].map(|r| r.map(String::from).to_vec());
        assert_eq!(table("  ", &[Align::Left, Align::Right], &rows), "  a      1\n  long  22\n");
        assert_eq!(safe("a\x1b[2Jb\n"), "a\\u{1b}[2Jb\\n");
        assert_eq!(safe("a\u{2028}\u{200b}\u{feff}\u{e0041}b"), "a\\u{2028}\\u{200b}\\u{feff}\\u{e0041}b");
        // As JSON has them: of two units beyond the first plane.
        assert_eq!(
            json(&"a\u{9b}\u{202e}\u{e0041}\x1b\u{e9}").unwrap(),
            "\"a\\u009b\\u202e\\udb40\\udc41\\u001b\u{e9}\""
        );
    }
}
