//! The chunks that carry meaning, to [`Metadata`] and back. Texts have a file of their own.

use super::color;
use super::header::{Color, Header};
use super::packed::{Chunks, unpack};
use super::texts;
use crate::error::{Error, Result};
use crate::file::budget::Budget;
use crate::file::decoder::take_bytes;
use crate::file::exif;
use crate::frame::{Metadata, PixelFormat, Resolution, ResolutionUnit, Time};
use crate::pixel::{Primaries, Transfer};
use crate::simd::arrays;
use std::io::Write;

/// Metres in an inch.
const INCH: f64 = 0.0254;

/// The private chunk (5.4: ancillary, private, unsafe to copy) of files whose samples are scaled codes: the largest code of each
/// channel as four bytes, the highest first. sBIT cannot stand for it: others scale codes by shifting them.
const MAX_CODES: &[u8; 4] = b"mxCD";

/// What reading a chunk needs to know.
pub(super) struct Context<'a> {
    pub(super) header: &'a Header,
    pub(super) palette: &'a [[u8; 3]],
}

/// Whether a chunk of this kind is read by [`read`].
pub(super) fn is_read(kind: &[u8; 4]) -> bool {
    const READ: [&[u8; 4]; 14] = [
        b"pHYs", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"cICP", b"sBIT", b"bKGD", b"tIME", b"eXIf", b"tEXt", b"zTXt",
        b"iTXt", MAX_CODES,
    ];
    READ.contains(&kind)
}

/// Takes one chunk into the metadata.
pub(super) fn read(
    kind: [u8; 4],
    mut body: &[u8],
    context: &Context<'_>,
    budget: &mut Budget,
    into: &mut Metadata,
) -> Result<()> {
    match &kind {
        b"pHYs" => into.resolution = resolution(body)?,
        // 11.3.2.2: the encoding exponent times 100,000. sRGB, iCCP and cICP take precedence.
        b"gAMA" => {
            let Some(gamma) = take_bytes::<4>(&mut body).map(u32::from_be_bytes).filter(|&g| g > 0) else {
                return Err(Error::malformed("gAMA must hold a number above 0"));
            };
            if into.icc.is_none() && into.code_points.is_none() && into.transfer == Transfer::Srgb && gamma != 45_455 {
                into.transfer =
                    if gamma == 100_000 { Transfer::Linear } else { Transfer::Power(1e5 / f64::from(gamma)) };
            }
        }
        // 11.3.2.1: x and y of white, red, green and blue, times 100,000.
        b"cHRM" => {
            let (numbers, []) = body.as_chunks::<4>() else { return Err(Error::malformed("cHRM must have 32 bytes")) };
            let Some(all) = numbers.first_chunk::<8>().filter(|_| numbers.len() == 8) else {
                return Err(Error::malformed("cHRM must have 32 bytes"));
            };
            let all = arrays::map(*all, u32::from_be_bytes);
            if into.icc.is_none() && into.code_points.is_none() {
                into.primaries = Primaries::of_chromaticities(all);
            }
        }
        b"sRGB" if into.icc.is_none() && into.code_points.is_none() => {
            (into.primaries, into.transfer) = (Primaries::Srgb, Transfer::Srgb);
        }
        b"sRGB" => {}
        b"iCCP" => {
            let bytes = profile(body, budget)?;
            let _beside = budget.beside(bytes.len())?;
            // Code points come first (4.3 of the third edition).
            match into.code_points {
                Some(_) => into.icc = Some(bytes.into()),
                None => crate::file::profile::keep(bytes.into(), into),
            }
        }
        b"cICP" => color::read_code_points(body, into)?,
        // 11.3.2.7: for each channel of the file (of a palette: red, green, blue) how many bits it had.
        b"sBIT" => {
            let (channels, most) = match context.header.color {
                Color::Palette => (3, 8),
                _ => (context.header.channels(), context.header.bits),
            };
            if body.len() != channels || body.iter().any(|&b| b == 0 || b > most) {
                return Err(Error::malformed(format!("sBIT must hold {channels} numbers from 1 to {most}")));
            }
            into.significant_bits = Some(body.to_vec());
        }
        MAX_CODES => into.max_codes = max_codes(body, context.header),
        b"bKGD" => into.background = Some(background(body, context)?),
        b"tIME" => {
            let Some([a, b, month, day, hour, minute, second]) = take_bytes::<7>(&mut body) else {
                return Err(Error::malformed("tIME must have 7 bytes"));
            };
            let year = u16::from_be_bytes([a, b]);
            into.changed = Some(Time { year, month, day, hour, minute, second });
        }
        b"eXIf" => {
            into.orientation = exif::orientation_of(body).unwrap_or_default();
            into.exif = Some(body.into());
        }
        _ => texts::read(kind, body, budget, into)?,
    }
    Ok(())
}

