//! The formats that reading and writing know: the library's own, and those that are added from outside.

use super::decoder::{Decoder, Start};
use super::encoder::{Encoder, Output};
use super::extensions::writable_extensions;
use super::holds::{Holds, holds};
use super::options::WriteOptions;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Facts, FileFormat};
use std::path::Path;
use std::sync::Arc;

/// A file format from outside the library. Options of its own are fields of the value that is [added](Formats::with).
pub trait Format: Send + Sync + std::fmt::Debug {
    /// The name, which is also that of its [`FileFormat::Other`].
    fn name(&self) -> &'static str;

    /// Extensions of file names, in lower case.
    fn extensions(&self) -> &'static [&'static str];

    /// Whether a file that begins with these bytes, 32 where it has as many, is of this format.
    fn is_start(&self, bytes: &[u8]) -> bool;

    /// What its files hold beside the pixels of one picture. By default nothing: a picture that has an orientation or a palette is refused
    /// then, and what else it has is told by the writer's warnings.
    fn holds(&self) -> Holds {
        Holds::default()
    }

    /// A decoder for a file that is about to be read.
    ///
    /// # Errors
    /// What the format cannot do; by default it cannot be read.
    fn decoder(&self, start: &Start) -> Result<Box<dyn Decoder>> {
        let _ = start;
        Err(Error::not_supported(format!("reading {}", self.name())))
    }

    /// An encoder for a picture of these facts, its header written.
    ///
    /// # Errors
    /// A picture that the format cannot hold ([`ErrorKind::CannotHold`]); by default it cannot be written.
    fn encoder(&self, facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<Box<dyn Encoder>> {
        let _ = (facts, options, out);
        Err(Error::not_supported(format!("writing {}", self.name())))
    }
}

/// The formats that are known: by default the library's own. The functions and constructors of this module work with those; the methods
/// here do the same with others added. A value that is passed; clones share what was added.
///
/// Files are told apart by the marks of the library's own formats first, then by those that were added, in order; extensions
/// likewise.
///
/// # Examples
/// The example `add_a_format` adds one and reads and writes it.
#[derive(Debug, Clone, Default)]
pub struct Formats {
    added: Vec<Arc<dyn Format>>,
}

impl Formats {
    /// Adds a format.
    pub fn with(mut self, format: impl Format + 'static) -> Formats {
        self.added.push(Arc::new(format));
        self
    }

    /// The added format of a name.
    pub(super) fn named(&self, name: &str) -> Result<&dyn Format> {
        let found = self.added.iter().find(|format| format.name() == name);
        found.map(|format| format.as_ref()).ok_or_else(|| {
            Error::invalid("format", format!("no format {name} was added to the formats that are used here"))
        })
    }

    /// What files of a format hold beside the pixels of one picture.
    ///
    /// # Errors
    /// A format that was not added.
    pub fn holds(&self, format: FileFormat) -> Result<Holds> {
        match format {
            FileFormat::Other(name) => Ok(self.named(name)?.holds()),
            own => Ok(holds(own)),
        }
    }

    /// The added format whose file begins so.
    pub(super) fn of_start(&self, bytes: &[u8]) -> Option<FileFormat> {
        self.added.iter().find(|format| format.is_start(bytes)).map(|format| FileFormat::Other(format.name()))
    }

    /// The format of a file name's extension, if it can be written.
    ///
    /// # Errors
    /// An unknown extension; the error lists those that are known.
    pub fn of_extension(&self, path: impl AsRef<Path>) -> Result<FileFormat> {
        let path = path.as_ref();
        let extension = path.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
        if let Some(format) = FileFormat::of_extension(path)
            && writable_extensions().contains(&extension.as_str())
        {
            return Ok(format);
        }
        let added = self.added.iter().find(|format| format.extensions().contains(&extension.as_str()));
        if let Some(format) = added {
            return Ok(FileFormat::Other(format.name()));
        }
        let mut all = writable_extensions();
        self.added.iter().for_each(|format| all.extend_from_slice(format.extensions()));
        let known = format!(".{}", all.join(", ."));
        Err(ErrorKind::UnknownExtension { extension, known }.into())
    }
}
