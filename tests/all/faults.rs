//! Sources and targets of bytes that fail, at every call in turn: an error each time, never a panic, never a wrong picture; and such
//! that only give or take little at a time, or are interrupted, which changes nothing.
#![cfg(all(
    feature = "png",
    feature = "jpeg",
    feature = "pnm",
    feature = "pfm",
    feature = "bmp",
    feature = "tga",
    feature = "qoi",
    feature = "tiff",
    feature = "gif",
    feature = "npy",
    feature = "raw"
))]

use crate::common::corpus::{Sample, corpus};
use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer, facts_from, read_from};
use rahmen::flow::{Sink, Strip};
use rahmen::{Depth, FileFormat, Frame, Gray, Picture, Result, Rgb, Size};
use std::io::{Cursor, ErrorKind, Read, Seek, SeekFrom, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// What goes wrong at a call, and whether at every one from then on.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Fault {
    /// The system reports an error.
    Fails,
    /// Nothing more comes or is taken.
    Ends,
    /// The call is to be made again.
    Interrupted,
    /// One byte at a time.
    Short,
    /// The end is said to be elsewhere: the file was cut or grew meanwhile.
    Moves(i64),
    /// Nothing.
    None,
}

/// Bytes behind calls of which one goes wrong.
#[derive(Clone)]
struct Flawed {
    inner: Cursor<Vec<u8>>,
    calls: Arc<AtomicUsize>,
    at: usize,
    fault: Fault,
}

impl Flawed {
    fn new(bytes: &[u8], at: usize, fault: Fault) -> Flawed {
        Flawed { inner: Cursor::new(bytes.to_vec()), calls: Arc::default(), at, fault }
    }

    /// The fault of this call: once for what is to be made again, else from then on.
    fn due(&self) -> Fault {
        let call = self.calls.fetch_add(1, Ordering::Relaxed);
        match self.fault {
            Fault::Interrupted if call != self.at => Fault::None,
            _ if call < self.at => Fault::None,
            fault => fault,
        }
    }
}

impl Read for Flawed {
    fn read(&mut self, to: &mut [u8]) -> std::io::Result<usize> {
        match self.due() {
            Fault::Fails => Err(ErrorKind::PermissionDenied.into()),
            Fault::Ends => Ok(0),
            Fault::Interrupted => Err(ErrorKind::Interrupted.into()),
            Fault::Short if !to.is_empty() => self.inner.read(&mut to[..1]),
            // Many calls even of a small file.
            _ => {
                let some = to.len().min(9);
                self.inner.read(&mut to[..some])
            }
        }
    }
}

impl Write for Flawed {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match self.due() {
            Fault::Fails => Err(ErrorKind::StorageFull.into()),
            Fault::Ends => Ok(0),
            Fault::Interrupted => Err(ErrorKind::Interrupted.into()),
            Fault::Short if !bytes.is_empty() => self.inner.write(&bytes[..1]),
            _ => self.inner.write(bytes),
        }
    }
    fn flush(&mut self) -> std::io::Result<()> {
        match self.due() {
            Fault::Fails => Err(ErrorKind::StorageFull.into()),
            _ => Ok(()),
        }
    }
}

impl Seek for Flawed {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        match (self.due(), to) {
            (Fault::Fails, _) => Err(ErrorKind::PermissionDenied.into()),
            (Fault::Moves(by), SeekFrom::End(_)) => {
                let end = self.inner.seek(SeekFrom::End(0))?;
                Ok(end.saturating_add_signed(by))
            }
            _ => self.inner.seek(to),
        }
    }
}

/// Calls that go wrong in turn: all of the first, and some of many.
fn turns(calls: usize) -> impl Iterator<Item = usize> {
    (0..calls).filter(move |&i| i < 40 || i % (calls / 40).max(1) == 0)
}

type Way = fn(Flawed, ReadOptions) -> Result<Picture>;

/// The ways to read a picture.
const WAYS: [(&str, Way); 2] = [
    ("stream", |from, options| read_from(from, options)),
    ("anywhere", |from, options| Reader::from_seekable(from, options)?.read_whole()),
];

