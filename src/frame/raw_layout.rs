//! A full description of how pixels lie in foreign memory.
//!
//! Not here: turning foreign bytes into pixels and back, which [`access`](crate::access) does.

use super::gate::Extent;
use super::{Size, View, ViewMut};
use crate::error::{Error, Result};
use crate::pixel::{Depth, Layout, PicturePixel, Sample};

/// The channels of foreign pixels in the order of their bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)] // each name lists its channels
#[non_exhaustive]
pub enum ChannelOrder {
    Gray,
    GrayAlpha,
    AlphaGray,
    Rgb,
    Bgr,
    Rgba,
    Bgra,
    Argb,
    Abgr,
    Cmyk,
}

impl ChannelOrder {
    /// All of them.
    pub const ALL: &'static [ChannelOrder] = &[
        ChannelOrder::Gray,
        ChannelOrder::GrayAlpha,
        ChannelOrder::AlphaGray,
        ChannelOrder::Rgb,
        ChannelOrder::Bgr,
        ChannelOrder::Rgba,
        ChannelOrder::Bgra,
        ChannelOrder::Argb,
        ChannelOrder::Abgr,
        ChannelOrder::Cmyk,
    ];

    /// The name in words and reports: `gray`, `graya`, `agray`, `rgb`, `bgr`, `rgba`, `bgra`, `argb`, `abgr`, `cmyk`.
    pub fn name(self) -> &'static str {
        match self {
            ChannelOrder::Gray => "gray",
            ChannelOrder::GrayAlpha => "graya",
            ChannelOrder::AlphaGray => "agray",
            ChannelOrder::Rgb => "rgb",
            ChannelOrder::Bgr => "bgr",
            ChannelOrder::Rgba => "rgba",
            ChannelOrder::Bgra => "bgra",
            ChannelOrder::Argb => "argb",
            ChannelOrder::Abgr => "abgr",
            ChannelOrder::Cmyk => "cmyk",
        }
    }

    /// The order of this name.
    pub fn from_name(name: &str) -> Option<ChannelOrder> {
        ChannelOrder::ALL.iter().copied().find(|order| order.name() == name)
    }

    /// The layout of the same channels in Rahmen's one order.
    pub fn layout(self) -> Layout {
        match self {
            ChannelOrder::Gray => Layout::Gray,
            ChannelOrder::GrayAlpha | ChannelOrder::AlphaGray => Layout::GrayAlpha,
            ChannelOrder::Rgb | ChannelOrder::Bgr => Layout::Rgb,
            ChannelOrder::Rgba | ChannelOrder::Bgra | ChannelOrder::Argb | ChannelOrder::Abgr => Layout::Rgba,
            ChannelOrder::Cmyk => Layout::Cmyk,
        }
    }

    /// For each channel of the layout, its place in memory.
    pub(crate) fn places(self) -> &'static [usize] {
        match self {
            ChannelOrder::Gray => &[0],
            ChannelOrder::GrayAlpha => &[0, 1],
            ChannelOrder::AlphaGray => &[1, 0],
            ChannelOrder::Rgb => &[0, 1, 2],
            ChannelOrder::Bgr => &[2, 1, 0],
            ChannelOrder::Rgba | ChannelOrder::Cmyk => &[0, 1, 2, 3],
            ChannelOrder::Bgra => &[2, 1, 0, 3],
            ChannelOrder::Argb => &[1, 2, 3, 0],
            ChannelOrder::Abgr => &[3, 2, 1, 0],
        }
    }
}

/// Kind of alpha of foreign pixels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum RawAlpha {
    /// Straight: the colour is not multiplied.
    #[default]
    Straight,
    /// The colour is multiplied by it: divided on the way in, multiplied on the way out.
    Premultiplied,
    /// It is padding: left out on the way in, full on the way out.
    Ignored,
}

