//! Small files of every kind, from the library's writers and from the tests' own: what the tests of hostile files and of faults
//! work on.
#![cfg(all(
    feature = "png",
    feature = "jpeg",
    feature = "pnm",
    feature = "pfm",
    feature = "bmp",
    feature = "tga",
    feature = "qoi",
    feature = "tiff",
    feature = "npy",
    feature = "raw"
))]

use super::{chunk, jpeg, noise, png_of_samples, zlib};
use rahmen::file::{Limits, ReadAs, ReadOptions};
use rahmen::frame::RawLayout;
use rahmen::{Frame, Gray, Picture, Planes, Rgb, Rgba, Size};

/// A small file.
pub struct Sample {
    pub name: String,
    pub bytes: Vec<u8>,
    pub options: ReadOptions,
    /// Cut to so many bytes or more it is still a picture: what follows may be missing.
    pub enough: usize,
}

pub fn options() -> ReadOptions {
    ReadOptions::default().limits(Limits::default().memory(1 << 20))
}

/// A file by hand, of which every byte is needed but those of the number `spare`.
fn sample(name: &str, bytes: Vec<u8>, options: ReadOptions, spare: usize) -> Sample {
    Sample { name: name.to_string(), enough: bytes.len() - spare, bytes, options }
}

/// All of them.
pub fn corpus() -> Vec<Sample> {
    let mut all = written();
    all.extend(by_hand());
    all.extend(bitmaps_and_targas());
    all.extend(jpegs());
    all
}

/// The files of a folder, such as those that the fuzz targets start from; the tests run where the library's manifest is.
pub fn sample_files(folder: &str) -> Vec<Sample> {
    let mut all = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_string_lossy();
        all.push(sample(&name, std::fs::read(&path).unwrap(), options(), 0));
    }
    all.sort_by(|a, b| a.name.cmp(&b.name));
    all
}

/// By the library's writers.
fn written() -> Vec<Sample> {
    let size = Size::new(7, 5);
    let rgb = Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 1).unwrap();
    let rgba = Frame::random(size, Rgba::default(), Rgba::new(255u8, 255, 255, 255), 2).unwrap();
    let gray = Frame::random(size, Gray::new(0u16), Gray::new(65_535), 3).unwrap();
    let floats = Frame::random(size, Gray::new(-1.0f32), Gray::new(1.0), 4).unwrap();
    let wide = Frame::from_fn(size, |x, y| Gray::new(i64::from(x) << y)).unwrap();
    let planes = Planes::new(size).with("0", wide.clone()).unwrap().with("1", wide).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut all = Vec::new();
    let mut add = |name: &str, picture: &Picture| {
        let path = folder.path().join(name);
        rahmen::write(&path, picture).unwrap();
        let bytes = std::fs::read(path).unwrap();
        // Extension area and footer.
        let enough = if name.ends_with("tga") { bytes.len() - 495 - 26 } else { bytes.len() };
        all.push(Sample { name: name.to_string(), bytes, options: options(), enough });
    };
    for name in ["a.png", "a.ppm", "a.bmp", "a.tga", "a.qoi", "a.pam", "a.npy", "a.tif"] {
        add(name, &rgb.clone().into());
    }
    for name in ["b.png", "b.bmp", "b.tga", "b.qoi", "b.pam", "b.tif"] {
        add(name, &rgba.clone().into());
    }
    for name in ["c.png", "c.pgm", "c.pam", "c.npy", "c.tif"] {
        add(name, &gray.clone().into());
    }
    add("d.pfm", &floats.clone().into());
    add("d.tif", &floats.into());
    add("e.npy", &planes.clone().into());
    add("e.tif", &planes.into());
    all
}

