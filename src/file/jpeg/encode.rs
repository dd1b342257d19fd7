//! Writing: baseline or progressive, with the best Huffman tables where the coefficients can be held, else with the
//! standard's examples.

use super::codes::{Table, Writer};
use super::fdct::reciprocals;
use super::held::{SEGMENT_BYTES, Scans, put_segment, put_table};
use super::planes::{Forward, row_of_mcus};
use super::scans::interleaved;
use super::segments::{ICC, XMP};
use super::shape::{McuLayout, Row};
use super::tables::{CHROMA, LUMINANCE, scaled};
use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, put_bytes};
use crate::file::exif;
use crate::file::holds::{Holds, left_out};
use crate::file::options::WriteOptions;
use crate::file::words::words_be;
use crate::frame::{Content, Facts, FileFormat, Metadata, PixelFormat, ResolutionUnit, SamplesRef};
use crate::memory::Charge;
use crate::pixel::ChromaSampling;
use crate::pixel::{Depth, Layout};
use crate::threads::{self, Threads};

/// What helps where there is no room for the coefficients.
const ONE_SCAN: &[Help] = &[Help::OneScan, Help::RaiseLimit("memory")];
const FIXED_TABLES: &[Help] = &[Help::FixedTables, Help::RaiseLimit("memory")];

/// Bytes of coefficients that are held so that the best tables can be found.
const HELD_BYTES: u64 = 256 << 20;

/// A JPEG encoder: given rows, gives bytes.
pub(in crate::file) struct JpegEncoder {
    forward: Forward,
    scans: Scans,
    threads: Threads,
    /// Rows that wait for more: some rows of MCUs.
    pending: Vec<u8>,
    left: u32,
    /// Coefficients of all rows of MCUs, where they are held.
    held: Option<Vec<Row>>,
    _charge: Charge,
    stream: Stream,
    remarks: Vec<String>,
}

/// What is carried from row to row where the scan is written at once.
#[derive(Default)]
struct Stream {
    means: [i32; 4],
    row: u32,
    codes: Vec<[(u16, u8); 256]>,
    /// Bits that do not make a byte yet.
    word: (u64, u32),
}

