//! What every target does with bytes: reads them in all ways there are. None may panic or take more than the limit.

use rahmen::FileFormat;
use rahmen::file::{Limits, ReadAs, ReadOptions, Reader, facts_from, read_from};
use rahmen::flow::Source;
use std::io::Cursor;

/// Bytes a picture may take: little, so that a target is quick.
const MEMORY: u64 = 1 << 20;

/// Puts the mark of a format in front where it has one, and reads the bytes with each option.
pub fn read_as(format: FileFormat, bytes: &[u8]) {
    let mark: &[u8] = match format {
        FileFormat::Png => b"\x89PNG\r\n\x1a\n",
        FileFormat::Jpeg => b"\xff\xd8\xff",
        FileFormat::Bmp => b"BM",
        FileFormat::Qoi => b"qoif",
        FileFormat::Npy => b"\x93NUMPY",
        FileFormat::Pfm => b"P",
        FileFormat::Pnm => b"P",
        _ => b"",
    };
    let bytes = if bytes.starts_with(mark) { bytes.to_vec() } else { [mark, bytes].concat() };
    read(&bytes, ReadOptions::default());
    read(&bytes, ReadOptions::default().read_as(ReadAs::Indices));
    read(&bytes, ReadOptions::default().page(2));
}

/// Reads bytes as a stream and in any order, whole and in strips, strictly and salvaging.
pub fn read(bytes: &[u8], options: ReadOptions) {
    let mut options = options;
    options.limits = Limits::default().memory(MEMORY);
    let _ = facts_from(Cursor::new(bytes.to_vec()), options);
    for options in [options, options.salvage()] {
        let stream = read_from(Cursor::new(bytes.to_vec()), options);
        let reader = Reader::from_seekable(Cursor::new(bytes.to_vec()), options);
        if let Ok(picture) = &stream {
            assert!(picture.pixel_format().bytes(picture.size()) <= MEMORY);
        }
        let Ok(mut reader) = reader else { continue };
        let _ = reader.skip(1);
        // A header may declare more rows than anybody can wait for.
        for _ in 0..100 {
            let Ok(Some(strip)) = reader.next(3) else { break };
            assert!(strip.content.size().height <= 3);
        }
    }
}
