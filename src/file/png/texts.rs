//! The text chunks: tEXt, zTXt, iTXt (11.3.3), to [`Metadata`] and back. An XMP packet is the text of one keyword.

use super::packed::{Chunks, unpack};
use crate::error::{Error, Result};
use crate::file::budget::Budget;
use crate::frame::{Metadata, Text};

/// The keyword of an XMP packet.
const XMP: &str = "XML:com.adobe.xmp";

/// Takes one text chunk into the metadata.
pub(super) fn read(kind: [u8; 4], body: &[u8], budget: &mut Budget, into: &mut Metadata) -> Result<()> {
    let Some((keyword, rest)) = split_at_zero(body) else {
        let kind = String::from_utf8_lossy(&kind).into_owned();
        return Err(Error::malformed(format!("{kind} must hold a keyword and a zero byte")));
    };
    let text = match &kind {
        // A keyword, a zero, text in Latin-1.
        b"tEXt" => from_latin1(rest.to_vec()),
        // A keyword, a zero, method 0, a zlib stream of Latin-1.
        b"zTXt" => match rest.split_first() {
            Some((0, packed)) => from_latin1(unpack(packed, budget)?),
            _ => return Err(Error::malformed("zTXt must hold a text packed by method 0")),
        },
        // A keyword, a zero, whether it is packed, method 0, a language, a zero, the keyword in it, a zero, UTF-8.
        _ => international(rest, budget)?,
    };
    let _beside = budget.beside(text.len())?;
    let keyword = from_latin1(keyword.to_vec());
    if keyword == XMP {
        into.xmp = Some(text.into());
    } else {
        into.text.push(Text { keyword, text: text.into() });
    }
    Ok(())
}

fn international(rest: &[u8], budget: &mut Budget) -> Result<String> {
    let wrong = || Error::malformed("iTXt must hold flags, a language, a keyword in it and a text");
    let (flags, rest) = rest.split_first_chunk::<2>().ok_or_else(wrong)?;
    let (_, rest) = split_at_zero(rest).ok_or_else(wrong)?;
    let (_, text) = split_at_zero(rest).ok_or_else(wrong)?;
    let bytes = match flags {
        [0, _] => text.to_vec(),
        [1, 0] => unpack(text, budget)?,
        _ => return Err(wrong()),
    };
    String::from_utf8(bytes).map_err(|_| Error::malformed("the text of iTXt is not UTF-8"))
}

/// The chunks for a picture's texts.
pub(super) fn write(metadata: &Metadata, chunks: &mut Chunks, remarks: &mut Vec<String>) {
    for Text { keyword, text } in &metadata.text {
        let key = to_latin1(keyword).filter(|k| (1..=79).contains(&k.len()) && !k.contains(&0));
        match (key, to_latin1(text).filter(|t| !t.contains(&0))) {
            (None, _) => {
                remarks.push(format!("the keyword \"{keyword}\" does not fit the format; its text is left out"))
            }
            (Some(key), Some(text)) => chunks.push((*b"tEXt", [key.as_slice(), &[0], &text].concat())),
            (Some(key), None) => chunks.push((*b"iTXt", [key.as_slice(), &[0; 5], text.as_bytes()].concat())),
        }
    }
    if let Some(packet) = &metadata.xmp {
        chunks.push((*b"iTXt", [XMP.as_bytes(), &[0; 5], packet.as_bytes()].concat()));
    }
}

/// The bytes before and after the first zero byte.
pub(super) fn split_at_zero(body: &[u8]) -> Option<(&[u8], &[u8])> {
    let zero = body.iter().position(|&b| b == 0)?;
    Some((body.get(..zero)?, body.get(zero.checked_add(1)?..)?))
}

fn from_latin1(bytes: Vec<u8>) -> String {
    // ASCII is the same bytes; characters beyond it take two.
    if !bytes.is_ascii() {
        let mut text =
            String::with_capacity(bytes.len().saturating_add(bytes.iter().filter(|b| !b.is_ascii()).count()));
        text.extend(bytes.iter().map(|&b| char::from(b)));
        return text;
    }
    String::from_utf8(bytes).unwrap_or_default()
}

fn to_latin1(text: &str) -> Option<Vec<u8>> {
    text.chars().map(|c| u8::try_from(u32::from(c)).ok()).collect()
}
