//! `fill`: a region of one colour, or of random values.

use crate::args::Part;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::words::Color;
use clap::Args;
use rahmen::Facts;
use rahmen::flow::{self, Filling};

/// The words of `fill`.
#[derive(Debug, Args)]
pub(crate) struct Fill {
    #[command(flatten)]
    part: Part,
    /// The colour
    #[arg(long, alias = "colour", value_name = "COLOUR", conflicts_with = "random")]
    color: Option<Color>,
    /// Random values; the same seed (default: 0) gives the same values for ever
    #[arg(long, value_name = "SEED", num_args = 0..=1, default_missing_value = "0")]
    random: Option<u64>,
}

impl Making for Fill {
    fn steps(&self, input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        let with = match (self.color, self.random) {
            (Some(color), _) => {
                let color = color.of(input).map_err(anyhow::Error::msg)?;
                Filling::Color(color.rgb, color.alpha)
            }
            (None, Some(seed)) => Filling::Random { seed },
            (None, None) => return Err(Failure::words("fill needs --color COLOUR or --random")),
        };
        Ok(vec![Box::new(flow::Fill::new(self.part.region(input.size)?, with))])
    }
}
