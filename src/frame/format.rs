//! The names of the file formats. All exist in every build; which can be read and written depends on its features.

use std::path::Path;

/// A file format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "lowercase"))]
#[non_exhaustive]
pub enum Format {
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
    /// Bytes that a [`RawLayout`](crate) describes.
    Raw,
}

impl Format {
    /// All of them.
    pub const ALL: [Format; 12] = [
        Format::Png,
        Format::Jpeg,
        Format::Tiff,
        Format::Pnm,
        Format::Pam,
        Format::Pfm,
        Format::Bmp,
        Format::Tga,
        Format::Qoi,
        Format::Gif,
        Format::Npy,
        Format::Raw,
    ];

    /// The name people use: `PNG`, `JPEG`, `PNM` ...
    pub fn name(self) -> &'static str {
        match self {
            Format::Png => "PNG",
            Format::Jpeg => "JPEG",
            Format::Tiff => "TIFF",
            Format::Pnm => "PNM",
            Format::Pam => "PAM",
            Format::Pfm => "PFM",
            Format::Bmp => "BMP",
            Format::Tga => "TGA",
            Format::Qoi => "QOI",
            Format::Gif => "GIF",
            Format::Npy => "NPY",
            Format::Raw => "raw",
        }
    }

    /// The endings of file names, the usual one first; none for raw, which must be asked for.
    pub fn endings(self) -> &'static [&'static str] {
        match self {
            Format::Png => &["png"],
            Format::Jpeg => &["jpg", "jpeg"],
            Format::Tiff => &["tif", "tiff"],
            Format::Pnm => &["ppm", "pgm", "pbm", "pnm"],
            Format::Pam => &["pam"],
            Format::Pfm => &["pfm"],
            Format::Bmp => &["bmp"],
            Format::Tga => &["tga"],
            Format::Qoi => &["qoi"],
            Format::Gif => &["gif"],
            Format::Npy => &["npy"],
            Format::Raw => &[],
        }
    }

    /// The format that a file name's ending stands for, in either case.
    pub fn of_ending(path: &Path) -> Option<Format> {
        let ending = path.extension()?.to_str()?.to_ascii_lowercase();
        Format::ALL.into_iter().find(|f| f.endings().contains(&ending.as_str()))
    }
}

impl std::fmt::Display for Format {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}
