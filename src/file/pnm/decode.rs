//! Reading: header, then samples as bytes or as decimal numbers; the pictures of a stream one behind the other.

use super::header::Header;
use super::plain::Plain;
use super::scale::Scale;
use crate::error::{Error, Result};
use crate::file::decoder::{ANOTHER_FOLLOWS, Decoder, RowsOut, Slot, Start, Stop};
use crate::file::stored::StoredRows;
use crate::frame::{Facts, FileFormat, Metadata, RowOrder};
use crate::memory::Charge;
use crate::pixel::{Meaning, codes};

/// Longer headers are refused: comments are all that could make one so long.
const HEADER_BYTES: usize = 32 << 10;
/// What a plane takes beside its numbers.
const PLANE_BYTES: usize = 256;

/// A decoder of portable maps: pushed bytes, gives rows.
pub(in crate::file) struct PnmDecoder {
    format: FileFormat,
    start: Start,
    /// Bytes of a header that is not complete yet.
    part: Vec<u8>,
    /// Where in the file the next byte of input lies.
    at: u64,
    /// Pictures met so far, with the one whose header is being read.
    page: u32,
    /// Pictures of the file, once they were counted.
    counted: Option<u32>,
    /// Where the header of the wanted picture is.
    header_at: u64,
    state: State,
    ended: bool,
    /// Behind the last row of a stream: whether it was looked at what follows.
    behind: Behind,
    body: Option<Body>,
    facts: Option<Facts>,
    charge: Charge,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    /// Reading the header of a picture.
    Header,
    /// Reading the headers behind the wanted picture's, to know how many there are.
    Counting,
    /// Giving rows.
    Rows,
    /// Going to a header at this place.
    At(u64),
}

/// What is known of what follows the last row of a stream.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Behind {
    /// Rows are still to be given, or have just been.
    Rows,
    /// The next byte is waited for.
    Asked,
    /// Nothing, or what is no picture.
    Nothing,
    Picture,
}

struct Body {
    header: Header,
    scale: Scale,
    rows: Rows,
}

enum Rows {
    Raw(StoredRows),
    Plain(Plain),
}

impl PnmDecoder {
    pub(in crate::file) fn new(format: FileFormat, start: Start) -> PnmDecoder {
        let (part, body, facts) = (Vec::new(), None, None);
        PnmDecoder {
            format,
            start,
            part,
            at: 0,
            page: 1,
            header_at: 0,
            counted: None,
            state: State::Header,
            ended: false,
            behind: Behind::Rows,
            body,
            facts,
            charge: Charge::NONE,
        }
    }

    /// Collects a header: the header once it is complete, and its bytes taken.
    fn header(&mut self, input: &mut &[u8]) -> Result<Option<Header>> {
        if self.part.is_empty() && self.page > 1 {
            // Nothing should stand between two pictures; some writers end each with a line.
            let space = input.iter().take_while(|b| b.is_ascii_whitespace()).count();
            self.take(input, space);
        }
        let before = self.part.len();
        // Wherever the input is cut, an error is that of a header which begins there.
        let (format, start) = (self.format, self.at.saturating_sub(before as u64));
        self.header_from(input, before).map_err(|e| e.in_format(format, Some(start)))
    }

    /// [`header`](PnmDecoder::header), of which so many bytes are there.
    fn header_from(&mut self, input: &mut &[u8], before: usize) -> Result<Option<Header>> {
        let room = HEADER_BYTES.saturating_sub(before).min(input.len());
        self.part.extend_from_slice(input.get(..room).unwrap_or_default());
        let parsed = match self.part.as_slice() {
            [b'P', b'1'..=b'7', ..] | [b'P'] | [] => Header::parse(&self.part)?,
            _ => return Err(Error::malformed(format!("page {} does not start as a map", self.page))),
        };
        let Some((header, length)) = parsed else {
            if self.part.len() >= HEADER_BYTES {
                return Err(Error::malformed(format!("the header is longer than {HEADER_BYTES} bytes")));
            }
            self.take(input, room);
            return Ok(None);
        };
        self.part.clear();
        self.take(input, length.saturating_sub(before));
        self.start.bounds.check_size(header.size)?;
        let row =
            header.row_samples().saturating_mul(4).saturating_add(header.channels.saturating_mul(PLANE_BYTES)) as u64;
        self.charge = self.start.bounds.charge("a row of pixels", row)?;
        Ok(Some(header))
    }

