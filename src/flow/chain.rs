//! A source and the steps behind it, pulled strip by strip.

mod pull;

use super::codes::OnCodes;
use super::order::exchanged;
use super::{Damage, FromCodes, PictureSink, Sees, Sink, Source, Stage, Step, Strip};
use crate::cancel::Cancel;
use crate::error::{ErrorKind, Result};
use crate::frame::{Content, Facts, Picture, Scale};
use crate::memory::MemoryBudget;
use std::ops::ControlFlow;

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
    /// What is planned anew for each page.
    steps: Vec<Box<dyn Step + 'a>>,
    links: Vec<Link>,
    facts: Facts,
    /// The source's next row.
    at: u32,
    /// The next row to come out, where the chain is used as a source.
    next: u32,
    /// Whether the steps that see everything twice have seen it once.
    watched: bool,
    /// What the steps have remarked on their input.
    remarks: Vec<String>,
    /// The budget that its strips are charged to: that of the source, or one that was given.
    budget: Option<MemoryBudget>,
    cancel: Option<Cancel>,
}

/// A planned step and what the chain holds for it.
struct Link {
    name: &'static str,
    stage: Box<dyn Stage>,
    input: Facts,
    /// Input rows seen last, kept for rows that are needed again.
    held: Option<Strip>,
    /// Where one output row needs more input than a strip may take: the input goes in row by row.
    turns: Option<Turns>,
}

/// How far a stage is that takes its rows in turn.
#[derive(Default)]
struct Turns {
    /// The next input row.
    taken: u32,
    /// The next output row.
    made: u32,
}

/// How far a chain is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Progress {
    /// Rows of the source that have come, in all rounds so far.
    pub rows: u64,
    /// Rows of the source in all rounds: a step that must see its input twice asks for one more. Rows that nobody needs are
    /// counted once they are passed.
    pub of: u64,
}

impl std::fmt::Debug for Chain<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let names: Vec<_> = self.links.iter().map(|link| link.name).collect();
        f.debug_struct("Chain").field("steps", &names).field("facts", &self.facts).finish()
    }
}

