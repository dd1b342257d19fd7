//! Noise from a fixed seed, in whole numbers.

/// A well-mixed number from a place and a seed.
pub(crate) fn hash(x: i32, y: i32, seed: u32) -> u32 {
    let mut h =
        (x as u32).wrapping_mul(0x9e37_79b1) ^ (y as u32).wrapping_mul(0x85eb_ca6b) ^ seed.wrapping_mul(0xc2b2_ae35);
    for _ in 0..2 {
        h ^= h >> 15;
        h = h.wrapping_mul(0x2c1b_3c6d);
        h ^= h >> 12;
    }
    h
}

/// Smooth noise with one lattice point every `cell` pixels: 0 to 255.
pub(crate) fn smooth(x: i32, y: i32, cell: i32, seed: u32) -> i32 {
    let (cx, cy) = (x.div_euclid(cell), y.div_euclid(cell));
    let (fx, fy) = (x.rem_euclid(cell), y.rem_euclid(cell));
    let at = |i: i32, j: i32| (hash(cx + i, cy + j, seed) & 255) as i32;
    let mix = |a: i32, b: i32, f: i32| (a * (cell - f) + b * f) / cell;
    mix(mix(at(0, 0), at(1, 0), fx), mix(at(0, 1), at(1, 1), fx), fy)
}

/// Three octaves of smooth noise: 0 to 255.
pub(crate) fn cloudy(x: i32, y: i32, cell: i32, seed: u32) -> i32 {
    let octave = |n: i32| smooth(x, y, (cell >> n).max(1), seed + n as u32);
    (4 * octave(0) + 2 * octave(1) + octave(2)) / 7
}
