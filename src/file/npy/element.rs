//! The types of numbers an array may hold.

use crate::error::{Error, Result};
use crate::file::words::shown;
use crate::pixel::NumberKind;

/// The type of an array's elements.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Element {
    /// A byte that is 0 or 1.
    Bool,
    /// A float of 16 bits.
    Half,
    /// A plain number.
    Number(NumberKind),
}

impl Element {
    /// From the letters of a description behind its byte order, such as `f4`: kind and bytes.
    pub(super) fn from_letters(letters: &str) -> Result<Element> {
        Ok(match letters {
            "b1" => Element::Bool,
            "f2" => Element::Half,
            "u1" => Element::Number(NumberKind::U8),
            "u2" => Element::Number(NumberKind::U16),
            "u4" => Element::Number(NumberKind::U32),
            "u8" => Element::Number(NumberKind::U64),
            "i1" => Element::Number(NumberKind::I8),
            "i2" => Element::Number(NumberKind::I16),
            "i4" => Element::Number(NumberKind::I32),
            "i8" => Element::Number(NumberKind::I64),
            "f4" => Element::Number(NumberKind::F32),
            "f8" => Element::Number(NumberKind::F64),
            other => {
                let shown = shown(other, 24);
                return Err(Error::not_supported(format!(
                    "an array whose elements are {shown}, which are no numbers here"
                )));
            }
        })
    }

    /// The letters of a number type.
    pub(super) fn letters(kind: NumberKind) -> &'static str {
        match kind {
            NumberKind::U8 => "u1",
            NumberKind::U16 => "u2",
            NumberKind::U32 => "u4",
            NumberKind::U64 => "u8",
            NumberKind::I8 => "i1",
            NumberKind::I16 => "i2",
            NumberKind::I32 => "i4",
            NumberKind::I64 => "i8",
            NumberKind::F32 => "f4",
            NumberKind::F64 => "f8",
        }
    }

    /// Bytes an element takes.
    pub(super) fn bytes(self) -> usize {
        match self {
            Element::Bool => 1,
            Element::Half => 2,
            Element::Number(kind) => kind.bytes(),
        }
    }

    /// The number type that elements come as.
    pub(super) fn delivered(self) -> NumberKind {
        match self {
            Element::Bool => NumberKind::U8,
            Element::Half => NumberKind::F32,
            Element::Number(kind) => kind,
        }
    }

    /// The description in words.
    pub(super) fn describe(self) -> String {
        match self {
            Element::Bool => "booleans".to_string(),
            Element::Half => "16-bit floats".to_string(),
            Element::Number(kind) => kind.name().to_string(),
        }
    }
}
