//! `threshold`: black below a level, white from it on.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::plots::Plotting;
use crate::text::number;
use crate::verbs::gray::weights;
use crate::verbs::histogram::weights_for;
use crate::verbs::tone::{self, Kept, Where};
use clap::Args;
use rahmen::color::GrayWeights;
use rahmen::flow::{Find, FindTone, Step, ToGray};
use rahmen::tone::{Basis, ThresholdBy};
use rahmen::{Facts, PixelFormat};
use std::path::Path;

/// The words of `threshold`: one way to find the level.
#[derive(Debug, Args)]
pub(crate) struct Threshold {
    /// This level (a code, or a value of floats), or several: "50,120" makes three grays
    #[arg(long, value_name = "L[,L...]", value_parser = levels, group = "way", allow_hyphen_values = true)]
    level: Option<Levels>,
    /// The level that parts two classes best (Otsu's method)
    #[arg(long, group = "way")]
    otsu: bool,
    /// Percentile: the level that P percent of the values lie below
    #[arg(long, value_name = "P", group = "way")]
    percentile: Option<f64>,
    /// How much red, green and blue count towards gray, which is what is thresholded
    #[arg(long, value_name = "WEIGHTS", default_value = "bt709", value_parser = weights, allow_hyphen_values = true)]
    weights: GrayWeights,
    /// Each channel by itself instead
    #[arg(long)]
    each_channel: bool,
    #[command(flatten)]
    place: Where,
    #[command(flatten)]
    plotting: Plotting,
    #[arg(skip)]
    kept: Kept,
}

/// Levels of a threshold.
#[derive(Debug, Clone)]
struct Levels(Vec<f64>);

fn levels(words: &str) -> Result<Levels, String> {
    let all: Result<Vec<f64>, _> = words.split(',').map(|word| word.trim().parse()).collect();
    all.map(Levels).map_err(|_| "a level is a number, several are parted by commas: 50,120".to_string())
}

impl Threshold {
    fn way(&self) -> Done<ThresholdBy> {
        Ok(match (&self.level, self.percentile) {
            (Some(Levels(levels)), _) if levels.len() == 1 => ThresholdBy::Level(levels[0]),
            (Some(Levels(levels)), _) => ThresholdBy::Levels(levels.clone()),
            (_, Some(percent)) => ThresholdBy::Percentile(percent),
            _ if self.otsu => ThresholdBy::Otsu,
            _ => return Err(Failure::words("threshold needs --level L, --otsu or --percentile P")),
        })
    }
}

impl Making for Threshold {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let threads = context.shared.threads();
        let mut steps: Steps = Vec::new();
        let mut facts = input.clone();
        if tone::has_color(input) && !self.each_channel {
            let gray = ToGray::new(weights_for(self.weights, input)).threads(threads);
            facts = gray.plan(input)?.facts().clone();
            steps.push(Box::new(gray));
        }
        let basis = if self.each_channel { Basis::EachChannel } else { Basis::Together };
        let step = FindTone::new(Find::Threshold(self.way()?), basis).threads(threads);
        let step = step.part(self.place.part(&facts, context.shared)?);
        self.kept.keep(&step);
        steps.push(Box::new(step));
        Ok(steps)
    }

    fn looks_twice(&self) -> bool {
        true
    }

    fn remark(&self, input: &Facts, _: &Facts) -> Option<String> {
        if let Some(why) = self.kept.unchanged() {
            return Some(why);
        }
        if self.level.is_some() {
            return None;
        }
        // What was found, in levels of the picture: the least level that becomes full.
        let tone = self.kept.tone()?;
        let depth = if let PixelFormat::Pixels { depth, .. } = input.pixel_format { depth } else { return None };
        let top =
            input.metadata.max_code(0, depth).filter(|_| !tone::has_color(input)).or(depth.max_code().map(u32::from));
        let found: Vec<_> = tone.curves().iter().map(|curve| first_full(curve, top)).collect();
        Some(format!("threshold {}", found.into_iter().map(number).collect::<Vec<_>>().join(", ")))
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        tone::draw(&self.plotting, "Threshold", self.kept.tone(), input, output, shared)
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}

/// Where a curve of steps reaches full: the level for integers, the value for floats.
fn first_full(curve: &rahmen::tone::Curve, top: Option<u32>) -> f64 {
    let steps = top.unwrap_or(1 << 20);
    let full = |level: u32| curve.at(f64::from(level) / f64::from(steps)) >= 1.0;
    let found = (0..=steps).find(|&level| full(level)).map_or(f64::INFINITY, f64::from);
    if top.is_some() { found } else { found / f64::from(steps) }
}