impl JpegEncoder {
    /// Starts a file: everything before the first scan's tables.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<JpegEncoder> {
        let refuse = |what: &str, help: &'static [Help]| Err(cannot_hold(FileFormat::Jpeg, what, help));
        let channels = match facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Gray } => 1,
            PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgb } => 3,
            PixelFormat::Pixels { layout, .. } if layout.has_alpha() => return refuse("alpha", &[Help::Flatten]),
            PixelFormat::Pixels { depth: Depth::U8, .. } => 4,
            PixelFormat::Pixels { .. } => return refuse("u16 samples", &[Help::Depth(&[Depth::U8])]),
            PixelFormat::Planes { .. } => return refuse("planes", &[Help::PixelsOfDepth(&[Depth::U8])]),
        };
        let (Ok(width), Ok(height)) = (u16::try_from(facts.size.width), u16::try_from(facts.size.height)) else {
            return refuse(&format!("a picture of {}; each side must be 1 to 65535", facts.size), &[]);
        };
        if facts.size.is_empty() {
            return refuse(&format!("a picture of {}; each side must be 1 to 65535", facts.size), &[]);
        }
        let first = match (channels, options.jpeg.sampling) {
            // All inks alike.
            (1 | 4, _) | (_, ChromaSampling::Ratio444) => (1usize, 1usize),
            (_, ChromaSampling::Ratio422) => (2, 1),
            (_, ChromaSampling::Ratio420) => (2, 2),
        };
        let others = std::iter::repeat_n((1, 1), channels).skip(1);
        let shape = McuLayout::new((width, height), std::iter::once(first).chain(others).collect());
        let quality = options.jpeg.quality.clamp(1, 100);
        let others = if channels == 4 { &LUMINANCE } else { &CHROMA };
        let tables = [scaled(&LUMINANCE, quality), scaled(others, quality)];
        let scans = Scans {
            shape: shape.clone(),
            ids: (1u8..).take(channels).collect(),
            progressive: options.jpeg.progressive,
            restart_rows: options.jpeg.restart_rows,
            threads: options.threads,
        };
        if let Err(what) = scans.check_restarts() {
            return refuse(&format!("{what}; 65535 are the most, so name fewer rows"), &[]);
        }
        put_bytes(out, &[0xff, 0xd8])?;
        let mut remarks = Vec::new();
        metadata_segments(facts, out, &mut remarks)?;
        if channels == 4 {
            // Adobe's segment: version 100, no transform. Whoever reads it takes ink as inverted.
            put_segment(out, 0xee, b"Adobe\0\x64\0\0\0\0\0")?;
        }
        scans.put_quantisers(tables.get(..channels.min(2)).unwrap_or(&tables), out)?;
        let numbers: Vec<u8> = (0..channels).map(|c| u8::from(c > 0)).collect();
        scans.put_frame(if scans.progressive { 0xc2 } else { 0xc0 }, 8, &numbers, out)?;
        let blocks = shape.mcus.0.saturating_mul(shape.mcus.1).saturating_mul(shape.blocks_an_mcu());
        let bytes = (blocks as u64).saturating_mul(128);
        // The size and the options decide, and no budget: the same picture gives the same bytes everywhere.
        let holds = scans.progressive || (!options.jpeg.fixed_tables && bytes <= HELD_BYTES);
        let help = if scans.progressive { ONE_SCAN } else { FIXED_TABLES };
        // And the bits of the scan that is written, which may be as many as half of them.
        let taken = bytes.saturating_add(bytes >> 1);
        let charge =
            if holds { Charge::take(facts.account(), taken).map_err(|e| e.with_help(help))? } else { Charge::NONE };
        let held = holds.then(Vec::new);
        let [luminance, chroma] = tables.each_ref().map(reciprocals);
        let mut encoder = JpegEncoder {
            forward: Forward { shape, luminance, chroma },
            scans,
            threads: options.threads,
            pending: Vec::new(),
            left: facts.size.height,
            held,
            _charge: charge,
            stream: Stream::default(),
            remarks,
        };
        if encoder.held.is_none() {
            encoder.start_stream(channels, out)?;
        }
        Ok(encoder)
    }

    /// The only scan, with the standard's tables.
    fn start_stream(&mut self, channels: usize, out: &mut dyn Output) -> Result<()> {
        let tables = [(true, true), (false, true), (true, false), (false, false)];
        let tables = tables.map(|(dc, luminance)| Table::example(dc, luminance));
        self.stream.codes = tables.iter().map(Table::codes).collect();
        let needed = if channels == 1 { 2 } else { 4 };
        tables.iter().enumerate().take(needed).try_for_each(|(number, table)| put_table(number, table, out))?;
        self.scans.put_interval(self.scans.shape.mcus.0, out)?;
        self.scans.put_scan_header(None, out)
    }

    /// Rows of pixels that a row of MCUs covers, and bytes of one.
    fn row(&self) -> (usize, usize) {
        let shape = &self.scans.shape;
        let bytes = usize::from(shape.size.0).saturating_mul(shape.factors.len()).max(1);
        (shape.most.1.saturating_mul(8), bytes)
    }

    /// Rows of MCUs that wait, transformed on all threads.
    fn transform(&mut self, out: &mut dyn Output) -> Result<()> {
        let (down, bytes) = self.row();
        let forward = &self.forward;
        let jobs: Vec<&[u8]> = self.pending.chunks(bytes.saturating_mul(down)).collect();
        let rows = threads::collect(self.threads, jobs, |pixels| row_of_mcus(forward, pixels));
        self.pending.clear();
        match &mut self.held {
            Some(held) => held.extend(rows),
            None => {
                let packed = self.stream.rows(&rows, &self.scans.shape, u32::from(self.scans.restart_rows));
                put_bytes(out, &packed)?;
            }
        }
        Ok(())
    }

    /// How many rows of pixels wait before they are transformed.
    fn batch(&self) -> usize {
        let (down, _) = self.row();
        self.threads.count().saturating_mul(2).min(32).saturating_mul(down)
    }
}

impl Stream {
    /// The last bits.
    fn end(&mut self) -> Vec<u8> {
        let none = [[(0, 0); 256]; 4];
        let mut writer = Writer::resumed(&none, self.word);
        writer.align();
        writer.out
    }

