//! `equalize` and `stretch`: the levels of a picture spread over what is possible.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::open;
use crate::plots::Plotting;
use crate::verbs::gray::weights;
use crate::verbs::histogram::ByWord;
use crate::verbs::tone::{self, Kept, OnWord, Where};
use crate::words;
use clap::Args;
use rahmen::color::GrayWeights;
use rahmen::flow::{EqualizeAdaptive, Find, FindTone};
use rahmen::measure::{Histogram, Mask};
use rahmen::tone::{AdaptiveRules, Basis, StretchBy};
use rahmen::{Facts, Size};
use std::path::{Path, PathBuf};

/// The words of `equalize`.
#[derive(Debug, Args)]
pub(crate) struct Equalize {
    /// (L - 1) times the cumulative share, or the same with the lowest level used at 0
    #[arg(long, value_enum, default_value = "cumulative")]
    by: ByWord,
    /// Basis: the values that are measured and changed
    #[arg(long, value_enum, default_value = "gray")]
    on: OnWord,
    /// With --on gray: weights of red, green and blue
    #[arg(long, value_name = "WEIGHTS", value_parser = weights, allow_hyphen_values = true)]
    weights: Option<GrayWeights>,
    /// Match the distribution of this picture instead of an even one
    #[arg(long = "match", value_name = "FILE", conflicts_with_all = ["by", "adaptive"])]
    to_match: Option<PathBuf>,
    /// Adaptive: C x R tiles, each by its own distribution, interpolated between their centres
    #[arg(long, value_name = "CxR", value_parser = words::size, conflicts_with_all = ["by", "x", "y", "mask"])]
    adaptive: Option<Size>,
    /// With --adaptive: clip counts at N times their mean and spread the rest, which limits contrast (default: 3)
    #[arg(long, value_name = "N", requires = "adaptive")]
    clip_limit: Option<f64>,
    #[command(flatten)]
    place: Where,
    #[command(flatten)]
    plotting: Plotting,
    #[arg(skip)]
    kept: Kept,
}

impl Making for Equalize {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let (basis, threads) = (self.on.basis(self.weights, input), context.shared.threads());
        if let Some(tiles) = self.adaptive {
            let mut rules = AdaptiveRules::default();
            (rules.tiles, rules.basis, rules.threads) = ((tiles.width, tiles.height), basis, threads);
            rules.clip_limit = self.clip_limit.unwrap_or(rules.clip_limit);
            return Ok(vec![Box::new(EqualizeAdaptive::new(rules))]);
        }
        let find = match &self.to_match {
            Some(path) => Find::Match(distribution(path, basis, context.shared)?),
            None => Find::Equalize(self.by.into()),
        };
        let step = FindTone::new(find, basis).threads(threads).part(self.place.part(input, context.shared)?);
        self.kept.keep(&step);
        Ok(vec![Box::new(step)])
    }

    fn looks_twice(&self) -> bool {
        true
    }

    fn remark(&self, _: &Facts, _: &Facts) -> Option<String> {
        self.kept.unchanged()
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        tone::draw(&self.plotting, "Equalised", self.kept.tone(), input, output, shared)
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}

/// The distribution of another picture, measured as a tone of this basis needs it.
fn distribution(path: &Path, basis: Basis, shared: &Shared) -> Done<Histogram> {
    let plain = Shared { page: None, raw: None, ..shared.clone() };
    let picture = open::whole(path, &plain)?;
    let levels = rahmen::Levels::of(picture.metadata());
    let counted = picture.content().measured(&Mask::ALL, basis, &levels, shared.threads());
    Ok(counted.map_err(|e| e.in_file(open::name_of(path)))?)
}

/// The words of `stretch`.
#[derive(Debug, Args)]
pub(crate) struct Stretch {
    /// Percentiles whose levels become 0 and full (default: the lowest and highest level used)
    #[arg(long, value_name = "LO,HI", value_parser = words::limits)]
    percentiles: Option<(f64, f64)>,
    /// Levels that become 0 and full: codes, or values of floats
    #[arg(long, value_name = "LO,HI", value_parser = words::limits, allow_hyphen_values = true)]
    #[arg(conflicts_with = "percentiles")]
    levels: Option<(f64, f64)>,
    /// Basis: the values that are measured and changed
    #[arg(long, value_enum, default_value = "together")]
    on: OnWord,
    /// With --on gray: weights of red, green and blue
    #[arg(long, value_name = "WEIGHTS", value_parser = weights, allow_hyphen_values = true)]
    weights: Option<GrayWeights>,
    #[command(flatten)]
    place: Where,
    #[command(flatten)]
    plotting: Plotting,
    #[arg(skip)]
    kept: Kept,
}

impl Making for Stretch {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let by = match (self.percentiles, self.levels) {
            (Some((low, high)), _) if !(0.0..=100.0).contains(&low) || !(0.0..=100.0).contains(&high) => {
                return Err(Failure::words(format!("percentiles are 0 to 100, not {low},{high}")));
            }
            (Some((low, high)), _) => StretchBy::Percentiles(low, high),
            (_, Some((low, high))) => StretchBy::Levels(low, high),
            _ => StretchBy::MinMax,
        };
        let basis = self.on.basis(self.weights, input);
        let step = FindTone::new(Find::Stretch(by), basis).threads(context.shared.threads());
        let step = step.part(self.place.part(input, context.shared)?);
        self.kept.keep(&step);
        Ok(vec![Box::new(step)])
    }

    fn looks_twice(&self) -> bool {
        true
    }

    fn remark(&self, _: &Facts, _: &Facts) -> Option<String> {
        self.kept.unchanged()
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        tone::draw(&self.plotting, "Stretched", self.kept.tone(), input, output, shared)
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}
