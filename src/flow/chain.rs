//! A source and the steps behind it, pulled strip by strip.

use super::{Damage, FromCodes, Sees, Sink, Source, Step, Strip};
use crate::error::{Error, Result};
use crate::frame::{Content, Facts, Picture, Scale};
use std::ops::Range;

/// Bytes of the widest strip of a chain: large enough to spread over threads, small enough to stay near the cache.
const STRIP_BYTES: u64 = 4 << 20;

/// A source and the steps its rows go through.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Region, Rgb, Size, flow};
/// let picture = Frame::from_fn(Size::new(64, 48), |x, y| Rgb::new(x as u8, y as u8, 0))?.into();
/// let steps: Vec<Box<dyn flow::Step>> =
///     vec![Box::new(flow::Crop::new(Region::new(8..16, 4..8)?)), Box::new(flow::ToGray::default())];
/// let mut chain = flow::Chain::new(Box::new(flow::PictureSource::new(picture)), steps)?;
/// let mut sink = flow::PictureSink::new(chain.facts())?;
/// chain.run_into(&mut sink)?;
/// assert_eq!(sink.into_picture()?.size(), Size::new(8, 4));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub struct Chain<'a> {
    source: Box<dyn Source + 'a>,
    stages: Vec<Stage<'a>>,
    facts: Facts,
    /// The source's next row.
    at: u32,
    /// The next row to come out, where the chain is used as a source.
    next: u32,
    /// Whether the steps that see everything twice have seen it once.
    watched: bool,
}

struct Stage<'a> {
    step: Box<dyn Step + 'a>,
    input: Facts,
    /// Input rows seen last, kept for rows that are needed again.
    held: Option<Strip>,
}

impl std::fmt::Debug for Chain<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let names: Vec<_> = self.stages.iter().map(|s| s.step.name()).collect();
        f.debug_struct("Chain").field("steps", &names).field("facts", &self.facts).finish()
    }
}

