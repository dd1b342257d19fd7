//! Portable float maps put together byte by byte: both byte orders, rows from below, values and linear light.
#![cfg(feature = "pfm")]

use crate::common::Dribble;
use rahmen::file::{Limits, ReadOptions, read_from, write_with};
use rahmen::{Depth, ErrorKind, Frame, Gray, Help, Meaning, Picture, Planes, Rgb, Rgba, Size, Transfer};

fn read_bytes(bytes: Vec<u8>, each: usize) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes, at: 0, each }, ReadOptions::default())
}

#[test]
fn values_and_light_read_in_either_byte_order_from_the_lowest_row() {
    let depths = [-1.5f32, 2.25, 1e9, f32::NEG_INFINITY, 0.0, -0.125];
    for (scale, little) in [("-1.0", true), ("1", false), ("-2.5e0", true)] {
        let bytes_of = |v: &f32| if little { v.to_le_bytes() } else { v.to_be_bytes() };
        let mut file = format!("Pf\n2 3\n{scale}\n").into_bytes();
        // The file's first row is the picture's last.
        for row in depths.chunks(2).rev() {
            file.extend(row.iter().flat_map(bytes_of));
        }
        for each in [1, 3, 999] {
            let picture = read_bytes(file.clone(), each).unwrap();
            assert!(matches!(picture.metadata().meaning, Meaning::Values { .. }));
            assert_eq!(picture.frame::<Gray<f32>>().unwrap().samples(), depths);
        }
    }
    let mut file = b"PF 1 2 -1 ".to_vec();
    file.extend([4.0f32, 5.0, 6.0, 1.0, 2.0, 3.0].iter().flat_map(|v| v.to_le_bytes()));
    let picture = read_bytes(file, 5).unwrap();
    assert_eq!((&picture.metadata().meaning, picture.metadata().transfer), (&Meaning::Color, Transfer::Linear));
    assert_eq!(picture.view::<Rgb<f32>>().unwrap()[(0, 0)], Rgb::new(1.0, 2.0, 3.0));
}

#[test]
fn what_is_written_reads_back_and_what_does_not_fit_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.pfm");
    let mut depths =
        Picture::from(Frame::from_fn(Size::new(5, 4), |x, y| Gray::new(x as f32 - 10.0 * y as f32)).unwrap());
    depths.metadata_mut().meaning = Meaning::values();
    assert!(write_with(&path, &depths, Default::default()).unwrap().is_empty());
    assert_eq!(rahmen::read(&path).unwrap(), depths);
    assert!(std::fs::read(&path).unwrap().starts_with(b"Pf\n5 4\n-1.0\n\x00\x00\xf0\xc1"));
    // A plane of floats is what a gray float map holds.
    let plane = Planes::new(Size::new(5, 4)).with("depth", depths.view::<Gray<f32>>().unwrap().to_frame()).unwrap();
    rahmen::write(&path, &Picture::from(plane)).unwrap();
    assert_eq!(rahmen::read(&path).unwrap(), depths);
    let encoded: Picture = Frame::filled(Size::new(2, 2), Rgb::new(0.5f32, 0.1, 0.0)).unwrap().into();
    let remarks = write_with(&path, &encoded, Default::default()).unwrap();
    assert!(remarks[0].contains("linear light"), "{remarks:?}");
    for (picture, says) in [
        (Picture::from(Frame::<Gray<u8>>::new(Size::new(1, 1)).unwrap()), Help::Depth(&[Depth::F32])),
        (Frame::<Rgba<f32>>::new(Size::new(1, 1)).unwrap().into(), Help::Flatten),
    ] {
        assert!(rahmen::write(&path, &picture).unwrap_err().help().contains(&says));
    }
    // Values still become integers only through a window.
    let error = rahmen::write(folder.path().join("a.png"), &depths).unwrap_err();
    assert!(error.help().contains(&Help::Window), "{error}");
    assert_eq!(depths.pixels().unwrap().depth(), Depth::F32);
}

#[test]
fn damage_and_limits_are_told() {
    let whole = [b"Pf\n3 2\n-1.0\n".as_slice(), &[7; 24]].concat();
    for length in 0..whole.len() {
        let error = read_bytes(whole[..length].to_vec(), 9).unwrap_err();
        assert!(length < 3 || matches!(error.kind(), ErrorKind::Truncated(_)), "{length}: {error}");
    }
    for (bytes, says) in [
        (&b"Pf\nx 2\n-1\n...."[..], "width is not a number"),
        (b"Pf\n3 2\n0\n....", "scale"),
        (b"Pf\n3 2\nnan\n....", "scale"),
        (b"Pf\n0 2\n-1\n....", "0x2"),
    ] {
        let error = read_bytes(bytes.to_vec(), 9).unwrap_err().to_string();
        assert!(error.contains(says), "{says}: {error}");
    }
    let low = ReadOptions::default().limits(Limits::default().memory(23));
    assert!(matches!(read_from(std::io::Cursor::new(whole), low).unwrap_err().kind(), ErrorKind::Limit { .. }));
    let huge = b"PF\n60000 60000\n-1\n".to_vec();
    assert!(matches!(read_bytes(huge, 9).unwrap_err().kind(), ErrorKind::Limit { .. }));
}