#[test]
fn whatever_fails_while_reading_is_an_error() {
    for Sample { name, bytes, options, enough } in corpus() {
        for (way, read) in WAYS {
            let sound = Flawed::new(&bytes, 0, Fault::None);
            let calls = sound.calls.clone();
            let picture = read(sound, options.clone()).unwrap_or_else(|e| panic!("{name}: {e}"));
            let calls = calls.load(Ordering::Relaxed);
            let mut errors = 0;
            for at in turns(calls) {
                let found = |fault| read(Flawed::new(&bytes, at, fault), options.clone());
                match found(Fault::Fails) {
                    Err(error) => errors += usize::from(!error.to_string().is_empty()),
                    // What follows the picture need not be there, nor be looked at.
                    Ok(found) => {
                        assert!(found == picture && (enough < bytes.len() || way == "anywhere"), "{name} {way} {at}")
                    }
                }
                if let Ok(found) = found(Fault::Ends) {
                    assert!(found == picture, "{name} {way} ends at call {at}");
                }
                for fault in [Fault::Interrupted, Fault::Short] {
                    let found = found(fault).unwrap_or_else(|e| panic!("{name} {way} {fault:?} at {at}: {e}"));
                    assert!(found == picture, "{name} {way} {fault:?} at {at}");
                }
                for by in [-1, 1, -1000, 1 << 40, i64::MIN] {
                    let _ = found(Fault::Moves(by));
                }
            }
            assert!(errors > 0 && calls > 1, "{name} {way}: {errors} errors in {calls} calls");
            // Facts and salvage are no less careful.
            for at in turns(calls) {
                for fault in [Fault::Fails, Fault::Ends, Fault::Moves(-1), Fault::Moves(1 << 50)] {
                    let _ = facts_from(Flawed::new(&bytes, at, fault), options.clone());
                    let salvaged =
                        Reader::from_seekable(Flawed::new(&bytes, at, fault), options.clone().salvage_filled());
                    let _ = salvaged.and_then(Reader::read_damaged);
                }
            }
        }
    }
}

fn write(picture: &Picture, to: &mut Flawed, options: WriteOptions, anywhere: bool) -> Result<()> {
    let mut writer = match anywhere {
        true => Writer::to_seekable(to, &picture.facts(), options)?,
        false => Writer::to_stream(to, &picture.facts(), options)?,
    };
    for y in 0..picture.size().height {
        let rows = picture.size().region().rows(y..=y)?;
        writer.put(&Strip { first_row: y, content: picture.content().crop(rows)? })?;
    }
    writer.finish()
}

#[test]
fn whatever_fails_while_writing_is_an_error() {
    let size = Size::new(9, 7);
    let color: Picture = Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 1).unwrap().into();
    let floats: Picture = Frame::random(size, Gray::new(-1.0f32), Gray::new(1.0), 4).unwrap().into();
    let mut numbered: Picture = Frame::filled(size, Gray::new(1u8)).unwrap().into();
    numbered.metadata_mut().meaning = rahmen::Meaning::Indices;
    let two = [rahmen::Rgba::new(1, 2, 3, 255), rahmen::Rgba::new(9, 9, 9, 255)];
    numbered.metadata_mut().palette = Some(rahmen::frame::Palette::new(two.to_vec()).unwrap());
    let layout = rahmen::frame::RawLayout::new(size, rahmen::frame::ChannelOrder::Bgr, Depth::U8).bottom_up();
    let plain = WriteOptions::default();
    let cases = [
        (FileFormat::Png, &color, plain.clone()),
        (FileFormat::Jpeg, &color, plain.clone()),
        (FileFormat::Jpeg, &color, plain.clone().progressive().restart_rows(1)),
        (FileFormat::Bmp, &color, plain.clone()),
        (FileFormat::Tga, &color, plain.clone()),
        (FileFormat::Qoi, &color, plain.clone()),
        (FileFormat::Pnm, &color, plain.clone()),
        (FileFormat::Pam, &color, plain.clone()),
        (FileFormat::Pfm, &floats, plain.clone()),
        (FileFormat::Npy, &floats, plain.clone()),
        (FileFormat::Raw, &color, plain.clone().raw(layout)),
        (FileFormat::Tiff, &color, plain.clone()),
        (FileFormat::Tiff, &color, plain.clone().tiled(16).reduced_copies()),
        (FileFormat::Gif, &numbered, plain.clone()),
        (FileFormat::Npz, &floats, plain.clone()),
        (FileFormat::Npz, &floats, plain.compression(0)),
    ];
    for (format, picture, options) in cases {
        let options = options.format(format);
        for anywhere in [false, true] {
            let mut sound = Flawed::new(&[], 0, Fault::None);
            write(picture, &mut sound, options.clone(), anywhere).unwrap();
            let (bytes, calls) = (sound.inner.into_inner(), sound.calls.load(Ordering::Relaxed));
            assert!(calls > 1, "{format}");
            for at in turns(calls) {
                for fault in [Fault::Fails, Fault::Ends] {
                    let mut to = Flawed::new(&[], at, fault);
                    let done = write(picture, &mut to, options.clone(), anywhere);
                    // A target that takes no bytes more still lets its end be sought and flushed.
                    let complete = fault == Fault::Ends && to.inner.get_ref() == &bytes;
                    assert!(done.is_err() || complete, "{format} {fault:?} at {at} of {calls}");
                }
                for fault in [Fault::Interrupted, Fault::Short] {
                    let mut to = Flawed::new(&[], at, fault);
                    let done = write(picture, &mut to, options.clone(), anywhere);
                    assert!(done.is_ok(), "{format} {fault:?} at {at}: {done:?}");
                    assert!(to.inner.get_ref() == &bytes, "{format} {fault:?} at {at}");
                }
            }
        }
    }
}