/// 11.3.4.3: pixels a unit along x and y, unit 0 (only the ratio) or 1 (metre).
fn resolution(mut body: &[u8]) -> Result<Option<Resolution>> {
    let all = &mut body;
    let (Some(x), Some(y), Some([unit]), []) =
        (take_bytes::<4>(all), take_bytes::<4>(all), take_bytes::<1>(all), &**all)
    else {
        return Err(Error::malformed("pHYs must have 9 bytes"));
    };
    let unit = if unit == 1 { ResolutionUnit::Metre } else { ResolutionUnit::Ratio };
    let [x, y] = arrays::map([x, y], |v| f64::from(u32::from_be_bytes(v)));
    Ok((x > 0.0 && y > 0.0).then_some(Resolution { x, y, unit }))
}

/// 11.3.2.3: a name, a zero, method 0, a zlib stream.
fn profile(body: &[u8], budget: &mut Budget) -> Result<Vec<u8>> {
    let packed = texts::split_at_zero(body).and_then(|(_, rest)| rest.split_first());
    let Some((_, packed)) = packed.filter(|(method, _)| **method == 0) else {
        return Err(Error::malformed("iCCP must hold a name and a profile packed by method 0"));
    };
    unpack(packed, budget)
}

/// The largest codes of each channel, where they are such.
fn max_codes(body: &[u8], header: &Header) -> Option<Vec<u32>> {
    let full = if header.bits == 16 { 65_535 } else { 255 };
    let (codes, []) = body.as_chunks::<4>() else { return None };
    let codes: Vec<u32> = codes.iter().map(|code| u32::from_be_bytes(*code)).collect();
    let fit = codes.len() == header.channels() && codes.iter().all(|code| (1..full).contains(code));
    (fit && header.bits >= 8 && header.color != Color::Palette).then_some(codes)
}

/// How many bits count just up to a code; none where none do.
fn bits_of(code: u32) -> Option<u8> {
    code.checked_add(1).filter(|above| *above > 1 && above.is_power_of_two()).map(|above| above.trailing_zeros() as u8)
}

/// 11.3.5.1: an index, a gray value or a colour, as the file stores them.
fn background(body: &[u8], context: &Context<'_>) -> Result<[f64; 3]> {
    let full = f64::from((1u32 << context.header.bits.min(16)).saturating_sub(1));
    let words: Vec<f64> = body.as_chunks::<2>().0.iter().map(|b| f64::from(u16::from_be_bytes(*b)) / full).collect();
    let wrong = || Error::malformed(format!("bKGD has {} bytes, which do not fit the colour type", body.len()));
    match (context.header.color, words.as_slice(), body) {
        (Color::Palette, _, [index]) => {
            let color = context.palette.get(usize::from(*index)).ok_or_else(wrong)?;
            Ok(color.map(|v| f64::from(v) / 255.0))
        }
        (Color::Gray | Color::GrayAlpha, [v], [_, _]) => Ok([*v; 3]),
        (Color::Rgb | Color::Rgba, [r, g, b], [_, _, _, _, _, _]) => Ok([*r, *g, *b]),
        _ => Err(wrong()),
    }
}

