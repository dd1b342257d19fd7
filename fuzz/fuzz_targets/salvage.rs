//! Damaged files of any kind: rows that come, and what is said of them, add up.
#![no_main]

use rahmen::file::Reader;
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    for fills in [false, true] {
        rahmen_fuzz::bounded(bytes, |budget| {
            let options = rahmen_fuzz::options(budget);
            let options = if fills { options.salvage_filled() } else { options.salvage() };
            let Ok(reader) = Reader::from_seekable(Cursor::new(bytes), options) else { return };
            let Ok((picture, damage)) = reader.read_damaged() else { return };
            let Some(damage) = damage else { return };
            assert!(picture.size().height <= damage.rows);
            assert_eq!(damage.rows_good() + damage.rows_suspect() + damage.rows_lost(), damage.rows);
            assert!(damage.lost.windows(2).all(|two| two[0].end < two[1].start), "{:?}", damage.lost);
        });
    }
});

rahmen_fuzz::change_by_structure!();
