//! Taps: the source pixels that a value is made of, and their weights.

/// A row or column that counts at a place.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Tap {
    /// Its index, which may lie outside.
    pub at: i64,
    /// The row or column inside that stands for it; none where the edge shows a constant.
    pub inside: Option<u32>,
    /// How much it counts; all of a place sum to one.
    pub weight: f64,
}

/// Taps of a place: a pixel's weight is the product of its column's and its row's weight.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Taps {
    /// Columns.
    pub x: Vec<Tap>,
    /// Rows.
    pub y: Vec<Tap>,
}
