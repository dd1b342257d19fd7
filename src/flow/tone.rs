//! Tone as steps: curves that are known, curves found from the picture itself, fewer levels, equalising over tiles.

use super::steps::{on_pixels, pixel_form, rows_of, same_form};
use super::{Sees, Step, Strip};
use crate::access::depth::needs_window;
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Job, JobMut, Metadata, Pixels, Region, View, ViewMut};
use crate::measure::{Histogram, Mask};
use crate::pixel::{Depth, Layout, Stored};
use crate::threads::Threads;
use crate::tone::{
    Basis, Dither, EqualizeBy, EqualizeRules, LocalRules, LocalTone, Output, QuantizeRules, StretchBy, StretchRules,
    ThresholdBy, Tone, equalization, matching, measured, quantize, stretching, thresholding,
};
use std::ops::Range;
use std::sync::{Arc, Mutex};

/// The form of a picture whose tone may be changed: pixels of colour or light.
fn tone_form(input: &Facts, step: &str) -> Result<(Depth, Layout)> {
    let form = pixel_form(input, step)?;
    if input.metadata.meaning.needs_window() {
        return Err(needs_window(&input.form.describe()));
    }
    Ok(form)
}

/// What is measured, and what is changed by it: all of a picture, a region, or where a mask says.
#[derive(Debug, Clone, Default)]
pub struct Part {
    /// Only this region.
    pub region: Option<Region>,
    /// Only where this gray mask, as large as the picture, has half of full or more.
    pub mask: Option<Arc<Pixels>>,
    /// Whether what was found there changes all of the picture.
    pub everywhere: bool,
}

impl Part {
    fn check(&self, facts: &Facts) -> Result<()> {
        if let Some(region) = self.region {
            region.inside(facts.size)?;
            if region.is_empty() {
                return Err(Error::unusable(format!("the region {region} has no pixel")));
            }
        }
        self.mask.as_ref().map_or(Ok(()), |mask| Mask::of_pixels(mask)?.check(facts.size))
    }

    fn is_all(&self) -> bool {
        self.region.is_none() && self.mask.is_none()
    }

    /// The region of a strip of the picture that is meant, and its mask; none where the strip has no part in it.
    fn of_strip(&self, rows: &Range<u32>, width: u32) -> Result<Option<(Region, Mask<'_>)>> {
        let strip = Region::new(0..width, rows.clone())?;
        let region = self.region.map_or(strip, |region| region.intersect(strip));
        if region.is_empty() {
            return Ok(None);
        }
        let mask = match &self.mask {
            Some(mask) => Mask::of_pixels(mask)?.region(region)?,
            None => Mask::ALL,
        };
        let inside = Region::at(region.x(), region.y() - rows.start, region.size())?;
        Ok(Some((inside, mask)))
    }
}

/// Applies a tone to the part of a strip that is meant.
fn apply(tone: &Tone, part: &Part, input: &Strip, output: &Range<u32>) -> Result<Content> {
    struct Apply<'a>(&'a Tone, Region, Mask<'a>);
    impl JobMut for Apply<'_> {
        type Out = Result<()>;
        fn run<P: Stored>(self, view: ViewMut<'_, P>) -> Result<()> {
            self.0.apply_where(view.region(self.1)?, &self.2)
        }
    }
    let mut content = rows_of(input, output)?.unwrap_or_else(|| input.content.clone());
    let width = content.size().width;
    let all = Region::new(0..width, 0..output.end - output.start)?;
    let meant = if part.everywhere { Some((all, Mask::ALL)) } else { part.of_strip(output, width)? };
    if let Some((region, mask)) = meant {
        content.pixels_mut()?.visit_mut(Apply(tone, region, mask))?;
    }
    Ok(content)
}

/// A tone that is known.
#[derive(Debug, Clone)]
pub struct Retone {
    name: &'static str,
    tone: Tone,
    part: Part,
    keeps_codes: bool,
}

impl Retone {
    /// This tone, under the name of a verb.
    pub fn new(name: &'static str, tone: Tone) -> Retone {
        Retone { name, tone, part: Part::default(), keeps_codes: false }
    }

    /// The negative: codes stay codes, k becoming top - k.
    pub fn negative() -> Retone {
        Retone { keeps_codes: true, ..Retone::new("negative", Tone::new(crate::tone::Curve::negative())) }
    }

    /// The same step for a part of the picture.
    pub fn part(self, part: Part) -> Retone {
        Retone { part, ..self }
    }

    /// The same step by at most so many threads.
    pub fn threads(self, threads: Threads) -> Retone {
        Retone { tone: self.tone.threads(threads), ..self }
    }
}

