//! Terminal text: a picture by half blocks in true colour or 256 colours, or by plain characters; measurements as bars and
//! lines.

mod bars;
mod beside;
mod images;
mod measures;
mod terminal;

pub use bars::bars;
pub use beside::beside;
pub use images::{Image, Images, image, images_beside};
pub use measures::{comparison, histogram, profile};
pub use terminal::{Colors, Terminal, picture};
