//! Pixels from foreign memory and back: one pass, row by row.

use super::premultiply::{divide_row, multiply_row};
use super::swizzle;
use crate::error::{Error, Result};
use crate::frame::{ChannelOrder, Job, JobMut, Measures, Pixels, RawAlpha, RawLayout, View, ViewMut};
use crate::pixel::{Sample, Stored};

impl RawLayout {
    /// The pixels of foreign memory: in Rahmen's order, from the top, with straight alpha. One pass.
    ///
    /// Premultiplied alpha is divided (see [`premultiply`](super::premultiply)), ignored alpha left out.
    ///
    /// # Errors
    /// A buffer too short, a stride shorter than a row, or a size beyond the address space or the system's memory.
    pub fn read(&self, bytes: &[u8]) -> Result<Pixels> {
        struct Into<'a>(&'a RawLayout, &'a [u8]);
        impl JobMut for Into<'_> {
            type Out = Result<()>;
            fn run<P: Stored>(self, target: ViewMut<'_, P>) -> Result<()> {
                self.0.read_into(self.1, target)
            }
        }
        self.measured(bytes.len())?;
        let mut pixels = Pixels::new(self.size, self.layout(), self.depth)?;
        pixels.visit_mut(Into(self, bytes))?;
        Ok(pixels)
    }

    /// [`read`](RawLayout::read) into a view of the same size and type.
    ///
    /// # Errors
    /// As [`read`](RawLayout::read), or a target of another size or type.
    pub fn read_into<P: Stored>(&self, bytes: &[u8], mut target: ViewMut<'_, P>) -> Result<()> {
        let measures = self.measured(bytes.len())?;
        self.check::<P>(target.size())?;
        if self.size.is_empty() {
            return Ok(());
        }
        let mut memory = Scratch::default();
        for y in 0..self.size.height {
            let starts = self.starts(&measures, y);
            let row = target.row_numbers_mut(y);
            if self.planar && self.channels() > 1 {
                for (channel, &place) in self.order.places().iter().take(P::CHANNELS).enumerate() {
                    let at = starts + place * measures.plane;
                    let plane = memory.samples(&bytes[at..at + measures.row], self.swapped());
                    row.iter_mut().skip(channel).step_by(P::CHANNELS).zip(plane).for_each(|(to, v)| *to = *v);
                }
            } else {
                let samples = memory.samples(&bytes[starts..starts + measures.row], self.swapped());
                from_memory(self.order, samples, row, P::CHANNELS);
            }
            self.make_straight(row, &mut memory);
        }
        Ok(())
    }

    /// One row of pixels side by side: its bytes, without a gap, into as many samples as the layout has.
    #[cfg_attr(not(feature = "raw"), allow(dead_code))]
    pub(crate) fn read_row<S: Sample>(&self, bytes: &[u8], row: &mut [S]) {
        let mut memory = Scratch::default();
        from_memory(self.order, memory.samples(bytes, self.swapped()), row, self.layout().channels());
        self.make_straight(row, &mut memory);
    }

    fn make_straight<S: Sample>(&self, row: &mut [S], memory: &mut Scratch<S>) {
        if self.alpha == RawAlpha::Premultiplied {
            let layout = self.layout();
            memory.in_place(row, |from, to| divide_row(from, to, layout.channels(), layout.has_alpha()));
        }
    }

    /// Writes pixels of the same size and type to foreign memory: [`read`](RawLayout::read) backwards. Bytes between
    /// rows and planes are not touched. One pass.
    ///
    /// Premultiplied alpha is multiplied, ignored alpha becomes full.
    ///
    /// # Errors
    /// A buffer too short, or pixels of another size or type.
    pub fn write_view<P: Stored>(&self, view: View<'_, P>, bytes: &mut [u8]) -> Result<()> {
        let measures = self.measured(bytes.len())?;
        self.check::<P>(view.size())?;
        if self.size.is_empty() {
            return Ok(());
        }
        let mut straight = Vec::new();
        let mut ordered = vec![P::Number::default(); view.width() as usize * self.channels()];
        for y in 0..self.size.height {
            let mut row = view.row_numbers(y);
            if self.alpha == RawAlpha::Premultiplied {
                straight.resize(row.len(), P::Number::default());
                multiply_row(row, &mut straight, P::CHANNELS, P::ALPHA);
                row = &straight;
            }
            let starts = self.starts(&measures, y);
            if self.planar && self.channels() > 1 {
                for (channel, &place) in self.order.places().iter().enumerate() {
                    let at = starts + place * measures.plane;
                    let full = std::iter::repeat_n(P::Number::FULL, view.width() as usize);
                    let plane = row.iter().copied().skip(channel.min(P::CHANNELS - 1)).step_by(P::CHANNELS);
                    let to = &mut bytes[at..at + measures.row];
                    match channel < P::CHANNELS {
                        true => put(plane, to, self.swapped()),
                        false => put(full, to, self.swapped()),
                    }
                }
            } else {
                let to = &mut bytes[starts..starts + measures.row];
                if let (false, Some(to)) = (self.swapped(), P::Number::of_bytes_mut(to)) {
                    to_memory(self.order, row, to, P::CHANNELS);
                    continue;
                }
                to_memory(self.order, row, &mut ordered, P::CHANNELS);
                put(ordered.iter().copied(), to, self.swapped());
            }
        }
        Ok(())
    }

    /// [`write_view`](RawLayout::write_view) of pixels whose type is known at run time.
    ///
    /// # Errors
    /// As [`write_view`](RawLayout::write_view).
    pub fn write(&self, pixels: &Pixels, bytes: &mut [u8]) -> Result<()> {
        struct From<'a>(&'a RawLayout, &'a mut [u8]);
        impl Job for From<'_> {
            type Out = Result<()>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Result<()> {
                self.0.write_view(view, self.1)
            }
        }
        pixels.visit(From(self, bytes))
    }

    fn check<P: Stored>(&self, size: crate::Size) -> Result<()> {
        if P::LAYOUT != self.layout() || P::Number::DEPTH != self.depth {
            let found = format!("{} {}", self.layout(), self.depth);
            return Err(crate::ErrorKind::Types { wanted: P::describe(), found }.into());
        }
        if size != self.size {
            return Err(Error::sizes("the picture", self.size, size));
        }
        Ok(())
    }

    /// Where row y (from the top) starts; inside the buffer, as `measured` found.
    fn starts(&self, measures: &Measures, y: u32) -> usize {
        let row = if self.bottom_up { self.size.height - 1 - y } else { y };
        self.offset + row as usize * measures.stride
    }
}

