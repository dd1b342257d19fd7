//! The ramps that have a name: points of their paths in Oklab, walked at one speed while lightness changes evenly.
//!
//! Chroma and hue pass through the points of each path along a Catmull-Rom spline; the spline is walked by its length, and lightness goes
//! in a straight line, so that every step is as long as the next. All lie inside sRGB.

use super::{Ramp, RampKind, oklab_of_srgb};

/// Number of places of a ramp: each 256th part and both ends.
const PLACES: usize = 257;

pub(super) const NAMES: &[&str] =
    &["gray", "fathom", "kelp", "lantern", "driftwood", "ebb-flood", "storm-glow", "compass", "beacon", "pennants"];

/// Chroma and hue in degrees of the points of a path.
type Path = &'static [(f64, f64)];

const FATHOM: Path = &[(0.06, 285.0), (0.115, 268.0), (0.11, 240.0), (0.075, 215.0), (0.035, 190.0)];
const KELP: Path = &[(0.03, 215.0), (0.055, 165.0), (0.10, 140.0), (0.135, 120.0), (0.12, 105.0)];
const LANTERN: Path = &[(0.07, 310.0), (0.10, 350.0), (0.14, 20.0), (0.12, 60.0), (0.07, 95.0)];
const DRIFTWOOD: Path = &[(0.02, 40.0), (0.04, 55.0), (0.05, 70.0), (0.02, 90.0)];
const BEACON: Path = &[
    (0.078, 18.0),
    (0.11, 342.0),
    (0.14, 300.0),
    (0.13, 265.0),
    (0.095, 225.0),
    (0.10, 175.0),
    (0.14, 140.0),
    (0.16, 115.0),
    (0.095, 97.0),
];
const EBB: Path = &[(0.0, 0.0), (0.05, 235.0), (0.09, 250.0), (0.12, 266.0)];
const FLOOD: Path = &[(0.0, 0.0), (0.05, 60.0), (0.09, 48.0), (0.12, 25.0)];
const STORM: Path = &[(0.0, 0.0), (0.07, 245.0), (0.10, 225.0), (0.09, 200.0)];
const GLOW: Path = &[(0.0, 0.0), (0.08, 30.0), (0.115, 55.0), (0.11, 85.0)];
const COMPASS: Path = &[
    (0.10, 280.0),
    (0.12, 325.0),
    (0.135, 10.0),
    (0.125, 50.0),
    (0.10, 90.0),
    (0.10, 130.0),
    (0.08, 175.0),
    (0.08, 230.0),
    (0.10, 280.0),
];

/// Colours for classes, each farthest from those before it for all kinds of vision: sRGB codes.
const PENNANTS: [[u8; 3]; 12] = [
    [0x46, 0x7f, 0xfe],
    [0x9d, 0x05, 0x20],
    [0xad, 0xfd, 0x6f],
    [0xeb, 0x8d, 0xaa],
    [0x14, 0x2a, 0x9a],
    [0x8d, 0x7c, 0x0c],
    [0x2d, 0xc8, 0xf8],
    [0x03, 0x70, 0x7b],
    [0xa8, 0xbb, 0x28],
    [0xf1, 0xd0, 0xca],
    [0x60, 0x17, 0x57],
    [0xd0, 0x51, 0xb9],
];

pub(super) fn ramp(name: &str) -> Option<Ramp> {
    use RampKind::{Categories, Contrast, Cyclic, Diverging, Sequential};
    let made = |kind, places| Some(Ramp::through(name, kind, places));
    match name {
        "gray" => made(Sequential, rising(0.0, 1.0, &[(0.0, 0.0), (0.0, 0.0)])),
        "fathom" => made(Sequential, rising(0.20, 0.95, FATHOM)),
        "kelp" => made(Sequential, rising(0.22, 0.94, KELP)),
        "lantern" => made(Sequential, rising(0.20, 0.95, LANTERN)),
        "driftwood" => made(Sequential, rising(0.18, 0.95, DRIFTWOOD)),
        "ebb-flood" => made(Diverging, two_arms(0.96, 0.36, EBB, FLOOD)),
        "storm-glow" => made(Diverging, two_arms(0.22, 0.88, STORM, GLOW)),
        "compass" => made(Cyclic, round(0.38, 0.86, COMPASS)),
        "beacon" => made(Contrast, rising(0.20, 0.94, BEACON)),
        "pennants" => {
            let places = PENNANTS.iter().map(|rgb| oklab_of_srgb(rgb.map(|v| f64::from(v) / 255.0)));
            made(Categories, places.collect())
        }
        _ => None,
    }
}

