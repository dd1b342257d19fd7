//! How many channels a pixel has, as a value: what code over plain samples needs to know of a pixel type.

use super::layout::{Layout, Pixel};

/// The channels of a pixel: how many, and whether the last one is straight alpha.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Channels {
    /// Channels a pixel, alpha included; at least 1.
    pub count: usize,
    /// Whether the last channel is straight alpha.
    pub alpha: bool,
}

impl Channels {
    /// The channels of a pixel type.
    #[inline(always)]
    pub const fn of<P: Pixel>() -> Channels {
        Channels { count: P::CHANNELS, alpha: P::ALPHA }
    }

    /// So many channels without alpha.
    #[inline(always)]
    pub(crate) const fn plain(count: usize) -> Channels {
        Channels { count, alpha: false }
    }

    /// Channels but alpha.
    #[inline(always)]
    pub const fn colors(self) -> usize {
        self.count - self.alpha as usize
    }
}

impl From<Layout> for Channels {
    fn from(layout: Layout) -> Channels {
        Channels { count: layout.channels(), alpha: layout.has_alpha() }
    }
}
