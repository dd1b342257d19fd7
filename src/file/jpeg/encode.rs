//! Writing: baseline or progressive, with the best Huffman tables where the coefficients can be held, else with the
//! standard's examples.

use super::codes::{Counter, Table, Writer};
use super::fdct::reciprocals;
use super::planes::{Row, Shape, row_of_mcus};
use super::scan::NATURAL;
use super::scans::{Progress, blocks_of, interleaved, part_of_scan, progress};
use super::segments::{ICC, XMP};
use super::tables::{CHROMA, LUMINANCE, scaled};
use crate::error::{Error, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, left_out, put_bytes};
use crate::file::exif;
use crate::file::options::{ChromaSampling, JpegOptions, WriteOptions};
use crate::frame::{Content, Facts, Form, Format, Metadata, ResolutionUnit, SamplesRef};
use crate::pixel::{Depth, Layout};
use crate::threads::{self, Threads};

/// Bytes of coefficients that are held so that the best tables can be found.
const HELD_BYTES: u64 = 256 << 20;
/// Bytes of a segment's body at most.
const SEGMENT_BYTES: usize = 65_533;

/// A JPEG encoder: given rows, gives bytes.
pub(in crate::file) struct JpegEncoder {
    shape: Shape,
    options: JpegOptions,
    threads: Threads,
    facts: (u16, u16),
    /// Rows that wait for more: some rows of MCUs.
    pending: Vec<u8>,
    left: u32,
    /// Coefficients of all rows of MCUs, where they are held.
    held: Option<Vec<Row>>,
    stream: Stream,
    remarks: Vec<String>,
}

/// What is carried from row to row where the scan is written at once.
#[derive(Default)]
struct Stream {
    means: [i32; 3],
    row: u32,
    codes: Vec<[(u16, u8); 256]>,
    /// Bits that do not make a byte yet.
    word: (u64, u32),
}

