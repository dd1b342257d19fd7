//! The one step from run-time types to typed code: a job is written once over all pixel types and run on the one that
//! is there.

use super::planes::each_arm;
use super::{AnyPlanes, Content, Pixels, Planes, SamplesRef, View, ViewMut};
use crate::error::{ErrorKind, Result};
use crate::pixel::{Cmyk, Gray, GrayAlpha, Layout, Number, Rgb, Rgba, Sample, Stored};

/// Work on the pixels of a picture, whatever their type.
pub trait Job {
    /// What the work gives.
    type Out;
    /// Does it.
    fn run<P: Stored>(self, view: View<'_, P>) -> Self::Out;
}

/// Work that changes the pixels of a picture, whatever their type.
pub trait JobMut {
    /// What the work gives.
    type Out;
    /// Does it.
    fn run<P: Stored>(self, view: ViewMut<'_, P>) -> Self::Out;
}

/// Work on two pictures of the same pixel type, the first of which may change.
pub trait JobPair {
    /// What the work gives.
    type Out;
    /// Does it.
    fn run<P: Stored>(self, target: ViewMut<'_, P>, source: View<'_, P>) -> Self::Out;
}

/// Work on planes, whatever their number type.
pub trait PlanesJob {
    /// What the work gives.
    type Out;
    /// Does it.
    fn run<T: Number>(self, planes: &Planes<T>) -> Self::Out;
}

// The `expect`s below cannot fire: they ask for the layout and depth that were matched the line before.
const MATCHED: &str = "the type that was matched";

impl Pixels {
    /// Runs a job on the pixels, typed.
    pub fn visit<J: Job>(&self, job: J) -> J::Out {
        fn by_layout<S: Sample, J: Job>(pixels: &Pixels, job: J) -> J::Out {
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

    /// Runs a job that may change the pixels, typed.
    pub fn visit_mut<J: JobMut>(&mut self, job: J) -> J::Out {
        fn by_layout<S: Sample, J: JobMut>(pixels: &mut Pixels, job: J) -> J::Out {
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

    /// Runs a job on these pixels and others of the same type.
    ///
    /// # Errors
    /// Types that differ; the error names both.
    pub fn visit_with<J: JobPair>(&mut self, source: &Pixels, job: J) -> Result<J::Out> {
        struct First<'a, J>(J, &'a Pixels);
        impl<J: JobPair> JobMut for First<'_, J> {
            type Out = Result<J::Out>;
            fn run<P: Stored>(self, target: ViewMut<'_, P>) -> Self::Out {
                Ok(self.0.run(target, self.1.view::<P>()?))
            }
        }
        self.visit_mut(First(job, source))
    }
}

impl AnyPlanes {
    /// Runs a job on the planes, typed.
    pub fn visit<J: PlanesJob>(&self, job: J) -> J::Out {
        each_arm!(self, planes => job.run(planes))
    }
}

impl Content {
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

    /// The pixels, to write.
    ///
    /// # Errors
    /// Planes: the error says which.
    pub fn pixels_mut(&mut self) -> Result<&mut Pixels> {
        match self {
            Content::Pixels(pixels) => Ok(pixels),
            Content::Planes(planes) => {
                let form = super::Form::Planes { number: planes.number(), names: planes.names() };
                Err(ErrorKind::Types { wanted: "pixels".into(), found: form.describe() }.into())
            }
        }
    }

    #[cold]
    pub(super) fn not_pixels(&self) -> crate::error::Error {
        ErrorKind::Types { wanted: "pixels".into(), found: self.form().describe() }.into()
    }
}
