//! Reading.

use super::header::{Field, Header, Kind, data_at};
use super::runs::Runs;
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Stop};
use crate::file::options::Limits;
use crate::file::upended::Upended;
use crate::frame::{Facts, Form, Format, Metadata, SamplesMut};
use crate::pixel::{Depth, Layout, codes};

/// A decoder of bitmaps: pushed bytes, gives rows.
pub(in crate::file) struct BmpDecoder {
    limits: Limits,
    /// Bytes of the header, then those of a row that is not complete yet.
    part: Vec<u8>,
    facts: Option<Facts>,
    body: Option<Body>,
}

/// What the pixels are expanded with.
struct Expander {
    header: Header,
    layout: Layout,
}

struct Body {
    expander: Expander,
    rows: Rows,
    given: u32,
}

/// In which order the rows come.
enum Rows {
    Down,
    Up(Upended),
    Runs(Runs),
}

impl BmpDecoder {
    pub(in crate::file) fn new(limits: Limits) -> BmpDecoder {
        BmpDecoder { limits, part: Vec::new(), facts: None, body: None }
    }

    /// Collects all that stands before the pixels; true once it is there.
    fn header(&mut self, input: &mut &[u8]) -> Result<bool> {
        for known in [false, true] {
            let wanted = match data_at(&self.part) {
                Some(at) if known => at.max(26),
                _ => 26,
            };
            self.limits.check_metadata(wanted as u64)?;
            let missing = wanted.saturating_sub(self.part.len()).min(input.len());
            let (head, tail) = input.split_at(missing);
            self.part.extend_from_slice(head);
            *input = tail;
            if self.part.len() < wanted {
                return Ok(false);
            }
        }
        let header = Header::parse(&self.part)?;
        self.part.clear();
        self.begin(header)?;
        Ok(true)
    }

    fn begin(&mut self, header: Header) -> Result<()> {
        self.limits.check_size(header.size)?;
        self.limits.check_memory("a row of pixels", header.row_bytes() as u64)?;
        let mut metadata = Metadata { resolution: header.resolution, ..Metadata::default() };
        let (layout, depth) = match &header.kind {
            Kind::Indices(palette) | Kind::Runs(palette) => {
                let gray = palette.iter().all(|[r, g, b]| r == g && g == b);
                (if gray { Layout::Gray } else { Layout::Rgb }, Depth::U8)
            }
            Kind::Bytes => (Layout::Rgb, Depth::U8),
            Kind::Fields(fields) => {
                let layout = if fields.len() == 4 { Layout::Rgba } else { Layout::Rgb };
                let depth = if fields.iter().all(|f| f.top < 256) { Depth::U8 } else { Depth::U16 };
                let full = depth.top_code().map(u32::from);
                let tops: Vec<u32> = fields.iter().map(|f| f.top).collect();
                metadata.top_codes = tops.iter().any(|&top| Some(top) != full).then_some(tops);
                (layout, depth)
            }
        };
        if let (Layout::Gray, Kind::Indices(palette) | Kind::Runs(palette)) = (layout, &header.kind) {
            metadata.top_codes = gray_top(palette).map(|top| vec![top]);
        }
        let rows = match &header.kind {
            Kind::Runs(_) => {
                self.limits.check_memory("a picture of runs, which is held whole,", header.size.pixels())?;
                Rows::Runs(Runs::new(header.size, header.bits == 4))
            }
            _ if header.top_down => Rows::Down,
            _ => Rows::Up(Upended::new(header.row_bytes(), header.size.height, &self.limits)?),
        };
        let mut facts = Facts::new(header.size, Form::Pixels { depth, layout }, metadata);
        facts.format = Some(Format::Bmp);
        facts.stored = Some(header.describe());
        self.facts = Some(facts);
        self.body = Some(Body { expander: Expander { header, layout }, rows, given: 0 });
        Ok(())
    }
}

/// The top code of a palette that is an even ramp of 2, 4 or 16 grays.
fn gray_top(palette: &[[u8; 3]]) -> Option<u32> {
    let top = u32::try_from(palette.len()).ok()?.checked_sub(1).filter(|top| matches!(top, 1 | 3 | 15))?;
    let even = (0u32..).zip(palette).all(|(code, [v, ..])| codes::sample_of(code, top, 255) == u32::from(*v));
    even.then_some(top)
}

