//! The colours of a palette that stand for those of a picture, and the picture in them.
//!
//! Colours are counted in cells of 6 bits a channel. The cells are cut into boxes in Oklab: again and again the box whose colours lie
//! farthest apart, weighted by their number, along the axis on which they do, at their mean (after Wu 1991, who cuts in RGB). The means
//! of the boxes are then moved to the means of the cells that they are nearest to, a few times (Lloyd 1982).
//!
//! Not here: numbers of colours as such ([`ToIndices`](crate::flow::ToIndices)).

use super::dither::Dither;
use crate::color::{ColorSpace, oklab_of, oklab_to_xyz};
use crate::error::{Error, Result};
use crate::frame::{AnySamples, Palette, Pixels};
use crate::memory::{self, Account, Charge};
use crate::pixel::{Rgba, Transfer};
use std::collections::HashSet;

/// Bits of a channel that tell cells apart.
pub(super) const CELL_BITS: u32 = 6;
pub(super) const CELLS: usize = 1 << (3 * CELL_BITS);
/// How often the means are moved.
const ROUNDS: usize = 4;
/// Exact colours that are counted at most: as many as a palette holds.
const EXACT: usize = 256;

/// Rules of the reduction to a palette. Default: 256 colours, no dithering.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct PaletteRules {
    /// Number of colours at most, 2 to 256; a transparent one is among them where there are transparent pixels.
    pub colors: u16,
    /// Dithering of what lies between the colours.
    pub dither: Dither,
}

impl Default for PaletteRules {
    fn default() -> Self {
        PaletteRules { colors: 256, dither: Dither::None }
    }
}

impl PaletteRules {
    /// So many colours at most.
    pub fn colors(colors: u16) -> PaletteRules {
        PaletteRules { colors, ..PaletteRules::default() }
    }

    /// Sets the dithering.
    pub fn dither(self, dither: Dither) -> PaletteRules {
        PaletteRules { dither, ..self }
    }

    pub(crate) fn check(&self) -> Result<()> {
        match self.colors {
            2..=256 => Ok(()),
            other => Err(Error::out_of_range(
                "colors",
                f64::from(other),
                (2.0, 256.0),
                format!("a palette of {other} colours; it has 2 to 256"),
            )),
        }
    }
}

/// Counts the colours of a picture, strip by strip.
#[derive(Debug)]
pub struct ColorCounts {
    /// The colours themselves, in the order in which they appear, as long as a palette holds them all.
    exact: Option<Vec<Rgba<u8>>>,
    /// The same, to be found.
    seen: HashSet<Rgba<u8>>,
    /// For each cell its place among those that hold a colour, from 1; and for each of those the number of its opaque pixels and the
    /// sums of their channels. Small pictures by the thousand, such as frames, need not clear a table of sums each.
    places: Vec<u32>,
    sums: Vec<(u64, [u64; 3])>,
    transparent: bool,
    _charge: Charge,
}

impl ColorCounts {
    /// No colours so far. Takes 1 MiB, and up to 8 MiB for the colours.
    ///
    /// # Errors
    /// The system has no memory for the tables.
    pub fn new() -> Result<ColorCounts> {
        ColorCounts::charged(None)
    }

    /// [`new`](ColorCounts::new), charged to a budget.
    pub(crate) fn charged(account: Account<'_>) -> Result<ColorCounts> {
        let charge = Charge::take(account, (CELLS * (size_of::<u32>() + size_of::<(u64, [u64; 3])>())) as u64)?;
        let (exact, seen, places) = (Some(Vec::new()), HashSet::new(), memory::zeros(CELLS)?);
        Ok(ColorCounts { exact, seen, places, sums: memory::room(CELLS)?, transparent: false, _charge: charge })
    }

    /// Counts pixels of gray or rgb, with alpha or without. One pass.
    ///
    /// # Errors
    /// Samples that are not u8, or ink.
    pub fn add(&mut self, pixels: &Pixels) -> Result<()> {
        let AnySamples::U8(view) = pixels.samples_any() else {
            let what = format!("a palette holds u8 colours, not {}", pixels.depth());
            return Err(Error::invalid("pixels", what));
        };
        let layout = pixels.layout();
        for row in view.rows() {
            let mut last = None;
            for pixel in row.chunks_exact(layout.channels()) {
                let color = color_of(pixel);
                if last != Some(color) {
                    self.see(color);
                    last = Some(color);
                }
                if color.a >= 128 {
                    let place = &mut self.places[cell_of(color)];
                    if *place == 0 {
                        self.sums.push((0, [0; 3]));
                        *place = self.sums.len() as u32;
                    }
                    let (count, sums) = &mut self.sums[*place as usize - 1];
                    *count += 1;
                    for (sum, v) in sums.iter_mut().zip([color.r, color.g, color.b]) {
                        *sum += u64::from(v);
                    }
                }
            }
        }
        Ok(())
    }

