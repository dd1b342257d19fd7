//! `mirror`, `turn`, `transpose`: the picture laid down another way.

use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use clap::Args;
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
}

impl Making for Mirror {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        let turn = if self.top_bottom { access::Turn::TopBottom } else { access::Turn::LeftRight };
        Ok(vec![Box::new(flow::Turn::new(turn))])
    }
}

/// The words of `turn`.
#[derive(Debug, Args)]
#[group(required = false, multiple = false)]
pub(crate) struct Turn {
    /// A quarter turn clockwise
    #[arg(long)]
    right: bool,
    /// A quarter turn counter-clockwise
    #[arg(long)]
    left: bool,
    /// A half turn
    #[arg(long)]
    half: bool,
}

impl Making for Turn {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        let turn = match (self.right, self.left, self.half) {
            (true, ..) => access::Turn::Right,
            (_, true, _) => access::Turn::Left,
            (_, _, true) => access::Turn::Half,
            _ => return Err(Failure::words("turn needs a direction: --right, --left or --half")),
        };
        Ok(vec![Box::new(flow::Turn::new(turn))])
    }
}

/// The words of `transpose`.
#[derive(Debug, Args)]
pub(crate) struct Transpose {
    /// About the other diagonal, from the bottom left to the top right
    #[arg(long)]
    anti: bool,
}

impl Making for Transpose {
    fn steps(&self, _input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        let turn = if self.anti { access::Turn::AntiTranspose } else { access::Turn::Transpose };
        Ok(vec![Box::new(flow::Turn::new(turn))])
    }
}
