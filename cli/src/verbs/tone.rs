//! What the verbs share that change tone: what they work on, where, and what they tell.

use crate::args::{Part as PartWords, Shared};
use crate::fail::{Done, Failure};
use crate::plots::Plotting;
use crate::verbs::histogram::{mask_of, weights_for};
use clap::{Args, ValueEnum};
use rahmen::color::GrayWeights;
use rahmen::flow::{FindTone, Found, Part};
use rahmen::tone::{Basis, Tone};
use rahmen::{Facts, PixelFormat};
use rahmen_show::plot::Chart;
use std::cell::RefCell;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What a tone works on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum OnWord {
    /// All colour channels by one curve: grays stay gray
    Together,
    /// Each channel by a curve of its own
    Each,
    /// The gray value alone, so that hues stay
    Gray,
}

impl OnWord {
    pub(crate) fn basis(self, weights: Option<GrayWeights>, input: &Facts) -> Basis {
        match self {
            OnWord::Together => Basis::Together,
            OnWord::Each => Basis::EachChannel,
            OnWord::Gray => Basis::GrayValue(weights_for(weights.unwrap_or(GrayWeights::Bt709), input)),
        }
    }
}

/// Where a tone is measured and what it changes.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct Where {
    #[command(flatten)]
    part: PartWords,
    /// Only where this gray picture of the same size has half of full or more
    #[arg(long, value_name = "FILE")]
    mask: Option<PathBuf>,
    /// Measure the part, and change the whole picture by it
    #[arg(long)]
    everywhere: bool,
}

impl Where {
    pub(crate) fn part(&self, input: &Facts, shared: &Shared) -> Done<Part> {
        let given = self.part.is_given() || self.mask.is_some();
        if self.everywhere && !given {
            return Err(Failure::words("--everywhere goes with a part that is measured: --x, --y or --mask"));
        }
        let region = self.part.is_given().then(|| self.part.region(input.size)).transpose()?;
        let mask = self.mask.as_deref().map(|path| mask_of(path, shared)).transpose()?.map(Arc::new);
        let part = Part::default().region(region).mask(mask);
        Ok(if self.everywhere { part.everywhere() } else { part })
    }
}

/// What a verb has found, kept for the remark once its chain has run.
#[derive(Debug, Clone, Default)]
pub(crate) struct Kept(RefCell<Option<Found>>);

impl Kept {
    /// Keeps a hand on what a step will find.
    pub(crate) fn keep(&self, step: &FindTone) {
        *self.0.borrow_mut() = Some(step.found());
    }

    pub(crate) fn tone(&self) -> Option<Tone> {
        self.0.borrow().as_ref().and_then(Found::tone)
    }

    /// Why nothing changed, where it did not.
    pub(crate) fn unchanged(&self) -> Option<String> {
        let why = self.tone()?.unchanged()?;
        Some(format!("left as it is: {why}"))
    }
}

/// Whether a picture has colour channels.
pub(crate) fn has_color(input: &Facts) -> bool {
    matches!(&input.pixel_format, PixelFormat::Pixels { layout, .. } if layout.is_color())
}

/// Pictures before and after, their histograms, and the curve between them where there is just one.
pub(crate) fn draw(
    plotting: &Plotting,
    verb: &str,
    tone: Option<Tone>,
    input: &Path,
    output: &Path,
    shared: &Shared,
) -> Done {
    let name = |p: &Path| p.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
    plotting.draw(&format!("{verb}: {} becomes {}", name(input), name(output)), shared, |figure| {
        let curve = match tone.as_ref().map(Tone::curves) {
            Some([curve]) => Some(Chart::curve(curve)),
            _ => None,
        };
        crate::plots::before_and_after(figure, input, output, curve, shared)
    })
}
