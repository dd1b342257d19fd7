//! `quantize`: fewer levels.

use crate::args::Shared;
use crate::fail::Done;
use crate::make::{Context, Making, Steps};
use crate::plots::Plotting;
use crate::text::{Align, number, table};
use clap::{Args, ValueEnum};
use rahmen::flow;
use rahmen::tone::{Dither, Output, QuantizeRules, Quantizer};
use rahmen::{Facts, Form};
use rahmen_show::plot::Chart;
use std::cell::Cell;
use std::io::Write;
use std::path::Path;

/// The words of `quantize`.
#[derive(Debug, Args)]
pub(crate) struct Quantize {
    /// As many cells as so many bits tell apart
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=16))]
    bits: u32,
    /// What the cells give out
    #[arg(long = "output", value_enum, default_value = "centres")]
    gives: OutputWord,
    /// How the error is hidden
    #[arg(long, value_enum, default_value = "none")]
    dither: DitherWord,
    /// Keep the numbers of the cells as the picture's codes, which a file that can stores in so many bits
    #[arg(long, conflicts_with = "gives")]
    indices: bool,
    /// Print the decision levels and the output levels
    #[arg(long)]
    table: bool,
    #[command(flatten)]
    plotting: Plotting,
    #[arg(skip)]
    levels: Cell<u32>,
}

/// What the cells of a quantiser give out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum OutputWord {
    /// The middle of each cell
    Centres,
    /// Spread over the full range: black and white stay
    Spread,
}

/// How the error of few levels is hidden.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum DitherWord {
    /// Not
    None,
    /// By a matrix of thresholds
    Ordered,
    /// Each pixel's error goes to the next ones
    Diffusion,
}

impl Quantize {
    fn rules(&self, shared: &Shared) -> QuantizeRules {
        let dither = match self.dither {
            DitherWord::None => Dither::None,
            DitherWord::Ordered => Dither::Ordered,
            DitherWord::Diffusion => Dither::Diffusion,
        };
        let mut rules = QuantizeRules::bits(self.bits).output(self.output()).dither(dither);
        rules.threads = shared.threads();
        rules
    }

    fn output(&self) -> Output {
        if self.indices { Output::Spread } else { self.gives.into() }
    }
}

impl Making for Quantize {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let rules = self.rules(context.shared);
        if let Form::Pixels { depth, .. } = input.form {
            self.levels.set(input.metadata.top_code(0, depth).map_or(0, |top| top + 1));
        }
        Ok(vec![Box::new(match self.indices {
            true => flow::Quantize::as_codes(rules),
            false => flow::Quantize::new(rules),
        })])
    }

    fn remark(&self, _: &Facts, _: &Facts) -> Option<String> {
        Some(format!("{} levels", 1u32 << self.bits))
    }

    fn plot(&self, input: &Path, output: &Path, shared: &Shared) -> Done {
        // Floats are cut as finely as 16 bits.
        let levels = if self.levels.get() == 0 { 65_536 } else { self.levels.get() };
        let quantizer = Quantizer::new(levels, self.bits, self.output())?;
        if self.table && !shared.quiet && output != Path::new("-") {
            let mut rows = vec![["cell", "from", "up to", "gives"].map(String::from).to_vec()];
            let words = |v: f64| number(v);
            rows.extend(quantizer.table().iter().map(|c| {
                vec![
                    c.index.to_string(),
                    words(c.from),
                    words(c.to),
                    if self.indices { c.index.to_string() } else { words(c.output) },
                ]
            }));
            write!(std::io::stdout(), "{}", table("  ", &[Align::Right; 4], &rows))?;
        }
        let name = |p: &Path| p.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
        self.plotting.draw(&format!("Quantised: {} becomes {}", name(input), name(output)), |figure| {
            let stairs = Chart::staircase(&quantizer, levels);
            crate::plots::before_and_after(figure, input, output, Some(stairs), shared)
        })
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}
