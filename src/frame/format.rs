//! The names of the file formats. All exist in every build; which can be read and written depends on its features.

use std::path::Path;

/// A file format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum FileFormat {
    /// Portable Network Graphics, ISO/IEC 15948.
    Png,
    /// ITU-T T.81, ISO/IEC 10918-1.
    Jpeg,
    /// TIFF 6.0 and its 64-bit form.
    Tiff,
    /// Portable bitmap, graymap and pixmap: P1 to P6.
    Pnm,
    /// Portable arbitrary map: P7.
    Pam,
    /// Portable float map: Pf, PF.
    Pfm,
    /// Windows bitmap.
    Bmp,
    /// Truevision TGA.
    Tga,
    /// Quite OK Image.
    Qoi,
    /// Graphics Interchange Format.
    Gif,
    /// NumPy array.
    Npy,
    /// Several NumPy arrays in a ZIP archive.
    Npz,
    /// Bytes that a [`RawLayout`](crate::frame::RawLayout) describes.
    Raw,
    /// A format from outside the library, of this name: see [`Formats`](crate::file::Formats).
    Other(&'static str),
}

impl FileFormat {
    /// Those of the library.
    pub const ALL: &'static [FileFormat] = &[
        FileFormat::Png,
        FileFormat::Jpeg,
        FileFormat::Tiff,
        FileFormat::Pnm,
        FileFormat::Pam,
        FileFormat::Pfm,
        FileFormat::Bmp,
        FileFormat::Tga,
        FileFormat::Qoi,
        FileFormat::Gif,
        FileFormat::Npy,
        FileFormat::Npz,
        FileFormat::Raw,
    ];

    /// The name people use: `PNG`, `JPEG`, `PNM` ...
    pub fn name(self) -> &'static str {
        match self {
            FileFormat::Png => "PNG",
            FileFormat::Jpeg => "JPEG",
            FileFormat::Tiff => "TIFF",
            FileFormat::Pnm => "PNM",
            FileFormat::Pam => "PAM",
            FileFormat::Pfm => "PFM",
            FileFormat::Bmp => "BMP",
            FileFormat::Tga => "TGA",
            FileFormat::Qoi => "QOI",
            FileFormat::Gif => "GIF",
            FileFormat::Npy => "NPY",
            FileFormat::Npz => "NPZ",
            FileFormat::Raw => "raw",
            FileFormat::Other(name) => name,
        }
    }

    /// The extensions of file names, the usual one first; none for raw, which must be asked for, and for formats from outside.
    pub fn extensions(self) -> &'static [&'static str] {
        match self {
            FileFormat::Png => &["png"],
            FileFormat::Jpeg => &["jpg", "jpeg"],
            FileFormat::Tiff => &["tif", "tiff"],
            FileFormat::Pnm => &["ppm", "pgm", "pbm", "pnm"],
            FileFormat::Pam => &["pam"],
            FileFormat::Pfm => &["pfm"],
            FileFormat::Bmp => &["bmp"],
            FileFormat::Tga => &["tga"],
            FileFormat::Qoi => &["qoi"],
            FileFormat::Gif => &["gif"],
            FileFormat::Npy => &["npy"],
            FileFormat::Npz => &["npz"],
            FileFormat::Raw | FileFormat::Other(_) => &[],
        }
    }

    /// The format that a file name's extension stands for, in either case.
    pub fn of_extension(path: &Path) -> Option<FileFormat> {
        let extension = path.extension()?.to_str()?.to_ascii_lowercase();
        FileFormat::ALL.iter().copied().find(|f| f.extensions().contains(&extension.as_str()))
    }
}

impl std::fmt::Display for FileFormat {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

#[cfg(feature = "serde")]
mod as_text {
    use super::FileFormat;
    use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error};

    impl Serialize for FileFormat {
        fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
            match self {
                FileFormat::Other(name) => to.serialize_str(name),
                own => to.serialize_str(&own.name().to_ascii_lowercase()),
            }
        }
    }

    /// Only the library's own: the names of others live in the program that has them.
    impl<'de> Deserialize<'de> for FileFormat {
        fn deserialize<D: Deserializer<'de>>(from: D) -> Result<FileFormat, D::Error> {
            let word = String::deserialize(from)?;
            let known = FileFormat::ALL.iter().copied().find(|format| format.name().eq_ignore_ascii_case(&word));
            known.ok_or_else(|| D::Error::custom(format!("{word} is no format of this library")))
        }
    }
}
