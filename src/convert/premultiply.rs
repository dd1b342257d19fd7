//! Between straight alpha, which every frame and picture has, and colour multiplied by alpha, which some others keep.
//!
//! Colour x alpha / full is rounded to nearest, exactly. The way back is colour x full / alpha, rounded to nearest, ties
//! up, and clamped to full; where alpha is 0 the colour is 0. What small alphas rounded away does not come back: a colour
//! returns within full / (2 alpha) + 1/2, exactly where alpha is full.

use super::swizzle;
use crate::error::Result;
use crate::frame::{AnySamples, AnySamplesMut, Frame, Pixels, View, ViewMut, row_pairs, same_size, with_same_samples};
use crate::pixel::{Channels, PicturePixel, Premultiplied, Sample};

/// Multiplies colour by alpha, into a new frame; a copy where there is no alpha. One pass.
///
/// # Errors
/// A size beyond the system's memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgba, Size, convert::premultiply, pixel::Premultiplied};
/// let spray = Frame::filled(Size::new(1, 1), Rgba::new(200u8, 100, 0, 51))?;
/// let ready = premultiply::premultiply(spray.view())?;
/// assert_eq!(ready[(0, 0)], Premultiplied(Rgba::new(40, 20, 0, 51)));
/// assert_eq!(premultiply::unpremultiply(ready.view())?, spray);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn premultiply<P: PicturePixel>(view: View<'_, P>) -> Result<Frame<Premultiplied<P>>> {
    let mut out = Frame::zeros(view.size(), view.account())?;
    premultiply_into(view, out.view_mut())?;
    Ok(out)
}

/// [`premultiply`] into a view of the same size.
///
/// # Errors
/// Sizes that differ.
pub fn premultiply_into<P: PicturePixel>(view: View<'_, P>, target: ViewMut<'_, Premultiplied<P>>) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    run(view.samples_any(), target.into_samples_any(), Channels::of::<P>(), Way::Multiply)
}

/// Divides colour by alpha, into a new frame; a copy where there is no alpha. One pass.
///
/// # Errors
/// A size beyond the system's memory.
pub fn unpremultiply<P: PicturePixel>(view: View<'_, Premultiplied<P>>) -> Result<Frame<P>> {
    let mut out = Frame::zeros(view.size(), view.account())?;
    unpremultiply_into(view, out.view_mut())?;
    Ok(out)
}

/// [`unpremultiply`] into a view of the same size.
///
/// # Errors
/// Sizes that differ.
pub fn unpremultiply_into<P: PicturePixel>(view: View<'_, Premultiplied<P>>, target: ViewMut<'_, P>) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    run(view.samples_any(), target.into_samples_any(), Channels::of::<P>(), Way::Divide)
}

impl Pixels {
    /// Pixels whose colours are multiplied by their alpha, for exchange with what wants them so: [`premultiply`] for pixels whose type is
    /// known at run time. They are no picture any more: every other call takes alpha as straight. One pass and a copy.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn premultiplied(&self) -> Result<Pixels> {
        self.by(Way::Multiply)
    }

    /// Pixels whose colours were multiplied by their alpha, straight: the inverse of [`premultiplied`](Pixels::premultiplied). One pass and
    /// a copy.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn unpremultiplied(&self) -> Result<Pixels> {
        self.by(Way::Divide)
    }

    fn by(&self, way: Way) -> Result<Pixels> {
        let mut out = Pixels::zeros(self.size(), self.layout(), self.depth(), self.account())?;
        run(self.samples_any(), out.samples_any_mut(), self.layout().into(), way)?;
        Ok(out)
    }
}

#[derive(Clone, Copy)]
enum Way {
    Multiply,
    Divide,
}

fn run(from: AnySamples<'_>, to: AnySamplesMut<'_>, channels: Channels, way: Way) -> Result<()> {
    with_same_samples!(from, to, from, to => {
        row_pairs(from, to, &mut |from, to| match way {
            Way::Multiply => premultiply_row(from, to, channels),
            Way::Divide => unpremultiply_row(from, to, channels),
        });
        Ok(())
    })
}

/// A row of straight samples, multiplied.
pub(super) fn premultiply_row<S: Sample>(from: &[S], to: &mut [S], channels: Channels) {
    match (channels.count, channels.alpha) {
        (2, true) => swizzle::each::<S, 2, 2>(from, to, |&[v, a], to| *to = [v.multiplied(a), a]),
        (4, true) => swizzle::each::<S, 4, 4>(from, to, |&[r, g, b, a], to| {
            *to = [r.multiplied(a), g.multiplied(a), b.multiplied(a), a]
        }),
        _ => to.copy_from_slice(from),
    }
}

/// A row of multiplied samples, straight.
pub(crate) fn unpremultiply_row<S: Sample>(from: &[S], to: &mut [S], channels: Channels) {
    match (channels.count, channels.alpha) {
        (2, true) => swizzle::each::<S, 2, 2>(from, to, |&[v, a], to| *to = [v.divided(a), a]),
        (4, true) => {
            swizzle::each::<S, 4, 4>(from, to, |&[r, g, b, a], to| *to = [r.divided(a), g.divided(a), b.divided(a), a]);
        }
        _ => to.copy_from_slice(from),
    }
}
