//! TIFF files put together from the specification, read to exact values: every kind of sample, packing and order.
#![cfg(feature = "tiff")]

use crate::common::noise;
use crate::common::tiff::{self, DEFLATE, FAX_ROWS, FAX3, FAX4, KINDS, LZW, NONE, PACK_BITS, Page};
use crate::tiff_files::{any, codes, plain, samples_of, scaled};
use rahmen::frame::AnyPlanes;

#[test]
fn codes_of_every_size_are_scaled_whatever_holds_them() {
    let size = (37, 29);
    for kind in KINDS {
        for bits in [1u16, 2, 4, 6, 8, 10, 12, 14, 16] {
            for (channels, photometric) in [(1usize, 1u16), (1, 0), (3, 2)] {
                let codes = codes(size.0 * size.1 * channels, bits, 7);
                let mut page = Page::new(size, bits, channels, photometric, codes.clone());
                let top = (1u64 << bits) - 1;
                let full = if bits <= 8 { 255 } else { 65_535 };
                let want: Vec<u64> =
                    codes.iter().map(|&c| scaled(if photometric == 0 { top - c } else { c }, top, full)).collect();
                for (chunk, planar) in
                    [((0, 29), false), ((0, 5), false), ((16, 32), false), ((32, 16), true), ((0, 7), true)]
                {
                    for packing in [NONE, PACK_BITS, LZW, DEFLATE, 32_946] {
                        (page.chunk, page.planar, page.packing) = (chunk, planar, packing);
                        let picture = plain(&tiff::file(kind, &[page.clone()]));
                        let name = format!("{kind:?} {bits} bits of {channels}, {chunk:?} {planar} {packing}");
                        assert_eq!(
                            picture.metadata().max_codes,
                            (top != full).then(|| vec![top as u32; channels]),
                            "{name}"
                        );
                        // A white of 0 is turned around exactly.
                        assert!(samples_of(&picture) == want, "{name}");
                    }
                }
            }
        }
    }
}

#[test]
fn differences_are_undone_for_every_width_and_order() {
    let size = (41, 23);
    for kind in KINDS {
        for (bits, format, predictor) in
            [(8u16, 1u16, 2u16), (16, 1, 2), (16, 3, 3), (24, 3, 3), (32, 3, 3), (32, 3, 2), (16, 3, 2)]
        {
            for channels in [1usize, 3] {
                // No floats that are not numbers, whose bits may change.
                let mask =
                    if format == 3 { [0x3bff, 0x3e_ffff, 0x3eff_ffff][usize::from(bits / 8 - 2)] } else { u64::MAX };
                let codes: Vec<u64> = codes(size.0 * size.1 * channels, bits, 3).iter().map(|c| c & mask).collect();
                let mut page = Page::new(size, bits, channels, if channels == 3 { 2 } else { 1 }, codes.clone());
                (page.format, page.predictor) = (format, predictor);
                for (chunk, planar) in [((0, 6), false), ((16, 16), false), ((16, 16), true)] {
                    for packing in [LZW, DEFLATE] {
                        (page.chunk, page.planar, page.packing) = (chunk, planar, packing);
                        let picture = plain(&tiff::file(kind, &[page.clone()]));
                        let want: Vec<u64> = match (format, bits) {
                            (3, 16) => codes.iter().map(|&c| u64::from(small(c, 5, 10).to_bits())).collect(),
                            (3, 24) => codes.iter().map(|&c| u64::from(small(c, 7, 16).to_bits())).collect(),
                            _ => codes.clone(),
                        };
                        assert!(
                            samples_of(&picture) == want,
                            "{kind:?} {bits} {format} {predictor} {channels} {chunk:?}"
                        );
                    }
                }
            }
        }
    }
}

/// A positive float of so many bits of exponent and fraction, by its definition.
fn small(code: u64, exponent_bits: u32, fraction_bits: u32) -> f32 {
    let bias = (1i32 << (exponent_bits - 1)) - 1;
    let exponent = (code >> fraction_bits) as i32;
    let fraction = (code & ((1 << fraction_bits) - 1)) as f64 / f64::from(1u32 << fraction_bits);
    let value =
        if exponent == 0 { fraction * 2f64.powi(1 - bias) } else { (1.0 + fraction) * 2f64.powi(exponent - bias) };
    value as f32
}

