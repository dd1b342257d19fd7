//! Bytes from an input into a decoder: the start of a file, and as much as a decoder asks for.
//!
//! Not here: what is made of the rows, and what happens after errors ([`rows`](super::rows)).

use super::bounds::Bounds;
use super::decoder::{Decoder, RowsOut, Start, Stop, decoder_for, ended_early};
use super::formats::Formats;
use super::input::Input;
use super::options::{ReadAs, ReadOptions, Reduced};
use super::sniff;
use crate::error::{Error, Result};
use crate::frame::{Facts, FileFormat};

/// Bytes that are given to a decoder at once where the work may be ended from outside.
const PIECE: usize = 1 << 20;
/// Units of work that a jump to another place counts for.
const A_JUMP: u64 = 16;

/// The format of what is at hand, its decoder, and the facts of its header.
pub(super) fn begin(
    input: &mut Input<'_>,
    options: &ReadOptions,
    formats: &Formats,
    bounds: &Bounds,
) -> Result<(Box<dyn Decoder>, Facts)> {
    let format = format_at_hand(input, options, formats)?;
    if options.reduced != Reduced::Full && format != FileFormat::Jpeg {
        return Err(Error::invalid("reduced", "only JPEG can be read at a part of its size; resize it instead"));
    }
    let page = options.page.unwrap_or(1);
    if page == 0 {
        return Err(Error::out_of_range("page", 0.0, (1.0, f64::from(u32::MAX)), "pages count from 1"));
    }
    let start = Start {
        bounds: bounds.clone(),
        page,
        sub_page: options.sub_page,
        indices: options.read_as == ReadAs::Indices && options.palette.is_none(),
        raw: options.raw,
        raw_ycbcr: options.raw_ycbcr,
        reduced: options.reduced,
        chroma: options.chroma,
        header_only: input.header_only(),
        frames_alone: options.frames_alone,
        salvages: options.salvage.is_some(),
        threads: options.threads,
        ycbcr: None,
        length: input.length(),
    };
    let mut decoder = match format {
        FileFormat::Other(name) => formats.named(name)?.decoder(&start)?,
        own => decoder_for(own, start)?,
    };
    let stop = push(input, decoder.as_mut(), &mut RowsOut::skip(0), format, bounds)?;
    match (stop, decoder.facts()) {
        (Stop::Facts, Some(facts)) if page > facts.pages.max(1) => {
            let pages = facts.pages;
            Err(Error::not_there(
                "page",
                page.into(),
                pages.into(),
                format!("there is no page {page}; the file has {pages}"),
            )
            .in_format(format, None))
        }
        (Stop::Facts, Some(facts)) => {
            bounds.check_channels(&facts.pixel_format).map_err(|e| e.in_format(format, None))?;
            let mut facts = facts.clone();
            facts.format = Some(format);
            Ok((decoder, facts))
        }
        _ => Err(Error::malformed("no picture in the file").in_format(format, Some(input.used()))),
    }
}

/// The format of what is at hand. What its decoder has to look for elsewhere in a stream is kept.
fn format_at_hand(input: &mut Input<'_>, options: &ReadOptions, formats: &Formats) -> Result<FileFormat> {
    input.fill(sniff::ENOUGH)?;
    let format = match options.raw.is_some() || options.raw_ycbcr.is_some() {
        true => FileFormat::Raw,
        false => match sniff::format_of(input.at_hand(), formats) {
            Some(format) => format,
            None => {
                let start = input.at_hand();
                return Err(sniff::not_a_picture(start.get(..sniff::ENOUGH).unwrap_or(start)));
            }
        },
    };
    // What a TGA file says of its alpha stands at its end, below 4 GiB: places in it have 32 bits. A header alone is not
    // worth reading all of a stream.
    if format == FileFormat::Tga && cfg!(feature = "tga") && input.length().is_none() && !input.header_only() {
        input.keep(u64::from(u32::MAX))?;
        input.fill(sniff::ENOUGH)?;
    }
    // Directories lead anywhere; frames are counted first, and drawn then.
    let anywhere = format == FileFormat::Tiff && cfg!(feature = "tiff")
        || format == FileFormat::Gif && cfg!(feature = "gif") && !input.header_only()
        || format == FileFormat::Npz && cfg!(feature = "npy");
    if anywhere && input.length().is_none() {
        input.keep(u64::MAX)?;
        input.fill(sniff::ENOUGH)?;
    }
    Ok(format)
}

/// Feeds the decoder until it stops for another reason than wanting input.
pub(super) fn push(
    input: &mut Input<'_>,
    decoder: &mut dyn Decoder,
    rows: &mut RowsOut<'_>,
    format: FileFormat,
    bounds: &Bounds,
) -> Result<Stop> {
    // No more at once than may pass between two looks at what ends the work, unless the decoder asks for more together.
    let mut piece = if bounds.may_end() { PIECE } else { usize::MAX };
    loop {
        let all = input.at_hand();
        let mut rest = all.get(..piece).unwrap_or(all);
        let (whole, cut) = (rest.len(), rest.len() < all.len());
        let fed = decoder.feed(&mut rest, rows);
        let taken = whole.saturating_sub(rest.len());
        input.take(taken);
        let stop = fed.map_err(|e| e.in_format(format, Some(input.used())))?;
        bounds.of_bytes(input.length().unwrap_or(input.used()));
        bounds.work(taken as u64).map_err(|e| e.in_format(format, None))?;
        match stop {
            Stop::NeedInput if cut => {
                piece = if taken == 0 { piece.saturating_mul(2) } else { piece };
                continue;
            }
            Stop::NeedInput => {}
            Stop::Elsewhere(jump) => {
                bounds.work(A_JUMP).map_err(|e| e.in_format(format, None))?;
                input.jump(jump)?;
                continue;
            }
            _ => return Ok(stop),
        }
        let left = input.at_hand().len();
        input.fill(input.portion().max(left.saturating_add(1)))?;
        if input.at_hand().len() > left {
            continue;
        }
        if !decoder.input_ended() {
            // A place beyond the end may have been gone to.
            let end = input.used().saturating_add(left as u64);
            let end = input.length().map_or(end, |length| end.min(length));
            return Err(ended_early(decoder.expected()).in_format(format, Some(end)));
        }
    }
}
