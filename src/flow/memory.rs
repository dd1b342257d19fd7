//! Sinks into memory that belongs to somebody else: a view, or bytes in any order of a caller.

use super::convert::Converting;
use super::picture::{check_complete, check_next};
use super::{FromCodes, Sink, Stage, Step, Strip};
use crate::color::ConvertRules;
use crate::error::Result;
use crate::frame::{Content, Facts, RawLayout, Scale, ViewMut, same_size};
use crate::pixel::{Depth, Layout, PicturePixel, Sample};
use crate::threads::Threads;
use std::borrow::Cow;

/// A sink into a view: the rows are converted to its pixel type as they come, as [`Convert`](super::Convert) does.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Rgb, Size, flow::{self, ViewSink}};
/// let gray = Frame::filled(Size::new(3, 2), Gray::new(9u16))?.into();
/// let mut chain = flow::Chain::new(Box::new(flow::PictureSource::new(gray)), vec![])?;
/// let mut wall = Frame::<Rgb<u16>>::new(Size::new(10, 10))?;
/// let part = wall.region_mut(rahmen::Region::new(4..7, 4..6)?)?;
/// let mut sink = ViewSink::new(part, chain.facts())?;
/// chain.run_into(&mut sink)?;
/// drop(sink);
/// assert_eq!(wall[(6, 5)], Rgb::new(9, 9, 9));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub struct ViewSink<'a, P: PicturePixel> {
    view: ViewMut<'a, P>,
    incoming: Incoming,
}

impl<'a, P: PicturePixel> ViewSink<'a, P> {
    /// A sink for a picture of these facts, which is of the view's size.
    ///
    /// # Errors
    /// Another size, or pixels that do not become those of the view.
    pub fn new(view: ViewMut<'a, P>, facts: &Facts) -> Result<ViewSink<'a, P>> {
        ViewSink::by(view, facts, &ConvertRules::default())
    }

    /// A sink that converts by rules.
    ///
    /// # Errors
    /// As [`new`](ViewSink::new).
    pub fn by(view: ViewMut<'a, P>, facts: &Facts, rules: &ConvertRules) -> Result<ViewSink<'a, P>> {
        same_size("the view", facts.size, view.size())?;
        Ok(ViewSink { view, incoming: Incoming::new(facts, P::Number::DEPTH, P::LAYOUT, rules)? })
    }
}

impl<P: PicturePixel> std::fmt::Debug for ViewSink<'_, P> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("ViewSink").field("size", &self.view.size()).finish_non_exhaustive()
    }
}

impl<P: PicturePixel> Sink for ViewSink<'_, P> {
    fn put(&mut self, strip: &Strip) -> Result<()> {
        let content = self.incoming.taken(strip)?;
        let rows = self.view.size().region().rows(strip.rows())?;
        self.incoming.converting.run_into(&content, self.view.reborrow().region(rows)?)
    }

    fn finish(&mut self) -> Result<()> {
        check_complete(self.incoming.next, &self.incoming.facts)
    }
}

/// A sink into bytes in any order of channels, with gaps, from below, in planes: see [`RawLayout`]. Rows are converted as they come, as
/// [`Convert`](super::Convert) does.
///
/// # Examples
/// ```
/// use rahmen::frame::{ChannelOrder, RawLayout};
/// use rahmen::{Depth, Frame, Rgb, Size, flow::{self, RawSink}};
/// let rgb = Frame::filled(Size::new(2, 2), Rgb::new(1u8, 2, 3))?.into();
/// let mut chain = flow::Chain::new(Box::new(flow::PictureSource::new(rgb)), vec![])?;
/// // What a window system asks for: rows of 16 bytes, blue first.
/// let screen = RawLayout::new(Size::new(2, 2), ChannelOrder::Bgra, Depth::U8).stride(16);
/// let mut bytes = vec![0; screen.bytes_needed()?];
/// chain.run_into(&mut RawSink::new(&screen, &mut bytes, chain.facts())?)?;
/// assert_eq!(bytes[16..24], [3, 2, 1, 255, 3, 2, 1, 255]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub struct RawSink<'a> {
    layout: RawLayout,
    bytes: &'a mut [u8],
    threads: Threads,
    incoming: Incoming,
}

impl<'a> RawSink<'a> {
    /// A sink for a picture of these facts, which is of the layout's size.
    ///
    /// # Errors
    /// Another size, a buffer too short, or pixels that do not become those of the layout.
    pub fn new(layout: &RawLayout, bytes: &'a mut [u8], facts: &Facts) -> Result<RawSink<'a>> {
        RawSink::by(layout, bytes, facts, &ConvertRules::default())
    }

    /// A sink that converts by rules.
    ///
    /// # Errors
    /// As [`new`](RawSink::new).
    pub fn by(layout: &RawLayout, bytes: &'a mut [u8], facts: &Facts, rules: &ConvertRules) -> Result<RawSink<'a>> {
        same_size("the layout", facts.size, layout.size)?;
        layout.measured(bytes.len())?;
        let incoming = Incoming::new(facts, layout.depth, layout.layout(), rules)?;
        Ok(RawSink { layout: *layout, bytes, threads: rules.threads, incoming })
    }
}

impl std::fmt::Debug for RawSink<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("RawSink").field("layout", &self.layout).finish_non_exhaustive()
    }
}

impl Sink for RawSink<'_> {
    fn put(&mut self, strip: &Strip) -> Result<()> {
        let first = strip.first_row;
        let content = self.incoming.taken(strip)?;
        // What lies in memory as it is, with its channels elsewhere, is written in one pass.
        let converting = &self.incoming.converting;
        let plain = content.pixels().ok().filter(|p| converting.is_plain() && self.layout.takes(p.layout(), p.depth()));
        match plain {
            Some(pixels) => self.layout.write_rows_by(first, pixels, self.bytes, self.threads),
            None => self.layout.write_rows_by(first, &converting.run(&content)?, self.bytes, self.threads),
        }
    }

    fn finish(&mut self) -> Result<()> {
        check_complete(self.incoming.next, &self.incoming.facts)
    }
}

/// What comes into a sink: rows in order, scaled where they are codes.
struct Incoming {
    facts: Facts,
    next: u32,
    scaling: Option<Box<dyn Stage>>,
    converting: Converting,
}

impl Incoming {
    fn new(facts: &Facts, depth: Depth, layout: Layout, rules: &ConvertRules) -> Result<Incoming> {
        let scaling = if facts.metadata.scale == Scale::Codes { Some(FromCodes.plan(facts)?) } else { None };
        let scaled = scaling.as_ref().map_or(facts, |stage| stage.facts());
        let converting = Converting::of(scaled, depth, layout, rules)?;
        Ok(Incoming { facts: facts.clone(), next: 0, scaling, converting })
    }

    fn taken<'s>(&mut self, strip: &'s Strip) -> Result<Cow<'s, Content>> {
        check_next(self.next, strip.first_row, &strip.content, &self.facts)?;
        self.next = strip.rows().end;
        Ok(match &mut self.scaling {
            Some(stage) => Cow::Owned(stage.run(strip, strip.rows())?),
            None => Cow::Borrowed(&strip.content),
        })
    }
}