    fn take(&mut self, input: &mut &[u8], count: usize) {
        *input = input.get(count..).unwrap_or_default();
        self.at = self.at.saturating_add(count as u64);
    }

    /// The wanted picture's header has been read.
    fn begin(&mut self, header: Header) {
        let mut metadata = Metadata::default();
        let depth = header.depth();
        let full = depth.max_code() == Some(header.top);
        if header.layout.is_none() {
            // Of channels without a name nobody knows what they mean.
            let range = (!full).then_some((0.0, f64::from(header.top)));
            metadata.meaning = Meaning::Values { unit: None, range };
        } else if !full {
            metadata.max_codes = Some(vec![u32::from(header.top); header.channels]);
        }
        let mut facts = Facts::new(header.size, header.form(), metadata);
        facts.format = Some(self.format);
        facts.stored = Some(header.describe());
        facts.pages = self.counted.unwrap_or(self.page);
        facts.more_pages = self.start.length.is_none() && !header.plain;
        self.facts = Some(facts);
        let scaled = !full && header.layout.is_some();
        let samples = if scaled { codes::samples_of_codes(header.top, depth) } else { Vec::new() };
        let rows = match header.plain {
            true => Rows::Plain(Plain::new(&header)),
            false => {
                let bytes = header.row_bytes();
                Rows::Raw(StoredRows::new(self.at, bytes, bytes, header.size.height, false))
            }
        };
        self.body = Some(Body { header, scale: Scale { top: header.top, samples }, rows });
    }

    /// Looks at the first byte behind the rows of a stream, once those were given: what begins there is told, and read as the next page.
    fn look_behind(&mut self, rest: &mut &[u8], full: bool) -> Stop {
        match self.behind {
            // Who waits for rows does not wait for what follows them.
            Behind::Rows if full => {
                self.behind = Behind::Asked;
                return Stop::RowsGiven;
            }
            Behind::Rows | Behind::Asked => {
                self.behind = Behind::Asked;
                let space = rest.iter().take_while(|b| b.is_ascii_whitespace()).count();
                *rest = rest.get(space..).unwrap_or_default();
                let Some(first) = rest.first() else { return Stop::NeedInput };
                self.behind = if *first == b'P' { Behind::Picture } else { Behind::Nothing };
            }
            Behind::Nothing | Behind::Picture => {}
        }
        if let Some(facts) = &mut self.facts {
            facts.more_pages = self.behind == Behind::Picture;
            if facts.more_pages {
                facts.remarks.push(ANOTHER_FOLLOWS.to_string());
            }
        }
        Stop::Done
    }

    /// Reads a header: the wanted picture's, or one before or behind it, which is counted and gone past.
    fn headers(&mut self, input: &mut &[u8]) -> Result<Stop> {
        if let State::At(at) = self.state {
            (self.at, self.state) = (at, State::Header);
            return Ok(Stop::forward(at));
        }
        if self.ended && self.state == State::Header {
            let (page, pages) = (self.start.page, self.page.saturating_sub(1));
            return Err(Error::not_there(
                "page",
                page.into(),
                pages.into(),
                format!("there is no page {page}; the file has {pages}"),
            ));
        }
        if self.ended {
            if !self.part.is_empty() {
                self.remark("what follows the last picture is none".to_string());
            }
            return Ok(self.back_to_rows());
        }
        let header_at = self.at.saturating_sub(self.part.len() as u64);
        let header = match self.header(input) {
            Ok(None) => return Ok(Stop::NeedInput),
            Ok(Some(header)) => header,
            Err(_) if self.state == State::Counting => {
                self.remark("what follows the last picture is none".to_string());
                return Ok(self.back_to_rows());
            }
            Err(e) => return Err(e),
        };
        if header.plain && (self.page > 1 || self.start.page > 1) {
            return Err(Error::not_supported("several pictures in a file of plain numbers; each has one"));
        }
        let end = self.at.saturating_add(header.body_bytes());
        if self.state == State::Header && self.page == self.start.page {
            self.header_at = header_at;
            self.begin(header);
            if header.plain || self.start.length.is_none() || self.counted.is_some() {
                self.state = State::Rows;
                return Ok(Stop::Facts);
            }
            self.state = State::Counting;
        }
        if let (State::Counting, Some(facts)) = (self.state, &mut self.facts) {
            facts.pages = self.page;
            let ends = self.start.length.is_none_or(|length| end >= length);
            if !ends && self.page >= self.start.bounds.pages {
                facts.more_pages = true;
                self.remark(format!("there may be more than {} pages, which is the limit", self.page));
                return Ok(self.back_to_rows());
            }
            if ends {
                return Ok(self.back_to_rows());
            }
        }
        self.page = self.page.saturating_add(1);
        self.start.bounds.check_pages(self.page)?;
        self.at = end;
        Ok(Stop::forward(end))
    }

