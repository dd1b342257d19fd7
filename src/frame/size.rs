//! Width and height.

use super::Region;

/// Width and height in pixels. Shown as `640x480`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Size {
    /// Width in pixels.
    pub width: u32,
    /// Height in pixels.
    pub height: u32,
}

impl Size {
    /// The size with this width and height.
    pub const fn new(width: u32, height: u32) -> Size {
        Size { width, height }
    }

    /// The region that covers all of it.
    pub const fn region(self) -> Region {
        Region { x: 0, y: 0, width: self.width, height: self.height }
    }

    /// Whether it has no pixel: one side is 0.
    pub const fn is_empty(self) -> bool {
        self.width == 0 || self.height == 0
    }

    /// Pixels in all; cannot overflow.
    pub const fn pixels(self) -> u64 {
        self.width as u64 * self.height as u64
    }

    /// Whether the place (x, y) is inside.
    pub const fn contains(self, x: u32, y: u32) -> bool {
        x < self.width && y < self.height
    }

    /// Passes where the place (x, y) is inside.
    ///
    /// # Errors
    /// Outside: the error names axis, value and range, and says when the swapped pair would be inside.
    pub fn check_place(self, x: u32, y: u32) -> crate::Result<()> {
        if self.contains(x, y) { Ok(()) } else { Err(super::view::outside(self, x, y)) }
    }

    /// Width and height exchanged.
    pub const fn transposed(self) -> Size {
        Size { width: self.height, height: self.width }
    }
}

/// Passes where two sizes agree; `what` has the second one.
pub(crate) fn same_size(what: &str, wanted: Size, found: Size) -> crate::Result<()> {
    if wanted == found { Ok(()) } else { Err(crate::Error::sizes(what, wanted, found)) }
}

impl std::fmt::Display for Size {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}x{}", self.width, self.height)
    }
}
