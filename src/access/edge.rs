//! What lies outside a picture.

use crate::error::{Error, Result};
use crate::frame::Size;
use crate::pixel::Pixel;

/// Edge rule: the pixel at positions outside a picture.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum Edge<P> {
    /// The nearest pixel of the border: `a b c` goes on as `c c c`.
    #[default]
    Clamp,
    /// The picture mirrored about its outer border, the border pixel repeated, and so on periodically: `a b c` goes on
    /// as `c b a a b c`.
    Reflect,
    /// The picture again: `a b c` goes on as `a b c`.
    Wrap,
    /// One pixel everywhere.
    Constant(P),
}

impl<P> Edge<P> {
    /// The position inside `0..side` that stands for `at`, which may lie outside; `None` where a constant does.
    /// `side` must not be 0 unless the edge is a constant; then there is none.
    #[inline]
    pub fn inside(&self, at: i64, side: u32) -> Option<u32> {
        if (0..i64::from(side)).contains(&at) {
            return Some(at as u32);
        }
        self.kind().beyond(at, side)
    }

    /// The edge rule without its pixel.
    #[inline]
    pub fn kind(&self) -> Edge<()> {
        match self {
            Edge::Clamp => Edge::Clamp,
            Edge::Reflect => Edge::Reflect,
            Edge::Wrap => Edge::Wrap,
            Edge::Constant(_) => Edge::Constant(()),
        }
    }

    /// Converts the pixel of a constant edge.
    pub fn map<Q>(self, pixel: impl FnOnce(P) -> Q) -> Edge<Q> {
        match self {
            Edge::Clamp => Edge::Clamp,
            Edge::Reflect => Edge::Reflect,
            Edge::Wrap => Edge::Wrap,
            Edge::Constant(p) => Edge::Constant(pixel(p)),
        }
    }
}

impl<P> Edge<P> {
    /// Converts the pixel of a constant edge, where that is possible.
    ///
    /// # Errors
    /// What `pixel` gives.
    pub fn try_map<Q, E>(self, pixel: impl FnOnce(P) -> std::result::Result<Q, E>) -> std::result::Result<Edge<Q>, E> {
        Ok(match self {
            Edge::Clamp => Edge::Clamp,
            Edge::Reflect => Edge::Reflect,
            Edge::Wrap => Edge::Wrap,
            Edge::Constant(p) => Edge::Constant(pixel(p)?),
        })
    }
}

impl Edge<()> {
    /// [`inside`](Edge::inside) of a position that lies outside: compiled once.
    fn beyond(self, at: i64, side: u32) -> Option<u32> {
        let n = i64::from(side);
        let last = n.checked_sub(1).filter(|last| *last >= 0)?;
        match self {
            Edge::Constant(()) => None,
            Edge::Clamp => Some(at.clamp(0, last) as u32),
            Edge::Wrap => Some(at.rem_euclid(n) as u32),
            Edge::Reflect => {
                let place = at.rem_euclid(2 * n);
                Some(if place < n { place } else { 2 * n - 1 - place } as u32)
            }
        }
    }
}

impl<P: Pixel> Edge<P> {
    /// The pixel that a constant edge shows; the default elsewhere, where it is never asked for.
    pub(crate) fn constant(self) -> P {
        if let Edge::Constant(pixel) = self { pixel } else { P::default() }
    }
}

impl<P> Edge<P> {
    /// An empty picture has no border that could go on.
    pub(crate) fn needs_pixels(&self, size: Size) -> Result<()> {
        if size.is_empty() && !matches!(self, Edge::Constant(_)) {
            return Err(Error::invalid(
                "edge",
                format!("a picture of {size} has no pixel to go on with; use a constant edge"),
            ));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::Gray;

    #[test]
    fn each_edge_goes_on_as_the_words_say() {
        let go_on = |edge: Edge<Gray<u8>>| -> String {
            (-7..10).map(|at| edge.inside(at, 3).map_or('-', |i| ['a', 'b', 'c'][i as usize])).collect()
        };
        assert_eq!(go_on(Edge::Clamp), "aaaaaaaabcccccccc");
        assert_eq!(go_on(Edge::Reflect), "aabccbaabccbaabcc");
        assert_eq!(go_on(Edge::Wrap), "cabcabcabcabcabca");
        assert_eq!(go_on(Edge::Constant(Gray::new(0))), "-------abc-------");
        assert_eq!(Edge::<Gray<u8>>::Reflect.inside(i64::MIN, 1), Some(0));
        assert_eq!(Edge::<Gray<u8>>::Wrap.inside(5, 0), None);
    }
}