impl<'a> Chain<'a> {
    /// Plans the steps one behind the other. An orientation that needs the picture whole changes places with a resize beside
    /// it where the result is the same and less has to be held.
    ///
    /// # Errors
    /// A step that cannot work on what comes to it.
    pub fn new(source: Box<dyn Source + 'a>, steps: Vec<Box<dyn Step + 'a>>) -> Result<Chain<'a>> {
        let facts = source.facts().clone();
        let (links, remarks, budget) = (Vec::new(), Vec::new(), facts.account().cloned());
        let (at, next, watched, cancel) = (0, 0, false, None);
        let mut chain = Chain { source, steps, links, facts, at, next, watched, remarks, budget, cancel };
        chain.plan()?;
        Ok(chain)
    }

    /// Charges the strips, what the steps hold and the picture that comes of it to a budget, in place of that of the source. To be called
    /// before rows are pulled.
    ///
    /// # Errors
    /// More than the budget has left.
    pub fn charged_to(mut self, budget: &MemoryBudget) -> Result<Chain<'a>> {
        self.budget = Some(budget.clone());
        self.plan()?;
        Ok(self)
    }

    /// Ends the work once the signal is set: looked at before each strip of the source.
    pub fn cancel(self, cancel: &Cancel) -> Chain<'a> {
        Chain { cancel: Some(cancel.clone()), ..self }
    }

    /// Plans the steps for the source's picture.
    fn plan(&mut self) -> Result<()> {
        self.facts = self.source.facts().clone().charged(self.budget.as_ref());
        (self.at, self.next, self.watched) = (0, 0, false);
        self.links.clear();
        let steps = std::mem::take(&mut self.steps);
        let planned = self.link_all(&steps);
        self.steps = steps;
        planned
    }

    fn link_all(&mut self, steps: &[Box<dyn Step + 'a>]) -> Result<()> {
        // The second of two that were exchanged.
        let mut other: Option<Box<dyn Step + 'a>> = None;
        for (place, step) in steps.iter().enumerate() {
            let mut step: Cow<'_, dyn Step + 'a> = other.take().map_or(Cow::Lent(step.as_ref()), Cow::Own);
            if let Some(second) = steps.get(place + 1)
                && let Some((now, then)) = exchanged(step.get(), second.as_ref(), &self.facts)
            {
                (step, other) = (Cow::Own(now), Some(then));
            }
            if self.facts.metadata.scale == Scale::Codes && !step.get().takes_codes() {
                self.link(&FromCodes)?;
            }
            self.link(step.get())?;
            if OnCodes::follows(step.get(), &self.facts) {
                self.link(&OnCodes)?;
            }
        }
        Ok(())
    }

    /// Goes on to the source's next picture, the next page of a file, with other steps, which may depend on its facts; false behind the
    /// last one.
    ///
    /// # Errors
    /// What reading gives, or a step that cannot work on the picture.
    pub fn next_page_with(&mut self, steps: impl FnOnce(&Facts) -> Result<Vec<Box<dyn Step + 'a>>>) -> Result<bool> {
        if !self.source.next_page()? {
            return Ok(false);
        }
        self.steps = steps(self.source.facts())?;
        self.plan()?;
        Ok(true)
    }

    /// Adds a step behind the others, once nothing has been pulled since the source was rewound.
    pub(crate) fn add(&mut self, step: Box<dyn Step + 'a>) -> Result<()> {
        self.link(step.as_ref())?;
        self.steps.push(step);
        Ok(())
    }

    /// Pulls every page of the source through and into a sink of several pictures, such as a [`Writer`](crate::file::Writer) of a format that
    /// [holds](crate::file::holds) pages, begun with the number of them; gives how many there were. The steps are planned anew for
    /// each page.
    ///
    /// # Errors
    /// As [`run_into`](Chain::run_into).
    ///
    /// # Examples
    /// ```no_run
    /// use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer};
    /// use rahmen::flow::{Chain, ToGray};
    /// let reader = Reader::open("harbour.tif", ReadOptions::default())?;
    /// let pages = reader.facts().pages;
    /// let mut chain = Chain::new(Box::new(reader), vec![Box::new(ToGray::default())])?;
    /// let mut writer = Writer::create("gray.tif", chain.facts(), WriteOptions::default().pages(pages))?;
    /// assert_eq!(chain.run_pages_into(&mut writer)?, pages);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn run_pages_into(&mut self, sink: &mut dyn Sink) -> Result<u32> {
        let mut pages = 1;
        loop {
            self.run_into(&mut OnePage(&mut *sink))?;
            if !Source::next_page(self)? {
                sink.finish()?;
                return Ok(pages);
            }
            sink.next_page(&self.facts)?;
            pages += 1;
        }
    }

    fn link(&mut self, step: &dyn Step) -> Result<()> {
        let mut stage = step.plan(&self.facts)?;
        let mut output = stage.facts().clone();
        if output.account().is_none() {
            output = output.charged(self.facts.account());
        }
        let turns = stage.in_turn().is_some();
        let new =
            output.remarks.iter().filter(|line| !self.facts.remarks.contains(line) && !self.remarks.contains(line));
        let new: Vec<String> = new.cloned().collect();
        self.remarks.extend(new);
        let input = std::mem::replace(&mut self.facts, output);
        self.links.push(Link { name: step.name(), stage, input, held: None, turns: None });
        let (k, height) = (self.links.len(), self.facts.size.height);
        let needs = |y: u32| self.cost(k, y..y.saturating_add(1).min(height));
        if turns && [0, height / 2, height.saturating_sub(1)].into_iter().any(|y| needs(y) > pull::STRIP_BYTES) {
            self.links[k - 1].turns = Some(Turns::default());
        }
        Ok(())
    }

    /// Facts of the chain's output.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    /// The damage that was met so far, where the options ask to go on all the same; taken once.
    pub fn take_damage(&mut self) -> Option<Damage> {
        Source::take_damage(self)
    }

    /// Remarks of the steps on what they have left out, and on the source what only all of it tells, each a sentence; handed over.
    pub fn take_late_remarks(&mut self) -> Vec<String> {
        Source::take_late_remarks(self)
    }

    /// Pulls every row through and into a sink, and ends the sink. The source is read to its end, so that damage behind
    /// the last needed row is found where all its rows are needed.
    ///
    /// Memory: a few strips of some megabytes each, whatever the sizes, and beside them only what a step must hold whole
    /// ([`Sees::Whole`]) or the rows that a kernel needs.
    ///
    /// # Errors
    /// Errors of the source, a step or the sink; a step that asks for input rows that are not there, or for earlier ones than
    /// before.
    pub fn run_into(&mut self, sink: &mut dyn Sink) -> Result<()> {
        self.run_observed(sink, &mut |_| ControlFlow::Continue(()))
    }

    /// [`run_into`](Chain::run_into), telling an observer how far it is, a strip at a time. The observer may end the work.
    ///
    /// # Errors
    /// As [`run_into`](Chain::run_into); [`ErrorKind::Cancelled`] where the observer has ended it.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size, flow};
    /// use std::ops::ControlFlow;
    /// let picture = Frame::filled(Size::new(8, 6), Gray::new(9u8))?.into();
    /// let mut chain = flow::Chain::new(Box::new(flow::PictureSource::new(picture)), vec![])?;
    /// let mut sink = flow::PictureSink::new(chain.facts())?;
    /// let mut told = Vec::new();
    /// chain.run_observed(&mut sink, &mut |progress| {
    ///     told.push((progress.rows, progress.of));
    ///     ControlFlow::Continue(())
    /// })?;
    /// assert_eq!(told.last(), Some(&(6, 6)));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn run_observed(
        &mut self,
        sink: &mut dyn Sink,
        observe: &mut dyn FnMut(Progress) -> ControlFlow<()>,
    ) -> Result<()> {
        let height = u64::from(self.source.facts().size.height);
        let more = if self.watched { 0 } else { self.links.iter().filter(|l| l.stage.sees() == Sees::Twice).count() };
        let of = height * (more as u64 + 1);
        let mut round = 0;
        let mut last = None;
        let mut tell = |at: u32| {
            // A round begins where the source begins again.
            if last.is_some_and(|last| at < last) {
                round += 1;
            }
            last = Some(at);
            let rows = (round * height + u64::from(at)).min(of);
            match observe(Progress { rows, of }) {
                ControlFlow::Continue(()) => Ok(()),
                ControlFlow::Break(()) => Err(ErrorKind::Cancelled.into()),
            }
        };
        self.watch(&mut tell)?;
        let height = self.facts.size.height;
        let mut next = 0;
        while next < height {
            let end = next + self.fitting(self.links.len(), next..height);
            let strip = self.pull(self.links.len(), next..end, &mut tell)?;
            sink.put(&strip)?;
            next = end;
        }
        self.end_source()?;
        sink.finish()?;
        match observe(Progress { rows: of, of }) {
            ControlFlow::Continue(()) => Ok(()),
            ControlFlow::Break(()) => Err(ErrorKind::Cancelled.into()),
        }
    }

    /// Pulls every row through, as a picture in memory.
    ///
    /// # Errors
    /// Errors of the source or a step, or a size beyond the system's memory.
    pub fn picture(&mut self) -> Result<Picture> {
        let mut sink = PictureSink::new(&self.facts)?;
        self.run_into(&mut sink)?;
        sink.into_picture()
    }

    /// Reads what follows the source's last row, where that row was needed.
    fn end_source(&mut self) -> Result<()> {
        if self.at >= self.source.facts().size.height {
            self.source.next(0)?;
        }
        Ok(())
    }
}

