//! What is known of a picture without its pixels.

use super::{FileFormat, Metadata, Size};
use crate::memory::{Account, MemoryBudget};
use crate::pixel::{Depth, Layout, NumberKind};
use std::sync::Arc;

/// Pixel format at run time: depth and layout, or number type and plane names.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize), serde(untagged))]
pub enum PixelFormat {
    /// Interleaved pixels.
    Pixels {
        /// The sample type.
        depth: Depth,
        /// The channels and their order.
        layout: Layout,
    },
    /// Named planes.
    Planes {
        /// The number type.
        number: NumberKind,
        /// The planes' names, in order.
        names: Vec<String>,
    },
}

impl PixelFormat {
    /// In words: `rgb u8`, `3 planes of f64`.
    pub fn describe(&self) -> String {
        match self {
            PixelFormat::Pixels { depth, layout } => format!("{layout} {depth}"),
            PixelFormat::Planes { number, names } if names.len() == 1 => format!("1 plane of {number}"),
            PixelFormat::Planes { number, names } => format!("{} planes of {number}", names.len()),
        }
    }

    /// The channels' or planes' names, in order.
    pub fn channel_names(&self) -> Vec<String> {
        match self {
            PixelFormat::Pixels { layout, .. } => layout.channel_names().iter().map(|n| n.to_string()).collect(),
            PixelFormat::Planes { names, .. } => names.clone(),
        }
    }

    /// Bytes a picture of this form and size takes in memory; saturates.
    pub fn bytes(&self, size: Size) -> u64 {
        let pixel = match self {
            PixelFormat::Pixels { depth, layout } => depth.bytes() * layout.channels(),
            PixelFormat::Planes { number, names } => number.bytes().saturating_mul(names.len()),
        };
        size.pixels().saturating_mul(pixel as u64)
    }
}

/// In which order a file gives its rows. Readers deliver them from the top whatever it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum RowOrder {
    /// The top row first: read in one go, in bounded memory.
    TopDown,
    /// The lowest row first: read from the end in bounded memory where the file can be read in any order; a stream is
    /// kept in a temporary file.
    BottomUp,
    /// No row is complete before all are: held whole while it is read.
    Whole,
}

/// What a file with several pictures says of one of them without reading it.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct PageFacts {
    /// Width and height as stored; zero where they are not said in the usual place.
    pub size: Size,
    /// Whether it is a smaller copy of another page.
    pub reduced: bool,
    /// Pictures that hang below it: smaller copies, masks.
    pub sub_pages: u32,
    /// Seconds that it is shown, in an animation.
    pub delay: Option<f64>,
}

impl PageFacts {
    /// A page of this size of which nothing else is said.
    pub fn new(size: Size) -> PageFacts {
        PageFacts { size, reduced: false, sub_pages: 0, delay: None }
    }
}

/// What the remark begins with that a format cannot say what its numbers mean: of no account once that is stated.
pub(crate) const MEANING_UNSAID: &str = "the format does not say what its floats mean";

/// Facts of a picture: everything but the pixels, from a file's header or a step's plan.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Facts {
    /// Width and height as stored.
    pub size: Size,
    /// The pixel format that the pixels are delivered in.
    pub pixel_format: PixelFormat,
    /// Meaning, codes, orientation, resolution, colour, text.
    pub metadata: Metadata,
    /// The file's format, where it came from a file.
    pub format: Option<FileFormat>,
    /// How the file stores its pixels, in words: `8-bit rgb, not interlaced`.
    pub stored: Option<String>,
    /// Bytes the file has, where that is known.
    pub bytes: Option<u64>,
    /// Number of pictures in the file.
    pub pages: u32,
    /// Whether there may be more than `pages`: counting ended at damage, at a limit, or where a stream has not come to yet.
    pub more_pages: bool,
    /// What is known of each, where the file's format tells it without reading them; else empty.
    pub page_list: Arc<[PageFacts]>,
    /// How often an animation is played, where the file says so: 0 is for ever.
    pub plays: Option<u32>,
    /// Remarks on the file, each a sentence.
    pub remarks: Vec<String>,
    pub(crate) charged: Charged,
}

/// The budget that a picture's rows are charged to: no part of what is known of the picture, so that two are always equal.
#[derive(Debug, Clone, Default)]
pub(crate) struct Charged(Option<MemoryBudget>);

impl PartialEq for Charged {
    fn eq(&self, _: &Charged) -> bool {
        true
    }
}

impl Facts {
    /// The facts of a picture that is no file.
    pub fn new(size: Size, pixel_format: PixelFormat, metadata: Metadata) -> Facts {
        Facts {
            size,
            pixel_format,
            metadata,
            format: None,
            stored: None,
            bytes: None,
            pages: 1,
            more_pages: false,
            page_list: Arc::default(),
            plays: None,
            remarks: Vec::new(),
            charged: Charged::default(),
        }
    }

    /// The facts of a picture whose rows are charged to a budget: what is planned, made or written by them is charged to it too.
    pub fn charged_to(self, budget: &MemoryBudget) -> Facts {
        self.charged(Some(budget))
    }

    pub(crate) fn charged(self, account: Account<'_>) -> Facts {
        Facts { charged: Charged(account.cloned()), ..self }
    }

    /// The budget that the picture's rows are charged to, and what is made of them.
    pub(crate) fn account(&self) -> Account<'_> {
        self.charged.0.as_ref()
    }
}
