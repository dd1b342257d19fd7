//! Terminal text: a picture by half blocks in true colour or 256 colours, or by plain characters; bars for histograms.

mod bars;
mod terminal;

pub use bars::bars;
pub use terminal::{Colors, Terminal, picture};
