//! What a picture or a strip holds, when the type is known at run time only.

use super::gate::{Shape, zeroed};
use super::{AnyPlanes, Form, Frame, Planes, Region, Size, View, ViewMut};
use crate::error::{Error, ErrorKind, Result};
use crate::pixel::{Depth, Layout, Number, Pixel, Sample, Stored};

/// Samples of one of the three depths.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)] // each arm is named after its sample type
pub enum Samples {
    U8(Vec<u8>),
    U16(Vec<u16>),
    F32(Vec<f32>),
}

/// Borrowed samples of one of the three depths.
#[derive(Debug, Clone, Copy)]
#[allow(missing_docs)]
pub enum SamplesRef<'a> {
    U8(&'a [u8]),
    U16(&'a [u16]),
    F32(&'a [f32]),
}

/// Mutably borrowed samples of one of the three depths.
#[derive(Debug)]
#[allow(missing_docs)]
pub enum SamplesMut<'a> {
    U8(&'a mut [u8]),
    U16(&'a mut [u16]),
    F32(&'a mut [f32]),
}

impl Samples {
    fn zeroed(depth: Depth, length: usize) -> Result<Samples> {
        Ok(match depth {
            Depth::U8 => Samples::U8(zeroed(length)?),
            Depth::U16 => Samples::U16(zeroed(length)?),
            Depth::F32 => Samples::F32(zeroed(length)?),
        })
    }

    fn depth(&self) -> Depth {
        match self {
            Samples::U8(_) => Depth::U8,
            Samples::U16(_) => Depth::U16,
            Samples::F32(_) => Depth::F32,
        }
    }

    pub(super) fn borrow(&self) -> SamplesRef<'_> {
        match self {
            Samples::U8(s) => SamplesRef::U8(s),
            Samples::U16(s) => SamplesRef::U16(s),
            Samples::F32(s) => SamplesRef::F32(s),
        }
    }

    pub(super) fn borrow_mut(&mut self) -> SamplesMut<'_> {
        match self {
            Samples::U8(s) => SamplesMut::U8(s),
            Samples::U16(s) => SamplesMut::U16(s),
            Samples::F32(s) => SamplesMut::F32(s),
        }
    }
}

/// Pixels whose depth and layout are known at run time: one buffer of samples, rows from the top, packed.
#[derive(Clone, PartialEq)]
pub struct Pixels {
    size: Size,
    layout: Layout,
    samples: Samples,
}

impl std::fmt::Debug for Pixels {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Pixels({} {} {})", self.size, self.layout, self.depth())
    }
}

impl Pixels {
    /// Pixels whose samples are all zero.
    ///
    /// # Errors
    /// A size beyond the address space or the system's memory.
    pub fn new(size: Size, layout: Layout, depth: Depth) -> Result<Pixels> {
        let shape = Shape::packed(size, layout.channels(), depth.bytes())?;
        Ok(Pixels { size, layout, samples: Samples::zeroed(depth, shape.needed)? })
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// The channels and their order.
    pub fn layout(&self) -> Layout {
        self.layout
    }

    /// The sample type.
    pub fn depth(&self) -> Depth {
        self.samples.depth()
    }

    /// All samples, packed.
    pub fn samples(&self) -> SamplesRef<'_> {
        self.samples.borrow()
    }

    /// One row's samples.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[track_caller]
    pub fn row(&self, y: u32) -> SamplesRef<'_> {
        let row = self.size.width as usize * self.layout.channels();
        let at = self.start_of(y, row);
        match self.samples.borrow() {
            SamplesRef::U8(s) => SamplesRef::U8(&s[at..at + row]),
            SamplesRef::U16(s) => SamplesRef::U16(&s[at..at + row]),
            SamplesRef::F32(s) => SamplesRef::F32(&s[at..at + row]),
        }
    }

    /// One row's samples, to write.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[track_caller]
    pub fn row_mut(&mut self, y: u32) -> SamplesMut<'_> {
        let row = self.size.width as usize * self.layout.channels();
        let at = self.start_of(y, row);
        match self.samples.borrow_mut() {
            SamplesMut::U8(s) => SamplesMut::U8(&mut s[at..at + row]),
            SamplesMut::U16(s) => SamplesMut::U16(&mut s[at..at + row]),
            SamplesMut::F32(s) => SamplesMut::F32(&mut s[at..at + row]),
        }
    }

    #[track_caller]
    fn start_of(&self, y: u32, row: usize) -> usize {
        assert!(y < self.size.height, "row {y} is outside 0..{}", self.size.height);
        y as usize * row
    }

    /// All of it as typed pixels, borrowed.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn view<P: Stored>(&self) -> Result<View<'_, P>> {
        match P::Number::pick(self.samples.borrow()) {
            Some(samples) if self.layout == P::LAYOUT => View::packed(samples, self.size),
            _ => Err(self.another_type::<P>()),
        }
    }

    /// All of it as typed pixels, borrowed to write.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn view_mut<P: Stored>(&mut self) -> Result<ViewMut<'_, P>> {
        if self.layout != P::LAYOUT || self.depth() != P::Number::DEPTH {
            return Err(self.another_type::<P>());
        }
        let found = format!("{} {}", self.layout, self.depth());
        match P::Number::pick_mut(self.samples.borrow_mut()) {
            Some(samples) => ViewMut::packed(samples, self.size),
            None => Err(ErrorKind::Types { wanted: P::describe(), found }.into()),
        }
    }

    /// The frame itself. No copy.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn into_frame<P: Stored>(self) -> Result<Frame<P>> {
        if self.layout != P::LAYOUT || self.depth() != P::Number::DEPTH {
            return Err(self.another_type::<P>());
        }
        let size = self.size;
        match P::Number::take(self.samples) {
            Ok(samples) => Frame::from_numbers(size, samples),
            Err(other) => {
                let found = format!("{} {}", self.layout, other.depth());
                Err(ErrorKind::Types { wanted: P::describe(), found }.into())
            }
        }
    }

    #[cold]
    fn another_type<P: Stored>(&self) -> Error {
        ErrorKind::Types { wanted: P::describe(), found: format!("{} {}", self.layout, self.depth()) }.into()
    }
}

