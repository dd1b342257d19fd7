//! `color`: colours in another space, or the statement of which space they are.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use clap::{Args, ValueEnum};
use rahmen::color::{Adaptation, ColorSpace, Gamut, SpaceRules};
use rahmen::flow::{StateSpace, ToSpace};
use rahmen::{Facts, Primaries};

/// The words of `color`.
#[derive(Debug, Args)]
pub(crate) struct Color {
    /// Convert to a space: srgb, linear-srgb, display-p3, adobe-rgb, bt709, bt2020, bt2100-pq, bt2100-hlg, romm, acescg
    #[arg(long, value_name = "SPACE", value_parser = space)]
    to: Option<ColorSpace>,
    /// State that the colours are of a space; the numbers stay. With --to it is where they come from
    #[arg(long, value_name = "SPACE", value_parser = space)]
    assign: Option<ColorSpace>,
    /// Colours that the space cannot hold: clip each channel, or reduce chroma at the same lightness and hue
    #[arg(long, value_enum, default_value = "clip", requires = "to")]
    gamut: GamutWord,
    /// How the white of one space becomes that of the other
    #[arg(long, value_enum, default_value = "bradford", requires = "to")]
    adaptation: AdaptationWord,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum GamutWord {
    /// Clamp each channel; floats keep what lies outside
    Clip,
    /// Reduce chroma at the same lightness and hue of Oklab
    Chroma,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum AdaptationWord {
    /// Scale the responses of Bradford
    Bradford,
    /// Scale the responses of the cones, by von Kries
    VonKries,
    /// Keep the place in CIE XYZ: whites become tints
    None,
}

fn space(word: &str) -> Result<ColorSpace, String> {
    let names = || ColorSpace::NAMED.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    ColorSpace::named(&word.to_ascii_lowercase()).ok_or_else(|| format!("a space is one of {}", names()))
}

impl Making for Color {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        if self.to.is_none() && self.assign.is_none() {
            return Err(Failure::words("color needs --to SPACE or --assign SPACE"));
        }
        let mut steps: Steps = Vec::new();
        if let Some(space) = self.assign {
            steps.push(Box::new(StateSpace::new(space)));
        }
        if let Some(space) = self.to {
            if self.assign.is_none() && input.metadata.primaries == Primaries::Unknown {
                let has =
                    if input.metadata.icc.is_some() { "a profile that is not read" } else { "none that is known" };
                return Err(Failure::words(format!("the picture states {has}; say its space with --assign SPACE")));
            }
            let rules = SpaceRules::default().threads(context.shared.threads());
            let rules = rules.gamut(match self.gamut {
                GamutWord::Clip => Gamut::Clip,
                GamutWord::Chroma => Gamut::ReduceChroma,
            });
            let rules = rules.adaptation(match self.adaptation {
                AdaptationWord::Bradford => Adaptation::Bradford,
                AdaptationWord::VonKries => Adaptation::VonKries,
                AdaptationWord::None => Adaptation::None,
            });
            steps.push(Box::new(ToSpace::new(space).rules(&rules)));
        }
        Ok(steps)
    }

    fn remark(&self, input: &Facts, _output: &Facts) -> Option<String> {
        let name = |space: ColorSpace| space.name().unwrap_or("a space without a name");
        let from = self.assign.unwrap_or(ColorSpace::of(&input.metadata));
        Some(match self.to {
            Some(to) => format!("{} to {}", name(from), name(to)),
            None => format!("stated as {}", name(from)),
        })
    }
}
