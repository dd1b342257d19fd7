//! Writing: a file comes into being complete or not at all, keeps its mode, and is reached through links.
#![cfg(all(feature = "png", feature = "pnm"))]
#![cfg(unix)]

use rahmen::file::{Writer, write_with};
use rahmen::flow::{Sink, Strip};
use rahmen::frame::Orientation;
use rahmen::{Depth, ErrorKind, Frame, Gray, Help, Metadata, Picture, Planes, Rgba, Size};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

fn gray(v: u8) -> Picture {
    Frame::filled(Size::new(6, 4), Gray::new(v)).unwrap().into()
}

fn names(folder: &Path) -> Vec<String> {
    let mut all: Vec<_> =
        std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    all.sort();
    all
}

#[test]
fn a_write_that_is_given_up_leaves_the_old_file_and_no_other() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.png");
    rahmen::write(&path, &gray(1)).unwrap();
    let old = std::fs::read(&path).unwrap();
    let picture = gray(9);
    let mut writer = Writer::create(&path, &picture.facts(), Default::default()).unwrap();
    let rows = picture.content().crop(rahmen::Region::new(0..6, 0..3).unwrap()).unwrap();
    writer.put(&Strip { first_row: 0, content: rows }).unwrap();
    assert!(writer.finish().unwrap_err().to_string().contains("3 of 4 rows"));
    drop(writer);
    assert_eq!(std::fs::read(&path).unwrap(), old);
    assert_eq!(names(folder.path()), ["a.png"]);
}

#[test]
fn mode_and_links_are_kept_and_new_files_get_the_ordinary_mode() {
    let folder = tempfile::tempdir().unwrap();
    let (path, link) = (folder.path().join("real.png"), folder.path().join("link.png"));
    rahmen::write(&path, &gray(1)).unwrap();
    let plain = folder.path().join("plain");
    std::fs::write(&plain, b"").unwrap();
    let mode = |p: &Path| std::fs::metadata(p).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode(&path), mode(&plain));
    std::fs::set_permissions(&path, PermissionsExt::from_mode(0o640)).unwrap();
    std::os::unix::fs::symlink("real.png", &link).unwrap();
    rahmen::write(&link, &gray(7)).unwrap();
    assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink());
    assert_eq!(mode(&path), 0o640);
    assert_eq!(rahmen::read(&path).unwrap(), rahmen::read(&link).unwrap());
    assert_eq!(rahmen::read(&path).unwrap().view::<Gray<u8>>().unwrap()[(0, 0)].value, 7);
}

#[test]
fn a_link_that_leads_in_a_circle_is_no_place() {
    let folder = tempfile::tempdir().unwrap();
    let (a, b) = (folder.path().join("a.png"), folder.path().join("b.png"));
    std::os::unix::fs::symlink(&b, &a).unwrap();
    std::os::unix::fs::symlink(&a, &b).unwrap();
    let error = rahmen::write(&a, &gray(1)).unwrap_err();
    assert!(error.to_string().contains("circle"), "{error}");
    assert!([&a, &b].iter().all(|link| std::fs::symlink_metadata(link).unwrap().is_symlink()));
    assert_eq!(names(folder.path()), ["a.png", "b.png"]);
}

#[test]
fn a_file_that_is_read_only_is_not_replaced() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.png");
    rahmen::write(&path, &gray(1)).unwrap();
    let old = std::fs::read(&path).unwrap();
    std::fs::set_permissions(&path, PermissionsExt::from_mode(0o444)).unwrap();
    let error = rahmen::write(&path, &gray(2)).unwrap_err();
    assert!(error.to_string().contains("read-only"), "{error}");
    assert_eq!(std::fs::read(&path).unwrap(), old);
    std::fs::set_permissions(&path, PermissionsExt::from_mode(0o644)).unwrap();
    rahmen::write(&path, &gray(2)).unwrap();
}

/// Only who is allowed to give files away can see it: elsewhere owner and group are the writer's before and after.
#[test]
fn owner_and_group_are_kept_where_they_can_be() {
    use std::os::unix::fs::{MetadataExt, chown};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.png");
    rahmen::write(&path, &gray(1)).unwrap();
    let other = chown(&path, Some(12_345), Some(54_321)).is_ok();
    rahmen::write(&path, &gray(2)).unwrap();
    let now = std::fs::metadata(&path).unwrap();
    assert!(!other || (now.uid(), now.gid()) == (12_345, 54_321), "{} {}", now.uid(), now.gid());
}

