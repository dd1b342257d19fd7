//! A picture in the colours of a palette: the nearest in Oklab, dithered.
//!
//! Not here: which colours those are ([`palette`](super::palette)).

use super::dither::{Dither, threshold};
use super::palette::{CELL_BITS, CELLS, cell_of, color_of, nearest};
use crate::color::{ColorSpace, oklab_of};
use crate::error::Result;
use crate::frame::Palette;
use crate::pixel::{Rgba, Transfer};
use std::collections::HashMap;

/// Finds the number of the colour that is nearest in Oklab to each pixel, dithered. Rows come from the top.
pub(crate) struct PaletteMap {
    colors: Vec<Rgba<u8>>,
    /// The opaque colours in Oklab, and their places in the palette.
    labs: Vec<[f32; 3]>,
    places: Vec<u8>,
    clear: Option<u8>,
    dither: Dither,
    /// For each cell the number and 1, found when it is first asked for, and [`HAS_OWN`] where colours of the palette itself are in it.
    known: Vec<u16>,
    /// Colours that are in the palette as they are.
    exact: HashMap<Rgba<u8>, u8>,
    errors: (Vec<[f32; 3]>, Vec<[f32; 3]>),
    to_xyz: crate::color::Matrix,
}

/// Marks a cell in which the palette has colours.
const HAS_OWN: u16 = 1 << 15;

impl PaletteMap {
    pub(crate) fn new(palette: &Palette, dither: Dither) -> Result<PaletteMap> {
        let to_xyz = ColorSpace::SRGB.to_xyz()?;
        let (mut labs, mut places, mut clear) = (Vec::new(), Vec::new(), None);
        let (mut exact, mut known) = (HashMap::new(), vec![0; CELLS]);
        for (place, &color) in (0u8..=255).zip(palette.colors()) {
            if color.a < 128 {
                clear = clear.or(Some(place));
                continue;
            }
            exact.entry(color).or_insert(place);
            known[cell_of(color)] |= HAS_OWN;
            labs.push(lab_of(&to_xyz, [color.r, color.g, color.b]));
            places.push(place);
        }
        let colors = palette.colors().to_vec();
        Ok(PaletteMap { colors, labs, places, clear, dither, known, exact, errors: Default::default(), to_xyz })
    }

    /// Forgets what rows before have left over.
    pub(crate) fn restart(&mut self) {
        self.errors = Default::default();
    }

    /// The numbers of a row.
    pub(crate) fn row(&mut self, y: u32, row: &[u8], channels: usize, to: &mut [u8]) {
        let width = to.len();
        if self.dither == Dither::Diffusion {
            self.errors.0.resize(width + 2, [0.0; 3]);
            self.errors.1.clear();
            self.errors.1.resize(width + 2, [0.0; 3]);
        }
        // About half the distance between colours, were they spread evenly: real ones lie closer.
        let spread = 128.0 / (self.places.len().max(1) as f32).cbrt();
        // All of it for black and white, and less the more colours there are to choose from; found by looking.
        let limit = (430.0 / (self.places.len().max(1) as f32).powf(0.75)).max(0.5 * spread);
        for (x, (pixel, to)) in row.chunks_exact(channels).zip(to.iter_mut()).enumerate() {
            let color = color_of(pixel);
            if let (true, Some(clear)) = (color.a < 128, self.clear) {
                *to = clear;
                continue;
            }
            let own = [color.r, color.g, color.b];
            *to = match self.dither {
                Dither::None => self.number(own),
                Dither::Ordered => {
                    // A colour that the palette has stays; one that lies between two is shifted as far as from one to the other.
                    let near = self.number(own);
                    let shift = (threshold(x as u32, y) as f32 - 0.5) * spread.min(4.0 * self.apart(own, near));
                    self.number(own.map(|v| byte(f32::from(v) + shift)))
                }
                Dither::Diffusion => {
                    let left = self.errors.0[x + 1];
                    // What lies outside of all colours cannot be made up for.
                    let wanted = [0, 1, 2].map(|c| (f32::from(own[c]) + left[c]).clamp(0.0, 255.0));
                    let place = self.number(wanted.map(byte));
                    let found = self.colors[usize::from(place)];
                    let found = [found.r, found.g, found.b];
                    for c in 0..3 {
                        // More than lies between two colours would be made up for by one that is quite another.
                        let error = (wanted[c] - f32::from(found[c])).clamp(-limit, limit);
                        self.errors.0[x + 2][c] += error * (7.0 / 16.0);
                        self.errors.1[x][c] += error * (3.0 / 16.0);
                        self.errors.1[x + 1][c] += error * (5.0 / 16.0);
                        self.errors.1[x + 2][c] += error * (1.0 / 16.0);
                    }
                    place
                }
            };
        }
        std::mem::swap(&mut self.errors.0, &mut self.errors.1);
    }

    /// The largest difference of a channel between a colour and one of the palette.
    fn apart(&self, [r, g, b]: [u8; 3], place: u8) -> f32 {
        let found = self.colors[usize::from(place)];
        f32::from(r.abs_diff(found.r).max(g.abs_diff(found.g)).max(b.abs_diff(found.b)))
    }

    fn number(&mut self, [r, g, b]: [u8; 3]) -> u8 {
        let color = Rgba::new(r, g, b, 255);
        let cell = cell_of(color);
        let known = self.known[cell];
        if known & HAS_OWN != 0
            && let Some(&place) = self.exact.get(&color)
        {
            return place;
        }
        if known & !HAS_OWN != 0 {
            return ((known & !HAS_OWN) - 1) as u8;
        }
        // The middle of the cell, so that it does not matter which of its colours came first.
        let middle = [r, g, b].map(|v| (v >> (8 - CELL_BITS) << (8 - CELL_BITS)) | (1 << (7 - CELL_BITS)));
        let place = self.places.get(nearest(&self.labs, lab_of(&self.to_xyz, middle))).copied().unwrap_or(0);
        self.known[cell] |= u16::from(place) + 1;
        place
    }
}

fn byte(value: f32) -> u8 {
    (value + 0.5).clamp(0.0, 255.0) as u8
}

fn lab_of(to_xyz: &crate::color::Matrix, rgb: [u8; 3]) -> [f32; 3] {
    let light = rgb.map(|v| Transfer::Srgb.decode(f64::from(v) / 255.0));
    oklab_of(crate::color::times(to_xyz, light)).map(|v| v as f32)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn diffused_areas_keep_their_mean() {
        let palette = Palette::new(vec![Rgba::new(0, 0, 0, 255), Rgba::new(255, 255, 255, 255)]).unwrap();
        for level in [30u8, 100, 128, 200] {
            let mut map = PaletteMap::new(&palette, Dither::Diffusion).unwrap();
            let mut sum = 0u32;
            for y in 0..64 {
                let mut to = [0u8; 64];
                map.row(y, &[level; 64 * 3], 3, &mut to);
                sum += to.iter().map(|&v| u32::from(v) * 255).sum::<u32>();
            }
            let mean = f64::from(sum) / 4096.0;
            assert!((mean - f64::from(level)).abs() < 6.0, "{level}: {mean}");
        }
    }
}
