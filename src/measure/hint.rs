//! What would make two unequal pictures equal: the accidents that happen between two tools.

use crate::access::Turn;
use crate::access::depth::pixels_to_depth;
use crate::frame::{Content, Job, Pixels, Region, View};
use crate::pixel::{Depth, Pixel, Stored, samples_of};
use crate::threads::Threads;

/// What would make two pictures equal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Hint {
    /// Red and blue exchanged.
    RedBlueSwapped,
    /// The second picture mirrored left-right.
    MirroredLeftRight,
    /// The second picture mirrored top-bottom.
    MirroredTopBottom,
    /// The second picture turned a quarter clockwise.
    TurnedRight,
    /// The second picture turned by a half.
    TurnedHalf,
    /// The second picture turned a quarter counter-clockwise.
    TurnedLeft,
    /// The second picture transposed.
    Transposed,
    /// The second picture transposed about the other diagonal.
    AntiTransposed,
    /// The finer of the two at the depth of the coarser, 8 bits.
    AtU8,
    /// The finer of the two at the depth of the coarser, 16 bits.
    AtU16,
}

impl Hint {
    /// The hint in words: `r and b are swapped`.
    pub fn words(self) -> &'static str {
        match self {
            Hint::RedBlueSwapped => "r and b are swapped",
            Hint::MirroredLeftRight => "the second is mirrored left-right",
            Hint::MirroredTopBottom => "the second is mirrored top-bottom",
            Hint::TurnedRight => "the second is turned a quarter to the right",
            Hint::TurnedHalf => "the second is turned by a half",
            Hint::TurnedLeft => "the second is turned a quarter to the left",
            Hint::Transposed => "the second is transposed",
            Hint::AntiTransposed => "the second is transposed about the other diagonal",
            Hint::AtU8 => "both are taken at u8",
            Hint::AtU16 => "both are taken at u16",
        }
    }

    fn of_turn(turn: Turn) -> Hint {
        match turn {
            Turn::LeftRight => Hint::MirroredLeftRight,
            Turn::TopBottom => Hint::MirroredTopBottom,
            Turn::Right => Hint::TurnedRight,
            Turn::Half => Hint::TurnedHalf,
            Turn::Left => Hint::TurnedLeft,
            Turn::Transpose => Hint::Transposed,
            Turn::AntiTranspose => Hint::AntiTransposed,
        }
    }
}

/// What would make two views equal that are not. Ends each try at the first rows that differ.
pub(super) fn hint<P: Pixel>(a: View<'_, P>, b: View<'_, P>) -> Option<Hint> {
    if P::CHANNEL_NAMES.starts_with(&["r", "g", "b"]) && a.size() == b.size() && swapped(a, b) {
        return Some(Hint::RedBlueSwapped);
    }
    Turn::ALL.into_iter().find(|&turn| laid_down(a, b, turn)).map(Hint::of_turn)
}

fn swapped<P: Pixel>(a: View<'_, P>, b: View<'_, P>) -> bool {
    (0..a.height()).all(|y| {
        let (a, b) = (a.row_numbers(y).chunks_exact(P::CHANNELS), b.row_numbers(y).chunks_exact(P::CHANNELS));
        a.zip(b).all(|(a, b)| a[0] == b[2] && a[1] == b[1] && a[2] == b[0] && a[3..] == b[3..])
    })
}

/// Rows looked at together.
const STRIP: u32 = 16;

fn laid_down<P: Pixel>(a: View<'_, P>, b: View<'_, P>, turn: Turn) -> bool {
    if turn.size(b.size()) != a.size() {
        return false;
    }
    (0..a.height()).step_by(STRIP as usize).all(|y| {
        let equal = || -> crate::Result<bool> {
            let strip = Region::new(0..a.width(), y..a.height().min(y.saturating_add(STRIP)))?;
            let turned = b.region(turn.source_of(strip, b.size())?)?.turned(turn)?;
            Ok(a.region(strip)?.rows().zip(turned.rows()).all(|(a, b)| samples_of(a) == samples_of(b)))
        };
        equal().unwrap_or(false)
    })
}

/// What would make two contents equal that cannot be compared: another size or depth.
pub(super) fn hint_of_contents(a: &Content, b: &Content) -> Option<Hint> {
    struct Turned<'a>(&'a Pixels);
    impl Job for Turned<'_> {
        type Out = Option<Hint>;
        fn run<P: Stored>(self, a: View<'_, P>) -> Option<Hint> {
            let b = self.0.view::<P>().ok()?;
            Turn::ALL.into_iter().find(|&turn| laid_down(a, b, turn)).map(Hint::of_turn)
        }
    }
    let (Content::Pixels(a), Content::Pixels(b)) = (a, b) else { return None };
    if a.layout() != b.layout() {
        return None;
    }
    if a.depth() == b.depth() {
        return a.visit(Turned(b));
    }
    let at = |depth: Depth| -> Option<bool> {
        let to = |p: &Pixels| pixels_to_depth(p, depth, None, Threads::ALL).ok();
        Some(a.size() == b.size() && to(a)? == to(b)?)
    };
    let coarser = [Depth::U8, Depth::U16].into_iter().find(|d| [a.depth(), b.depth()].contains(d))?;
    let hint = if coarser == Depth::U8 { Hint::AtU8 } else { Hint::AtU16 };
    at(coarser)?.then_some(hint)
}
