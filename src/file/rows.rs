//! The rows of a file as it stores them: the decoder of its format, fed from its bytes.

use super::bounds::Bounds;
use super::decoder::{Decoder, RowsOut, Stop, ended_early};
use super::feed::{begin, push};
use super::formats::Formats;
use super::input::Input;
use super::options::{ReadOptions, Salvage};
use crate::error::{Error, ErrorKind, Result};
use crate::flow::{Damage, Source, Strip};
use crate::frame::{Content, Facts, FileFormat, Picture, RowOrder, Size};
use std::ops::Range;
use std::path::PathBuf;

mod pages;

/// Bytes of rows that are looked at together where a file is gone through before it is salvaged.
const SURVEY_BYTES: u64 = 1 << 20;
/// Bytes of rows that are given at once where the work may be ended from outside.
const PIECE_BYTES: u64 = 4 << 20;

/// A file as a source of the rows that it stores.
pub(super) struct FileRows<'a> {
    /// Its bounds, and the work that was done when the page began.
    bounds: Bounds,
    before: u64,
    input: Input<'a>,
    path: Option<PathBuf>,
    decoder: Box<dyn Decoder>,
    facts: Facts,
    options: ReadOptions,
    formats: Formats,
    next: u32,
    done: bool,
    /// Bytes that the file has, where that is known.
    length: Option<u64>,
    /// How many remarks the header gave, and those that only the rest of the file told.
    remarks: usize,
    late: Vec<String>,
    /// Whether an error has been given.
    failed: bool,
    /// Whether no more rows will come, though they are asked for.
    broken: bool,
    /// Whether bytes were wrong, so that the decoder is asked which rows may be.
    doubts: bool,
    damage: Option<Damage>,
    /// Damage of a page before, until it is taken.
    earlier: Option<Damage>,
    /// What going through the file before has found, where it is salvaged: the picture may end earlier then.
    surveyed: Option<Damage>,
}

