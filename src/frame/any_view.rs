//! Views whose number type is known at run time. What takes these is compiled once for all pixels.
//!
//! Not here: owned content of run-time type ([`Content`](super::Content)).

use super::{Region, SampleView, SampleViewMut, Size, View, ViewMut};
use crate::memory::Account;
use crate::pixel::{Channels, Depth, Number, NumberKind, NumbersRef, Pixel, Sample, SamplesMut, SamplesRef};
use crate::threads::Threads;
use std::ops::Range;

// The `expect`s below cannot fire: what was made of numbers of a type starts where one may and is a whole number of them.
const WHOLE: &str = "numbers of the type that the view was made of";

/// A view of pixels or of a plane whose numbers are of one of the ten types: their bytes, and which type.
#[derive(Debug, Clone, Copy)]
pub(crate) struct AnyNumbers<'a> {
    bytes: SampleView<'a, u8>,
    channels: Channels,
    kind: NumberKind,
}

/// The same, mutable.
#[derive(Debug)]
pub(crate) struct AnyNumbersMut<'a> {
    bytes: SampleViewMut<'a, u8>,
    channels: Channels,
    kind: NumberKind,
}

impl<'a> AnyNumbers<'a> {
    pub(crate) fn of<T: Number>(view: SampleView<'a, T>) -> Self {
        AnyNumbers { bytes: view.as_bytes(), channels: view.channels(), kind: T::KIND }
    }

    pub(crate) fn size(&self) -> Size {
        self.bytes.size()
    }

    pub(crate) fn channels(&self) -> Channels {
        self.channels
    }

    pub(crate) fn kind(&self) -> NumberKind {
        self.kind
    }

    /// Bytes that the pixels take.
    pub(crate) fn bytes(&self) -> u64 {
        self.bytes.bytes()
    }

    /// The budget that what is made of the numbers is charged to.
    pub(crate) fn account(&self) -> Account<'a> {
        self.bytes.account()
    }

    pub(crate) fn as_bytes(&self) -> SampleView<'a, u8> {
        self.bytes
    }

    /// A region that is known to be inside.
    pub(crate) fn part(&self, region: Region) -> Self {
        AnyNumbers { bytes: self.bytes.part(region), ..*self }
    }

    /// One row, `channels` numbers a pixel.
    #[track_caller]
    pub(crate) fn row(&self, y: u32) -> NumbersRef<'a> {
        NumbersRef::of_bytes(self.kind, self.bytes.row(y)).expect(WHOLE)
    }
}

impl<'a> AnyNumbersMut<'a> {
    pub(crate) fn of<T: Number>(view: SampleViewMut<'a, T>) -> Self {
        let channels = view.channels();
        AnyNumbersMut { bytes: view.into_bytes(), channels, kind: T::KIND }
    }

    pub(crate) fn size(&self) -> Size {
        self.bytes.size()
    }

    /// The bytes of a row, mutable.
    pub(crate) fn row_bytes_mut(&mut self, y: u32) -> &mut [u8] {
        self.bytes.row_mut(y)
    }