/// The chunks for a picture's metadata, those that come before a palette and those behind it, and remarks on what they
/// do not hold.
pub(super) fn write(
    metadata: &Metadata,
    format: &PixelFormat,
    header: &Header,
    palette: &[[u8; 3]],
) -> Result<(Chunks, Chunks, Vec<String>)> {
    let (mut before, mut behind, mut remarks) = (Vec::new(), Vec::new(), Vec::new());
    match &metadata.icc {
        Some(profile) => {
            before.extend(metadata.code_points.map(|points| (*b"cICP", points.to_vec())));
            before.push((*b"iCCP", pack_profile(profile)?));
        }
        None => color::write(metadata, format, &mut before, &mut remarks)?,
    }
    // A palette's samples are those of its colours (11.3.2.6).
    let (channels, most) =
        if header.color == Color::Palette { (3, 8) } else { (header.channels(), header.bits.max(1)) };
    // Samples of few bits say it themselves, indices have no codes.
    let codes = metadata.max_codes.as_ref().filter(|_| header.bits >= 8 && header.color != Color::Palette);
    if let Some(codes) = codes {
        let bytes: Vec<[u8; 4]> = codes.iter().map(|code| code.to_be_bytes()).collect();
        before.push((*MAX_CODES, bytes.into_flattened()));
    }
    let counted = codes.and_then(|codes| codes.iter().map(|code| bits_of(*code)).collect::<Option<Vec<u8>>>());
    match metadata.significant_bits.as_ref().or(counted.as_ref()) {
        Some(bits) if bits.len() == channels && bits.iter().all(|b| (1..=most).contains(b)) => {
            before.push((*b"sBIT", bits.clone()));
        }
        Some(_) => remarks.push("the numbers of significant bits do not fit the file and are left out".to_string()),
        None => {}
    }
    if let Some(color) = metadata.background {
        match background_chunk(color, header, palette) {
            Some(body) => behind.push((*b"bKGD", body)),
            None => remarks.push("the background colour is not in the palette and is left out".to_string()),
        }
    }
    if let Some(Resolution { x, y, unit }) = metadata.resolution {
        let (scale, code) = match unit {
            ResolutionUnit::Ratio => (1.0, 0),
            ResolutionUnit::Metre => (1.0, 1),
            ResolutionUnit::Inch => (1.0 / INCH, 1),
        };
        let number = |v: f64| ((v * scale + 0.5) as u32).to_be_bytes();
        behind.push((*b"pHYs", [&number(x)[..], &number(y), &[code]].concat()));
    }
    if let Some(block) = exif::for_picture(metadata.exif.as_deref(), metadata.orientation, header.size) {
        behind.push((*b"eXIf", block));
    }
    if let Some(t) = metadata.changed {
        let [a, b] = t.year.to_be_bytes();
        behind.push((*b"tIME", vec![a, b, t.month, t.day, t.hour, t.minute, t.second]));
    }
    texts::write(metadata, &mut behind, &mut remarks);
    Ok((before, behind, remarks))
}

fn background_chunk(color: [f64; 3], header: &Header, palette: &[[u8; 3]]) -> Option<Vec<u8>> {
    let full = f64::from((1u32 << header.bits.min(16)).saturating_sub(1));
    let word = |v: f64| ((v * full + 0.5) as u16).to_be_bytes();
    match header.color {
        Color::Palette => {
            let wanted = color.map(|v| (v * 255.0 + 0.5) as u8);
            let index = palette.iter().position(|c| *c == wanted)?;
            Some(vec![u8::try_from(index).ok()?])
        }
        Color::Gray | Color::GrayAlpha => {
            let [r, g, b] = color;
            (r == g && g == b).then(|| word(r).to_vec())
        }
        Color::Rgb | Color::Rgba => Some(color.map(word).concat()),
    }
}

pub(super) fn pack_profile(profile: &[u8]) -> Result<Vec<u8>> {
    let mut packer = flate2::write::ZlibEncoder::new(b"ICC profile\0\0".to_vec(), flate2::Compression::new(6));
    packer.write_all(profile).and_then(|()| packer.finish()).map_err(|e| Error::io("cannot pack the profile", e))
}
