//! PNG, BMP, TGA and JPEG that the library writes, read by plain readers made from the specifications.
#![cfg(all(feature = "png", feature = "bmp", feature = "tga", feature = "jpeg"))]

use crate::common::noise;
use crate::common::readers::{self, Found};
use proptest::prelude::*;
use rahmen::file::{ChromaSampling, ReadOptions, WriteOptions, decode, encode};
use rahmen::frame::{Palette, Pixels, SamplesRef};
use rahmen::{Content, Depth, FileFormat, Layout, Meaning, Metadata, Picture, Rgba, Size};

/// The samples of a picture, wide.
pub(crate) fn samples(picture: &Picture) -> Vec<u16> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|v| u16::from(*v)).collect(),
        SamplesRef::U16(s) => s.to_vec(),
        SamplesRef::F32(_) => panic!(),
    }
}

pub(crate) fn picture(size: Size, layout: Layout, depth: Depth, seed: u32) -> Picture {
    let mut pixels = Pixels::new(size, layout, depth).unwrap();
    let bytes = noise(2 * size.pixels() as usize * layout.channels(), seed);
    let mut bytes = bytes.chunks(2).map(|b| u16::from_be_bytes([b[0], b[1]]));
    for y in 0..size.height {
        match pixels.row_mut(y) {
            rahmen::frame::SamplesMut::U8(row) => row.fill_with(|| bytes.next().unwrap() as u8),
            rahmen::frame::SamplesMut::U16(row) => row.fill_with(|| bytes.next().unwrap()),
            rahmen::frame::SamplesMut::F32(_) => {}
        }
    }
    Picture::new(Content::Pixels(pixels), Metadata::default())
}

fn bytes_of(picture: &Picture, format: FileFormat, options: WriteOptions) -> Vec<u8> {
    encode(picture, format, options).unwrap()
}

const LAYOUTS: [(Layout, u8); 4] = [(Layout::Gray, 0), (Layout::GrayAlpha, 4), (Layout::Rgb, 2), (Layout::Rgba, 6)];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn png_is_what_was_written(
        (width, height) in (1u32..40, 1u32..40), layout in 0usize..4, deep: bool, interlaced: bool, effort in 0u8..10, seed: u32
    ) {
        let (layout, color) = LAYOUTS[layout];
        let depth = if deep { Depth::U16 } else { Depth::U8 };
        let wanted = picture(Size::new(width, height), layout, depth, seed);
        let mut options = WriteOptions::default().compression(effort);
        options.interlaced = interlaced;
        let bytes = bytes_of(&wanted, FileFormat::Png, options);
        let found = readers::png(&bytes);
        prop_assert_eq!((found.bits, found.color, found.interlaced), (if deep { 16 } else { 8 }, color, interlaced));
        prop_assert_eq!((found.picture.width, found.picture.height), (width as usize, height as usize));
        prop_assert_eq!(&found.picture.samples, &samples(&wanted));
        prop_assert_eq!(samples(&decode(&bytes, ReadOptions::default()).unwrap()), samples(&wanted));
    }
}

#[test]
fn few_bits_and_palettes_are_what_was_written() {
    for (interlaced, top) in [(false, 1u8), (true, 1), (false, 3), (true, 3), (false, 15), (true, 15)] {
        let mut wanted = picture(Size::new(21, 13), Layout::Gray, Depth::U8, 5);
        if let Content::Pixels(pixels) = wanted.content_mut()
            && let rahmen::frame::SamplesMut::U8(row) = pixels.row_mut(4)
        {
            row.fill(255);
        }
        let codes: Vec<u16> = samples(&wanted).iter().map(|v| v % (u16::from(top) + 1)).collect();
        let scaled = codes.iter().map(|c| (c * 255 / u16::from(top)) as u8).collect();
        let frame = rahmen::Frame::<rahmen::Gray<u8>>::from_samples(Size::new(21, 13), scaled).unwrap();
        let mut wanted = Picture::from(frame);
        wanted.metadata_mut().max_codes = Some(vec![top.into()]);
        let options = if interlaced { WriteOptions::default().interlaced() } else { WriteOptions::default() };
        let found = readers::png(&bytes_of(&wanted, FileFormat::Png, options));
        assert_eq!(
            (u32::from(found.bits), &found.picture.samples),
            (u8::count_ones(top), &codes),
            "{interlaced} {top}"
        );
    }
    for (format, count, alpha) in [
        (FileFormat::Png, 200usize, true),
        (FileFormat::Png, 3, true),
        (FileFormat::Bmp, 16, false),
        (FileFormat::Bmp, 2, false),
        (FileFormat::Bmp, 256, false),
        (FileFormat::Tga, 100, true),
        (FileFormat::Tga, 100, false),
    ] {
        let colors: Vec<Rgba<u8>> = noise(4 * count, 9)
            .chunks(4)
            .map(|c| Rgba::new(c[0], c[1], c[2], if alpha { c[3] } else { 255 }))
            .collect();
        let numbers: Vec<u8> = noise(31 * 17, 3).iter().map(|v| (usize::from(*v) % count) as u8).collect();
        let frame = rahmen::Frame::<rahmen::Gray<u8>>::from_samples(Size::new(31, 17), numbers.clone()).unwrap();
        let mut wanted = Picture::from(frame);
        wanted.metadata_mut().meaning = Meaning::Indices;
        wanted.metadata_mut().palette = Some(Palette::new(colors.clone()).unwrap());
        for interlaced in [false, format == FileFormat::Png] {
            let options = if interlaced { WriteOptions::default().interlaced() } else { WriteOptions::default() };
            let bytes = bytes_of(&wanted, format, options);
            let found = match format {
                FileFormat::Png => readers::png(&bytes).picture,
                FileFormat::Bmp => readers::bmp(&bytes),
                _ => readers::tga(&bytes),
            };
            let palette: Vec<[u8; 4]> = colors.iter().map(|c| [c.r, c.g, c.b, c.a]).collect();
            assert_eq!(found.samples, numbers.iter().map(|v| u16::from(*v)).collect::<Vec<_>>(), "{format}");
            assert_eq!(found.palette[..count], palette, "{format} {count}");
        }
    }
}

