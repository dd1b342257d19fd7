//! Luma and colour differences as files of raw bytes: read and written by words, against the standards' sums.
#![cfg(feature = "raw")]

use rahmen::color::ycbcr::YcbcrLayout;
use rahmen::file::{ReadOptions, WriteOptions, decode, encode, facts_from};
use rahmen::{Depth, FileFormat, Frame, Picture, Rgb, Size};

fn read(words: &str, bytes: &[u8]) -> rahmen::Result<Picture> {
    decode(bytes, ReadOptions::default().raw_ycbcr(words.parse()?))
}

/// Red, green and blue of 8 bits by ITU-R BT.601-7, limited range: 219 codes of luma, 224 of differences.
fn by_bt601(y: u8, cb: u8, cr: u8) -> [u8; 3] {
    let (y, cb, cr) = ((f64::from(y) - 16.0) / 219.0, (f64::from(cb) - 128.0) / 224.0, (f64::from(cr) - 128.0) / 224.0);
    let (r, b) = (y + 1.402 * cr, y + 1.772 * cb);
    let g = (y - 0.299 * r - 0.114 * b) / 0.587;
    [r, g, b].map(|v| (v.clamp(0.0, 1.0) * 255.0 + 0.5).floor() as u8)
}

#[test]
fn planes_pairs_and_packed_bytes_are_the_same_picture() {
    // Two by two pixels, a difference for all four: in each order, with gaps and an offset.
    let (lumas, cb, cr) = ([120u8, 130, 140, 150], 90u8, 160u8);
    let [y0, y1, y2, y3] = lumas;
    for (words, bytes) in [
        ("ycbcr=planes size=2x2 weights=bt601", vec![y0, y1, y2, y3, cb, cr]),
        ("ycbcr=planes-cr-first size=2x2 weights=bt601", vec![y0, y1, y2, y3, cr, cb]),
        ("ycbcr=pairs size=2x2 weights=bt601 offset=2 stride=3", vec![9, 9, y0, y1, 9, y2, y3, 9, cb, cr]),
        ("ycbcr=pairs-cr-first size=2x2 weights=bt601 siting=center", vec![y0, y1, y2, y3, cr, cb]),
        ("ycbcr=y-cb-y-cr size=2x2 weights=bt601", vec![y0, cb, y1, cr, y2, cb, y3, cr]),
        ("ycbcr=cb-y-cr-y size=2x2 weights=bt601", vec![cb, y0, cr, y1, cb, y2, cr, y3]),
        ("ycbcr=y-cr-y-cb size=2x2 weights=bt601", vec![y0, cr, y1, cb, y2, cr, y3, cb]),
        ("ycbcr=planes size=2x2 weights=bt601 sampling=4:4:4", [lumas, [cb; 4], [cr; 4]].concat()),
    ] {
        let picture = read(words, &bytes).unwrap();
        let frame = picture.frame::<Rgb<u8>>().unwrap();
        for (pixel, y) in frame.pixels().iter().zip(lumas) {
            assert_eq!([pixel.r, pixel.g, pixel.b], by_bt601(y, cb, cr), "{words}");
        }
        // And back: the codes are those that were read.
        let layout: YcbcrLayout = words.parse().unwrap();
        let again = encode(&Picture::from(frame), FileFormat::Raw, WriteOptions::default().raw_ycbcr(layout)).unwrap();
        assert_eq!(again.len(), layout.bytes_needed().unwrap(), "{words}");
        let differ = again.iter().zip(&bytes).filter(|(a, b)| **b != 9 && a.abs_diff(**b) > 1).count();
        assert_eq!(differ, 0, "{words}: {again:?} {bytes:?}");
    }
}

#[test]
fn words_of_ten_bits_become_sixteen() {
    // Full range, gray at half: luma 512 of 1,023.
    let words = "ycbcr=planes size=2x1 bits=10 sampling=4:4:4 range=full byte-order=big codes=high";
    let high = |code: u16| (code << 6).to_be_bytes();
    let bytes: Vec<u8> = [512, 1023, 512, 512, 512, 512].map(high).concat();
    let picture = read(words, &bytes).unwrap();
    let frame = picture.clone().frame::<Rgb<u16>>().unwrap();
    let half = (512.0 / 1023.0 * 65_535.0f64 + 0.5).floor() as u16;
    assert_eq!(frame.pixels(), [Rgb::new(half, half, half), Rgb::new(65_535, 65_535, 65_535)]);
    let layout: YcbcrLayout = words.parse().unwrap();
    assert_eq!(encode(&picture, FileFormat::Raw, WriteOptions::default().raw_ycbcr(layout)).unwrap(), bytes);
}

#[test]
fn what_does_not_fit_is_said() {
    let short = read("ycbcr=planes size=4x4", &[0; 23]).unwrap_err().to_string();
    assert!(short.contains("24") && short.contains("23"), "{short}");
    let facts =
        facts_from([0u8; 30].as_slice(), ReadOptions::default().raw_ycbcr("ycbcr=pairs size=4x4".parse().unwrap()));
    let facts = facts.unwrap();
    assert_eq!(
        (facts.size, facts.stored.as_deref().unwrap().starts_with("ycbcr=pairs size=4x4")),
        (Size::new(4, 4), true)
    );
    let layout: YcbcrLayout = "ycbcr=pairs size=1x1".parse().unwrap();
    let write = |picture: Picture| {
        let error = encode(&picture, FileFormat::Raw, WriteOptions::default().raw_ycbcr(layout)).unwrap_err();
        format!("{error}")
    };
    let size = Size::new(3, 3);
    assert!(write(Frame::filled(size, rahmen::Gray::new(1u8)).unwrap().into()).contains("gray u8"));
    assert!(write(Frame::filled(size, Rgb::new(1u16, 2, 3)).unwrap().into()).contains("8 bits"));
    assert!(write(Frame::filled(size, rahmen::Rgba::new(1u8, 2, 3, 4)).unwrap().into()).contains("rgb+alpha"));
    let limits = rahmen::file::Limits::default().memory(1000);
    let options = ReadOptions::default().limits(limits).raw_ycbcr("ycbcr=planes size=100x100".parse().unwrap());
    assert!(decode(&[0; 15_000], options).unwrap_err().to_string().contains("held whole"));
    // Odd sides: the last luma has a difference of its own.
    let odd = read("ycbcr=planes size=3x3", &[128; 9 + 4 + 4]).unwrap();
    assert_eq!((odd.size(), odd.pixels().unwrap().depth()), (Size::new(3, 3), Depth::U8));
}
