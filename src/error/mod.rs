//! What can go wrong, with the figures that tell where and what to do.
//!
//! Texts are for people and may change; programs look at [`ErrorKind`].

mod help;
mod kind;

pub use help::Help;
pub use kind::ErrorKind;

use crate::frame::{FileFormat, Size};
use std::fmt;
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