#[test]
fn bitmaps_and_targas_are_what_was_written() {
    for (layout, seed) in [(Layout::Gray, 1), (Layout::Rgb, 2), (Layout::Rgba, 3)] {
        for size in [Size::new(1, 1), Size::new(33, 7), Size::new(64, 3)] {
            let wanted = picture(size, layout, Depth::U8, seed);
            let check = |found: Found| {
                assert_eq!(
                    (found.width, found.height, found.channels),
                    (size.width as usize, size.height as usize, layout.channels())
                );
                assert_eq!(found.samples, samples(&wanted), "{layout} {size}");
            };
            let bmp = readers::bmp(&bytes_of(&wanted, FileFormat::Bmp, WriteOptions::default()));
            if layout == Layout::Gray {
                assert!(bmp.palette.iter().enumerate().all(|(i, c)| *c == [i as u8, i as u8, i as u8, 255]));
            }
            check(bmp);
            check(readers::tga(&bytes_of(&wanted, FileFormat::Tga, WriteOptions::default())));
        }
    }
}

#[test]
fn jpeg_is_near_what_was_written_and_as_our_reader_has_it() {
    // Smooth, so that few coefficients are lost.
    let wave = |x: u32, y: u32, k: f64| {
        (128.0 + 90.0 * (f64::from(x) * 0.11 * k).sin() * (f64::from(y) * 0.07 + k).cos()) as u8
    };
    let rgb = rahmen::Frame::from_fn(Size::new(61, 45), |x, y| {
        rahmen::Rgb::new(wave(x, y, 1.0), wave(x, y, 1.4), wave(x, y, 0.6))
    });
    let gray = rahmen::Frame::from_fn(Size::new(50, 33), |x, y| rahmen::Gray::new(wave(x, y, 1.2)));
    for wanted in [Picture::from(rgb.unwrap()), Picture::from(gray.unwrap())] {
        for (sampling, progressive, restart, quality) in [
            (ChromaSampling::Ratio444, false, 0, 100),
            (ChromaSampling::Ratio444, true, 0, 97),
            (ChromaSampling::Ratio422, false, 1, 97),
            (ChromaSampling::Ratio420, true, 1, 97),
            (ChromaSampling::Ratio420, false, 0, 60),
        ] {
            let mut options = WriteOptions::default().quality(quality).sampling(sampling).restart_rows(restart);
            options.jpeg.progressive = progressive;
            let bytes = bytes_of(&wanted, FileFormat::Jpeg, options);
            let found = readers::jpeg(&bytes);
            assert_eq!(found.progressive, progressive);
            let (ours, original) = (samples(&decode(&bytes, ReadOptions::default()).unwrap()), samples(&wanted));
            let (mut from_original, mut from_ours, mut worst) = (0.0f64, 0.0f64, 0.0f64);
            let channels = original.len() / (found.width * found.height);
            for (i, pixel) in original.chunks(channels).enumerate() {
                let shown = found.pixel(i % found.width, i / found.width);
                for c in 0..channels {
                    from_original += (shown[c] - f64::from(pixel[c])).abs();
                    let apart = (shown[c].clamp(0.0, 255.0) - f64::from(ours[i * channels + c])).abs();
                    from_ours += apart;
                    worst = worst.max(apart);
                }
            }
            let count = original.len() as f64;
            // The plain reader repeats chroma that is not there for each pixel.
            let at_most = match (quality, sampling) {
                (60, _) => 4.0,
                (_, ChromaSampling::Ratio444) => 1.5,
                _ => 3.0,
            };
            assert!(from_original / count < at_most, "{sampling:?} {progressive}: {}", from_original / count);
            // Where chroma is not stretched, the two readers differ by rounding alone: ours of samples, then of colours, of which blue
            // takes 1.772 of a chroma sample.
            if sampling == ChromaSampling::Ratio444 || channels == 1 {
                let most = if channels == 1 { 0.55 } else { 0.5 + 0.5 * 2.772 };
                assert!(worst < most + 0.01 && from_ours / count < 0.5, "{worst} {}", from_ours / count);
            }
        }
    }
}
