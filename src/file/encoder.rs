//! What every encoder is: it is given rows and gives bytes. And what each format can hold.

use super::options::WriteOptions;
use super::words::largest;
use crate::error::{Error, ErrorKind, Help, Result};
use crate::frame::{Content, Facts, FileFormat, Palette, PixelFormat};
use crate::pixel::{Depth, Layout, Meaning};
use std::io::Write;

/// Destination of an encoder's bytes.
pub trait Output: Write {
    /// Goes to a byte of the file, where the bytes that follow are then put; false where they can only go one behind the
    /// other.
    ///
    /// # Errors
    /// A place that cannot be gone to.
    fn place(&mut self, at: u64) -> Result<bool>;
}

/// What stands before the rows is gathered in memory.
impl Output for Vec<u8> {
    fn place(&mut self, _at: u64) -> Result<bool> {
        Ok(false)
    }
}

/// An encoder of one format, made for a picture of known facts.
pub trait Encoder: Send {
    /// Takes the next rows, in order from the top.
    ///
    /// # Errors
    /// A failed write, or rows that the format cannot hold.
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()>;
    /// Ends a picture and begins another one of the same file.
    ///
    /// # Errors
    /// A format that holds one picture a file, a failed write, or a picture that the format cannot hold.
    fn next_page(&mut self, facts: &Facts, out: &mut dyn Output) -> Result<()> {
        let _ = (facts, out);
        Err(Error::not_supported("a second picture in a file of this format"))
    }
    /// Writes what follows the last row.
    ///
    /// # Errors
    /// A failed write.
    fn finish(&mut self, out: &mut dyn Output) -> Result<()>;
    /// Warnings beyond those that what its format [holds](super::Format::holds) makes plain, each a sentence.
    fn remarks(&self) -> Vec<String> {
        Vec::new()
    }
}

/// The encoder for a picture, its header written.
pub(super) fn encoder_for(
    format: FileFormat,
    extension: Option<&str>,
    facts: &Facts,
    options: &WriteOptions,
    out: &mut dyn Output,
) -> Result<Box<dyn Encoder>> {
    refuse_what_none_holds(format, facts)?;
    match format {
        #[cfg(feature = "png")]
        FileFormat::Png => Ok(Box::new(super::png::PngEncoder::new(facts, options, out)?)),
        #[cfg(feature = "jpeg")]
        FileFormat::Jpeg => Ok(Box::new(super::jpeg::JpegEncoder::new(facts, options, out)?)),
        #[cfg(feature = "gif")]
        FileFormat::Gif => Ok(Box::new(super::gif::GifEncoder::new(facts, options, out)?)),
        #[cfg(feature = "tiff")]
        FileFormat::Tiff => Ok(Box::new(super::tiff::TiffEncoder::new(facts, options)?)),
        #[cfg(feature = "pnm")]
        FileFormat::Pnm | FileFormat::Pam => Ok(Box::new(super::pnm::PnmEncoder::new(format, extension, facts, out)?)),
        #[cfg(feature = "bmp")]
        FileFormat::Bmp => Ok(Box::new(super::bmp::BmpEncoder::new(facts, out)?)),
        #[cfg(feature = "tga")]
        FileFormat::Tga => Ok(Box::new(super::tga::TgaEncoder::new(facts, out)?)),
        #[cfg(feature = "npy")]
        FileFormat::Npy => Ok(Box::new(super::npy::NpyEncoder::new(facts, out)?)),
        #[cfg(feature = "npy")]
        FileFormat::Npz => Ok(Box::new(super::npz::NpzEncoder::new(facts, options, out)?)),
        #[cfg(feature = "raw")]
        FileFormat::Raw => match options.raw_ycbcr {
            Some(layout) => Ok(Box::new(super::raw::YcbcrEncoder::new(facts, layout)?)),
            None => Ok(Box::new(super::raw::RawEncoder::new(facts, options.raw, out)?)),
        },
        #[cfg(feature = "pfm")]
        FileFormat::Pfm => Ok(Box::new(super::pfm::PfmEncoder::new(facts, out)?)),
        #[cfg(feature = "qoi")]
        FileFormat::Qoi => Ok(Box::new(super::qoi::QoiEncoder::new(facts, out)?)),
        other => {
            let _ = (extension, options, out);
            Err(ErrorKind::NotBuilt(other).into())
        }
    }
}

