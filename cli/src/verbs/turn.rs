//! `mirror`, `turn`, `transpose`: the picture laid down another way.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::lossless::Lossless;
use crate::make::{Context, Making, Steps};
use clap::Args;
use rahmen::file::LosslessRules;
use rahmen::{Facts, access, flow};

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
    #[command(flatten)]
    lossless: Lossless,
}

impl Turn {
    fn turn(&self) -> Done<access::Turn> {
        match (self.right, self.left, self.half) {
            (true, ..) => Ok(access::Turn::Right),
            (_, true, _) => Ok(access::Turn::Left),
            (_, _, true) => Ok(access::Turn::Half),
            _ => Err(Failure::words("turn needs a direction: --right, --left or --half")),
        }
    }
}

impl Making for Turn {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        Ok(vec![Box::new(flow::Turn::new(self.turn()?))])
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
