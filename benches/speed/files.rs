//! Files: PNG against the bare inflating and deflating of the same bytes by the same library, the maps against copies.

use crate::pictures;
use crate::ratio::{Bench, Load};
use flate2::{Compression, read::ZlibDecoder, write::ZlibEncoder};
use rahmen::file::{ReadAs, ReadOptions, Reader, TiffCompression, WriteOptions, Writer};
use rahmen::flow::{PictureSource, Sink, Source};
use rahmen::frame::{ChannelOrder, Palette, RawAlpha, RawLayout};
use rahmen::{Content, Depth, FileFormat, Frame, Gray, Meaning, Metadata, Picture, Rgba, Size, Threads};
use std::hint::black_box;
use std::io::{Cursor, Read, Seek, SeekFrom, Write};
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

/// A file in memory, written in strips.
pub(crate) fn written(source: &mut PictureSource, options: WriteOptions) -> Vec<u8> {
    let memory = Memory::default();
    source.rewind().expect("from memory");
    let mut writer = Writer::to_stream(memory.clone(), source.facts(), options).expect("a format");
    while let Some(strip) = source.next(64).expect("rows") {
        writer.put(&strip).expect("room");
    }
    writer.finish().expect("all rows");
    std::mem::take(&mut *memory.0.lock().expect("one thread"))
}

/// Writes all rows in strips into memory that is there already, as a file's pages would be.
pub(crate) fn written_into(source: &mut PictureSource, options: WriteOptions) {
    static AGAIN: Mutex<Vec<u8>> = Mutex::new(Vec::new());
    #[derive(Clone, Copy)]
    struct Again(usize);
    impl Write for Again {
        fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
            let mut to = AGAIN.lock().expect("one thread");
            let end = self.0 + bytes.len();
            if to.len() < end {
                to.resize(end, 0);
            }
            to[self.0..end].copy_from_slice(bytes);
            self.0 = end;
            Ok(bytes.len())
        }
        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }
    impl Seek for Again {
        fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
            match to {
                SeekFrom::Start(at) => self.0 = at as usize,
                SeekFrom::End(_) => self.0 = AGAIN.lock().expect("one thread").len(),
                SeekFrom::Current(_) => {}
            }
            Ok(self.0 as u64)
        }
    }
    source.rewind().expect("from memory");
    let mut writer = Writer::to_seekable(Again(0), source.facts(), options).expect("a format");
    while let Some(strip) = source.next(64).expect("rows") {
        writer.put(&strip).expect("room");
    }
    writer.finish().expect("all rows");
}

/// Reads all rows in strips, as they are stored.
pub(crate) fn read(file: &Arc<[u8]>) {
    read_with(file, ReadOptions::default());
}

/// Reads all rows in strips, without keeping them.
pub(crate) fn read_with(file: &Arc<[u8]>, options: ReadOptions) {
    let mut reader = Reader::from_seekable(Cursor::new(Arc::clone(file)), options).expect("a picture");
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
    let png: Arc<[u8]> = written(&mut source, WriteOptions::default().format(FileFormat::Png)).into();
    let stream = zlib_stream(&png);
    let mut raw = Vec::new();
    inflated(&stream, &mut raw);
    let mut again = Vec::with_capacity(raw.len());
    bench.against("PNG read RGB8", pixels, || read(&png), "inflating", || inflated(&stream, &mut again));
    for effort in [1, 3, 6] {
        let options = WriteOptions::default().format(FileFormat::Png).compression(effort);
        let png = written(&mut source, options.clone());
        let mut filtered = Vec::new();
        inflated(&zlib_stream(&png), &mut filtered);
        let deflate = || {
            let mut to = ZlibEncoder::new(Vec::new(), Compression::new(u32::from(effort)));
            to.write_all(&filtered).and_then(|()| to.finish()).map(black_box).expect("memory");
        };
        for (threads, how) in [(Threads::ONE, "one thread"), (Threads::ALL, "all threads")] {
            let options = options.clone().threads(threads);
            let percent = png.len() * 100 / filtered.len();
            let name = format!("PNG write RGB8, effort {effort} ({percent}%), {how}");
            bench.against(
                &name,
                pixels,
                || drop(black_box(written(&mut source, options.clone()))),
                "deflating",
                deflate,
            );
        }
    }
    plain_formats(bench, &mut source, size);
}