impl<'a> Chain<'a> {
    /// Plans the steps one behind the other.
    ///
    /// # Errors
    /// A step that cannot work on what comes to it.
    pub fn new(source: Box<dyn Source + 'a>, steps: Vec<Box<dyn Step + 'a>>) -> Result<Chain<'a>> {
        let mut facts = source.facts().clone();
        let mut stages = Vec::with_capacity(steps.len());
        for mut step in steps {
            if facts.metadata.scale == Scale::Codes && !step.takes_codes() {
                let mut scaled: Box<dyn Step + 'a> = Box::new(FromCodes::default());
                let output = scaled.plan(&facts)?;
                let input = std::mem::replace(&mut facts, output);
                stages.push(Stage { step: scaled, input, held: None });
            }
            let output = step.plan(&facts)?;
            let input = std::mem::replace(&mut facts, output);
            stages.push(Stage { step, input, held: None });
        }
        Ok(Chain { source, stages, facts, at: 0, next: 0, watched: false })
    }

    /// Facts of the chain's output.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    /// Pulls every row through and into a sink, and ends the sink. The source is read to its end, so that damage behind
    /// the last needed row is found where all its rows are needed.
    ///
    /// # Errors
    /// Errors of the source, a step or the sink.
    pub fn run_into(&mut self, sink: &mut dyn Sink) -> Result<()> {
        self.watch()?;
        let rows_each = self.rows_each();
        let height = self.facts.size.height;
        let mut next = 0;
        while next < height {
            let end = height.min(next.saturating_add(rows_each));
            let strip = self.pull(self.stages.len(), next..end)?;
            sink.put(&strip)?;
            next = end;
        }
        self.end_source()?;
        sink.finish()
    }

    /// Reads what follows the source's last row, where that row was needed.
    fn end_source(&mut self) -> Result<()> {
        if self.at >= self.source.facts().size.height {
            self.source.next(0)?;
        }
        Ok(())
    }

    /// Rows of output at a time, so that the widest strip on the way stays within [`STRIP_BYTES`].
    fn rows_each(&self) -> u32 {
        let row = |facts: &Facts| {
            let size = crate::frame::Size::new(facts.size.width, 1);
            facts.pixel_format.bytes(size)
        };
        let widest = self.stages.iter().map(|s| row(&s.input)).chain([row(&self.facts)]).max().unwrap_or(1);
        u32::try_from(STRIP_BYTES / widest.max(1)).unwrap_or(u32::MAX).max(1)
    }

    /// The first round of every step that must see its input twice.
    fn watch(&mut self) -> Result<()> {
        if std::mem::replace(&mut self.watched, true) {
            return Ok(());
        }
        for k in 0..self.stages.len() {
            let stage = &self.stages[k];
            if stage.step.sees() != Sees::Twice {
                continue;
            }
            let (height, rows_each) = (stage.input.size.height, self.rows_each());
            let mut next = 0;
            while next < height {
                let end = height.min(next.saturating_add(rows_each));
                let strip = self.pull(k, next..end)?;
                self.stages[k].step.watch(&strip)?;
                next = end;
            }
            self.source.rewind()?;
            self.at = 0;
            self.stages.iter_mut().for_each(|s| s.held = None);
        }
        Ok(())
    }

    /// Rows of what comes to stage `k` (behind the last stage: of what comes out), at least as many as asked for.
    fn pull(&mut self, k: usize, rows: Range<u32>) -> Result<Strip> {
        let Some(before) = k.checked_sub(1) else {
            return self.source_rows(rows);
        };
        let need = self.stages[before].step.rows_needed(rows.clone());
        let window = self.window(before, need)?;
        let stage = &mut self.stages[before];
        let content = stage.step.run(&window, rows.clone())?;
        stage.held = Some(window);
        Ok(Strip { first_row: rows.start, content })
    }

    /// A strip that holds the rows that stage `k` needs, made of what it holds already and fresh rows.
    fn window(&mut self, k: usize, need: Range<u32>) -> Result<Strip> {
        let Some(held) = self.stages[k].held.take() else {
            return self.pull(k, need);
        };
        let have = held.rows();
        if have.start <= need.start && need.end <= have.end {
            return Ok(held);
        }
        if need.start >= have.end || need.start < have.start {
            return self.pull(k, need);
        }
        let fresh = self.pull(k, have.end..need.end)?;
        let kept = have.end - need.start;
        let size = crate::frame::Size::new(held.content.size().width, need.end - need.start);
        let mut content = Content::new(size, &held.content.pixel_format())?;
        content.put_rows(0, &held.content, need.start - have.start..have.end - have.start)?;
        content.put_rows(kept, &fresh.content, 0..fresh.content.size().height)?;
        Ok(Strip { first_row: need.start, content })
    }

    fn source_rows(&mut self, rows: Range<u32>) -> Result<Strip> {
        if rows.start < self.at {
            return Err(Error::wrong_order(format!("row {} was asked for behind row {}", rows.start, self.at)));
        }
        if rows.start > self.at {
            self.source.skip(rows.start - self.at)?;
        }
        let strip = self.source.next(rows.end - rows.start)?;
        self.at = rows.end;
        match strip {
            Some(strip) if strip.rows() == rows => Ok(strip),
            _ => Err(Error::malformed(format!("rows {}..{} did not come", rows.start, rows.end))),
        }
    }
}

impl Source for Chain<'_> {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        self.watch()?;
        let end = self.facts.size.height.min(self.next.saturating_add(rows));
        if self.next >= self.facts.size.height {
            self.end_source()?;
            return Ok(None);
        }
        let strip = self.pull(self.stages.len(), self.next..end)?;
        self.next = end;
        Ok(Some(strip))
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        self.next = self.facts.size.height.min(self.next.saturating_add(rows));
        Ok(())
    }

    fn rewind(&mut self) -> Result<()> {
        self.source.rewind()?;
        (self.at, self.next) = (0, 0);
        self.stages.iter_mut().for_each(|stage| stage.held = None);
        Ok(())
    }

    fn damage(&self) -> Option<&Damage> {
        self.source.damage()
    }

    fn take_damage(&mut self) -> Option<Damage> {
        self.source.take_damage()
    }
}

/// Runs steps on a whole picture in memory, one behind the other.
///
/// # Errors
/// A step that cannot work on what comes to it.
pub fn apply(picture: Picture, steps: &mut [&mut dyn Step]) -> Result<Picture> {
    let mut facts = picture.facts();
    let (mut content, _) = picture.into_parts();
    for step in steps {
        if facts.metadata.scale == Scale::Codes && !step.takes_codes() {
            let mut scaled = FromCodes::default();
            facts = scaled.plan(&facts)?;
            content = scaled.run(&Strip { first_row: 0, content }, 0..facts.size.height)?;
        }
        facts = step.plan(&facts)?;
        let strip = Strip { first_row: 0, content };
        if step.sees() == Sees::Twice {
            step.watch(&strip)?;
        }
        content = step.run(&strip, 0..facts.size.height)?;
    }
    Ok(Picture::new(content, facts.metadata))
}