impl Step for Retone {
    fn name(&self) -> &'static str {
        self.name
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        tone_form(input, self.name)?;
        self.part.check(input)?;
        self.tone = self.tone.clone().top_codes(&input.metadata);
        let mut metadata = input.metadata.after(Change::Values);
        if self.keeps_codes {
            metadata.top_codes = input.metadata.top_codes.clone();
        }
        Ok(same_form(input, input.size, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        apply(&self.tone, &self.part, input, &output)
    }
}

/// What tone is found from a picture.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Find {
    /// What equalises it.
    Equalize(EqualizeBy),
    /// What stretches it.
    Stretch(StretchBy),
    /// What thresholds it.
    Threshold(ThresholdBy),
    /// What gives it this distribution.
    Match(Histogram),
}

/// What a [`FindTone`] has found, to be asked for once its chain has run.
#[derive(Debug, Clone, Default)]
pub struct Found(Arc<Mutex<Option<Tone>>>);

impl Found {
    /// The tone; none before the picture was seen.
    pub fn tone(&self) -> Option<Tone> {
        // A panic elsewhere leaves the value as whole as it was.
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone()
    }

    fn set(&self, tone: &Tone) {
        *self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner) = Some(tone.clone());
    }
}

/// A tone found from the picture: every strip is counted first and changed then.
#[derive(Debug, Clone)]
pub struct FindTone {
    find: Find,
    basis: Basis,
    part: Part,
    threads: Threads,
    top_codes: Option<Vec<u32>>,
    sum: Option<Histogram>,
    tone: Option<Tone>,
    found: Found,
}

impl FindTone {
    /// Finds this, on this basis.
    pub fn new(find: Find, basis: Basis) -> FindTone {
        FindTone {
            find,
            basis,
            part: Part::default(),
            threads: Threads::ALL,
            top_codes: None,
            sum: None,
            tone: None,
            found: Found::default(),
        }
    }

    /// The same step for a part of the picture.
    pub fn part(self, part: Part) -> FindTone {
        FindTone { part, ..self }
    }

    /// The same step by at most so many threads.
    pub fn threads(self, threads: Threads) -> FindTone {
        FindTone { threads, ..self }
    }

    /// Where what is found can be asked for.
    pub fn found(&self) -> Found {
        self.found.clone()
    }

    fn tone(&mut self) -> Result<Tone> {
        if let Some(tone) = &self.tone {
            return Ok(tone.clone());
        }
        let Some(sum) = &self.sum else {
            return Err(Error::unusable("the part that is to be measured has no pixel"));
        };
        let (basis, threads, top_codes) = (self.basis, self.threads, self.top_codes.clone());
        let tone = match &self.find {
            Find::Equalize(by) => equalization(sum, &EqualizeRules { by: *by, basis, top_codes: None, threads })?,
            Find::Stretch(by) => stretching(sum, &StretchRules { by: *by, basis, top_codes: None, threads })?,
            Find::Threshold(by) => thresholding(sum, by, basis, threads)?,
            Find::Match(to) => matching(sum, to, basis, threads)?,
        };
        let tone = tone.top_codes(&Metadata { top_codes, ..Metadata::default() });
        self.found.set(&tone);
        self.tone = Some(tone.clone());
        Ok(tone)
    }

    /// The top codes that the output has, where its values are codes.
    fn codes_after(&self, input: &Facts, layout: Layout) -> Option<Vec<u32>> {
        let mixed = matches!(self.basis, Basis::Luminance(_)) && layout.without_alpha() == Layout::Rgb;
        match &self.find {
            Find::Equalize(_) if !mixed => input.metadata.top_codes.clone(),
            // As many levels as there are thresholds, and one.
            Find::Threshold(by) if !mixed && (self.part.is_all() || self.part.everywhere) && !layout.has_alpha() => {
                let top = if let ThresholdBy::Levels(levels) = by { levels.len() as u32 } else { 1 };
                (top < 256).then(|| vec![top; layout.channels()])
            }
            _ => None,
        }
    }
}

