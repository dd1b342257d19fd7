//! A thumbnailer: a folder with damaged and oriented files, each in bounded memory and with progress.

use rahmen::file::{Limits, ReadOptions, Reader, Reduced, WriteOptions, Writer};
use rahmen::flow::{Chain, Convert, Orient, Resize, Step};
use rahmen::resample::{Kernel, ResizeRules, Target};
use rahmen::{Depth, ErrorKind, Layout, Size};
use std::ops::ControlFlow;
use std::path::Path;

#[derive(Debug)]
struct Done {
    size: Size,
    rows_lost: u32,
    quarters: Vec<u64>,
}

fn thumb(from: &Path, to: &Path, most: Size) -> rahmen::Result<Done> {
    let options = ReadOptions::default().limits(Limits::default().memory(64 << 20)).salvage();
    let reader = match Reader::open(from, options.clone()) {
        // What must be held whole and is too much: an eighth of it, where the format can.
        Err(e) if matches!(e.kind(), ErrorKind::Limit { .. }) => Reader::open(from, options.reduced(Reduced::Eighth))?,
        other => other?,
    };
    let rules = ResizeRules::of(Kernel::CatmullRom, &reader.facts().metadata).unwrap();
    let alpha =
        matches!(&reader.facts().pixel_format, rahmen::PixelFormat::Pixels { layout, .. } if layout.has_alpha());
    let steps: Vec<Box<dyn Step>> = vec![
        Box::new(Orient::upright()),
        Box::new(Resize::new(Target::ShrinkToFit(most), rules)),
        Box::new(Convert::new(Depth::U8, if alpha { Layout::Rgba } else { Layout::Rgb })),
    ];
    let mut chain = Chain::new(Box::new(reader), steps)?;
    let mut writer = Writer::create(to, chain.facts(), WriteOptions::default())?;
    let mut quarters = Vec::new();
    chain.run_observed(&mut writer, &mut |progress| {
        quarters.push(progress.rows * 4 / progress.of.max(1));
        ControlFlow::Continue(())
    })?;
    quarters.dedup();
    Ok(Done { size: chain.facts().size, rows_lost: chain.take_damage().map_or(0, |d| d.rows_lost()), quarters })
}

#[test]
fn a_folder_becomes_thumbnails_whatever_is_in_it() {
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().join("thumb.png");
    let most = Size::new(96, 96);
    let upright = thumb(Path::new("cli/demo/quay-turned.jpg"), &to, most).unwrap();
    assert_eq!((upright.size, rahmen::read(&to).unwrap().size()), (Size::new(96, 64), Size::new(96, 64)));
    assert_eq!((upright.rows_lost, upright.quarters.last()), (0, Some(&4)));
    let cut = folder.path().join("cut.png");
    let whole = std::fs::read("cli/demo/quay-dawn.png").unwrap();
    std::fs::write(&cut, &whole[..whole.len() / 2]).unwrap();
    let damaged = thumb(&cut, &to, most).unwrap();
    assert!(damaged.rows_lost > 50 && rahmen::read(&to).is_ok());
    std::fs::write(&cut, b"no picture").unwrap();
    assert!(thumb(&cut, &to, most).unwrap_err().to_string().contains("cut.png"));
}