    fn see(&mut self, color: Rgba<u8>) {
        self.transparent |= color.a < 128;
        if let Some(colors) = &mut self.exact
            && self.seen.insert(color)
        {
            colors.push(color);
            if colors.len() > EXACT {
                self.exact = None;
            }
        }
    }

    /// The palette: all colours of the picture where they are few enough, else colours that stand for them.
    ///
    /// # Errors
    /// Rules out of range, or no pixel.
    pub fn palette(&self, rules: &PaletteRules) -> Result<Palette> {
        rules.check()?;
        let wanted = usize::from(rules.colors);
        if let Some(colors) = self.exact.as_ref().filter(|colors| colors.len() <= wanted) {
            return Palette::new(colors.clone());
        }
        let mut out = Vec::with_capacity(wanted);
        if self.transparent {
            out.push(Rgba::new(0, 0, 0, 0));
        }
        let cells = self.points()?;
        let room = wanted - out.len();
        let means = moved(&cells, cut(&cells, room));
        let from_xyz = ColorSpace::SRGB.from_xyz()?;
        for mean in means {
            let light = crate::color::times(&from_xyz, oklab_to_xyz(mean.map(f64::from)));
            let [r, g, b] = light.map(|v| (Transfer::Srgb.encode(v) * 255.0 + 0.5).floor().clamp(0.0, 255.0) as u8);
            let color = Rgba::new(r, g, b, 255);
            if !out.contains(&color) {
                out.push(color);
            }
        }
        Palette::new(out)
    }

    /// Whether the palette by these rules has every colour of the picture.
    pub fn is_exact(&self, rules: &PaletteRules) -> bool {
        self.exact.as_ref().is_some_and(|colors| colors.len() <= usize::from(rules.colors))
    }

    /// The cells that hold colours, by the mean of each.
    fn points(&self) -> Result<Vec<Point>> {
        let to_xyz = ColorSpace::SRGB.to_xyz()?;
        let mut out = Vec::new();
        // In the order of the cells, whatever order the colours came in.
        for (count, sums) in self.places.iter().filter(|place| **place > 0).map(|place| &self.sums[*place as usize - 1])
        {
            let mean = sums.map(|sum| Transfer::Srgb.decode(sum as f64 / *count as f64 / 255.0));
            let lab = oklab_of(crate::color::times(&to_xyz, mean)).map(|v| v as f32);
            out.push(Point { lab, weight: *count as f32 });
        }
        Ok(out)
    }
}

/// A cell's mean colour in Oklab and how many pixels it has.
#[derive(Debug, Clone, Copy)]
struct Point {
    lab: [f32; 3],
    weight: f32,
}

pub(super) fn color_of(pixel: &[u8]) -> Rgba<u8> {
    match *pixel {
        [v] => Rgba::new(v, v, v, 255),
        [v, a] => Rgba::new(v, v, v, a),
        [r, g, b] => Rgba::new(r, g, b, 255),
        [r, g, b, a] => Rgba::new(r, g, b, a),
        _ => Rgba::new(0, 0, 0, 255),
    }
}

pub(super) fn cell_of(color: Rgba<u8>) -> usize {
    let part = |v: u8| usize::from(v) >> (8 - CELL_BITS);
    (part(color.r) << (2 * CELL_BITS)) | (part(color.g) << CELL_BITS) | part(color.b)
}

/// A box of cells: those that it holds, their mean, and the axis on which they lie farthest apart with how far in all.
struct Bin {
    points: Vec<Point>,
    mean: [f32; 3],
    axis: usize,
    apart: f64,
}

impl Bin {
    fn of(points: Vec<Point>) -> Bin {
        let (mut weight, mut sums, mut squares) = (0f64, [0f64; 3], [0f64; 3]);
        for p in &points {
            let w = f64::from(p.weight);
            weight += w;
            for c in 0..3 {
                let v = f64::from(p.lab[c]);
                sums[c] += w * v;
                squares[c] += w * v * v;
            }
        }
        let weight = weight.max(1.0);
        let apart = [0, 1, 2].map(|c| (squares[c] - sums[c] * sums[c] / weight).max(0.0));
        let axis = (0..3).max_by(|&a, &b| apart[a].total_cmp(&apart[b])).unwrap_or(0);
        Bin { mean: sums.map(|sum| (sum / weight) as f32), axis, apart: apart[axis], points }
    }
}

