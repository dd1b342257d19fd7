//! `mirror`, `rotate`, `transpose`: the pixels laid down another way.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::lossless::Lossless;
use crate::make::{Context, Making, Steps};
use crate::verbs::resize::LightWord;
use crate::words::{self, EdgeWord};
use clap::Args;
use rahmen::file::LosslessRules;
use rahmen::resample::{Kernel, Light, WarpRules};
use rahmen::{Facts, Orientation, PixelFormat, flow};

/// The words of `mirror`.
#[derive(Debug, Args)]
pub(crate) struct Mirror {
    /// Left becomes right (the default)
    #[arg(long)]
    left_right: bool,
    /// Top becomes bottom
    #[arg(long, conflicts_with = "left_right")]
    top_bottom: bool,
    #[command(flatten)]
    lossless: Lossless,
}

impl Mirror {
    fn orientation(&self) -> Orientation {
        if self.top_bottom { Orientation::MirroredTopBottom } else { Orientation::MirroredLeftRight }
    }
}

impl Making for Mirror {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        Ok(vec![Box::new(flow::Orient::new(self.orientation()))])
    }

    fn lossless(&self, shared: &Shared) -> Done<Option<(Option<Orientation>, LosslessRules)>> {
        Ok(self.lossless.rules(shared).map(|rules| (Some(self.orientation()), rules)))
    }
}

/// The words of `rotate`.
#[derive(Debug, Args)]
pub(crate) struct Rotate {
    /// Degrees clockwise: 90, 180 and 270 move pixels exactly, any other angle interpolates
    #[arg(value_name = "DEGREES", allow_negative_numbers = true, conflicts_with = "direction")]
    angle: Option<f64>,
    // Options that people try first; the place behind OUT is the one that is documented.
    #[arg(long = "degrees", aliases = ["angle", "by"], hide = true, allow_negative_numbers = true)]
    #[arg(conflicts_with_all = ["angle", "direction"])]
    angle_option: Option<f64>,
    /// By 90 degrees clockwise
    #[arg(long, group = "direction", aliases = ["clockwise", "cw"])]
    right: bool,
    /// By 90 degrees counter-clockwise
    #[arg(long, group = "direction", aliases = ["counter-clockwise", "ccw"])]
    left: bool,
    /// By 180 degrees
    #[arg(long, group = "direction")]
    half: bool,
    /// For other angles: the picture keeps its size and loses its corners, instead of growing to hold all of it
    #[arg(long)]
    same_size: bool,
    /// For other angles: how to interpolate, as for `resize` (default: catmull-rom)
    #[arg(long, value_name = "KERNEL", value_parser = words::kernel)]
    interpolation: Option<Kernel>,
    /// For other angles: what lies outside: clamp, reflect (the edge pixel repeated), wrap or a colour (default: black, or clear where there is alpha)
    #[arg(long, value_name = "EDGE")]
    edge: Option<EdgeWord>,
    /// For other angles: mix encoded values (the default) or linear light
    #[arg(long, value_enum)]
    light: Option<LightWord>,
    #[command(flatten)]
    lossless: Lossless,
}

impl Rotate {
    fn degrees(&self) -> Done<f64> {
        match (self.right, self.left, self.half) {
            (true, ..) => Ok(90.0),
            (_, true, _) => Ok(-90.0),
            (_, _, true) => Ok(180.0),
            _ => self.angle.or(self.angle_option).ok_or_else(|| {
                Failure::words(
                    "rotate needs an angle: 90, 180, 270 or any other behind OUT, or --right, --left, --half",
                )
            }),
        }
    }

    /// The orientation where the angle is a multiple of 90 degrees, else the angle.
    fn way(&self) -> Done<Result<Orientation, f64>> {
        let degrees = self.degrees()?;
        Ok(match degrees.rem_euclid(360.0) {
            0.0 => Ok(Orientation::Upright),
            90.0 => Ok(Orientation::RotatedRight),
            180.0 => Ok(Orientation::RotatedHalf),
            270.0 => Ok(Orientation::RotatedLeft),
            _ => Err(degrees),
        })
    }
}

impl Making for Rotate {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let about_warps = self.same_size || self.interpolation.is_some() || self.edge.is_some() || self.light.is_some();
        let degrees = match self.way()? {
            Ok(orientation) if !about_warps => return Ok(vec![Box::new(flow::Orient::new(orientation))]),
            // The same pixels, in a frame or with an edge of one's own.
            _ => self.degrees()?,
        };
        let mut rules =
            WarpRules::new(self.interpolation.clone().unwrap_or_default()).threads(context.shared.threads());
        if let (Some(edge), PixelFormat::Pixels { .. }) = (self.edge, &input.pixel_format) {
            rules = rules.edge(edge.channels_of(input).map_err(anyhow::Error::msg)?);
        }
        if self.light == Some(LightWord::Linear) {
            rules = rules.light(Light::linear_of(&input.metadata)?);
        }
        let step = flow::RotateBy::new(degrees, rules);
        Ok(vec![Box::new(if self.same_size { step.same_size() } else { step })])
    }

    fn lossless(&self, shared: &Shared) -> Done<Option<(Option<Orientation>, LosslessRules)>> {
        let Some(rules) = self.lossless.rules(shared) else { return Ok(None) };
        // Without an angle --upright may ask for an orientation.
        let none = !(self.right || self.left || self.half) && self.angle.or(self.angle_option).is_none();
        match if none { return Ok(Some((None, rules))) } else { self.way()? } {
            Ok(orientation) => Ok(Some((Some(orientation), rules))),
            Err(degrees) => {
                Err(Failure::words(format!("--lossless rotates by multiples of 90 degrees, not by {degrees}")))
            }
        }
    }
}

/// The words of `transpose`.
#[derive(Debug, Args)]
pub(crate) struct Transpose {
    /// About the other diagonal, from the bottom left to the top right
    #[arg(long)]
    anti: bool,
    #[command(flatten)]
    lossless: Lossless,
}

impl Transpose {
    fn orientation(&self) -> Orientation {
        if self.anti { Orientation::AntiTransposed } else { Orientation::Transposed }
    }
}

impl Making for Transpose {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        Ok(vec![Box::new(flow::Orient::new(self.orientation()))])
    }

    fn lossless(&self, shared: &Shared) -> Done<Option<(Option<Orientation>, LosslessRules)>> {
        Ok(self.lossless.rules(shared).map(|rules| (Some(self.orientation()), rules)))
    }
}
