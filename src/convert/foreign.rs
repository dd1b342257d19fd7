//! Pixels from foreign memory and back: one pass, row by row.

use super::premultiply::{premultiply_row, unpremultiply_row};
use super::select::{Take, select_row};
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, ChannelOrder, Measures, Pixels, RawAlpha, RawLayout, SampleView, SampleViewMut, Size,
    View, ViewMut, same_size, with_samples, with_samples_mut,
};
use crate::pixel::{Channels, Depth, Layout, PicturePixel, Sample};
use crate::threads::{self, Threads};

impl RawLayout {
    /// Reads foreign memory: pixels in Rahmen's order, from the top, with straight alpha. One pass.
    ///
    /// Premultiplied alpha is divided (see [`premultiply`](super::premultiply)), ignored alpha left out.
    ///
    /// # Errors
    /// A buffer too short, a stride shorter than a row, or a size beyond the address space or the system's memory.
    pub fn read(&self, bytes: &[u8]) -> Result<Pixels> {
        self.measured(bytes.len())?;
        let mut pixels = Pixels::new(self.size, self.layout(), self.depth)?;
        self.read_any(bytes, pixels.samples_any_mut())?;
        Ok(pixels)
    }

    /// [`read`](RawLayout::read) into a view of the same size and type.
    ///
    /// # Errors
    /// As [`read`](RawLayout::read), or a target of another size or type.
    pub fn read_into<P: PicturePixel>(&self, bytes: &[u8], target: ViewMut<'_, P>) -> Result<()> {
        self.measured(bytes.len())?;
        self.check::<P>(target.size())?;
        self.read_any(bytes, target.into_samples_any())
    }

    fn read_any(&self, bytes: &[u8], target: AnySamplesMut<'_>) -> Result<()> {
        with_samples_mut!(target, target => self.read_samples(bytes, target))
    }

    fn read_samples<S: Sample>(&self, bytes: &[u8], mut target: SampleViewMut<'_, S>) -> Result<()> {
        let (measures, channels) = (self.measured(bytes.len())?, target.channels().count);
        if self.size.is_empty() {
            return Ok(());
        }
        let (mut memory, stored) = (Scratch::default(), self.channels());
        let takes = &from_memory(self.order)[..channels];
        for y in 0..self.size.height {
            let starts = self.starts(&measures, y);
            let row = target.row_mut(y);
            if self.planar && self.channels() > 1 {
                for (channel, &place) in self.order.places().iter().take(channels).enumerate() {
                    let at = starts + place * measures.plane;
                    let plane = memory.samples(&bytes[at..at + measures.row], self.swapped());
                    row.iter_mut().skip(channel).step_by(channels).zip(plane).for_each(|(to, v)| *to = *v);
                }
            } else {
                let samples = memory.samples(&bytes[starts..starts + measures.row], self.swapped());
                select_row(samples, stored, row, takes);
            }
            self.make_straight(row, &mut memory);
        }
        Ok(())
    }

    /// One row of pixels side by side: its bytes, without a gap, into as many samples as the layout has.
    #[cfg_attr(not(feature = "raw"), allow(dead_code))]
    pub(crate) fn read_row<S: Sample>(&self, bytes: &[u8], row: &mut [S]) {
        let mut memory = Scratch::default();
        let takes = &from_memory(self.order)[..self.layout().channels()];
        select_row(memory.samples(bytes, self.swapped()), self.channels(), row, takes);
        self.make_straight(row, &mut memory);
    }

    fn make_straight<S: Sample>(&self, row: &mut [S], memory: &mut Scratch<S>) {
        if self.alpha == RawAlpha::Premultiplied {
            let layout = self.layout();
            memory.in_place(row, |from, to| unpremultiply_row(from, to, layout.into()));
        }
    }

    /// Writes pixels of the same size and type to foreign memory: [`read`](RawLayout::read) backwards. Bytes between
    /// rows and planes are not touched. One pass.
    ///
    /// Premultiplied alpha is multiplied, ignored alpha becomes full.
    ///
    /// # Errors
    /// A buffer too short, or pixels of another size or type.
    pub fn write_view<P: PicturePixel>(&self, view: View<'_, P>, bytes: &mut [u8]) -> Result<()> {
        self.measured(bytes.len())?;
        self.check::<P>(view.size())?;
        self.write_any(view.samples_any(), 0, bytes, Threads::ALL)
    }

    /// Rows from `first` on; those of rgb go where there is alpha too, which is full.
    fn write_any(&self, view: AnySamples<'_>, first: u32, bytes: &mut [u8], threads: Threads) -> Result<()> {
        with_samples!(view, view => self.write_samples(view, first, bytes, threads))
    }

