//! What can go wrong, with the figures that tell where and what to do.
//!
//! Texts are for people and may change; programs look at [`ErrorKind`].

use crate::frame::{FileFormat, Size};
use crate::pixel::Depth;
use std::fmt;
use std::ops::Range;
use std::path::{Path, PathBuf};

/// `Result` with this library's [`Error`].
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// An error: its kind with figures, and the place where it was met. One word wide.
///
/// The text names file, format and byte offset where there are any, then what is wrong and what to do. The cause of an
/// input or output error is in [`source`](std::error::Error::source) and is not repeated in the text.
pub struct Error(Box<Inner>);

struct Inner {
    kind: ErrorKind,
    path: Option<PathBuf>,
    format: Option<FileFormat>,
    offset: Option<u64>,
    help: &'static [Help],
}

/// Kind of error, with its figures.
#[derive(Debug)]
#[non_exhaustive]
pub enum ErrorKind {
    /// A coordinate or range outside what is there.
    Outside {
        /// `"x"` or `"y"`.
        axis: &'static str,
        /// The coordinate that was asked for.
        value: i64,
        /// The half-open range that is there.
        range: Range<i64>,
        /// The swapped pair, if that would be inside.
        swap: Option<(u32, u32)>,
    },
    /// A region that reaches outside a picture.
    RegionOutside {
        /// `"x"` or `"y"`.
        axis: &'static str,
        /// The range that was asked for.
        wanted: Range<i64>,
        /// The half-open range that is there.
        range: Range<i64>,
    },
    /// Two pictures, views or planes that must have one size do not.
    Sizes {
        /// Which of the two.
        what: String,
        /// The size that is needed.
        wanted: Size,
        /// The size that came.
        found: Size,
    },
    /// Typed code was asked for another type than the picture holds.
    Types {
        /// The type that was asked for.
        wanted: String,
        /// The type that the picture holds.
        found: String,
    },
    /// A buffer whose length does not fit its layout.
    WrongLength {
        /// `"samples"` or `"bytes"`.
        unit: &'static str,
        /// Length that is needed.
        needed: usize,
        /// Length that was given.
        found: usize,
        /// How the length is computed, in words; may be empty.
        detail: String,
    },
    /// A row stride is shorter than a row.
    Stride {
        /// `"samples"` or `"bytes"`.
        unit: &'static str,
        /// The stride that was given.
        stride: usize,
        /// The length of a row.
        row: usize,
    },
    /// Sizes whose product this machine cannot address.
    TooLarge {
        /// The product that overflows, in words.
        what: String,
    },
    /// A limit that was set would be exceeded.
    Limit {
        /// The quantity that is limited.
        what: String,
        /// The amount that would be needed.
        needed: u64,
        /// The limit.
        limit: u64,
        /// What both are counted in: `"bytes"`, `"pixels"`.
        unit: &'static str,
    },
    /// Memory that the system would not give.
    OutOfMemory {
        /// Bytes asked for.
        bytes: u64,
    },
    /// An argument, or what it leads to, that the call cannot work with.
    InvalidArgument {
        /// The argument's name, as the call or its rules name it.
        argument: &'static str,
        /// The reason, with the value and what is allowed.
        reason: String,
    },
    /// A number that is not within what an argument may be.
    OutOfRange {
        /// The argument's name, as the call or its rules name it.
        argument: &'static str,
        /// The number.
        value: f64,
        /// The least and the greatest that are allowed; infinite where there is no end.
        allowed: (f64, f64),
        /// What is wrong, in words.
        reason: String,
    },
    /// A channel, plane, page or other thing asked for by its number, of which there are fewer.
    NotThere {
        /// The argument's name.
        argument: &'static str,
        /// The number that was asked for.
        number: u64,
        /// How many there are.
        count: u64,
        /// What is not there, in words.
        reason: String,
    },
    /// Another number of things than an argument needs: channels, planes, max codes, points.
    WrongCount {
        /// The argument's name.
        argument: &'static str,
        /// How many were given.
        found: u64,
        /// The least and the greatest number that would do.
        wanted: (u64, u64),
        /// What is wrong, in words.
        reason: String,
    },
    /// A range that runs backwards, is empty, or has an end that is not a number.
    NotARange {
        /// The argument's name.
        argument: &'static str,
        /// Where it begins and ends.
        range: (f64, f64),
        /// What is wrong, in words.
        reason: String,
    },
    /// A picture, region or target without a pixel, where there must be one.
    NoPixels {
        /// The argument's name.
        argument: &'static str,
        /// Its size.
        size: Size,
        /// What cannot be done with it, in words.
        reason: String,
    },
    /// Calls in an order that has no meaning: a row before its turn, a writer that is finished.
    WrongOrder(String),
    /// Work that an observer has ended.
    Cancelled,
    /// A file whose bytes are not what the format prescribes.
    Malformed(String),
    /// A file that ends early.
    Truncated(String),
    /// Something legal that this version does not do.
    NotSupported(String),
    /// A file that is not a picture of a known format.
    NotAPicture {
        /// The kind of file that the bytes look like, if known.
        looks_like: Option<&'static str>,
    },
    /// A format that this build was made without.
    NotBuilt(FileFormat),
    /// A file name whose extension does not name a format.
    UnknownExtension {
        /// The extension without its dot; empty if there is none.
        extension: String,
        /// The extensions that this build can write.
        known: String,
    },
    /// A target format that cannot hold what it is given.
    CannotHold {
        /// The format.
        format: FileFormat,
        /// The property that it cannot store.
        what: String,
    },
    /// Reading or writing failed.
    Io {
        /// The action that failed.
        action: String,
        /// The system's error.
        source: std::io::Error,
    },
}

