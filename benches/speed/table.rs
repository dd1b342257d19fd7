//! A change of space by a table of three dimensions, as it is often done: what the library's exact arithmetic is measured against.

use rahmen::color::{self, ColorSpace, SpaceRules};
use rahmen::{Frame, Rgb, Size};

/// Places along each axis.
const SIDE: usize = 33;
/// Parts of a step between two places.
const PARTS: i32 = 256;

pub(crate) struct Table(Vec<[i32; 4]>);

impl Table {
    pub(crate) fn new(from: &ColorSpace, to: &ColorSpace) -> Table {
        let at = |i: u32| (f64::from(i) * 65_535.0 / (SIDE - 1) as f64).round() as u16;
        let side = SIDE as u32;
        let places = Frame::from_fn(Size::new(side, side * side), |x, y| Rgb::new(at(y / side), at(y % side), at(x)));
        let places = places.expect("memory");
        let found = color::to_space(places.view(), from, to, &SpaceRules::default()).expect("known spaces");
        Table(found.pixels().iter().map(|p| [p.r, p.g, p.b, 0].map(i32::from)).collect())
    }

    /// Between the four corners of the tetrahedron that a colour lies in.
    pub(crate) fn row(&self, from: &[Rgb<u8>], to: &mut [Rgb<u8>]) {
        for (from, to) in from.iter().zip(to) {
            // In 256ths of a step: 255 is the last place.
            let along = |v: u8| i32::from(v) * ((SIDE - 1) as i32 * PARTS) / 255;
            let (r, g, b) = (along(from.r), along(from.g), along(from.b));
            let place = |v: i32| ((v / PARTS) as usize).min(SIDE - 2);
            let (pr, pg, pb) = (place(r), place(g), place(b));
            let rest = |v: i32, place: usize| v - place as i32 * PARTS;
            let (fr, fg, fb) = (rest(r, pr), rest(g, pg), rest(b, pb));
            let (sr, sg, sb) = (SIDE * SIDE, SIDE, 1);
            let first = pr * sr + pg * sg + pb;
            // The axes by how far along them the colour lies.
            let mut axes = [(fr, sr), (fg, sg), (fb, sb)];
            if axes[0].0 < axes[1].0 {
                axes.swap(0, 1);
            }
            if axes[1].0 < axes[2].0 {
                axes.swap(1, 2);
            }
            if axes[0].0 < axes[1].0 {
                axes.swap(0, 1);
            }
            let [(most, a), (middle, b), (least, c)] = axes;
            let corners = [first, first + a, first + a + b, first + a + b + c];
            let shares = [PARTS - most, most - middle, middle - least, least];
            let mut sum = [0i32; 4];
            for (corner, share) in corners.into_iter().zip(shares) {
                for (sum, v) in sum.iter_mut().zip(self.0[corner]) {
                    *sum += v * share;
                }
            }
            // Of 65,535 times 256 to 255, rounded.
            let code = |v: i32| ((v + 257 * PARTS / 2) / (257 * PARTS)) as u8;
            *to = Rgb::new(code(sum[0]), code(sum[1]), code(sum[2]));
        }
    }
}
