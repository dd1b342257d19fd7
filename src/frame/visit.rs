//! The one step from run-time types to typed code: a job is written once over all pixel types and run on the one that
//! is there.

use super::planes::each_arm;
use super::{
    AnyPlanes, Content, Frame, Pixels, Planes, SampleView, SampleViewMut, SamplesRef, View, ViewMut, with_samples,
    with_samples_mut,
};
use crate::error::{ErrorKind, Result};
use crate::pixel::{Cmyk, Gray, GrayAlpha, Layout, Number, PicturePixel, Pixel, Rgb, Rgba, Sample};

/// Generic work on the pixels of a picture, for every pixel type.
pub trait Visitor {
    /// The result type.
    type Out;
    /// Runs on one pixel or sample type.
    fn run<P: PicturePixel>(self, view: View<'_, P>) -> Self::Out;
}

/// Generic work that changes the pixels of a picture, for every pixel type.
pub trait VisitorMut {
    /// The result type.
    type Out;
    /// Runs on one pixel or sample type.
    fn run<P: PicturePixel>(self, view: ViewMut<'_, P>) -> Self::Out;
}

/// Work on the samples of a picture, whatever their type: what needs no pixel types, only samples and channels. It is
/// compiled three times where a [`Visitor`] is compiled fifteen times: prefer it.
///
/// # Examples
/// ```
/// use rahmen::frame::{SampleView, SampleVisitor};
/// use rahmen::{Frame, Layout, Picture, Rgb, Sample, Size};
/// struct Brightest;
/// impl SampleVisitor for Brightest {
///     type Out = f64;
///     fn run<S: Sample>(self, view: SampleView<'_, S>, _: Layout) -> f64 {
///         view.rows().flatten().map(|v| v.to_fraction()).fold(0.0, f64::max)
///     }
/// }
/// let picture = Picture::from(Frame::filled(Size::new(2, 2), Rgb::new(0u8, 51, 255))?);
/// assert_eq!(picture.pixels()?.visit_samples(Brightest), 1.0);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub trait SampleVisitor {
    /// The result type.
    type Out;
    /// Runs on one pixel or sample type.
    fn run<S: Sample>(self, view: SampleView<'_, S>, layout: Layout) -> Self::Out;
}

/// Generic work that changes the samples of a picture, for every sample type.
pub trait SampleVisitorMut {
    /// The result type.
    type Out;
    /// Runs on one pixel or sample type.
    fn run<S: Sample>(self, view: SampleViewMut<'_, S>, layout: Layout) -> Self::Out;
}

/// Generic work on two pictures of one pixel type, the first of which may change.
pub trait PairVisitor {
    /// The result type.
    type Out;
    /// Runs on one pixel or sample type.
    fn run<P: PicturePixel>(self, target: ViewMut<'_, P>, source: View<'_, P>) -> Self::Out;
}

/// Generic work on planes, for every number type.
pub trait PlanesVisitor {
    /// The result type.
    type Out;
    /// Runs on one pixel or sample type.
    fn run<T: Number>(self, planes: &Planes<T>) -> Self::Out;
}

/// Generic work that gives a new frame of the same type, for the pixels of a picture or each of its planes.
pub trait FrameVisitor {
    /// Runs on one pixel or sample type.
    ///
    /// # Errors
    /// The result type.
    fn run<P: Pixel>(&self, view: View<'_, P>) -> Result<Frame<P>>;
}

/// Generic work that changes a frame by another of the same type, for pixels or each plane.
pub trait CombineVisitor {
    /// Runs on one pixel or sample type.
    ///
    /// # Errors
    /// The result type.
    fn run<P: Pixel>(&self, target: ViewMut<'_, P>, source: View<'_, P>) -> Result<()>;
}

// The `expect`s below cannot fire: they ask for the layout and depth that were matched the line before.
const MATCHED: &str = "the type that was matched";

impl Pixels {
    /// Runs a visitor on the pixels, typed.
    pub fn visit<J: Visitor>(&self, job: J) -> J::Out {
        fn by_layout<S: Sample, J: Visitor>(pixels: &Pixels, job: J) -> J::Out {
            match pixels.layout() {
                Layout::Gray => job.run(pixels.view::<Gray<S>>().expect(MATCHED)),
                Layout::GrayAlpha => job.run(pixels.view::<GrayAlpha<S>>().expect(MATCHED)),
                Layout::Rgb => job.run(pixels.view::<Rgb<S>>().expect(MATCHED)),
                Layout::Rgba => job.run(pixels.view::<Rgba<S>>().expect(MATCHED)),
                Layout::Cmyk => job.run(pixels.view::<Cmyk<S>>().expect(MATCHED)),
            }
        }
        match self.samples() {
            SamplesRef::U8(_) => by_layout::<u8, J>(self, job),
            SamplesRef::U16(_) => by_layout::<u16, J>(self, job),
            SamplesRef::F32(_) => by_layout::<f32, J>(self, job),
        }
    }

    /// Runs a visitor on the samples, typed.
    pub fn visit_samples<V: SampleVisitor>(&self, visitor: V) -> V::Out {
        let layout = self.layout();
        with_samples!(self.samples_any(), view => visitor.run(view, layout))
    }

    /// Runs a visitor that may change the samples, typed.
    pub fn visit_samples_mut<V: SampleVisitorMut>(&mut self, visitor: V) -> V::Out {
        let layout = self.layout();
        with_samples_mut!(self.samples_any_mut(), view => visitor.run(view, layout))
    }