impl Step for FindTone {
    fn name(&self) -> &'static str {
        match self.find {
            Find::Equalize(_) => "equalize",
            Find::Stretch(_) => "stretch",
            Find::Threshold(_) => "threshold",
            Find::Match(_) => "match",
        }
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let (depth, layout) = tone_form(input, self.name())?;
        self.part.check(input)?;
        self.top_codes = input.metadata.top_codes.clone();
        let mut metadata = input.metadata.after(Change::Values);
        metadata.top_codes = self.codes_after(input, layout).filter(|_| depth != Depth::F32);
        Ok(same_form(input, input.size, metadata))
    }

    fn sees(&self) -> Sees {
        Sees::Twice
    }

    fn watch(&mut self, strip: &Strip) -> Result<()> {
        struct Count<'a>(Region, Mask<'a>, Basis, Option<&'a [u32]>, Threads);
        impl Job for Count<'_> {
            type Out = Result<Histogram>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Self::Out {
                measured(view.region(self.0)?, &self.1, self.2, self.3, self.4)
            }
        }
        let width = strip.content.size().width;
        let Some((region, mask)) = self.part.of_strip(&strip.rows(), width)? else { return Ok(()) };
        let count = Count(region, mask, self.basis, self.top_codes.as_deref(), self.threads);
        let counted = strip.content.pixels()?.visit(count)?;
        match &mut self.sum {
            Some(sum) => sum.merge(&counted)?,
            None => self.sum = Some(counted),
        }
        Ok(())
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let tone = self.tone()?;
        apply(&tone, &self.part, input, &output)
    }
}

/// Fewer levels. Error diffusion needs the picture whole; everything else goes strip by strip.
#[derive(Debug, Clone)]
pub struct Quantize {
    rules: QuantizeRules,
    as_codes: bool,
    height: u32,
    /// Error diffusion's picture, once it is made.
    whole: Option<Content>,
}

impl Quantize {
    /// By these rules. [`Output::Indices`] are numbers that no picture of colours holds: use
    /// [`as_codes`](Quantize::as_codes) for files that store them.
    pub fn new(rules: QuantizeRules) -> Quantize {
        Quantize { rules, as_codes: false, height: 0, whole: None }
    }

    /// The numbers of the cells as the picture's codes: spread over the full range, with a top code of 2^bits - 1, so that
    /// a file that can stores just the numbers.
    pub fn as_codes(rules: QuantizeRules) -> Quantize {
        Quantize { as_codes: true, ..Quantize::new(rules.output(Output::Spread)) }
    }
}

impl Step for Quantize {
    fn name(&self) -> &'static str {
        "quantize"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let (depth, layout) = tone_form(input, "quantize")?;
        if self.rules.output == Output::Indices {
            return Err(Error::unusable("indices are no colours; a step gives them as codes of its picture"));
        }
        self.rules.top_codes = input.metadata.top_codes.clone();
        (self.height, self.whole) = (input.size.height, None);
        let mut metadata = input.metadata.after(Change::Values);
        if self.as_codes {
            let top = (1u32 << self.rules.bits.min(16)) - 1;
            crate::access::codes::check_top(depth, top)?;
            metadata.top_codes = Some(vec![top; layout.channels()]);
        } else if self.rules.dither == Dither::None || depth != Depth::F32 {
            metadata.top_codes = input.metadata.top_codes.clone();
        }
        // Whether bits and levels go together is found out here, not at the first row.
        struct Try<'a>(&'a QuantizeRules);
        impl Job for Try<'_> {
            type Out = Result<()>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Result<()> {
                quantize(view, self.0).map(|_| ())
            }
        }
        Pixels::new(crate::Size::new(1, 1), layout, depth)?.visit(Try(&self.rules))?;
        Ok(same_form(input, input.size, metadata))
    }

    fn sees(&self) -> Sees {
        if self.rules.dither == Dither::Diffusion { Sees::Whole } else { Sees::Once }
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        match self.rules.dither {
            Dither::Diffusion => 0..self.height,
            // Thresholds count from the picture's top: whole periods of 8 rows.
            Dither::Ordered => output.start / 8 * 8..output.end,
            Dither::None => output,
        }
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        struct To<'a>(&'a QuantizeRules);
        impl Job for To<'_> {
            type Out = Result<Pixels>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Self::Out {
                Ok(quantize(view, self.0)?.into())
            }
        }
        let make = |rows: Range<u32>| on_pixels(input, rows, |p| p.visit(To(&self.rules)));
        let (start, end) = (output.start, output.end);
        let part = |made: &Content, first: u32| made.crop(made.size().region().rows(start - first..end - first)?);
        match self.rules.dither {
            Dither::None => make(output),
            Dither::Ordered => part(&make(input.first_row..end)?, input.first_row),
            Dither::Diffusion => {
                let whole = match self.whole.take() {
                    Some(whole) => whole,
                    None => make(0..self.height)?,
                };
                let rows = part(&whole, 0)?;
                self.whole = Some(whole);
                Ok(rows)
            }
        }
    }
}

/// Equalising over tiles with a limit of contrast.
#[derive(Debug, Clone)]
pub struct EqualizeTiles {
    rules: LocalRules,
    tone: Option<LocalTone>,
}

impl EqualizeTiles {
    /// By these rules.
    pub fn new(rules: LocalRules) -> EqualizeTiles {
        EqualizeTiles { rules, tone: None }
    }
}