impl fmt::Display for ErrorKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ErrorKind::Outside { axis, value, range, swap } => {
                write!(f, "{axis} {value} is outside {}..{}{}", range.start, range.end, swap_hint(*swap))
            }
            ErrorKind::RegionOutside { axis, wanted, range } => {
                write!(f, "{axis} {}..{} is outside {}..{}", wanted.start, wanted.end, range.start, range.end)
            }
            ErrorKind::Sizes { what, wanted, found } => write!(f, "{what} is {found}, but {wanted} is needed"),
            ErrorKind::Types { wanted, found } => write!(f, "wanted {wanted}, the picture holds {found}"),
            ErrorKind::WrongLength { unit, needed, found, detail } => {
                write!(f, "the buffer holds {found} {unit}, but {needed} are needed{detail}")
            }
            ErrorKind::Stride { unit, stride, row } => {
                write!(f, "a stride of {stride} {unit} is shorter than a row of {row}")
            }
            ErrorKind::TooLarge { what } => write!(f, "{what} does not fit this machine's address space"),
            ErrorKind::Limit { what, needed, limit, unit } => {
                write!(f, "{what} needs {}, over the limit of {}", amount(*needed, unit), amount(*limit, unit))
            }
            ErrorKind::OutOfMemory { bytes } => write!(f, "the system did not give {bytes} bytes of memory"),
            ErrorKind::InvalidArgument { reason, .. }
            | ErrorKind::OutOfRange { reason, .. }
            | ErrorKind::NotThere { reason, .. }
            | ErrorKind::WrongCount { reason, .. }
            | ErrorKind::NotARange { reason, .. }
            | ErrorKind::NoPixels { reason, .. }
            | ErrorKind::WrongOrder(reason) => f.write_str(reason),
            ErrorKind::Cancelled => f.write_str("the work was cancelled"),
            ErrorKind::Malformed(what) => write!(f, "malformed: {what}"),
            ErrorKind::Truncated(what) => write!(f, "the file ends early: {what}"),
            ErrorKind::NotSupported(what) => write!(f, "not supported: {what}"),
            ErrorKind::NotAPicture { looks_like } => {
                write!(f, "not a picture file that is known here{}", looks_like_text(looks_like))
            }
            ErrorKind::NotBuilt(format) => write!(f, "this is a {format} file; this build has no {format}"),
            ErrorKind::UnknownExtension { extension, known } => {
                write!(f, "{}; known extensions: {known}", extension_text(extension))
            }
            ErrorKind::CannotHold { format, what } => write!(f, "{} cannot hold {what}", format.name()),
            ErrorKind::Io { action, .. } => f.write_str(action),
        }
    }
}

