//! Reading: the directory of the page that is wanted, the values that it points to, then its rows.

mod page;

use super::band::Chunks;
use super::directory::{Directory, Missing, Parts};
use super::fetch::Fetch;
use super::rows::Converter;
use super::walk::{Step, Walk};
use crate::error::{Error, ErrorKind, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop};
use crate::frame::{Facts, PageFacts};
use crate::memory::Charge;
use std::collections::VecDeque;
use std::ops::Range;
use std::sync::Arc;

/// A decoder of TIFF: pushed bytes, asks for others, gives rows.
pub(in crate::file) struct TiffDecoder {
    start: Start,
    length: u64,
    fetch: Fetch,
    walk: Walk,
    state: State,
    parts: Parts,
    facts: Option<Facts>,
    page_list: Option<Arc<[PageFacts]>>,
    body: Option<Body>,
    given: u32,
    salvaging: bool,
    /// Whether what is read hangs below a page.
    hangs: bool,
    /// Tables and what has been fetched of values.
    charge: Charge,
    /// What parts of the file are charged until the directory is read.
    fetched: Charge,
    /// Names of planes and what else there is for each sample.
    samples: Charge,
}

/// What is read next.
enum State {
    /// Directories, until that of the page.
    Walk,
    /// The directory at a place: below the page's own, or that of the next page.
    Below(u64),
    /// Values of the page's directory; what is missing of them.
    Values(Directory, VecDeque<Missing>),
    /// The directories behind it, to count them.
    Count,
    /// The facts are to be said.
    Facts,
    Rows,
}

struct Body {
    chunks: Chunks,
    converter: Converter,
}

impl TiffDecoder {
    pub(in crate::file) fn new(start: Start) -> TiffDecoder {
        let (length, charge) = (start.length.unwrap_or(u64::MAX), Charge::on(start.bounds.account()));
        TiffDecoder {
            hangs: start.sub_page > 0,
            walk: Walk::new(start.bounds.clone(), length),
            start,
            length,
            fetch: Fetch::default(),
            state: State::Walk,
            parts: Parts::default(),
            facts: None,
            page_list: None,
            body: None,
            given: 0,
            salvaging: false,
            fetched: charge.clone(),
            charge,
            samples: Charge::NONE,
        }
    }

    /// Begins a page at its directory, those before it being known.
    fn begin_page(&mut self, at: u64) {
        (self.facts, self.body, self.parts) = (None, None, Parts::default());
        (self.given, self.salvaging, self.fetch) = (0, false, self.fetch.restarted());
        let none = Charge::on(self.start.bounds.account());
        (self.charge, self.fetched, self.samples) = (none.clone(), none, Charge::NONE);
        self.state = State::Below(at);
    }

    /// Everything before the rows; the stop that is due, if any.
    fn before_rows(&mut self, input: &mut &[u8]) -> Result<Option<Stop>> {
        loop {
            match std::mem::replace(&mut self.state, State::Walk) {
                State::Walk => match self.walk.step(&mut self.fetch, input)? {
                    Step::Wait(stop) => return Ok(Some(stop)),
                    Step::Page(directory) if self.walk.pages.len() as u64 == u64::from(self.start.page) => {
                        self.state = State::Values(directory, VecDeque::new());
                    }
                    Step::Page(_) => {}
                    Step::End => return Err(no_page(self.start.page, self.walk.pages.len() as u64)),
                },
                State::Below(at) => {
                    let Some(numbers) = self.walk.numbers else { return Ok(Some(Stop::NeedInput)) };
                    match self.walk.directory(at, numbers, &mut self.fetch, input)? {
                        Ok((directory, _)) => {
                            self.start.sub_page = 0;
                            self.state = State::Values(directory, VecDeque::new());
                        }
                        Err(stop) => {
                            self.state = State::Below(at);
                            return Ok(Some(stop));
                        }
                    }
                }
                State::Values(directory, missing) => {
                    if let Some(stop) = self.values(directory, missing, input)? {
                        return Ok(Some(stop));
                    }
                }
                State::Count => match self.walk.step(&mut self.fetch, input) {
                    Ok(Step::Wait(stop)) => {
                        self.state = State::Count;
                        return Ok(Some(stop));
                    }
                    Ok(Step::Page(_)) => self.state = State::Count,
                    Ok(Step::End) => self.count(None),
                    // What is wrong behind the page does not matter to it.
                    Err(e) if e.is_about_bytes() || matches!(e.kind(), ErrorKind::Limit { unit: "pages", .. }) => {
                        self.count(Some(e.kind().to_string()));
                    }
                    Err(e) => return Err(e),
                },
                State::Facts => {
                    self.state = State::Rows;
                    return Ok(Some(Stop::Facts));
                }
                State::Rows => {
                    self.state = State::Rows;
                    return Ok(None);
                }
            }
        }
    }

