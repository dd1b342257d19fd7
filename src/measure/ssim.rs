//! Structural similarity: Wang, Bovik, Sheikh and Simoncelli, "Image quality assessment: from error visibility to
//! structural similarity", IEEE Transactions on Image Processing 13 (4), 2004, equation 13 and section III-B.
//!
//! An 11 x 11 Gaussian window of standard deviation 1.5 that sums to one, K1 = 0.01, K2 = 0.03, L the full scale, alpha =
//! beta = gamma = 1; the mean over every position of the window that lies wholly inside the picture, at its own size
//! (nothing is shrunk first).

use crate::frame::{AnyNumbers, Size};
use crate::simd::arrays;
use crate::simd::{Level, Work};
use crate::threads::{self, Threads};

/// Pixels of the window's side.
pub(super) const SIDE: usize = 11;

/// The window along one axis.
fn window() -> [f64; SIDE] {
    let raw: [f64; SIDE] = arrays::from_fn(|i| (-(i as f64 - 5.0).powi(2) / (2.0 * 1.5 * 1.5)).exp());
    let sum: f64 = raw.iter().sum();
    arrays::map(raw, |w| w / sum)
}

/// The mean similarity of a channel of two views of one size; `None` where the window fits nowhere. About 90 operations a
/// pixel, a few rows of memory a thread.
pub(super) fn ssim(a: AnyNumbers<'_>, b: AnyNumbers<'_>, channel: usize, peak: f64, threads: Threads) -> Option<f64> {
    let of = |view: &AnyNumbers<'_>, y: u32, into: &mut Vec<f64>| {
        view.row(y).gather(channel, view.channels().count, into);
    };
    mean_similarity(&|y, first, second| (of(&a, y, first), of(&b, y, second)).1, a.size(), peak, threads)
}

/// Fills two buffers with the numbers of a row of both pictures.
type Pair<'a> = dyn Fn(u32, &mut Vec<f64>, &mut Vec<f64>) + Sync + 'a;

fn mean_similarity(pair: &Pair<'_>, size: Size, peak: f64, threads: Threads) -> Option<f64> {
    let (width, height) = (size.width as usize, size.height as usize);
    if width < SIDE || height < SIDE {
        return None;
    }
    let rows = (height - SIDE + 1) as u32;
    let bands = threads::bands(rows, threads.bands(size.pixels().saturating_mul(64)));
    // Row sums, added from the top: the same for any number of threads.
    let sums = threads::collect(threads, bands, |band| {
        let mut maps = Maps::new(width);
        band.map(|y| maps.row_sum(pair, y, peak)).collect::<Vec<f64>>()
    });
    let sum: f64 = sums.into_iter().flatten().sum();
    Some(sum / (f64::from(rows) * (width - SIDE + 1) as f64))
}

/// The last eleven rows, filtered across: means of a, of b, of a^2 + b^2, of ab.
struct Maps {
    window: [f64; SIDE],
    /// `rings[row % 11][map]`.
    rings: Vec<[Vec<f64>; 4]>,
    /// The source row that is to be filtered next; none yet.
    next: Option<u32>,
    a: Vec<f64>,
    b: Vec<f64>,
    product: Vec<f64>,
    means: [Vec<f64>; 4],
}

impl Maps {
    fn new(width: usize) -> Maps {
        let line = || vec![0.0; width];
        let short = || vec![0.0; width - SIDE + 1];
        let rings = (0..SIDE).map(|_| [short(), short(), short(), short()]).collect();
        let means = [short(), short(), short(), short()];
        Maps { window: window(), rings, next: None, a: line(), b: line(), product: line(), means }
    }

