//! GIF 87a and 89a (CompuServe, 1987 and 1990), with the extension that says how often an animation is played.
//!
//! Read: every frame, composed over those before it as a viewer shows it, or by itself; global and local palettes, transparency,
//! interlacing, disposal, delays. Written: palette pictures, one or several, each with a palette of its own where they differ. Not here:
//! plain text extensions, which no viewer draws; they are passed over.

mod blocks;
mod canvas;
mod decode;
mod encode;
mod frame;

pub(super) use decode::GifDecoder;
pub(super) use encode::GifEncoder;