/// Formats whose rows are stored as they are, against the copy of the same bytes. Reading from memory, writing into it,
/// each in strips.
fn plain_formats(bench: &mut Bench, source: &mut PictureSource, size: Size) {
    let pixels = size.pixels();
    let raw = RawLayout::new(size, ChannelOrder::Bgra, Depth::U8).alpha(RawAlpha::Ignored);
    let floats = Frame::from_fn(size, |x, y| Gray::new((x ^ y) as f32)).expect("memory");
    let mut floats = PictureSource::new(Picture::from(floats));
    let of = |format| WriteOptions::default().format(format);
    for (name, options, bytes, reading) in [
        ("PPM RGB8", of(FileFormat::Pnm), 3, ReadOptions::default()),
        ("BMP RGB8", of(FileFormat::Bmp), 3, ReadOptions::default()),
        ("TGA RGB8", of(FileFormat::Tga), 3, ReadOptions::default()),
        ("NPY RGB8", of(FileFormat::Npy), 3, ReadOptions::default()),
        ("raw BGRX8", WriteOptions::default().raw(raw), 4, ReadOptions::default().raw(raw)),
        ("PFM gray", of(FileFormat::Pfm), 4, ReadOptions::default()),
    ] {
        let source = if name.starts_with("PFM") { &mut floats } else { &mut *source };
        let memory = source.facts().pixel_format.bytes(size) as usize;
        let stored = pixels as usize * bytes;
        let file: Arc<[u8]> = written(source, options.clone()).into();
        let load = Load { pixels, read: stored, written: memory };
        bench.row(&format!("{name} read in strips"), load, || read_with(&file, reading.clone()));
        let load = Load { pixels, read: memory, written: stored };
        bench.row(&format!("{name} write in strips"), load, || written_into(source, options.clone()));
    }
}

/// Pictures of indices, read as colours and as they are, and codes of twelve bits: what is packed into bytes and looked up.
pub(crate) fn index_rows(bench: &mut Bench) {
    let size = Size::new(4096, 4096);
    let pixels = size.pixels();
    let as_indices = ReadOptions::default().read_as(ReadAs::Indices);
    for (colors, formats) in [
        (256u32, &[FileFormat::Bmp, FileFormat::Tga, FileFormat::Tiff][..]),
        (16, &[FileFormat::Bmp, FileFormat::Tiff]),
        (2, &[FileFormat::Bmp, FileFormat::Tiff]),
    ] {
        let frame = Frame::from_fn(size, |x, y| Gray::new(((x ^ y) % colors) as u8)).expect("memory");
        let palette = (0..colors).map(|i| Rgba::new(i as u8, (i * 7) as u8, 255 - i as u8, 255)).collect();
        let mut metadata = Metadata::default();
        metadata.meaning = Meaning::Indices;
        metadata.palette = Some(Palette::new(palette).expect("few"));
        let mut source = PictureSource::new(Picture::new(Content::Pixels(frame.into()), metadata));
        for &format in formats {
            let options = WriteOptions::default().format(format).tiff_compression(TiffCompression::None);
            let file: Arc<[u8]> = written(&mut source, options).into();
            let load = Load { pixels, read: file.len(), written: 3 * pixels as usize };
            bench.row(&format!("{format} read, {colors} colours"), load, || read(&file));
            let load = Load { pixels, read: file.len(), written: pixels as usize };
            bench.row(&format!("{format} read, {colors} colours, as indices"), load, || {
                read_with(&file, as_indices.clone())
            });
        }
    }
    let frame = Frame::from_fn(size, |x, y| Gray::new(((x * 13 + y) % 4096 * 65_535 / 4095) as u16)).expect("memory");
    let mut metadata = Metadata::default();
    metadata.max_codes = Some(vec![4095]);
    let mut source = PictureSource::new(Picture::new(Content::Pixels(frame.into()), metadata));
    let options = WriteOptions::default().format(FileFormat::Tiff).tiff_compression(TiffCompression::None);
    let file: Arc<[u8]> = written(&mut source, options).into();
    let load = Load { pixels, read: file.len(), written: 2 * pixels as usize };
    bench.row("TIFF read, gray of 12 bits", load, || read(&file));
}
