//! Count, extremes, sums: the figures that one pass gives, and that parts of a picture add up to.
//!
//! Not here: the pass ([`one_pass`](super::one_pass)).

/// Count, extremes, mean and variance of a channel, NaN left out. Of 8- and 16-bit integers everything is exact, and parts computed on
/// threads or machines [merge](Moments::merge) to the same figures in any order. Of other numbers sums run in strips of 64
/// rows from the top; their relative error is at most 2^-53 times the numbers of a strip and as many again as there are
/// strips.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Moments {
    /// Values counted.
    pub count: u64,
    /// Number of NaN values, which count nowhere else.
    pub nan: u64,
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub(super) min: f64,
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub(super) max: f64,
    pub(super) sums: MomentSums,
}

#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
pub(super) enum MomentSums {
    /// The sum and the sum of squares of whole numbers from 0.
    Whole {
        #[cfg_attr(feature = "serde", serde(with = "super::null::whole"))]
        sum: u128,
        #[cfg_attr(feature = "serde", serde(with = "super::null::whole"))]
        squares: u128,
    },
    /// The mean and the sum of squared distances from it.
    Real {
        #[cfg_attr(feature = "serde", serde(with = "super::null"))]
        mean: f64,
        #[cfg_attr(feature = "serde", serde(with = "super::null"))]
        squares: f64,
    },
}

impl Moments {
    /// Of levels 0, 1, 2 ... that occur so often. Exact.
    pub fn of_counts(counts: &[u64]) -> Moments {
        let (mut sum, mut squares) = (0u128, 0u128);
        for (level, &n) in (0u128..).zip(counts) {
            sum += level * u128::from(n);
            squares += level * level * u128::from(n);
        }
        let end = |at: Option<usize>| at.map_or(f64::NAN, |level| level as f64);
        Moments {
            count: counts.iter().sum(),
            nan: 0,
            min: end(counts.iter().position(|&n| n > 0)),
            max: end(counts.iter().rposition(|&n| n > 0)),
            sums: MomentSums::Whole { sum, squares },
        }
    }

    pub(super) fn none(whole: bool) -> Moments {
        let sums = match whole {
            true => MomentSums::Whole { sum: 0, squares: 0 },
            false => MomentSums::Real { mean: 0.0, squares: 0.0 },
        };
        Moments { count: 0, nan: 0, min: f64::NAN, max: f64::NAN, sums }
    }

    /// The least value; NaN where there is none.
    pub fn min(&self) -> f64 {
        self.min
    }

    /// The greatest value; NaN where there is none.
    pub fn max(&self) -> f64 {
        self.max
    }

    /// The mean; NaN where there is no value.
    pub fn mean(&self) -> f64 {
        match (self.count, self.sums) {
            (0, _) => f64::NAN,
            (n, MomentSums::Whole { sum, .. }) => sum as f64 / n as f64,
            (_, MomentSums::Real { mean, .. }) => mean,
        }
    }

    /// The variance over n; NaN where there is no value.
    pub fn variance(&self) -> f64 {
        match (self.count, self.sums) {
            (0, _) => f64::NAN,
            (n, MomentSums::Whole { sum, squares }) => {
                // n * squares - sum^2 is not negative, and exact where it fits; only the division rounds.
                let wide = u128::from(n);
                match (wide.checked_mul(squares), sum.checked_mul(sum)) {
                    (Some(a), Some(b)) => (a - b) as f64 / (n as f64 * n as f64),
                    _ => {
                        let mean = sum as f64 / n as f64;
                        (squares as f64 / n as f64 - mean * mean).max(0.0)
                    }
                }
            }
            (n, MomentSums::Real { squares, .. }) => squares / n as f64,
        }
    }

    /// The standard deviation over n; NaN where there is no value.
    pub fn std(&self) -> f64 {
        self.variance().sqrt()
    }

    /// The same figures of this part and another together. Exact and in any order for 8- and 16-bit integers.
    pub fn merge(&mut self, other: &Moments) {
        let (a, b) = (self.count as f64, other.count as f64);
        self.sums = match (self.sums, other.sums) {
            (MomentSums::Whole { sum, squares }, MomentSums::Whole { sum: more, squares: more_squares }) => {
                MomentSums::Whole { sum: sum.saturating_add(more), squares: squares.saturating_add(more_squares) }
            }
            (mine, _) if other.count == 0 => mine,
            (_, theirs) if self.count == 0 => theirs,
            (mine, theirs) => {
                // Chan, Golub and LeVeque, "Updating formulae and a pairwise algorithm for computing sample variances" (1979).
                let ((mean, squares), (other_mean, other_squares)) = (mine.real(self.count), theirs.real(other.count));
                let apart = other_mean - mean;
                MomentSums::Real {
                    mean: mean + apart * (b / (a + b)),
                    squares: squares + other_squares + apart * apart * (a * b / (a + b)),
                }
            }
        };
        // `min` and `max` take the other side where one is NaN.
        (self.min, self.max) = (self.min.min(other.min), self.max.max(other.max));
        (self.count, self.nan) = (self.count.saturating_add(other.count), self.nan.saturating_add(other.nan));
    }
}

impl MomentSums {
    fn real(self, count: u64) -> (f64, f64) {
        match self {
            MomentSums::Real { mean, squares } => (mean, squares),
            MomentSums::Whole { sum, squares } => {
                let mean = sum as f64 / count as f64;
                (mean, (squares as f64 - mean * sum as f64).max(0.0))
            }
        }
    }
}

impl Moments {
    pub(super) fn add(&mut self, value: f64, weight: u32) {
        if weight == 0 {
            return;
        }
        if value.is_nan() {
            self.nan += u64::from(weight);
            return;
        }
        self.count += u64::from(weight);
        (self.min, self.max) = (self.min.min(value), self.max.max(value));
        match &mut self.sums {
            MomentSums::Whole { sum, squares } => {
                let level = value as u128;
                *sum += level * u128::from(weight);
                *squares += level * level * u128::from(weight);
            }
            MomentSums::Real { mean, squares } => {
                let apart = value - *mean;
                *mean += apart * f64::from(weight) / self.count as f64;
                *squares += apart * (value - *mean) * f64::from(weight);
            }
        }
    }
}