    /// The sum of the similarities of the windows whose first row is `y`. Rows have to come in order.
    fn row_sum(&mut self, pair: &Pair<'_>, y: u32, peak: f64) -> f64 {
        for row in self.next.unwrap_or(y)..y + SIDE as u32 {
            self.filter(pair, row);
        }
        self.next = Some(y + SIDE as u32);
        let (c1, c2) = ((0.01 * peak).powi(2), (0.03 * peak).powi(2));
        let columns = self.means[0].len();
        // The window's rows in order, from the ring.
        for (map, mean) in self.means.iter_mut().enumerate() {
            let rows: [&[f64]; SIDE] = arrays::from_fn(|k| &*self.rings[(y as usize + k) % SIDE][map]);
            Level::best().work(Down { window: &self.window, rows, to: mean });
        }
        let [ma, mb, squares, products] = &self.means;
        let mut sum = 0.0;
        for x in 0..columns {
            let (a, b) = (ma[x], mb[x]);
            let (both, apart) = (a * b, a * a + b * b);
            let covariance = products[x] - both;
            let variances = squares[x] - apart;
            sum += ((2.0 * both + c1) * (2.0 * covariance + c2)) / ((apart + c1) * (variances + c2));
        }
        sum
    }

    fn filter(&mut self, pair: &Pair<'_>, row: u32) {
        pair(row, &mut self.a, &mut self.b);
        let level = Level::best();
        let ring = &mut self.rings[row as usize % SIDE];
        across(level, &self.window, &self.a, &mut ring[0]);
        across(level, &self.window, &self.b, &mut ring[1]);
        let squares = |to: &mut f64, (a, b): (&f64, &f64)| *to = a * a + b * b;
        self.product.iter_mut().zip(self.a.iter().zip(&self.b)).for_each(|(to, pair)| squares(to, pair));
        across(level, &self.window, &self.product, &mut ring[2]);
        self.product.iter_mut().zip(self.a.iter().zip(&self.b)).for_each(|(to, (a, b))| *to = a * b);
        across(level, &self.window, &self.product, &mut ring[3]);
    }
}

/// Outputs made together, their sums in registers.
const BLOCK: usize = 16;

fn across(level: Level, window: &[f64; SIDE], from: &[f64], to: &mut [f64]) {
    level.work(Across { window, from, to });
}

/// Each output the weighted sum of eleven neighbours from its own place on; the weights' order is always the same.
struct Across<'a> {
    window: &'a [f64; SIDE],
    from: &'a [f64],
    to: &'a mut [f64],
}

impl Work for Across<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Across { window, from, to } = self;
        let whole = to.len() / BLOCK * BLOCK;
        for (block, to) in to.as_chunks_mut::<BLOCK>().0.iter_mut().enumerate() {
            let mut sums = [0.0; BLOCK];
            if let Some(from) = from[block * BLOCK..].first_chunk::<{ BLOCK + SIDE - 1 }>() {
                for (k, weight) in window.iter().enumerate() {
                    for (i, sum) in sums.iter_mut().enumerate() {
                        *sum += weight * from[i + k];
                    }
                }
            }
            *to = sums;
        }
        for (x, to) in to.iter_mut().enumerate().skip(whole) {
            *to = window.iter().zip(&from[x..]).fold(0.0, |sum, (w, v)| sum + w * v);
        }
    }
}

/// Each output the weighted sum of eleven rows.
struct Down<'a> {
    window: &'a [f64; SIDE],
    rows: [&'a [f64]; SIDE],
    to: &'a mut [f64],
}

impl Work for Down<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Down { window, rows, to } = self;
        let whole = to.len() / BLOCK * BLOCK;
        for (block, to) in to.as_chunks_mut::<BLOCK>().0.iter_mut().enumerate() {
            let mut sums = [0.0; BLOCK];
            for k in 0..SIDE {
                if let Some(row) = rows[k][block * BLOCK..].first_chunk::<BLOCK>() {
                    for i in 0..BLOCK {
                        sums[i] += window[k] * row[i];
                    }
                }
            }
            *to = sums;
        }
        for (x, to) in to.iter_mut().enumerate().skip(whole) {
            *to = window.iter().zip(rows).fold(0.0, |sum, (w, row)| sum + w * row[x]);
        }
    }
}