/// An amount with its unit; of many bytes, in mebibytes too.
fn amount(number: u64, unit: &str) -> String {
    match unit {
        "bytes" if number >= 1 << 20 => format!("{number} bytes ({:.1} MiB)", number as f64 / f64::from(1 << 20)),
        _ => format!("{number} {unit}"),
    }
}

impl std::error::Error for ErrorKind {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        match self {
            ErrorKind::Io { source, .. } => Some(source),
            _ => None,
        }
    }
}

/// Remedies for an error, as data, which an interface puts into its own words. The text of an [`Error`] says them in
/// words of the library.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Help {
    /// Give a window: which values become 0 and full.
    Window,
    /// Change the depth to one of these, the first best.
    Depth(&'static [Depth]),
    /// Make the planes a picture of one of these depths, the first best.
    PixelsOfDepth(&'static [Depth]),
    /// Make the picture rgb.
    Color,
    /// Make the picture gray.
    Gray,
    /// Give up indices into a palette: keep the colours.
    NoIndices,
    /// Lay the pixels on a background of one colour.
    Flatten,
    /// Lay the pixels down as the orientation asks for.
    Upright,
    /// Reduce the picture to two levels of gray.
    TwoLevels,
    /// Raise the limit of this name, a field of [`Limits`](crate::file::Limits), if the file is to be trusted.
    RaiseLimit(&'static str),
    /// Write a file with this extension.
    Extension(&'static str),
    /// Describe the raw bytes that are read.
    RawLayout,
    /// Describe the raw bytes that are written.
    RawLayoutOut,
    /// Let the description of the raw bytes ignore alpha.
    RawAlphaIgnored,
    /// Drop the blocks that are not whole.
    DropPartialBlocks,
    /// Do it with a loss.
    NotLossless,
}

impl fmt::Display for Help {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let depths = |f: &mut fmt::Formatter<'_>, all: &[Depth]| {
            all.iter().enumerate().try_for_each(|(i, d)| write!(f, "{}{d}", if i > 0 { " or " } else { "" }))
        };
        match self {
            Help::Window => f.write_str("set `window`: Window::new(low, high) says which values become 0 and full"),
            Help::Depth(all) => f.write_str("change the depth (`to_depth`) to ").and_then(|()| depths(f, all)),
            Help::PixelsOfDepth(all) => {
                f.write_str("make pixels of it (`to_pixels`), of depth ").and_then(|()| depths(f, all))
            }
            Help::Color => f.write_str("make it rgb (`color`)"),
            Help::Gray => f.write_str("make it gray (`gray`)"),
            Help::NoIndices => f.write_str("keep the colours instead of indices"),
            Help::Flatten => f.write_str("flatten it on a background (`flatten`)"),
            Help::Upright => f.write_str("lay the pixels down upright (`upright`)"),
            Help::TwoLevels => f.write_str("reduce it to two levels of gray"),
            Help::RaiseLimit(name) => write!(f, "raise `Limits::{name}` if the file is to be trusted"),
            Help::Extension(name) => write!(f, "write .{name}"),
            Help::RawLayout | Help::RawLayoutOut => f.write_str("describe the layout of the raw bytes"),
            Help::RawAlphaIgnored => f.write_str("let the layout ignore alpha"),
            Help::DropPartialBlocks => f.write_str("drop the blocks that are not whole"),
            Help::NotLossless => f.write_str("do it with a loss"),
        }
    }
}

#[cold]
fn swap_hint(swap: Option<(u32, u32)>) -> String {
    match swap {
        Some((x, y)) => format!("; the swapped pair ({x}, {y}) is inside: x comes first"),
        None => String::new(),
    }
}

#[cold]
fn looks_like_text(what: &Option<&'static str>) -> String {
    what.map_or(String::new(), |what| format!(": it looks like {what}"))
}

#[cold]
fn extension_text(extension: &str) -> String {
    if extension.is_empty() {
        "the file name has no extension that says which format to write".to_string()
    } else {
        format!("the extension .{extension} is not one that can be written")
    }
}

impl Error {
    /// Kind of error, with its figures.
    pub fn kind(&self) -> &ErrorKind {
        &self.0.kind
    }

    /// The file it was met in, where known.
    pub fn path(&self) -> Option<&Path> {
        self.0.path.as_deref()
    }

    /// The format of the file it was met in, where known.
    pub fn format(&self) -> Option<FileFormat> {
        self.0.format
    }

    /// The byte offset in the file where it was noticed, where known.
    pub fn offset(&self) -> Option<u64> {
        self.0.offset
    }

    /// Remedies, any one of which helps. Empty where none is known.
    pub fn help(&self) -> &'static [Help] {
        self.0.help
    }

    /// The text without remedies: for interfaces that say them in their own words.
    pub fn without_help(&self) -> String {
        let mut text = String::new();
        // A string takes everything.
        let _ = self.write(&mut text);
        text
    }

    fn write(&self, f: &mut dyn fmt::Write) -> fmt::Result {
        let Inner { kind, path, format, offset, .. } = &*self.0;
        if let Some(path) = path {
            write!(f, "{}: ", path.display())?;
        }
        match (format, offset) {
            (Some(format), Some(offset)) => write!(f, "{} at byte {offset}: ", format.name())?,
            (Some(format), None) => write!(f, "{}: ", format.name())?,
            _ => {}
        }
        write!(f, "{kind}")
    }

    /// This error with its remedies.
    pub(crate) fn with_help(mut self, help: &'static [Help]) -> Self {
        self.0.help = help;
        self
    }

    /// This error with the file it was met in, unless it names one already.
    pub fn in_file(mut self, path: impl Into<PathBuf>) -> Self {
        self.0.path.get_or_insert_with(|| path.into());
        self
    }

    /// This error with format and byte offset, unless it has them already.
    pub(crate) fn in_format(mut self, format: FileFormat, offset: Option<u64>) -> Self {
        self.0.format.get_or_insert(format);
        if self.0.offset.is_none() {
            self.0.offset = offset;
        }
        self
    }

    /// Whether the bytes of a file are to blame: damage, or an early end.
    pub(crate) fn is_about_bytes(&self) -> bool {
        matches!(self.0.kind, ErrorKind::Malformed(_) | ErrorKind::Truncated(_))
    }

    #[cold]
    pub(crate) fn invalid(argument: &'static str, reason: impl Into<String>) -> Self {
        ErrorKind::InvalidArgument { argument, reason: reason.into() }.into()
    }

    #[cold]
    pub(crate) fn out_of_range(
        argument: &'static str,
        value: f64,
        allowed: (f64, f64),
        reason: impl Into<String>,
    ) -> Self {
        ErrorKind::OutOfRange { argument, value, allowed, reason: reason.into() }.into()
    }

    #[cold]
    pub(crate) fn not_there(argument: &'static str, number: u64, count: u64, reason: impl Into<String>) -> Self {
        ErrorKind::NotThere { argument, number, count, reason: reason.into() }.into()
    }

    #[cold]
    pub(crate) fn wrong_count(
        argument: &'static str,
        found: usize,
        wanted: (usize, usize),
        reason: impl Into<String>,
    ) -> Self {
        let wanted = (wanted.0 as u64, wanted.1 as u64);
        ErrorKind::WrongCount { argument, found: found as u64, wanted, reason: reason.into() }.into()
    }

    #[cold]
    pub(crate) fn not_a_range(argument: &'static str, range: (f64, f64), reason: impl Into<String>) -> Self {
        ErrorKind::NotARange { argument, range, reason: reason.into() }.into()
    }

    #[cold]
    pub(crate) fn no_pixels(argument: &'static str, size: Size, reason: impl Into<String>) -> Self {
        ErrorKind::NoPixels { argument, size, reason: reason.into() }.into()
    }

    #[cold]
    pub(crate) fn wrong_order(what: impl Into<String>) -> Self {
        ErrorKind::WrongOrder(what.into()).into()
    }

    #[cold]
    pub(crate) fn malformed(what: impl Into<String>) -> Self {
        ErrorKind::Malformed(what.into()).into()
    }

    #[cold]
    pub(crate) fn not_supported(what: impl Into<String>) -> Self {
        ErrorKind::NotSupported(what.into()).into()
    }

    #[cold]
    pub(crate) fn io(action: impl Into<String>, source: std::io::Error) -> Self {
        ErrorKind::Io { action: action.into(), source }.into()
    }

    #[cold]
    pub(crate) fn sizes(what: impl Into<String>, wanted: Size, found: Size) -> Self {
        ErrorKind::Sizes { what: what.into(), wanted, found }.into()
    }
}

