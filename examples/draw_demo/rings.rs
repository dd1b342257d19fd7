//! A ring chart: rings that grow finer outward up to the limit of the pixel grid, which shows aliasing.

use rahmen::{Frame, Gray, Result, Size};

/// Half a period of a parabola each way: close to a sine, in whole numbers. Phase 0 to 65,535, result -127 to 127.
fn wave(phase: u32) -> i32 {
    let half = (phase & 0x7fff) as i32;
    let arch = ((half * ((0x8000 - half) >> 2)) >> 21) * 127 / 32;
    if phase & 0x8000 == 0 { arch.min(127) } else { -arch.min(127) }
}

/// 256 x 256; at the middle of each side neighbouring pixels are half a period apart.
pub(crate) fn chart() -> Result<Frame<Gray<u8>>> {
    Frame::from_fn(Size::new(256, 256), |x, y| {
        let (dx, dy) = (2 * x as i32 - 255, 2 * y as i32 - 255);
        let squared = (dx * dx + dy * dy) as u32;
        // The phase grows with the square of the distance: 32 * squared / 65,536 turns, 32 rings to the edge.
        Gray::new((128 + wave((squared * 32 + 0x4000) & 0xffff)) as u8)
    })
}
