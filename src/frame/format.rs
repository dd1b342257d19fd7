//! The names of the file formats. All exist in every build; which can be read and written depends on its features.

use std::path::Path;

/// A file format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "lowercase"))]
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
    /// Bytes that a [`RawLayout`](crate) describes.
    Raw,
}

impl FileFormat {
    /// All of them.
    pub const ALL: [FileFormat; 12] = [
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
            FileFormat::Raw => "raw",
        }
    }

    /// The extensions of file names, the usual one first; none for raw, which must be asked for.
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
            FileFormat::Raw => &[],
        }
    }

    /// The format that a file name's extension stands for, in either case.
    pub fn of_extension(path: &Path) -> Option<FileFormat> {
        let extension = path.extension()?.to_str()?.to_ascii_lowercase();
        FileFormat::ALL.into_iter().find(|f| f.extensions().contains(&extension.as_str()))
    }
}

impl std::fmt::Display for FileFormat {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}
