//! `fill`: a region of one colour, or of random values.

use crate::args::Part;
use crate::fail::{Done, Failure};
use crate::make::{Context, Making, Steps};
use crate::words::Color;
use clap::Args;
use rahmen::flow::{self, Filling};
use rahmen::{Facts, Form};

/// The words of `fill`.
#[derive(Debug, Args)]
pub(crate) struct Fill {
    #[command(flatten)]
    part: Part,
    /// The colour
    #[arg(long, value_name = "COLOUR", conflicts_with = "random")]
    color: Option<Color>,
    /// Random values; the same seed gives the same values for ever
    #[arg(long, value_name = "SEED")]
    random: Option<u64>,
}

impl Making for Fill {
    fn steps(&self, input: &Facts, _context: &Context<'_>) -> Done<Steps> {
        let with = match (self.color, self.random) {
            (Some(color), _) => {
                if let Form::Pixels { layout, .. } = input.form {
                    color.fits(layout).map_err(anyhow::Error::msg)?;
                }
                Filling::Color(color.rgb, color.opacity())
            }
            (None, Some(seed)) => Filling::Random { seed },
            (None, None) => return Err(Failure::words("fill needs --color COLOUR or --random SEED")),
        };
        Ok(vec![Box::new(flow::Fill { region: self.part.region(input.size)?, with })])
    }
}
