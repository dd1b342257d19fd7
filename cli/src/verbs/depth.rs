//! `depth`: another sample type, or fewer bits.

use crate::args::Depth as DepthWord;
use crate::fail::{Done, Failure};
use crate::make::{Becomes, Context, Making, Steps, to_depth};
use clap::Args;
use rahmen::{Facts, flow};

/// The words of `depth`.
#[derive(Debug, Args)]
pub(crate) struct Depth {
    /// The sample type: full stays full, values are rounded to nearest
    #[arg(long, value_enum)]
    to: Option<DepthWord>,
    /// Number of bits: 2 to the power of N levels over the full range; the file remembers them where it can
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=16))]
    bits: Option<u32>,
}

impl Making for Depth {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        if self.to.is_none() && self.bits.is_none() {
            return Err(Failure::words("depth needs --to u8, u16 or f32, or --bits N"));
        }
        let depth = self.to.map_or_else(|| Becomes::own_depth(input), rahmen::Depth::from);
        let mut steps: Steps = vec![Box::new(to_depth(depth, context.becomes.window()?, context))];
        if let Some(bits) = self.bits {
            steps.push(Box::new(flow::Codes { top: (1 << bits) - 1 }));
        }
        Ok(steps)
    }

    fn takes_window(&self) -> bool {
        true
    }
}
