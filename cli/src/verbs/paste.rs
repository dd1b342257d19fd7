//! `paste`: a picture laid into another one, or blended over it.

use crate::args::Shared;
use crate::fail::Done;
use crate::fail::Failure;
use crate::make::{Steps, Written, say_done, write_whole};
use crate::open;
use crate::progress;
use crate::verbs::alpha::GradientWords;
use crate::verbs::histogram::mask_of;
use crate::verbs::resize::LightWord;
use crate::words;
use clap::Args;
use rahmen::color::{BlendMode, BlendRules, ColorSpace, Operator};
use rahmen::convert::channels::Take;
use rahmen::flow;
use rahmen::frame::Light;
use rahmen::{Facts, Picture, PixelFormat, Region};
use std::path::{Path, PathBuf};

/// The words of `paste`.
#[derive(Debug, Args)]
pub(crate) struct Paste {
    /// The picture below
    #[arg(value_name = "BASE")]
    base: PathBuf,
    /// The picture that is laid into it
    #[arg(value_name = "OVER")]
    over: PathBuf,
    /// The file to write
    #[arg(value_name = "OUT")]
    output: PathBuf,
    /// Where the top left pixel of OVER goes
    #[arg(long, value_name = "X,Y", value_parser = words::signed_place, allow_hyphen_values = true)]
    at: (i64, i64),
    /// Take what lies inside, instead of failing where OVER reaches outside
    #[arg(long)]
    clip: bool,
    /// Convert OVER to the depth and layout of BASE, instead of failing where they differ
    #[arg(long)]
    convert: bool,
    /// Also where the two have different profiles or colour spaces
    #[arg(long)]
    mixed_spaces: bool,
    #[command(flatten)]
    blending: Blending,
    #[command(flatten)]
    written: Written,
}

/// How OVER is laid over BASE, where it does not replace it.
#[derive(Debug, Args)]
struct Blending {
    /// Blend by alpha: normal, multiply, screen, overlay, darken, lighten, color-dodge, color-burn, hard-light, soft-light, difference
    /// or exclusion
    #[arg(long, value_name = "MODE", value_parser = mode, help_heading = "Blending")]
    blend: Option<BlendMode>,
    /// What is kept of both: source-over (default), destination-over, source-in, destination-in, source-out, destination-out,
    /// source-atop, destination-atop, xor, plus, copy or clear; source is OVER
    #[arg(long, value_name = "OPERATOR", value_parser = operator, help_heading = "Blending")]
    operator: Option<Operator>,
    /// Opacity of OVER, in percent
    #[arg(long, value_name = "P", value_parser = words::percent, help_heading = "Blending")]
    opacity: Option<f64>,
    /// A gray picture of the size of OVER: where it is black, OVER is left out
    #[arg(long, value_name = "FILE", help_heading = "Blending")]
    mask: Option<PathBuf>,
    #[command(flatten)]
    gradient: GradientWords,
    /// Blend encoded values, or linear light by the base's curve
    #[arg(long, value_enum, help_heading = "Blending")]
    light: Option<LightWord>,
}

fn mode(word: &str) -> Result<BlendMode, String> {
    let known = || BlendMode::NAMED.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    BlendMode::named(word).ok_or_else(|| format!("a blend mode is one of {}", known()))
}

fn operator(word: &str) -> Result<Operator, String> {
    let known = || Operator::NAMED.iter().map(|(name, _)| *name).collect::<Vec<_>>().join(", ");
    Operator::named(word).ok_or_else(|| format!("an operator is one of {}", known()))
}

impl Blending {
    fn is_given(&self) -> bool {
        let words = [self.operator.is_some(), self.opacity.is_some(), self.mask.is_some(), self.light.is_some()];
        self.blend.is_some() || self.gradient.is_given() || words.contains(&true)
    }

    /// Lays the picture over the base; says which part of it was changed.
    fn run(&self, base: &mut Picture, over: &Picture, at: (i64, i64), shared: &Shared) -> Done<Region> {
        let mut rules = BlendRules::default().mode(self.blend.unwrap_or_default());
        rules = rules.operator(self.operator.unwrap_or_default()).opacity(self.opacity.unwrap_or(100.0) / 100.0);
        if self.light == Some(LightWord::Linear) {
            rules = rules.light(Light::linear_of(base.metadata())?);
        }
        let mask = match (&self.mask, self.gradient.mask(over.size())?) {
            (Some(_), Some(_)) => return Err(Failure::words("--mask and a gradient are two masks; leave one out")),
            (Some(file), None) => Some(mask_of(file, shared)?),
            (None, gradient) => gradient,
        };
        Ok(base.blend(over, at, mask.as_ref(), &rules.threads(shared.threads()))?)
    }
}

