//! The kinds of errors, with their figures, and what they say.

use crate::frame::{FileFormat, Size};
use std::fmt;
use std::ops::Range;

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
    /// More memory than a [`MemoryBudget`](crate::MemoryBudget) has left.
    Budget {
        /// Bytes that the budget allows.
        limit: u64,
        /// Bytes that were held when more was asked for.
        held: u64,
        /// Bytes that were asked for.
        asked: u64,
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
    /// Work that was ended from outside: by an observer, or by a [`Cancel`](crate::Cancel) that was set.
    Cancelled,
    /// Work that was not done by its [deadline](crate::Cancel::at).
    DeadlinePassed,
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
            ErrorKind::Budget { limit, held: 0, asked } => {
                write!(f, "{} are over the memory budget of {}", amount(*asked, "bytes"), amount(*limit, "bytes"))
            }
            ErrorKind::Budget { limit, held, asked } => {
                let (asked, limit) = (amount(*asked, "bytes"), amount(*limit, "bytes"));
                write!(f, "{asked} more, beside {held} held, are over the memory budget of {limit}")
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
            ErrorKind::DeadlinePassed => f.write_str("the work was not done by its deadline"),
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