    pub(crate) fn into_bytes(self) -> SampleViewMut<'a, u8> {
        self.bytes
    }

    /// Numbers to a row, rounded as [`Number::from_f64`] does.
    pub(crate) fn put_row(&mut self, y: u32, values: &[f64]) {
        self.kind.put(values, self.bytes.row_mut(y));
    }

    /// [`SampleViewMut::each_band`].
    pub(crate) fn each_band(self, threads: Threads, bytes: u64, work: &(dyn Fn(u32, AnyNumbersMut<'_>) + Sync)) {
        let AnyNumbersMut { bytes: view, channels, kind } = self;
        view.each_band(threads, bytes, &|first, bytes| work(first, AnyNumbersMut { bytes, channels, kind }));
    }
}

/// A view of pixels whose samples are of one of the three depths.
#[derive(Debug, Clone, Copy)]
pub(crate) enum AnySamples<'a> {
    U8(SampleView<'a, u8>),
    U16(SampleView<'a, u16>),
    F32(SampleView<'a, f32>),
}

/// The same, mutable.
#[derive(Debug)]
pub(crate) enum AnySamplesMut<'a> {
    U8(SampleViewMut<'a, u8>),
    U16(SampleViewMut<'a, u16>),
    F32(SampleViewMut<'a, f32>),
}

/// Runs an expression on a view of samples, whatever their type.
macro_rules! with_samples {
    ($view:expr, $typed:ident => $run:expr) => {
        match $view {
            $crate::frame::AnySamples::U8($typed) => $run,
            $crate::frame::AnySamples::U16($typed) => $run,
            $crate::frame::AnySamples::F32($typed) => $run,
        }
    };
}

/// Runs an expression on a view of samples to write, whatever their type.
macro_rules! with_samples_mut {
    ($view:expr, $typed:ident => $run:expr) => {
        match $view {
            $crate::frame::AnySamplesMut::U8($typed) => $run,
            $crate::frame::AnySamplesMut::U16($typed) => $run,
            $crate::frame::AnySamplesMut::F32($typed) => $run,
        }
    };
}

/// Runs an expression on two views of samples of one type, the second to write.
macro_rules! with_same_samples {
    ($from:expr, $into:expr, $a:ident, $b:ident => $run:expr) => {
        match ($from, $into) {
            ($crate::frame::AnySamples::U8($a), $crate::frame::AnySamplesMut::U8($b)) => $run,
            ($crate::frame::AnySamples::U16($a), $crate::frame::AnySamplesMut::U16($b)) => $run,
            ($crate::frame::AnySamples::F32($a), $crate::frame::AnySamplesMut::F32($b)) => $run,
            (from, into) => Err($crate::frame::depths_differ(from.depth(), into.depth())),
        }
    };
}
pub(crate) use {with_same_samples, with_samples, with_samples_mut};

/// The error of work on two views of one depth that was given two.
#[cold]
pub(crate) fn depths_differ(wanted: Depth, found: Depth) -> crate::Error {
    crate::ErrorKind::Types { wanted: wanted.to_string(), found: found.to_string() }.into()
}

impl<'a> AnySamples<'a> {
    /// The budget that what is made of the pixels is charged to.
    pub(crate) fn account(&self) -> Account<'a> {
        with_samples!(self, view => view.account())
    }

    pub(crate) fn of<S: Sample>(view: SampleView<'a, S>) -> Self {
        AnySamples::of_bytes(view.as_bytes(), view.channels(), S::DEPTH)
    }

    /// Not generic: compiled once.
    fn of_bytes(bytes: SampleView<'a, u8>, channels: Channels, depth: Depth) -> Self {
        match depth {
            Depth::U8 => AnySamples::U8(bytes.numbers(channels).expect(WHOLE)),
            Depth::U16 => AnySamples::U16(bytes.numbers(channels).expect(WHOLE)),
            Depth::F32 => AnySamples::F32(bytes.numbers(channels).expect(WHOLE)),
        }
    }

    pub(crate) fn depth(&self) -> Depth {
        match self {
            AnySamples::U8(_) => Depth::U8,
            AnySamples::U16(_) => Depth::U16,
            AnySamples::F32(_) => Depth::F32,
        }
    }

    pub(crate) fn size(&self) -> Size {
        with_samples!(self, v => v.size())
    }

    pub(crate) fn channels(&self) -> Channels {
        with_samples!(self, v => v.channels())
    }

    /// Bytes that the pixels take.
    pub(crate) fn bytes(&self) -> u64 {
        with_samples!(self, v => v.bytes())
    }

    pub(crate) fn as_bytes(&self) -> SampleView<'a, u8> {
        with_samples!(self, v => v.as_bytes())
    }

    /// One row.
    #[track_caller]
    pub(crate) fn row(&self, y: u32) -> SamplesRef<'a> {
        match self {
            AnySamples::U8(v) => SamplesRef::U8(v.row(y)),
            AnySamples::U16(v) => SamplesRef::U16(v.row(y)),
            AnySamples::F32(v) => SamplesRef::F32(v.row(y)),
        }
    }

    /// One row as fractions of full, in place of what the buffer held.
    #[track_caller]
    pub(crate) fn fractions(&self, y: u32, into: &mut Vec<f64>) {
        fn each<S: Sample>(row: &[S], into: &mut Vec<f64>) {
            into.clear();
            into.extend(row.iter().map(|v| v.to_fraction()));
        }
        with_samples!(self, v => each(v.row(y), into));
    }

    /// A region that is known to be inside.
    pub(crate) fn part(&self, region: Region) -> Self {
        match self {
            AnySamples::U8(v) => AnySamples::U8(v.part(region)),
            AnySamples::U16(v) => AnySamples::U16(v.part(region)),
            AnySamples::F32(v) => AnySamples::F32(v.part(region)),
        }
    }

    /// Rows that are known to be there.
    pub(crate) fn band(&self, rows: Range<u32>) -> Self {
        self.part(Region { x: 0, y: rows.start, width: self.size().width, height: rows.end - rows.start })
    }
}

impl<'a> AnySamplesMut<'a> {
    pub(crate) fn of<S: Sample>(view: SampleViewMut<'a, S>) -> Self {
        let channels = view.channels();
        AnySamplesMut::of_bytes(view.into_bytes(), channels, S::DEPTH)
    }

    /// Not generic: compiled once.
    fn of_bytes(bytes: SampleViewMut<'a, u8>, channels: Channels, depth: Depth) -> Self {
        match depth {
            Depth::U8 => AnySamplesMut::U8(bytes.numbers(channels).expect(WHOLE)),
            Depth::U16 => AnySamplesMut::U16(bytes.numbers(channels).expect(WHOLE)),
            Depth::F32 => AnySamplesMut::F32(bytes.numbers(channels).expect(WHOLE)),
        }
    }

    pub(crate) fn depth(&self) -> Depth {
        self.as_view().depth()
    }

    pub(crate) fn size(&self) -> Size {
        with_samples_mut!(self, v => v.size())
    }

    pub(crate) fn as_view(&self) -> AnySamples<'_> {
        match self {
            AnySamplesMut::U8(v) => AnySamples::U8(v.as_view()),
            AnySamplesMut::U16(v) => AnySamples::U16(v.as_view()),
            AnySamplesMut::F32(v) => AnySamples::F32(v.as_view()),
        }
    }

    pub(crate) fn reborrow(&mut self) -> AnySamplesMut<'_> {
        match self {
            AnySamplesMut::U8(v) => AnySamplesMut::U8(v.reborrow()),
            AnySamplesMut::U16(v) => AnySamplesMut::U16(v.reborrow()),
            AnySamplesMut::F32(v) => AnySamplesMut::F32(v.reborrow()),
        }
    }

    pub(crate) fn into_bytes(self) -> SampleViewMut<'a, u8> {
        with_samples_mut!(self, v => v.into_bytes())
    }

    /// One row, mutable.
    #[track_caller]
    pub(crate) fn row_mut(&mut self, y: u32) -> SamplesMut<'_> {
        match self {
            AnySamplesMut::U8(v) => SamplesMut::U8(v.row_mut(y)),
            AnySamplesMut::U16(v) => SamplesMut::U16(v.row_mut(y)),
            AnySamplesMut::F32(v) => SamplesMut::F32(v.row_mut(y)),
        }
    }

    /// Fractions of full to a row, rounded as [`Sample::from_fraction`] does.
    #[track_caller]
    pub(crate) fn put_fractions(&mut self, y: u32, values: &[f64]) {
        fn each<S: Sample>(row: &mut [S], values: &[f64]) {
            row.iter_mut().zip(values).for_each(|(to, &v)| *to = S::from_fraction(v));
        }
        with_samples_mut!(self, v => each(v.row_mut(y), values));
    }

    /// A region that is known to be inside.
    pub(crate) fn part(self, region: Region) -> Self {
        match self {
            AnySamplesMut::U8(v) => AnySamplesMut::U8(v.part(region)),
            AnySamplesMut::U16(v) => AnySamplesMut::U16(v.part(region)),
            AnySamplesMut::F32(v) => AnySamplesMut::F32(v.part(region)),
        }
    }

    /// [`SampleViewMut::each_band`].
    pub(crate) fn each_band(self, threads: Threads, bytes: u64, work: &(dyn Fn(u32, AnySamplesMut<'_>) + Sync)) {
        let (depth, channels) = (self.depth(), self.as_view().channels());
        self.into_bytes().each_band(threads, bytes, &|first, part| {
            work(first, AnySamplesMut::of_bytes(part, channels, depth));
        });
    }
}

impl<'a> From<AnySamples<'a>> for AnyNumbers<'a> {
    fn from(samples: AnySamples<'a>) -> Self {
        with_samples!(samples, v => AnyNumbers::of(v))
    }
}

