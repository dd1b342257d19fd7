//! Where pixels live: owned frames, borrowed views, named planes, and the run-time picture with its metadata.
//!
//! Not here: what is done with pixels ([`access`](crate::access) and the modules above it), and how they come from
//! files ([`file`](crate::file)).

mod any_view;
mod content;
mod facts;
mod format;
pub(crate) mod gate;
mod levels;
mod light;
mod metadata;
mod orientation;
mod owned;
mod palette;
mod picture;
mod planes;
mod raw_layout;
pub(crate) mod raw_words;
mod region;
mod sample_view;
mod size;
mod split;
mod view;
mod view_mut;
mod visit;

pub use crate::pixel::{Samples, SamplesMut, SamplesRef};
pub(crate) use any_view::{
    AnyNumbers, AnyNumbersMut, AnySamples, AnySamplesMut, depths_differ, with_same_samples, with_samples,
    with_samples_mut,
};
pub use content::{Content, Pixels};
pub(crate) use facts::MEANING_UNSAID;
pub use facts::{Facts, PageFacts, PixelFormat, RowOrder};
pub use format::FileFormat;
pub use levels::Levels;
pub(crate) use levels::check_codes;
pub use light::Light;
pub use metadata::{Change, Metadata, Resolution, ResolutionUnit, Scale, Text, Time};
pub use orientation::Orientation;
pub use owned::Frame;
pub use palette::Palette;
pub use picture::Picture;
pub use planes::{AnyPlanes, Planes};
pub(crate) use raw_layout::Measures;
pub use raw_layout::{ChannelOrder, RawAlpha, RawLayout};
pub use region::Region;
pub(crate) use sample_view::row_pairs;
pub use sample_view::{SampleRowsMut, SampleView, SampleViewMut};
pub use size::Size;
pub(crate) use size::same_size;
pub use view::{Rows, View};
pub use view_mut::{RowsMut, ViewMut};
pub use visit::{
    CombineVisitor, FrameVisitor, PairVisitor, PlanesVisitor, SampleVisitor, SampleVisitorMut, Visitor, VisitorMut,
};