/// PNG, PNM, NPY and raw bytes by hand.
fn by_hand() -> Vec<Sample> {
    let mut all = Vec::new();
    let mut add = |name: &str, bytes: Vec<u8>, options: ReadOptions| {
        all.push(sample(name, bytes, options, usize::from(name == "plain")));
    };
    let palette = [chunk(b"PLTE", &noise(12, 1)), chunk(b"tRNS", &[9, 90])];
    let indices: Vec<u16> = (0..35).map(|i| i % 4).collect();
    let numbered =
        |bits, interlaced| png_of_samples((7, 5), (3, bits), &indices, interlaced, &|y| y as u8 % 5, &palette);
    add("interlaced", numbered(2, true), options());
    add("indices", numbered(4, false), options().read_as(ReadAs::Indices));
    let frames = |seed| -> Vec<u16> { noise(7 * 5 * 4, seed).iter().map(|v| u16::from(*v)).collect() };
    let packed = |seed| {
        zlib(
            &frames(seed)
                .chunks(28)
                .flat_map(|row| std::iter::once(0).chain(row.iter().map(|v| *v as u8)))
                .collect::<Vec<_>>(),
        )
    };
    let control = |number: u8, delay: u8| {
        chunk(b"fcTL", &[&[0, 0, 0, number, 0, 0, 0, 7, 0, 0, 0, 5], &[0; 8][..], &[0, delay, 0, 100, 1, 1]].concat())
    };
    let still = png_of_samples((7, 5), (6, 8), &frames(1), false, &|_| 0, &[]);
    let animation = [
        still[..33].to_vec(),
        chunk(b"acTL", &[0, 0, 0, 2, 0, 0, 0, 0]),
        control(0, 50),
        chunk(b"IDAT", &packed(1)),
        control(1, 9),
        chunk(b"fdAT", &[&[0, 0, 0, 2], packed(2).as_slice()].concat()),
        chunk(b"IEND", &[]),
    ];
    add("animation", animation.concat(), options());
    all.push(sample("second frame", animation.concat(), options().page(2), 12));
    let mut add = |name: &str, bytes: Vec<u8>, options: ReadOptions| {
        all.push(sample(name, bytes, options, usize::from(name == "plain")));
    };
    // A plain map may end with its last digit, whatever stood behind it.
    add("plain", b"P3 # low\n2 2 9\n1 2 3 4 5 6\n7 8 9 0 1 2\n".to_vec(), options());
    add("bits", b"P1 3 2 101 010".to_vec(), options());
    let pages = [&b"P5 2 2 255 abcd"[..], b"P4 9 1\n\xaa\x80"].concat();
    add("second page", pages, options().page(2));
    let columns = b"\x93NUMPY\x01\0\x3c\0{'descr': '>u2', 'fortran_order': True, 'shape': (3, 4)}   \n";
    add("columns", [columns.as_slice(), &noise(24, 4)].concat(), options());
    let layout = RawLayout::from_words("order=bgr depth=u8 size=3x4 stride=11 offset=2 rows=bottom-up", None).unwrap();
    add("raw", noise(layout.bytes_needed().unwrap(), 5), options().raw(layout));
    all
}

/// Runs and packets by hand.
fn bitmaps_and_targas() -> Vec<Sample> {
    let mut all = Vec::new();
    let mut add = |name: &str, bytes: Vec<u8>, options: ReadOptions| all.push(sample(name, bytes, options, 0));
    // Runs and offsets of both kinds of a bitmap, the lowest row first.
    let runs = |bits: u8, pixels: &[u8]| {
        let colors: Vec<u8> = noise(4 << bits, 5);
        let at = 54 + colors.len() as u32;
        let mut out = b"BM".to_vec();
        [at + pixels.len() as u32, 0, at, 40, 7, 3].iter().for_each(|n| out.extend(n.to_le_bytes()));
        out.extend([1, 0, bits, 0]);
        let packing = if bits == 8 { 1u32 } else { 2 };
        [packing, pixels.len() as u32, 0, 0, 0, 0].iter().for_each(|n| out.extend(n.to_le_bytes()));
        [out, colors, pixels.to_vec()].concat()
    };
    add("runs of 8", runs(8, &[7, 9, 0, 0, 0, 3, 1, 2, 3, 0, 4, 8, 0, 0, 0, 2, 1, 0, 6, 6, 0, 1]), options());
    add("runs of 4", runs(4, &[7, 0x9a, 0, 0, 0, 5, 0x12, 0x34, 0x50, 0, 2, 8, 0, 0, 7, 6, 0, 1]), options());
    for (name, descriptor) in [("packets", 0x20u8), ("packets from below", 0)] {
        let mut bytes = vec![0, 0, 10, 0, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0, 5, 0, 24, descriptor];
        (0..5u8).for_each(|y| bytes.extend([0x84, y, 2, 3, 1, 4, 5, 6, 7, 8, y]));
        add(name, bytes, options());
    }
    all
}

/// JPEG of each coding.
fn jpegs() -> Vec<Sample> {
    let mut all = Vec::new();
    let mut add = |name: &str, bytes: Vec<u8>, options: ReadOptions| all.push(sample(name, bytes, options, 0));
    for (name, frame, scans, interval) in [
        ("baseline", 0xc0u8, jpeg::sequential(3)[0].clone(), 2usize),
        ("scans", 0xc1, jpeg::sequential(3)[2].clone(), 0),
        ("progressive", 0xc2, jpeg::progressive(3)[2].clone(), 3),
    ] {
        let planes = jpeg::planes(33, 20, &[(2, 2), (1, 1), (1, 1)], 8);
        let (ids, segments) = (vec![1, 2, 3], jpeg::segment(0xfe, b"a comment"));
        let (step, skewed) = (9, true);
        let file = jpeg::Jpeg {
            width: 33,
            height: 20,
            bits: 8,
            frame,
            planes,
            ids,
            step,
            wide_quantiser: false,
            interval,
            scans,
            skewed,
            segments,
            late_height: false,
        };
        add(name, file.file(), options());
    }
    all
}