impl<'a> FileRows<'a> {
    /// Finds out the format and reads the header.
    pub(super) fn start(
        mut input: Input<'a>,
        path: Option<PathBuf>,
        options: ReadOptions,
        formats: &Formats,
    ) -> Result<FileRows<'a>> {
        let named = |e: Error| match &path {
            Some(path) => e.in_file(path),
            None => e,
        };
        let whole = options.salvage.is_some() && !input.header_only();
        if whole && input.length().is_none() {
            // It is gone through twice.
            input.keep(u64::MAX).map_err(named)?;
        }
        let bounds = Bounds::new(&options);
        bounds.check_cancel().map_err(named)?;
        let (decoder, facts) = begin(&mut input, &options, formats, &bounds).map_err(named)?;
        let facts = facts.charged(bounds.to_inherit());
        let (next, done, broken, doubts, damage) = (0, false, false, false, None);
        let formats = formats.clone();
        let surveyed = None;
        let (length, remarks, late) = (input.length(), facts.remarks.len(), Vec::new());
        let mut rows = FileRows {
            bounds,
            before: 0,
            input,
            path,
            decoder,
            facts,
            options,
            formats,
            next,
            done,
            length,
            remarks,
            late,
            failed: false,
            broken,
            doubts,
            damage,
            earlier: None,
            surveyed,
        };
        if whole {
            rows.survey()?;
        }
        Ok(rows)
    }

    pub(super) fn path(&self) -> Option<&PathBuf> {
        self.path.as_ref()
    }

    /// Whether it cannot be read a second time.
    pub(super) fn is_stream(&self) -> bool {
        self.input.is_stream()
    }

    pub(super) fn options(&self) -> &ReadOptions {
        &self.options
    }

    pub(super) fn row_order(&self) -> RowOrder {
        self.decoder.row_order()
    }

    pub(super) fn facts_mut(&mut self) -> &mut Facts {
        &mut self.facts
    }

    /// The file's format.
    fn format(&self) -> FileFormat {
        // It was set when the header was read.
        self.facts.format.unwrap_or(FileFormat::Raw)
    }

    /// Rows for a strip, charged to the caller's budget.
    fn room(&self, size: Size) -> Result<Content> {
        Content::zeros(size, &self.facts.pixel_format, self.facts.account()).map_err(|e| self.place(e))
    }

    fn place(&self, error: Error) -> Error {
        match &self.path {
            Some(path) => error.in_file(path),
            None => error,
        }
    }

    /// Rows into a strip whose first is this row of the picture, or nowhere.
    fn step(&mut self, rows: RowsOut<'_>, first: u32) -> Result<()> {
        if self.failed {
            let line = "reading has failed before; rewind the source, or read it again with salvage";
            return Err(self.place(Error::wrong_order(line)));
        }
        let done = self.step_on(rows, first);
        // What a decoder holds after an error is half of something.
        self.failed = done.is_err();
        done
    }

    fn step_on(&mut self, mut rows: RowsOut<'_>, first: u32) -> Result<()> {
        self.check_all_work()?;
        if !self.broken {
            let format = self.format();
            match self.push_in_pieces(&mut rows, first, format) {
                Ok(stop) => self.done = stop == Stop::Done,
                Err(e) if self.options.salvage.is_some() && e.is_about_bytes() => self.salvage(&mut rows, e)?,
                Err(e) => return Err(self.place(e)),
            }
        }
        if self.broken {
            self.decoder.salvage(&mut rows);
        }
        self.check_work(first.saturating_add(rows.given()))?;
        // What only the whole file tells, such as how many scans there are.
        if let (Some(known), true) = (self.decoder.facts(), first == 0 || self.done) {
            self.facts.stored.clone_from(&known.stored);
            self.facts.more_pages = known.more_pages;
            self.late = known.remarks.get(self.remarks..).unwrap_or_default().to_vec();
        }
        if let (true, Some(damage)) = (self.doubts, &mut self.damage) {
            let height = self.facts.size.height;
            for rows in self.decoder.suspect() {
                damage.doubt(rows.start.min(height)..rows.end.min(height));
            }
        }
        rows.lose(rows.left());
        let (lost, suspect) = rows.lost_and_suspect();
        let placed = |rows: Range<u32>| rows.start.saturating_add(first)..rows.end.saturating_add(first);
        if let Some(damage) = &mut self.damage {
            for rows in lost {
                damage.lose(placed(rows));
            }
            for rows in suspect {
                damage.doubt(placed(rows));
            }
        }
        Ok(())
    }

    /// Feeds the decoder until the rows are full; where the work may be ended from outside, some rows after the others.
    fn push_in_pieces(&mut self, rows: &mut RowsOut<'_>, first: u32, format: FileFormat) -> Result<Stop> {
        let row = self.facts.pixel_format.bytes(Size::new(self.facts.size.width, 1)).max(1);
        let piece = u32::try_from(PIECE_BYTES.checked_div(row).unwrap_or(1)).unwrap_or(u32::MAX).max(1);
        loop {
            let due = if self.bounds.may_end() { piece.min(rows.left()) } else { rows.left() };
            let (width, before) = (u64::from(self.facts.size.width), rows.given());
            let pixels = |rows: u32| u64::from(rows).saturating_mul(width);
            // How long a stream is shows by and by.
            let ahead = self.length.is_some();
            self.bounds.work(if ahead { pixels(due) } else { 0 })?;
            let rest = rows.hold_back(due);
            let stop = push(&mut self.input, self.decoder.as_mut(), rows, format, &self.bounds);
            rows.release(rest);
            let stop = stop?;
            if !ahead {
                self.check_work(first.saturating_add(rows.given()))?;
                self.bounds.work(pixels(rows.given().saturating_sub(before)))?;
            }
            if stop != Stop::RowsGiven || rows.is_full() {
                return Ok(stop);
            }
        }
    }

    /// Checks the work of all rows before any is decoded, where that can be told; what is salvaged ends where it ends.
    fn check_all_work(&mut self) -> Result<()> {
        match self.length.is_some() && self.options.salvage != Some(Salvage::Cut) {
            true => self.check_work(self.facts.size.height),
            false => Ok(()),
        }
    }

    /// Checks that the file is not too short for so many rows: all of it where its length is known, else what was read of it.
    fn check_work(&mut self, rows: u32) -> Result<()> {
        let pixels = u64::from(self.facts.size.width).saturating_mul(u64::from(rows));
        let bytes = self.length.unwrap_or(self.input.used());
        let checked = self.options.limits.check_work(pixels, bytes);
        checked.map_err(|e| self.place(e.in_format(self.format(), None)))
    }

    /// Goes through the whole file, to know which rows can be read before the first is given.
    fn survey(&mut self) -> Result<()> {
        let Size { width, height } = self.facts.size;
        let row = self.facts.pixel_format.bytes(Size::new(width, 1));
        self.options.limits.check_memory("a row", row).map_err(|e| self.place(e))?;
        let each = u32::try_from(SURVEY_BYTES.checked_div(row).unwrap_or(1)).unwrap_or(u32::MAX).clamp(1, height);
        // Rows that are skipped may not be looked at.
        let mut rows = self.room(Size::new(width, each))?;
        let mut first = 0u32;
        while first < height && !self.broken {
            let count = each.min(height.saturating_sub(first));
            if count < each {
                rows = self.room(Size::new(width, count))?;
            }
            self.step(RowsOut::into_strip(&mut rows), first)?;
            first = first.saturating_add(count);
        }
        // Where no more will come, however many were declared, they are lost at once.
        self.step(RowsOut::skip(height.saturating_sub(first)), first)?;
        self.next = height;
        self.finish()?;
        let found = self.damage.take();
        Source::rewind(self)?;
        let Some(mut damage) = found else { return Ok(()) };
        damage.rows = height;
        // Lost rows come in order; what none of them covers, from the end, was the last to be read.
        let end = match damage.lost.last() {
            Some(last) if last.end >= height => last.start,
            _ => height,
        };
        if end == 0 {
            return Err(damage.error);
        }
        if self.options.salvage == Some(Salvage::Cut) {
            self.facts.size.height = end;
        }
        self.surveyed = Some(damage);
        Ok(())
    }

    /// Goes on after an error, as far as the decoder can.
    fn salvage(&mut self, rows: &mut RowsOut<'_>, error: Error) -> Result<()> {
        let error = self.place(error);
        // An early end says nothing of what came before it.
        self.doubts |= matches!(error.kind(), ErrorKind::Malformed(_));
        self.damage.get_or_insert_with(|| Damage::new(error));
        let format = self.format();
        while self.decoder.salvage(rows) {
            if rows.is_full() {
                return Ok(());
            }
            match push(&mut self.input, self.decoder.as_mut(), rows, format, &self.bounds) {
                Ok(stop) => {
                    self.done = stop == Stop::Done;
                    return Ok(());
                }
                Err(e) if e.is_about_bytes() => self.doubts |= matches!(e.kind(), ErrorKind::Malformed(_)),
                Err(e) => return Err(self.place(e)),
            }
        }
        self.broken = true;
        Ok(())
    }

    /// Reads all rows into a picture, and the file to its end.
    pub(super) fn read_whole(&mut self) -> Result<Picture> {
        let bytes = self.facts.pixel_format.bytes(self.facts.size);
        let place = |e: Error, rows: &FileRows<'_>| rows.place(e.in_format(rows.format(), None));
        self.options.limits.check_memory("the picture", bytes).map_err(|e| place(e, self))?;
        self.check_all_work()?;
        // A file that cannot hold what it declares is found out before memory is taken for it.
        if let (Some(end), Some(length), false) =
            (self.decoder.rows_end(), self.input.length(), self.options.salvage.is_some())
            && length < end
        {
            let error = ended_early(format!("{end} bytes, of which there are {length},"));
            return Err(self.place(error.in_format(self.format(), Some(length))));
        }
        let size = Size::new(self.facts.size.width, self.facts.size.height.saturating_sub(self.next));
        let content = Content::zeros(size, &self.facts.pixel_format, self.bounds.account());
        let mut content = content.map_err(|e| place(e, self))?;
        let first = std::mem::replace(&mut self.next, self.facts.size.height);
        self.step(RowsOut::into_strip(&mut content), first)?;
        self.finish()?;
        // A stream may tell of more behind its pixels.
        let known = self.decoder.facts().filter(|_| self.done && self.input.is_stream());
        Ok(Picture::new(content, known.unwrap_or(&self.facts).metadata.clone()))
    }

    /// Reads what follows the last row, so that checksums are checked.
    fn finish(&mut self) -> Result<()> {
        // What stands behind the last row was looked at when the file was gone through.
        while !self.done && !self.broken && self.surveyed.is_none() {
            self.step(RowsOut::skip(0), self.facts.size.height)?;
            if self.damage.is_some() {
                break;
            }
        }
        Ok(())
    }
}