    /// Rows of MCUs as bits, with the tables that stand.
    fn rows(&mut self, rows: &[Row], shape: &McuLayout, restart_rows: u32) -> Vec<u8> {
        let none = [(0, 0); 256];
        let mut tables = [none; 4];
        tables.iter_mut().zip(&self.codes).for_each(|(to, from)| *to = *from);
        let mut writer = Writer::resumed(&tables, self.word);
        for row in rows {
            if restart_rows > 0 && self.row > 0 && self.row.checked_rem(restart_rows) == Some(0) {
                writer.align();
                let number = self.row.checked_div(restart_rows).unwrap_or(1).wrapping_sub(1) & 7;
                writer.out.extend([0xff, 0xd0 | number as u8]);
                self.means = [0; 4];
            }
            interleaved(&mut writer, row, shape, &mut self.means);
            self.row = self.row.wrapping_add(1);
        }
        self.word = writer.pause();
        writer.out
    }
}

/// What stands before the tables: JFIF, EXIF, XMP, the profile, comments.
fn metadata_segments(facts: &Facts, out: &mut dyn Output, remarks: &mut Vec<String>) -> Result<()> {
    let m = &facts.metadata;
    let mut jfif = b"JFIF\0\x01\x02".to_vec();
    let density = m.resolution.map_or((0, 1.0, 1.0), |r| match r.unit {
        ResolutionUnit::Ratio => (0, r.x, r.y),
        ResolutionUnit::Inch => (1, r.x, r.y),
        ResolutionUnit::Metre => (2, r.x / 100.0, r.y / 100.0),
    });
    let word = |v: f64| ((v + 0.5) as u16).max(1);
    let (x, y) = (word(density.1), word(density.2));
    if m.resolution.is_some() && (f64::from(x) != density.1 || f64::from(y) != density.2) {
        remarks.push("the resolution is rounded to whole numbers".to_string());
    }
    jfif.push(density.0);
    jfif.extend(words_be(&[x, y]));
    jfif.extend([0, 0]);
    put_segment(out, 0xe0, &jfif)?;
    if let Some(block) = exif::for_picture(m.exif.as_deref(), m.orientation, facts.size) {
        let body = [b"Exif\0\0", block.as_slice()].concat();
        match body.len() <= SEGMENT_BYTES {
            true => put_segment(out, 0xe1, &body)?,
            false => remarks.push("the EXIF block is larger than a segment and is left out".to_string()),
        }
    }
    if let Some(packet) = &m.xmp {
        let body = [XMP, packet.as_bytes()].concat();
        match body.len() <= SEGMENT_BYTES {
            true => put_segment(out, 0xe1, &body)?,
            false => remarks.push("the XMP packet is larger than a segment and is left out".to_string()),
        }
    }
    let made = crate::file::profile::made(m, &facts.pixel_format);
    if let Some(profile) = m.icc.as_deref().or(made.as_deref()) {
        let each = SEGMENT_BYTES.saturating_sub(ICC.len()).saturating_sub(2);
        let parts: Vec<&[u8]> = profile.chunks(each).collect();
        match u8::try_from(parts.len()) {
            Ok(count) => {
                for (number, part) in (1u8..).zip(&parts) {
                    put_segment(out, 0xe2, &[ICC, &[number, count], part].concat())?;
                }
            }
            Err(_) => remarks.push("the profile is larger than 255 segments and is left out".to_string()),
        }
    }
    let mut others = Metadata { resolution: None, exif: None, xmp: None, icc: None, ..m.clone() };
    if m.icc.is_some() || made.is_some() {
        // The profile says both.
        (others.primaries, others.transfer) = Default::default();
    }
    for text in m.text.iter().filter(|t| t.keyword == "Comment" && t.text.len() <= SEGMENT_BYTES) {
        put_segment(out, 0xfe, text.text.as_bytes())?;
        others.text.retain(|t| t != text);
    }
    remarks.extend(left_out(&others, Holds::default()));
    Ok(())
}

impl Encoder for JpegEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        let (_, row_bytes) = self.row();
        for y in 0..rows.size().height {
            // `new` has let only bytes through.
            let SamplesRef::U8(row) = rows.row(y) else { continue };
            self.pending.extend_from_slice(row);
            self.left = self.left.saturating_sub(1);
            let waiting = self.pending.len().checked_div(row_bytes).unwrap_or(0);
            if waiting >= self.batch() || self.left == 0 {
                self.transform(out)?;
            }
        }
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        match self.held.take() {
            Some(rows) => self.scans.put_all(&rows, out)?,
            None => put_bytes(out, &self.stream.end())?,
        }
        put_bytes(out, &[0xff, 0xd9])
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
