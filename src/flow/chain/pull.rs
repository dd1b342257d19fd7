//! Rows pulled through a chain: how many at a time, which of them are kept, and those that steps take in turn.

use super::{Chain, Turns};
use crate::cancel::Cancel;
use crate::error::{Error, Result};
use crate::flow::{Sees, Strip};
use crate::frame::{Content, Size};
use crate::memory::MemoryBudget;
use std::ops::Range;

/// Bytes of all strips on the way to some rows of output: enough to spread what computes much over threads, few enough to stay
/// in the cache and to keep a picture of any size within some 30 MB (measured: 2 and 4 MiB are no quicker).
pub(super) const STRIP_BYTES: u64 = 1 << 20;

/// Told the source's row that is due next, each time rows have come.
type Tell<'t> = dyn FnMut(u32) -> Result<()> + 't;

impl Chain<'_> {
    /// Bytes that are held on the way to rows of what comes to link `k` (behind the last: of what comes out), without what a
    /// stage holds whole and what goes into one in turn.
    pub(super) fn cost(&self, k: usize, rows: Range<u32>) -> u64 {
        let facts = k.checked_sub(1).map_or(self.source.facts(), |before| self.links[before].stage.facts());
        let size = Size::new(facts.size.width, rows.end.saturating_sub(rows.start));
        let own = facts.pixel_format.bytes(size);
        let Some(before) = k.checked_sub(1) else { return own };
        let link = &self.links[before];
        if link.turns.is_some() || link.stage.sees() == Sees::Whole || rows.is_empty() {
            return own;
        }
        own.saturating_add(self.cost(before, link.stage.rows_needed(rows)))
    }

    /// How many of these rows, one at least, stay within the bytes of a strip at every stage.
    pub(super) fn fitting(&self, k: usize, rows: Range<u32>) -> u32 {
        let count = rows.end.saturating_sub(rows.start);
        let fits = |n: u32| self.cost(k, rows.start..rows.start + n) <= STRIP_BYTES;
        if count <= 1 || fits(count) {
            return count.max(1);
        }
        let (mut most, mut over) = (1, count);
        while over - most > 1 {
            let middle = most + (over - most) / 2;
            if fits(middle) {
                most = middle;
            } else {
                over = middle;
            }
        }
        most
    }

    /// The first round of every step that must see its input twice.
    pub(super) fn watch(&mut self, tell: &mut Tell<'_>) -> Result<()> {
        if std::mem::replace(&mut self.watched, true) {
            return Ok(());
        }
        for k in 0..self.links.len() {
            if self.links[k].stage.sees() != Sees::Twice {
                continue;
            }
            let height = self.links[k].input.size.height;
            let mut next = 0;
            while next < height {
                let end = next + self.fitting(k, next..height);
                let strip = self.pull(k, next..end, tell)?;
                self.links[k].stage.watch(&strip)?;
                next = end;
            }
            self.restart()?;
        }
        Ok(())
    }

    /// The source from its first row again.
    pub(super) fn restart(&mut self) -> Result<()> {
        self.source.rewind()?;
        self.at = 0;
        for link in &mut self.links {
            link.held = None;
            if let (Some(turns), Some(stage)) = (&mut link.turns, link.stage.in_turn()) {
                *turns = Turns::default();
                stage.restart();
            }
        }
        Ok(())
    }

    /// Rows of what comes to link `k` (behind the last: of what comes out), at least as many as asked for. More than a strip
    /// may take are put together from pieces, so that only they themselves are held.
    pub(super) fn pull(&mut self, k: usize, rows: Range<u32>, tell: &mut Tell<'_>) -> Result<Strip> {
        let Some(before) = k.checked_sub(1) else {
            return self.source_rows(rows, tell);
        };
        if self.links[before].turns.is_none() && self.fitting(k, rows.clone()) >= rows.end.saturating_sub(rows.start) {
            let need = self.need(before, rows.clone())?;
            let window = self.window(before, need, tell)?;
            let link = &mut self.links[before];
            let content = charged(link.stage.run(&window, rows.clone())?, self.budget.as_ref())?;
            link.held = Some(window);
            return Ok(Strip { first_row: rows.start, content });
        }
        let facts = self.links[before].stage.facts();
        let size = Size::new(facts.size.width, rows.end - rows.start);
        let mut content = Content::zeros(size, &facts.pixel_format, facts.account())?;
        let mut next = rows.start;
        while next < rows.end {
            let piece = match self.links[before].turns {
                Some(_) => self.in_turn(before, next, tell)?,
                None => {
                    let end = next + self.fitting(k, next..rows.end);
                    self.pull(k, next..end, tell)?.content
                }
            };
            let height = piece.size().height;
            content.put_rows(next - rows.start, &piece, 0..height)?;
            next += height;
        }
        Ok(Strip { first_row: rows.start, content })
    }

    /// The input rows that link `k` asks for, if they can be had.
    fn need(&self, k: usize, output: Range<u32>) -> Result<Range<u32>> {
        let link = &self.links[k];
        let (need, height) = (link.stage.rows_needed(output), link.input.size.height);
        if need.start > need.end || need.end > height {
            let (start, end, name) = (need.start, need.end, link.name);
            let line = format!("the step {name} asks for input rows {start}..{end} of a picture with rows 0..{height}");
            return Err(Error::wrong_order(line));
        }
        Ok(need)
    }

    /// One output row of link `k`, whose input goes in row by row; rows that were passed over are made and dropped.
    fn in_turn(&mut self, k: usize, output: u32, tell: &mut Tell<'_>) -> Result<Content> {
        loop {
            let Some(Turns { taken, made }) = self.links[k].turns else { return Err(Error::wrong_order("no turns")) };
            let need = self.need(k, made..made + 1)?;
            let mut next = taken.max(need.start);
            while next < need.end {
                let end = next + self.fitting(k, next..need.end);
                let strip = self.pull(k, next..end, tell)?;
                if let Some(stage) = self.links[k].stage.in_turn() {
                    stage.take(&strip)?;
                }
                next = end;
            }
            let link = &mut self.links[k];
            link.turns = Some(Turns { taken: next, made: made + 1 });
            let row = match link.stage.in_turn() {
                Some(stage) => stage.make(made)?,
                None => return Err(Error::wrong_order(format!("the step {} no longer takes rows in turn", link.name))),
            };
            if made >= output {
                return Ok(row);
            }
        }
    }

    /// A strip that holds the rows that link `k` needs, made of what it holds already and fresh rows.
    fn window(&mut self, k: usize, need: Range<u32>, tell: &mut Tell<'_>) -> Result<Strip> {
        let Some(held) = self.links[k].held.take() else {
            return self.pull(k, need, tell);
        };
        let have = held.rows();
        if have.start <= need.start && need.end <= have.end {
            return Ok(held);
        }
        if need.start < have.start {
            let (name, row, before) = (self.links[k].name, need.start, have.start);
            let line = format!("the step {name} asks for input row {row} behind row {before}; later rows must not");
            return Err(Error::wrong_order(line));
        }
        if need.start >= have.end {
            return self.pull(k, need, tell);
        }
        let fresh = self.pull(k, have.end..need.end, tell)?;
        let kept = have.end - need.start;
        let size = Size::new(held.content.size().width, need.end - need.start);
        let mut content = Content::zeros(size, &held.content.pixel_format(), held.content.account())?;
        content.put_rows(0, &held.content, need.start - have.start..have.end - have.start)?;
        content.put_rows(kept, &fresh.content, 0..fresh.content.size().height)?;
        Ok(Strip { first_row: need.start, content })
    }

    fn source_rows(&mut self, rows: Range<u32>, tell: &mut Tell<'_>) -> Result<Strip> {
        if rows.start < self.at {
            return Err(Error::wrong_order(format!("row {} was asked for behind row {}", rows.start, self.at)));
        }
        if rows.start > self.at {
            self.source.skip(rows.start - self.at)?;
        }
        let columns = self.links.first().and_then(|link| link.stage.columns_needed());
        let strip = match columns {
            Some(columns) => self.source.next_columns(rows.end - rows.start, columns)?,
            None => self.source.next(rows.end - rows.start)?,
        };
        self.at = rows.end;
        self.cancel.as_ref().map_or(Ok(()), Cancel::check)?;
        tell(self.at)?;
        match strip {
            Some(Strip { first_row, content })
                if content.size().height == rows.end - rows.start && first_row == rows.start =>
            {
                Ok(Strip { first_row, content: charged(content, self.budget.as_ref())? })
            }
            _ => Err(Error::malformed(format!("rows {}..{} did not come", rows.start, rows.end))),
        }
    }
}

/// What a source or a step made, charged to the chain's budget where there is one, whatever it was charged to.
fn charged(content: Content, budget: Option<&MemoryBudget>) -> Result<Content> {
    match budget {
        Some(budget) => content.charged_to(budget),
        None => Ok(content),
    }
}
