//! The table TransferFunction of a TIFF: the curve of a standard or a power is known by it, another is left out with a word.
#![cfg(feature = "tiff")]

use crate::common::tiff::{self, KINDS, Page};
use rahmen::Transfer;
use rahmen::file::{ReadOptions, Reader, decode};
use std::io::Cursor;

/// Light of codes of so many bits, by a formula of the test's own.
fn table(bits: u16, light: impl Fn(f64) -> f64) -> Vec<u64> {
    let top = f64::from((1u32 << bits) - 1);
    (0..1u32 << bits).map(|code| (light(f64::from(code) / top) * 65_535.0).round() as u64).collect()
}

fn srgb(e: f64) -> f64 {
    if e <= 0.04045 { e / 12.92 } else { ((e + 0.055) / 1.055).powf(2.4) }
}

fn bt709(e: f64) -> f64 {
    if e < 4.5 * 0.018 { e / 4.5 } else { ((e + 0.099) / 1.099).powf(1.0 / 0.45) }
}

fn file(kind: tiff::Kind, bits: u16, channels: usize, table: Vec<u64>) -> Vec<u8> {
    let mut page = Page::new((2, 1), bits, channels, if channels == 1 { 1 } else { 2 }, vec![1; 2 * channels]);
    page.tags.push((301, 3, table));
    tiff::file(kind, &[page])
}

#[test]
fn curves_of_standards_and_powers_are_known_by_their_tables() {
    for kind in KINDS {
        for bits in [4, 8, 16] {
            for (light, want) in [
                (&srgb as &dyn Fn(f64) -> f64, Transfer::Srgb),
                (&|e| e, Transfer::Linear),
                (&|e: f64| e.powf(2.2), Transfer::Power(2.2)),
                (&|e: f64| e.powf(1.8), Transfer::Power(1.8)),
                (&|e: f64| if e < 16.0 / 512.0 { e / 16.0 } else { e.powf(1.8) }, Transfer::Romm),
            ] {
                if bits == 4 && want == Transfer::Romm {
                    // Of sixteen codes none lies where it is no power.
                    continue;
                }
                let one = table(bits, light);
                for (channels, table) in [(1, one.clone()), (3, one.clone()), (3, one.repeat(3))] {
                    let picture = decode(&file(kind, bits, channels, table), ReadOptions::default()).unwrap();
                    assert_eq!(picture.metadata().transfer, want, "{kind:?} {bits} bits, {channels} channels");
                }
            }
        }
        let picture = decode(&file(kind, 8, 3, table(8, bt709)), ReadOptions::default()).unwrap();
        assert_eq!(picture.metadata().transfer, Transfer::Bt709);
    }
}

#[test]
fn other_tables_are_left_out_and_said() {
    let mut bent = table(8, srgb);
    bent[100] += 40;
    let apart = [table(8, srgb), table(8, |e| e), table(8, srgb)].concat();
    for (table, why) in [
        (bent, "none of a standard"),
        (apart, "curves of their own"),
        (vec![0; 255], "an entry for each code"),
        (vec![7], "an entry for each code"),
        (vec![0; 256], "none of a standard"),
    ] {
        let reader = Reader::from_seekable(Cursor::new(file(KINDS[0], 8, 3, table)), ReadOptions::default()).unwrap();
        assert_eq!(reader.facts().metadata.transfer, Transfer::Srgb);
        let said = reader.facts().remarks.join("; ");
        assert!(said.contains("TransferFunction is left out") && said.contains(why), "{said}");
    }
}
