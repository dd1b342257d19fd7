//! Files whose pieces are left out, doubled, moved, lengthened and given other numbers, with lengths, offsets and checksums that are
//! right again: what random bytes seldom reach. Never a panic, never more memory than the limit, the same from a stream and a file.
#![cfg(all(
    feature = "png",
    feature = "jpeg",
    feature = "pnm",
    feature = "pfm",
    feature = "bmp",
    feature = "tga",
    feature = "qoi",
    feature = "gif",
    feature = "tiff",
    feature = "npy",
    feature = "raw"
))]

use crate::common::Dribble;
use crate::common::corpus::{Sample, corpus, sample_files};
use crate::common::structure::{Rng, changed, rebuilt};
use rahmen::file::{Reader, read_from};
use rahmen::flow::Source;
use rahmen::{MemoryBudget, Picture};
use std::io::Cursor;

const MEMORY: u64 = 1 << 20;

/// The tests' own samples, and the whole files that the fuzz targets start from.
fn samples() -> Vec<Sample> {
    let mut all = corpus();
    all.extend(sample_files("fuzz/seeds/files"));
    all
}

#[test]
fn taken_apart_and_put_together_it_is_the_same_picture() {
    let mut pictures = 0;
    for Sample { name, bytes, options, .. } in samples() {
        let Ok(picture) = read_from(Cursor::new(&bytes), options.clone()) else { continue };
        let again = read_from(Cursor::new(rebuilt(&bytes)), options.clone());
        let again = again.unwrap_or_else(|e| panic!("{name}: {e}"));
        // A picture with NaN in it does not equal itself.
        let itself = read_from(Cursor::new(&bytes), options).unwrap();
        let same = |other: &Picture| other.content() == picture.content();
        assert_eq!((again.size(), same(&again)), (picture.size(), same(&itself)), "{name}");
        pictures += 1;
    }
    assert!(pictures > 60, "{pictures}");
}

#[test]
fn with_other_pieces_it_is_an_error_or_a_picture() {
    let budget = MemoryBudget::new(MEMORY);
    let (mut good, mut bad) = (0, 0);
    // Whole files often, those that the fuzz targets have come upon, mostly damaged, now and then.
    let files = samples().into_iter().map(|sample| (sample, 250));
    let found = sample_files("fuzz/seeds/corpus").into_iter().map(|sample| (sample, 60));
    for (seed, (Sample { name, bytes: whole, options, .. }, rounds)) in (0u64..).zip(files.chain(found)) {
        let mut random = Rng::with_seed(seed);
        for round in 0..rounds {
            let bytes = changed(&whole, &mut random);
            let said = format!("{name}, change {round}");
            let options = options.clone().budget(&budget);
            for options in [options.clone(), options.clone().salvage(), options.clone().page(2)] {
                let whole = summary(read_from(Cursor::new(&bytes), options.clone()));
                let pieces = Dribble { bytes: bytes.clone(), at: 0, each: 11 };
                let pieces = summary(read_from(pieces, options));
                assert_eq!(whole, pieces, "{said}: in pieces of eleven");
                if whole.is_ok() { good += 1 } else { bad += 1 }
            }
            let Ok(mut reader) = Reader::from_seekable(Cursor::new(&bytes), options) else { continue };
            let _ = reader.skip(1);
            for _ in 0..40 {
                let Ok(Some(strip)) = reader.next(3) else { break };
                assert!(strip.content.size().height <= 3, "{said}");
            }
            drop(reader);
            assert_eq!(budget.held(), 0, "{said}: not given back");
        }
    }
    assert!(good > 10_000 && bad > 10_000, "the changes reach both ends: {good} good, {bad} bad");
}

fn summary(read: rahmen::Result<Picture>) -> Result<(rahmen::Size, u64), String> {
    match read {
        Ok(picture) => {
            let bytes = picture.pixel_format().bytes(picture.size());
            assert!(bytes <= MEMORY);
            Ok((picture.size(), bytes))
        }
        Err(error) => Err(error.to_string()),
    }
}
