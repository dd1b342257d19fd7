//! The pictures that the rows work on: a made-up surface of slopes and grain, as hard to compress as a photograph.

use rahmen::{Frame, Gray, Rgb, Size};

/// The side of the large square pictures: out of every cache.
pub(crate) const LARGE: Size = Size::new(4096, 4096);

/// Grain from a place: an integer hash, the same on every machine.
fn grain(x: u32, y: u32, salt: u32) -> u32 {
    let mut h = x.wrapping_mul(0x9E37_79B1) ^ y.wrapping_mul(0x85EB_CA6B) ^ salt.wrapping_mul(0xC2B2_AE35);
    h ^= h >> 15;
    h = h.wrapping_mul(0x2C1B_3C6D);
    h ^ (h >> 12)
}

fn level(x: u32, y: u32, salt: u32) -> u8 {
    let slope = (x / 9 + y / 13 + salt * 40) % 200;
    (slope + grain(x, y, salt) % 9 + (grain(x / 64, y / 64, salt) % 40)).min(255) as u8
}

pub(crate) fn rgb(size: Size) -> Frame<Rgb<u8>> {
    Frame::from_fn(size, |x, y| Rgb::new(level(x, y, 0), level(x, y, 1), level(x, y, 2))).expect("memory")
}

/// Areas of one colour, as a drawing or a scanned page has.
pub(crate) fn drawn(size: Size) -> Frame<Rgb<u8>> {
    let level = |x: u32, y: u32, salt: u32| if grain(x / 5, y / 7, salt).is_multiple_of(5) { 20 } else { 250 };
    Frame::from_fn(size, |x, y| Rgb::new(level(x, y, 1), level(x, y, 1), level(x, y, 1))).expect("memory")
}

pub(crate) fn gray(size: Size) -> Frame<Gray<u8>> {
    Frame::from_fn(size, |x, y| Gray::new(level(x, y, 0))).expect("memory")
}

pub(crate) fn gray_f32(size: Size) -> Frame<Gray<f32>> {
    Frame::from_fn(size, |x, y| Gray::new(f32::from(level(x, y, 0)) / 255.0)).expect("memory")
}

/// Slow waves with edges here and there: about a bit a pixel as JPEG of quality 75.
pub(crate) fn soft(size: Size) -> Frame<Rgb<u8>> {
    let wave = |v: f32| 127.5 + 90.0 * v.sin();
    Frame::from_fn(size, |x, y| {
        let (fx, fy) = (x as f32, y as f32);
        let edge = f32::from(u8::try_from(grain(x / 24, y / 20, 7) % 64).unwrap_or(0)) - 32.0;
        let grain = (grain(x, y, 3) % 13) as f32 - 6.0;
        let v = |wave: f32| (wave + edge + grain).clamp(0.0, 255.0) as u8;
        Rgb::new(v(wave(fx / 47.0 + fy / 90.0)), v(wave(fy / 53.0)), v(wave((fx + fy) / 71.0)))
    })
    .expect("memory")
}
