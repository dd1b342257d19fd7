//! Charts and pictures in one figure, drawn into a frame or as SVG.
//!
//! A [`Chart`] is plain data: axes, series, remarks; the constructors make one of each measurement. A [`Figure`] lays charts
//! and pictures out in rows and draws them.

mod chart;
mod charts;
mod draw;
mod figure;
mod ink;
mod legend;

pub use chart::{Axis, Chart, Mark, Series};
pub(crate) use figure::png_of_picture;
pub use figure::{Figure, Panel};
pub use ink::Ink;
pub use legend::Legend;
