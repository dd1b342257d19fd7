//! What a picture or a strip holds, when the type is known at run time only.

use super::gate::{Extent, zeroed};
use super::{
    AnyNumbers, AnyNumbersMut, AnyPlanes, AnySamples, AnySamplesMut, Frame, PixelFormat, Planes, Region, SampleView,
    SampleViewMut, Size, View, ViewMut, row_pairs, same_size,
};
use crate::error::{Error, ErrorKind, Result};
use crate::memory::{Account, Charge, MemoryBudget};
use crate::pixel::{Depth, Layout, Number, NumberKind, PicturePixel, Sample, Samples, SamplesMut, SamplesRef};

fn zeroed_samples(depth: Depth, length: usize, account: Account<'_>) -> Result<(Samples, Charge)> {
    Ok(match depth {
        Depth::U8 => wrapped::<u8>(zeroed(length, account)?),
        Depth::U16 => wrapped::<u16>(zeroed(length, account)?),
        Depth::F32 => wrapped::<f32>(zeroed(length, account)?),
    })
}

fn wrapped<S: Sample>((samples, charge): (Vec<S>, Charge)) -> (Samples, Charge) {
    (S::wrap(samples), charge)
}

/// Pixels whose depth and layout are known at run time: one buffer of samples, rows from the top, packed.
#[derive(Clone, PartialEq)]
pub struct Pixels {
    size: Size,
    layout: Layout,
    samples: Samples,
    charge: Charge,
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
        Pixels::zeros(size, layout, depth, None)
    }

    /// Pixels whose samples are all zero, charged to a budget.
    pub(crate) fn zeros(size: Size, layout: Layout, depth: Depth, account: Account<'_>) -> Result<Pixels> {
        let shape = Extent::packed(size, layout.channels(), depth.bytes())?;
        let (samples, charge) = zeroed_samples(depth, shape.needed, account)?;
        Ok(Pixels { size, layout, samples, charge })
    }

    /// The budget that the pixels are charged to, and that what is made of them is.
    pub(crate) fn account(&self) -> Account<'_> {
        self.charge.account()
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

    /// One row's samples, mutable.
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

    /// All of it, the layout as a number of channels.
    pub(crate) fn samples_any(&self) -> AnySamples<'_> {
        let (size, channels, account) = (self.size, self.layout.into(), self.account());
        match self.samples.borrow() {
            SamplesRef::U8(s) => AnySamples::U8(SampleView::packed(s, size, channels, account)),
            SamplesRef::U16(s) => AnySamples::U16(SampleView::packed(s, size, channels, account)),
            SamplesRef::F32(s) => AnySamples::F32(SampleView::packed(s, size, channels, account)),
        }
    }

    /// The bytes of one row, in this machine's byte order.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[track_caller]
    #[cfg_attr(not(feature = "npy"), allow(dead_code))]
    pub(crate) fn bytes_of_row(&self, y: u32) -> &[u8] {
        self.samples_any().as_bytes().row(y)
    }

    /// All of it, the layout as a number of channels, mutable.
    pub(crate) fn samples_any_mut(&mut self) -> AnySamplesMut<'_> {
        let (size, channels) = (self.size, self.layout.into());
        match self.samples.borrow_mut() {
            SamplesMut::U8(s) => AnySamplesMut::U8(SampleViewMut::packed(s, size, channels)),
            SamplesMut::U16(s) => AnySamplesMut::U16(SampleViewMut::packed(s, size, channels)),
            SamplesMut::F32(s) => AnySamplesMut::F32(SampleViewMut::packed(s, size, channels)),
        }
    }

    #[track_caller]
    fn start_of(&self, y: u32, row: usize) -> usize {
        assert!(y < self.size.height, "row {y} is outside 0..{}", self.size.height);
        y as usize * row
    }

    /// A typed view of all pixels.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn view<P: PicturePixel>(&self) -> Result<View<'_, P>> {
        match P::Number::pick(self.samples.borrow()) {
            Some(samples) if self.layout == P::LAYOUT => Ok(View::of_whole(samples, self.size, self.account())),
            _ => Err(self.another_type::<P>()),
        }
    }

    /// A typed, mutable view of all pixels.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn view_mut<P: PicturePixel>(&mut self) -> Result<ViewMut<'_, P>> {
        if self.layout != P::LAYOUT || self.depth() != P::Number::DEPTH {
            return Err(self.another_type::<P>());
        }
        let found = format!("{} {}", self.layout, self.depth());
        match P::Number::pick_mut(self.samples.borrow_mut()) {
            Some(samples) => ViewMut::packed(samples, self.size),
            None => Err(ErrorKind::Types { wanted: P::describe(), found }.into()),
        }
    }

    /// A copy of a region. One pass over the region.
    ///
    /// # Errors
    /// A region that reaches outside, or no memory.
    pub fn crop(&self, region: Region) -> Result<Pixels> {
        let region = region.inside(self.size)?;
        let (samples, charge) = match self.samples_any() {
            AnySamples::U8(view) => wrapped(view.part(region).copied()?),
            AnySamples::U16(view) => wrapped(view.part(region).copied()?),
            AnySamples::F32(view) => wrapped(view.part(region).copied()?),
        };
        Ok(Pixels { size: region.size(), layout: self.layout, samples, charge })
    }

    /// The frame itself. No copy.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn into_frame<P: PicturePixel>(self) -> Result<Frame<P>> {
        if self.layout != P::LAYOUT || self.depth() != P::Number::DEPTH {
            return Err(self.another_type::<P>());
        }
        let size = self.size;
        match P::Number::take(self.samples) {
            Ok(samples) => Ok(Frame::from_whole(size, (samples, self.charge))),
            Err(other) => {
                let found = format!("{} {}", self.layout, other.depth());
                Err(ErrorKind::Types { wanted: P::describe(), found }.into())
            }
        }
    }

    #[cold]
    fn another_type<P: PicturePixel>(&self) -> Error {
        ErrorKind::Types { wanted: P::describe(), found: format!("{} {}", self.layout, self.depth()) }.into()
    }
}

