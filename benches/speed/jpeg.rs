//! JPEG, read and written by one thread, beside a copy of the pixels.

use crate::pictures;
use crate::ratio::{Bench, Load};
use rahmen::file::{ChromaSampling, ReadOptions, Reader, WriteOptions, Writer};
use rahmen::flow::{PictureSource, Sink, Source};
use rahmen::{Format, Picture, Size, Threads};
use std::hint::black_box;
use std::io::{Cursor, Write};
use std::sync::{Arc, Mutex};

#[derive(Clone, Default)]
struct Memory(Arc<Mutex<Vec<u8>>>);

impl Write for Memory {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.lock().expect("one thread").extend_from_slice(bytes);
        Ok(bytes.len())
    }
    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

fn written(source: &mut PictureSource, options: WriteOptions) -> Vec<u8> {
    let memory = Memory::default();
    source.rewind().expect("from memory");
    let mut writer = Writer::to_stream(memory.clone(), source.facts(), options).expect("a format");
    while let Some(strip) = source.next(64).expect("rows") {
        writer.put(&strip).expect("room");
    }
    writer.finish().expect("all rows");
    std::mem::take(&mut *memory.0.lock().expect("one thread"))
}

fn read(file: &Arc<[u8]>) {
    let mut reader = Reader::from_read(Cursor::new(Arc::clone(file)), ReadOptions::default()).expect("a picture");
    while let Some(strip) = reader.next(64).expect("rows") {
        black_box(&strip);
    }
}

pub(crate) fn rows(bench: &mut Bench) {
    if !bench.wants("JPEG") {
        return;
    }
    let size = Size::new(2048, 2048);
    let pixels = size.pixels();
    let mut source = PictureSource::new(Picture::from(pictures::soft(size)));
    let plain = WriteOptions::default().format(Format::Jpeg).threads(Threads::ONE);
    let small = plain.sampling(ChromaSampling::HalfBoth);
    for (name, options) in [
        ("JPEG 4:2:0 baseline", small.quality(75)),
        ("JPEG 4:4:4 baseline", plain),
        ("JPEG 4:2:0 progressive", small.quality(75).progressive()),
    ] {
        let file: Arc<[u8]> = written(&mut source, options).into();
        let bits = file.len() as f64 * 8.0 / pixels as f64;
        let load = Load { pixels, read: file.len(), written: pixels as usize * 3 };
        bench.row(&format!("{name} read, {bits:.2} bits/px"), load, || read(&file));
        let load = Load { pixels, read: pixels as usize * 3, written: file.len() };
        bench.row(&format!("{name} write"), load, || {
            black_box(written(&mut source, options));
        });
    }
}