impl Source for FileRows<'_> {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        let size = self.facts.size;
        let first_row = self.next;
        let end = size.height.min(first_row.saturating_add(rows));
        if first_row >= size.height {
            self.finish()?;
            return Ok(None);
        }
        if end == first_row {
            return Ok(None);
        }
        let size = Size::new(size.width, end.saturating_sub(first_row));
        let bytes = self.facts.pixel_format.bytes(size);
        self.options.limits.check_memory("a strip", bytes).map_err(|e| self.place(e))?;
        let mut content = self.room(size)?;
        self.next = end;
        self.step(RowsOut::into_strip(&mut content), first_row)?;
        Ok(Some(Strip { first_row, content }))
    }

    fn next_columns(&mut self, rows: u32, columns: Range<u32>) -> Result<Option<Strip>> {
        self.decoder.only_columns(columns);
        let strip = self.next(rows);
        self.decoder.only_columns(0..self.facts.size.width);
        strip
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        let first = self.next;
        self.next = self.facts.size.height.min(first.saturating_add(rows));
        self.step(RowsOut::skip(self.next.saturating_sub(first)), first)
    }

    fn rewind(&mut self) -> Result<()> {
        // What is gone through again is the caller's wish, not the file's doing.
        self.bounds.back_to(self.before);
        if self.begin_page_again().map_err(|e| self.place(e))? {
            return Ok(());
        }
        let start = super::decoder::Jump { to: 0, keep_to: None, wanted: 0 };
        self.input.jump(start).map_err(|e| self.place(e))?;
        let begun = begin(&mut self.input, &self.options, &self.formats, &self.bounds);
        self.decoder = begun.map_err(|e| self.place(e))?.0;
        (self.next, self.done, self.broken, self.doubts, self.damage) = (0, false, false, false, None);
        self.failed = false;
        Ok(())
    }

    fn next_page(&mut self) -> Result<bool> {
        self.turn()
    }

    fn damage(&self) -> Option<&Damage> {
        self.earlier.as_ref().or(self.surveyed.as_ref()).or(self.damage.as_ref())
    }

    fn take_late_remarks(&mut self) -> Vec<String> {
        std::mem::take(&mut self.late)
    }

    fn take_damage(&mut self) -> Option<Damage> {
        self.earlier.take().or_else(|| self.surveyed.take()).or_else(|| self.damage.take())
    }
}