impl<P: Stored> From<Frame<P>> for Pixels {
    /// No copy.
    fn from(frame: Frame<P>) -> Pixels {
        let size = frame.size();
        Pixels { size, layout: P::LAYOUT, samples: P::Number::wrap(frame.into_numbers()) }
    }
}

/// What a picture or a strip holds: pixels of a depth and layout, or planes of a number type. No metadata.
#[derive(Debug, Clone, PartialEq)]
pub enum Content {
    /// Interleaved pixels.
    Pixels(Pixels),
    /// Named planes.
    Planes(AnyPlanes),
}

impl Content {
    /// Content of this form and size, all zero.
    ///
    /// # Errors
    /// A size beyond the address space or the system's memory.
    pub fn new(size: Size, form: &Form) -> Result<Content> {
        match form {
            Form::Pixels { depth, layout } => Ok(Content::Pixels(Pixels::new(size, *layout, *depth)?)),
            Form::Planes { number, names } => Ok(Content::Planes(blank_planes(size, *number, names)?)),
        }
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        match self {
            Content::Pixels(pixels) => pixels.size(),
            Content::Planes(planes) => planes.size(),
        }
    }

    /// What it holds: depth and layout, or number type and names.
    pub fn form(&self) -> Form {
        match self {
            Content::Pixels(p) => Form::Pixels { depth: p.depth(), layout: p.layout() },
            Content::Planes(p) => Form::Planes { number: p.number(), names: p.names() },
        }
    }

    /// A copy of a region. One pass over the region.
    ///
    /// # Errors
    /// A region that reaches outside.
    pub fn crop(&self, region: Region) -> Result<Content> {
        struct Crop(Region);
        impl super::Move for Crop {
            fn run<P: Pixel>(&self, view: View<'_, P>) -> Result<Frame<P>> {
                Ok(view.region(self.0)?.to_frame())
            }
        }
        self.moved(&Crop(region.inside(self.size())?))
    }

    /// Copies rows of another content of the same form and width over rows of this one, from `to` on.
    ///
    /// # Errors
    /// Forms or widths that differ, rows that are not there.
    pub(crate) fn put_rows(&mut self, to: u32, from: &Content, rows: std::ops::Range<u32>) -> Result<()> {
        struct Put(u32, std::ops::Range<u32>);
        impl super::MoveInto for Put {
            fn run<P: Pixel>(&self, target: ViewMut<'_, P>, source: View<'_, P>) -> Result<()> {
                let source = source.region(source.size().region().rows(self.1.clone())?)?;
                let part = target.size().region().rows(self.0..self.0.saturating_add(source.height()))?;
                source.copy_into(target.region(part)?)
            }
        }
        self.change_by(from, &Put(to, rows))
    }
}

fn blank_planes(size: Size, number: crate::pixel::NumberKind, names: &[String]) -> Result<AnyPlanes> {
    use crate::pixel::NumberKind;
    fn blank<T: Number>(size: Size, names: &[String]) -> Result<Planes<T>> {
        let mut planes = Planes::new(size);
        for name in names {
            planes.push(name.as_str(), Frame::new(size)?)?;
        }
        Ok(planes)
    }
    Ok(match number {
        NumberKind::U8 => blank::<u8>(size, names)?.into(),
        NumberKind::U16 => blank::<u16>(size, names)?.into(),
        NumberKind::U32 => blank::<u32>(size, names)?.into(),
        NumberKind::U64 => blank::<u64>(size, names)?.into(),
        NumberKind::I8 => blank::<i8>(size, names)?.into(),
        NumberKind::I16 => blank::<i16>(size, names)?.into(),
        NumberKind::I32 => blank::<i32>(size, names)?.into(),
        NumberKind::I64 => blank::<i64>(size, names)?.into(),
        NumberKind::F32 => blank::<f32>(size, names)?.into(),
        NumberKind::F64 => blank::<f64>(size, names)?.into(),
    })
}

impl<P: Stored> From<Frame<P>> for Content {
    /// No copy.
    fn from(frame: Frame<P>) -> Content {
        Content::Pixels(frame.into())
    }
}

impl From<Pixels> for Content {
    fn from(pixels: Pixels) -> Content {
        Content::Pixels(pixels)
    }
}

impl<T: Number> From<Planes<T>> for Content
where
    AnyPlanes: From<Planes<T>>,
{
    fn from(planes: Planes<T>) -> Content {
        Content::Planes(super::planes::any_planes(planes))
    }
}