impl Step for EqualizeTiles {
    fn name(&self) -> &'static str {
        "equalize"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        struct Start(crate::Size, LocalRules);
        impl Job for Start {
            type Out = Result<LocalTone>;
            fn run<P: Stored>(self, _: View<'_, P>) -> Self::Out {
                LocalTone::new::<P>(self.0, self.1)
            }
        }
        let (depth, layout) = tone_form(input, "equalize")?;
        let like = Pixels::new(crate::Size::new(1, 1), layout, depth)?;
        self.tone = Some(like.visit(Start(input.size, self.rules))?);
        Ok(same_form(input, input.size, input.metadata.after(Change::Values)))
    }

    fn sees(&self) -> Sees {
        Sees::Twice
    }

    fn watch(&mut self, strip: &Strip) -> Result<()> {
        struct Watch<'a>(&'a mut LocalTone, u32);
        impl Job for Watch<'_> {
            type Out = Result<()>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Result<()> {
                self.0.watch(self.1, view)
            }
        }
        let Some(tone) = &mut self.tone else { return Err(unplanned()) };
        strip.content.pixels()?.visit(Watch(tone, strip.first_row))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        struct Apply<'a>(&'a mut LocalTone, u32);
        impl JobMut for Apply<'_> {
            type Out = Result<()>;
            fn run<P: Stored>(self, view: ViewMut<'_, P>) -> Result<()> {
                self.0.apply(self.1, view)
            }
        }
        let mut content = rows_of(input, &output)?.unwrap_or_else(|| input.content.clone());
        let Some(tone) = &mut self.tone else { return Err(unplanned()) };
        content.pixels_mut()?.visit_mut(Apply(tone, output.start))?;
        Ok(content)
    }
}

#[cold]
fn unplanned() -> Error {
    Error::unusable("a step is planned before it runs")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flow::{Chain, PictureSink, PictureSource, apply as apply_steps};
    use crate::frame::{Frame, Picture, Size};
    use crate::pixel::{Gray, Rgb};

    fn picture() -> Picture {
        // Tall enough for several strips of a chain.
        Frame::from_fn(Size::new(300, 9000), |x, y| Rgb::new((x + y / 40) as u8, (y / 37) as u8, (x / 2) as u8))
            .unwrap()
            .into()
    }

    #[test]
    fn strips_give_what_the_whole_gives() {
        let mask: Pixels = Frame::from_fn(Size::new(300, 9000), |x, _| Gray::new((x % 256) as u8)).unwrap().into();
        let part = Part {
            region: Some(Region::new(10..200, 50..8000).unwrap()),
            mask: Some(Arc::new(mask)),
            everywhere: false,
        };
        let steps: Vec<Box<dyn Fn() -> Box<dyn Step>>> = vec![
            Box::new(|| Box::new(Retone::negative())),
            Box::new(|| Box::new(FindTone::new(Find::Equalize(EqualizeBy::Cumulative), Basis::EachChannel))),
            Box::new(|| Box::new(FindTone::new(Find::Equalize(EqualizeBy::Pinned), Basis::LUMINANCE))),
            Box::new({
                let part = part.clone();
                move || {
                    Box::new(
                        FindTone::new(Find::Stretch(StretchBy::Levels(20.0, 200.0)), Basis::Together)
                            .part(part.clone()),
                    )
                }
            }),
            Box::new(|| Box::new(Quantize::new(QuantizeRules::bits(2).dither(Dither::Ordered)))),
            Box::new(|| Box::new(Quantize::as_codes(QuantizeRules::bits(3).dither(Dither::Diffusion)))),
            Box::new(|| Box::new(EqualizeTiles::new(LocalRules::default()))),
        ];
        for step in steps {
            let whole = apply_steps(picture(), &mut [step().as_mut()]).unwrap();
            let mut chain = Chain::new(Box::new(PictureSource::new(picture())), vec![step()]).unwrap();
            let mut sink = PictureSink::new(chain.facts()).unwrap();
            chain.run_into(&mut sink).unwrap();
            assert!(sink.into_picture().unwrap() == whole, "{}", step().name());
            assert!(whole != picture());
        }
        let outside = apply_steps(
            picture(),
            &mut [&mut FindTone::new(Find::Stretch(StretchBy::Levels(20.0, 200.0)), Basis::Together).part(part)],
        )
        .unwrap();
        let (old, new) = (picture(), outside);
        let (old, new) = (old.view::<Rgb<u8>>().unwrap(), new.view::<Rgb<u8>>().unwrap());
        assert!(
            old[(150, 10)] == new[(150, 10)] && old[(127, 60)] == new[(127, 60)] && old[(150, 60)] != new[(150, 60)]
        );
    }
}
