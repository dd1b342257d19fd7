//! The steps that move pixels: orientation, channels, fills.

use super::input::{pixel_form, rows_of, same_form, without_profile};
use super::{Known, Sees, Stage, Step, Strip, by_rows};
use crate::color;
use crate::convert::channels::{Take, selected_layout};
use crate::error::Result;
use crate::frame::{
    Change, Content, Facts, Orientation, PixelFormat, Pixels, Region, SampleViewMut, Size, with_samples_mut,
};
use crate::pixel::{Layout, Sample};
use std::ops::Range;

/// Lays the picture down another way. A mirror left-right works strip by strip; the others need the whole picture, or, in a
/// chain, what an enlarging before them began with or a shrink behind them ends with.
#[derive(Debug, Clone)]
pub struct Orient {
    /// `None` is the orientation that the input asks for.
    asked: Option<Orientation>,
}

impl Orient {
    /// Lays the stored pixels down this way.
    pub fn new(orientation: Orientation) -> Orient {
        Orient { asked: Some(orientation) }
    }

    /// Lays the pixels down as the picture's own orientation asks for: upright.
    pub fn upright() -> Orient {
        Orient { asked: None }
    }

    /// How a picture is laid down.
    pub(super) fn of(&self, input: &Facts) -> Orientation {
        self.asked.unwrap_or(input.metadata.orientation)
    }
}

impl Step for Orient {
    fn name(&self) -> &'static str {
        if self.asked.is_none() { "upright" } else { "orient" }
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let orientation = self.of(input);
        let change = if self.asked.is_none() { Change::Upright } else { Change::Orient(orientation) };
        let facts = same_form(input, orientation.size(input.size), input.metadata.after(change));
        Ok(Box::new(Orienting { orientation, input: input.size, facts }))
    }

    fn takes_codes(&self) -> bool {
        true
    }

    fn known(&self) -> Known<'_> {
        Known::Orient(self)
    }
}

/// Whether pixels laid down so go strip by strip.
pub(super) fn keeps_rows(orientation: Orientation) -> bool {
    matches!(orientation, Orientation::Upright | Orientation::MirroredLeftRight)
}

struct Orienting {
    orientation: Orientation,
    input: Size,
    facts: Facts,
}

impl Stage for Orienting {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        if keeps_rows(self.orientation) { output } else { 0..self.input.height }
    }

    fn sees(&self) -> Sees {
        if keeps_rows(self.orientation) { Sees::Once } else { Sees::Whole }
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        if self.orientation.is_upright() {
            return rows_of(input, &output)?.map_or_else(|| input.content.copied(), Ok);
        }
        let whole = self.orientation.size(self.input).region();
        let part = self.orientation.source_of(whole.rows(output)?, self.input)?;
        // The strip's own rows; it holds those that were asked for.
        let first = part.y().saturating_sub(input.first_row);
        let part = Region::at(part.x(), first, part.size())?;
        input.content.crop(part)?.oriented(self.orientation)
    }
}

/// New channels picked from the old ones: see [`Pixels::select`](crate::frame::Pixels::select).
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Channels {
    /// Source of each channel of the output.
    pub channels: Vec<Take>,
}

impl Channels {
    /// Channels of the output, made of these.
    pub fn new(channels: Vec<Take>) -> Channels {
        Channels { channels }
    }
}

impl Step for Channels {
    fn name(&self) -> &'static str {
        "channels"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "channels")?;
        let to = selected_layout(layout, &self.channels)?;
        // A profile describes channels of its own model in their own order.
        let kept = self.channels.iter().enumerate().all(|(i, take)| match take {
            Take::Channel(c) => *c == i,
            Take::Full => to.has_alpha() && i + 1 == to.channels(),
            Take::Zero => false,
        });
        let model = !kept || to.is_color() != layout.is_color();
        let mut metadata = input.metadata.after(Change::Channels { channels: to.channels(), model });
        if let (Some(tops), true) = (&input.metadata.max_codes, metadata.max_codes.is_none()) {
            let own = |take: &Take| match take {
                Take::Channel(c) => tops.get(*c).copied(),
                Take::Full | Take::Zero => tops.first().copied(),
            };
            metadata.max_codes = self.channels.iter().map(own).collect();
        }
        let facts = Facts::new(input.size, PixelFormat::Pixels { depth, layout: to }, metadata);
        let facts = without_profile(input, facts);
        let channels = self.channels.clone();
        Ok(by_rows(facts, move |content, _| Ok(content.pixels()?.select(&channels)?.into())))
    }
}

/// Content of a filled region.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub enum Filling {
    /// A colour: red, green, blue and alpha as fractions of full.
    Color([f64; 3], f64),
    /// Random values from 0 to full in every channel but alpha, which is full: see
    /// [`ViewMut::fill_random`](crate::ViewMut::fill_random).
    Random {
        /// The same seed gives the same values for ever.
        seed: u64,
    },
}

/// Fills a region.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Fill {
    /// The region.
    pub region: Region,
    /// The content.
    pub with: Filling,
}

impl Fill {
    /// Fills this region.
    pub fn new(region: Region, with: Filling) -> Fill {
        Fill { region, with }
    }
}

