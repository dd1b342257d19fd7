//! The quay of Grauwick: sky, hills, water, the wall, the graduated staff and the board of colour patches.

use crate::noise::{cloudy, hash, smooth};
use rahmen::{Frame, Gray, GrayAlpha, Region, Result, Rgb, Size, color};

const SIZE: Size = Size::new(480, 320);
pub(crate) const HORIZON: i32 = 150;
pub(crate) const WALL: i32 = 238;
/// The staff and the board with their dark edges: left, right, top, bottom.
pub(crate) const STAFF: (u32, u32, u32, u32) = (81, 109, 92, 310);
pub(crate) const BOARD: (u32, u32, u32, u32) = (286, 426, 168, 264);
type Color = Rgb<u8>;

fn rgb(r: i32, g: i32, b: i32) -> Color {
    Rgb::new(r.clamp(0, 255) as u8, g.clamp(0, 255) as u8, b.clamp(0, 255) as u8)
}

fn mix(a: Color, b: Color, part: i32, whole: i32) -> Color {
    let part = part.clamp(0, whole);
    let each = |a: u8, b: u8| (i32::from(a) * (whole - part) + i32::from(b) * part) / whole;
    rgb(each(a.r, b.r), each(a.g, b.g), each(a.b, b.b))
}

/// The sky at a height: violet above, orange at the horizon, with long thin clouds and the sun's glow.
fn sky(x: i32, y: i32) -> Color {
    let base = mix(rgb(44, 52, 96), rgb(244, 176, 118), y * y, HORIZON * HORIZON);
    let cloud = (cloudy(x, y * 5, 120, 7) - 120).max(0) * y / HORIZON;
    let lit = mix(base, rgb(255, 206, 178), cloud, 160);
    let (dx, dy) = (x - 342, y - 132);
    let squared = dx * dx + dy * dy;
    if squared < 15 * 15 {
        return rgb(255, 244, 214);
    }
    mix(lit, rgb(255, 226, 160), 2600 / (squared / 24 + 12), 160)
}

/// Everything above the water line, also what the water mirrors.
fn above_water(x: i32, y: i32) -> Color {
    let far = HORIZON - 12 - smooth(x, 0, 70, 3) / 9;
    let near = HORIZON - 2 - (smooth(x + 31, 0, 44, 5) - 110).max(0) / 7;
    match y {
        _ if y >= near => rgb(52, 50, 72),
        _ if y >= far => mix(rgb(108, 92, 116), rgb(196, 148, 128), HORIZON - y, 40),
        _ => sky(x, y),
    }
}

fn water(x: i32, y: i32) -> Color {
    let depth = y - HORIZON;
    let ripple = (smooth(x, y * 7, 26, 11) - 128) * (depth + 6) / 260;
    let mirrored =
        above_water((x + ripple * 2).clamp(0, 479), (HORIZON - 1 - depth - ripple / 2).clamp(0, HORIZON - 1));
    let dark = mix(mirrored, rgb(22, 44, 66), 40 + depth, 150);
    let glint = (smooth(x, y * 9, 9, 13) - 214).max(0) * 3;
    mix(dark, rgb(255, 232, 190), glint, 300)
}

/// Stone blocks in courses, each block a little different, with joints and a lit edge on top.
fn wall(x: i32, y: i32) -> Color {
    let course = (y - WALL) / 20;
    let shifted = x + if course % 2 == 0 { 0 } else { 22 };
    let block = (hash(shifted / 44, course, 17) % 22) as i32;
    let grain = (hash(x, y, 19) % 14) as i32 + cloudy(x, y, 24, 23) / 10;
    let wet = (y - WALL - 40).max(0) / 2;
    let joint = shifted % 44 < 2 || (y - WALL) % 20 < 2;
    let shade = 66 + block + grain - wet - if joint { 34 } else { 0 } + if y - WALL < 3 { 46 } else { 0 };
    rgb(shade + 10, shade + 2, shade - 4)
}