impl<P: PicturePixel> From<Frame<P>> for Pixels {
    /// No copy.
    fn from(frame: Frame<P>) -> Pixels {
        let size = frame.size();
        let (samples, charge) = wrapped(frame.into_charged());
        Pixels { size, layout: P::LAYOUT, samples, charge }
    }
}

/// Pixels of a depth and layout, or planes of a number type: a picture or a strip without metadata.
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
    pub fn new(size: Size, form: &PixelFormat) -> Result<Content> {
        Content::zeros(size, form, None)
    }

    /// Content of this form and size, all zero, charged to a budget.
    pub(crate) fn zeros(size: Size, form: &PixelFormat, account: Account<'_>) -> Result<Content> {
        match form {
            PixelFormat::Pixels { depth, layout } => Ok(Pixels::zeros(size, *layout, *depth, account)?.into()),
            PixelFormat::Planes { number, names } => Ok(Content::Planes(blank_planes(size, *number, names, account)?)),
        }
    }

    /// The content, charged to a budget from now on, as all that is made of it is: in place of the one that it was charged to. No cost.
    ///
    /// # Errors
    /// More than the budget has left.
    pub fn charged_to(mut self, budget: &MemoryBudget) -> Result<Content> {
        match &mut self {
            Content::Pixels(pixels) => {
                let bytes = (pixels.layout.channels() * pixels.depth().bytes()) as u64;
                pixels.charge.moved_to(budget, pixels.size.pixels().saturating_mul(bytes))?;
            }
            Content::Planes(planes) => planes.charge_to(budget)?,
        }
        Ok(self)
    }

    /// The budget that the content is charged to, and that what is made of it is.
    pub(crate) fn account(&self) -> Account<'_> {
        match self {
            Content::Pixels(pixels) => pixels.account(),
            Content::Planes(planes) => planes.account(),
        }
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        match self {
            Content::Pixels(pixels) => pixels.size(),
            Content::Planes(planes) => planes.size(),
        }
    }

    /// The pixel format: depth and layout, or number type and names.
    pub fn pixel_format(&self) -> PixelFormat {
        match self {
            Content::Pixels(p) => PixelFormat::Pixels { depth: p.depth(), layout: p.layout() },
            Content::Planes(p) => PixelFormat::Planes { number: p.number(), names: p.names() },
        }
    }

    /// A copy of a region. One pass over the region.
    ///
    /// # Errors
    /// A region that reaches outside.
    pub fn crop(&self, region: Region) -> Result<Content> {
        let region = region.inside(self.size())?;
        if let Content::Pixels(pixels) = self {
            return Ok(pixels.crop(region)?.into());
        }
        self.moved_by_bytes(region.size(), &|from, to| {
            copy_rows(from.part(region), to);
            Ok(())
        })
    }

    /// A copy, or an error where there is no memory for it.
    pub(crate) fn copied(&self) -> Result<Content> {
        self.crop(self.size().region())
    }

    /// Copies rows of another content of the same form and width over rows of this one, from `to` on.
    ///
    /// # Errors
    /// Forms or widths that differ, rows that are not there.
    pub(crate) fn put_rows(&mut self, to: u32, from: &Content, rows: std::ops::Range<u32>) -> Result<()> {
        let source = from.size().region().rows(rows)?;
        let target = self.size().region().rows(to..to.saturating_add(source.height))?;
        same_size("the target", source.size(), target.size())?;
        self.changed_by_bytes(from, &mut |into, from| {
            copy_rows(from.part(source), into.part(target));
            Ok(())
        })
    }

    /// New content of the same form, made by a move that sees pixels, or each plane, as bytes.
    pub(crate) fn moved_by_bytes(&self, size: Size, work: &ByteMove<'_>) -> Result<Content> {
        let mut out = Content::zeros(size, &self.pixel_format(), self.account())?;
        self.byte_views().into_iter().zip(out.byte_views_mut()).try_for_each(|(from, to)| work(from, to))?;
        Ok(out)
    }

    /// Changes this content by another of the same form, both seen as bytes: pixels by pixels, each plane by that of the
    /// same name.
    pub(crate) fn changed_by_bytes(&mut self, source: &Content, work: &mut ByteChange<'_>) -> Result<()> {
        let (wanted, found) = (self.pixel_format(), source.pixel_format());
        let names = |form: &PixelFormat| match form {
            PixelFormat::Planes { names, .. } => names.clone(),
            PixelFormat::Pixels { .. } => vec![String::new()],
        };
        let (mine, theirs) = (names(&wanted), names(&found));
        let alike = match (&wanted, &found) {
            (PixelFormat::Planes { number, .. }, PixelFormat::Planes { number: other, .. }) => number == other,
            _ => wanted == found,
        };
        if !alike {
            return Err(ErrorKind::Types { wanted: wanted.describe(), found: found.describe() }.into());
        }
        let mut targets = self.byte_views_mut();
        for (name, from) in theirs.iter().zip(source.byte_views()) {
            let place = mine.iter().position(|own| own == name);
            let Some(target) = place.and_then(|place| targets.get_mut(place)) else {
                return Err(Error::invalid("planes", format!("there is no plane {name} to change")));
            };
            work(target.reborrow(), from)?;
        }
        Ok(())
    }

    /// Pixels, or each plane, with their number type as a value.
    pub(crate) fn views(&self) -> Vec<AnyNumbers<'_>> {
        match self {
            Content::Pixels(pixels) => vec![pixels.samples_any().into()],
            Content::Planes(planes) => planes.views(),
        }
    }

    /// Pixels, or each plane, with their number type as a value, mutable.
    pub(crate) fn views_mut(&mut self) -> Vec<AnyNumbersMut<'_>> {
        match self {
            Content::Pixels(pixels) => vec![pixels.samples_any_mut().into()],
            Content::Planes(planes) => planes.views_mut(),
        }
    }

    fn byte_views(&self) -> Vec<SampleView<'_, u8>> {
        self.views().iter().map(AnyNumbers::as_bytes).collect()
    }

    fn byte_views_mut(&mut self) -> Vec<SampleViewMut<'_, u8>> {
        self.views_mut().into_iter().map(AnyNumbersMut::into_bytes).collect()
    }
}

