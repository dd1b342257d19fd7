//! One file through a recipe: from its reader through all steps to its writer.

use super::{Recipe, RecipeStep};
use crate::args::Shared;
use crate::fail;
use crate::make::{self, Becomes, Context, Making, OnePage, Steps};
use crate::notes::Said;
use crate::open;
use rahmen::file::{Reader, Writer};
use rahmen::flow::{Chain, PictureSource, Sink, Source, ToIndices};
use rahmen::tone::PaletteRules;
use rahmen::{Facts, MemoryBudget, Picture};
use std::path::Path;

/// What was made of a file.
pub(crate) struct Made {
    pub(crate) facts: Facts,
    pub(crate) said: Said,
}

/// A share of the budget: a picture of up to as much is held where a step sees it twice, which spares reading it again.
const HELD_SHARE: u64 = 16;

impl Recipe {
    /// Makes `output` of `input`.
    pub(crate) fn run(&self, input: &Path, output: &Path, budget: &MemoryBudget, shared: &Shared) -> fail::Done<Made> {
        let in_file = |e: rahmen::Error| open::in_file(e.in_file(open::name_of(input)).into(), input);
        let (mut options, mut first) = (shared.read_options(), None);
        if let Some(RecipeStep::Make { becomes, verb, .. }) = self.steps.first() {
            let (read, left) = becomes.while_reading(options)?;
            (options, first) = (read, Some(left));
            options.meaning = options.meaning.or(verb.meaning());
        }
        let mut reader = open::open_with(input, options, shared)?;
        let (stored, mut writer) = (reader.stored().clone(), None);
        let all = make::pages_of(&stored, output, &self.written, shared)?;
        let mut made = None;
        loop {
            let begin = (&mut writer, output, all, stored.plays);
            let facts = self.page((&mut reader, first.as_ref()), input, begin, budget, shared)?;
            made.get_or_insert(facts);
            if all.is_none() || !reader.next_page().map_err(in_file)? {
                break;
            }
        }
        let (Some(mut writer), Some(facts)) = (writer, made) else {
            return Err(fail::Failure::words("a recipe was run without a picture"));
        };
        writer.finish().map_err(in_file)?;
        writer.remarks().iter().for_each(|remark| shared.note(remark));
        make::note_scaled(&facts, output, &self.written, shared).map_err(|e| open::in_file(e, input))?;
        Ok(Made { facts, said: shared.notes.said() })
    }

    /// Makes the page that the reader is at; gives its facts as they are written.
    fn page(
        &self,
        (reader, first): (&mut Reader<'_>, Option<&Becomes>),
        input: &Path,
        (writer, output, all, plays): (&mut Option<Writer<'static>>, &Path, Option<u32>, Option<u32>),
        budget: &MemoryBudget,
        shared: &Shared,
    ) -> fail::Done<Facts> {
        let in_file = |e: rahmen::Error| open::in_file(e.in_file(open::name_of(input)).into(), input);
        reader.facts().remarks.iter().for_each(|remark| shared.note(remark));
        let mut way = Way::new(Box::new(reader), budget, shared);
        for (number, step) in self.steps.iter().enumerate() {
            match step {
                RecipeStep::Make { verb, becomes, .. } => {
                    let becomes = if number == 0 { first.unwrap_or(becomes) } else { becomes };
                    way.make(verb.as_ref(), becomes).map_err(|e| open::in_file(e, input))?;
                }
                RecipeStep::Paste(paste) => {
                    let base = way.picture().map_err(|e| open::in_file(e, input))?;
                    way.go_on(paste.onto(base, input, shared).map_err(|e| open::in_file(e, input))?);
                }
            }
        }
        let mut chain = way.chain().map_err(|e| open::in_file(e, input))?;
        let facts = chain.facts().clone();
        let written = self.written.clone().not_forced();
        let writer = make::begin_page(writer, output, &facts, (all.unwrap_or(1), plays), &written, shared)?;
        chain.run_into(&mut OnePage(writer)).map_err(in_file)?;
        chain.take_late_remarks().iter().for_each(|remark| shared.note(remark));
        open::note_damage(input, chain.take_damage(), shared);
        Ok(facts)
    }
}

/// A picture on its way: a source, and the steps behind it that are not planned into a chain yet.
struct Way<'a> {
    source: Option<Box<dyn Source + 'a>>,
    facts: Facts,
    steps: Steps,
    budget: &'a MemoryBudget,
    shared: &'a Shared,
}

impl<'a> Way<'a> {
    fn new(source: Box<dyn Source + 'a>, budget: &'a MemoryBudget, shared: &'a Shared) -> Way<'a> {
        let facts = source.facts().clone();
        Way { source: Some(source), facts, steps: Vec::new(), budget, shared }
    }

    /// The steps of a verb.
    fn make(&mut self, verb: &dyn Making, becomes: &Becomes) -> fail::Done {
        if let Some((before, palette)) = becomes.numbers() {
            self.add(&make::NoVerb, &before)?;
            self.number(palette)?;
            let becomes = Becomes {
                read_as: None,
                colors: None,
                upright: false,
                window: None,
                depth: None,
                max_code: None,
                flatten: None,
            };
            return self.add(verb, &becomes);
        }
        self.add(verb, becomes)
    }

    fn add(&mut self, verb: &dyn Making, becomes: &Becomes) -> fail::Done {
        let bytes = self.facts.pixel_format.bytes(self.facts.size);
        if verb.looks_twice() && bytes <= self.budget.limit() / HELD_SHARE {
            let held = self.picture()?;
            self.go_on(held);
        }
        // Planning weighs pixels: it is not done once more.
        let (steps, facts) = make::all_steps(verb, &self.facts, &Context { shared: self.shared, becomes })?;
        self.steps.extend(steps);
        self.facts = facts;
        Ok(())
    }

    /// Numbers the colours, of the picture's own or of a palette that it is reduced to.
    fn number(&mut self, palette: Option<PaletteRules>) -> fail::Done {
        let held = self.picture()?;
        self.go_on(held);
        let mut chain = self.chain()?;
        let step = match &palette {
            Some(rules) => ToIndices::reduced(&mut chain, rules)?,
            None => ToIndices::of_source(&mut chain)?,
        };
        let numbered = Chain::new(Box::new(chain), vec![Box::new(step)])?;
        self.facts = numbered.facts().clone();
        self.source = Some(Box::new(numbered));
        Ok(())
    }

    /// All steps so far, as a chain.
    fn chain(&mut self) -> fail::Done<Chain<'a>> {
        // There is a source whenever nobody is in the middle of taking it.
        let source = self.source.take().ok_or_else(|| anyhow::anyhow!("a recipe was run without a picture"))?;
        Ok(Chain::new(source, std::mem::take(&mut self.steps))?)
    }

    /// The picture so far, whole.
    fn picture(&mut self) -> fail::Done<Picture> {
        let limits = self.shared.read_options().limits;
        limits.check_picture(&self.facts)?;
        Ok(self.chain()?.picture()?)
    }

    fn go_on(&mut self, picture: Picture) {
        self.facts = picture.facts();
        self.source = Some(Box::new(PictureSource::new(picture)));
    }
}