#[test]
fn what_a_killed_process_left_is_swept_up_and_what_is_being_written_is_not() {
    let folder = tempfile::tempdir().unwrap();
    let past = std::time::SystemTime::now() - std::time::Duration::from_secs(3600);
    let part = |name: &str, old: bool| {
        let file = std::fs::File::create(folder.path().join(name)).unwrap();
        if old {
            file.set_modified(past).unwrap();
        }
        file
    };
    drop(part(".rahmen-left.part", true));
    drop(part(".rahmen-fresh.part", false));
    let held = part(".rahmen-held.part", true);
    held.try_lock().unwrap();
    drop(part("other.part", true));
    rahmen::write(folder.path().join("a.png"), &gray(1)).unwrap();
    assert_eq!(names(folder.path()), [".rahmen-fresh.part", ".rahmen-held.part", "a.png", "other.part"]);
}

#[test]
fn files_that_are_not_forced_to_the_disk_are_the_same_files() {
    let folder = tempfile::tempdir().unwrap();
    let (a, b) = (folder.path().join("a.png"), folder.path().join("b.png"));
    write_with(&a, &gray(3), Default::default()).unwrap();
    write_with(&b, &gray(3), rahmen::file::WriteOptions::default().durable(false)).unwrap();
    assert_eq!(std::fs::read(a).unwrap(), std::fs::read(b).unwrap());
}

#[test]
fn places_that_cannot_be_written_to_are_errors() {
    let folder = tempfile::tempdir().unwrap();
    let error = rahmen::write(folder.path().join("no/such/a.png"), &gray(1)).unwrap_err();
    assert!(error.to_string().contains("its folder does not exist"), "{error}");
    std::fs::create_dir(folder.path().join("b.png")).unwrap();
    assert!(rahmen::write(folder.path().join("b.png"), &gray(1)).unwrap_err().to_string().contains("folder"));
    assert!(rahmen::read(folder.path()).unwrap_err().to_string().contains("folder"));
    let missing = rahmen::read(folder.path().join("c.png")).unwrap_err();
    assert!(missing.to_string().contains("no such file"));
}

#[test]
fn what_a_format_cannot_hold_is_refused_with_what_would_help_and_nothing_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let size = Size::new(2, 2);
    let mut orientation = Picture::new(Frame::<Gray<u8>>::new(size).unwrap(), Metadata::default());
    orientation.metadata_mut().orientation = Orientation::from_exif(6).unwrap();
    let planes = Planes::new(size).with("depth", Frame::<Gray<f64>>::new(size).unwrap()).unwrap();
    let cases: [(&str, Picture, Help); 5] = [
        ("a.ppm", Frame::<Rgba<u8>>::new(size).unwrap().into(), Help::Flatten),
        ("a.png", Frame::<Gray<f32>>::new(size).unwrap().into(), Help::Depth(&[Depth::U16, Depth::U8])),
        ("a.png", planes.into(), Help::Window),
        ("a.ppm", orientation, Help::Upright),
        ("a.png", Frame::<rahmen::Cmyk<u8>>::new(size).unwrap().into(), Help::Color),
    ];
    for (name, picture, help) in cases {
        let error = rahmen::write(folder.path().join(name), &picture).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::CannotHold { .. }), "{error}");
        assert!(error.help().contains(&help), "{error}");
    }
    let error = rahmen::write(folder.path().join("a.xyz"), &gray(1)).unwrap_err();
    assert!(error.to_string().contains(".xyz") && error.to_string().contains(".png"), "{error}");
    assert!(names(folder.path()).is_empty());
}

#[test]
fn metadata_that_is_dropped_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let mut picture = gray(3);
    picture.metadata_mut().icc = Some([1, 2, 3].into());
    let remarks = write_with(folder.path().join("a.pgm"), &picture, Default::default()).unwrap();
    assert_eq!(remarks, ["left out, because the format cannot store it: the ICC profile"]);
    assert!(write_with(folder.path().join("a.png"), &picture, Default::default()).unwrap().is_empty());
    assert_eq!(rahmen::read(folder.path().join("a.png")).unwrap().metadata().icc, Some([1, 2, 3].into()));
}

#[test]
fn a_stream_that_fails_after_some_bytes_is_an_error() {
    struct Full(usize);
    impl std::io::Write for Full {
        fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
            let count = bytes.len().min(self.0);
            self.0 -= count;
            if count == 0 { Err(std::io::ErrorKind::StorageFull.into()) } else { Ok(count) }
        }
        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }
    let picture = gray(3);
    let options = rahmen::file::WriteOptions::default().format(rahmen::FileFormat::Png);
    for room in 0..80 {
        let written = Writer::to_stream(Full(room), &picture.facts(), options.clone()).and_then(|mut writer| {
            writer.put(&Strip { first_row: 0, content: picture.content().clone() })?;
            writer.finish()
        });
        assert!(matches!(written.unwrap_err().kind(), ErrorKind::Io { .. }), "{room}");
    }
}
