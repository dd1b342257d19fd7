//! What the numbers of a picture mean: colour, indices, or values with a unit.

/// Meaning of the samples of a picture.
#[derive(Debug, Clone, PartialEq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Meaning {
    /// Colour or gray: light, encoded by the picture's [`Transfer`](super::Transfer), which alone says how; linear light where that is linear.
    #[default]
    Color,
    /// Indices into the picture's palette. They can be moved, but not computed with.
    Indices,
    /// Values with a unit: metres, counts, degrees. They never become integers or colours without a window.
    Values {
        /// The unit as the file gives it, if it does.
        unit: Option<String>,
        /// The range that the values are meant to span, if known.
        range: Option<(f64, f64)>,
    },
}

impl Meaning {
    /// Values without a stated unit or range.
    pub fn values() -> Meaning {
        Meaning::Values { unit: None, range: None }
    }

    /// Whether a window is needed before the values can become integers.
    pub fn needs_window(&self) -> bool {
        matches!(self, Meaning::Values { .. })
    }
}
