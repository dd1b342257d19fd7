//! `quantize`: fewer levels.

use crate::args::Shared;
use crate::fail::Done;
use crate::make::{Context, Making, Steps};
use crate::plots::Plotting;
use crate::text::{Align, number, table};
use clap::{Args, ValueEnum};
use rahmen::flow;
use rahmen::tone::{Dither, QuantizeRules, Quantizer, Reconstruction};
use rahmen::{Facts, PixelFormat};
use rahmen_show::plot::Chart;
use std::cell::Cell;
use std::io::Write;
use std::path::Path;

/// The words of `quantize`.
#[derive(Debug, Args)]
pub(crate) struct Quantize {
    /// Number of bits: 2 to the power of N levels remain
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=16))]
    bits: u32,
    /// Reconstruction levels
    #[arg(long, value_enum, default_value = "centres")]
    reconstruct: ReconstructWord,
    /// Dithering
    #[arg(long, value_enum, default_value = "none")]
    dither: DitherWord,
    /// Give the level numbers 0, 1, 2 ... as the picture's codes; formats that can store them in N bits
    #[arg(long, conflicts_with = "reconstruct")]
    indices: bool,
    /// Print the decision levels and the reconstruction levels
    #[arg(long)]
    table: bool,
    #[command(flatten)]
    plotting: Plotting,
    #[arg(skip)]
    levels: Cell<u32>,
}

/// Reconstruction levels of a quantiser.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ReconstructWord {
    /// The middle of each cell
    Centres,
    /// Spread over the full range: black and white stay
    Spread,
}

/// Dithering.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum DitherWord {
    /// No dithering
    None,
    /// Ordered dithering: a matrix of thresholds
    Ordered,
    /// Error diffusion to the neighbours
    Diffusion,
}

impl Quantize {
    fn rules(&self, shared: &Shared) -> QuantizeRules {
        let dither = match self.dither {
            DitherWord::None => Dither::None,
            DitherWord::Ordered => Dither::Ordered,
            DitherWord::Diffusion => Dither::Diffusion,
        };
        let mut rules = QuantizeRules::bits(self.bits).reconstruction(self.reconstruction()).dither(dither);
        rules.threads = shared.threads();
        rules
    }

    fn reconstruction(&self) -> Reconstruction {
        if self.indices { Reconstruction::Spread } else { self.reconstruct.into() }
    }
}

impl Making for Quantize {
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps> {
        let rules = self.rules(context.shared);
        if let PixelFormat::Pixels { depth, .. } = input.pixel_format {
            self.levels.set(input.metadata.max_code(0, depth).map_or(0, |top| top + 1));
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
        let quantizer = Quantizer::new(levels, self.bits, self.reconstruction())?;
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
        self.plotting.draw(&format!("Quantised: {} becomes {}", name(input), name(output)), shared, |figure| {
            let stairs = Chart::staircase(&quantizer, levels);
            crate::plots::before_and_after(figure, input, output, Some(stairs), shared)
        })
    }

    fn plotting(&self) -> Option<&Plotting> {
        Some(&self.plotting)
    }
}
