//! Files: PNG against the bare inflating and deflating of the same bytes by the same library, the maps against copies.

use crate::pictures;
use crate::ratio::{Bench, Load};
use flate2::{Compression, read::ZlibDecoder, write::ZlibEncoder};
use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer};
use rahmen::flow::{PictureSource, Sink, Source};
use rahmen::{Format, Picture, Size};
use std::hint::black_box;
use std::io::{Cursor, Read, Write};
use std::sync::{Arc, Mutex};

/// Bytes that several writers share, as a file would be.
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

/// Reads all rows in strips, without keeping them.
fn read(file: &Arc<[u8]>) {
    let options = ReadOptions::default();
    let mut reader = Reader::from_read(Cursor::new(Arc::clone(file)), options).expect("a picture");
    while let Some(strip) = reader.next(64).expect("rows") {
        black_box(&strip);
    }
}

/// The zlib stream within a PNG file: the data of its IDAT chunks.
fn zlib_stream(file: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 8;
    while at + 12 <= file.len() {
        let length = u32::from_be_bytes(file[at..at + 4].try_into().expect("four bytes")) as usize;
        if &file[at + 4..at + 8] == b"IDAT" {
            out.extend_from_slice(&file[at + 8..at + 8 + length]);
        }
        at += 12 + length;
    }
    out
}

fn inflated(stream: &[u8], out: &mut Vec<u8>) {
    out.clear();
    ZlibDecoder::new(stream).read_to_end(out).expect("a whole stream");
}

pub(crate) fn rows(bench: &mut Bench) {
    let size = Size::new(2048, 2048);
    let pixels = size.pixels();
    let mut source = PictureSource::new(Picture::from(pictures::rgb(size)));
    let png: Arc<[u8]> = written(&mut source, WriteOptions::default().format(Format::Png)).into();
    let stream = zlib_stream(&png);
    let mut raw = Vec::new();
    inflated(&stream, &mut raw);
    let mut again = Vec::with_capacity(raw.len());
    bench.against("PNG read RGB8", pixels, || read(&png), "inflating", || inflated(&stream, &mut again));
    for effort in [1, 3, 6] {
        let options = WriteOptions::default().format(Format::Png).effort(effort);
        let png = written(&mut source, options);
        let mut filtered = Vec::new();
        inflated(&zlib_stream(&png), &mut filtered);
        let deflate = || {
            let mut to = ZlibEncoder::new(Vec::new(), Compression::new(u32::from(effort)));
            to.write_all(&filtered).and_then(|()| to.finish()).map(black_box).expect("memory");
        };
        let name = format!("PNG write RGB8, effort {effort} ({}%)", png.len() * 100 / filtered.len());
        bench.against(&name, pixels, || drop(black_box(written(&mut source, options))), "deflating", deflate);
    }
    let bytes = raw.len();
    let map: Arc<[u8]> = written(&mut source, WriteOptions::default().format(Format::Pnm)).into();
    let load = Load { pixels, read: bytes, written: bytes };
    bench.row("PPM read RGB8 in strips", load, || read(&map));
    bench.row("PPM write RGB8 in strips", load, || {
        black_box(written(&mut source, WriteOptions::default().format(Format::Pnm)));
    });
}
