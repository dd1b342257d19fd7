//! The chunks that carry meaning, to [`Metadata`] and back: pHYs, gAMA, sRGB, iCCP, tEXt.

use crate::error::{Error, Result};
use crate::file::decoder::take_bytes;
use crate::file::options::Limits;
use crate::frame::{Metadata, Resolution, ResolutionUnit, Text};
use crate::pixel::{Space, Transfer};
use std::io::{Read, Write};

/// Metres in an inch.
const INCH: f64 = 0.0254;

/// Takes one chunk into the metadata; unknown ones are passed over.
pub(super) fn read(kind: [u8; 4], mut body: &[u8], limits: &Limits, into: &mut Metadata) -> Result<()> {
    match &kind {
        // 11.3.4.3: pixels a unit along x and y, unit 0 (only the ratio) or 1 (metre).
        b"pHYs" => {
            let all = &mut body;
            let (Some(x), Some(y), Some([unit]), []) =
                (take_bytes::<4>(all), take_bytes::<4>(all), take_bytes::<1>(all), &**all)
            else {
                return Err(Error::damaged("pHYs must have 9 bytes"));
            };
            let unit = if unit == 1 { ResolutionUnit::Metre } else { ResolutionUnit::Ratio };
            let [x, y] = [x, y].map(|v| f64::from(u32::from_be_bytes(v)));
            into.resolution = (x > 0.0 && y > 0.0).then_some(Resolution { x, y, unit });
        }
        // 11.3.2.2: the encoding exponent times 100,000. sRGB and iCCP take precedence.
        b"gAMA" => {
            let Some(gamma) = take_bytes::<4>(&mut body).map(u32::from_be_bytes).filter(|&g| g > 0) else {
                return Err(Error::damaged("gAMA must hold a number above 0"));
            };
            if into.icc.is_none() && into.transfer == Transfer::Srgb && gamma != 45_455 {
                into.transfer =
                    if gamma == 100_000 { Transfer::Linear } else { Transfer::Power(1e5 / f64::from(gamma)) };
            }
        }
        b"sRGB" => (into.space, into.transfer) = (Space::Srgb, Transfer::Srgb),
        // 11.3.2.3: a name, a zero, method 0, a zlib stream.
        b"iCCP" => {
            let profile =
                split_at_zero(body).and_then(|(_, rest)| rest.split_first()).filter(|(method, _)| **method == 0);
            let Some((_, packed)) = profile else {
                return Err(Error::damaged("iCCP must hold a name and a profile packed by method 0"));
            };
            into.icc = Some(unpack(packed, limits)?);
            into.space = Space::Unknown;
        }
        // 11.3.3.2: a keyword, a zero, text in Latin-1.
        b"tEXt" => {
            let Some((keyword, text)) = split_at_zero(body) else {
                return Err(Error::damaged("tEXt must hold a keyword, a zero byte and a text"));
            };
            into.text.push(Text { keyword: from_latin1(keyword), text: from_latin1(text) });
        }
        _ => {}
    }
    Ok(())
}

fn unpack(packed: &[u8], limits: &Limits) -> Result<Vec<u8>> {
    let mut out = Vec::new();
    let most = limits.metadata;
    let unpacked = flate2::read::ZlibDecoder::new(packed);
    let read = unpacked.take(most.saturating_add(1)).read_to_end(&mut out);
    read.map_err(|e| Error::damaged(format!("a packed chunk cannot be unpacked: {e}")))?;
    limits.check_metadata(out.len() as u64)?;
    Ok(out)
}

fn split_at_zero(body: &[u8]) -> Option<(&[u8], &[u8])> {
    let zero = body.iter().position(|&b| b == 0)?;
    Some((body.get(..zero)?, body.get(zero.checked_add(1)?..)?))
}

fn from_latin1(bytes: &[u8]) -> String {
    bytes.iter().map(|&b| char::from(b)).collect()
}

/// Chunks, each with its kind.
type Chunks = Vec<([u8; 4], Vec<u8>)>;

/// The chunks for a picture's metadata, and remarks on what they do not hold.
pub(super) fn write(metadata: &Metadata) -> Result<(Chunks, Vec<String>)> {
    let (mut chunks, mut remarks) = (Vec::new(), Vec::new());
    match (&metadata.icc, metadata.space, metadata.transfer) {
        (Some(profile), ..) => chunks.push((*b"iCCP", pack_profile(profile)?)),
        (None, Space::Srgb, Transfer::Srgb) => chunks.push((*b"sRGB", vec![0])),
        (None, _, Transfer::Srgb) => chunks.push((*b"gAMA", 45_455u32.to_be_bytes().to_vec())),
        (None, _, Transfer::Linear) => chunks.push((*b"gAMA", 100_000u32.to_be_bytes().to_vec())),
        (None, _, Transfer::Power(exponent)) => {
            chunks.push((*b"gAMA", ((1e5 / exponent + 0.5) as u32).max(1).to_be_bytes().to_vec()));
        }
    }
    if let Some(Resolution { x, y, unit }) = metadata.resolution {
        let (scale, code) = match unit {
            ResolutionUnit::Ratio => (1.0, 0),
            ResolutionUnit::Metre => (1.0, 1),
            ResolutionUnit::Inch => (1.0 / INCH, 1),
        };
        let [x, y] = [x, y].map(|v| ((v * scale + 0.5) as u32).to_be_bytes());
        chunks.push((*b"pHYs", x.into_iter().chain(y).chain([code]).collect()));
    }
    for Text { keyword, text } in &metadata.text {
        match (to_latin1(keyword), to_latin1(text)) {
            (Some(key), Some(text)) if (1..=79).contains(&key.len()) && !key.contains(&0) && !text.contains(&0) => {
                chunks.push((*b"tEXt", key.into_iter().chain([0]).chain(text).collect()));
            }
            _ => remarks.push(format!("the text \"{keyword}\" has characters outside Latin-1 and is left out")),
        }
    }
    if metadata.top_codes.is_some() {
        remarks.push("the top code is not kept: the samples fill the full range".to_string());
    }
    if metadata.exif.is_some() {
        remarks.push("the EXIF block is left out".to_string());
    }
    if metadata.xmp.is_some() {
        remarks.push("the XMP packet is left out".to_string());
    }
    Ok((chunks, remarks))
}

fn pack_profile(profile: &[u8]) -> Result<Vec<u8>> {
    let mut packer = flate2::write::ZlibEncoder::new(b"ICC profile\0\0".to_vec(), flate2::Compression::new(6));
    packer.write_all(profile).and_then(|()| packer.finish()).map_err(|e| Error::io("cannot pack the profile", e))
}

fn to_latin1(text: &str) -> Option<Vec<u8>> {
    text.chars().map(|c| u8::try_from(u32::from(c)).ok()).collect()
}
