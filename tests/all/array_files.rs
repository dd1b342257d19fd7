//! NPY arrays put together byte by byte: versions, byte orders, memory orders, every element, any number of channels.
#![cfg(feature = "npy")]

use crate::common::{Dribble, noise};
use rahmen::file::{ReadOptions, Reader, read_from};
use rahmen::frame::SamplesRef;
use rahmen::{AnyPlanes, Content, ErrorKind, Frame, Gray, Meaning, Picture, Planes, Rgb, Size};

fn array(version: u8, dictionary: &str, numbers: &[u8]) -> Vec<u8> {
    let mut out = b"\x93NUMPY".to_vec();
    out.extend([version, 0]);
    match version {
        1 => out.extend((dictionary.len() as u16).to_le_bytes()),
        _ => out.extend((dictionary.len() as u32).to_le_bytes()),
    }
    [out, dictionary.as_bytes().to_vec(), numbers.to_vec()].concat()
}

fn read_bytes(bytes: &[u8]) -> rahmen::Result<Picture> {
    let stream = read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 3 }, ReadOptions::default());
    let anywhere = Reader::from_seekable(std::io::Cursor::new(bytes.to_vec()), ReadOptions::default());
    match (stream, anywhere.and_then(Reader::read_whole)) {
        (Ok(a), Ok(b)) => {
            assert!(a == b);
            Ok(a)
        }
        (Err(a), Err(_)) => Err(a),
        (a, b) => panic!("a stream gives {a:?}, a file {b:?}"),
    }
}

/// What any content holds, channels side by side, as f64.
fn values(picture: &Picture) -> Vec<f64> {
    match picture.content() {
        Content::Pixels(pixels) => match pixels.samples() {
            SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
            SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
            SamplesRef::F32(s) => s.iter().map(|&v| v.into()).collect(),
        },
        Content::Planes(planes) => match planes {
            AnyPlanes::U8(p) => side_by_side(p, f64::from),
            AnyPlanes::U16(p) => side_by_side(p, f64::from),
            AnyPlanes::U32(p) => side_by_side(p, f64::from),
            AnyPlanes::U64(p) => side_by_side(p, |v| v as f64),
            AnyPlanes::I8(p) => side_by_side(p, f64::from),
            AnyPlanes::I16(p) => side_by_side(p, f64::from),
            AnyPlanes::I32(p) => side_by_side(p, f64::from),
            AnyPlanes::I64(p) => side_by_side(p, |v| v as f64),
            AnyPlanes::F32(p) => side_by_side(p, f64::from),
            AnyPlanes::F64(p) => side_by_side(p, |v| v),
        },
    }
}

fn side_by_side<T: rahmen::Number>(planes: &Planes<T>, to: impl Fn(T) -> f64) -> Vec<f64> {
    let size = planes.size();
    let place = |y, x| planes.iter().map(move |(_, plane)| plane[(x, y)].value).collect::<Vec<T>>();
    (0..size.height).flat_map(|y| (0..size.width).flat_map(move |x| place(y, x))).map(to).collect()
}

/// Each element type: its letters, and the bytes of a small whole number, little-endian.
#[allow(clippy::type_complexity)]
const ELEMENTS: [(&str, fn(i64) -> Vec<u8>); 12] = [
    ("u1", |v| (v as u8).to_le_bytes().to_vec()),
    ("u2", |v| (v as u16).to_le_bytes().to_vec()),
    ("u4", |v| (v as u32).to_le_bytes().to_vec()),
    ("u8", |v| (v as u64).to_le_bytes().to_vec()),
    ("i1", |v| (v as i8).to_le_bytes().to_vec()),
    ("i2", |v| (v as i16).to_le_bytes().to_vec()),
    ("i4", |v| (v as i32).to_le_bytes().to_vec()),
    ("i8", |v| v.to_le_bytes().to_vec()),
    ("f4", |v| (v as f32).to_le_bytes().to_vec()),
    ("f8", |v| (v as f64).to_le_bytes().to_vec()),
    // A half float of a whole number below 128, put together by hand: exponent 15 + n, ten bits behind the first one.
    ("f2", |v| {
        let bits = match v {
            0 => 0,
            v => {
                let n = v.ilog2();
                ((15 + n) << 10) as u16 | (((v as u32) << (10 - n)) & 0x3ff) as u16
            }
        };
        bits.to_le_bytes().to_vec()
    }),
    ("b1", |v| vec![(v & 1) as u8]),
];

