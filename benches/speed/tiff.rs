//! TIFF and GIF: strips and tiles against copies of the same bytes, packed ones against the bare unpacking, one thread against two.

use crate::files::{read_with, written, written_into};
use crate::pictures;
use crate::ratio::{Bench, Load};
use flate2::{Compress, Compression, Decompress, FlushCompress, FlushDecompress};
use rahmen::file::Reader;
use rahmen::file::{ReadOptions, TiffCompression, WriteOptions};
use rahmen::flow::{PictureSource, Sink, Source, Strip};
use rahmen::frame::SamplesRef;
use rahmen::tone::{Dither, PaletteRules};
use rahmen::{FileFormat, Picture, Size, Threads};
use std::hint::black_box;
use std::sync::Arc;

pub(crate) fn rows(bench: &mut Bench) {
    let size = Size::new(2048, 2048);
    let pixels = size.pixels();
    let bytes = pixels as usize * 3;
    let mut source = PictureSource::new(Picture::from(pictures::rgb(size)));
    let of = |packing| WriteOptions::default().format(FileFormat::Tiff).tiff_compression(packing);
    let one = ReadOptions::default().threads(Threads::ONE);
    for (name, tile) in [("strips", 0), ("tiles of 256", 256)] {
        let options = of(TiffCompression::None).tiled(tile);
        let file: Arc<[u8]> = written(&mut source, options.clone()).into();
        let load = Load { pixels, read: bytes, written: bytes };
        bench.row(&format!("TIFF RGB8 read, {name}, not compressed"), load, || read_with(&file, one.clone()));
        bench.row(&format!("TIFF RGB8 write, {name}, not compressed"), load, || {
            written_into(&mut source, options.clone())
        });
    }
    for (name, packing) in
        [("PackBits", TiffCompression::PackBits), ("LZW", TiffCompression::Lzw), ("Deflate", TiffCompression::Deflate)]
    {
        let options = of(packing).tiled(256);
        let file: Arc<[u8]> = written(&mut source, options).into();
        let load = Load { pixels, read: bytes, written: bytes };
        bench.row(&format!("TIFF RGB8 read, tiles, {name}, one thread"), load, || read_with(&file, one.clone()));
        let two = one.clone().threads(Threads::at_most(2));
        let name = format!("TIFF RGB8 read, tiles, {name}, two threads");
        bench.against(&name, pixels, || read_with(&file, two.clone()), "one thread", || read_with(&file, one.clone()));
    }
    // What LZW is taken for: areas without grain.
    let mut drawn = PictureSource::new(Picture::from(pictures::drawn(size)));
    let file: Arc<[u8]> = written(&mut drawn, of(TiffCompression::Lzw).tiled(256)).into();
    let load = Load { pixels, read: bytes, written: bytes };
    bench.row("TIFF RGB8 read, tiles, LZW, drawn, one thread", load, || read_with(&file, one.clone()));
    // The same rows of differences through Deflate alone, strip by strip.
    let file: Arc<[u8]> = written(&mut source, of(TiffCompression::Deflate)).into();
    let plain: Vec<u8> = differences(pictures::rgb(size).samples(), size.width as usize * 3);
    let strips: Vec<Vec<u8>> = plain.chunks(21 * size.width as usize * 3).map(packed).collect();
    let mut room = vec![0; 21 * size.width as usize * 3];
    let inflate = || {
        for strip in &strips {
            let mut state = Decompress::new(true);
            black_box(state.decompress(strip, &mut room, FlushDecompress::Finish).expect("a whole stream"));
        }
    };
    bench.against(
        "TIFF RGB8 read, strips, Deflate, one thread",
        pixels,
        || read_with(&file, one.clone()),
        "inflating",
        inflate,
    );
    let options = of(TiffCompression::Deflate).threads(Threads::ONE);
    let deflate = || drop(black_box(plain.chunks(21 * size.width as usize * 3).map(packed).collect::<Vec<_>>()));
    let name = "TIFF RGB8 write, strips, Deflate, one thread";
    bench.against(name, pixels, || drop(black_box(written(&mut source, options.clone()))), "deflating", deflate);
}

/// Composing the frames of an animation, and writing a still by a palette.
pub(crate) fn gif_rows(bench: &mut Bench) {
    let size = Size::new(1024, 1024);
    let frame = Picture::from(pictures::soft(size));
    let png = rahmen::file::encode(&frame, FileFormat::Png, WriteOptions::default()).expect("memory");
    let rules = PaletteRules::colors(64);
    let reduce =
        |rules| rahmen::file::decode(&png, ReadOptions::default().reduced_to_palette(rules)).expect("a picture");
    let indices = reduce(rules);
    let mut bytes = Vec::new();
    let options = WriteOptions::default().format(FileFormat::Gif).pages(8);
    let mut writer = rahmen::file::Writer::to_stream(&mut bytes, &indices.facts(), options).expect("a palette");
    for page in 0..8 {
        if page > 0 {
            writer.next_page(&indices.facts()).expect("room");
        }
        writer.put(&Strip { first_row: 0, content: indices.content().clone() }).expect("room");
    }
    writer.finish().expect("room");
    drop(writer);
    let file: Arc<[u8]> = bytes.into();
    let pixels = size.pixels() * 8;
    let read = || {
        let from = std::io::Cursor::new(Arc::clone(&file));
        let mut reader = Reader::from_seekable(from, ReadOptions::default()).expect("an animation");
        loop {
            while let Some(strip) = reader.next(64).expect("rows") {
                black_box(&strip);
            }
            if !reader.next_page().expect("a frame") {
                break;
            }
        }
    };
    // The codes of the same frames alone.
    let Ok(SamplesRef::U8(samples)) = indices.pixels().map(|pixels| pixels.samples()) else { return };
    let codes = weezl::encode::Encoder::new(weezl::BitOrder::Lsb, 6).encode(samples).expect("64 colours");
    let mut room = vec![0; samples.len()];
    let unpack = || {
        for _ in 0..8 {
            let mut state = weezl::decode::Decoder::new(weezl::BitOrder::Lsb, 6);
            let (mut used, mut filled) = (0, 0);
            while filled < room.len() {
                let done = state.decode_bytes(&codes[used..], &mut room[filled..]);
                used += done.consumed_in;
                filled += done.consumed_out;
                done.status.expect("a whole stream");
            }
            black_box(&room);
        }
    };
    bench.against("GIF read, 8 frames in turn", pixels, read, "unpacking LZW", unpack);
    let load = Load { pixels: size.pixels(), read: size.pixels() as usize * 3, written: size.pixels() as usize };
    bench.row("to 64 colours", load, || drop(black_box(reduce(rules))));
    bench.row("to 64 colours, diffusion", load, || drop(black_box(reduce(rules.dither(Dither::Diffusion)))));
    let write = || drop(black_box(rahmen::file::encode(&indices, FileFormat::Gif, WriteOptions::default())));
    bench.row("GIF write, 64 colours", load, write);
}

fn differences(samples: &[u8], row: usize) -> Vec<u8> {
    let mut out = samples.to_vec();
    for row in out.chunks_mut(row) {
        for i in (3..row.len()).rev() {
            row[i] = row[i].wrapping_sub(row[i - 3]);
        }
    }
    out
}

fn packed(bytes: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(bytes.len() * 2);
    let mut state = Compress::new(Compression::new(3), true);
    state.compress_vec(bytes, &mut out, FlushCompress::Finish).expect("room");
    out
}