    /// Runs a visitor that may change the pixels, typed.
    pub fn visit_mut<J: VisitorMut>(&mut self, job: J) -> J::Out {
        fn by_layout<S: Sample, J: VisitorMut>(pixels: &mut Pixels, job: J) -> J::Out {
            match pixels.layout() {
                Layout::Gray => job.run(pixels.view_mut::<Gray<S>>().expect(MATCHED)),
                Layout::GrayAlpha => job.run(pixels.view_mut::<GrayAlpha<S>>().expect(MATCHED)),
                Layout::Rgb => job.run(pixels.view_mut::<Rgb<S>>().expect(MATCHED)),
                Layout::Rgba => job.run(pixels.view_mut::<Rgba<S>>().expect(MATCHED)),
                Layout::Cmyk => job.run(pixels.view_mut::<Cmyk<S>>().expect(MATCHED)),
            }
        }
        match self.depth() {
            crate::pixel::Depth::U8 => by_layout::<u8, J>(self, job),
            crate::pixel::Depth::U16 => by_layout::<u16, J>(self, job),
            crate::pixel::Depth::F32 => by_layout::<f32, J>(self, job),
        }
    }

    /// Runs a visitor on these pixels and others of the same type.
    ///
    /// # Errors
    /// Types that differ; the error names both.
    pub fn visit_with<J: PairVisitor>(&mut self, source: &Pixels, job: J) -> Result<J::Out> {
        struct First<'a, J>(J, &'a Pixels);
        impl<J: PairVisitor> VisitorMut for First<'_, J> {
            type Out = Result<J::Out>;
            fn run<P: PicturePixel>(self, target: ViewMut<'_, P>) -> Self::Out {
                Ok(self.0.run(target, self.1.view::<P>()?))
            }
        }
        self.visit_mut(First(job, source))
    }
}

impl AnyPlanes {
    /// Runs a visitor on the planes, typed.
    pub fn visit<J: PlanesVisitor>(&self, job: J) -> J::Out {
        each_arm!(self, planes => job.run(planes))
    }
}

impl Content {
    /// Applies a visitor to the pixels, or to each plane.
    ///
    /// # Errors
    /// The result type.
    pub fn moved(&self, work: &impl FrameVisitor) -> Result<Content> {
        struct OfPixels<'a, M>(&'a M);
        impl<M: FrameVisitor> Visitor for OfPixels<'_, M> {
            type Out = Result<Content>;
            fn run<P: PicturePixel>(self, view: View<'_, P>) -> Result<Content> {
                Ok(self.0.run(view)?.into())
            }
        }
        fn of_planes<T: Number>(planes: &Planes<T>, work: &impl FrameVisitor) -> Result<Planes<T>> {
            let frames: Vec<_> = planes.iter().map(|(_, frame)| work.run(frame.view())).collect::<Result<_>>()?;
            let mut out = Planes::new(frames.first().map_or(planes.size(), Frame::size));
            for (name, frame) in planes.names().zip(frames) {
                out.push(name, frame)?;
            }
            Ok(out)
        }
        match self {
            Content::Pixels(pixels) => pixels.visit(OfPixels(work)),
            Content::Planes(any) => Ok(Content::Planes(each_arm!(any, planes => of_planes(planes, work)?.into()))),
        }
    }

    /// Combines this content with another of the same pixel format: pixels with pixels, each plane with that of its name.
    ///
    /// # Errors
    /// Forms that differ (the error names both), or what the work gives.
    pub fn change_by(&mut self, source: &Content, work: &impl CombineVisitor) -> Result<()> {
        struct OfPixels<'a, M>(&'a M);
        impl<M: CombineVisitor> PairVisitor for OfPixels<'_, M> {
            type Out = Result<()>;
            fn run<P: PicturePixel>(self, target: ViewMut<'_, P>, source: View<'_, P>) -> Result<()> {
                self.0.run(target, source)
            }
        }
        fn of_planes<T: Number>(into: &mut Planes<T>, from: &Planes<T>, work: &impl CombineVisitor) -> Result<()> {
            from.iter().try_for_each(|(name, plane)| match into.get_mut(name) {
                Some(target) => work.run(target.view_mut(), plane.view()),
                None => Err(crate::Error::invalid("source", format!("there is no plane {name} to change"))),
            })
        }
        let (wanted, found) = (self.pixel_format(), source.pixel_format());
        let differ = || Err(ErrorKind::Types { wanted: wanted.describe(), found: found.describe() }.into());
        match (self, source) {
            (Content::Pixels(into), Content::Pixels(from)) => into.visit_with(from, OfPixels(work))?,
            (Content::Planes(into), Content::Planes(from)) => each_arm!(into, planes => match from.typed_as(planes) {
                Some(from) => of_planes(planes, from, work),
                None => differ(),
            }),
            _ => differ(),
        }
    }

    /// The pixels.
    ///
    /// # Errors
    /// Planes: the error says which.
    pub fn pixels(&self) -> Result<&Pixels> {
        match self {
            Content::Pixels(pixels) => Ok(pixels),
            Content::Planes(_) => Err(self.not_pixels()),
        }
    }

    /// The pixels, mutable.
    ///
    /// # Errors
    /// Planes: the error says which.
    pub fn pixels_mut(&mut self) -> Result<&mut Pixels> {
        match self {
            Content::Pixels(pixels) => Ok(pixels),
            Content::Planes(planes) => {
                let form = super::PixelFormat::Planes { number: planes.number(), names: planes.names() };
                Err(ErrorKind::Types { wanted: "pixels".into(), found: form.describe() }.into())
            }
        }
    }

    #[cold]
    pub(super) fn not_pixels(&self) -> crate::error::Error {
        ErrorKind::Types { wanted: "pixels".into(), found: self.pixel_format().describe() }.into()
    }
}