impl<'a> From<AnySamplesMut<'a>> for AnyNumbersMut<'a> {
    fn from(samples: AnySamplesMut<'a>) -> Self {
        with_samples_mut!(samples, v => AnyNumbersMut::of(v))
    }
}

impl<'a, P: Pixel> View<'a, P> {
    /// The view with its number type as a value.
    #[inline]
    pub(crate) fn numbers_any(&self) -> AnyNumbers<'a> {
        AnyNumbers::of(self.samples())
    }
}

impl<'a, P: Pixel> ViewMut<'a, P> {
    /// The view with its number type as a value, mutable.
    #[inline]
    pub(crate) fn into_numbers_any(self) -> AnyNumbersMut<'a> {
        AnyNumbersMut::of(self.into_samples())
    }
}

impl<'a, P: Pixel<Number: Sample>> View<'a, P> {
    /// The view with its sample type as a value.
    #[inline]
    pub(crate) fn samples_any(&self) -> AnySamples<'a> {
        AnySamples::of(self.samples())
    }
}

impl<'a, P: Pixel<Number: Sample>> ViewMut<'a, P> {
    /// The view with its sample type as a value, mutable.
    #[inline]
    pub(crate) fn into_samples_any(self) -> AnySamplesMut<'a> {
        AnySamplesMut::of(self.into_samples())
    }
}