/// A move of pixels seen as bytes: from a view to another of the size that was asked for.
pub(crate) type ByteMove<'a> = dyn Fn(SampleView<'_, u8>, SampleViewMut<'_, u8>) -> Result<()> + 'a;

/// A change of pixels by others of the same kind, seen as bytes.
pub(crate) type ByteChange<'a> = dyn FnMut(SampleViewMut<'_, u8>, SampleView<'_, u8>) -> Result<()> + 'a;

/// Rows of one view over those of another of its size.
impl AnyPlanes {
    /// Planes at these places, counted from 0, in this order. One copy.
    ///
    /// # Errors
    /// A place that is not there, or one that is listed twice.
    pub fn pick(&self, places: &[usize]) -> Result<AnyPlanes> {
        let (names, count) = (self.names(), self.len());
        let mut picked = Vec::with_capacity(places.len());
        for &place in places {
            picked.push(names.get(place).cloned().ok_or_else(|| no_plane(place, count))?);
        }
        let form = PixelFormat::Planes { number: self.number(), names: picked };
        let mut out = Content::zeros(self.size(), &form, self.account())?;
        let from = self.views();
        for (&place, to) in places.iter().zip(out.views_mut()) {
            copy_rows(from[place].as_bytes(), to.into_bytes());
        }
        match out {
            Content::Planes(planes) => Ok(planes),
            // What was asked for were planes.
            Content::Pixels(_) => Err(no_plane(0, count)),
        }
    }
}

#[cold]
fn no_plane(place: usize, count: usize) -> Error {
    let line = format!("there is no plane {place}; there are {count}, counted from 0");
    Error::not_there("places", place as u64, count as u64, line)
}

fn copy_rows(from: SampleView<'_, u8>, to: SampleViewMut<'_, u8>) {
    row_pairs(from, to, &mut |from, to| to.copy_from_slice(from));
}

fn blank_planes(size: Size, number: NumberKind, names: &[String], account: Account<'_>) -> Result<AnyPlanes> {
    let mut planes: AnyPlanes = match number {
        NumberKind::U8 => Planes::<u8>::new(size).into(),
        NumberKind::U16 => Planes::<u16>::new(size).into(),
        NumberKind::U32 => Planes::<u32>::new(size).into(),
        NumberKind::U64 => Planes::<u64>::new(size).into(),
        NumberKind::I8 => Planes::<i8>::new(size).into(),
        NumberKind::I16 => Planes::<i16>::new(size).into(),
        NumberKind::I32 => Planes::<i32>::new(size).into(),
        NumberKind::I64 => Planes::<i64>::new(size).into(),
        NumberKind::F32 => Planes::<f32>::new(size).into(),
        NumberKind::F64 => Planes::<f64>::new(size).into(),
    };
    planes.push_blanks(names, account)?;
    Ok(planes)
}

impl<P: PicturePixel> From<Frame<P>> for Content {
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