/// A full description of how pixels lie in foreign memory.
///
/// # Examples
/// ```
/// use rahmen::frame::{ChannelOrder, RawAlpha, RawLayout};
/// use rahmen::{Depth, Rgb, Size};
/// // Two rows of one pixel: blue, green, red and a byte of padding, and four bytes to the next row.
/// let screen = [3u8, 2, 1, 0, 9, 9, 9, 9, 6, 5, 4, 0];
/// let layout = RawLayout::new(Size::new(1, 2), ChannelOrder::Bgra, Depth::U8).stride(8).alpha(RawAlpha::Ignored);
/// let picture = layout.read(&screen)?;
/// assert_eq!(picture.view::<Rgb<u8>>()?[(0, 1)], Rgb::new(4, 5, 6));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct RawLayout {
    /// Width and height.
    pub size: Size,
    /// The channels, in the order of their bytes or planes.
    pub order: ChannelOrder,
    /// The sample type.
    pub depth: Depth,
    /// Whether samples of 16 and 32 bits start with their highest byte; this machine's own order by default.
    pub big_endian: bool,
    /// Bytes from one row's start to the next one's; without gaps by default.
    pub stride: Option<usize>,
    /// Bytes before the first sample of the first row in memory.
    pub offset: usize,
    /// Kind of alpha, where there is one.
    pub alpha: RawAlpha,
    /// Whether each channel has its own plane of rows, instead of pixels side by side.
    pub planar: bool,
    /// Bytes from one plane's start to the next one's, where planar; without gaps by default.
    pub plane_stride: Option<usize>,
    /// Whether the first row in memory is the lowest.
    pub bottom_up: bool,
}

impl RawLayout {
    /// Pixels side by side without gaps, straight alpha, top row first, in this machine's byte order.
    pub fn new(size: Size, order: ChannelOrder, depth: Depth) -> RawLayout {
        RawLayout {
            size,
            order,
            depth,
            big_endian: cfg!(target_endian = "big"),
            stride: None,
            offset: 0,
            alpha: RawAlpha::Straight,
            planar: false,
            plane_stride: None,
            bottom_up: false,
        }
    }

    /// Sets the row stride, in bytes.
    pub fn stride(self, bytes: usize) -> RawLayout {
        RawLayout { stride: Some(bytes), ..self }
    }

    /// Sets the offset of the first row, in bytes.
    pub fn offset(self, bytes: usize) -> RawLayout {
        RawLayout { offset: bytes, ..self }
    }

    /// Sets the kind of alpha.
    pub fn alpha(self, alpha: RawAlpha) -> RawLayout {
        RawLayout { alpha, ..self }
    }

    /// Sets big-endian samples.
    pub fn big_endian(self) -> RawLayout {
        RawLayout { big_endian: true, ..self }
    }

    /// Sets little-endian samples.
    pub fn little_endian(self) -> RawLayout {
        RawLayout { big_endian: false, ..self }
    }

    /// Sets planar layout: a plane of rows for each channel.
    pub fn planar(self) -> RawLayout {
        RawLayout { planar: true, ..self }
    }

    /// Sets planar layout with this many bytes from plane to plane.
    pub fn plane_stride(self, bytes: usize) -> RawLayout {
        RawLayout { planar: true, plane_stride: Some(bytes), ..self }
    }

    /// Sets bottom-up rows: the lowest row comes first in memory.
    pub fn bottom_up(self) -> RawLayout {
        RawLayout { bottom_up: true, ..self }
    }

    /// The layout of the pixels that come out: the order's, without an alpha that is ignored.
    pub fn layout(&self) -> Layout {
        match self.alpha {
            RawAlpha::Ignored => self.order.layout().without_alpha(),
            _ => self.order.layout(),
        }
    }

    /// Channels in memory: those of [`layout`](RawLayout::layout) and ignored alpha.
    pub(crate) fn channels(&self) -> usize {
        self.order.layout().channels()
    }

    /// Whether samples have the other byte order than this machine's.
    pub(crate) fn swapped(&self) -> bool {
        self.depth != Depth::U8 && self.big_endian != cfg!(target_endian = "big")
    }

    /// Bytes from the start of the buffer that the layout reaches.
    ///
    /// # Errors
    /// A stride shorter than a row, planes that run into each other, or sums beyond the address space.
    pub fn bytes_needed(&self) -> Result<usize> {
        Ok(self.measures()?.needed)
    }

    /// Strides and sums, checked.
    pub(crate) fn measures(&self) -> Result<Measures> {
        let per_row = if self.planar { 1 } else { self.channels() };
        let shape = Extent::foreign(self.size, per_row * self.depth.bytes(), self.stride)?;
        let too_large = || crate::ErrorKind::TooLarge { what: format!("a raw layout of {}", self.size) };
        let plane = self.plane_stride.unwrap_or(shape.stride.saturating_mul(self.size.height as usize));
        let planes = if self.planar { self.channels() } else { 1 };
        if planes > 1 && plane < shape.needed {
            return Err(crate::ErrorKind::Stride { unit: "bytes", stride: plane, row: shape.needed }.into());
        }
        let last_plane = (planes - 1).checked_mul(plane);
        let end = last_plane.and_then(|at| at.checked_add(shape.needed)?.checked_add(self.offset));
        let end = end.filter(|&n| n <= isize::MAX as usize).ok_or_else(too_large)?;
        // A picture without pixels needs nothing, wherever it would start.
        let needed = if shape.needed == 0 { 0 } else { end };
        Ok(Measures { row: shape.row, stride: shape.stride, plane, needed })
    }

