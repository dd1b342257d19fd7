//! What a terminal says of itself: whether it takes pictures, and how large its characters are.
//!
//! It is asked, and given a moment to answer: for picture commands and the largest sixel graphics first, then for its attributes, which
//! every terminal answers.

use rahmen::Size;
use rahmen_show::text::Images;

/// Screen pixels of a character where the terminal does not say.
const CELL: (u32, u32) = (8, 16);

/// Sixel graphics that a terminal takes where it does not say: the default of several. Larger ones may be dropped without a word.
const LARGEST_SIXEL: Size = Size { width: 1000, height: 1000 };

/// How a terminal takes pictures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Takes {
    pub(crate) images: Images,
    /// The largest of them, in screen pixels.
    pub(crate) largest: Size,
}

impl Takes {
    /// What is known of a terminal that was not asked.
    pub(crate) fn of(images: Images) -> Takes {
        let unlimited = Size::new(u32::MAX, u32::MAX);
        Takes { images, largest: if images == Images::Sixel { LARGEST_SIXEL } else { unlimited } }
    }
}

/// How it takes pictures; `None` where it does not, or is no terminal.
#[cfg(unix)]
pub(crate) fn images() -> Option<Takes> {
    use rustix::termios::{LocalModes, OptionalActions, SpecialCodeIndex, tcgetattr, tcsetattr};
    use std::io::{IsTerminal, Read, Write};
    if !std::io::stdout().is_terminal() || std::env::var("TERM").as_deref() == Ok("dumb") {
        return None;
    }
    let mut tty = std::fs::File::options().read(true).write(true).open("/dev/tty").ok()?;
    let before = tcgetattr(&tty).ok()?;
    let mut asking = before.clone();
    asking.local_modes.remove(LocalModes::ECHO | LocalModes::ICANON);
    // A read gives what there is, or nothing after two tenths of a second.
    asking.special_codes[SpecialCodeIndex::VMIN] = 0;
    asking.special_codes[SpecialCodeIndex::VTIME] = 2;
    tcsetattr(&tty, OptionalActions::Flush, &asking).ok()?;
    let mut answer = Vec::new();
    if tty.write_all(b"\x1b_Gi=31,s=1,v=1,a=q,t=d,f=24;AAAA\x1b\\\x1b[?2;1;0S\x1b[c").is_ok() {
        let mut part = [0; 256];
        while let Ok(n) = tty.read(&mut part) {
            answer.extend_from_slice(&part[..n]);
            if n == 0 || answer.len() > 4096 || (answer.ends_with(b"c") && contains(&answer, b"\x1b[?")) {
                break;
            }
        }
    }
    let _ = tcsetattr(&tty, OptionalActions::Now, &before);
    understood(&answer)
}

/// How it takes pictures: it was not asked.
#[cfg(not(unix))]
pub(crate) fn images() -> Option<Takes> {
    None
}

#[cfg_attr(not(unix), allow(dead_code))]
fn contains(bytes: &[u8], part: &[u8]) -> bool {
    bytes.windows(part.len()).any(|w| w == part)
}

/// What the answer says: the commands are taken, or the attributes have number 4, sixel graphics, of a size at most.
#[cfg_attr(not(unix), allow(dead_code))]
fn understood(answer: &[u8]) -> Option<Takes> {
    if contains(answer, b"\x1b_Gi=31;OK") {
        return Some(Takes::of(Images::Inline));
    }
    // Answers are CSI ? numbers, and a letter that says to what.
    let numbers = |letter: u8| -> Option<Vec<u32>> {
        let answers = answer.split(|b| *b == 0x1b).filter_map(|part| part.strip_prefix(b"[?"));
        let text =
            answers.filter_map(|part| part.split(|b| *b == letter).next().filter(|t| t.len() < part.len())).next()?;
        let text = std::str::from_utf8(text).ok()?;
        Some(text.split(';').filter_map(|number| number.parse().ok()).collect())
    };
    let attributes = numbers(b'c')?;
    attributes.iter().skip(1).any(|number| *number == 4).then(|| match numbers(b'S').as_deref() {
        Some(&[2, 0, width, height]) if width.min(height) > 0 => {
            Takes { images: Images::Sixel, largest: Size::new(width, height) }
        }
        _ => Takes::of(Images::Sixel),
    })
}

/// Screen pixels that a character is wide and high.
pub(crate) fn cell() -> (u32, u32) {
    #[cfg(unix)]
    if let Ok(size) = rustix::termios::tcgetwinsize(std::io::stdout()) {
        let side = |pixels: u16, count: u16| {
            u32::from(pixels).checked_div(count.into()).filter(|side| (2..=200).contains(side))
        };
        if let (Some(w), Some(h)) = (side(size.ws_xpixel, size.ws_col), side(size.ws_ypixel, size.ws_row)) {
            return (w, h);
        }
    }
    CELL
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_are_understood() {
        assert_eq!(understood(b"\x1b_Gi=31;OK\x1b\\\x1b[?62;c"), Some(Takes::of(Images::Inline)));
        assert_eq!(understood(b"\x1b[?62;4;22c"), Some(Takes::of(Images::Sixel)));
        let largest = Some(Takes { images: Images::Sixel, largest: Size::new(1212, 768) });
        assert_eq!(understood(b"\x1b[?2;0;1212;768S\x1b[?62;4;22c"), largest);
        // An error, and no size.
        assert_eq!(understood(b"\x1b[?2;3;0S\x1b[?62;4;22c"), Some(Takes::of(Images::Sixel)));
        assert_eq!(understood(b"\x1b[?2;0;1212;768S\x1b[?62;22c"), None);
        assert_eq!(understood(b"\x1b[?64;14;22c"), None);
        // The first number is the terminal's level.
        assert_eq!(understood(b"\x1b[?4;6c"), None);
        assert_eq!(understood(b""), None);
        assert_eq!(understood(b"garbage"), None);
    }
}