impl Paste {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let base = open::whole(&self.base, shared)?;
        let facts = base.facts();
        let made = self.onto(base, &self.base, shared)?;
        let to = made.facts();
        write_whole(&self.output, made, &self.written, shared)?;
        let over = if self.blending.is_given() { " over it" } else { "" };
        let remark = format!("{}{over} at {},{}", open::name_of(&self.over), self.at.0, self.at.1);
        say_done(&self.base, &self.output, &facts, &to, Some(remark), shared)
    }

    /// How the file is written.
    pub(crate) fn written(&self) -> &Written {
        &self.written
    }

    /// The picture with OVER laid into it; `name` is where it comes from.
    pub(crate) fn onto(&self, mut base: Picture, name: &Path, shared: &Shared) -> Done<Picture> {
        let facts = base.facts();
        let blends = self.blending.is_given();
        let over = open::load(&self.over, shared, &mut |over| match self.convert {
            // Layers of any depth blend; of two spaces they do not.
            true if blends => Ok(to_space_of(over, &facts)),
            true => converting(over, &facts),
            false => Ok(Vec::new()),
        })?;
        let (a, b) = (base.metadata(), over.metadata());
        let same = a.same_space(b);
        if !same && !self.mixed_spaces {
            let convert = if blends { "--convert to convert the second, or " } else { "" };
            return Err(anyhow::anyhow!(
                "{} and {} have different profiles or colour spaces; add {convert}--mixed-spaces to take the numbers as they are",
                open::name_of(name),
                open::name_of(&self.over)
            )
            .into());
        }
        if a.max_codes != b.max_codes {
            base.metadata_mut().max_codes = None;
        }
        let (x, y) = self.at;
        if blends {
            return self.blended(base, over, shared);
        }
        let pasted = match self.clip {
            true => base.content_mut().paste_clipped(over.content(), x, y).map(drop),
            false => base.content_mut().paste(over.content(), x, y),
        };
        pasted.map_err(|e| match e.kind() {
            rahmen::ErrorKind::Types { wanted, found } => anyhow::anyhow!(
                "{} is {found}, {} is {wanted}; add --convert",
                open::name_of(&self.over),
                open::name_of(name)
            ),
            rahmen::ErrorKind::RegionOutside { .. } => {
                anyhow::anyhow!("{}: {e}; add --clip to take what lies inside", open::name_of(&self.over))
            }
            _ => e.into(),
        })?;
        Ok(base)
    }

    /// The base with the other picture blended over it.
    fn blended(&self, mut base: Picture, mut over: Picture, shared: &Shared) -> Done<Picture> {
        let ((x, y), size) = (self.at, over.size());
        let space = |m: &rahmen::Metadata| (m.icc.clone(), m.primaries, m.transfer);
        if self.mixed_spaces {
            let metadata = over.metadata_mut();
            (metadata.icc, metadata.primaries, metadata.transfer) = space(base.metadata());
        }
        let name = open::name_of(&self.over);
        let region = progress::during("blending", shared, || self.blending.run(&mut base, &over, (x, y), shared))?;
        if region.size() != size && !self.clip {
            return Err(
                anyhow::anyhow!("{name} at {x},{y} reaches outside; add --clip to take what lies inside").into()
            );
        }
        Ok(base)
    }
}

/// The step that takes a picture to the space of another, where it states a different one.
fn to_space_of(over: &Facts, base: &Facts) -> Steps {
    let (from, to) = (ColorSpace::of(&over.metadata), ColorSpace::of(&base.metadata));
    if from == to { Vec::new() } else { vec![Box::new(flow::ToSpace::new(to))] }
}

/// The steps that give a picture the depth and layout of another.
fn converting(over: &Facts, base: &Facts) -> Done<Steps> {
    let mut steps: Steps = Vec::new();
    let (PixelFormat::Pixels { layout: from, .. }, PixelFormat::Pixels { depth, layout: to }) =
        (&over.pixel_format, &base.pixel_format)
    else {
        return Ok(steps);
    };
    let (from, to, depth) = (*from, *to, *depth);
    if from.has_alpha() && !to.has_alpha() {
        return Err(anyhow::anyhow!("the base is {to} and has no alpha, the other is {from}; flatten it first").into());
    }
    match (from.is_color(), to.is_color()) {
        (true, false) => steps.push(Box::new(flow::ToGray::default())),
        (false, true) => steps.push(Box::new(flow::ToColor)),
        _ => {}
    }
    if to.has_alpha() && !from.has_alpha() {
        let colors = to.channels() - 1;
        let channels = (0..colors).map(Take::Channel).chain([Take::Full]).collect();
        steps.push(Box::new(flow::Channels::new(channels)));
    }
    steps.push(Box::new(flow::ToDepth::new(depth)));
    Ok(steps)
}
