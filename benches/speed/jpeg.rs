//! JPEG, read and written by one thread, beside a copy of the pixels.

use crate::files::{read, written};
use crate::pictures;
use crate::ratio::{Bench, Load};
use rahmen::color::ConvertRules;
use rahmen::file::{ChromaSampling, ReadOptions, Reader, WriteOptions};
use rahmen::flow::PictureSource;
use rahmen::frame::{ChannelOrder, RawLayout};
use rahmen::{Depth, FileFormat, Picture, Size, Threads};
use std::hint::black_box;
use std::sync::Arc;

pub(crate) fn rows(bench: &mut Bench) {
    if !bench.wants("JPEG") {
        return;
    }
    let size = Size::new(2048, 2048);
    let pixels = size.pixels();
    let mut source = PictureSource::new(Picture::from(pictures::soft(size)));
    let plain = WriteOptions::default().format(FileFormat::Jpeg).threads(Threads::ONE);
    let small = plain.clone().sampling(ChromaSampling::Ratio420);
    for (name, options) in [
        ("JPEG 4:2:0 baseline", small.clone().quality(75)),
        ("JPEG 4:4:4 baseline", plain),
        ("JPEG 4:2:0 progressive", small.quality(75).progressive()),
    ] {
        let file: Arc<[u8]> = written(&mut source, options.clone()).into();
        let bits = file.len() as f64 * 8.0 / pixels as f64;
        let load = Load { pixels, read: file.len(), written: pixels as usize * 3 };
        bench.row(&format!("{name} read, {bits:.2} bits/px"), load, || read(&file));
        // What a window asks for: beside the row above, what it costs that the rows go to foreign memory, on all threads.
        let layout = RawLayout::new(size, ChannelOrder::Bgra, Depth::U8).stride(size.width as usize * 4 + 64);
        let mut window = vec![0; layout.bytes_needed().expect("a size")];
        let load = Load { pixels, read: file.len(), written: window.len() };
        bench.row(&format!("{name} read as padded BGRA"), load, || {
            let reader = Reader::from_seekable(std::io::Cursor::new(&file), ReadOptions::default()).expect("a file");
            reader.read_raw(&layout, &mut window, &ConvertRules::default()).expect("room");
        });
        let load = Load { pixels, read: pixels as usize * 3, written: file.len() };
        bench.row(&format!("{name} write"), load, || {
            black_box(written(&mut source, options.clone()));
        });
    }
}
