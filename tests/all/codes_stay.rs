//! Codes of more than 8 bits stay codes through every step and every format.
#![cfg(all(feature = "png", feature = "tiff", feature = "pnm"))]

use rahmen::file::{ReadOptions, WriteOptions, Writer, decode, encode};
use rahmen::flow::{Sink, Strip};
use rahmen::{FileFormat, Frame, Gray, Number, Picture, Rgb, Rgba, Sample, Size};
use std::io::Cursor;

/// Of a dark picture no sample need be above the max code; what is computed of it is codes again, wherever it ends.
#[test]
fn what_is_computed_of_codes_is_codes_on_every_way() {
    use rahmen::Levels;
    use rahmen::flow::{Chain, PictureSource, Resize};
    use rahmen::resample::ResizeRules;
    let rules = ResizeRules::default();
    for (top, tops) in [(4095u32, vec![4095]), (1000, vec![1000]), (256, vec![256])] {
        let samples = (0..64 * 64u32).map(|i| {
            let code = i * i % 200 % (top / 5);
            ((2 * code * 65_535 + top) / (2 * top)) as u16
        });
        let frame = Frame::<Gray<u16>>::from_samples(Size::new(64, 64), samples.collect::<Vec<_>>()).unwrap();
        let mut picture = Picture::from(frame);
        picture.metadata_mut().max_codes = Some(tops);
        let small = picture.resize(Size::new(33, 31), &rules).unwrap();
        let resize = Box::new(Resize::new(Size::new(33, 31), rules.clone()));
        let chained =
            Chain::new(Box::new(PictureSource::new(picture.clone())), vec![resize]).unwrap().picture().unwrap();
        assert!(small == chained && small.metadata().max_codes == Some(vec![top]));
        let of = |v: u16| (2 * u32::from(v) * top + 65_535) / (2 * 65_535);
        for sample in small.view::<Gray<u16>>().unwrap().pixels().map(|p| p.value) {
            assert_eq!(u32::from(sample), (2 * of(sample) * 65_535 + top) / (2 * top), "{top}");
        }
        // Rounded behind each step, so that it does not matter which of them are done on a picture in memory.
        let wide = || Box::new(Resize::new(Size::new(50, 40), rules.clone()));
        let both = Chain::new(Box::new(PictureSource::new(small.clone())), vec![wide()]).unwrap().picture().unwrap();
        let steps: Vec<Box<dyn rahmen::flow::Step>> =
            vec![Box::new(Resize::new(Size::new(33, 31), rules.clone())), wide()];
        let in_one = Chain::new(Box::new(PictureSource::new(picture.clone())), steps).unwrap().picture().unwrap();
        assert!(in_one == both, "{top}");
        // What options change while a file is read is codes too.
        let rgb = picture.convert::<Rgb<u16>>(&Default::default()).unwrap();
        let mut rgb = Picture::from(rgb.view().map(|p| Rgb { g: 0, ..p }).unwrap());
        rgb.metadata_mut().max_codes = Some(vec![top; 3]);
        let file = encode(&rgb, FileFormat::Png, WriteOptions::default()).unwrap();
        let read = decode(&file, ReadOptions::default().read_as(rahmen::file::ReadAs::Gray)).unwrap();
        assert!(read.metadata().max_codes == Some(vec![top]) && read.histogram().is_ok(), "{top}");
        assert!(encode(&read, FileFormat::Tiff, WriteOptions::default()).is_ok());
        // It is counted and written, and comes back as it was held.
        small.histogram().unwrap();
        assert_eq!(Levels::of(small.metadata()), Levels::scaled(top));
        for format in [FileFormat::Png, FileFormat::Tiff, FileFormat::Pnm] {
            let back = decode(&encode(&small, format, WriteOptions::default()).unwrap(), ReadOptions::default());
            assert!(back.unwrap().content() == small.content(), "{format}: {top}");
        }
    }
}

/// Every code of many max codes, in every layout, through every format: the samples come back, and the max code does or is said to be lost.
#[test]
fn every_code_comes_back_from_every_format() {
    fn every<P: rahmen::PicturePixel>(tops: &[u32]) {
        let full = u32::from(P::Number::DEPTH.max_code().unwrap());
        for &top in tops {
            let size = Size::new(top.min(3000) + 1, 3);
            let mut frame = Frame::<P>::new(size).unwrap();
            for y in 0..size.height {
                for x in 0..size.width {
                    let mut pixel = [P::default()];
                    for (c, sample) in (0u32..).zip(rahmen::pixel::samples_of_mut(&mut pixel)) {
                        let code = (x + 7 * y + 31 * c) * (1 + top / 3000) % (top + 1);
                        let value = (2 * u64::from(code) * u64::from(full) + u64::from(top)) / (2 * u64::from(top));
                        *sample = P::Number::from_f64(value as f64);
                    }
                    frame[(x, y)] = pixel[0];
                }
            }
            let mut picture = Picture::from(frame);
            picture.metadata_mut().max_codes = (top != full).then(|| vec![top; P::CHANNELS]);
            for format in FileFormat::ALL.iter().copied().filter(|f| !matches!(f, FileFormat::Raw | FileFormat::Jpeg)) {
                let mut out = Cursor::new(Vec::new());
                let options = WriteOptions::default().format(format);
                let Ok(mut writer) = Writer::to_seekable(&mut out, &picture.facts(), options) else { continue };
                writer.put(&Strip { first_row: 0, content: picture.content().clone() }).unwrap();
                writer.finish().unwrap();
                let said = writer.remarks().concat().contains("the max code");
                drop(writer);
                let back = decode(out.get_ref(), ReadOptions::default()).unwrap();
                let what = format!("{format} {} {top}", P::LAYOUT);
                let (found, meant) = (back.metadata().max_codes.clone(), picture.metadata().max_codes.clone());
                assert!(back.content() == picture.content(), "{what}");
                assert!(found == meant || said && found.is_none(), "{what}: {found:?}");
            }
        }
    }
    let (small, large) =
        ([1, 2, 3, 5, 7, 15, 31, 63, 100, 127, 200, 254, 255], [256, 1000, 1023, 4095, 20_000, 65_535]);
    every::<Gray<u8>>(&small);
    every::<rahmen::GrayAlpha<u8>>(&small);
    every::<Rgb<u8>>(&small);
    every::<Rgba<u8>>(&small);
    every::<rahmen::Cmyk<u8>>(&small);
    every::<Gray<u16>>(&large);
    every::<rahmen::GrayAlpha<u16>>(&large);
    every::<Rgb<u16>>(&large);
    every::<Rgba<u16>>(&large);
    every::<rahmen::Cmyk<u16>>(&large);
}
