//! The passes of a picture: one where it is not interlaced, up to seven where it is (Adam7, 8.2).

use super::header::Header;
use crate::frame::Size;

/// A pass: the pixels at `x + i * dx`, `y + j * dy`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Pass {
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) dx: u32,
    pub(super) dy: u32,
    pub(super) width: u32,
    pub(super) height: u32,
}

/// First column and row, and the steps between columns and rows, of the seven passes (table 8).
const ADAM7: [[u32; 4]; 7] =
    [[0, 0, 8, 8], [4, 0, 8, 8], [0, 4, 4, 8], [2, 0, 4, 4], [0, 2, 2, 4], [1, 0, 2, 2], [0, 1, 1, 2]];

/// The passes that have pixels, in the order of the file.
pub(super) fn passes(header: &Header) -> Vec<Pass> {
    let Size { width, height } = header.size;
    if !header.interlaced {
        return vec![Pass { x: 0, y: 0, dx: 1, dy: 1, width, height }];
    }
    let count = |side: u32, start: u32, step: u32| side.saturating_sub(start).div_ceil(step);
    let pass =
        |[x, y, dx, dy]: [u32; 4]| Pass { x, y, dx, dy, width: count(width, x, dx), height: count(height, y, dy) };
    // 8.2: a pass without columns or rows is left out, filter bytes and all.
    ADAM7.into_iter().map(pass).filter(|p| p.width > 0 && p.height > 0).collect()
}

/// Puts a pass's row, its samples taken apart, where it belongs among rows of `width` pixels of `pixel_bytes` bytes.
pub(super) fn scatter(pass: &Pass, row: u32, from: &[u8], canvas: &mut [u8], width: u32, pixel_bytes: usize) {
    // The pass lies inside the picture, whose canvas is width x height x pixel_bytes long.
    let y = (row as usize).saturating_mul(pass.dy as usize).saturating_add(pass.y as usize);
    let start = y.saturating_mul(width as usize).saturating_add(pass.x as usize).saturating_mul(pixel_bytes);
    let step = (pass.dx as usize).saturating_mul(pixel_bytes);
    let canvas = canvas.get_mut(start..).unwrap_or_default();
    match pixel_bytes {
        1 => pixels::<1>(from, canvas, step),
        2 => pixels::<2>(from, canvas, step),
        3 => pixels::<3>(from, canvas, step),
        4 => pixels::<4>(from, canvas, step),
        6 => pixels::<6>(from, canvas, step),
        _ => pixels::<8>(from, canvas, step),
    }
}

/// Puts pixels of `N` bytes into every `step`-th place.
fn pixels<const N: usize>(from: &[u8], canvas: &mut [u8], step: usize) {
    for (to, from) in canvas.chunks_mut(step).zip(from.as_chunks::<N>().0) {
        if let Some(to) = to.first_chunk_mut::<N>() {
            *to = *from;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::header::Color;
    use super::*;

    #[test]
    fn every_pixel_is_in_one_pass_whatever_the_size() {
        for (width, height) in (1..=17).flat_map(|w| (1..=17).map(move |h| (w, h))) {
            let header = Header { size: Size::new(width, height), bits: 8, color: Color::Gray, interlaced: true };
            let mut canvas = vec![0u8; (width * height) as usize];
            let all = passes(&header);
            for (mark, pass) in (1u8..).zip(&all) {
                for row in 0..pass.height {
                    scatter(pass, row, &vec![mark; pass.width as usize], &mut canvas, width, 1);
                }
            }
            let pixels: u32 = all.iter().map(|p| p.width * p.height).sum();
            assert!(pixels == width * height && canvas.iter().all(|&m| m > 0), "{width}x{height}");
        }
    }

    #[test]
    fn the_passes_of_eight_by_eight_are_those_of_the_standard() {
        let header = Header { size: Size::new(8, 8), bits: 8, color: Color::Gray, interlaced: true };
        let mut canvas = [0u8; 64];
        for (mark, pass) in (1u8..).zip(passes(&header)) {
            for row in 0..pass.height {
                scatter(&pass, row, &[mark; 8][..pass.width as usize], &mut canvas, 8, 1);
            }
        }
        // The figure of clause 8.2.
        let first = [[1, 6, 4, 6, 2, 6, 4, 6], [7; 8], [5, 6, 5, 6, 5, 6, 5, 6], [7; 8]];
        let second = [[3, 6, 4, 6, 3, 6, 4, 6], [7; 8], [5, 6, 5, 6, 5, 6, 5, 6], [7; 8]];
        assert_eq!(canvas.as_chunks::<8>().0, [first, second].concat());
    }
}