/// Refusals that all formats share: values without a window, floats, planes, ink, indices, an orientation to be
/// dropped.
pub(super) fn refuse_what_none_holds(format: FileFormat, facts: &Facts) -> Result<()> {
    // Plain numbers have a place there; each checks its own types.
    let any_number = match format {
        FileFormat::Pfm | FileFormat::Npy | FileFormat::Npz | FileFormat::Tiff | FileFormat::Raw => true,
        FileFormat::Pam => matches!(facts.pixel_format, PixelFormat::Planes { .. }),
        _ => false,
    };
    match (&facts.metadata.meaning, &facts.pixel_format) {
        (Meaning::Values { unit: None, .. }, PixelFormat::Pixels { depth: Depth::F32, .. }) if !any_number => {
            Err(cannot_hold(format, "values", &[Help::Encoded, Help::Window]))
        }
        (Meaning::Values { .. }, _) if !any_number => Err(cannot_hold(format, "values", &[Help::Window])),
        (_, PixelFormat::Planes { number, .. }) if !any_number => {
            let what = format!("planes of {number}");
            Err(cannot_hold(format, &what, &[Help::PixelsOfDepth(&[Depth::U16, Depth::U8])]))
        }
        (_, PixelFormat::Pixels { depth: Depth::F32, .. }) if !any_number => {
            Err(cannot_hold(format, "f32 samples", &[Help::Depth(&[Depth::U16, Depth::U8])]))
        }
        (_, PixelFormat::Pixels { layout: Layout::Cmyk, .. })
            if !matches!(format, FileFormat::Raw | FileFormat::Tiff | FileFormat::Jpeg | FileFormat::Pam) =>
        {
            Err(cannot_hold(format, "cmyk", &[Help::Color]))
        }
        (Meaning::Indices, _)
            if !matches!(
                format,
                FileFormat::Png
                    | FileFormat::Bmp
                    | FileFormat::Tga
                    | FileFormat::Tiff
                    | FileFormat::Gif
                    | FileFormat::Npy
                    | FileFormat::Npz
            ) =>
        {
            Err(cannot_hold(format, "indices into a palette", &[Help::Color, Help::Extension("png")]))
        }
        _ if !facts.metadata.orientation.is_upright()
            && !matches!(format, FileFormat::Png | FileFormat::Jpeg | FileFormat::Tiff) =>
        {
            Err(cannot_hold(format, "an orientation", &[Help::Upright]))
        }
        _ => Ok(()),
    }
}

#[cold]
pub(super) fn cannot_hold(format: FileFormat, what: &str, help: &'static [Help]) -> Error {
    Error::from(ErrorKind::CannotHold { format, what: what.to_string() }).with_help(help)
}

/// The palette of a picture of indices; none for any other.
///
/// # Errors
/// Indices without one, or of another form than gray u8.
#[cfg_attr(
    not(any(feature = "png", feature = "bmp", feature = "tga", feature = "gif", feature = "tiff")),
    allow(dead_code)
)]
pub(super) fn palette_of(facts: &Facts) -> Result<Option<&Palette>> {
    match (&facts.metadata.meaning, &facts.metadata.palette, &facts.pixel_format) {
        (Meaning::Indices, Some(palette), PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Gray }) => {
            Ok(Some(palette))
        }
        (Meaning::Indices, ..) => Err(Error::invalid("facts", "indices must be gray u8 and have a palette")),
        _ => Ok(None),
    }
}

/// Whether all indices are those of colours.
#[cfg_attr(
    not(any(feature = "png", feature = "bmp", feature = "tga", feature = "gif", feature = "tiff")),
    allow(dead_code)
)]
pub(super) fn check_indices(indices: &[u8], colors: usize) -> Result<()> {
    let most = largest(indices);
    if indices.is_empty() || usize::from(most) < colors {
        return Ok(());
    }
    let line = format!("an index of {most}; the palette has {colors} colours, from 0");
    Err(Error::not_there("pixels", most.into(), colors as u64, line))
}

/// Writes bytes, or says what failed.
pub(super) fn put_bytes(out: &mut dyn Output, bytes: &[u8]) -> Result<()> {
    out.write_all(bytes).map_err(|e| Error::io("cannot write", e))
}