/// The tide staff: a white board with a mark every 10 pixels, longer ones every fifth, red at the metres.
fn draw_staff(frame: &mut Frame<Color>) -> Result<()> {
    let (x0, top, bottom) = (84u32, 96u32, 306u32);
    frame.region_mut(Region::new(x0 - 3..x0 + 25, top - 4..bottom + 4)?)?.fill(Rgb::new(38, 36, 44));
    frame.region_mut(Region::new(x0..x0 + 22, top..bottom)?)?.fill(Rgb::new(236, 232, 222));
    for (i, y) in (top..bottom).step_by(10).enumerate() {
        let long = i % 5 == 0;
        let ink = if long { Rgb::new(178, 38, 34) } else { Rgb::new(26, 26, 30) };
        let length = if long { 22 } else { 12 };
        frame.region_mut(Region::new(x0..x0 + length, y..y + 5)?)?.fill(ink);
    }
    Ok(())
}

/// The board of colour patches: seven paints of the place, each deep, full and pale, over a strip of eight grays.
fn draw_board(frame: &mut Frame<Color>) -> Result<()> {
    let paints = [
        rgb(184, 72, 40),  // rust
        rgb(224, 164, 48), // amber
        rgb(116, 136, 44), // moss
        rgb(48, 140, 92),  // reed
        rgb(24, 124, 156), // tide
        rgb(68, 80, 156),  // slate
        rgb(156, 68, 136), // heather
    ];
    let (black, white) = (rgb(0, 0, 0), rgb(255, 255, 255));
    let (x0, y0) = (286u32, 168u32);
    for post in [x0 + 12, x0 + 122] {
        frame.region_mut(Region::new(post..post + 6, y0 + 90..y0 + 132)?)?.fill(Rgb::new(40, 34, 32));
    }
    frame.region_mut(Region::new(x0..x0 + 140, y0..y0 + 96)?)?.fill(Rgb::new(28, 28, 30));
    for (column, paint) in (0u32..).zip(paints) {
        for (row, tint) in (0u32..).zip([mix(paint, black, 2, 5), paint, mix(paint, white, 1, 2)]) {
            let (x, y) = (x0 + 4 + column * 19, y0 + 5 + row * 21);
            frame.region_mut(Region::new(x..x + 18, y..y + 19)?)?.fill(tint);
        }
    }
    for step in 0..8 {
        let x = x0 + 6 + step * 16;
        let v = (step * 255 / 7) as u8;
        frame.region_mut(Region::new(x..x + 16, y0 + 70..y0 + 91)?)?.fill(Rgb::new(v, v, v));
    }
    Ok(())
}

/// The quay at dawn, in colour.
pub(crate) fn dawn() -> Result<Frame<Color>> {
    let mut frame = Frame::from_fn(SIZE, |x, y| {
        let (x, y) = (x as i32, y as i32);
        let color = match y {
            _ if y < HORIZON => above_water(x, y),
            _ if y < WALL => water(x, y),
            _ => wall(x, y),
        };
        let grain = (hash(x, y, 29) % 5) as i32 - 2;
        rgb(i32::from(color.r) + grain, i32::from(color.g) + grain, i32::from(color.b) + grain)
    })?;
    draw_staff(&mut frame)?;
    draw_board(&mut frame)?;
    Ok(frame)
}

/// The same place in fog: gray, of low contrast, the farther the fainter.
pub(crate) fn in_fog(dawn: &Frame<Color>) -> Result<Frame<Gray<u8>>> {
    let gray = color::gray(dawn.view(), color::GrayWeights::Bt709)?;
    Frame::from_fn(dawn.size(), |x, y| {
        let GrayAlpha { value: v, a } = GrayAlpha::new(gray[(x, y)].value, 30 + (y / 4) as u8);
        let drift = cloudy(x as i32, y as i32, 90, 31) / 8;
        let veil = 150 + drift;
        let mixed = (i32::from(v) * i32::from(a) + veil * (255 - i32::from(a))) / 255;
        Gray::new((mixed + (hash(x as i32, y as i32, 37) % 3) as i32).clamp(0, 255) as u8)
    })
}