impl Step for Fill {
    fn name(&self) -> &'static str {
        "fill"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        pixel_form(input, "fill")?;
        self.region.inside(input.size)?;
        let Fill { region, with } = *self;
        Ok(by_rows(input.clone(), move |content, first| {
            let mut content = content.copied()?;
            let strip = Region::at(0, first, content.size())?;
            let part = strip.intersect(region);
            if !part.is_empty() {
                let place = Region::at(part.x(), part.y() - first, part.size())?;
                let skipped = u128::from(part.y() - region.y()) * u128::from(region.width());
                fill(content.pixels_mut()?, place, with, skipped)?;
            }
            Ok(content)
        }))
    }
}

/// Fills a region of pixels; `skipped` pixels of the whole region lie before it.
fn fill(pixels: &mut Pixels, region: Region, with: Filling, skipped: u128) -> Result<()> {
    let (layout, region) = (pixels.layout(), region.inside(pixels.size())?);
    with_samples_mut!(pixels.samples_any_mut().part(region), part => fill_samples(part, layout, with, skipped))
}

fn fill_samples<S: Sample>(view: SampleViewMut<'_, S>, layout: Layout, with: Filling, skipped: u128) -> Result<()> {
    match with {
        Filling::Color(rgb, alpha) => {
            let pixel = color::samples_of_color::<S>(layout, rgb, alpha)?;
            let channels = pixel.len();
            view.into_rows().for_each(|row| row.chunks_exact_mut(channels).for_each(|to| to.copy_from_slice(&pixel)));
        }
        Filling::Random { seed } => {
            let channels = layout.channels();
            let (mut low, high) = (vec![S::default(); channels], vec![S::FULL; channels]);
            if layout.has_alpha() {
                low[channels - 1] = S::FULL;
            }
            crate::access::random_samples(view, &low, &high, seed, skipped * channels as u128);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::flow::{Codes, apply};
    use crate::frame::{Frame, Orientation, Picture};
    use crate::pixel::{Rgb, Rgba};

    /// A step gives strip by strip what it gives of the whole.
    fn in_strips(picture: &Picture, mut make: impl FnMut() -> Box<dyn Step>) -> Picture {
        let whole = apply(picture.clone(), &[make().as_ref()]).unwrap();
        for each in [1, 2, 5] {
            let mut stage = make().plan(&picture.facts()).unwrap();
            let facts = stage.facts().clone();
            let mut content = Content::new(facts.size, &facts.pixel_format).unwrap();
            for first in (0..facts.size.height).step_by(each) {
                let rows = first..facts.size.height.min(first + each as u32);
                let need = stage.rows_needed(rows.clone());
                let part = picture.size().region().rows(need.clone()).unwrap();
                let strip = Strip { first_row: need.start, content: picture.content().crop(part).unwrap() };
                let out = stage.run(&strip, rows.clone()).unwrap();
                content.put_rows(first, &out, 0..rows.end - rows.start).unwrap();
            }
            assert!(Picture::new(content, facts.metadata) == whole, "{} by {each}", make().name());
        }
        whole
    }

    fn picture() -> Picture {
        Frame::from_fn(Size::new(7, 13), |x, y| Rgb::new(x as u8, y as u8, (x * y) as u8)).unwrap().into()
    }

    #[test]
    fn every_step_gives_the_same_in_strips_of_any_height() {
        for orientation in Orientation::ALL {
            let oriented = in_strips(&picture(), || Box::new(Orient::new(orientation)));
            assert!(oriented == picture().oriented(orientation).unwrap(), "{orientation:?}");
        }
        for exif in 1..=8 {
            let mut stored = picture();
            stored.metadata_mut().orientation = Orientation::from_exif(exif).unwrap();
            let upright = in_strips(&stored, || Box::new(Orient::upright()));
            assert!(upright.metadata().orientation.is_upright());
            assert!(upright == stored.upright().unwrap(), "{exif}");
        }
        let channels = vec![Take::Channel(2), Take::Channel(1), Take::Channel(0), Take::Full];
        let wide = in_strips(&picture(), || Box::new(Channels::new(channels.clone())));
        assert_eq!(wide.view::<Rgba<u8>>().unwrap()[(2, 3)], Rgba::new(6, 3, 2, 255));
        let few = in_strips(&picture(), || Box::new(Codes::new(3)));
        assert_eq!(few.metadata().max_codes, Some(vec![3; 3]));
        let region = Region::new(2..6, 3..11).unwrap();
        for with in [Filling::Color([1.0, 0.0, 0.5], 1.0), Filling::Random { seed: 5 }] {
            let filled = in_strips(&picture(), || Box::new(Fill::new(region, with)));
            let view = filled.view::<Rgb<u8>>().unwrap();
            assert_eq!(view[(1, 3)], Rgb::new(1, 3, 3));
            assert_ne!(view[(2, 3)], Rgb::new(2, 3, 6));
        }
    }

    #[test]
    fn a_profile_goes_where_channels_change_places_and_stays_where_alpha_comes() {
        let mut picture = picture();
        picture.metadata_mut().icc = Some([1].into());
        let keep = |channels: Vec<Take>| {
            Channels::new(channels).plan(&picture.facts()).unwrap().facts().metadata.icc.is_some()
        };
        let [r, g, b] = [0, 1, 2].map(Take::Channel);
        assert!(keep(vec![r, g, b]) && keep(vec![r, g, b, Take::Full]));
        assert!(!keep(vec![b, g, r]) && !keep(vec![g]) && !keep(vec![r, g, Take::Zero]));
    }
}
