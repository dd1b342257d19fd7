//! What is laid over the quay: spray with alpha, and a mask of the water.

use crate::noise::{cloudy, hash};
use crate::quay::{BOARD, HORIZON, STAFF, WALL};
use rahmen::{Frame, Gray, Result, Rgba, Size};

/// A wave breaking at the wall: a fan of mist, dense at its foot, and drops above it.
pub(crate) fn spray() -> Result<Frame<Rgba<u8>>> {
    Frame::from_fn(Size::new(200, 140), |x, y| {
        let (x, y) = (x as i32, y as i32);
        let (dx, up) = (x - 100, 139 - y);
        // The fan widens upward; far from its middle there is nothing.
        let wide = 26 + up * 2 / 5;
        let inside = (256 - (dx * dx * 256) / (wide * wide)).max(0);
        let mist = inside * (150 - up).max(0) / 150 * (90 + cloudy(x, y * 2, 34, 71)) / 300;
        // One drop a cell of seven pixels, here and there.
        let (cx, cy) = (x / 7, y / 7);
        let h = hash(cx, cy, 73);
        let (px, py) = (x % 7 - 1 - (h % 5) as i32, y % 7 - 1 - (h / 5 % 5) as i32);
        let drop = if h.is_multiple_of(3) && inside > 30 { (200 - 70 * (px * px + py * py)).max(0) } else { 0 };
        let alpha = (mist + drop).clamp(0, 240);
        let shade = (cloudy(x, y, 20, 79) - 128) / 8;
        let v = |base: i32| (base + shade).clamp(0, 255) as u8;
        if alpha == 0 { Rgba::new(0, 0, 0, 0) } else { Rgba::new(v(226), v(232), v(238), alpha as u8) }
    })
}

/// White where the quay at dawn shows water.
pub(crate) fn water_mask() -> Result<Frame<Gray<u8>>> {
    Frame::from_fn(Size::new(480, 320), |x, y| {
        let behind =
            |(left, right, top, bottom): (u32, u32, u32, u32)| (left..right).contains(&x) && (top..bottom).contains(&y);
        let water = (HORIZON as u32..WALL as u32).contains(&y) && !behind(STAFF) && !behind(BOARD);
        Gray::new(if water { 255 } else { 0 })
    })
}