#[test]
fn every_element_order_version_and_number_of_channels() {
    let (height, width) = (3usize, 4usize);
    for (letters, bytes_of) in ELEMENTS {
        for channels in [0usize, 1, 2, 3, 4, 5] {
            let count = height * width * channels.max(1);
            let numbers: Vec<i64> = noise(count, channels as u32 + 1).iter().map(|v| i64::from(v % 128)).collect();
            let shape = match channels {
                0 => format!("({height}, {width})"),
                n => format!("({height}, {width}, {n})"),
            };
            let want: Vec<f64> = match letters {
                // True is full where it comes as a picture.
                "b1" if channels < 5 => numbers.iter().map(|v| f64::from((v & 1) as u8) * 255.0).collect(),
                "b1" => numbers.iter().map(|v| f64::from((v & 1) as u8)).collect(),
                _ => numbers.iter().map(|&v| v as f64).collect(),
            };
            for (version, mark, columns_first) in [(1, '<', false), (2, '>', false), (3, '<', true), (1, '>', true)] {
                let c = channels.max(1);
                let place = |i: usize| match columns_first {
                    false => i,
                    // Element i of the file, the first axis fastest.
                    true => {
                        let (y, rest) = (i % height, i / height);
                        let (x, channel) = (rest % width, rest / width);
                        (y * width + x) * c + channel
                    }
                };
                let body: Vec<u8> = (0..count)
                    .flat_map(|i| {
                        let mut bytes = bytes_of(numbers[place(i)]);
                        if mark == '>' {
                            bytes.reverse();
                        }
                        bytes
                    })
                    .collect();
                let mark = if letters.ends_with('1') { '|' } else { mark };
                let order = if columns_first { "True" } else { "False" };
                let dictionary =
                    format!("{{'descr': '{mark}{letters}', 'fortran_order': {order}, 'shape': {shape}, }}\n");
                let picture = read_bytes(&array(version, &dictionary, &body)).unwrap();
                assert_eq!(values(&picture), want, "{dictionary}");
                assert_eq!(picture.size(), Size::new(width as u32, height as u32));
            }
        }
    }
}

#[test]
fn arrays_keep_type_and_meaning_and_are_written_as_they_were_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.npy");
    let size = Size::new(5, 3);
    let depth = Frame::from_fn(size, |x, y| Gray::new(f64::from(x) * 0.1 - f64::from(y))).unwrap();
    let wide = Frame::from_fn(size, |x, y| Gray::new(u64::MAX - u64::from(x + 10 * y))).unwrap();
    let pictures: Vec<Picture> = vec![
        Planes::new(size).with("0", depth).unwrap().into(),
        Planes::new(size).with("0", wide.clone()).unwrap().with("1", wide).unwrap().into(),
        Frame::from_fn(size, |x, y| Rgb::new(x as u16, y as u16, 60_000)).unwrap().into(),
    ];
    for picture in pictures {
        rahmen::write(&path, &picture).unwrap();
        let back = rahmen::read(&path).unwrap();
        assert!(back.content() == picture.content(), "{}", picture.pixel_format().describe());
        // The numbers start at a multiple of 64, and the header says what follows.
        let bytes = std::fs::read(&path).unwrap();
        let start = 10 + usize::from(u16::from_le_bytes([bytes[8], bytes[9]]));
        assert_eq!(start % 64, 0);
        assert_eq!((bytes.len() - start) as u64, picture.pixel_format().bytes(picture.size()));
    }
    let floats = array(1, "{'descr': '<f4', 'fortran_order': False, 'shape': (1, 1)}\n", &2.5f32.to_le_bytes());
    assert!(matches!(read_bytes(&floats).unwrap().metadata().meaning, Meaning::Values { .. }));
}

#[test]
fn what_cannot_be_is_refused_and_what_is_declared_is_checked_first() {
    let says = |dictionary: &str| read_bytes(&array(1, dictionary, &[0; 64])).unwrap_err();
    for (dictionary, words) in [
        ("{'descr': '<c8', 'fortran_order': False, 'shape': (2, 2)}", "c8"),
        ("{'descr': [('a', '<f4')], 'fortran_order': False, 'shape': (2, 2)}", "records"),
        ("{'descr': '<f4', 'fortran_order': False, 'shape': (2, 2, 2, 2)}", "4 axes"),
        ("{'descr': '<f4', 'fortran_order': False, 'shape': (0, 2)}", "2x0"),
        ("{'descr': '<f4', 'fortran_order': Perhaps, 'shape': (2, 2)}", "True or False"),
        ("not a dictionary", "dictionary"),
    ] {
        let error = says(dictionary).to_string();
        assert!(error.contains(words), "{dictionary}: {error}");
    }
    let huge = says("{'descr': '<f8', 'fortran_order': False, 'shape': (100000, 100000)}");
    assert!(matches!(huge.kind(), ErrorKind::Limit { .. }), "{huge}");
    let short = says("{'descr': '<f8', 'fortran_order': False, 'shape': (5, 5)}");
    assert!(matches!(short.kind(), ErrorKind::Truncated(_)), "{short}");
}