/// A path with lightness in a straight line.
fn rising(low: f64, high: f64, path: Path) -> Vec<[f64; 3]> {
    let walk = Walk::new(path, false);
    along(|t| (low + (high - low) * t, walk.at(t * walk.length)))
}

/// Two paths that leave the middle, walked equally far.
fn two_arms(middle: f64, end: f64, left: Path, right: Path) -> Vec<[f64; 3]> {
    let (left, right) = (Walk::new(left, false), Walk::new(right, false));
    let length = left.length.min(right.length);
    along(|t| {
        let t = 2.0 * t - 1.0;
        let (walk, far) = (if t < 0.0 { &left } else { &right }, t.abs());
        // The longer path is drawn smaller, so that it ends at its end.
        let scale = length / walk.length;
        let (a, b) = walk.at(far * walk.length);
        (middle + (end - middle) * far, (a * scale, b * scale))
    })
}

/// A closed path, dark where it begins and light half way.
fn round(dark: f64, light: f64, path: Path) -> Vec<[f64; 3]> {
    let walk = Walk::new(path, true);
    along(|t| (light - (light - dark) * (2.0 * t - 1.0).abs(), walk.at(t * walk.length)))
}

fn along(at: impl Fn(f64) -> (f64, (f64, f64))) -> Vec<[f64; 3]> {
    let place = |i: usize| {
        let (l, (a, b)) = at(i as f64 / (PLACES - 1) as f64);
        [l, a, b]
    };
    (0..PLACES).map(place).collect()
}

/// A spline through points, by the length walked.
struct Walk {
    /// Points of the spline and the length up to each.
    points: Vec<((f64, f64), f64)>,
    length: f64,
}

/// Pieces between two points of a path.
const PIECES: usize = 400;

impl Walk {
    fn new(path: Path, closed: bool) -> Walk {
        let points: Vec<(f64, f64)> = path
            .iter()
            .map(|(chroma, hue)| (chroma * hue.to_radians().cos(), chroma * hue.to_radians().sin()))
            .collect();
        let last = points.len() - 1;
        // Beyond the ends: round, or straight on.
        let beyond = |a: (f64, f64), b: (f64, f64)| (2.0 * a.0 - b.0, 2.0 * a.1 - b.1);
        let before = if closed { points[last - 1] } else { beyond(points[0], points[1]) };
        let behind = if closed { points[1] } else { beyond(points[last], points[last - 1]) };
        let at = |i: isize| match i {
            -1 => before,
            i if i as usize > last => behind,
            i => points[i as usize],
        };
        let mut walk = Walk { points: vec![(points[0], 0.0)], length: 0.0 };
        for i in 0..last as isize {
            let p = [at(i - 1), at(i), at(i + 1), at(i + 2)];
            for k in 1..=PIECES {
                let t = k as f64 / PIECES as f64;
                let next = (spline(p.map(|p| p.0), t), spline(p.map(|p| p.1), t));
                let from = walk.points.last().map_or(next, |p| p.0);
                walk.length += (next.0 - from.0).hypot(next.1 - from.1);
                walk.points.push((next, walk.length));
            }
        }
        walk
    }

    /// The point a length from the start.
    fn at(&self, length: f64) -> (f64, f64) {
        let next = self.points.partition_point(|(_, l)| *l <= length).clamp(1, self.points.len() - 1);
        let ((a, from), (b, to)) = (self.points[next - 1], self.points[next]);
        let share = if to > from { ((length - from) / (to - from)).clamp(0.0, 1.0) } else { 0.0 };
        (a.0 + (b.0 - a.0) * share, a.1 + (b.1 - a.1) * share)
    }
}

/// Catmull and Rom (1974) between the middle two of four values.
fn spline([a, b, c, d]: [f64; 4], t: f64) -> f64 {
    b + 0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)))
}