    /// [`measures`](RawLayout::measures), for a buffer that must be long enough.
    pub(crate) fn measured(&self, found: usize) -> Result<Measures> {
        let measures = self.measures()?;
        if found < measures.needed {
            let detail = format!(" ({} {} from byte {})", self.size, self.order.name(), self.offset);
            let kind = crate::ErrorKind::WrongLength { unit: "bytes", needed: measures.needed, found, detail };
            return Err(kind.into());
        }
        Ok(measures)
    }

    /// Why memory of this layout cannot be looked at as it is, whatever its address; `None` if it can.
    pub fn foreign(&self) -> Option<&'static str> {
        let single = self.channels() == 1;
        if !self.order.places().is_sorted() {
            return Some("its channels have another order");
        }
        if self.order.layout().has_alpha() && self.alpha != RawAlpha::Straight {
            return Some("its alpha is not straight");
        }
        if self.planar && !single {
            return Some("its channels are in planes");
        }
        if self.bottom_up && self.size.height > 1 {
            return Some("its lowest row is first");
        }
        if self.swapped() {
            return Some("its bytes have the other order");
        }
        match self.stride {
            Some(stride) if stride % self.depth.bytes() != 0 => Some("its stride is no whole number of samples"),
            _ => None,
        }
    }

    /// Wraps memory of this layout as a view, without a copy.
    ///
    /// # Errors
    /// A layout that is [`foreign`](RawLayout::foreign), memory that is not aligned for its samples, a buffer too short,
    /// or another pixel type than the layout's. [`read`](RawLayout::read) converts instead.
    pub fn wrap<'a, P: PicturePixel>(&self, bytes: &'a [u8]) -> Result<View<'a, P>> {
        let measures = self.wrappable::<P>(bytes.len())?;
        let bytes = bytes.get(self.offset.min(bytes.len())..).unwrap_or_default();
        let whole = bytes.len() - bytes.len() % size_of::<P::Number>();
        let numbers = P::Number::of_bytes(&bytes[..whole]).ok_or_else(|| not_aligned::<P>(bytes.as_ptr().addr()))?;
        View::wrap(numbers, self.size, measures.stride / size_of::<P::Number>())
    }

    /// [`wrap`](RawLayout::wrap), mutable.
    ///
    /// # Errors
    /// As [`wrap`](RawLayout::wrap).
    pub fn wrap_mut<'a, P: PicturePixel>(&self, bytes: &'a mut [u8]) -> Result<ViewMut<'a, P>> {
        let measures = self.wrappable::<P>(bytes.len())?;
        let start = self.offset.min(bytes.len());
        let bytes = bytes.get_mut(start..).unwrap_or_default();
        let (address, whole) = (bytes.as_ptr().addr(), bytes.len() - bytes.len() % size_of::<P::Number>());
        let numbers = P::Number::of_bytes_mut(&mut bytes[..whole]).ok_or_else(|| not_aligned::<P>(address))?;
        ViewMut::wrap(numbers, self.size, measures.stride / size_of::<P::Number>())
    }

    fn wrappable<P: PicturePixel>(&self, bytes: usize) -> Result<Measures> {
        if let Some(why) = self.foreign() {
            return Err(Error::invalid(
                "layout",
                format!("this memory cannot be looked at as it is: {why}; read it instead"),
            ));
        }
        if P::LAYOUT != self.layout() || P::Number::DEPTH != self.depth {
            let found = format!("{} {}", self.layout(), self.depth);
            return Err(crate::ErrorKind::Types { wanted: P::describe(), found }.into());
        }
        self.measured(bytes)
    }
}

/// Checked byte counts of a raw layout.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Measures {
    /// Bytes of a row's samples (of one plane, where planar).
    pub(crate) row: usize,
    /// From row to row.
    pub(crate) stride: usize,
    /// From plane to plane.
    pub(crate) plane: usize,
    /// From the start of the buffer.
    pub(crate) needed: usize,
}

#[cold]
fn not_aligned<P: PicturePixel>(address: usize) -> Error {
    let align = align_of::<P::Number>();
    Error::invalid(
        "layout",
        format!(
            "memory that starts {} bytes behind a multiple of {align} cannot be looked at as {} samples; read it instead",
            address % align,
            P::Number::DEPTH
        ),
    )
}