impl Decoder for BmpDecoder {
    fn feed(&mut self, input: &[u8], out: &mut RowsOut<'_>) -> Result<(usize, Stop)> {
        let mut rest = input;
        let taken = |rest: &[u8]| input.len().saturating_sub(rest.len());
        let Some(body) = &mut self.body else {
            let stop = if self.header(&mut rest)? { Stop::Facts } else { Stop::NeedInput };
            return Ok((taken(rest), stop));
        };
        let height = body.expander.header.size.height;
        match &mut body.rows {
            Rows::Down => {
                let bytes = body.expander.header.row_bytes();
                while body.given < height {
                    if out.is_full() {
                        return Ok((taken(rest), Stop::RowsGiven));
                    }
                    let missing = bytes.saturating_sub(self.part.len()).min(rest.len());
                    let (head, tail) = rest.split_at(missing);
                    self.part.extend_from_slice(head);
                    rest = tail;
                    if self.part.len() < bytes {
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    if let Slot::Row(to) = out.next() {
                        body.expander.row(&self.part, to)?;
                    }
                    self.part.clear();
                    body.given = body.given.saturating_add(1);
                }
                Ok((taken(rest), Stop::Done))
            }
            Rows::Up(rows) => {
                if out.is_full() && rows.have() == 0 {
                    return Ok((0, Stop::RowsGiven));
                }
                if !rows.take(&mut rest) {
                    return Ok((taken(rest), Stop::NeedInput));
                }
                let mut failed = None;
                let all = rows.give(out, |row, to| {
                    if let Err(e) = body.expander.row(row, to) {
                        failed = Some(e);
                    }
                });
                match failed {
                    Some(e) => Err(e),
                    None => Ok((taken(rest), if all { Stop::Done } else { Stop::RowsGiven })),
                }
            }
            Rows::Runs(runs) => {
                if out.is_full() && body.given == 0 && height > 0 && !runs.ended {
                    return Ok((0, Stop::RowsGiven));
                }
                if !runs.take(&mut rest)? {
                    return Ok((taken(rest), Stop::NeedInput));
                }
                while body.given < height {
                    match out.next() {
                        Slot::Full => return Ok((taken(rest), Stop::RowsGiven)),
                        Slot::Skip => {}
                        Slot::Row(to) => body.expander.indices(runs.row(body.given).iter().copied(), to)?,
                    }
                    body.given = body.given.saturating_add(1);
                }
                Ok((taken(rest), Stop::Done))
            }
        }
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match self.body.as_ref().map(|b| (&b.rows, b.given, b.expander.header.size.height)) {
            Some((Rows::Up(rows), _, height)) => format!("row {} from below of {height}", rows.have()),
            Some((Rows::Down, given, height)) => format!("row {given} of {height}"),
            Some((Rows::Runs(_), ..)) => "the end of the runs".to_string(),
            None => "the rest of the header".to_string(),
        }
    }
}

impl Expander {
    /// A stored row as samples.
    fn row(&self, row: &[u8], to: SamplesMut<'_>) -> Result<()> {
        let width = self.header.size.width as usize;
        match &self.header.kind {
            Kind::Bytes => {
                if let SamplesMut::U8(to) = to {
                    let pixels = to.as_chunks_mut::<3>().0.iter_mut().zip(row.as_chunks::<3>().0);
                    pixels.for_each(|(to, &[b, g, r])| *to = [r, g, b]);
                }
                Ok(())
            }
            Kind::Fields(fields) => {
                let pixels = row.chunks_exact(usize::from(self.header.bits / 8)).take(width);
                let number = |bytes: &[u8]| bytes.iter().rev().fold(0u32, |n, &b| (n << 8) | u32::from(b));
                fields_into(pixels.map(number), fields, to);
                Ok(())
            }
            Kind::Indices(_) | Kind::Runs(_) => {
                // The leftmost index is in the highest bits; bits are 1, 4 or 8, so they divide a byte.
                let bits = u32::from(self.header.bits);
                let each = 8u32.checked_div(bits).unwrap_or(1);
                let mask = (1u32 << bits.min(8)).saturating_sub(1);
                let indices = row.iter().flat_map(|&byte| {
                    (1..=each).map(move |i| {
                        let shift = 8u32.saturating_sub(bits.saturating_mul(i));
                        ((u32::from(byte) >> shift) & mask) as u8
                    })
                });
                self.indices(indices.take(width), to)
            }
        }
    }

    fn indices(&self, indices: impl Iterator<Item = u8>, to: SamplesMut<'_>) -> Result<()> {
        let (Kind::Indices(palette) | Kind::Runs(palette), SamplesMut::U8(to)) = (&self.header.kind, to) else {
            return Ok(());
        };
        let channels = self.layout.channels();
        for (to, index) in to.chunks_exact_mut(channels).zip(indices) {
            let color = palette.get(usize::from(index)).ok_or_else(|| {
                Error::damaged(format!("a pixel has index {index}; the palette has {} colours", palette.len()))
            })?;
            to.iter_mut().zip(color).for_each(|(to, v)| *to = *v);
        }
        Ok(())
    }
}

/// Pixels of fields as samples scaled to the full range.
fn fields_into(pixels: impl Iterator<Item = u32>, fields: &[Field], to: SamplesMut<'_>) {
    let code = |pixel: u32, f: &Field| (pixel >> f.shift) & f.top;
    match to {
        SamplesMut::U8(to) => {
            for (to, pixel) in to.chunks_exact_mut(fields.len()).zip(pixels) {
                to.iter_mut().zip(fields).for_each(|(to, f)| *to = codes::sample_of(code(pixel, f), f.top, 255) as u8);
            }
        }
        SamplesMut::U16(to) => {
            for (to, pixel) in to.chunks_exact_mut(fields.len()).zip(pixels) {
                to.iter_mut().zip(fields).for_each(|(to, f)| {
                    *to = codes::sample_of(code(pixel, f), f.top, 65_535) as u16;
                });
            }
        }
        SamplesMut::F32(_) => {}
    }
}
