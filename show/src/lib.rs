//! What Rahmen measures and holds, to be seen.
//!
//! - [`text`]: a picture as terminal text, in true colour, 256 colours or plain characters; histograms as small bars.
//! - [`plot`]: histograms, profiles, errors, the worth of bits and quantisers as charts, beside pictures, drawn into a frame
//!   or as SVG.
//! - [`sheet`]: pictures side by side on one page, with the true values under the pointer; or as a still.
//! - [`csv`]: the same data as comma-separated values.
//!
//! Not here: measuring, which is the library's, and what a terminal can do, which its caller knows.
//!
//! ```
//! use rahmen::{Frame, Rgb, Size, measure::{HistogramRules, histogram}};
//! use rahmen_show::plot::{Chart, Figure};
//! let frame = Frame::from_fn(Size::new(64, 64), |x, y| Rgb::new(4 * x as u8, 2 * y as u8, 99))?;
//! let counted = histogram(frame.view(), &HistogramRules::default())?;
//! let figure = Figure::new("A ramp").chart(Chart::histogram(&[("ramp", &counted)]));
//! assert!(figure.to_svg()?.starts_with("<svg"));
//! # Ok::<(), rahmen_show::Error>(())
//! ```

pub mod csv;
mod error;
pub mod plot;
mod render;
mod screen;
pub mod sheet;
pub mod text;

pub use error::{Error, Result};
pub use render::{Look, look_window};
pub use screen::space_name;
