//! TIFF files: as they are where they have its mark, else with one of its marks put in front, in either order and width.
#![no_main]

use rahmen::FileFormat;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Some(kind) = bytes.first() else { return };
    let mark: &[u8] = match kind & 3 {
        _ if bytes.starts_with(b"II") || bytes.starts_with(b"MM") => b"",
        0 => b"II\x2a\0",
        1 => b"MM\0\x2a",
        2 => b"II\x2b\0\x08\0\0\0",
        _ => b"MM\0\x2b\0\x08\0\0",
    };
    rahmen_fuzz::read_as(FileFormat::Tiff, &[mark, bytes.get(mark.len()..).unwrap_or_default()].concat());
    rahmen_fuzz::read(bytes, |options| options.sub_page(1));
});

rahmen_fuzz::change_by_structure!();
