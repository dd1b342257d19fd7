//! PNG files put together byte by byte, read to exact values; damaged and hostile ones to errors that help.
#![cfg(all(feature = "png", feature = "pnm"))]

use crate::common::{Dribble, Png, chunk, noise};
use rahmen::file::{Limits, ReadOptions, read_from};
use rahmen::{Depth, ErrorKind, Layout, Picture, PicturePixel, Pixel, Rgba};

fn read_bytes(bytes: Vec<u8>, each: usize) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes, at: 0, each }, ReadOptions::default())
}

/// The picture's samples as a PNG stores them: 16-bit ones with the high byte first.
fn stored_bytes(picture: &Picture) -> Vec<u8> {
    struct Bytes;
    impl rahmen::frame::Visitor for Bytes {
        type Out = Vec<u8>;
        fn run<P: PicturePixel>(self, view: rahmen::View<'_, P>) -> Vec<u8> {
            let numbers = view.pixels().flat_map(|p| rahmen::pixel::samples_of(&[p]).to_vec()).collect::<Vec<_>>();
            let wide = std::mem::size_of::<P::Number>() == 2;
            let bytes = numbers.iter().map(|v| rahmen::Number::to_f64(*v) as u16);
            bytes.flat_map(|v| if wide { v.to_be_bytes().to_vec() } else { vec![v as u8] }).collect()
        }
    }
    picture.visit(Bytes).unwrap()
}

const KINDS: [(u8, u8, Layout, Depth); 8] = [
    (0, 8, Layout::Gray, Depth::U8),
    (0, 16, Layout::Gray, Depth::U16),
    (4, 8, Layout::GrayAlpha, Depth::U8),
    (4, 16, Layout::GrayAlpha, Depth::U16),
    (2, 8, Layout::Rgb, Depth::U8),
    (2, 16, Layout::Rgb, Depth::U16),
    (6, 8, Layout::Rgba, Depth::U8),
    (6, 16, Layout::Rgba, Depth::U16),
];

#[test]
fn every_type_depth_and_filter_reads_to_the_stored_values_however_the_file_is_cut() {
    for (color, bits, layout, depth) in KINDS {
        for (width, height) in [(1u32, 1u32), (1, 7), (13, 1), (17, 11), (64, 9)] {
            let row = width as usize * layout.channels() * bits as usize / 8;
            let rows = noise(row * height as usize, width * 31 + u32::from(bits));
            for filter in 0..=5u8 {
                let by_row = |y: usize| if filter == 5 { (y % 5) as u8 } else { filter };
                let cut = [7, 1000][usize::from(filter % 2)];
                let png = Png { width, height, bits, color, rows: &rows, filter: &by_row, cut, chunks: vec![] };
                for each in [1, 3, 65_536] {
                    let picture = read_bytes(png.file(), each).unwrap();
                    assert_eq!(picture.pixel_format(), rahmen::PixelFormat::Pixels { depth, layout });
                    assert_eq!(stored_bytes(&picture), rows, "{layout} {depth} {width}x{height} filter {filter}");
                }
            }
        }
    }
}

fn small() -> Vec<u8> {
    let rows = noise(9 * 5 * 3, 4);
    let text = chunk(b"tEXt", b"Title\0Quay");
    let png =
        Png { width: 9, height: 5, bits: 8, color: 2, rows: &rows, filter: &|y| y as u8, cut: 20, chunks: vec![text] };
    png.file()
}

#[test]
fn truncated_at_every_byte_it_is_an_error_that_says_what_was_expected() {
    let whole = small();
    for length in 0..whole.len() {
        let error = read_bytes(whole[..length].to_vec(), 65_536).unwrap_err();
        let early = matches!(error.kind(), ErrorKind::Truncated(_));
        assert!(early || length < 8, "cut to {length}: {error}");
        assert!(!early || error.to_string().contains("expected"), "{error}");
    }
    read_bytes(whole, 65_536).unwrap();
}

#[test]
fn a_flipped_bit_anywhere_is_noticed() {
    let whole = small();
    for at in 0..whole.len() {
        for bit in [0, 3, 7] {
            let mut damaged = whole.clone();
            damaged[at] ^= 1 << bit;
            let error = read_bytes(damaged, 65_536).expect_err(&format!("bit {bit} of byte {at}"));
            assert!(!error.to_string().contains('\n'));
        }
    }
}