impl From<std::io::Error> for Error {
    /// What a stream says, without the place: [`in_file`](Error::in_file) adds it.
    fn from(source: std::io::Error) -> Error {
        Error::io("reading or writing failed", source)
    }
}

impl From<ErrorKind> for Error {
    #[cold]
    fn from(kind: ErrorKind) -> Self {
        Error(Box::new(Inner { kind, path: None, format: None, offset: None, help: &[] }))
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.write(f)?;
        for (i, help) in self.0.help.iter().enumerate() {
            write!(f, "{}{help}", if i == 0 { "; " } else { ", or " })?;
        }
        Ok(())
    }
}

impl fmt::Debug for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Inner { kind, path, format, offset, help } = &*self.0;
        f.debug_struct("Error")
            .field("kind", kind)
            .field("path", path)
            .field("format", format)
            .field("offset", offset)
            .field("help", help)
            .finish()
    }
}

impl std::error::Error for Error {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        std::error::Error::source(&self.0.kind)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::error::Error as _;

    #[test]
    fn an_error_is_one_word_and_can_cross_threads() {
        fn crosses<T: Send + Sync + 'static>() {}
        crosses::<Error>();
        assert_eq!(size_of::<Error>(), size_of::<usize>());
        assert_eq!(size_of::<Result<(), Error>>(), size_of::<usize>());
    }