impl JpegEncoder {
    /// Starts a file: everything before the first scan's tables.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<JpegEncoder> {
        let refuse = |what: &str, remedy: &str| Err(cannot_hold(Format::Jpeg, what, remedy));
        let channels = match facts.form {
            Form::Pixels { depth: Depth::U8, layout: Layout::Gray } => 1,
            Form::Pixels { depth: Depth::U8, layout: Layout::Rgb } => 3,
            Form::Pixels { layout, .. } if layout.has_alpha() => return refuse("alpha", "add --flatten COLOUR"),
            Form::Pixels { depth: Depth::U8, .. } => return refuse("cmyk", "add --as color"),
            Form::Pixels { .. } => return refuse("u16 samples", "add --depth u8"),
            Form::Planes { .. } => return refuse("planes", "add --depth u8 to make them a picture"),
        };
        let (Ok(width), Ok(height)) = (u16::try_from(facts.size.width), u16::try_from(facts.size.height)) else {
            return refuse(&format!("a picture of {}", facts.size), "each side must be 1 to 65535");
        };
        if facts.size.is_empty() {
            return refuse(&format!("a picture of {}", facts.size), "each side must be 1 to 65535");
        }
        let options_here = options.jpeg;
        let (h, v) = match (channels, options_here.sampling) {
            (1, _) | (_, ChromaSampling::Full) => (1usize, 1usize),
            (_, ChromaSampling::HalfAcross) => (2, 1),
            (_, ChromaSampling::HalfBoth) => (2, 2),
        };
        let quality = options_here.quality.clamp(1, 100);
        let (luminance, chroma) = (scaled(&LUMINANCE, quality), scaled(&CHROMA, quality));
        let mcus = usize::from(width).div_ceil(h.saturating_mul(8));
        let shape = Shape {
            channels,
            width: usize::from(width),
            h,
            v,
            mcus,
            luminance: reciprocals(&luminance),
            chroma: reciprocals(&chroma),
        };
        let blocks = mcus.saturating_mul(if channels == 1 { 1 } else { h.saturating_mul(v).saturating_add(2) });
        let rows = usize::from(height).div_ceil(v.saturating_mul(8));
        let bytes = (blocks.saturating_mul(rows) as u64).saturating_mul(128);
        let held = (options_here.progressive || bytes <= HELD_BYTES).then(Vec::new);
        put_bytes(out, &[0xff, 0xd8])?;
        let mut remarks = Vec::new();
        metadata_segments(facts, out, &mut remarks)?;
        for (number, table) in [luminance, chroma].iter().enumerate().take(if channels == 1 { 1 } else { 2 }) {
            let mut body = vec![number as u8];
            body.extend(NATURAL.iter().take(64).map(|&at| table.get(usize::from(at)).copied().unwrap_or(1) as u8));
            put_segment(out, 0xdb, &body)?;
        }
        let mut body = vec![8];
        body.extend([height, width].map(u16::to_be_bytes).concat());
        body.extend([channels as u8, 1, (h << 4 | v) as u8, 0]);
        if channels == 3 {
            body.extend([2, 0x11, 1, 3, 0x11, 1]);
        }
        put_segment(out, if options_here.progressive { 0xc2 } else { 0xc0 }, &body)?;
        // A scan of luminance alone counts its blocks.
        let each = if options_here.progressive { mcus.saturating_mul(h).saturating_mul(v) } else { mcus };
        let restarts = u64::from(options_here.restart_rows).saturating_mul(each as u64);
        if restarts > u64::from(u16::MAX) {
            return refuse(&format!("a restart interval of {restarts} blocks"), "65535 are the most; name fewer rows");
        }
        let mut encoder = JpegEncoder {
            shape,
            options: options_here,
            threads: options.threads,
            facts: (width, height),
            pending: Vec::new(),
            left: facts.size.height,
            held,
            stream: Stream::default(),
            remarks,
        };
        if encoder.held.is_none() {
            let tables = [
                Table::example(true, true),
                Table::example(false, true),
                Table::example(true, false),
                Table::example(false, false),
            ];
            encoder.stream.codes = tables.iter().map(Table::codes).collect();
            encoder.put_tables(&tables, out)?;
            encoder.put_interval(mcus, out)?;
            encoder.put_scan_header(&[0, 1, 2], (0, 63), (0, 0), out)?;
        }
        Ok(encoder)
    }

    fn put_tables(&self, tables: &[Table], out: &mut dyn Output) -> Result<()> {
        let count = if self.shape.channels == 1 { 2 } else { 4 };
        for (number, table) in tables.iter().enumerate().take(count) {
            let kind = ((number & 1) << 4 | number >> 1) as u8;
            put_segment(out, 0xc4, &[&[kind][..], &table.counts, &table.symbols].concat())?;
        }
        Ok(())
    }

    /// The restart interval, where there is one: so many rows of `each` blocks.
    fn put_interval(&self, each: usize, out: &mut dyn Output) -> Result<()> {
        match usize::from(self.options.restart_rows).saturating_mul(each) as u16 {
            0 => Ok(()),
            interval => put_segment(out, 0xdd, &interval.to_be_bytes()),
        }
    }

    fn put_scan_header(&self, parts: &[u8], band: (u8, u8), bits: (u8, u8), out: &mut dyn Output) -> Result<()> {
        let parts: Vec<u8> = parts.iter().copied().filter(|&p| usize::from(p) < self.shape.channels).collect();
        let mut body = vec![parts.len() as u8];
        parts.iter().for_each(|&p| body.extend([p.saturating_add(1), if p == 0 { 0 } else { 0x11 }]));
        body.extend([band.0, band.1, bits.0 << 4 | bits.1]);
        put_segment(out, 0xda, &body)
    }

    /// Rows of MCUs that wait, transformed on all threads.
    fn transform(&mut self, out: &mut dyn Output) -> Result<()> {
        let down = self.shape.v.saturating_mul(8);
        let bytes = self.shape.width.saturating_mul(self.shape.channels).saturating_mul(down).max(1);
        let shape = &self.shape;
        let jobs: Vec<&[u8]> = self.pending.chunks(bytes).collect();
        let rows = threads::collect(jobs, |pixels| row_of_mcus(shape, pixels));
        self.pending.clear();
        match &mut self.held {
            Some(held) => held.extend(rows),
            None => {
                let packed = self.stream.rows(&rows, &self.shape, u32::from(self.options.restart_rows));
                put_bytes(out, &packed)?;
            }
        }
        Ok(())
    }

    /// How many rows of pixels wait before they are transformed.
    fn batch(&self) -> usize {
        let down = self.shape.v.saturating_mul(8);
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
    fn rows(&mut self, rows: &[Row], shape: &Shape, restart_rows: u32) -> Vec<u8> {
        let none = [(0, 0); 256];
        let mut tables = [none; 4];
        tables.iter_mut().zip(&self.codes).for_each(|(to, from)| *to = *from);
        let mut writer = Writer::resumed(&tables, self.word);
        for row in rows {
            if restart_rows > 0 && self.row > 0 && self.row.checked_rem(restart_rows) == Some(0) {
                writer.align();
                let number = self.row.checked_div(restart_rows).unwrap_or(1).wrapping_sub(1) & 7;
                writer.out.extend([0xff, 0xd0 | number as u8]);
                self.means = [0; 3];
            }
            interleaved(&mut writer, row, shape, &mut self.means);
            self.row = self.row.wrapping_add(1);
        }
        self.word = writer.pause();
        writer.out
    }
}

