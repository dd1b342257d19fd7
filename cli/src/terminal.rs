//! What a terminal says of itself: whether it takes pictures, and how large its characters are.
//!
//! It is asked, and given a moment to answer: for picture commands first, then for its attributes, which every terminal answers.

use rahmen_show::text::Images;

/// Screen pixels of a character where the terminal does not say.
const CELL: (u32, u32) = (8, 16);

/// How it takes pictures; `None` where it does not, or is no terminal.
#[cfg(unix)]
pub(crate) fn images() -> Option<Images> {
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
    if tty.write_all(b"\x1b_Gi=31,s=1,v=1,a=q,t=d,f=24;AAAA\x1b\\\x1b[c").is_ok() {
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
pub(crate) fn images() -> Option<Images> {
    None
}

#[cfg_attr(not(unix), allow(dead_code))]
fn contains(bytes: &[u8], part: &[u8]) -> bool {
    bytes.windows(part.len()).any(|w| w == part)
}

/// What the answer says: the commands are taken, or the attributes have number 4, sixel graphics.
#[cfg_attr(not(unix), allow(dead_code))]
fn understood(answer: &[u8]) -> Option<Images> {
    if contains(answer, b"\x1b_Gi=31;OK") {
        return Some(Images::Inline);
    }
    let start = answer.windows(3).position(|w| w == b"\x1b[?")? + 3;
    let attributes = answer[start..].split(|b| *b == b'c').next()?;
    attributes.split(|b| *b == b';').skip(1).any(|number| number == b"4").then_some(Images::Sixel)
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
        assert_eq!(understood(b"\x1b_Gi=31;OK\x1b\\\x1b[?62;c"), Some(Images::Inline));
        assert_eq!(understood(b"\x1b[?62;4;22c"), Some(Images::Sixel));
        assert_eq!(understood(b"\x1b[?64;14;22c"), None);
        // The first number is the terminal's level.
        assert_eq!(understood(b"\x1b[?4;6c"), None);
        assert_eq!(understood(b""), None);
        assert_eq!(understood(b"garbage"), None);
    }
}