    #[test]
    fn texts_name_place_figures_and_remedy_and_leave_the_cause_to_source() {
        let e = Error::malformed("expected IHDR").in_format(FileFormat::Png, Some(12)).in_file("quay.png");
        assert_eq!(e.to_string(), "quay.png: PNG at byte 12: malformed: expected IHDR");
        assert_eq!(e.offset(), Some(12));
        let e = Error::io("cannot open it", std::io::ErrorKind::NotFound.into()).in_file("a.png");
        assert_eq!(e.to_string(), "a.png: cannot open it");
        assert_eq!(e.source().unwrap().to_string(), "entity not found");
        let e: Error = ErrorKind::Outside { axis: "y", value: 30, range: 0..23, swap: Some((30, 20)) }.into();
        assert_eq!(e.to_string(), "y 30 is outside 0..23; the swapped pair (30, 20) is inside: x comes first");
        let e: Error = ErrorKind::Limit { what: "the picture".into(), needed: 9, limit: 5 << 20, unit: "bytes" }.into();
        assert_eq!(e.to_string(), "the picture needs 9 bytes, over the limit of 5242880 bytes (5.0 MiB)");
        let trusted = "; raise `Limits::memory` if the file is to be trusted";
        assert!(e.with_help(&[Help::RaiseLimit("memory")]).to_string().ends_with(trusted));
    }
}
