//! `color`: colours in another space or model, or the statement of which space they are.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use clap::{Args, ValueEnum};
use rahmen::color::{Adaptation, ColorSpace, Encoding, Gamut, Model, ModelRules, Profile, SpaceRules};
use rahmen::file::StatedMeaning;
use rahmen::flow::{AsModel, OfModel, StateSpace, ToSpace};
use rahmen::{Facts, Metadata, Primaries};
use std::path::Path;
use std::sync::Arc;

/// The words of `color`.
#[derive(Debug, Args)]
pub(crate) struct Color {
    /// Convert to a space: srgb, linear-srgb, display-p3, adobe-rgb, bt709, bt2020, bt2100-pq, bt2100-hlg, romm, acescg; or to that of
    /// an ICC profile in a file: profile.icc
    #[arg(long, value_name = "SPACE", value_parser = space)]
    to: Option<Space>,
    /// State that the colours are of a space, or of a profile; the numbers stay. With --to it is where they come from
    #[arg(long, value_name = "SPACE", value_parser = space)]
    assign: Option<Space>,
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

#[derive(Debug, Clone, Copy, Default, ValueEnum)]
pub(crate) enum WhiteWord {
    /// That of the space
    #[default]
    Own,
    /// Daylight of 5000 K, as print and profiles have it
    D50,
    /// Daylight of 6500 K, as screens have it
    D65,
}

impl WhiteWord {
    /// Its CIE XYZ; none is the picture's own.
    pub(crate) fn xyz(self) -> rahmen::Result<Option<[f64; 3]>> {
        match self {
            WhiteWord::Own => Ok(None),
            WhiteWord::D50 => ColorSpace::ROMM.white().map(Some),
            WhiteWord::D65 => ColorSpace::SRGB.white().map(Some),
        }
    }

    /// Its name, where a picture of these metadata is seen under it.
    pub(crate) fn name(self, metadata: &Metadata) -> String {
        match self {
            WhiteWord::D50 => "D50".into(),
            WhiteWord::D65 => "D65".into(),
            WhiteWord::Own => match metadata.primaries.chromaticities() {
                Some([31_270, 32_900, ..]) => "D65".into(),
                Some([34_570, 35_850, ..]) => "D50".into(),
                Some([x, y, ..]) => format!("x {} y {}", f64::from(x) / 1e5, f64::from(y) / 1e5),
                None => "a white that is not stated".into(),
            },
        }
    }
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
        Ok(Encoding::Space(space)) if space.primaries == Primaries::Other => {
            "the picture states no space that is known".to_string()
        }
        Ok(_) => return Ok(()),
        Err(e) => format!("the picture's profile cannot be used: {}", e.without_help()),
    };
    Err(Failure::words(format!("{why}; say its space with --assign SPACE")))
}

/// A space by its name, or the bytes of a profile.
#[derive(Debug, Clone)]
enum Space {
    Named(ColorSpace),
    Profile(Arc<[u8]>),
}

/// Bytes of a profile at most.
const MOST_PROFILE: u64 = 64 << 20;

fn space(word: &str) -> Result<Space, String> {
    if let Some(space) = ColorSpace::named(&word.to_ascii_lowercase()) {
        return Ok(Space::Named(space));
    }
    let names = || ColorSpace::NAMED.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    let is_profile = [".icc", ".icm"].iter().any(|end| word.to_ascii_lowercase().ends_with(end));
    if !is_profile {
        return Err(format!("a space is one of {}, or an ICC profile: FILE.icc", names()));
    }
    crate::open::read_most(Path::new(word), MOST_PROFILE).map(|bytes| Space::Profile(bytes.into())).map_err(|e| match e
        .kind()
    {
        std::io::ErrorKind::NotFound => "there is no such file".to_string(),
        std::io::ErrorKind::FileTooLarge => "a profile of more than 64 MiB".to_string(),
        _ => format!("it cannot be read: {e}"),
    })
}

impl Space {
    /// Its name, or what the profile calls itself.
    fn name(&self) -> String {
        match self {
            Space::Named(space) => Encoding::from(*space).name(),
            Space::Profile(bytes) => {
                Profile::parse(bytes).map_or("a profile".into(), |profile| Encoding::from(profile).name())
            }
        }
    }