/// The means of at most so many boxes.
fn cut(points: &[Point], colors: usize) -> Vec<[f32; 3]> {
    let mut boxes = vec![Bin::of(points.to_vec())];
    while boxes.len() < colors {
        let most = (0..boxes.len()).max_by(|&a, &b| boxes[a].apart.total_cmp(&boxes[b].apart));
        let Some(place) = most.filter(|&place| boxes[place].points.len() > 1) else { break };
        let Bin { points, mean, axis, .. } = boxes.swap_remove(place);
        let (lower, upper): (Vec<Point>, Vec<Point>) = points.into_iter().partition(|p| p.lab[axis] <= mean[axis]);
        // A mean of one value that is rounded may have all on one side.
        let whole = lower.is_empty() || upper.is_empty();
        for mut part in [lower, upper].map(Bin::of) {
            if part.points.is_empty() {
                continue;
            }
            if whole {
                part.apart = 0.0;
            }
            boxes.push(part);
        }
        if boxes.iter().all(|b| b.apart <= 0.0) {
            break;
        }
    }
    boxes.iter().map(|b| b.mean).collect()
}

/// The means of the cells that each mean is nearest to, found again a few times.
fn moved(points: &[Point], mut means: Vec<[f32; 3]>) -> Vec<[f32; 3]> {
    for _ in 0..ROUNDS {
        let mut sums = vec![([0f64; 3], 0f64); means.len()];
        for p in points {
            let (sum, weight) = &mut sums[nearest(&means, p.lab)];
            let w = f64::from(p.weight);
            *weight += w;
            sum.iter_mut().zip(p.lab).for_each(|(sum, v)| *sum += w * f64::from(v));
        }
        for (mean, (sum, weight)) in means.iter_mut().zip(&sums) {
            if *weight > 0.0 {
                *mean = sum.map(|v| (v / weight) as f32);
            }
        }
    }
    means
}

/// The place of the nearest; the first of equal ones.
pub(super) fn nearest(means: &[[f32; 3]], lab: [f32; 3]) -> usize {
    let mut best = (f32::INFINITY, 0);
    for (place, mean) in means.iter().enumerate() {
        let [l, a, b] = [mean[0] - lab[0], mean[1] - lab[1], mean[2] - lab[2]];
        let distance = l * l + a * a + b * b;
        if distance < best.0 {
            best = (distance, place);
        }
    }
    best.1
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::Rgb;

    fn counted(frame: Frame<Rgb<u8>>) -> ColorCounts {
        let mut counts = ColorCounts::new().unwrap();
        counts.add(&frame.into()).unwrap();
        counts
    }

    #[test]
    fn few_colours_are_kept_as_they_are() {
        let colors = [Rgb::new(1u8, 2, 3), Rgb::new(1, 2, 4), Rgb::new(250, 0, 9)];
        let counts = counted(Frame::from_fn(Size::new(9, 9), |x, y| colors[((x + y) % 3) as usize]).unwrap());
        let palette = counts.palette(&PaletteRules::colors(3)).unwrap();
        let found: Vec<_> = palette.colors().iter().map(|c| Rgb::new(c.r, c.g, c.b)).collect();
        assert_eq!(found, colors);
        assert!(counts.is_exact(&PaletteRules::colors(3)) && !counts.is_exact(&PaletteRules::colors(2)));
        assert!(
            counts.palette(&PaletteRules::colors(1)).is_err() && counts.palette(&PaletteRules::colors(257)).is_err()
        );
    }

    #[test]
    fn groups_of_colours_become_their_means() {
        // Four groups far apart, each of a hundred and more colours that lie close together.
        let middles = [[40u8, 40, 40], [200, 30, 30], [30, 190, 60], [60, 70, 220]];
        let frame = Frame::from_fn(Size::new(64, 64), |x, y| {
            let [r, g, b] = middles[((x / 32) + 2 * (y / 32)) as usize];
            let shift = |v: u8, n: u32| v + (n % 5) as u8 - 2;
            Rgb::new(shift(r, x), shift(g, y), shift(b, x / 5 + y / 5))
        });
        let palette = counted(frame.unwrap()).palette(&PaletteRules::colors(4)).unwrap();
        assert_eq!(palette.colors().len(), 4);
        for [r, g, b] in middles {
            let near = |c: &Rgba<u8>| [(c.r, r), (c.g, g), (c.b, b)].iter().all(|(a, b)| a.abs_diff(*b) <= 1);
            assert!(palette.colors().iter().any(near), "{r} {g} {b}: {:?}", palette.colors());
        }
    }
}
