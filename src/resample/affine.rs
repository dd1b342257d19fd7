//! Affine maps of the plane: scaling, shearing, rotation and translation.

use crate::error::{Error, Result};

/// A map of places: (x, y) goes to (a x + b y + c, d x + e y + f).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Affine {
    x: [f64; 3],
    y: [f64; 3],
}

impl Affine {
    /// The map that leaves every place where it is.
    pub const IDENTITY: Affine = Affine { x: [1.0, 0.0, 0.0], y: [0.0, 1.0, 0.0] };

    /// From the numbers of both rows: a, b, c and d, e, f.
    ///
    /// # Errors
    /// Numbers that are not finite.
    pub fn new(x: [f64; 3], y: [f64; 3]) -> Result<Affine> {
        match x.iter().chain(&y).all(|v| v.is_finite()) {
            true => Ok(Affine { x, y }),
            false => Err(Error::invalid("map", format!("an affine map of {x:?} and {y:?} is not of finite numbers"))),
        }
    }

    /// A translation to the right and downward.
    pub fn translate(x: f64, y: f64) -> Affine {
        Affine { x: [1.0, 0.0, x], y: [0.0, 1.0, y] }
    }

    /// Factors along x and y, about the place (0, 0).
    pub fn scale(x: f64, y: f64) -> Affine {
        Affine { x: [x, 0.0, 0.0], y: [0.0, y, 0.0] }
    }

    /// A shear about (0, 0): x grows by `x` times y, y by `y` times x.
    pub fn shear(x: f64, y: f64) -> Affine {
        Affine { x: [1.0, x, 0.0], y: [y, 1.0, 0.0] }
    }

    /// A rotation about (0, 0), clockwise as it is seen; exact for quarter turns.
    pub fn rotate(degrees: f64) -> Affine {
        let within = degrees.rem_euclid(360.0);
        let (sin, cos) = match within {
            0.0 => (0.0, 1.0),
            90.0 => (1.0, 0.0),
            180.0 => (0.0, -1.0),
            270.0 => (-1.0, 0.0),
            other => other.to_radians().sin_cos(),
        };
        // y grows downward, so that this rotates clockwise.
        Affine { x: [cos, -sin, 0.0], y: [sin, cos, 0.0] }
    }

    /// This map, then another one.
    pub fn then(self, next: Affine) -> Affine {
        let row = |[a, b, c]: [f64; 3]| {
            let along = |i: usize| a * self.x[i] + b * self.y[i];
            [along(0), along(1), along(2) + c]
        };
        Affine { x: row(next.x), y: row(next.y) }
    }

    /// The same map about another place: that place is where (0, 0) was.
    ///
    /// # Examples
    /// ```
    /// use rahmen::resample::Affine;
    /// assert_eq!(Affine::scale(2.0, 2.0).about(10.0, 10.0).at(10.0, 11.0), (10.0, 12.0));
    /// assert_eq!(Affine::rotate(90.0).at(1.0, 0.0), (0.0, 1.0));
    /// ```
    pub fn about(self, x: f64, y: f64) -> Affine {
        Affine::translate(-x, -y).then(self).then(Affine::translate(x, y))
    }

    /// Where a place goes.
    #[inline]
    pub fn at(self, x: f64, y: f64) -> (f64, f64) {
        let along = |[a, b, c]: [f64; 3]| a * x + b * y + c;
        (along(self.x), along(self.y))
    }

    /// The map back.
    ///
    /// # Errors
    /// A map that makes the plane a line or a point.
    pub fn inverse(self) -> Result<Affine> {
        let ([a, b, c], [d, e, f]) = (self.x, self.y);
        let area = a * e - b * d;
        let x = [e / area, -b / area, (b * f - c * e) / area];
        let y = [-d / area, a / area, (c * d - a * f) / area];
        Affine::new(x, y)
            .map_err(|_| Error::invalid("map", format!("the map of {:?} and {:?} has no way back", self.x, self.y)))
    }

    /// How far a step of one pixel to the right, and one downward, goes along x; and along y.
    pub(super) fn rows(self) -> [[f64; 3]; 2] {
        [self.x, self.y]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn maps_follow_each_other_and_lead_back() {
        let map = Affine::rotate(30.0).then(Affine::scale(2.0, 0.5)).then(Affine::shear(0.25, 0.0)).about(3.0, -4.0);
        let back = map.inverse().unwrap();
        for (x, y) in [(0.0, 0.0), (3.0, -4.0), (7.5, 100.0)] {
            let (u, v) = map.at(x, y);
            let (u, v) = back.at(u, v);
            assert!((u - x).abs() < 1e-12 && (v - y).abs() < 1e-12);
        }
        assert_eq!(map.at(3.0, -4.0), (3.0, -4.0));
        // cos 30, sin 30.
        let (x, y) = Affine::rotate(30.0).at(1.0, 0.0);
        assert!((x - 0.75f64.sqrt()).abs() < 1e-15 && (y - 0.5).abs() < 1e-15);
        assert_eq!(Affine::rotate(-90.0).at(0.0, 1.0), (1.0, 0.0));
    }

    #[test]
    fn maps_without_a_way_back_are_errors() {
        assert!(Affine::scale(1.0, 0.0).inverse().is_err());
        assert!(Affine::new([1.0, f64::NAN, 0.0], [0.0; 3]).is_err());
    }
}
