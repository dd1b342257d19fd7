//! What the station's boat measures: water depths in metres, and a strip of its sonar.

use crate::noise::{cloudy, hash, smooth};
use rahmen::{Frame, Gray, Result, Size};

/// Depth in centimetres; none where the ground dries.
fn depth(x: i32, y: i32) -> Option<i32> {
    // From the quay in the upper left the ground falls into a channel that winds to the lower right.
    let bend = (smooth(0, y, 60, 41) - 128) / 3;
    let channel = (x - 60 - (y * 11) / 10 - bend).abs();
    let shelf = (x + 2 * y - 40).max(-20) * 4;
    let trench = (1500 - channel * 34).max(0);
    let sand = (cloudy(x, y, 50, 43) - 128) * 3 / 2 + (smooth(x * 3, y, 12, 47) - 128) / 6;
    // A wreck lies on the shelf: a hull with a scoured hollow around it.
    let (dx, dy) = (x - 178, (y - 52) * 3);
    let hull = dx * dx + dy * dy;
    let wreck = if hull < 420 { -320 } else { (900 - hull).max(0) / 5 };
    let found = 120 + shelf + trench + sand + wreck;
    (found > 0).then_some(found)
}

/// Depths below the tide gauge's zero, metres; NaN where the ground dries.
pub(crate) fn depths() -> Result<Frame<Gray<f32>>> {
    Frame::from_fn(Size::new(240, 160), |x, y| {
        Gray::new(depth(x as i32, y as i32).map_or(f32::NAN, |cm| cm as f32 / 100.0))
    })
}

/// A strip of side-scan sonar, a line a ping: the water below the boat is silent, the ground answers fainter with distance, and what
/// stands up throws a shadow away from the boat. Codes of 12 bits.
pub(crate) fn sonar() -> Result<Frame<Gray<u16>>> {
    let middle = 200;
    Frame::from_fn(Size::new(400, 200), |x, y| {
        let (x, y) = (x as i32, y as i32);
        let height = 34 + (smooth(0, y, 40, 53) - 128) / 12;
        let across = (x - middle).abs();
        let noise = (hash(x, y, 59) % 160) as i32;
        if across < height {
            let surface = if across < 3 { 900 } else { 0 };
            return Gray::new((60 + noise / 2 + surface) as u16);
        }
        let fading = 2600 - (across - height) * 9;
        let ripples = (smooth(x * 2 + y, y * 5 - x, 14, 61) - 128) * 5;
        let ground = (cloudy(x, y, 60, 67) - 128) * 6;
        // A block on the ground, bright where it faces the boat.
        let (away, along) = (x - 292, y - 120);
        let seen = match () {
            () if (0..9).contains(&away) && along.abs() < 14 => 3900,
            () if (9..44).contains(&away) && along.abs() < 14 + away / 8 => 90,
            () => fading + ripples + ground,
        };
        Gray::new((seen + noise * 2).clamp(0, 4095) as u16)
    })
}
