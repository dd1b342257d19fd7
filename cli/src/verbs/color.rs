//! `color`: colours in another space or model, or the statement of which space they are.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use clap::{Args, ValueEnum};
use rahmen::color::{Adaptation, ColorSpace, Encoding, Gamut, Model, ModelRules, SpaceRules};
use rahmen::flow::{AsModel, OfModel, StateSpace, ToSpace};
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
    #[arg(long, value_enum, default_value = "bradford")]
    adaptation: AdaptationWord,
    /// Planes of a colour model, which npy holds: linear-rgb, xyz, xyy, lab, lch, luv, oklab, oklch, hsv, hsl,
    /// ycbcr-bt601, ycbcr-bt709, ycbcr-bt2020
    #[arg(long, value_name = "MODEL", value_parser = model, conflicts_with = "from_model")]
    model: Option<Model>,
    /// The planes of the input are of this model; they become rgb of --to (default: srgb), with --depth of 8 bits unless said
    #[arg(long, value_name = "MODEL", value_parser = model)]
    from_model: Option<Model>,
    /// The white of xyz, xyy, lab, lch and luv: the space's own, d50 or d65
    #[arg(long, value_enum, default_value = "own")]
    white: WhiteWord,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum WhiteWord {
    /// That of the space
    Own,
    /// Daylight of 5000 K, as print and profiles have it
    D50,
    /// Daylight of 6500 K, as screens have it
    D65,
}

fn model(word: &str) -> Result<Model, String> {
    let names = || Model::NAMED.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    Model::named(&word.to_ascii_lowercase()).ok_or_else(|| format!("a model is one of {}", names()))
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

/// That the colours of a picture are known: by a profile that can be used, or by its primaries.
fn known_space(input: &Facts) -> Done {
    let why = match Encoding::of(&input.metadata) {
        Ok(Encoding::Space(space)) if space.primaries == Primaries::Unknown => {
            "the picture states no space that is known".to_string()
        }
        Ok(_) => return Ok(()),
        Err(e) => format!("the picture's profile cannot be used: {}", e.without_help()),
    };
    Err(Failure::words(format!("{why}; say its space with --assign SPACE")))
}

fn space(word: &str) -> Result<ColorSpace, String> {
    let names = || ColorSpace::NAMED.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    ColorSpace::named(&word.to_ascii_lowercase()).ok_or_else(|| format!("a space is one of {}", names()))
}

impl Color {
    fn adaptation(&self) -> Adaptation {
        match self.adaptation {
            AdaptationWord::Bradford => Adaptation::Bradford,
            AdaptationWord::VonKries => Adaptation::VonKries,
            AdaptationWord::None => Adaptation::None,
        }
    }

    fn model_rules(&self, context: &Context<'_>) -> Done<ModelRules> {
        let white = match self.white {
            WhiteWord::Own => None,
            WhiteWord::D50 => Some(ColorSpace::ROMM.white()?),
            WhiteWord::D65 => Some(ColorSpace::SRGB.white()?),
        };
        let rules = ModelRules::default().adaptation(self.adaptation()).threads(context.shared.threads());
        Ok(rules.white(white))
    }
}

impl Making for Color {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        if self.to.is_none() && self.assign.is_none() && self.model.is_none() && self.from_model.is_none() {
            return Err(Failure::words("color needs --to SPACE, --assign SPACE, --model MODEL or --from-model MODEL"));
        }
        let mut steps: Steps = Vec::new();
        if let Some(model) = self.from_model {
            let space = self.to.or(self.assign).unwrap_or(ColorSpace::SRGB);
            let depth = context.becomes.depth.map_or(rahmen::Depth::U8, Into::into);
            return Ok(vec![Box::new(OfModel::new(model, space, depth).rules(&self.model_rules(context)?))]);
        }
        if let Some(space) = self.assign {
            steps.push(Box::new(StateSpace::new(space)));
        }
        if let Some(space) = self.to {
            if self.assign.is_none() {
                known_space(input)?;
            }
            let rules = SpaceRules::default().threads(context.shared.threads());
            let rules = rules.gamut(match self.gamut {
                GamutWord::Clip => Gamut::Clip,
                GamutWord::Chroma => Gamut::ReduceChroma,
            });
            steps.push(Box::new(ToSpace::new(space).rules(&rules.adaptation(self.adaptation()))));
        }
        if let Some(model) = self.model {
            steps.push(Box::new(AsModel::new(model).rules(&self.model_rules(context)?)));
        }
        Ok(steps)
    }

    fn remark(&self, input: &Facts, _output: &Facts) -> Option<String> {
        let name = |space: ColorSpace| Encoding::from(space).name();
        let stated = || Encoding::of(&input.metadata).map_or_else(|_| "an unknown space".to_string(), |own| own.name());
        let from = self.assign.map_or_else(stated, name);
        if let Some(model) = self.from_model {
            let to = self.to.or(self.assign).unwrap_or(ColorSpace::SRGB);
            return Some(format!("{} to {}", model.name(), name(to)));
        }
        if let Some(model) = self.model {
            let [a, b, c] = model.channel_names();
            return Some(format!("{} of {}: {a}, {b}, {c}", model.name(), self.to.map_or(from, name)));
        }
        Some(match self.to {
            Some(to) => format!("{from} to {}", name(to)),
            None => format!("stated as {from}"),
        })
    }
}