    fn remark(&mut self, line: String) {
        self.facts.iter_mut().for_each(|facts| facts.remarks.push(line.clone()));
    }

    /// To where the wanted picture's rows start; the facts are said there.
    fn back_to_rows(&mut self) -> Stop {
        self.part.clear();
        self.state = State::Rows;
        self.counted = self.facts.as_ref().map(|facts| facts.pages);
        match &self.body {
            Some(Body { rows: Rows::Raw(rows), .. }) if rows.start() != self.at => Stop::forward(rows.start()),
            _ => Stop::Facts,
        }
    }
}

impl Decoder for PnmDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if self.state != State::Rows {
            let stop = self.headers(rest)?;
            // Behind a jump back the facts are still to be said: `at` is kept to tell.
            return Ok(stop);
        }
        let Some(body) = &mut self.body else { return Ok(Stop::NeedInput) };
        let (header, scale) = (&body.header, &body.scale);
        match &mut body.rows {
            Rows::Raw(rows) => {
                if rows.start() != self.at {
                    self.at = rows.start();
                    return Ok(Stop::Facts);
                }
                let stop = rows.feed(rest, out, &mut |row, slot| match slot {
                    Slot::Row(to) => scale.store(header, row, to),
                    Slot::Planes(planes, y) => scale.store_planes(row, planes, y),
                    _ => Ok(()),
                })?;
                match stop {
                    Stop::Done if self.start.length.is_none() => Ok(self.look_behind(rest, out.is_full())),
                    stop => Ok(stop),
                }
            }
            Rows::Plain(plain) => {
                let stop = plain.feed(header, scale, rest, out)?;
                Ok(stop)
            }
        }
    }

    fn input_ended(&mut self) -> bool {
        match &mut self.body {
            Some(Body { rows: Rows::Plain(plain), .. }) => plain.input_ended(),
            Some(_) if self.behind == Behind::Asked => {
                self.behind = Behind::Nothing;
                true
            }
            _ => {
                // Between two pictures the file may end.
                let between = self.page > 1 && self.part.iter().all(u8::is_ascii_whitespace);
                self.ended = self.state == State::Counting || (self.state == State::Header && between);
                self.ended
            }
        }
    }

    fn next_page(&mut self) -> Result<bool> {
        let stream = self.start.length.is_none();
        let Some(Body { rows: Rows::Raw(rows), .. }) = &self.body else { return Ok(false) };
        if stream && self.behind != Behind::Picture {
            return Ok(false);
        }
        // Of a stream the next byte is that of its header already.
        self.state = if stream { State::Header } else { State::At(rows.end()) };
        self.start.page = self.start.page.saturating_add(1);
        (self.page, self.behind, self.ended) = (self.start.page, Behind::Rows, false);
        self.facts = None;
        Ok(true)
    }

    fn rewind_page(&mut self) -> Result<bool> {
        let raw = matches!(&self.body, Some(Body { rows: Rows::Raw(_), .. }));
        if !raw || self.start.length.is_none() || self.state != State::Rows {
            return Ok(false);
        }
        (self.page, self.behind, self.ended, self.facts) = (self.start.page, Behind::Rows, false, None);
        self.state = State::At(self.header_at);
        Ok(true)
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(Body { rows: Rows::Raw(rows), .. }) => rows.expected(),
            Some(Body { rows: Rows::Plain(plain), header, .. }) => plain.expected(header),
            None if self.page > 1 => format!("page {}", self.page),
            None => "the rest of the header".to_string(),
        }
    }

    fn rows_end(&self) -> Option<u64> {
        match &self.body {
            Some(Body { rows: Rows::Raw(rows), .. }) => Some(rows.end()),
            _ => None,
        }
    }

    fn row_order(&self) -> RowOrder {
        RowOrder::TopDown
    }
}