    /// All pages have been counted, or those before something that is wrong.
    fn count(&mut self, wrong: Option<String>) {
        self.state = State::Facts;
        let Some(facts) = &mut self.facts else { return };
        facts.pages = u32::try_from(self.walk.pages.len()).unwrap_or(u32::MAX);
        let list = self.page_list.get_or_insert_with(|| self.walk.pages.as_slice().into());
        facts.page_list = Arc::clone(list);
        facts.more_pages = wrong.is_some();
        facts.remarks.extend(wrong.map(|line| format!("what follows page {} was not read: {line}", facts.pages)));
    }

    fn salvages(&self) -> bool {
        self.start.salvages
    }

    fn rows(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        let Some(Body { chunks, converter }) = &mut self.body else { return Ok(Stop::Done) };
        let height = chunks.shape.size.height;
        loop {
            if self.given >= height {
                return Ok(Stop::Done);
            }
            if out.is_full() {
                return Ok(Stop::RowsGiven);
            }
            if out.skips() {
                let rows = out.left().min(height.saturating_sub(self.given));
                out.pass(rows);
                self.given = self.given.saturating_add(rows);
                continue;
            }
            if chunks.lies_in_rows() {
                match plain_row(chunks, converter, self.given, &mut self.fetch, input, out) {
                    Ok(None) => {}
                    Ok(Some(stop)) => return Ok(stop),
                    Err(e) if !self.salvaging || !e.is_about_bytes() => return Err(e),
                    Err(_) => out.lose(1),
                }
                self.given = self.given.saturating_add(1);
                continue;
            }
            if !chunks.has(self.given)
                && let Some(stop) = chunks.load(self.given, &mut self.fetch, input, self.salvaging)?
            {
                return Ok(stop);
            }
            let (rows, columns, whole) = chunks.row(self.given);
            let slot = out.next_row();
            if matches!(slot, Slot::Full) {
                return Ok(Stop::RowsGiven);
            }
            let put = converter.put(&rows, columns, slot);
            if !whole || (self.salvaging && put.is_err()) {
                out.spoil();
            } else if let Err(e) = put {
                out.spoil();
                self.given = self.given.saturating_add(1);
                return Err(e);
            }
            self.given = self.given.saturating_add(1);
        }
    }
}

/// Gives a row that lies in the file as it is; the stop that is due until its bytes are there.
fn plain_row(
    chunks: &Chunks,
    converter: &mut Converter,
    row: u32,
    fetch: &mut Fetch,
    input: &mut &[u8],
    out: &mut RowsOut<'_>,
) -> Result<Option<Stop>> {
    let columns = 0..chunks.shape.size.width as usize;
    let Some((at, each)) = chunks.place_of_row(row)? else {
        // It stays zero.
        let _ = out.next_row();
        return Ok(None);
    };
    if !chunks.changes(0)
        && let Some(bytes) = fetch.straight(input, at, each)
    {
        return converter.put(&[bytes], columns, out.next_row()).map(|()| None);
    }
    if let Some(stop) = fetch.collect(input, at, each) {
        return Ok(Some(stop));
    }
    let mut bytes = fetch.take();
    chunks.undo(0, &mut bytes, each);
    converter.put(&[&bytes], columns, out.next_row())?;
    fetch.give_back(bytes);
    Ok(None)
}

#[cold]
fn no_page(page: u32, pages: u64) -> Error {
    Error::not_there("page", page.into(), pages, format!("there is no page {page}; the file has {pages}"))
}

impl Decoder for TiffDecoder {
    fn feed(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if let Some(stop) = self.before_rows(input)? {
            return Ok(stop);
        }
        self.rows(input, out)
    }

    fn next_page(&mut self) -> Result<bool> {
        // A page below another one is followed by none.
        let next = self.walk.places.get(self.start.page as usize).filter(|_| !self.hangs).copied();
        let Some(at) = next else { return Ok(false) };
        self.start.page = self.start.page.saturating_add(1);
        self.begin_page(at);
        Ok(true)
    }

    fn rewind_page(&mut self) -> Result<bool> {
        let place = (self.start.page as usize).saturating_sub(1);
        let own = self.walk.places.get(place).filter(|_| !self.hangs && self.body.is_some()).copied();
        own.into_iter().for_each(|at| self.begin_page(at));
        Ok(own.is_some())
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(Body { chunks, .. }) if matches!(self.state, State::Rows) => {
                format!("row {} of {}", self.given, chunks.shape.size.height)
            }
            _ => "the rest of a directory or of its values".to_string(),
        }
    }

    fn only_columns(&mut self, columns: Range<u32>) {
        if let Some(Body { chunks, .. }) = &mut self.body
            && columns.end <= chunks.shape.size.width
            && !columns.is_empty()
        {
            chunks.columns = columns;
        }
    }

    fn salvage(&mut self, _out: &mut RowsOut<'_>) -> bool {
        if self.salvaging || self.body.is_none() {
            return false;
        }
        self.salvaging = true;
        let Some(Body { chunks, .. }) = &mut self.body else { return false };
        chunks.drop_band();
        self.fetch = self.fetch.restarted();
        true
    }
}