#[test]
fn wide_numbers_come_as_planes_of_their_type() {
    let size = (19, 11);
    for kind in KINDS {
        for (bits, format) in [
            (8u16, 2u16),
            (16, 2),
            (24, 1),
            (24, 2),
            (32, 1),
            (32, 2),
            (64, 1),
            (64, 2),
            (64, 3),
            (12, 2),
            (20, 1),
            (20, 2),
        ] {
            for (channels, planar) in [(1usize, false), (2, false), (2, true), (5, false)] {
                let codes = codes(size.0 * size.1 * channels, bits, 9);
                let mut page = Page::new(size, bits, channels, 1, codes.clone());
                page.extra = vec![0; channels - 1];
                (page.format, page.planar, page.packing) = (format, planar, LZW);
                if bits % 16 == 0 && format == 1 {
                    page.predictor = 2;
                }
                for chunk in [(0, 4), (16, 16)] {
                    page.chunk = chunk;
                    let picture = plain(&tiff::file(kind, &[page.clone()]));
                    let planes = any(&picture);
                    let name = format!("{kind:?} {bits} {format} {channels} {planar} {chunk:?}");
                    let own = |c: usize| codes.iter().skip(c).step_by(channels).copied().collect::<Vec<u64>>();
                    let sign = |v: u64| ((v << (64 - bits)) as i64) >> (64 - bits);
                    for c in 0..channels {
                        let want = own(c);
                        let same = match planes {
                            AnyPlanes::I8(p) => {
                                p[c].samples().iter().zip(&want).all(|(a, b)| i64::from(*a) == sign(*b))
                            }
                            AnyPlanes::I16(p) => {
                                p[c].samples().iter().zip(&want).all(|(a, b)| i64::from(*a) == sign(*b))
                            }
                            AnyPlanes::I32(p) => {
                                p[c].samples().iter().zip(&want).all(|(a, b)| i64::from(*a) == sign(*b))
                            }
                            AnyPlanes::I64(p) => p[c].samples().iter().zip(&want).all(|(a, b)| *a == sign(*b)),
                            AnyPlanes::U32(p) => p[c].samples().iter().zip(&want).all(|(a, b)| u64::from(*a) == *b),
                            AnyPlanes::U64(p) => p[c].samples().iter().zip(&want).all(|(a, b)| a == b),
                            AnyPlanes::F64(p) => p[c].samples().iter().zip(&want).all(|(a, b)| a.to_bits() == *b),
                            other => panic!("{name}: {other:?}"),
                        };
                        assert!(same, "{name}, plane {c}");
                    }
                    let kinds = match (format, bits) {
                        (1, ..=32) => "u32",
                        (1, _) => "u64",
                        (2, 8) => "i8",
                        (2, ..=16) => "i16",
                        (2, ..=32) => "i32",
                        (2, _) => "i64",
                        _ => "f64",
                    };
                    assert_eq!(planes.number().name(), kinds, "{name}");
                }
            }
        }
    }
}

#[test]
fn fax_in_every_form_is_read_in_either_order_of_bits() {
    // Runs of all lengths, rows alike and not, blank rows, the longest codes.
    for width in [1usize, 7, 8, 64, 200, 2700, 6000] {
        let height = 40;
        let mut rows: Vec<Vec<bool>> = Vec::new();
        let random = noise(4000, width as u32);
        let mut at = 0;
        for y in 0..height {
            if y % 5 == 3 {
                // Like the row above, moved a little here and there.
                let above: &Vec<bool> = &rows[y - 1];
                let shift = [0, 1, 2, 3][y % 4];
                rows.push((0..width).map(|x| above[(x + shift).min(width - 1)]).collect());
                continue;
            }
            let mut row = Vec::new();
            let mut black = random[y] & 1 == 1;
            while row.len() < width {
                at = (at + 1) % random.len();
                let run = [1, 2, 3, usize::from(random[at]), 64, 1728 + usize::from(random[at]), 2600, 5200]
                    [usize::from(random[at] >> 3) % 8];
                row.extend(vec![black; run]);
                black = !black;
            }
            row.truncate(width);
            rows.push(if y % 11 == 10 { vec![y % 2 == 0; width] } else { row });
        }
        let samples: Vec<u64> = rows.iter().flatten().map(|&b| u64::from(b)).collect();
        for kind in [KINDS[0], KINDS[3]] {
            for (packing, options) in [(FAX_ROWS, 0u64), (FAX3, 0), (FAX3, 1), (FAX3, 4), (FAX3, 5), (FAX4, 0)] {
                for lowest_first in [false, true] {
                    for strip in [height, 7] {
                        let mut page = Page::new((width, height), 1, 1, 0, samples.clone());
                        (page.packing, page.lowest_first, page.chunk) = (packing, lowest_first, (0, strip));
                        page.tags = vec![(292, 4, vec![options])];
                        let picture = plain(&tiff::file(kind, &[page]));
                        let want: Vec<u64> = samples.iter().map(|&b| if b == 1 { 0 } else { 255 }).collect();
                        assert!(samples_of(&picture) == want, "{width} {packing} {options} {lowest_first} {strip}");
                        assert_eq!(picture.metadata().max_codes, Some(vec![1]));
                    }
                }
            }
        }
    }
}

#[test]
fn pixels_whose_first_is_in_the_lowest_bits_are_read() {
    for bits in [1u16, 2, 4, 8] {
        let codes = codes(21 * 5, bits, 1);
        let mut page = Page::new((21, 5), bits, 1, 1, codes.clone());
        page.lowest_first = true;
        for packing in [NONE, PACK_BITS, DEFLATE, LZW] {
            page.packing = packing;
            let picture = plain(&tiff::file(KINDS[0], &[page.clone()]));
            let want: Vec<u64> = codes.iter().map(|&c| scaled(c, (1 << bits) - 1, 255)).collect();
            assert_eq!(samples_of(&picture), want, "{bits} {packing}");
        }
    }
}