/// A step that is lent, or one that takes its place.
enum Cow<'s, S: ?Sized> {
    Lent(&'s S),
    Own(Box<S>),
}

impl<S: ?Sized> Cow<'_, S> {
    fn get(&self) -> &S {
        match self {
            Cow::Lent(step) => step,
            Cow::Own(step) => step,
        }
    }
}

/// A sink that is not ended by the end of a page.
pub(crate) struct OnePage<'s>(pub(crate) &'s mut dyn Sink);

impl Sink for OnePage<'_> {
    fn put(&mut self, strip: &Strip) -> Result<()> {
        self.0.put(strip)
    }

    fn finish(&mut self) -> Result<()> {
        Ok(())
    }
}

impl Source for Chain<'_> {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        self.watch(&mut |_| Ok(()))?;
        let end = self.facts.size.height.min(self.next.saturating_add(rows));
        if self.next >= self.facts.size.height {
            self.end_source()?;
            return Ok(None);
        }
        if end == self.next {
            return Ok(None);
        }
        let strip = self.pull(self.links.len(), self.next..end, &mut |_| Ok(()))?;
        self.next = end;
        Ok(Some(strip))
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        self.next = self.facts.size.height.min(self.next.saturating_add(rows));
        Ok(())
    }

    fn rewind(&mut self) -> Result<()> {
        self.next = 0;
        self.restart()
    }

    fn next_page(&mut self) -> Result<bool> {
        let more = self.source.next_page()?;
        if more {
            self.plan()?;
        }
        Ok(more)
    }

    fn damage(&self) -> Option<&Damage> {
        self.source.damage()
    }

    fn take_damage(&mut self) -> Option<Damage> {
        self.source.take_damage()
    }

    fn take_late_remarks(&mut self) -> Vec<String> {
        let mut all = std::mem::take(&mut self.remarks);
        all.extend(self.source.take_late_remarks());
        all
    }
}

/// Runs steps on a whole picture in memory, one behind the other.
///
/// # Errors
/// A step that cannot work on what comes to it.
pub fn apply(picture: Picture, steps: &[&dyn Step]) -> Result<Picture> {
    let mut facts = picture.facts();
    let (mut content, _) = picture.into_parts();
    let run = |step: &dyn Step, facts: &mut Facts, content: Content| -> Result<Content> {
        let mut stage = step.plan(facts)?;
        *facts = stage.facts().clone();
        let strip = Strip { first_row: 0, content };
        if stage.sees() == Sees::Twice {
            stage.watch(&strip)?;
        }
        stage.run(&strip, 0..facts.size.height)
    };
    for step in steps {
        if facts.metadata.scale == Scale::Codes && !step.takes_codes() {
            content = run(&FromCodes, &mut facts, content)?;
        }
        content = run(*step, &mut facts, content)?;
        if OnCodes::follows(*step, &facts) {
            OnCodes::round(&mut content, &facts)?;
        }
    }
    Ok(Picture::new(content, facts.metadata))
}
