//! From page to page of a file, without beginning at its first byte where that can be spared.

use super::FileRows;
use crate::error::Result;
use crate::file::decoder::{ANOTHER_FOLLOWS, Jump, RowsOut, Stop};
use crate::file::feed::{begin, push};
use crate::flow::Source;
use crate::frame::Facts;

impl FileRows<'_> {
    /// Goes on to the next page; false behind the last.
    pub(super) fn turn(&mut self) -> Result<bool> {
        // Only a stream has to be read to the end of a page to get behind it.
        let goes_on = self.options.salvage.is_none() && !self.failed && (self.done || !self.input.is_stream());
        if self.page() >= self.facts.pages && !(goes_on && self.facts.more_pages) {
            return Ok(false);
        }
        if goes_on && self.go_on().map_err(|e| self.place(e))? {
            if let Some(facts) = self.decoder.facts() {
                let (bytes, format) = (self.facts.bytes, self.facts.format);
                self.facts = Facts { bytes, format, ..facts.clone() }.charged(self.bounds.to_inherit());
            }
            self.options.page = Some(self.page().saturating_add(1));
            self.before = self.bounds.done();
            (self.next, self.done, self.failed, self.remarks) = (0, false, false, self.facts.remarks.len());
            self.late.retain(|line| line != ANOTHER_FOLLOWS);
            return Ok(true);
        }
        if self.page() >= self.facts.pages {
            return Ok(false);
        }
        self.options.page = Some(self.page().saturating_add(1));
        self.earlier = Source::take_damage(self);
        let start = Jump { to: 0, keep_to: None, wanted: 0 };
        self.input.jump(start).map_err(|e| self.place(e))?;
        let begun = begin(&mut self.input, &self.options, &self.formats, &self.bounds);
        let (decoder, facts) = begun.map_err(|e| self.place(e))?;
        (self.decoder, self.before) = (decoder, self.bounds.done());
        self.facts = Facts { bytes: self.facts.bytes, ..facts }.charged(self.bounds.to_inherit());
        (self.next, self.done, self.broken, self.doubts, self.damage) = (0, false, false, false, None);
        (self.failed, self.surveyed, self.remarks) = (false, None, self.facts.remarks.len());
        if self.options.salvage.is_some() {
            self.survey()?;
        }
        Ok(true)
    }

    fn page(&self) -> u32 {
        self.options.page.unwrap_or(1)
    }

    /// Has the decoder go on to the next page, if it can, and read what it says.
    fn go_on(&mut self) -> Result<bool> {
        Ok(self.decoder.next_page()? && self.reach_facts()?)
    }

    /// Has the decoder begin the page again, if it can do that without beginning at the file's first byte.
    pub(super) fn begin_page_again(&mut self) -> Result<bool> {
        let can = self.options.salvage.is_none() && !self.failed && !self.input.is_stream();
        if !can || !self.decoder.rewind_page()? || !self.reach_facts()? {
            return Ok(false);
        }
        (self.next, self.done) = (0, false);
        Ok(true)
    }

    /// Reads on to where the decoder knows the facts of its page.
    fn reach_facts(&mut self) -> Result<bool> {
        let format = self.format();
        while self.decoder.facts().is_none() {
            if push(&mut self.input, self.decoder.as_mut(), &mut RowsOut::skip(0), format, &self.bounds)? == Stop::Done
            {
                return Ok(false);
            }
        }
        Ok(true)
    }
}
