//! The colours of plots: calm ones on warm paper, told apart by brightness too.

use plotters::style::RGBColor;

/// A colour of a series.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Ink {
    /// Near black, for gray values and text.
    Slate,
    /// For red channels.
    Brick,
    /// For green channels.
    Moss,
    /// For blue channels.
    Harbor,
    /// For alpha and what is behind.
    Sand,
    /// For what is new.
    Copper,
    /// For theory and fits.
    Plum,
}

pub(crate) const PAPER: RGBColor = RGBColor(252, 251, 248);
pub(crate) const TEXT: RGBColor = RGBColor(47, 52, 58);
pub(crate) const FAINT: RGBColor = RGBColor(110, 114, 118);
pub(crate) const GRID: RGBColor = RGBColor(229, 226, 218);

impl Ink {
    /// Red, green and blue.
    pub fn rgb(self) -> (u8, u8, u8) {
        match self {
            Ink::Slate => (72, 84, 98),
            Ink::Brick => (178, 78, 70),
            Ink::Moss => (92, 138, 84),
            Ink::Harbor => (66, 112, 168),
            Ink::Sand => (170, 154, 120),
            Ink::Copper => (196, 120, 52),
            Ink::Plum => (122, 84, 132),
        }
    }

    pub(crate) fn color(self) -> RGBColor {
        let (r, g, b) = self.rgb();
        RGBColor(r, g, b)
    }

    /// The colour of a channel: by its name where that says one, else by its place.
    pub fn of_channel(name: &str, index: usize) -> Ink {
        match name {
            "r" | "m" => Ink::Brick,
            "g" => Ink::Moss,
            "b" | "c" => Ink::Harbor,
            "gray" | "all" | "k" | "error" => Ink::Slate,
            "alpha" | "y" => Ink::Sand,
            _ => Ink::of_index(index),
        }
    }

    /// A colour for each of several series.
    pub fn of_index(index: usize) -> Ink {
        [Ink::Slate, Ink::Copper, Ink::Harbor, Ink::Moss, Ink::Plum, Ink::Brick, Ink::Sand][index % 7]
    }
}