    /// The space where one with primaries and a curve is needed.
    fn named(&self) -> Done<ColorSpace> {
        match self {
            Space::Named(space) => Ok(*space),
            Space::Profile(_) => Err(Failure::words("planes of a model go to a space with a name, not to a profile")),
        }
    }
}

impl Color {
    fn adaptation(&self) -> Adaptation {
        match self.adaptation {
            AdaptationWord::Bradford => Adaptation::Bradford,
            AdaptationWord::VonKries => Adaptation::VonKries,
            AdaptationWord::None => Adaptation::None,
        }
    }

    /// What a picture states once it is in the space that is asked for.
    fn seen_as(&self, input: &Facts) -> Metadata {
        let mut metadata = input.metadata.clone();
        if let Some(Space::Named(space)) = self.to.as_ref().or(self.assign.as_ref()) {
            metadata.primaries = space.primaries;
        }
        metadata
    }

    fn model_rules(&self, context: &Context<'_>) -> Done<ModelRules> {
        let rules = ModelRules::default().adaptation(self.adaptation()).threads(context.shared.threads());
        Ok(rules.white(self.white.xyz()?))
    }
}

impl Making for Color {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        if self.to.is_none() && self.assign.is_none() && self.model.is_none() && self.from_model.is_none() {
            return Err(Failure::words("color needs --to SPACE, --assign SPACE, --model MODEL or --from-model MODEL"));
        }
        let mut steps: Steps = Vec::new();
        if let Some(model) = self.from_model {
            let space = self.to.as_ref().or(self.assign.as_ref()).map_or(Ok(ColorSpace::SRGB), Space::named)?;
            let depth = context.becomes.depth.map_or(rahmen::Depth::U8, Into::into);
            return Ok(vec![Box::new(OfModel::new(model, space, depth).rules(&self.model_rules(context)?))]);
        }
        if let Some(space) = &self.assign {
            steps.push(Box::new(match space {
                Space::Named(space) => StateSpace::new(*space),
                Space::Profile(bytes) => StateSpace::of_profile(bytes.clone())?,
            }));
        }
        if let Some(space) = &self.to {
            if self.assign.is_none() {
                known_space(input)?;
            }
            let rules = SpaceRules::default().threads(context.shared.threads());
            let rules = rules.gamut(match self.gamut {
                GamutWord::Clip => Gamut::Clip,
                GamutWord::Chroma => Gamut::ReduceChroma,
            });
            let step = match space {
                Space::Named(space) => ToSpace::new(*space),
                Space::Profile(bytes) => ToSpace::to_profile(bytes.clone())?,
            };
            steps.push(Box::new(step.rules(&rules.adaptation(self.adaptation()))));
        }
        if let Some(model) = self.model {
            steps.push(Box::new(AsModel::new(model).rules(&self.model_rules(context)?)));
        }
        Ok(steps)
    }

    fn meaning(&self) -> Option<StatedMeaning> {
        self.from_model.map(|_| StatedMeaning::Values)
    }

    fn remark(&self, input: &Facts, _output: &Facts) -> Option<String> {
        let stated = || Encoding::of(&input.metadata).map_or_else(|_| "an unknown space".to_string(), |own| own.name());
        let from = self.assign.as_ref().map_or_else(stated, Space::name);
        if let Some(model) = self.from_model {
            let to = self.to.as_ref().or(self.assign.as_ref()).map_or("srgb".into(), Space::name);
            return Some(format!("{} to {to}", model.name()));
        }
        if let Some(model) = self.model {
            let [a, b, c] = model.channel_names();
            let white = match model {
                Model::Xyz | Model::Xyy | Model::Lab | Model::Lch | Model::Luv => {
                    format!(" under {}", self.white.name(&self.seen_as(input)))
                }
                _ => String::new(),
            };
            let space = self.to.as_ref().map_or(from, Space::name);
            return Some(format!("{} of {space}{white}: {a}, {b}, {c}", model.name()));
        }
        Some(match &self.to {
            Some(to) => format!("{from} to {}", to.name()),
            None => format!("stated as {from}"),
        })
    }
}
