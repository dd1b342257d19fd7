//! Pixels whose colour is already multiplied by their alpha: only for exchange with others.

use super::layout::{PicturePixel, Pixel};
use super::sealed::Sealed;

/// A pixel whose colour is already multiplied by its alpha, as many display systems keep it. Only for exchange with
/// others: files, pictures and all work take straight alpha. See [`premultiply`](crate::convert::premultiply).
///
/// For a pixel without alpha it is the pixel itself.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[repr(transparent)]
pub struct Premultiplied<P>(
    /// The pixel, colour multiplied.
    pub P,
);

impl<P: PicturePixel> Sealed for Premultiplied<P> {}

impl<P: PicturePixel> Pixel for Premultiplied<P> {
    type Number = P::Number;
    const CHANNELS: usize = P::CHANNELS;
    // The last channel is not straight alpha: no work may weight colour by it again.
    const ALPHA: bool = false;
    const CHANNEL_NAMES: &'static [&'static str] = P::CHANNEL_NAMES;

    fn describe() -> String {
        format!("premultiplied {}", P::describe())
    }
}