/// A row of memory for what cannot be used in place.
#[derive(Default)]
struct Scratch<S>(Vec<S>);

impl<S: Sample> Scratch<S> {
    /// Bytes as samples: themselves where they are aligned and in this machine's order, otherwise taken one by one.
    fn samples<'s>(&'s mut self, bytes: &'s [u8], swap: bool) -> &'s [S] {
        if let (false, Some(samples)) = (swap, S::of_bytes(bytes)) {
            return samples;
        }
        self.0.clear();
        self.0.extend(bytes.chunks_exact(size_of::<S>()).map(|b| S::load(b, swap)));
        &self.0
    }

    fn in_place(&mut self, row: &mut [S], work: impl FnOnce(&[S], &mut [S])) {
        self.0.clear();
        self.0.extend_from_slice(row);
        work(&self.0, row);
    }
}

fn put<S: Sample>(samples: impl Iterator<Item = S>, bytes: &mut [u8], swap: bool) {
    for (v, to) in samples.zip(bytes.chunks_exact_mut(size_of::<S>())) {
        v.store(to, swap);
    }
}

/// Samples of foreign order as those of the layout; `channels` is less than the order's where alpha is ignored.
fn from_memory<S: Sample>(order: ChannelOrder, from: &[S], to: &mut [S], channels: usize) {
    use swizzle::each;
    match (order, channels) {
        (ChannelOrder::AlphaGray, 2) => each::<S, 2, 2>(from, to, |&[a, v], to| *to = [v, a]),
        (ChannelOrder::GrayAlpha, 1) => each::<S, 2, 1>(from, to, |&[v, _], to| *to = [v]),
        (ChannelOrder::AlphaGray, 1) => each::<S, 2, 1>(from, to, |&[_, v], to| *to = [v]),
        (ChannelOrder::Bgr, 3) => each::<S, 3, 3>(from, to, |&[b, g, r], to| *to = [r, g, b]),
        (ChannelOrder::Bgra, 4) => each::<S, 4, 4>(from, to, |&[b, g, r, a], to| *to = [r, g, b, a]),
        (ChannelOrder::Argb, 4) => each::<S, 4, 4>(from, to, |&[a, r, g, b], to| *to = [r, g, b, a]),
        (ChannelOrder::Abgr, 4) => each::<S, 4, 4>(from, to, |&[a, b, g, r], to| *to = [r, g, b, a]),
        (ChannelOrder::Rgba, 3) => each::<S, 4, 3>(from, to, |&[r, g, b, _], to| *to = [r, g, b]),
        (ChannelOrder::Bgra, 3) => each::<S, 4, 3>(from, to, |&[b, g, r, _], to| *to = [r, g, b]),
        (ChannelOrder::Argb, 3) => each::<S, 4, 3>(from, to, |&[_, r, g, b], to| *to = [r, g, b]),
        (ChannelOrder::Abgr, 3) => each::<S, 4, 3>(from, to, |&[_, b, g, r], to| *to = [r, g, b]),
        _ => to.copy_from_slice(from),
    }
}

/// [`from_memory`] backwards; ignored alpha is full.
fn to_memory<S: Sample>(order: ChannelOrder, from: &[S], to: &mut [S], channels: usize) {
    use swizzle::each;
    let full = S::FULL;
    match (order, channels) {
        (ChannelOrder::AlphaGray, 2) => each::<S, 2, 2>(from, to, |&[v, a], to| *to = [a, v]),
        (ChannelOrder::GrayAlpha, 1) => each::<S, 1, 2>(from, to, |&[v], to| *to = [v, full]),
        (ChannelOrder::AlphaGray, 1) => each::<S, 1, 2>(from, to, |&[v], to| *to = [full, v]),
        (ChannelOrder::Bgr, 3) => each::<S, 3, 3>(from, to, |&[r, g, b], to| *to = [b, g, r]),
        (ChannelOrder::Bgra, 4) => each::<S, 4, 4>(from, to, |&[r, g, b, a], to| *to = [b, g, r, a]),
        (ChannelOrder::Argb, 4) => each::<S, 4, 4>(from, to, |&[r, g, b, a], to| *to = [a, r, g, b]),
        (ChannelOrder::Abgr, 4) => each::<S, 4, 4>(from, to, |&[r, g, b, a], to| *to = [a, b, g, r]),
        (ChannelOrder::Rgba, 3) => each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [r, g, b, full]),
        (ChannelOrder::Bgra, 3) => each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [b, g, r, full]),
        (ChannelOrder::Argb, 3) => each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [full, r, g, b]),
        (ChannelOrder::Abgr, 3) => each::<S, 3, 4>(from, to, |&[r, g, b], to| *to = [full, b, g, r]),
        _ => to.copy_from_slice(from),
    }
}
