//! `adjust` and `negative`: curves that are known beforehand.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::plots::Plotting;
use crate::verbs::gray::weights;
use crate::verbs::tone::{self, OnWord, Where};
use clap::Args;
use rahmen::color::GrayWeights;
use rahmen::flow::Retone;
use rahmen::tone::{Basis, Curve, Tone};
use rahmen::{Facts, PixelFormat};
use std::path::Path;

/// The words of `adjust`: done in this order.
#[derive(Debug, Args)]
pub(crate) struct Adjust {
    /// Add this share of full: -1 to 1
    #[arg(long, value_name = "SHARE", value_parser = brightness, allow_hyphen_values = true)]
    brightness: Option<f64>,
    /// Contrast: distances from the pivot are multiplied by this
    #[arg(long, value_name = "F", allow_hyphen_values = true)]
    contrast: Option<f64>,
    /// With --contrast: the share of full that stays (0.5 by default)
    #[arg(long, value_name = "SHARE", requires = "contrast", allow_hyphen_values = true)]
    pivot: Option<f64>,
    /// Raise shares of full to this power: below 1 brightens, above it darkens
    #[arg(long, value_name = "F", allow_hyphen_values = true)]
    gamma: Option<f64>,
    /// Straight lines between points of shares: "0,0 0.25,0.4 1,1"
    #[arg(long, value_name = "X,Y ...", value_parser = points, allow_hyphen_values = true)]
    points: Option<Points>,
    /// What is changed
    #[arg(long, value_enum, default_value = "together")]
    on: OnWord,
    /// With --on gray: weights of red, green and blue
    #[arg(long, value_name = "WEIGHTS", value_parser = weights, allow_hyphen_values = true)]
    weights: Option<GrayWeights>,
    /// Only this channel
    #[arg(long, value_name = "NAME")]
    channel: Option<String>,
    #[command(flatten)]
    place: Where,
    #[command(flatten)]
    plotting: Plotting,
}

/// A share of full to add.
fn brightness(word: &str) -> Result<f64, String> {
    let number: Option<f64> = word.trim().parse().ok().filter(|v| (-1.0..=1.0).contains(v));
    number.ok_or_else(|| "brightness is a share of full from -1 to 1: 0.1 adds a tenth".to_string())
}

/// Points of a curve.
#[derive(Debug, Clone)]
struct Points(Vec<(f64, f64)>);

fn points(words: &str) -> Result<Points, String> {
    let point = |word: &str| {
        let (x, y) = word.split_once(',')?;
        Some((x.trim().parse().ok()?, y.trim().parse().ok()?))
    };
    let all: Option<Vec<(f64, f64)>> = words.split_whitespace().map(point).collect();
    let all = all.filter(|p| !p.is_empty());
    all.map(Points).ok_or_else(|| "points are shares of full such as \"0,0 0.25,0.4 1,1\"".to_string())
}

impl Adjust {
    fn curve(&self) -> Done<Curve> {
        let mut curves = Vec::new();
        if let Some(by) = self.brightness {
            curves.push(Curve::brightness(by)?);
        }
        if let Some(by) = self.contrast {
            curves.push(Curve::contrast(by, self.pivot.unwrap_or(0.5))?);
        }
        if let Some(exponent) = self.gamma {
            curves.push(Curve::gamma(exponent)?);
        }
        if let Some(points) = &self.points {
            curves.push(Curve::points(&points.0)?);
        }
        let all = curves.into_iter().reduce(Curve::then);
        all.ok_or_else(|| Failure::words("adjust needs --brightness, --contrast, --gamma or --points"))
    }

    fn tone(&self, input: &Facts) -> Done<Tone> {
        let curve = self.curve()?;
        if let Some(name) = &self.channel {
            let at = crate::args::channel_index(input, name).map_err(Failure::words)?;
            let PixelFormat::Pixels { layout, .. } = input.pixel_format else { return Ok(Tone::new(curve)) };
            let colors = layout.without_alpha().channels();
            if at >= colors {
                return Err(Failure::words(format!("{name} is no colour; tone leaves alpha alone")));
            }
            let each = (0..colors).map(|c| if c == at { curve.clone() } else { Curve::identity() });
            return Ok(Tone::each(each.collect())?);
        }
        Ok(match self.on.basis(self.weights, input) {
            Basis::GrayValue(weights) => Tone::gray_value(curve, weights),
            _ => Tone::new(curve),
        })
    }
}

impl Making for Adjust {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let step = Retone::new("adjust", self.tone(input)?).threads(context.shared.threads());
        Ok(vec![Box::new(step.part(self.place.part(input, context.shared)?))])
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        tone::draw(&self.plotting, "Adjusted", Some(Tone::new(self.curve()?)), input, output, shared)
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}

/// The words of `negative`.
#[derive(Debug, Args)]
pub(crate) struct Negative {
    #[command(flatten)]
    place: Where,
    #[command(flatten)]
    plotting: Plotting,
}

impl Making for Negative {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let step = Retone::negative().threads(context.shared.threads());
        Ok(vec![Box::new(step.part(self.place.part(input, context.shared)?))])
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        tone::draw(&self.plotting, "Negative", Some(Tone::new(Curve::negative())), input, output, shared)
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}