#[test]
fn wrong_checksums_name_the_chunk_and_the_place() {
    let mut damaged = small();
    let at = damaged.windows(4).position(|w| w == b"tEXt").unwrap();
    damaged[at + 5] ^= 1;
    let error = read_bytes(damaged, 65_536).unwrap_err();
    assert!(error.to_string().contains("the checksum of chunk tEXt is"), "{error}");
    assert!(error.offset().is_some());
}

#[test]
fn declared_sizes_meet_the_limit_before_memory_is_taken() {
    let mut head = [60_000u32.to_be_bytes(), 60_000u32.to_be_bytes()].concat();
    head.extend([16, 6, 0, 0, 0]);
    let bytes = [b"\x89PNG\r\n\x1a\n".to_vec(), chunk(b"IHDR", &head), chunk(b"IDAT", &[])].concat();
    let error = read_bytes(bytes.clone(), 65_536).unwrap_err();
    let want = 60_000u64 * 60_000 * 8;
    assert!(matches!(error.kind(), ErrorKind::Limit { needed, .. } if *needed == want), "{error}");
    let high = ReadOptions::default().limits(Limits::default().memory(1 << 20));
    assert!(read_from(std::io::Cursor::new(small()), high).is_ok());
    let low = ReadOptions::default().limits(Limits::default().memory(9 * 5 * 3 - 1));
    assert!(read_from(std::io::Cursor::new(small()), low).is_err());
}

#[test]
fn rows_that_are_too_many_or_too_few_are_damage() {
    let rows = noise(8 * 6, 1);
    let mut png = Png { width: 8, height: 6, bits: 8, color: 0, rows: &rows, filter: &|_| 0, cut: 900, chunks: vec![] };
    png.height = 5;
    assert!(read_bytes(png.file(), 65_536).unwrap_err().to_string().contains("more pixel data"));
    png.height = 7;
    assert!(read_bytes(png.file(), 65_536).unwrap_err().to_string().contains("row 6 of 7"));
}

#[test]
fn metadata_comes_with_the_picture_and_goes_back_into_the_file() {
    let rows = noise(4, 1);
    let chunks = vec![
        chunk(b"gAMA", &100_000u32.to_be_bytes()),
        chunk(b"pHYs", &[0, 0, 0x0f, 0xa0, 0, 0, 0x1f, 0x40, 1]),
        chunk(b"tEXt", b"Place\0Grauwick \xe4\xf6"),
    ];
    let png = Png { width: 2, height: 2, bits: 8, color: 0, rows: &rows, filter: &|_| 0, cut: 99, chunks };
    let picture = read_bytes(png.file(), 65_536).unwrap();
    let m = picture.metadata();
    assert_eq!(m.transfer, rahmen::Transfer::Linear);
    assert_eq!(m.resolution.unwrap().y, 8000.0);
    assert_eq!((m.text[0].keyword.as_str(), m.text[0].text.as_ref()), ("Place", "Grauwick äö"));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("again.png");
    rahmen::write(&path, &picture).unwrap();
    assert_eq!(rahmen::read(&path).unwrap(), picture);
}

#[test]
fn strips_are_the_rows_of_the_whole_and_skipped_rows_do_not_change_the_rest() {
    use rahmen::flow::Source;
    let rows = noise(40 * 33 * 4, 8);
    let png = Png {
        width: 40,
        height: 33,
        bits: 8,
        color: 6,
        rows: &rows,
        filter: &|y| (y % 5) as u8,
        cut: 512,
        chunks: vec![],
    };
    let whole = read_bytes(png.file(), 4096).unwrap().frame::<Rgba<u8>>().unwrap();
    let mut reader = rahmen::file::Reader::from_read(std::io::Cursor::new(png.file()), ReadOptions::default()).unwrap();
    let first = reader.next(5).unwrap().unwrap();
    reader.skip(11).unwrap();
    let second = reader.next(100).unwrap().unwrap();
    assert!(reader.next(1).unwrap().is_none());
    for (strip, from) in [(first, 0), (second, 16)] {
        let view = strip.content.pixels().unwrap().view::<Rgba<u8>>().unwrap();
        let part = whole.region(whole.size().region().rows(from..from + view.height()).unwrap()).unwrap();
        assert!(view == part);
        assert_eq!(strip.first_row, from);
    }
    assert_eq!(<Rgba<u8> as Pixel>::CHANNELS, 4);
}