    fn write_samples<S: Sample>(
        &self,
        view: SampleView<'_, S>,
        first: u32,
        bytes: &mut [u8],
        threads: Threads,
    ) -> Result<()> {
        let (measures, channels) = (self.measured(bytes.len())?, view.channels());
        if self.size.is_empty() {
            return Ok(());
        }
        if self.planar && self.channels() > 1 {
            let mut straight = Vec::new();
            for (row, y) in (0..view.height()).zip(first..) {
                self.put_planar(self.multiplied(view.row(row), channels, &mut straight), channels, y, &measures, bytes);
            }
            return Ok(());
        }
        // The rows as they follow each other in memory, and which of the view each is.
        let height = view.height();
        let lowest = if self.bottom_up { self.size.height - first - height } else { first };
        let from = self.offset + lowest as usize * measures.stride;
        let length = (height.max(1) as usize - 1) * measures.stride + measures.row;
        let mut left = if height == 0 { &mut [][..] } else { &mut bytes[from..from + length] };
        let mut jobs = Vec::new();
        for rows in threads::bands(height, threads.bands(2 * length as u64)) {
            let cut = ((rows.end - rows.start) as usize * measures.stride).min(left.len());
            let (part, rest) = left.split_at_mut(cut);
            jobs.push((rows, part));
            left = rest;
        }
        let takes = to_memory(self.order, channels.count);
        threads::each(threads, jobs, |(rows, part)| {
            let (mut straight, mut ordered) = (Vec::new(), Vec::new());
            for (place, to) in rows.zip(part.chunks_mut(measures.stride)) {
                let row = view.row(if self.bottom_up { height - 1 - place } else { place });
                let row = self.multiplied(row, channels, &mut straight);
                let to = &mut to[..measures.row];
                if let (false, Some(to)) = (self.swapped(), S::of_bytes_mut(to)) {
                    select_row(row, channels.count, to, &takes);
                    continue;
                }
                ordered.resize(view.width() as usize * self.channels(), S::default());
                select_row(row, channels.count, &mut ordered, &takes);
                for (i, to) in to.chunks_exact_mut(size_of::<S>()).enumerate() {
                    ordered[i].store(to, self.swapped());
                }
            }
        });
        Ok(())
    }

    /// A row as it goes to memory: multiplied by its alpha where that is asked for.
    fn multiplied<'r, S: Sample>(&self, row: &'r [S], channels: Channels, memory: &'r mut Vec<S>) -> &'r [S] {
        if self.alpha != RawAlpha::Premultiplied {
            return row;
        }
        memory.resize(row.len(), S::default());
        premultiply_row(row, memory, channels);
        memory
    }

    fn put_planar<S: Sample>(&self, row: &[S], channels: Channels, y: u32, measures: &Measures, bytes: &mut [u8]) {
        let starts = self.starts(measures, y);
        for (channel, &place) in self.order.places().iter().enumerate() {
            let at = starts + place * measures.plane;
            let to = &mut bytes[at..at + measures.row];
            for (x, to) in to.chunks_exact_mut(size_of::<S>()).enumerate() {
                let v = if channel < channels.count { row[x * channels.count + channel] } else { S::FULL };
                v.store(to, self.swapped());
            }
        }
    }

    /// [`write_view`](RawLayout::write_view) of pixels whose type is known at run time.
    ///
    /// # Errors
    /// As [`write_view`](RawLayout::write_view).
    pub fn write(&self, pixels: &Pixels, bytes: &mut [u8]) -> Result<()> {
        self.measured(bytes.len())?;
        self.check_form(pixels.layout(), pixels.depth(), pixels.size())?;
        self.write_any(pixels.samples_any(), 0, bytes, Threads::ALL)
    }

    /// [`write`](RawLayout::write) of some rows of the picture, the first of which is `first_row`: what a loop over strips asks for. Rgb
    /// is taken where the layout has alpha as well, which becomes full.
    ///
    /// # Errors
    /// As [`write`](RawLayout::write), or rows that the picture does not have.
    pub fn write_rows(&self, first_row: u32, pixels: &Pixels, bytes: &mut [u8]) -> Result<()> {
        self.write_rows_by(first_row, pixels, bytes, Threads::ALL)
    }

    pub(crate) fn write_rows_by(
        &self,
        first_row: u32,
        pixels: &Pixels,
        bytes: &mut [u8],
        threads: Threads,
    ) -> Result<()> {
        self.measured(bytes.len())?;
        if !self.takes(pixels.layout(), pixels.depth()) {
            self.check_form(pixels.layout(), pixels.depth(), self.size)?;
        }
        let rows = u64::from(first_row)..u64::from(first_row) + u64::from(pixels.size().height);
        if rows.end > u64::from(self.size.height) {
            let (first, end) = (rows.start, rows.end);
            return Err(Error::invalid("first_row", format!("rows {first}..{end} of a picture of {}", self.size)));
        }
        same_size("the rows", Size::new(self.size.width, pixels.size().height), pixels.size())?;
        self.write_any(pixels.samples_any(), first_row, bytes, threads)
    }

    /// Whether pixels are written as they are: those of the layout itself, and rgb where there is alpha beside it.
    pub(crate) fn takes(&self, layout: Layout, depth: Depth) -> bool {
        let opaque = layout == Layout::Rgb && self.layout() == Layout::Rgba && self.alpha == RawAlpha::Straight;
        depth == self.depth && (layout == self.layout() || opaque)
    }

    fn check<P: PicturePixel>(&self, size: Size) -> Result<()> {
        self.check_form(P::LAYOUT, P::Number::DEPTH, size)
    }

    fn check_form(&self, layout: Layout, depth: Depth, size: Size) -> Result<()> {
        if layout != self.layout() || depth != self.depth {
            let (wanted, found) = (format!("{layout} {depth}"), format!("{} {}", self.layout(), self.depth));
            return Err(ErrorKind::Types { wanted, found }.into());
        }
        same_size("the picture", self.size, size)
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

/// What channels are made of in foreign order: as many as the layout has count, without the last where alpha is ignored. An
/// array, as rows of a file ask for it one by one.
fn from_memory(order: ChannelOrder) -> [Take; 4] {
    let mut takes = [Take::Full; 4];
    for (take, &place) in takes.iter_mut().zip(order.places()) {
        *take = Take::Channel(place);
    }
    takes
}

/// [`from_memory`] backwards, of this many channels; ignored alpha is full.
fn to_memory(order: ChannelOrder, channels: usize) -> Vec<Take> {
    let places = order.places();
    let mut takes = vec![Take::Full; places.len()];
    for (channel, &place) in places.iter().take(channels).enumerate() {
        takes[place] = Take::Channel(channel);
    }
    takes
}
