//! `mirror`, `turn`, `transpose`: the picture laid down another way.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::lossless::Lossless;
use crate::make::{Context, Making, Steps};
use crate::verbs::resize::LightWord;
use crate::words::{self, EdgeWord};
use clap::Args;
use rahmen::file::LosslessRules;
use rahmen::resample::{Kernel, Light, WarpRules};
use rahmen::{Facts, Form, access, flow};

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
    fn turn(&self) -> access::Turn {
        if self.top_bottom { access::Turn::TopBottom } else { access::Turn::LeftRight }
    }
}

impl Making for Mirror {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        Ok(vec![Box::new(flow::Turn::new(self.turn()))])
    }

    fn lossless(&self, shared: &Shared) -> Done<Option<(Option<access::Turn>, LosslessRules)>> {
        Ok(self.lossless.rules(shared).map(|rules| (Some(self.turn()), rules)))
    }
}

/// The words of `turn`.
#[derive(Debug, Args)]
pub(crate) struct Turn {
    /// A quarter turn clockwise
    #[arg(long, group = "direction")]
    right: bool,
    /// A quarter turn counter-clockwise
    #[arg(long, group = "direction")]
    left: bool,
    /// A half turn
    #[arg(long, group = "direction")]
    half: bool,
    /// Clockwise by any angle, by interpolation
    #[arg(long, group = "direction", value_name = "A", allow_hyphen_values = true, conflicts_with = "lossless")]
    degrees: Option<f64>,
    /// With --degrees: the picture keeps its size and loses its corners, instead of growing to hold all of it
    #[arg(long)]
    same_size: bool,
    /// With --degrees: how to interpolate, as for `resize` (catmull-rom by default)
    #[arg(long, value_parser = words::kernel)]
    kernel: Option<Kernel>,
    /// With --degrees: what lies outside: clamp, reflect, wrap or a colour (black, or clear where there is alpha)
    #[arg(long, value_name = "EDGE")]
    edge: Option<EdgeWord>,
    /// With --degrees: what is mixed, the numbers as they are encoded (the default) or the light they stand for
    #[arg(long, value_enum)]
    light: Option<LightWord>,
    #[command(flatten)]
    lossless: Lossless,
}

impl Turn {
    fn turn(&self) -> Done<access::Turn> {
        match (self.right, self.left, self.half) {
            (true, ..) => Ok(access::Turn::Right),
            (_, true, _) => Ok(access::Turn::Left),
            (_, _, true) => Ok(access::Turn::Half),
            _ => Err(Failure::words("turn needs a direction: --right, --left, --half or --degrees A")),
        }
    }
}

impl Making for Turn {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let words = self.kernel.is_some() || self.edge.is_some() || self.light.is_some();
        if self.degrees.is_none() && (self.same_size || words) {
            return Err(Failure::words(
                "--same-size, --kernel, --edge and --light go with --degrees; other turns move pixels exactly",
            ));
        }
        let Some(degrees) = self.degrees else { return Ok(vec![Box::new(flow::Turn::new(self.turn()?))]) };
        let mut rules = WarpRules::new(self.kernel.unwrap_or_default()).threads(context.shared.threads());
        if let (Some(edge), Form::Pixels { layout, .. }) = (self.edge, &input.form) {
            rules = rules.edge(edge.of_layout(*layout).map_err(|e| Failure::Work(anyhow::anyhow!(e)))?);
        }
        if self.light == Some(LightWord::Linear) {
            rules = rules.light(Light::linear_of(&input.metadata));
        }
        let step = flow::TurnBy::new(degrees, rules);
        Ok(vec![Box::new(if self.same_size { step.same_size() } else { step })])
    }

    fn lossless(&self, shared: &Shared) -> Done<Option<(Option<access::Turn>, LosslessRules)>> {
        let turn = if self.right || self.left || self.half { Some(self.turn()?) } else { None };
        Ok(self.lossless.rules(shared).map(|rules| (turn, rules)))
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
    fn turn(&self) -> access::Turn {
        if self.anti { access::Turn::AntiTranspose } else { access::Turn::Transpose }
    }
}

impl Making for Transpose {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        Ok(vec![Box::new(flow::Turn::new(self.turn()))])
    }

    fn lossless(&self, shared: &Shared) -> Done<Option<(Option<access::Turn>, LosslessRules)>> {
        Ok(self.lossless.rules(shared).map(|rules| (Some(self.turn()), rules)))
    }
}
