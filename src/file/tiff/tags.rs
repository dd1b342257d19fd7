//! The numbers of tags, field types and codes, each after TIFF 6.0 unless said otherwise, and their names in messages.

pub(super) const SUBFILE_TYPE: u16 = 254;
pub(super) const WIDTH: u16 = 256;
pub(super) const HEIGHT: u16 = 257;
pub(super) const BITS: u16 = 258;
pub(super) const COMPRESSION: u16 = 259;
pub(super) const PHOTOMETRIC: u16 = 262;
pub(super) const FILL_ORDER: u16 = 266;
pub(super) const DOCUMENT_NAME: u16 = 269;
pub(super) const DESCRIPTION: u16 = 270;
pub(super) const MAKE: u16 = 271;
pub(super) const MODEL: u16 = 272;
pub(super) const STRIP_OFFSETS: u16 = 273;
pub(super) const ORIENTATION: u16 = 274;
pub(super) const SAMPLES: u16 = 277;
pub(super) const ROWS_PER_STRIP: u16 = 278;
pub(super) const STRIP_BYTES: u16 = 279;
pub(super) const X_RESOLUTION: u16 = 282;
pub(super) const Y_RESOLUTION: u16 = 283;
pub(super) const PLANAR: u16 = 284;
pub(super) const PAGE_NAME: u16 = 285;
pub(super) const T4_OPTIONS: u16 = 292;
pub(super) const RESOLUTION_UNIT: u16 = 296;
pub(super) const TRANSFER_FUNCTION: u16 = 301;
pub(super) const SOFTWARE: u16 = 305;
pub(super) const DATE_TIME: u16 = 306;
pub(super) const ARTIST: u16 = 315;
pub(super) const HOST_COMPUTER: u16 = 316;
pub(super) const PREDICTOR: u16 = 317;
pub(super) const WHITE_POINT: u16 = 318;
pub(super) const PRIMARIES: u16 = 319;
pub(super) const COLOR_MAP: u16 = 320;
pub(super) const TILE_WIDTH: u16 = 322;
pub(super) const TILE_HEIGHT: u16 = 323;
pub(super) const TILE_OFFSETS: u16 = 324;
pub(super) const TILE_BYTES: u16 = 325;
/// Technical note 1 (1995).
pub(super) const SUB_DIRECTORIES: u16 = 330;
pub(super) const INK_SET: u16 = 332;
pub(super) const INK_NAMES: u16 = 333;
pub(super) const EXTRA_SAMPLES: u16 = 338;
pub(super) const SAMPLE_FORMAT: u16 = 339;
/// Technical note 2 (1995).
pub(super) const JPEG_TABLES: u16 = 347;
pub(super) const YCBCR_WEIGHTS: u16 = 529;
pub(super) const YCBCR_SAMPLING: u16 = 530;
pub(super) const REFERENCE_BLACK_WHITE: u16 = 532;
/// XMP specification, part 3.
pub(super) const XMP: u16 = 700;
pub(super) const COPYRIGHT: u16 = 33_432;
/// ICC.1, B.4.
pub(super) const ICC: u16 = 34_675;
/// EXIF 2.3, 4.6.3.
pub(super) const EXIF: u16 = 34_665;
pub(super) const GPS: u16 = 34_853;
pub(super) const INTEROPERABILITY: u16 = 40_965;
/// Rahmen's own, of those that anyone may use (65,000 to 65,535): what numbers mean that no other tag says.
pub(super) const MEANING: u16 = 65_074;

/// Field types.
pub(super) const BYTE: u16 = 1;
pub(super) const ASCII: u16 = 2;
pub(super) const SHORT: u16 = 3;
pub(super) const LONG: u16 = 4;
pub(super) const RATIONAL: u16 = 5;
pub(super) const UNDEFINED: u16 = 7;
pub(super) const IFD: u16 = 13;
pub(super) const LONG8: u16 = 16;
pub(super) const IFD8: u16 = 18;

/// Bytes of one value of a field type; none for types that do not exist.
pub(super) fn type_bytes(kind: u16) -> Option<u64> {
    match kind {
        1 | 2 | 6 | 7 => Some(1),
        3 | 8 => Some(2),
        4 | 9 | 11 | IFD => Some(4),
        5 | 10 | 12 | LONG8..=IFD8 => Some(8),
        _ => None,
    }
}

/// The name of a tag in messages.
pub(super) fn name(tag: u16) -> String {
    let known = match tag {
        WIDTH => "ImageWidth",
        HEIGHT => "ImageLength",
        BITS => "BitsPerSample",
        COMPRESSION => "Compression",
        PHOTOMETRIC => "PhotometricInterpretation",
        FILL_ORDER => "FillOrder",
        STRIP_OFFSETS => "StripOffsets",
        ORIENTATION => "Orientation",
        SAMPLES => "SamplesPerPixel",
        ROWS_PER_STRIP => "RowsPerStrip",
        STRIP_BYTES => "StripByteCounts",
        X_RESOLUTION => "XResolution",
        Y_RESOLUTION => "YResolution",
        PLANAR => "PlanarConfiguration",
        T4_OPTIONS => "T4Options",
        PREDICTOR => "Predictor",
        COLOR_MAP => "ColorMap",
        TILE_WIDTH => "TileWidth",
        TILE_HEIGHT => "TileLength",
        TILE_OFFSETS => "TileOffsets",
        TILE_BYTES => "TileByteCounts",
        SUB_DIRECTORIES => "SubIFDs",
        INK_SET => "InkSet",
        EXTRA_SAMPLES => "ExtraSamples",
        SAMPLE_FORMAT => "SampleFormat",
        JPEG_TABLES => "JPEGTables",
        YCBCR_WEIGHTS => "YCbCrCoefficients",
        YCBCR_SAMPLING => "YCbCrSubSampling",
        REFERENCE_BLACK_WHITE => "ReferenceBlackWhite",
        XMP => "XMP",
        ICC => "ICCProfile",
        EXIF => "ExifIFD",
        _ => return format!("tag {tag}"),
    };
    format!("{known} (tag {tag})")
}