impl JpegEncoder {
    /// A scan of the coefficients held: counted, then written, its parts between restart marks on all threads.
    fn put_scan(&self, rows: &[Row], scan: Option<Progress>, out: &mut dyn Output) -> Result<()> {
        let (shape, size) = (&self.shape, self.facts);
        let each = match self.options.restart_rows {
            0 => rows.len().max(1),
            n => usize::from(n),
        };
        let parts: Vec<(usize, &[Row])> =
            rows.chunks(each).enumerate().map(|(i, part)| (i.saturating_mul(each), part)).collect();
        let counted = threads::collect(parts.clone(), |part| {
            let mut counter = Counter([[0; 256]; 4]);
            part_of_scan(&mut counter, part, shape, size, scan);
            counter.0
        });
        let mut often = [[0u64; 256]; 4];
        for part in &counted {
            for (to, from) in often.iter_mut().flatten().zip(part.iter().flatten()) {
                *to = to.saturating_add(*from);
            }
        }
        let tables = often.each_ref().map(Table::best);
        let used = |number: usize| often.get(number).is_some_and(|t| t.iter().any(|&n| n > 0));
        for (number, table) in tables.iter().enumerate().filter(|(number, _)| used(*number)) {
            let kind = ((number & 1) << 4 | number >> 1) as u8;
            put_segment(out, 0xc4, &[&[kind][..], &table.counts, &table.symbols].concat())?;
        }
        let blocks_a_row = match scan.and_then(|s| s.component) {
            None => shape.mcus,
            Some(component) => {
                let ((across, _), (_, v)) = blocks_of(component, shape, size);
                across.saturating_mul(v)
            }
        };
        self.put_interval(blocks_a_row, out)?;
        match scan {
            None => self.put_scan_header(&[0, 1, 2], (0, 63), (0, 0), out)?,
            Some(Progress { component, band, high, low }) => {
                let parts: Vec<u8> = component.map_or(vec![0, 1, 2], |c| vec![c as u8]);
                self.put_scan_header(&parts, band, (high, low), out)?;
            }
        }
        let codes = tables.each_ref().map(Table::codes);
        let packed = threads::collect(parts, |part| {
            let mut writer = Writer::new(&codes);
            part_of_scan(&mut writer, part, shape, size, scan);
            writer.align();
            writer.out
        });
        for (i, part) in packed.iter().enumerate() {
            if i > 0 {
                put_bytes(out, &[0xff, 0xd0 | (i.wrapping_sub(1) & 7) as u8])?;
            }
            put_bytes(out, part)?;
        }
        Ok(())
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
    jfif.extend([x, y].map(u16::to_be_bytes).concat());
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
    if let Some(profile) = &m.icc {
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
    for text in m.text.iter().filter(|t| t.keyword == "Comment" && t.text.len() <= SEGMENT_BYTES) {
        put_segment(out, 0xfe, text.text.as_bytes())?;
        others.text.retain(|t| t != text);
    }
    remarks.extend(left_out(&others, true));
    Ok(())
}

fn put_segment(out: &mut dyn Output, marker: u8, body: &[u8]) -> Result<()> {
    let length =
        u16::try_from(body.len().saturating_add(2)).map_err(|_| Error::unusable("a segment of over 64 KiB"))?;
    put_bytes(out, &[&[0xff, marker], &length.to_be_bytes()[..], body].concat())
}

impl Encoder for JpegEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        let row_bytes = self.shape.width.saturating_mul(self.shape.channels).max(1);
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
            Some(rows) if self.options.progressive => {
                for scan in progress(self.shape.channels) {
                    self.put_scan(&rows, Some(scan), out)?;
                }
            }
            Some(rows) => self.put_scan(&rows, None, out)?,
            None => put_bytes(out, &self.stream.end())?,
        }
        put_bytes(out, &[0xff, 0xd9])
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
