//! Equalising over tiles with a limit of contrast: each part of a picture by the distribution about it.

use super::apply::{Basis, relit};
use super::equalize::ONE_LEVEL;
use crate::error::{Error, Result};
use crate::frame::{AnySamples, AnySamplesMut, Frame, Size, View, ViewMut};
use crate::pixel::{Channels, Depth, PicturePixel, Sample};
use crate::threads::{COMPUTED, Threads};

/// Rules of adaptive equalising.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct AdaptiveRules {
    /// Number of tiles across and down (default: 8 and 8); their sides differ by at most a pixel.
    pub tiles: (u32, u32),
    /// Clip limit: counts above this multiple of their mean are spread over all bins. 1 leaves contrast nearly as
    /// it is, larger numbers raise it, infinity does not limit it (default: 3).
    pub clip_limit: f64,
    /// Basis (default: gray value).
    pub basis: Basis,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl AdaptiveRules {
    /// Sets the number of tiles across and down.
    pub fn tiles(self, across: u32, down: u32) -> AdaptiveRules {
        AdaptiveRules { tiles: (across, down), ..self }
    }

    /// Sets the clip limit.
    pub fn clip_limit(self, clip_limit: f64) -> AdaptiveRules {
        AdaptiveRules { clip_limit, ..self }
    }

    /// Sets the basis.
    pub fn basis(self, basis: Basis) -> AdaptiveRules {
        AdaptiveRules { basis, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> AdaptiveRules {
        AdaptiveRules { threads, ..self }
    }
}

impl Default for AdaptiveRules {
    fn default() -> Self {
        AdaptiveRules { tiles: (8, 8), clip_limit: 3.0, basis: Basis::GRAY_VALUE, threads: Threads::ALL }
    }
}

/// More tiles than this are refused.
const MOST_TILES: u32 = 4096;

/// Tile by tile distributions, collected row by row and then applied.
#[derive(Debug, Clone)]
pub struct AdaptiveTone {
    rules: AdaptiveRules,
    size: Size,
    bins: usize,
    /// Curves a tile: 1, or one a channel.
    sets: usize,
    /// Counts, and once they are all there, cumulative shares: `[(tile * sets + set) * bins ..]`.
    tables: Vec<f64>,
    ready: bool,
    range: (f64, f64),
}

impl AdaptiveTone {
    /// For pictures of this size and pixels of this type.
    ///
    /// # Errors
    /// A picture without pixels, no tiles, more than pixels of a side or than 4096, a limit below 1, cmyk with luminance.
    pub fn new<P: PicturePixel>(size: Size, rules: &AdaptiveRules) -> Result<AdaptiveTone> {
        AdaptiveTone::of(size, Channels::of::<P>(), P::Number::DEPTH, rules)
    }

    /// For pictures of this size, of this many channels of a depth.
    pub(crate) fn of(size: Size, channels: Channels, depth: Depth, rules: &AdaptiveRules) -> Result<AdaptiveTone> {
        let (across, down) = rules.tiles;
        if across == 0 || down == 0 || across > size.width || down > size.height {
            return Err(Error::invalid("tiles", format!("{across} x {down} tiles do not divide a picture of {size}")));
        }
        if across.saturating_mul(down) > MOST_TILES {
            return Err(Error::wrong_count(
                "tiles",
                across as usize * down as usize,
                (1, MOST_TILES as usize),
                format!("{across} x {down} tiles are more than {MOST_TILES}"),
            ));
        }
        if rules.clip_limit.is_nan() || rules.clip_limit < 1.0 {
            return Err(Error::out_of_range(
                "clip_limit",
                rules.clip_limit,
                (1.0, f64::INFINITY),
                format!("a clip limit is 1 or more, not {}", rules.clip_limit),
            ));
        }
        let colors = channels.colors();
        if let Basis::GrayValue(weights) = rules.basis {
            weights.check()?;
            if colors == 4 {
                return Err(Error::not_supported("the luminance of cmyk: ink needs a model of the printer"));
            }
        }
        let bins = if depth == Depth::U8 { 256 } else { 4096 };
        let sets = if rules.basis == Basis::EachChannel { colors } else { 1 };
        let tables = vec![0.0; across as usize * down as usize * sets * bins];
        Ok(AdaptiveTone { rules: *rules, size, bins, sets, tables, ready: false, range: (f64::MAX, f64::MIN) })
    }

    /// Counts rows of the picture, the first of which is `first_row`.
    ///
    /// # Errors
    /// Rows that do not fit the picture.
    pub fn watch<P: PicturePixel>(&mut self, first_row: u32, view: View<'_, P>) -> Result<()> {
        self.watch_any(first_row, view.samples_any())
    }

    /// [`watch`](AdaptiveTone::watch) of samples whose type is known at run time.
    pub(crate) fn watch_any(&mut self, first_row: u32, view: AnySamples<'_>) -> Result<()> {
        self.check(first_row, view.size())?;
        let (across, down) = self.rules.tiles;
        let (all, colors) = (view.channels().count, view.channels().colors());
        let edge = |i: u32| (u64::from(i) * u64::from(self.size.width)).div_ceil(u64::from(across)) as usize;
        let mut row = Vec::new();
        for y in 0..view.size().height {
            view.fractions(y, &mut row);
            let ty = (u64::from(first_row + y) * u64::from(down) / u64::from(self.size.height)) as usize;
            for tx in 0..across {
                let tile = ty * across as usize + tx as usize;
                for pixel in row[edge(tx) * all..edge(tx + 1) * all].chunks_exact(all) {
                    let mut add = |set: usize, fraction: f64| {
                        let at = (tile * self.sets + set) * self.bins + bin(fraction, self.bins).0;
                        self.tables[at] += 1.0;
                        self.range = (self.range.0.min(fraction), self.range.1.max(fraction));
                    };
                    match self.rules.basis {
                        Basis::GrayValue(weights) if colors == 3 => {
                            add(0, weights.mixed([pixel[0], pixel[1], pixel[2]]));
                        }
                        Basis::EachChannel => pixel[..colors].iter().enumerate().for_each(|(c, &v)| add(c, v)),
                        _ => pixel[..colors].iter().for_each(|&v| add(0, v)),
                    }
                }
            }
        }
        Ok(())
    }

    fn check(&self, first_row: u32, size: Size) -> Result<()> {
        let end = u64::from(first_row) + u64::from(size.height);
        if size.width != self.size.width || end > u64::from(self.size.height) {
            return Err(Error::invalid(
                "rows",
                format!("rows {first_row}..{end} do not fit a picture of {}", self.size),
            ));
        }
        Ok(())
    }

    /// Why nothing changes, where it does not: the picture has one level.
    pub fn unchanged(&self) -> Option<&'static str> {
        (self.range.0 >= self.range.1).then_some(ONE_LEVEL)
    }

    /// Makes cumulative shares of the counts: what lies above the limit is spread evenly over all bins, once.
    fn finish(&mut self) {
        if std::mem::replace(&mut self.ready, true) {
            return;
        }
        for counts in self.tables.chunks_exact_mut(self.bins) {
            let total: f64 = counts.iter().sum();
            let limit = self.rules.clip_limit * total / self.bins as f64;
            let excess: f64 = counts.iter().map(|n| (n - limit).max(0.0)).sum();
            let more = excess / self.bins as f64;
            let mut sum = 0.0;
            for n in counts {
                sum += n.min(limit) + more;
                *n = sum / total;
            }
        }
    }

    /// Changes rows of the picture, the first of which is `first_row`, once all have been counted. Between the middles of
    /// tiles the curves of the four about a pixel are mixed by distance. One pass.
    ///
    /// # Errors
    /// Rows that do not fit the picture.
    pub fn apply<P: PicturePixel>(&mut self, first_row: u32, view: ViewMut<'_, P>) -> Result<()> {
        self.apply_any(first_row, view.into_samples_any())
    }

    /// [`apply`](AdaptiveTone::apply) to samples whose type is known at run time.
    pub(crate) fn apply_any(&mut self, first_row: u32, view: AnySamplesMut<'_>) -> Result<()> {
        self.check(first_row, view.size())?;
        if self.unchanged().is_some() {
            return Ok(());
        }
        self.finish();
        let columns = places(self.size.width, self.rules.tiles.0);
        let this = &*self;
        let (channels, integer) = (view.as_view().channels(), view.depth() != Depth::F32);
        let bytes = (2 * view.as_view().bytes()).saturating_mul(COMPUTED);
        view.each_band(this.rules.threads, bytes, &|first, mut band| {
            let mut row = Vec::new();
            for y in 0..band.size().height {
                band.as_view().fractions(y, &mut row);
                this.row(first_row + first + y, &columns, &mut row, channels, integer);
                band.put_fractions(y, &row);
            }
        });
        Ok(())
    }

    /// One row of fractions.
    fn row(&self, y: u32, columns: &[Place], row: &mut [f64], channels: Channels, integer: bool) {
        let (down, colors) = (place(y, self.size.height, self.rules.tiles.1), channels.colors());
        for (pixel, column) in row.chunks_exact_mut(channels.count).zip(columns) {
            match self.rules.basis {
                Basis::GrayValue(weights) if colors == 3 => {
                    let rgb = [pixel[0], pixel[1], pixel[2]];
                    let old = weights.mixed(rgb);
                    let new = relit(rgb, integer, old, self.mixed(0, old, column, &down));
                    pixel[..3].copy_from_slice(&new);
                }
                basis => {
                    for (c, v) in pixel[..colors].iter_mut().enumerate() {
                        let set = if basis == Basis::EachChannel { c } else { 0 };
                        *v = self.mixed(set, *v, column, &down);
                    }
                }
            }
        }
    }

    /// What the four tiles about a pixel make of a fraction, mixed.
    fn mixed(&self, set: usize, fraction: f64, column: &Place, row: &Place) -> f64 {
        let (bin, within) = bin(fraction, self.bins);
        let at = |tx: usize, ty: usize| {
            let start = ((ty * self.rules.tiles.0 as usize + tx) * self.sets + set) * self.bins;
            let upper = self.tables[start + bin];
            // Bytes have a bin each; others lie somewhere within theirs.
            match within {
                None => upper,
                Some(share) => {
                    let lower = if bin == 0 { 0.0 } else { self.tables[start + bin - 1] };
                    lower + (upper - lower) * share
                }
            }
        };
        let along = |ty: usize| {
            let (a, b) = (at(column.first, ty), at(column.second, ty));
            a + (b - a) * column.share
        };
        let (a, b) = (along(row.first), along(row.second));
        a + (b - a) * row.share
    }
}

/// The bin of a fraction, and how far within it the fraction lies where bins are not levels. NaN falls in the first.
fn bin(fraction: f64, bins: usize) -> (usize, Option<f64>) {
    if bins == 256 {
        return (((fraction * 255.0 + 0.5).max(0.0) as usize).min(255), None);
    }
    let place = (fraction * bins as f64).clamp(0.0, bins as f64);
    let at = (place.max(0.0) as usize).min(bins - 1);
    (at, Some(place - at as f64))
}

/// Two tiles about a place, and how far on the way from the middle of the first to that of the second.
struct Place {
    first: usize,
    second: usize,
    share: f64,
}

fn place(at: u32, side: u32, tiles: u32) -> Place {
    let place = (f64::from(at) + 0.5) * f64::from(tiles) / f64::from(side) - 0.5;
    let inside = |i: f64| i.clamp(0.0, f64::from(tiles - 1)) as usize;
    Place { first: inside(place.floor()), second: inside(place.floor() + 1.0), share: place - place.floor() }
}

fn places(side: u32, tiles: u32) -> Vec<Place> {
    (0..side).map(|at| place(at, side, tiles)).collect()
}

/// Equalises a picture over tiles, each by its own distribution with limited contrast, mixed between tiles so that no
/// borders show (the idea of Pizer and others, "Adaptive histogram equalization and its variations", 1987). Two passes; a
/// new frame. A picture of one level stays as it is.
///
/// # Errors
/// As [`AdaptiveTone::new`].
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, tone::{AdaptiveRules, equalize_adaptive}};
/// let faint = Frame::from_fn(Size::new(64, 64), |x, y| Gray::new(100 + ((x ^ y) % 8) as u8))?;
/// let clear = equalize_adaptive(faint.view(), &AdaptiveRules::default())?;
/// let range = |f: &Frame<Gray<u8>>| f.samples().iter().max().unwrap() - f.samples().iter().min().unwrap();
/// assert!(range(&clear) > range(&faint));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn equalize_adaptive<P: PicturePixel>(view: View<'_, P>, rules: &AdaptiveRules) -> Result<Frame<P>> {
    let mut tone = AdaptiveTone::new::<P>(view.size(), rules)?;
    tone.watch(0, view)?;
    let mut out = view.try_to_frame()?;
    tone.apply(0, out.view_mut())?;
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::ChannelHistogram;
    use crate::pixel::{Gray, Rgb};
    use crate::tone::{EqualizeRules, equalize};

    #[test]
    fn one_tile_without_a_limit_is_plain_equalisation() {
        let frame = Frame::from_fn(Size::new(40, 30), |x, y| Gray::new((90 + x + y / 2) as u8)).unwrap();
        let rules = AdaptiveRules { tiles: (1, 1), clip_limit: f64::INFINITY, ..AdaptiveRules::default() };
        let local = equalize_adaptive(frame.view(), &rules).unwrap();
        let plain = equalize(frame.view(), &EqualizeRules::default()).unwrap().frame;
        assert!(local.samples().iter().zip(plain.samples()).all(|(a, b)| a.abs_diff(*b) <= 1));
    }

    #[test]
    fn a_limit_of_one_nearly_keeps_the_picture_and_tiles_are_mixed_between_their_middles() {
        let frame = Frame::from_fn(Size::new(64, 64), |x, y| Gray::new((100 + (x * y) % 50) as u8)).unwrap();
        let rules = AdaptiveRules { clip_limit: 1.0, ..AdaptiveRules::default() };
        let kept = equalize_adaptive(frame.view(), &rules).unwrap();
        // Each bin holds at most its even share, so that the curve rises by no more than twice 1 / 256 a level.
        let spread = ChannelHistogram::of_counts("v", &counts(&kept)).stats;
        assert!(spread.max - spread.min < 2.0 * 50.0, "{spread:?}");
        // Left dark, right bright: in the middle the two curves meet halfway.
        let halves = Frame::from_fn(Size::new(64, 8), |x, _| Gray::new(if x < 32 { 50u8 } else { 200 })).unwrap();
        let rules = AdaptiveRules { tiles: (2, 1), clip_limit: f64::INFINITY, ..AdaptiveRules::default() };
        let out = equalize_adaptive(halves.view(), &rules).unwrap();
        // Tile 0 makes 50 full, tile 1 makes 50 none and 200 full: at x = 16 only the first counts, at x = 31 nearly half.
        assert_eq!((out[(10, 0)].value, out[(60, 0)].value), (255, 255));
        assert_eq!(out[(31, 0)].value, (255.0f64 * (1.0 - 15.5 / 32.0) + 0.5) as u8);
    }

    fn counts(frame: &Frame<Gray<u8>>) -> Vec<u64> {
        let mut counts = vec![0; 256];
        frame.samples().iter().for_each(|v| counts[usize::from(*v)] += 1);
        counts
    }

    #[test]
    fn strips_give_the_whole_and_one_level_stays() {
        let frame = Frame::from_fn(Size::new(50, 37), |x, y| Rgb::new(x as u16 * 900, y as u16 * 800, 9_000)).unwrap();
        let rules = AdaptiveRules { tiles: (3, 4), ..AdaptiveRules::default() };
        let whole = equalize_adaptive(frame.view(), &rules).unwrap();
        let mut tone = AdaptiveTone::new::<Rgb<u16>>(frame.size(), &rules).unwrap();
        let mut out = frame.clone();
        for y in 0..37 {
            tone.watch(y, frame.region(frame.size().region().rows(y..=y).unwrap()).unwrap()).unwrap();
        }
        for y in 0..37 {
            let row = frame.size().region().rows(y..=y).unwrap();
            tone.apply(y, out.region_mut(row).unwrap()).unwrap();
        }
        assert!(out == whole);
        let flat = Frame::filled(Size::new(9, 9), Gray::new(7u8)).unwrap();
        assert!(equalize_adaptive(flat.view(), &AdaptiveRules::default()).unwrap() == flat);
        for (tiles, clip_limit) in [((0, 1), 3.0), ((10, 1), 3.0), ((2, 2), 0.5), ((2, 2), f64::NAN)] {
            let rules = AdaptiveRules { tiles, clip_limit, ..AdaptiveRules::default() };
            assert!(equalize_adaptive(flat.view(), &rules).is_err());
        }
    }
}
