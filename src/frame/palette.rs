//! The colours of a picture whose pixels are numbers of colours.

use crate::error::{Error, Result};
use crate::pixel::Rgba;

/// One to 256 colours, told apart by their place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Palette {
    colors: Vec<Rgba<u8>>,
}

impl Palette {
    /// A palette of these colours.
    ///
    /// # Errors
    /// No colour, or more than 256.
    pub fn new(colors: Vec<Rgba<u8>>) -> Result<Palette> {
        if colors.is_empty() || colors.len() > 256 {
            return Err(Error::out_of_range(
                "colors",
                colors.len() as f64,
                (1.0, 256.0),
                format!("a palette of {} colours; it has 1 to 256", colors.len()),
            ));
        }
        Ok(Palette { colors })
    }

    /// The colours; the first is that of index 0.
    pub fn colors(&self) -> &[Rgba<u8>] {
        &self.colors
    }

    /// Whether every colour is opaque.
    pub fn is_opaque(&self) -> bool {
        self.colors.iter().all(|c| c.a == 255)
    }

    /// Whether every colour is a gray.
    pub fn is_gray(&self) -> bool {
        self.colors.iter().all(|c| c.r == c.g && c.g == c.b)
    }

    /// The fewest of 1, 2, 4 and 8 bits that can number the colours.
    pub fn bits(&self) -> u8 {
        match self.colors.len() {
            0..=2 => 1,
            3..=4 => 2,
            5..=16 => 4,
            _ => 8,
        }
    }
}
