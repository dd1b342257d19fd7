//! Samples whose type is known at run time: one arm each of the three depths.

use super::depth::Depth;

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
    pub(crate) fn depth(&self) -> Depth {
        match self {
            Samples::U8(_) => Depth::U8,
            Samples::U16(_) => Depth::U16,
            Samples::F32(_) => Depth::F32,
        }
    }

    pub(crate) fn borrow(&self) -> SamplesRef<'_> {
        match self {
            Samples::U8(s) => SamplesRef::U8(s),
            Samples::U16(s) => SamplesRef::U16(s),
            Samples::F32(s) => SamplesRef::F32(s),
        }
    }

    pub(crate) fn borrow_mut(&mut self) -> SamplesMut<'_> {
        match self {
            Samples::U8(s) => SamplesMut::U8(s),
            Samples::U16(s) => SamplesMut::U16(s),
            Samples::F32(s) => SamplesMut::F32(s),
        }
    }
}

impl SamplesRef<'_> {
    /// Length.
    pub fn len(&self) -> usize {
        match self {
            SamplesRef::U8(s) => s.len(),
            SamplesRef::U16(s) => s.len(),
            SamplesRef::F32(s) => s.len(),
        }
    }

    /// Whether it is empty.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}
